"""New parts from a package and pins; where a part goes in a circuit or on a board is decided elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Design, Package, Part, PartKind, Pin
from vane_step.core.parts.pinfiles import PinTable, fit

NEW_BLOCK = "New parts"
# What the letters of a reference say of a two-terminal part (IEC 60617 symbols).
KINDS: dict[str, PartKind] = {
    "R": "resistor",
    "C": "capacitor",
    "L": "inductor",
    "D": "diode",
    "LED": "led",
    "Y": "crystal",
    "F": "fuse",
    "TH": "thermistor",
    "S": "switch",
    "BZ": "sounder",
    "JP": "jumper",
}


def new_part(ref: str, pack: Package, value: str = "", pins: Sequence[Pin] | None = None) -> Part:
    """Make a part that is not connected and not placed yet.

    Parameters
    ----------
    pins : sequence of Pin, optional
        As :func:`vane_step.core.parts.pinfiles.fit` gives them; numbered pins when left out, named as well where
        they follow from what the part is: of a diode with a mark pin 1 is the cathode (IPC-7351).

    Raises
    ------
    pydantic.ValidationError
        When the reference or the value cannot be one.
    """
    kind = _kind(ref, pack)
    if pins is None:
        numbers = pin_numbers(pack)
        names = ("K", "A") if kind in ("diode", "led") and pack.polarised else ("",) * len(numbers)
        pins = [Pin(number=n, name=name) for n, name in zip(numbers, names, strict=True)]
    return Part(ref=ref, value=value, package=pack.name, kind=kind, pins=tuple(pins), block=NEW_BLOCK)


def pin_numbers(pack: Package) -> list[str]:
    """List the pins of a package in its order: each number once, holes without copper are none."""
    return list(dict.fromkeys(p.number for p in pack.pads if not p.bare_hole))


def next_refs(design: Design, letters: str, count: int) -> list[str]:
    """Give the next free references of some letters."""
    found: list[str] = []
    number = 1
    while len(found) < count:
        if (ref := f"{letters}{number}") not in design.parts:
            found.append(ref)
        number += 1
    return found


def part_from(ref: str, pack: Package, value: str = "", table: PinTable | None = None) -> Part:
    """Make a part with the pins of a file; its value is the file's part name unless one is given.

    Raises
    ------
    InputError
        When the pins do not fit the package, or the reference or the value cannot be one.
    """
    try:
        return new_part(
            ref, pack, value or (table.part if table else ""), fit(table, pack) if table else None
        )
    except ValidationError as error:
        raise input_error(error, ref) from error


def _kind(ref: str, pack: Package) -> PartKind:
    if len(pin_numbers(pack)) != 2:
        return "card"
    letters = ref.rstrip("0123456789").upper()
    return "polar-capacitor" if letters == "C" and pack.polarised else KINDS.get(letters, "card")
