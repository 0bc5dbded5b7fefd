"""Room of parts: courtyards that overlap, and parts that reach over the edge."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.strtree import STRtree

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach
from vane_step.core.board.geometry.mouth import mouth_of
from vane_step.core.board.geometry.shapes import outline, place_points
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Part
from vane_step.core.finding import Finding
from vane_step.core.quantity import nm
from vane_step.core.rules import Level

ROWS_OF_PINS = ("pin header", "pin socket")


def courtyard_findings(laid: Layout) -> Iterable[Finding]:
    """Find parts of one side whose courtyards overlap; headers and sockets may butt, body to body."""
    yards = laid.courtyards
    refs = list(yards)
    shapes = np.array([yards[r] for r in refs], dtype=object)
    if len(refs) < 2:
        return
    a, b = STRtree(shapes).query(shapes, predicate="intersects")
    for i, j in zip(a[a < b], b[a < b], strict=True):
        one, two = laid.design.parts[refs[i]], laid.design.parts[refs[j]]
        if one.place is None or two.place is None or one.place.side != two.place.side:
            continue
        overlap = shapes[i].intersection(shapes[j])
        if _butts(laid.design, one) and _butts(laid.design, two):
            overlap = laid.bodies[one.ref].intersection(laid.bodies[two.ref])
        if overlap.area > 1e-3:
            x, y = overlap.centroid.coords[0]
            x0, y0, x1, y1 = overlap.bounds
            text = f"{one.ref} and {two.ref} need more room: their courtyards overlap"
            place = at(x, y, refs=(one.ref, two.ref))
            deep = min(x1 - x0, y1 - y0)
            yield breach(laid, "courtyard", text, deep, 0.0, place, origin="courtyards of the land patterns")


def _butts(design: Design, part: Part) -> bool:
    """Tell whether a part is a row of pins that stands against another, as two of them make a longer one."""
    return design.packages[part.package].title.startswith(ROWS_OF_PINS)


def inside_findings(laid: Layout) -> Iterable[Finding]:
    """Find parts whose bodies reach over the edge of the board, by more than a mouth is meant to."""
    board = _rim(laid.design)
    found = {r: _without_mouth(laid.design, r, body) for r, body in laid.bodies.items()}
    refs, shapes = list(found), np.array([*found.values()], dtype=object)
    for k in np.flatnonzero(~shapely.covers(board, shapes) & (shapely.area(shapes) > 0)):
        ref, body = refs[k], shapes[k]
        out = body.difference(board)
        cx, cy = out.centroid.coords[0]
        share = out.area / body.area
        level: Level = "stop" if share > 0.5 else "look"
        text = f"{ref} reaches over the board's edge"
        yield breach(
            laid,
            "outside",
            text,
            share * 100,
            0.0,
            at(cx, cy, refs=(ref,)),
            level,
            "% of its body",
            origin="the outline",
        )


def _without_mouth(design: Design, ref: str, body: Polygon) -> Polygon:
    """Give the part of a body that belongs on the board: what a mouth stands over the edge is taken off."""
    part = design.parts[ref]
    package = design.packages[part.package]
    mouth, over = mouth_of(package)
    if not mouth or over <= 0 or part.place is None:
        return body
    x, y = package.body_nm[0] / 2, package.body_nm[1] / 2
    cut = nm(over)
    low = (-x + cut * (mouth == "left"), -y + cut * (mouth == "bottom"))
    high = (x - cut * (mouth == "right"), y - cut * (mouth == "top"))
    corners = place_points(part.place, ((low[0], low[1]), (high[0], low[1]), high, (low[0], high[1])))
    return Polygon([(a / 1e6, b / 1e6) for a, b in corners])


@derived("board")
def _rim(design: Design) -> Polygon:
    """Give the board and what may stand over its edge by rounding."""
    board: Polygon = outline(design).buffer(TOLERANCE_MM)
    shapely.prepare(board)
    return board
