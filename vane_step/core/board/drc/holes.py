"""Holes held against the maker's drills, rings and gaps; how deep they are for their width is in ``craft``."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach, named, sentence, source
from vane_step.core.board.geometry.copper_table import once_a_text
from vane_step.core.board.geometry.shapes import (
    CopperItem,
    Hole,
    spines_of,
)
from vane_step.core.finding import Finding

DRILL_TOLERANCE_MM = 0.0051
# How far from the edge the middle of a plated hole on it may lie.
OFF_EDGE_MM = 0.05


def rings_and_drills(laid: Layout) -> Iterable[Finding]:
    """Hold rings of copper and sizes of holes against the maker's limits."""
    rules = laid.rules
    ring = rules.min_ring_nm / 1e6
    seen: set[tuple[str, float, float]] = set()
    for item in laid.items:
        if not item.drill_mm:
            continue
        reading = item.ring_mm
        if reading < ring - TOLERANCE_MM and (item.id, item.x_mm, item.y_mm) not in seen:
            seen.add((item.id, item.x_mm, item.y_mm))
            text = f"Copper ring of {named(item)} is too narrow"
            yield breach(laid, "ring", text, reading, ring, at(item.x_mm, item.y_mm, item))
    low, high = rules.min_drill_nm / 1e6, rules.max_drill_nm / 1e6
    slot = rules.min_slot_nm / 1e6
    for hole in laid.holes:
        # By hand a slot is bored in a row and filed; a maker mills it.
        if hole.slotted and hole.drill_mm < slot - TOLERANCE_MM and not rules.etched:
            text = f"The slot of {hole.id} is too narrow to be milled"
            yield breach(laid, "slot", text, hole.drill_mm, slot, at(hole.x_mm, hole.y_mm, net=hole.net))
            continue
        if low - TOLERANCE_MM <= hole.drill_mm <= high + TOLERANCE_MM:
            continue
        place = at(hole.x_mm, hole.y_mm, net=hole.net)
        if hole.drill_mm < low:
            yield breach(laid, "drill", f"Hole of {hole.id} is too small to drill", hole.drill_mm, low, place)
        else:
            text = f"Hole of {hole.id} is too large to drill; it would have to be milled"
            yield breach(laid, "drill", text, hole.drill_mm, high, place)


def drill_sizes(laid: Layout) -> Iterable[Finding]:
    """Hold the sizes of holes against the drills there are: one finding a size."""
    have = np.array(laid.rules.drills_nm) / 1e6
    wanted: dict[float, list[Hole]] = {}
    for hole in laid.holes if len(have) else ():
        if np.abs(have - hole.drill_mm).min() > DRILL_TOLERANCE_MM:
            wanted.setdefault(round(hole.drill_mm, 3), []).append(hole)
    for size, some in sorted(wanted.items()):
        larger = have[have > size]
        nearest = float(larger.min() if len(larger) else have.max())
        few = ", ".join(dict.fromkeys(h.id for h in some[:5])) + (" …" if len(some) > 5 else "")
        who = "a hole wants" if len(some) == 1 else f"{len(some)} holes want"
        text = f"There is no drill of {size:g} mm, which {who}: {few}"
        yield breach(
            laid,
            "drill-size",
            text,
            size,
            nearest,
            at(some[0].x_mm, some[0].y_mm, net=some[0].net),
            "look",
            origin=f"drills of {source(laid)}",
        )


def hole_gaps(laid: Layout) -> Iterable[Finding]:
    """Hold holes against the least wall the maker leaves between two."""
    drilled = laid.holes
    limit = laid.rules.hole_to_hole_nm / 1e6
    if len(drilled) < 2:
        return
    points = spines_of(drilled)
    size = np.array([h.drill_mm for h in drilled])
    a, b = STRtree(points).query(points, predicate="dwithin", distance=size.max() + limit)
    a, b = a[a < b], b[a < b]
    gap = shapely.distance(points[a], points[b]) - (size[a] + size[b]) / 2
    for k in np.flatnonzero(gap < limit - TOLERANCE_MM):
        one, two = drilled[a[k]], drilled[b[k]]
        place = at((one.x_mm + two.x_mm) / 2, (one.y_mm + two.y_mm) / 2, net=one.net or two.net)
        text = f"Holes of {one.id} and {two.id} are too close together"
        yield breach(laid, "hole-to-hole", text, float(gap[k]), limit, place)


