"""On which sides of a board a part may lie: its surface pads need copper there; where on a side is not here."""

from __future__ import annotations

from vane_step.core.board.geometry.shapes import pad_layers
from vane_step.core.design.model import Design, Package, Part, PartPlace, Side

SIDES: tuple[Side, Side] = ("front", "back")


def sides_with_copper(design: Design, package: Package) -> tuple[Side, ...]:
    """Give the sides on which every pad of a package finds copper, front first."""
    layers = design.board.layers
    pads = [p for p in package.pads if not p.bare_hole]
    return tuple(
        side
        for side in SIDES
        if all(pad_layers(p, PartPlace(x_nm=0, y_nm=0, side=side), layers) for p in pads)
    )


def home_side(design: Design, part: Part) -> Side:
    """Give the side a part is put on: where it lies, or else the front, unless it would have no copper there."""
    wanted: Side = part.place.side if part.place else "front"
    possible = sides_with_copper(design, design.packages[part.package])
    return wanted if wanted in possible or not possible else possible[0]
