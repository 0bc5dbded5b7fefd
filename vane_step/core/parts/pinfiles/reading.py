"""Chooses the reader for a pin file by its content, and reads plain tables; the standards have their own modules."""

from __future__ import annotations

import csv
import io
import re
from typing import get_args

from vane_step.core.design.model import PinRole
from vane_step.core.errors import InputError
from vane_step.core.parts.pinfiles.bsdl import read_bsdl
from vane_step.core.parts.pinfiles.ibis import read_ibis
from vane_step.core.parts.pinfiles.table import PinTable, make_table, role_of_name

MAX_TEXT = 20_000_000
ROLES: tuple[PinRole, ...] = get_args(PinRole)
# What people call the directions of pins in their tables.
SPOKEN: dict[str, PinRole] = {
    "i": "input",
    "in": "input",
    "o": "output",
    "out": "output",
    "i/o": "io",
    "io": "io",
    "bidirectional": "io",
    "inout": "io",
    "power": "supply-in",
    "supply": "supply-in",
    "pwr": "supply-in",
    "p": "supply-in",
    "gnd": "ground",
    "g": "ground",
    "od": "open-drain",
    "open drain": "open-drain",
    "nc": "unconnected",
    "analog": "passive",
    "analogue": "passive",
    "": "passive",
}


def read_pins(text: str, name: str, choice: str = "") -> PinTable:
    """Read the pins of a part from a BSDL file, an IBIS file or a table.

    Parameters
    ----------
    text : str
        Content of the file, or what was pasted.
    name : str
        Name of the file, for messages.
    choice : str
        Package (BSDL) or component (IBIS) when the file has several.

    Raises
    ------
    InputError
        Naming file, line and reason.
    """
    if len(text) > MAX_TEXT:
        raise InputError(
            "The file is too large.", where=name, value=len(text), allowed=f"{MAX_TEXT} characters"
        )
    if re.search(r"^\s*\[(IBIS[ _]Ver|Component)\]", text, re.I | re.M):
        return read_ibis(text, name, choice)
    if re.search(r"^\s*entity\s+\w+\s+is\b", text, re.I | re.M):
        return read_bsdl(text, name, choice)
    return read_table(text, name)


def read_table(text: str, name: str) -> PinTable:
    """Read a table of number, name and optionally role, separated by tabs, semicolons, commas or spaces.

    A first line that names the columns may put them in another order; without a role the name decides.
    """
    lines = [(k, line) for k, line in enumerate(text.removeprefix("\ufeff").splitlines(), 1) if line.strip()]
    if not lines:
        raise InputError("There is nothing in it.", where=name, next_step="Choose another file.")
    mark = next((m for m in "\t;," if m in lines[0][1]), None)
    rows = [(k, _split(line, mark, f"{name}, line {k}")) for k, line in lines]
    order = _columns(rows[0][1])
    if order:
        rows = rows[1:]
    number, title, role = order or (0, 1, 2)
    found = []
    for line, fields in rows:
        if len(fields) <= max(number, title):
            raise InputError(
                "A pin has a number and a name.",
                where=f"{name}, line {line}",
                value=" ".join(fields),
                next_step="Write: number, name, role.",
            )
        said = fields[role] if role < len(fields) else ""
        found.append((fields[number], fields[title], _role(said, fields[title], f"{name}, line {line}")))
    return make_table(name.rsplit(".", 1)[0], "", found, name)


def _split(line: str, mark: str | None, where: str) -> list[str]:
    if mark is None:
        return line.split(None, 2)
    try:
        return [f.strip() for f in next(csv.reader(io.StringIO(line), delimiter=mark, strict=True))]
    except (csv.Error, StopIteration) as error:
        raise InputError(
            "This line is no row of a table.",
            where=where,
            value=line[:40],
            next_step="Write: number, name, role.",
        ) from error


def _columns(fields: list[str]) -> tuple[int, int, int] | None:
    """Find number, name and role by the titles of the columns; ``None`` when the first line is a pin already."""
    titles = [f.lower() for f in fields]
    number = next(
        (k for k, t in enumerate(titles) if t in ("number", "pin", "no", "no.", "pad", "#", "pin number")),
        None,
    )
    name = next((k for k, t in enumerate(titles) if t in ("name", "signal", "function", "pin name")), None)
    if number is None or name is None:
        return None
    role = next(
        (k for k, t in enumerate(titles) if t in ("role", "type", "direction", "dir", "i/o")), len(titles)
    )
    return number, name, role


def _role(said: str, name: str, where: str) -> PinRole:
    word = said.strip().lower()
    exact = next((r for r in ROLES if r == word), None)
    if exact:
        return exact
    if word not in SPOKEN:
        raise InputError(f"{said!r} is no role of a pin.", where=where, value=said, allowed=", ".join(ROLES))
    return (role_of_name(name) or "passive") if not word else SPOKEN[word]
