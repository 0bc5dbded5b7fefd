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
        far = translate(body, dx * BEFORE_MM, dy * BEFORE_MM)
        way = shapely.union_all([body, far]).convex_hull.difference(body.buffer(TOUCH_MM))
        # Edges beside the mouth may touch, too.
        way = way.buffer(-TOUCH_MM)
        found = [
            (float(shapely.distance(body, hit)), other)
            for other in tall
            if other != ref
            and tall[other] > LOW_MM
            and design.parts[other].fitted
            and (place := design.parts[other].place) is not None
            and place.side == part.place.side
            and not (hit := bodies[other].intersection(way)).is_empty
        ]
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