def hole_copper(laid: Layout) -> Iterable[Finding]:
    """Hold copper against bare holes, and against the heads of the screws that go through them."""
    of = laid.columns
    for hole in laid.bare_holes:
        x, y, spine, half = hole.x_mm, hole.y_mm, hole.spine, hole.drill_mm / 2
        keep = laid.design.holes[hole.id].keepout_nm / 1e6 if hole.id in laid.design.holes else 0.0
        limit = max(laid.rules.hole_to_copper_nm / 1e6, keep - half)
        some = of.near_box(spine.bounds, half + limit)
        gap = shapely.distance(spine, of.spines[some]) - of.radius[some] - half
        bad = np.flatnonzero(gap < limit - TOLERANCE_MM)
        for k in bad[once_a_text(of, some[bad], np.zeros_like(bad), gap[bad])]:
            item = of.items[some[k]]
            if item.id != hole.id:
                text = sentence(f"{named(item)} is too near to the hole of {hole.id}")
                yield breach(laid, "copper-to-hole", text, float(gap[k]), limit, at(x, y, item))


def hole_parts(laid: Layout) -> Iterable[Finding]:
    """Hold mounting holes and the heads of their screws against the bodies and antennas of parts, on both sides."""
    shapes = {ref: body for ref, body in laid.bodies.items() if body.area > 0}
    zones = {ref: zone for ref, zone in laid.keepouts.items() if ref in laid.design.parts}
    for hole in laid.design.holes.values():
        x, y = hole.x_nm / 1e6, hole.y_nm / 1e6
        middle, half = shapely.Point(x, y), hole.drill_nm / 2e6
        head = max(half, hole.keepout_nm / 1e6)
        for ref, body in shapes.items():
            gap = float(body.distance(middle))
            deep = half if body.covers(middle) else half - gap
            if deep > TOLERANCE_MM:
                text = f"Hole {hole.id} goes through the body of {ref}"
                yield _astray(laid, "hole-in-part", text, deep, (x, y), ref, "bodies of the packages")
            elif head - gap > TOLERANCE_MM:
                text = f"The head of the screw in {hole.id} meets the body of {ref}"
                yield _astray(laid, "screw-on-part", text, head - gap, (x, y), ref, "bodies of the packages")
        for ref, zone in zones.items():
            gap = 0.0 if zone.covers(middle) else float(zone.distance(middle))
            if head - gap > TOLERANCE_MM:
                text = f"The screw in {hole.id} lies in the zone that {ref} wants free of metal"
                yield _astray(laid, "screw-in-zone", text, head - gap, (x, y), ref, f"package of {ref}")


def _astray(
    laid: Layout, code: str, text: str, deep: float, spot: tuple[float, float], ref: str, origin: str
) -> Finding:
    found = breach(laid, code, text, deep, 0.0, at(*spot, refs=(ref,)), "look", origin=origin)
    return found


def half_hole(laid: Layout, item: CopperItem) -> Iterable[Finding]:
    """Hold a plated hole on the edge against what the maker makes; its middle lies on the edge, or it would tear."""
    least = laid.rules.edge_drill_nm / 1e6
    off = float(laid.outline.boundary.distance(shapely.Point(item.x_mm, item.y_mm)))
    place = at(item.x_mm, item.y_mm, item)
    if not least:
        text = f"Pad {item.id} is a plated hole on the edge, which this maker does not make"
        yield breach(laid, "edge-hole", text, item.drill_mm, 0.0, place)
    elif item.drill_mm < least - TOLERANCE_MM:
        yield breach(
            laid,
            "edge-hole",
            f"Plated hole {item.id} on the edge is too small",
            item.drill_mm,
            least,
            place,
        )
    if off > OFF_EDGE_MM:
        text = f"Plated hole {item.id} does not lie on the edge, so that no half of it would stay"
        yield breach(laid, "off-edge", text, off, OFF_EDGE_MM, place, origin="rule of thumb: milling")
