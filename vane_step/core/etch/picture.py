"""What stands in ink on a side of one board: copper widened for the bath, pads as large as neighbours let them be.

Where the picture goes on paper is in ``frames`` and ``sheets``. Nothing here changes the design: what is added is
added on the sheet alone, and held against the design in ``etch_rules``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.copper_table import board_columns, gap_of
from vane_step.core.board.geometry.shapes import (
    ARC_SEGMENTS,
    LAYER_BIT,
    WIDEN,
    CopperItem,
    Hole,
    bare_holes,
    copper_items,
    holes,
    outline,
)
from vane_step.core.board.geometry.strokefont import text_lines, text_width
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Side
from vane_step.core.etch.bores import bored, row_of
from vane_step.core.etch.islands import islands
from vane_step.core.etch.methods import BY_HAND, EtchMethod, method_of

CENTRE_MARK_MM: Final = 0.4
# In a ring for a smaller hole no line would be as wide as can be etched.
LEAST_MARKED_MM: Final = 1.0
# Pads grow by at most this; in so many turns, so that two that face each other share their room.
MOST_GROWN_MM, TURNS = 0.8, 3
# Pieces a quarter of a circle is drawn with where room is measured.
FINE: Final = 8
# A track widens towards its pad from so far off.
TEARDROP_MM: Final = 1.2
# What is narrower than this is not left standing where a pad grew round a corner.
SLIVER_MM: Final = 0.2
WORD_HEIGHTS_MM: Final = (3.0, 2.4, 1.8, 1.4)
EDGE_MM: Final = 0.1
PITCH_MM: Final = 2.54


@dataclass(frozen=True)
class Ink:
    """How the copper of a side is drawn.

    Parameters
    ----------
    method
        Name of the method.
    factor
        How many times deeper than sideways the bath eats (etch factor); 0 draws copper as wide as it is to be.
    pads
        ``large`` lets pads grow and tracks widen towards them where there is room.
    words
        Whether the side's name stands in copper, as the proof of which way round it is.
    isolation_mm
        How wide it is etched bare round every net, while copper farther off stays; 0 to take all away no net needs.
    """

    method: str = "toner"
    factor: float = 2.0
    pads: str = "as they are"
    words: bool = True
    isolation_mm: float = 0.0


@dataclass(frozen=True)
class Picture:
    """A side's ink in the design view, in millimetres; the word in it, or None where it has no room on the board.

    ``copper`` is the ink without the holes for the drill and without the rings that mark bare holes.
    """

    side: Side
    ink: BaseGeometry
    copper: BaseGeometry
    word_at: tuple[float, float] | None


def undercut_mm(design: Design, ink: Ink) -> float:
    """Give how much the bath takes from each edge: thickness of the copper by the etch factor (domain: 2 is usual)."""
    return design.board.rules.copper_um / 1e3 / ink.factor if ink.factor and _etched(ink) else 0.0


def _etched(ink: Ink) -> bool:
    return ink.method != "mill" and ink.method not in BY_HAND


@derived(*COPPER, "sources")
def picture(design: Design, side: Side, ink: Ink) -> Picture:
    """Draw a side's copper as it has to stand on the sheet, with a small hole at each drill centre.

    After the bath has taken its part from each edge, what stands is the design's copper, with larger pads where
    those were asked for, and the word.
    """
    method = method_of(ink.method)
    grown = large_pads(design, side, method.name) if ink.pads == "large" else {}
    whole = _widened(design, side, undercut_mm(design, ink), method.name if grown else "")
    word_at = None
    if ink.words and (spot := _room_for_word(design, side, whole, method)) is not None:
        x, y, height = spot
        word = _word(side, x, y, height, max(method.track_mm[0], 0.16 * height))
        whole, word_at = whole.union(word), (x, y)
    if ink.isolation_mm:
        stays = islands(design, side, ink.isolation_mm, method.track_mm[0], whole)
        whole = whole.union(stays.buffer(undercut_mm(design, ink), quad_segs=4))
    copper = whole
    marks = [Point(h.x_mm, h.y_mm).buffer(min(CENTRE_MARK_MM, h.drill_mm / 2) / 2) for h in bored(design)]
    whole = whole.difference(shapely.disjoint_subset_union_all(marks)) if marks else whole
    rings = [centre_ring(b) for h in bare_holes(design) if h.drill_mm >= LEAST_MARKED_MM for b in row_of(h)]
    inked = whole.union(shapely.disjoint_subset_union_all(rings)) if rings else whole
    return Picture(side, inked, copper, word_at)


@derived(*COPPER)
def _widened(design: Design, side: Side, wide_mm: float, large: str) -> BaseGeometry:
    """Give a side's copper, with the large pads of a method if one is named, grown by what the bath takes."""
    if wide_mm:
        # Of so small a radius four chords a quarter are within 2 % of it: a third of a micrometre.
        return _widened(design, side, 0.0, large).buffer(wide_mm, quad_segs=4)
    if large:
        return shapely.disjoint_subset_union_all(
            [_widened(design, side, 0.0, ""), *large_pads(design, side, large).values()]
        )
    return side_copper(design, side)


