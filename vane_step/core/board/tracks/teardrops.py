"""Tracks that widen in steps where they run into pads and vias, so that nothing tears or is drilled off there.

Each step is a short track of its own over the end of the one it widens: ordinary copper, checked and written as such.
"""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.geometry.copper_table import gap_of
from vane_step.core.board.geometry.room import room_mm
from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.design.boardedits import Names
from vane_step.core.design.edits import LayCopper
from vane_step.core.design.model import Design, PointNm, Track
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm

STEPS = 4
# A track widens to this many times its width at most, and not at all into what is hardly wider.
MOST_TIMES, LEAST_TIMES = 3.0, 1.25
ROUND_MM = 0.01
# No step with its gap reaches farther than this.
LONGEST_NM = 12_000_000
LETTER = "D"


def tapered(design: Design, nets: set[str] | None = None) -> LayCopper:
    """Lay steps over the ends of tracks, each as wide as its neighbours leave room for.

    Parameters
    ----------
    nets : set of str, optional
        Only these; all otherwise.

    Raises
    ------
    EditRefused
        When no end has room for a step that it does not have yet.
    """
    grips = [i for i in copper_items(design) if i.kind in ("pad", "via")]
    tree = STRtree(np.array([g.spine for g in grips], dtype=object))
    reach = max((g.radius_mm for g in grips), default=0.0)
    names = Names(design)
    has = {(t.net, t.layer, t.points[0]) for t in design.tracks.values() if t.step}
    laid: list[Track] = []
    for track in design.tracks.values():
        if (nets is not None and track.net not in nets) or track.step:
            continue
        for end, inner in ((track.points[0], track.points[1]), (track.points[-1], track.points[-2])):
            if (track.net, track.layer, end) in has:
                continue
            at = shapely.Point(end[0] / 1e6, end[1] / 1e6)
            here = (grips[k] for k in tree.query(at, predicate="dwithin", distance=reach))
            grip = next((g for g in here if _holds(g, track, at)), None)
            if grip is not None:
                laid += _clear(design, _steps(design, track, end, inner, grip, names), laid)
    if not laid:
        raise EditRefused(
            "No track has room to widen towards a pad.",
            where="board",
            next_step="Route first, or widen the gaps.",
        )
    return LayCopper(tracks=tuple(laid))


def _clear(design: Design, steps: list[Track], laid: list[Track]) -> list[Track]:
    """Keep the steps that stay clear of those laid just before: two ends that face each other share their room."""
    if not steps:
        return steps
    layer, net = steps[0].layer, steps[0].net
    x, y = steps[0].points[0]
    # Steps are short: what begins farther off than both are long cannot come near.
    reach = 2 * max(math.dist(*s.points) for s in (*steps, *laid[-1:])) + LONGEST_NM
    near = [
        o
        for o in laid
        if o.layer == layer
        and o.net != net
        and abs(o.points[0][0] - x) < reach
        and abs(o.points[0][1] - y) < reach
    ]
    if not near:
        return steps
    lines = [_line(o) for o in near]
    gaps = [max(gap_of(design, net), gap_of(design, o.net)) + o.width_nm / 2e6 for o in near]

    def keeps(step: Track) -> bool:
        spine, half = _line(step), step.width_nm / 2e6
        return all(spine.distance(o) >= gap + half - 1e-9 for o, gap in zip(lines, gaps, strict=True))

    return [step for step in steps if keeps(step)]


def _line(track: Track) -> shapely.LineString:
    return shapely.LineString([(x / 1e6, y / 1e6) for x, y in track.points])


def _holds(grip: CopperItem, track: Track, at: shapely.Point) -> bool:
    same = grip.net == track.net and track.layer in grip.layers
    wide = grip.width_mm >= LEAST_TIMES * track.width_nm / 1e6
    return same and wide and float(grip.spine.distance(at)) <= grip.radius_mm


def _steps(
    design: Design, track: Track, end: PointNm, inner: PointNm, grip: CopperItem, names: Names
) -> list[Track]:
    """Lay the steps at one end: the wider the shorter, from the pad's edge as far as its width exceeds the track's."""
    width = track.width_nm / 1e6
    widest = min(grip.width_mm, MOST_TIMES * width)
    a, b = np.array(end) / 1e6, np.array(inner) / 1e6
    length = math.dist(a, b)
    if length == 0:
        return []
    ray = shapely.LineString([a, b])
    inside = ray.intersection(grip.shape()).length
    wanted = []
    for k in range(1, STEPS):
        far = min(length, inside + (widest - width) * (1 - k / STEPS))
        size = math.floor((width + (widest - width) * k / STEPS) / ROUND_MM + 1e-9) * ROUND_MM
        if far > inside and size > width:
            tip = a + (b - a) * far / length
            wanted.append((size, (nm(float(tip[0])), nm(float(tip[1])))))
    if not wanted:
        return []
    lines = [shapely.LineString([a, (t[0] / 1e6, t[1] / 1e6)]) for _, t in wanted]
    room = room_mm(design, track.net, track.layer, np.array(lines, dtype=object))
    return [
        Track(
            id=names.next(LETTER),
            net=track.net,
            layer=track.layer,
            width_nm=nm(size),
            points=(end, tip),
            step=True,
        )
        for (size, tip), half in zip(wanted, room, strict=True)
        if size / 2 <= half and tip != end
    ]
