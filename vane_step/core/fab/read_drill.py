"""Reads drill files, XNC and what older machines take, holes and slots; where numbers do not say how they are meant, a
caller may."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Final

from vane_step.core.fab.read_arcs import Spot, arc_points
from vane_step.core.fab.read_types import DrillFormat, ReadDrill, UnreadableFile

# Holes of one file at most.
MOST_HOLES: Final = 200_000
USUAL: Final = {"inch": (2, 4), "mm": (3, 3)}
# What numbers without a point may mean, the usual first: digits before and after it, for both zero rules.
FORMS: Final = {"inch": ((2, 4), (2, 3), (3, 3), (2, 5)), "mm": ((3, 3), (3, 2), (4, 2), (2, 4), (4, 4))}
_COORDINATE = re.compile(r"([XYIJA])([+-]?\d*\.?\d*)")
_TOOL = re.compile(r"T(\d+)((?:[A-Z][+-]?[\d.]+)*)")
_IGNORED: Final = (
    "M48",
    "M95",
    "G90",
    "G93X0Y0",
    "ICI,OFF",
    "ICI",
    "DETECT,ON",
    "DETECT,OFF",
    "ATC,ON",
    "ATC,OFF",
    "VER,1",
    "FMAT,1",
    "FMAT,2",
    "M47",
    "M16",
    "M17",
    "M08",
    "M09",
    "M01",
    "G40",
)


@dataclass
class _Drill:
    name: str
    form: DrillFormat | None
    tools: dict[int, float] = field(default_factory=dict)
    holes: list[tuple[float, float, float]] = field(default_factory=list)
    slots: list[tuple[float, float, float, float, float]] = field(default_factory=list)
    size: float | None = None
    unit: str = "mm"
    digits: tuple[int, int] | None = None
    left_out: str = ""
    pointed: bool = True
    plated: bool | None = None
    at: Spot = (0.0, 0.0)
    down: bool = False
    routing: bool = False
    bend: int = 0
    ended: bool = False

    def mm(self, said: float) -> float:
        """Give millimetres of the file's unit."""
        return said * (25.4 if self.unit == "inch" else 1.0)

    def used(self) -> DrillFormat:
        """Give how numbers without a point are read: as the caller says, as the file says, or as is usual."""
        if self.form is not None:
            return self.form
        whole, decimals = self.digits or USUAL[self.unit]
        return DrillFormat(self.unit, whole, decimals, self.left_out or "leading")

    def value(self, text: str) -> float:
        """Read a coordinate in millimetres."""
        if "." in text:
            return self.mm(float(text))
        self.pointed = False
        used = self.used()
        sign, digits = (-1, text[1:]) if text.startswith("-") else (1, text.lstrip("+"))
        if used.left_out == "trailing":
            digits = digits.ljust(used.whole + used.decimals, "0")
        return self.mm(sign * int(digits) * 10.0**-used.decimals)


def read_drill(text: str, name: str, form: DrillFormat | None = None) -> ReadDrill:
    """Read a drill file.

    Parameters
    ----------
    form
        How numbers without a point are meant; by what the file says, or what is usual, where it is left out.

    Raises
    ------
    UnreadableFile
        For a line that is not understood, with file and line; also where the file has no end.
    """
    read = _Drill(name, form)
    for number, line in enumerate(text.splitlines(), 1):
        word = line.strip().upper()
        if not word:
            continue
        if read.ended:
            raise UnreadableFile(f"{name}, line {number}: there is something after the end of the file")
        try:
            known = _comment(read, line) if word.startswith(";") else _header(read, word) or _body(read, word)
        except (ValueError, OverflowError, IndexError) as error:
            raise UnreadableFile(f"{name}, line {number}: {word[:40]!r} is no number") from error
        if not known:
            raise UnreadableFile(f"{name}, line {number}: {word[:40]!r} is not understood")
        if len(read.holes) + len(read.slots) > MOST_HOLES:
            raise UnreadableFile(f"{name}: more than {MOST_HOLES:,} holes")
    if not read.ended:
        raise UnreadableFile(f"{name}: the file has no end (M30)")
    says = read.plated is not None
    sure = read.pointed or (read.digits is not None and bool(read.left_out))
    used = None if read.pointed else read.used()
    return ReadDrill(name, bool(read.plated), read.holes, read.slots, says, used, sure)


