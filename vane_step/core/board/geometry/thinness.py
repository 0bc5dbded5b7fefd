"""Where copper is thinner than a width: strips that no disc reaches, and necks it hangs together by; no rule is here.

A disc of the width that stays in the copper reaches all of it but for strips. Where it reaches two places and cannot
pass from one to the other, what joins them is a *neck*: the discs on both sides may well overlap there, so that opening
by discs, by itself, leaves it (mathematical morphology: opening keeps the shape of what it keeps, and not how it hangs
together). A neck either parts the places a disc can be in into several, or lies between two rings of the copper's edge.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import LineString, MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.geometry.shapes import ARC_SEGMENTS, WIDEN

# Circles are drawn with corners: widths are told to this.
TOLERANCE_MM = 0.004
# Thin copper smaller than this share of a square of the width is the crumb of a corner.
CRUMB = 0.3
# A cut reaches this far past the edges it runs between.
PAST_MM = 0.02
MOST_ROUNDS = 12
# Rims that share no more than this touch, and overlap nowhere.
TINY_MM = 1e-6
# Rims are told apart to this.
PLAIN_MM = 0.0005


@dataclass(frozen=True)
class Neck:
    """A place where copper hangs together by less than a width: a line across it, as long as it is wide there.

    ``parts`` tells whether the copper would fall apart without it; else it lies beside a wider way.
    """

    across: LineString
    parts: bool

    @property
    def width_mm(self) -> float:
        """How wide the copper is there."""
        return float(self.across.length)


def opened(area: BaseGeometry, width_mm: float) -> tuple[BaseGeometry, BaseGeometry]:
    """Give what a disc of a width reaches of an area, and where its middle can be.

    The rim stays as it was drawn wherever a disc reaches it to within :data:`PLAIN_MM`: the area gets no corners but
    where something is cut off.
    """
    half = width_mm / 2
    core = area.buffer(-half - PLAIN_MM, quad_segs=8).simplify(PLAIN_MM, preserve_topology=False)
    wide = shapely.get_parts(area.intersection(core.buffer(half + 2 * PLAIN_MM, quad_segs=8)))
    # Where rims touch, lines and points are left over: they are no copper.
    return MultiPolygon([part for part in wide if part.geom_type == "Polygon"]), core


def strips(copper: BaseGeometry, width_mm: float, within: BaseGeometry | None = None) -> list[Polygon]:
    """Give what a disc of a width that stays in copper does not reach of it, or of a part; crumbs are left out."""
    half = width_mm / 2
    core = copper.buffer(-half, quad_segs=ARC_SEGMENTS).simplify(PLAIN_MM, preserve_topology=False)
    reached = core.buffer(half * WIDEN + PLAIN_MM, quad_segs=ARC_SEGMENTS)
    parts: list[Polygon] = shapely.get_parts(
        (copper if within is None else within).difference(reached)
    ).tolist()
    return [part for part in parts if part.geom_type == "Polygon" and part.area > CRUMB * width_mm**2]


def necks(piece: Polygon, width_mm: float, core: BaseGeometry | None = None) -> list[Neck]:
    """Find where one piece of copper hangs together by less than a width.

    Parameters
    ----------
    core : geometry, optional
        Where the middle of a disc of the width can be in it; worked out when left out.

    Returns
    -------
    list of Neck
        For each two rings of its edge that come too near the place where they come nearest, and for each two places
        a disc cannot pass between what joins them. Empty exactly when copper hangs together by no less anywhere.
    """
    least = width_mm - TOLERANCE_MM
    return [*_between_rings(piece, least), *_between_places(piece, least, core)]


def _between_rings(piece: Polygon, least: float) -> list[Neck]:
    if not piece.interiors:
        return []
    rings = np.array([piece.exterior, *piece.interiors], dtype=object)
    return [
        Neck(line, False)
        for i, j in _near_rings(rings, least)
        for line in _nearest(rings[j], rings[i], least)
    ]


def _near_rings(rings: np.ndarray, least: float) -> list[tuple[int, int]]:
    """Give the pairs of rings that come nearer than a distance, by the few segments near those of another."""
    corners, ring_of = shapely.get_coordinates(rings, return_index=True)
    whole = ring_of[1:] == ring_of[:-1]
    ends, owner = np.stack([corners[:-1], corners[1:]], axis=1)[whole], ring_of[:-1][whole]
    # A line from corner to corner has the box wanted, and is made sooner than the box.
    boxes = shapely.linestrings(
        np.stack([ends.min(axis=1) - least / 2, ends.max(axis=1) + least / 2], axis=1)
    )
    a, b = STRtree(boxes).query(boxes)
    other = owner[a] < owner[b]
    a, b = a[other], b[other]
    near = shapely.dwithin(shapely.linestrings(ends[a]), shapely.linestrings(ends[b]), least)
    return sorted(set(zip(owner[a[near]].tolist(), owner[b[near]].tolist(), strict=True)))


def _nearest(one: BaseGeometry, two: BaseGeometry, least: float) -> list[LineString]:
    """Give where two rings come nearest, once for each stretch over which they come nearer than a distance."""
    around = two.intersection(shapely.box(*one.buffer(least).bounds)) if two.length > 4 * one.length else two
    stretches = shapely.get_parts(shapely.line_merge(one.intersection(around.buffer(least, quad_segs=4))))
    return [shapely.shortest_line(stretch, around) for stretch in stretches if not stretch.is_empty]


def _between_places(piece: Polygon, least: float, core: BaseGeometry | None) -> list[Neck]:
    places = shapely.get_parts(piece.buffer(-least / 2, quad_segs=ARC_SEGMENTS) if core is None else core)
    places = places[~shapely.is_empty(places)]
    if len(places) < 2:
        return []
    reached = shapely.buffer(places, least / 2 + TOLERANCE_MM, quad_segs=ARC_SEGMENTS)
    a, b = STRtree(reached).query(reached, predicate="intersects")
    found = []
    for i, j in zip(a, b, strict=True):
        if i < j:
            shared = shapely.get_parts(reached[i].intersection(reached[j]).intersection(piece))
            found += [Neck(longest(lens), True) for lens in shared if lens.geom_type == "Polygon"]
    return found


def longest(shape: Polygon | LineString) -> LineString:
    """Give the longest way across a small shape or stretch, from corner to corner."""
    corners = np.array((shape.exterior if isinstance(shape, Polygon) else shape).coords)
    gap = np.hypot(*(corners[:, None] - corners[None, :]).transpose(2, 0, 1))
    i, j = np.unravel_index(int(np.argmax(gap)), gap.shape)
    return LineString([corners[i], corners[j]])


def grazes(copper: BaseGeometry, shapes: np.ndarray, width_mm: float) -> list[LineString]:
    """Give where copper hangs on shapes by less than a width.

    Copper and shapes hang together wherever the edge of the shapes, taken together, lies in the copper: each stretch
    of it there is a way from one to the other, as wide as the stretch reaches.

    Parameters
    ----------
    copper : geometry
        One piece, or several.
    shapes : array of Polygon
        Pads, vias and tracks of the same net.

    Returns
    -------
    list of LineString
        The stretches that reach less far than the width.
    """
    if not len(shapes):
        return []
    shapely.prepare(copper)
    near = shapes[shapely.intersects(copper, shapes)]
    # What lies in the copper altogether hangs on it all round; most tracks and vias do.
    partly = near[~shapely.contains_properly(copper, near)]
    windows = np.array([_window(copper, one, width_mm) for one in partly], dtype=object)
    edges = shapely.intersection(shapely.boundary(partly), windows)
    beside: dict[int, list[int]] = {}
    for k, other in zip(*STRtree(near).query(partly, predicate="intersects").tolist(), strict=True):
        if near[other] is not partly[k]:
            beside.setdefault(k, []).append(other)
    found: list[LineString] = []
    for k in np.flatnonzero(~shapely.is_empty(edges)).tolist():
        others = shapely.union_all(near[beside[k]]) if k in beside else None
        for stretch in _short(edges[k].difference(others) if others else edges[k], width_mm):
            # It may go on along the edge of a shape beside it.
            edge = shapely.boundary(partly[k].union(others)) if others else shapely.boundary(partly[k])
            whole = _window(edge, stretch, width_mm).intersection(_window(copper, stretch, width_mm))
            found += [s for s in _short(whole, width_mm) if s.distance(stretch) < TINY_MM]
    return list(dict.fromkeys(found))


def _short(lines: BaseGeometry, width_mm: float) -> list[LineString]:
    """Give the stretches of some lines that reach less far than a width."""
    merged = shapely.line_merge(lines) if lines.geom_type == "MultiLineString" else lines
    stretches = shapely.get_parts(merged)
    x0, y0, x1, y1 = shapely.bounds(stretches).T.reshape(4, -1)
    short = (np.maximum(x1 - x0, y1 - y0) < width_mm) & (shapely.length(stretches) > TINY_MM)
    return [s for s in stretches[short] if longest(s).length < width_mm - TOLERANCE_MM]


def without_necks(area: BaseGeometry, width_mm: float, gap_mm: float) -> BaseGeometry:
    """Open an area by a width and cut every neck, so that what is left is as wide wherever it hangs together.

    Parameters
    ----------
    gap_mm : float
        How far apart the copper is on both sides of a cut.

    Notes
    -----
    After a cut only copper near it can open otherwise than before: what lies farther from it than a disc is wide is in
    the same discs as it was.
    """
    wide, core = opened(area, width_mm)
    pieces, places = shapely.get_parts(wide), shapely.get_parts(core)
    # Each place lies in one piece, and so does any point of its rim.
    piece, place = STRtree(pieces).query(
        shapely.get_point(shapely.get_exterior_ring(places), 0), "intersects"
    )[::-1]
    mine = [MultiPolygon(places[place[piece == k]].tolist()) for k in range(len(pieces))]
    found = [neck for one, held in zip(pieces, mine, strict=True) for neck in necks(one, width_mm, held)]
    return parted_at(wide, [_cut(neck, gap_mm) for neck in found], width_mm, gap_mm)


def parted_at(area: BaseGeometry, cuts: list[BaseGeometry], width_mm: float, gap_mm: float) -> BaseGeometry:
    """Cut an area that is nowhere thinner than a width, and what the cuts leave thinner near them."""
    for _ in range(MOST_ROUNDS):
        if not cuts:
            break
        area = area.difference(shapely.union_all([*cuts, *_left_thin(area, cuts, width_mm)]))
        cuts = [_cut(neck, gap_mm) for cut in cuts for neck in _necks_near(area, cut, width_mm)]
    return area


def _left_thin(area: BaseGeometry, cuts: list[BaseGeometry], width_mm: float) -> list[BaseGeometry]:
    """Give what cuts leave of an area near them that a disc of a width no longer reaches."""
    gone = shapely.union_all(cuts)
    found: list[BaseGeometry] = []
    for cut in cuts:
        near = _window(area, cut, 3 * width_mm).difference(gone)
        left = near.intersection(cut.buffer(width_mm + PAST_MM)).difference(opened(near, width_mm)[0])
        # What is thinner than circles are drawn exactly is no copper to be cut off.
        found += [p for p in shapely.get_parts(left) if not p.buffer(-TOLERANCE_MM / 2).is_empty]
    return found


def _necks_near(area: BaseGeometry, cut: BaseGeometry, width_mm: float) -> list[Neck]:
    """Find the necks that a cut made: new ones lie only where copper opened otherwise, well off the window's rim."""
    inner = cut.buffer(2 * width_mm)
    pieces = [p for p in shapely.get_parts(_window(area, cut, 6 * width_mm)) if p.geom_type == "Polygon"]
    return [n for p in pieces for n in necks(p, width_mm) if inner.contains(n.across)]