@derived(*COPPER)
def side_copper(design: Design, side: Side) -> BaseGeometry:
    """Give a side's copper in the design view, in millimetres: pads, tracks, letters, pours."""
    poured = [piece for pour in pour_pieces(design) if pour.layer == side for piece in pour.pieces]
    return shapely.disjoint_subset_union_all([*_shapes(design, side)[1], *poured])


@derived(*COPPER)
def _shapes(design: Design, side: Side) -> tuple[list[CopperItem], np.ndarray]:
    """Give the pieces of copper of a side and their outlines, circles drawn as they are or a little larger."""
    of = board_columns(design)
    mine = np.flatnonzero(of.layers >> LAYER_BIT[side] & 1)
    return [of.items[k] for k in mine], shapely.buffer(
        of.spines[mine], of.radius[mine] * WIDEN, quad_segs=ARC_SEGMENTS
    )


def centre_ring(hole: Hole) -> BaseGeometry:
    """Draw a ring to set the drill in, where no copper marks a hole: small enough to be drilled away."""
    middle, outer = Point(hole.x_mm, hole.y_mm), min(2 * CENTRE_MARK_MM, 0.4 * hole.drill_mm)
    return middle.buffer(outer).difference(middle.buffer(outer / 2))


@derived(*COPPER)
def large_pads(design: Design, side: Side, name: str) -> dict[tuple[str, float, float], BaseGeometry]:
    """Let each pad with a hole grow, with the ends of its tracks, as far as the gap to all else is kept.

    Returns
    -------
    dict of (str, float, float) to geometry
        What became larger, by the name of the pad, via or jumper hole and its place: a pin may have several pads.
    """
    method = method_of(name)
    items, shapes = _shapes(design, side)
    poured = [(p.net, piece) for p in pour_pieces(design) if p.layer == side for piece in p.pieces]
    fixed = np.array([*shapes, *(piece for _, piece in poured)], dtype=object)
    names = [*(i.net or i.id for i in items), *(net for net, _ in poured)]
    tree = STRtree(fixed)
    inside = outline(design).buffer(-design.board.rules.edge_clearance_nm / 1e6)
    bare = [h.shape() for h in bare_holes(design)]
    least = design.board.rules.hole_to_copper_nm / 1e6
    gaps = {n: max(gap_of(design, n if n in design.nets else None), method.gap_mm[0]) for n in set(names)}
    pads = [k for k, i in enumerate(items) if i.drill_mm]
    wanted = {k: _with_drops(items, shapes, tree, k) for k in pads}
    most = max(gaps.values(), default=0.0)
    room: dict[int, BaseGeometry] = {}
    for k in pads:
        whole = shapes[k].buffer(MOST_GROWN_MM).union(wanted[k])
        window = whole.buffer(most).bounds
        close = [
            shapely.clip_by_rect(fixed[j], *window).buffer(_gap(gaps, names, k, j), quad_segs=FINE)
            for j in tree.query(shapely.box(*window))
            if names[j] != names[k]
        ]
        close += [hole.buffer(least) for hole in bare if hole.distance(whole) < least]
        room[k] = whole.intersection(inside).difference(shapely.union_all(close))
    now: dict[int, BaseGeometry] = {k: shapes[k] for k in pads}
    # Who might meet whom: the most that each could take, with the gap.
    areas = STRtree(np.array([room[k].union(shapes[k]) for k in pads], dtype=object)) if pads else None
    rivals = {
        k: [pads[j] for j in areas.query(room[k].buffer(most)) if names[pads[j]] != names[k]]
        for k in pads
        if areas is not None
    }
    for turn in range(1, TURNS + 1):
        for k in pads:
            area = shapes[k].buffer(MOST_GROWN_MM * turn / TURNS)
            left = room[k].intersection(area.union(wanted[k]) if turn == TURNS else area)
            others = [now[j].buffer(_gap(gaps, names, k, j), quad_segs=FINE) for j in rivals[k]]
            left = left.difference(shapely.union_all(others)) if others else left
            left = left.buffer(-SLIVER_MM / 2).buffer(SLIVER_MM / 2)
            held = [p for p in shapely.get_parts(left) if p.intersects(shapes[k])]
            now[k] = shapely.union_all([shapes[k], *held])
    return {_key(items[k]): now[k] for k in pads if now[k].area > shapes[k].area + 1e-6}


