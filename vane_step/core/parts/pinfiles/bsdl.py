"""Reads the pins out of a BSDL file (IEEE 1149.1): ports, pin maps and packages; scan registers are passed over.

BSDL is a subset of VHDL: words without case, ``--`` comments, strings joined by ``&``. A file may hold pin maps for
several packages; which one is wanted is chosen by name.
"""

from __future__ import annotations

import re

from vane_step.core.design.model import PinRole
from vane_step.core.errors import InputError
from vane_step.core.parts.pinfiles.table import MAX_PINS, PinTable, make_table, role_of_name

_TOKEN = re.compile(r'"[^"\n]*"|[A-Za-z][A-Za-z0-9_]*|[0-9]+|:=|[^\sA-Za-z0-9]')
_MODES: dict[str, PinRole] = {"in": "input", "out": "output", "inout": "io", "buffer": "output"}
# A port such as bit_vector(0 to 2000000000) must not fill the memory, nor must words without end.
_MAX_BUS = 2 * MAX_PINS
_MAX_WORDS = 200_000


class _Tokens:
    """The words of a file with their lines, taken one after the other."""

    def __init__(self, text: str, name: str) -> None:
        self.name = name
        self.words: list[str] = []
        self.lines: list[int] = []
        self.at = 0
        for number, line in enumerate(text.splitlines(), 1):
            for found in _TOKEN.finditer(_without_comment(line)):
                self.words.append(found[0])
                self.lines.append(number)
                if len(self.words) > _MAX_WORDS:
                    raise InputError(
                        "There are too many words.", where=f"{name}, line {number}", allowed=f"{_MAX_WORDS}"
                    )

    def fail(self, says: str) -> InputError:
        """Make an error that names file and line."""
        line = self.lines[min(self.at, len(self.lines) - 1)] if self.lines else 1
        return InputError(says, where=f"{self.name}, line {line}", next_step="Mend the file there.")

    def peek(self) -> str:
        """Give the next word in lower case without taking it; empty at the end."""
        return self.words[self.at].lower() if self.at < len(self.words) else ""

    def take(self) -> str:
        """Take the next word as it is written."""
        if self.at >= len(self.words):
            raise self.fail("The file ends in the middle of a statement.")
        self.at += 1
        return self.words[self.at - 1]

    def want(self, word: str) -> None:
        """Take a word that must come now."""
        found = self.take()
        if found.lower() != word:
            self.at -= 1
            raise self.fail(f"Here is {found[:30]!r} where {word!r} belongs.")

    def past(self, *words: str) -> bool:
        """Go on behind the next run of these words; tells whether there is one."""
        for k in range(self.at, len(self.words) - len(words) + 1):
            if all(self.words[k + i].lower() == w for i, w in enumerate(words)):
                self.at = k + len(words)
                return True
        return False

    def string(self) -> str:
        """Take strings joined by ``&``."""
        parts = []
        while True:
            word = self.take()
            if not word.startswith('"'):
                self.at -= 1
                raise self.fail(f"Here is {word[:30]!r} where a string belongs.")
            parts.append(word[1:-1])
            if self.peek() != "&":
                return "".join(parts)
            self.take()


def _without_comment(line: str) -> str:
    """Cut a comment off, unless its dashes stand inside a string."""
    start = 0
    while (at := line.find("--", start)) >= 0:
        if line.count('"', 0, at) % 2 == 0:
            return line[:at]
        start = at + 2
    return line


def read_bsdl(text: str, name: str, package: str = "") -> PinTable:
    """Read the pins of a BSDL file.

    Parameters
    ----------
    package : str
        Name of a pin map; the file's own default when left out.

    Raises
    ------
    InputError
        Naming file and line; for a package the file does not have, the packages it has.
    """
    tokens = _Tokens(text, name)
    if not tokens.past("entity"):
        raise tokens.fail("There is no entity in it.")
    part = tokens.take()
    default = _default_map(tokens)
    ports = _ports(tokens)
    maps: dict[str, str] = {}
    while tokens.past("constant"):
        title = tokens.take()
        tokens.want(":")
        if tokens.take().lower() == "pin_map_string":
            tokens.want(":=")
            maps[title.lower()] = tokens.string()
    chosen = (package or default).lower()
    if not maps:
        raise InputError(
            "There is no pin map in it.",
            where=name,
            next_step="Choose a file with a pin map, or paste the pins as a table.",
        )
    if chosen not in maps:
        if package or len(maps) > 1:
            raise InputError(
                f"There is no pin map {package or default!r}.", where=name, allowed=", ".join(maps).upper()
            )
        chosen = next(iter(maps))
    return make_table(part, chosen.upper(), _rows(maps[chosen], ports, name), f"{name} (BSDL)")


