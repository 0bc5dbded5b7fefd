"""The placement file in a house's own way of counting turns, and the proof that pin 1 comes to lie on pin 1.

Our turns go anticlockwise as seen from the front, also on the back; a package at 0 lies as its land pattern is drawn.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Final

from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.board.geometry.shapes import outline, place_point
from vane_step.core.circuit.variants import BASE, fitted
from vane_step.core.design.model import Design, Package, Part, natural
from vane_step.core.errors import InputError
from vane_step.core.fab.tables import csv_text, mounting


@dataclass(frozen=True)
class Convention:
    """How a house counts.

    Parameters
    ----------
    zero_deg
        Where pin 1 is at a turn of 0, as the direction from the part's middle, anticlockwise from the right; None for
        the way the land pattern is drawn.
    back
        ``front`` for turns of the back as seen through the board, ``back`` as seen from the back.
    clockwise
        Turns go clockwise.
    mirrored_x
        Places of the back are counted from the right, as they are seen from the back.
    """

    name: str
    title: str
    zero_deg: float | None = None
    back: str = "front"
    clockwise: bool = False
    mirrored_x: bool = False


class FittingHouse(BaseModel):
    """How a house that fits parts counts turns, and the packages it takes another way round, in degrees."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str = Field(min_length=1, max_length=60)
    convention: str
    turns: dict[Annotated[str, Field(max_length=64)], Annotated[float, Field(ge=-360, le=360)]] = Field(
        max_length=500
    )

    @property
    def said(self) -> str:
        """Give the table of turns as it is typed."""
        return " ".join(f"{package}={turn:g}" for package, turn in self.turns.items())


CONVENTIONS: Final[dict[str, Convention]] = {
    c.name: c
    for c in (
        Convention("plain", "as drawn, anticlockwise seen from the front"),
        Convention(
            "upper-left", "pin 1 at the upper left, turns of the back seen from the back", 135.0, "back"
        ),
        Convention("lower-left", "pin 1 at the lower left, as parts lie in tape", 225.0),
        Convention(
            "clockwise",
            "pin 1 at the upper left, clockwise, the back counted from the right",
            135.0,
            "back",
            True,
            True,
        ),
    )
}


def convention_of(name: str) -> Convention:
    """Give a convention by name, or raise :class:`InputError` with those there are."""
    if name not in CONVENTIONS:
        raise InputError(
            f"Nobody counts {name!r}.", where="convention", value=name, allowed=", ".join(CONVENTIONS)
        )
    return CONVENTIONS[name]


def pin1_at(package: Package) -> tuple[float, float] | None:
    """Give where pin 1 of a package is, in nm from its origin; None where it has none, or lies in the middle."""
    first = package.pads[0] if len(package.pads) > 1 else None
    at = package.pin1_nm or ((first.x_nm, first.y_nm) if first else None)
    return at if at is not None and math.hypot(*at) >= 1 else None


def pin1_deg(package: Package) -> float | None:
    """Give the direction of pin 1 from the middle of a package, in degrees; None where it has none."""
    at = pin1_at(package)
    if at is None:
        return None
    return math.degrees(math.atan2(at[1], at[0])) % 360


def offset_deg(package: Package, convention: Convention, table: Mapping[str, float]) -> float:
    """Give by how much the house's zero of a package differs from ours: by its table, else by pin 1 in quarters."""
    if package.name in table:
        return table[package.name] % 360
    mine = pin1_deg(package)
    if convention.zero_deg is None or mine is None:
        return 0.0
    # Halfway between two quarters, as of two pins side by side, the lesser turn is taken.
    return round((mine - convention.zero_deg) / 90 - 1e-6) * 90 % 360


def file_deg(part: Part, package: Package, convention: Convention, table: Mapping[str, float]) -> float:
    """Give the turn a placement file says of a part."""
    assert part.place is not None
    turn = part.place.turn_deg
    back = part.place.side == "back"
    offset = offset_deg(package, convention, table)
    # Through the board a part of the back is mirrored: what is anticlockwise from the front is clockwise on itself.
    seen = -turn if back and convention.back == "back" else turn
    seen += offset if not back or convention.back == "back" else -offset
    return (-seen if convention.clockwise else seen) % 360


def placement_as(
    design: Design, convention: Convention, table: Mapping[str, float] | None = None, variant: str = BASE
) -> str:
    """Write the placement file of a variant in a house's convention."""
    have, rows = fitted(design, variant), []
    x0, _, x1, _ = outline(design).bounds
    for ref in sorted(design.parts, key=natural):
        part = design.parts[ref]
        if part.place is None or not have[ref]:
            continue
        p = part.place
        x = p.x_nm / 1e6
        x = x0 + x1 - x if convention.mirrored_x and p.side == "back" else x
        turn = file_deg(part, design.packages[part.package], convention, table or {})
        row = (ref, part.value, part.package, f"{x:.4f}", f"{p.y_nm / 1e6:.4f}", f"{turn:g}", p.side)
        rows.append((*row, mounting(design, part)))
    return csv_text(("ref", "value", "package", "x_mm", "y_mm", "turn_deg", "side", "mounting"), rows)


@dataclass(frozen=True)
class Proof:
    """Where a file puts a part's pin 1, where it is on the board, both as directions, and whether they agree."""

    ref: str
    package: str
    file_deg: float
    true_deg: float
    agrees: bool


def proved(
    design: Design, text: str, convention: Convention, table: Mapping[str, float] | None = None
) -> list[Proof]:
    """Read a placement file as the house does, and hold where it puts each pin 1 against the board.

    The house takes a part at its own zero, turns it by the file's angle its own way, and puts it on the side it says.
    """
    found = []
    for row in csv.DictReader(io.StringIO(text)):
        part = design.parts[row["ref"]]
        package = design.packages[part.package]
        mine = pin1_deg(package)
        if part.place is None or mine is None:
            continue
        zero = (mine - offset_deg(package, convention, table or {})) % 360
        turn = float(row["turn_deg"]) * (-1 if convention.clockwise else 1)
        if row["side"] == "back" and convention.back == "back":
            # Seen from the back; through the board its left is our right.
            told = 180 - (zero + turn)
        elif row["side"] == "back":
            told = 180 - zero + turn
        else:
            told = zero + turn
        at = package.pin1_nm or (package.pads[0].x_nm, package.pads[0].y_nm)
        x, y = place_point(part.place, *at)
        true = math.degrees(math.atan2(y - part.place.y_nm, x - part.place.x_nm))
        apart = abs((told - true + 180) % 360 - 180)
        found.append(Proof(part.ref, part.package, told % 360, true % 360, apart < 1.0))
    return found