def _key(item: CopperItem) -> tuple[str, float, float]:
    return item.id, item.x_mm, item.y_mm


def rings_mm(design: Design, side: Side, ink: Ink) -> dict[str, float]:
    """Give the narrowest copper round each hole of a side as the sheet draws it, by the name of its pad or via."""
    grown = large_pads(design, side, ink.method) if ink.pads == "large" else {}
    found: dict[str, float] = {}
    for item in copper_items(design):
        if item.drill_mm and side in item.layers:
            rim = grown.get(_key(item), item.shape()).boundary
            (x, y), (dx, dy) = (item.x_mm, item.y_mm), item.slot_mm
            ring = (
                min(float(rim.distance(Point(x + s * dx, y + s * dy))) for s in (-1, 1)) - item.drill_mm / 2
            )
            found[item.id] = min(ring, found.get(item.id, ring))
    return found


def _gap(gaps: dict[str, float], names: list[str], k: int, j: int) -> float:
    # A chord of an arc of 8 pieces a quarter lies 0.5 % inside of it.
    return max(gaps[names[k]], gaps[names[j]]) * 1.005


def _with_drops(items: list[CopperItem], shapes: np.ndarray, tree: STRtree, k: int) -> BaseGeometry:
    """Give a pad with a drop towards each track of its net that ends in it."""
    pad, area = items[k], shapes[k]
    drops = [area]
    for j in tree.query(area):
        # What the tree holds behind the items are pours.
        if j >= len(items) or items[j].kind != "track" or items[j].net != pad.net:
            continue
        item = items[j]
        for end, inner in (item.spine.coords[:2], item.spine.coords[:-3:-1]):
            if item.width_mm < pad.width_mm and end != inner and area.covers(Point(end)):
                way = LineString([end, inner])
                far = way.interpolate(min(way.length, pad.radius_mm + TEARDROP_MM))
                drops.append(area.union(far.buffer(item.width_mm / 2)).convex_hull)
    return shapely.union_all(drops)