def _default_map(tokens: _Tokens) -> str:
    """Read the generic that names the package, when there is one."""
    here = tokens.at
    if tokens.past("generic", "(", "physical_pin_map", ":", "string") and tokens.peek() == ":=":
        tokens.take()
        return tokens.string()
    tokens.at = here
    return ""


def _ports(tokens: _Tokens) -> dict[str, tuple[PinRole | None, list[str]]]:
    """Read the ports: mode, and the names of its lines (one, or one for each bit) in the order of the pin map."""
    if not tokens.past("port", "("):
        raise tokens.fail("There is no port list in it.")
    ports: dict[str, tuple[PinRole | None, list[str]]] = {}
    count = 0
    while tokens.peek() != ")":
        names = [tokens.take()]
        while tokens.peek() == ",":
            tokens.take()
            names.append(tokens.take())
        tokens.want(":")
        mode = tokens.take().lower()
        if mode not in _MODES and mode != "linkage":
            raise tokens.fail(f"A port cannot be {mode[:30]!r}.")
        bits = _bits(tokens)
        for title in names:
            lines = [title] if bits is None else [f"{title}{k}" for k in bits]
            ports[title.lower()] = (_MODES.get(mode), lines)
            count += len(lines)
        if count > _MAX_BUS:
            raise tokens.fail(f"The ports have more than {_MAX_BUS} lines.")
        if tokens.peek() == ";":
            tokens.take()
    return ports


def _bits(tokens: _Tokens) -> list[int] | None:
    """Read the type of a port: a bit, or a vector with its range."""
    kind = tokens.take().lower()
    if kind == "bit":
        return None
    if kind != "bit_vector":
        raise tokens.fail(f"A port cannot be of type {kind[:30]!r}.")
    tokens.want("(")
    first, way, last = tokens.take(), tokens.take().lower(), tokens.take()
    tokens.want(")")
    if not (first.isdigit() and last.isdigit() and way in ("to", "downto")):
        raise tokens.fail("A vector's range reads 'n to m' or 'm downto n'.")
    a, b = int(first[:9]), int(last[:9])
    if abs(a - b) >= _MAX_BUS:
        raise tokens.fail(f"A vector of {abs(a - b) + 1} lines is too wide.")
    return list(range(a, b + 1)) if way == "to" else list(range(a, b - 1, -1))


_ENTRY = re.compile(r"\s*([A-Za-z]\w*)\s*:\s*(?:\(([^()]*)\)|(\w+))\s*(,|$)")


def _rows(
    text: str, ports: dict[str, tuple[PinRole | None, list[str]]], name: str
) -> list[tuple[str, str, PinRole]]:
    """Match a pin map with the ports."""
    rows: list[tuple[str, str, PinRole]] = []
    at = 0
    while at < len(text.rstrip()):
        entry = _ENTRY.match(text, at)
        if not entry:
            raise InputError(
                f"The pin map cannot be read from {text[at : at + 30]!r} on.",
                where=name,
                next_step="Mend the file there.",
            )
        at = entry.end()
        port = entry[1]
        numbers = [n.strip() for n in entry[2].split(",")] if entry[2] is not None else [entry[3]]
        mode, lines = ports.get(port.lower(), (None, [port]))
        if len(lines) > 1 and len(lines) != len(numbers):
            raise InputError(
                f"{port} has {len(lines)} lines and {len(numbers)} pins.",
                where=name,
                value=port,
                next_step="Mend the file there.",
            )
        for k, number in enumerate(numbers):
            title = lines[k] if len(lines) > 1 else lines[0]
            rows.append((number, title, role_of_name(title) or mode or "passive"))
    return rows