def _comment(read: _Drill, line: str) -> bool:
    if match := re.search(r"TF\.FileFunction,(\w+)", line):
        read.plated = {"Plated": True, "NonPlated": False}.get(match[1], read.plated)
    elif match := re.search(r"TYPE\s*=\s*(NON)?[-_ ]?PLATED", line, re.IGNORECASE):
        read.plated = match[1] is None
    elif match := re.search(r"FORMAT\s*=?\s*\{?(\d)\s*[:.]\s*(\d)", line, re.IGNORECASE):
        read.digits = int(match[1]), int(match[2])
    return True


def _header(read: _Drill, word: str) -> bool:
    """Take what sets something: units, zeros, tools, modes."""
    if word in _IGNORED or word == "%":
        return True
    if match := re.fullmatch(r"(METRIC|INCH)((?:,[\w.]+)*)", word):
        read.unit = "mm" if match[1] == "METRIC" else "inch"
        for said in match[2].split(",")[1:]:
            if said in ("LZ", "TZ"):
                read.left_out = "trailing" if said == "LZ" else "leading"
            elif digits := re.fullmatch(r"(0+)\.(0+)", said):
                read.digits = len(digits[1]), len(digits[2])
        return True
    if word in ("M71", "M72"):
        read.unit = "mm" if word == "M71" else "inch"
    elif word in ("M30", "M00"):
        read.ended = True
    elif word in ("M15", "M16", "M17"):
        read.down = word == "M15"
    elif match := _TOOL.fullmatch(word):
        _tool(read, int(match[1]), match[2])
    else:
        return False
    return True


def _tool(read: _Drill, number: int, more: str) -> None:
    if size := re.search(r"C([\d.]+)", more):
        read.tools[number] = read.mm(float(size[1]))
    elif number and number not in read.tools:
        raise UnreadableFile(f"{read.name}: tool T{number} is not defined")
    read.size = read.tools.get(number)


def _body(read: _Drill, word: str) -> bool:
    """Take a hole, a slot, a way of a router, or holes in a row."""
    if match := re.fullmatch(r"R(\d+)(.*)", word):
        return _row(read, int(match[1]), match[2])
    if match := re.fullmatch(r"(.*)G85(.*)", word):
        first = _place(read, match[1]) if match[1] else read.at
        last = _place(read, match[2], first) if first is not None else None
        if first is None or last is None or read.size is None:
            return False
        read.slots.append((*first, *last, read.size))
        read.at = last
        return True
    mode, rest = (int(m[1]), m[2]) if (m := re.fullmatch(r"G0?([0-35])(.*)", word)) else (None, word)
    if mode == 5:
        read.routing = False
    elif mode is not None:
        read.routing, read.bend = True, mode
    if not rest:
        return mode is not None
    here = _place(read, rest)
    if here is None:
        return False
    return _routed(read, here, rest) if read.routing else _hole(read, here)


def _hole(read: _Drill, here: Spot) -> bool:
    read.at = here
    if read.size is None:
        return False
    read.holes.append((*here, read.size))
    return True


def _routed(read: _Drill, here: Spot, rest: str) -> bool:
    """Take a move of a router: with the tool down each piece of it is a slot."""
    before, read.at = read.at, here
    if not read.down or read.bend == 0:
        return True
    if read.size is None:
        return False
    points = [before, here]
    if read.bend in (2, 3):
        said = dict(_COORDINATE.findall(rest))
        if "I" not in said and "J" not in said:
            return False
        i, j = (read.value(said[a]) if said.get(a) else 0.0 for a in "IJ")
        points = arc_points(before, here, (before[0] + i, before[1] + j), read.bend == 2, whole=True)
    for (ax, ay), (bx, by) in pairwise(points):
        read.slots.append((ax, ay, bx, by, read.size))
    return True


def _row(read: _Drill, count: int, rest: str) -> bool:
    step = _place(read, rest, (0.0, 0.0))
    if step is None or read.size is None or not read.holes or count > MOST_HOLES:
        return False
    for _ in range(count):
        read.at = (read.at[0] + step[0], read.at[1] + step[1])
        read.holes.append((*read.at, read.size))
    return True


def _place(read: _Drill, text: str, before: Spot | None = None) -> Spot | None:
    """Read a place; what is left out stays as it was."""
    found = _COORDINATE.findall(text)
    if not found or "".join(a + b for a, b in found) != text:
        return None
    said = dict(found)
    x, y = before or read.at
    return (read.value(said["X"]) if "X" in said else x), (read.value(said["Y"]) if "Y" in said else y)
