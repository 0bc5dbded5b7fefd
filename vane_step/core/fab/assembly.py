"""How a variant is assembled, drawn: each side as one sees it, parts with names, pin 1, polarity; files are elsewhere.

The files that show it are written by ``assembly_files``.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import shapely
from shapely.geometry import Polygon

from vane_step.core.board.geometry.shapes import CopperItem, bodies, copper_items, outline
from vane_step.core.circuit.variants import BASE, fitted
from vane_step.core.design.model import Design, Part, Side, natural, split_pin

# Two-pin parts that may be put in either way round.
EITHER_WAY = ("resistor", "capacitor", "inductor", "fuse", "crystal", "switch")
# Largest letters, and what a letter is wide, as a share of its height.
LETTER_MM, ADVANCE = 1.6, 0.62
# Beside its name a part shows its value where letters of this size find room.
LEAST_VALUE_MM: Final = 0.7
# How high the letters at the ends of parts are.
END_MM: Final = 0.9
# Of a part that lies under another at least this share is hidden.
HIDDEN_SHARE: Final = 0.5
# What pins of parts of two ends are called, and what is drawn at them.
ENDS: Final = {"K": "K", "CATHODE": "K", "+": "+", "PLUS": "+", "POS": "+"}

Point = tuple[float, float]
Ring = tuple[Point, ...]


@dataclass(frozen=True)
class PartDrawn:
    """A part as it is seen: its body, whether it is fitted, where pin 1 is, letters at its ends, its name and value.

    Places are in millimetres from the board's lower left corner as one sees the side. ``name_mm`` and ``value_mm`` are
    heights of letters, 0 where there is no room; ``upright`` texts run upwards.
    """

    ref: str
    value: str
    body: tuple[Ring, ...]
    fitted: bool
    pin1: Point | None
    ends: tuple[tuple[Point, str], ...]
    at: Point
    name_mm: float
    value_mm: float
    upright: bool


@dataclass(frozen=True)
class SideDrawn:
    """A side of a board as one sees it, with what of it is not fitted and what lies hidden under another part."""

    side: Side
    size_mm: Point
    edge: tuple[Ring, ...]
    parts: tuple[PartDrawn, ...]
    hidden: tuple[tuple[str, tuple[str, ...]], ...]

    @property
    def left_out(self) -> tuple[str, ...]:
        """The parts that are not fitted."""
        return tuple(p.ref for p in self.parts if not p.fitted)


def assembly_sides(design: Design, variant: str = BASE) -> tuple[SideDrawn, ...]:
    """Draw the sides of a variant that hold parts; the back as seen from the back."""
    have = fitted(design, variant)
    placed = {p.ref: p.place.side for p in design.parts.values() if p.place}
    every: tuple[Side, Side] = ("front", "back")
    sides: list[Side] = [s for s in every if s in placed.values()] or ["front"]
    return tuple(
        _side(design, side, sorted((r for r, at in placed.items() if at == side), key=natural), have)
        for side in sides
    )


def _side(design: Design, side: Side, refs: list[str], have: Mapping[str, bool]) -> SideDrawn:
    x0, y0, x1, y1 = outline(design).bounds

    def at(x: float, y: float) -> Point:
        """Carry a point of the board to the drawing; the back is turned over."""
        return (x - x0 if side == "front" else x1 - x), y - y0

    def rings(shape: Polygon) -> tuple[Ring, ...]:
        return tuple(
            tuple(at(*p[:2]) for p in r.coords[:-1])
            for r in (shape.exterior, *shape.interiors)
            if len(r.coords)
        )

    shapes = bodies(design)
    pads: dict[str, dict[str, CopperItem]] = {}
    for item in copper_items(design):
        if item.kind == "pad":
            ref, number = split_pin(item.id)
            pads.setdefault(ref, {}).setdefault(number, item)
    drawn = []
    for ref in refs:
        part, mine = design.parts[ref], pads.get(ref, {})
        first = next(iter(mine.values()), None)
        either = (
            len(part.pins) == 2 and part.kind in EITHER_WAY and not design.packages[part.package].polarised
        )
        ends = tuple((at(*_outside(shapes[ref], mine[n])), t) for n, t in _ends(part).items() if n in mine)
        bx0, by0, bx1, by1 = shapes[ref].bounds if not shapes[ref].is_empty else (0.0,) * 4
        long, short = max(bx1 - bx0, by1 - by0), min(bx1 - bx0, by1 - by0)
        name, value = _letters(part, long, short)
        drawn.append(
            PartDrawn(
                ref,
                part.value or part.package,
                rings(shapes[ref]) if shapes[ref].area else (),
                have[ref],
                at(first.x_mm, first.y_mm) if first and not either and not ends else None,
                ends,
                at((bx0 + bx1) / 2, (by0 + by1) / 2),
                name,
                value,
                by1 - by0 > 1.3 * (bx1 - bx0),
            )
        )
    size = x1 - x0, y1 - y0
    return SideDrawn(side, size, rings(outline(design)), tuple(drawn), _hidden(design, refs, have))


def _letters(part: Part, long: float, short: float) -> tuple[float, float]:
    """Give the heights of a part's name and of its value below it, as its body has room for them."""
    name = max(0.4, min(LETTER_MM, long / (ADVANCE * max(2, len(part.ref)) + 0.4), 0.8 * short))
    value = min(0.8 * name, short / 2 - 0.55 * name, long / (ADVANCE * max(2, len(part.value)) + 0.4))
    return name, value if part.value and value >= LEAST_VALUE_MM else 0.0


def _ends(part: Part) -> dict[str, str]:
    """Give what is drawn at pins of parts of two ends that must not be put in the other way round."""
    if len(part.pins) != 2:
        return {}
    return {p.number: ENDS[p.name.upper()] for p in part.pins if p.name.upper() in ENDS}


def _outside(body: Polygon, pad: CopperItem) -> Point:
    """Give where a letter stands beside a body, at the end where a pad lies."""
    x0, y0, x1, y1 = body.bounds if not body.is_empty else (pad.x_mm, pad.y_mm) * 2
    x, y = (x0 + x1) / 2, (y0 + y1) / 2
    dx, dy = pad.x_mm - x, pad.y_mm - y
    if abs(dx) >= abs(dy):
        return (x1 if dx > 0 else x0) + (END_MM if dx > 0 else -END_MM) * 0.6, pad.y_mm
    return pad.x_mm, (y1 if dy > 0 else y0) + (END_MM if dy > 0 else -END_MM) * 0.6


def _hidden(
    design: Design, refs: list[str], have: Mapping[str, bool]
) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Find what lies under what: small bodies most of which a higher part covers, so that they are fitted first."""
    shapes = bodies(design)
    mine = [r for r in refs if have[r] and shapes[r].area]
    high = {r: design.packages[design.parts[r].package].height_nm for r in mine}
    tree = shapely.STRtree([shapes[r] for r in mine])
    found = []
    for over in mine:
        under = [
            mine[k]
            for k in sorted(tree.query(shapes[over], predicate="intersects").tolist())
            if high[mine[k]] < high[over]
            and shapes[over].intersection(shapes[mine[k]]).area >= HIDDEN_SHARE * shapes[mine[k]].area
        ]
        if under:
            found.append((over, tuple(under)))
    return tuple(found)