def _room_for_word(
    design: Design, side: Side, copper: BaseGeometry, method: EtchMethod
) -> tuple[float, float, float] | None:
    """Find where the side's name fits on the board with the method's gap round it: the largest, nearest a corner."""
    gap = max(method.gap_mm[0], design.board.rules.default_clearance_nm / 1e6)
    edge = design.board.rules.edge_clearance_nm / 1e6
    drilled = [h.shape(gap, FINE) for h in holes(design)]
    free = outline(design).buffer(-edge).difference(copper.buffer(gap, quad_segs=FINE))
    shapely.prepare(free)
    # Most holes lie in copper and are out of the way with it.
    free = free.difference(shapely.disjoint_subset_union_all([d for d in drilled if free.intersects(d)]))
    if free.is_empty:
        return None
    x0, y0, x1, y1 = free.bounds
    for height in WORD_HEIGHTS_MM:
        thick = max(method.track_mm[0], 0.16 * height)
        wide, tall = text_width(side.upper(), height) + thick, height + thick
        middles = free.buffer(-tall / 2, quad_segs=2)
        across, up = np.meshgrid(
            np.arange(x0 + wide / 2, x1 - wide / 2, 0.5), np.arange(y0 + tall / 2, y1, 0.5)
        )
        held = shapely.contains_xy(middles, across.ravel(), up.ravel())
        x, y = across.ravel()[held], up.ravel()[held]
        boxes = shapely.box(x - wide / 2, y - tall / 2, x + wide / 2, y + tall / 2)
        shapely.prepare(free)
        for first in range(0, len(boxes), 64):
            fits = np.flatnonzero(shapely.contains(free, boxes[first : first + 64]))
            if len(fits):
                k = first + int(fits[0])
                return float(x[k]), float(y[k]), height
    return None


def _word(side: Side, x: float, y: float, height: float, thick: float) -> BaseGeometry:
    lines = text_lines(side.upper(), x, y, height, mirrored=side == "back")
    return shapely.union_all([LineString(line).buffer(thick / 2) for line in lines])


def word_beside(side: Side, x: float, y: float) -> BaseGeometry:
    """Draw the side's name beside the board, where there was no room on it."""
    return _word(side, x, y, 3.0, 0.5)


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "holes", "texts")
def off_grid(design: Design) -> tuple[tuple[float, float], ...]:
    """Give the holes that no hole of perforated board (pitch 2.54 mm) lies over, however the board is shifted on it.

    The shift is that under which most holes lie on the grid.
    """
    spots = sorted({(h.x_mm, h.y_mm) for h in bored(design)})
    if not spots:
        return ()
    at = grid_shift(design)
    return tuple(
        (x, y)
        for x, y in spots
        if max(abs((v - s + PITCH_MM / 2) % PITCH_MM - PITCH_MM / 2) for v, s in ((x, at[0]), (y, at[1])))
        > 0.1
    )


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "holes", "texts")
def grid_shift(design: Design) -> tuple[float, float]:
    """Give where a grid of 2.54 mm lies so that most holes are on it, in millimetres."""
    spots = sorted({(h.x_mm, h.y_mm) for h in bored(design)})
    if not spots:
        return 0.0, 0.0
    at = np.array(spots) % PITCH_MM
    # Each hole's own shift is tried: the best has a hole exactly on the grid.
    off = np.abs((at[:, None, :] - at[None, :, :] + PITCH_MM / 2) % PITCH_MM - PITCH_MM / 2)
    best = int((off.max(axis=2) <= 0.1).sum(axis=0).argmax())
    return float(at[best][0]), float(at[best][1])


def rims(shape: BaseGeometry, wide_mm: float = 0.2) -> BaseGeometry:
    """Draw the rims of a picture, to be gone over by hand; they lie within it."""
    return shape.difference(shape.buffer(-wide_mm))


def edge_line(design: Design) -> BaseGeometry:
    """Draw the board's edge, to cut along."""
    return outline(design).boundary.buffer(EDGE_MM)
