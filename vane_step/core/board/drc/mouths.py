"""Plugs, cards, cables and shafts that cannot come in or out: what stands before the mouth of a part."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final

import shapely
from shapely.affinity import translate

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import at, breach
from vane_step.core.board.geometry.mouth import OUTWARDS, mouth_of
from vane_step.core.board.geometry.shapes import place_points
from vane_step.core.design.model import Part
from vane_step.core.finding import Finding

# So much room a plug, a knob or a hand wants before a mouth, and lower parts it passes over (rules of thumb).
BEFORE_MM: Final = 10.0
LOW_MM: Final = 2.0
# Bodies may touch: a row of terminals stands side by side.
TOUCH_MM: Final = 0.2
THUMB: Final = "rule of thumb: room for a plug, a knob or a cable"


def mouth_findings(laid: Layout) -> Iterable[Finding]:
    """Find parts that stand in the way into another's mouth, on its side of the board; the nearest is told."""
    design, bodies = laid.design, laid.bodies
    tall = {
        ref: design.packages[p.package].height_nm / 1e6
        for ref, p in design.parts.items()
        if ref in bodies and p.place is not None and bodies[ref].area > 0
    }
    boxes = {ref: bodies[ref].bounds for ref in tall}
    for ref in tall:
        part = design.parts[ref]
        package = design.packages[part.package]
        side, _ = mouth_of(package)
        # Before an antenna nothing comes in; its zone is a rule of its own.
        if not side or package.keepout_nm or part.place is None:
            continue
        (x0, y0), (x1, y1) = place_points(part.place, ((0, 0), OUTWARDS[side]))
        dx, dy = x1 - x0, y1 - y0
        body = bodies[ref]
        # Most have nothing near: only what lies in the box before the mouth is worth exact shapes.
        ahead = _box_ahead(body.bounds, dx * BEFORE_MM, dy * BEFORE_MM)
        near = [
            other
            for other, (a, b, c, d) in boxes.items()
            if a < ahead[2] and c > ahead[0] and b < ahead[3] and d > ahead[1]
            if other != ref and tall[other] > LOW_MM and _on(design.parts[other], part.place.side)
        ]
        if not near:
            continue
        far = translate(body, dx * BEFORE_MM, dy * BEFORE_MM)
        way = shapely.union_all([body, far]).convex_hull.difference(body.buffer(TOUCH_MM))
        # Edges beside the mouth may touch, too.
        way = way.buffer(-TOUCH_MM)
        hits = [(other, bodies[other].intersection(way)) for other in near]
        found = [(float(shapely.distance(body, hit)), other) for other, hit in hits if not hit.is_empty]
        if found:
            gap, other = min(found)
            text = f"{other} stands before the opening of {ref}"
            middle = body.centroid
            yield breach(
                laid,
                "mouth-blocked",
                text,
                gap,
                BEFORE_MM,
                at(middle.x, middle.y, refs=(ref, other)),
                "look",
                origin=THUMB,
            )


def _box_ahead(bounds: tuple[float, float, float, float], dx: float, dy: float) -> tuple[float, ...]:
    """Give the box of what lies before a box moved so far; along an axis without the box itself and its sides."""
    x0, y0, x1, y1 = bounds
    box = [min(x0, x0 + dx), min(y0, y0 + dy), max(x1, x1 + dx), max(y1, y1 + dy)]
    if abs(dy) < 1e-6 or abs(dx) < 1e-6:
        axis = 0 if abs(dx) > 1e-6 else 1
        forward = (dx, dy)[axis] > 0
        box[axis if forward else axis + 2] = bounds[axis + 2] if forward else bounds[axis]
        box[1 - axis] += TOUCH_MM
        box[3 - axis] -= TOUCH_MM
    return tuple(box)


def _on(part: Part, side: str) -> bool:
    return part.fitted and part.place is not None and part.place.side == side
