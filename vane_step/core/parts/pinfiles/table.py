"""A part's pins as read from a file, what each does, and whether they fit a package; no file format is known here."""

from __future__ import annotations

import re
from dataclasses import dataclass

from pydantic import ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Package, Pin, PinRole, natural
from vane_step.core.errors import InputError

MAX_PINS = 3000

_SUPPLY = re.compile(r"^(A|D|IO|C|P|Q)?V(DD|CC|BAT|REF|IN|BUS|PP|IO|CORE)|^(AREF|AVCC|DVCC|PVCC|VCAP)", re.I)
_GROUND = re.compile(r"^(A|D|P|C|IO)?(GND|VSS)|^(EP|EPAD|PAD|THERMAL)$", re.I)
_FREE = re.compile(r"^(NC|N\.C\.|DNC|N/C|NO_?CONNECT|RESERVED|RSVD)", re.I)


def role_of_name(name: str) -> PinRole | None:
    """Tell what a pin is for by its name alone; ``None`` when the name does not say.

    >>> role_of_name("AVDD"), role_of_name("VSS_3"), role_of_name("NC"), role_of_name("PB3")
    ('supply-in', 'ground', 'unconnected', None)
    """
    if _GROUND.match(name):
        return "ground"
    if _FREE.match(name):
        return "unconnected"
    return "supply-in" if _SUPPLY.match(name) else None


@dataclass(frozen=True)
class PinTable:
    """The pins of one part in one package.

    Parameters
    ----------
    part
        Name of the part as the file has it.
    package
        Name of the package as the file has it; empty when it does not say.
    pins
        Pins in the order of their numbers; numbers are unique.
    source
        Which file and standard they came from.
    """

    part: str
    package: str
    pins: tuple[Pin, ...]
    source: str


def make_table(part: str, package: str, rows: list[tuple[str, str, PinRole]], source: str) -> PinTable:
    """Make a table of number, name and role of each pin.

    Raises
    ------
    InputError
        For no pins, too many, a number that comes twice or one that cannot be a pad's number.
    """
    if not rows:
        raise InputError(
            "There are no pins in it.",
            where=source,
            next_step="Write: number, name, role, one pin a line.",
        )
    if len(rows) > MAX_PINS:
        raise InputError(
            "There are too many pins.", where=source, value=len(rows), allowed=f"up to {MAX_PINS}"
        )
    seen: dict[str, str] = {}
    pins = []
    for number, name, role in rows:
        if number in seen:
            raise InputError(
                f"Pin {number} comes twice: {seen[number]} and {name}.",
                where=source,
                value=number,
                next_step="List each pin once.",
            )
        seen[number] = name
        try:
            pins.append(Pin(number=number, name=name[:40], role=role))
        except ValidationError as error:
            raise input_error(error, f"{source}: pin {number[:20]!r}") from error
    return PinTable(part[:60], package[:60], tuple(sorted(pins, key=lambda p: natural(p.number))), source)


def fit(table: PinTable, package: Package) -> tuple[Pin, ...]:
    """Give the pins for a part in a package, in the order of its pads.

    Pads the table does not name, such as a thermal pad, become pins left open, so that the review asks for them.

    Raises
    ------
    InputError
        When the table has pins that the package has no pad for.
    """
    pads = dict.fromkeys(p.number for p in package.pads)
    strange = [p.number for p in table.pins if p.number not in pads]
    if strange:
        few = ", ".join(strange[:8]) + (" …" if len(strange) > 8 else "")
        raise InputError(
            f"{package.name} has no pad for {len(strange)} pins: {few}.",
            where=table.source,
            value=len(table.pins),
            allowed=f"{len(pads)} pads: {', '.join(list(pads)[:6])} …",
            next_step="Choose the package the file is for.",
        )
    known = {p.number: p for p in table.pins}
    return tuple(known.get(number, Pin(number=number)) for number in pads)