def _window(area: BaseGeometry, cut: BaseGeometry, reach_mm: float) -> BaseGeometry:
    x0, y0, x1, y1 = cut.bounds
    frame = x0 - reach_mm, y0 - reach_mm, x1 + reach_mm, y1 + reach_mm
    try:
        clipped: BaseGeometry = shapely.clip_by_rect(area, *frame)
    except shapely.errors.GEOSException:
        # The quick way fails where corners lie on the frame.
        return area.intersection(shapely.box(*frame))
    return clipped if clipped.is_valid else clipped.buffer(0)


def _cut(neck: Neck, gap_mm: float) -> BaseGeometry:
    (x0, y0), (x1, y1) = neck.across.coords[0], neck.across.coords[-1]
    length = max(neck.width_mm, 1e-9)
    dx, dy = (x1 - x0) / length * PAST_MM, (y1 - y0) / length * PAST_MM
    return LineString([(x0 - dx, y0 - dy), (x1 + dx, y1 + dy)]).buffer(gap_mm / 2, cap_style="flat")


def thin_places(
    piece: Polygon,
    width_mm: float,
    filled: BaseGeometry,
    flashed: BaseGeometry,
    drawn_mm: float | None = None,
) -> list[tuple[bool, float, BaseGeometry]]:
    """Find where a piece of an image is thinner than a width: what it hangs together by, and its strips.

    Where two tracks or pads touch beside a wider way nothing hangs on it; in what is filled every neck counts. How wide
    a pad is is the part's.

    Parameters
    ----------
    filled, flashed
        What of the whole image was filled as regions, and what was flashed.
    drawn_mm
        The least width anything of it was drawn with: where that is enough strips are only in what was filled.

    Returns
    -------
    list of tuple
        Whether it is a neck, how wide it is, and where.
    """
    found: list[tuple[bool, float, BaseGeometry]] = [
        (True, n.width_mm, n.across.centroid)
        for n in necks(piece, width_mm - TOLERANCE_MM)
        if n.parts or n.across.intersection(filled).length > n.width_mm / 2
    ]
    if drawn_mm is not None and drawn_mm >= width_mm - TOLERANCE_MM and not piece.intersects(filled):
        return found
    for part in strips(piece, width_mm - TOLERANCE_MM):
        x0, y0, x1, y1 = part.bounds
        near = shapely.clip_by_rect(flashed, x0 - width_mm, y0 - width_mm, x1 + width_mm, y1 + width_mm)
        for left in shapely.get_parts(part.difference(near)).tolist():
            if left.geom_type == "Polygon" and left.area > CRUMB * width_mm**2:
                found.append((False, thinnest_mm(piece, left, width_mm), left.representative_point()))
    return found


def thinnest_mm(piece: Polygon, part: Polygon, most: float) -> float:
    """Give the width of copper at its thinnest, by halving: the widest disc that still reaches all of a thin part."""
    x0, y0, x1, y1 = part.bounds
    near = piece.intersection(shapely.box(x0 - 2 * most, y0 - 2 * most, x1 + 2 * most, y1 + 2 * most))
    low, high = 0.0, most
    while high - low > 1e-3:
        wide = (low + high) / 2
        low, high = (low, wide) if strips(near, wide, part) else (wide, high)
    return low
