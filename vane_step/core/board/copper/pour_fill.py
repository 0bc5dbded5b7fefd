"""Pours: copper filled up to clearances, with thermal spokes and without islands; rules about them are elsewhere."""

from __future__ import annotations

import math
from dataclasses import dataclass
from operator import is_not

import numpy as np
import shapely
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.geometry.copper_table import gap_of
from vane_step.core.board.geometry.shapes import CopperItem, Hole, bare_holes, copper_items, keepouts, outline
from vane_step.core.board.geometry.thinness import MOST_ROUNDS, grazes, parted_at, without_necks
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Pour, RuleSet
from vane_step.core.memo import Kept

SAFETY_MM = 1e-4
# Chords of a quarter of the gaps round other copper, drawn outside the true circle: 0.5 % of the reach wider at most.
ARC_SEGMENTS = 8
WIDEN = 1 / math.cos(math.pi / (4 * ARC_SEGMENTS))

# Lines of a hatch are so much wider than the least, that no rounding makes them thinner.
HAIR_MM = 0.005


@dataclass(frozen=True)
class PouredCopper:
    """A pour as filled: its pieces in millimetres, each joined to at least one pad, via or track of its net."""

    id: str
    net: str
    layer: str
    pieces: tuple[Polygon, ...]

    @property
    def area_mm2(self) -> float:
        """Area of all pieces."""
        return float(sum(p.area for p in self.pieces))


@derived(*COPPER)
def pour_pieces(design: Design) -> tuple[PouredCopper, ...]:
    """Fill every pour of a design, those of higher priority first; equal ones in their order.

    Guarantees
    ----------
    No piece comes nearer to other copper or to a pour of another net than the greater of both clearances, nor to the
    edge than the maker allows; nothing is narrower than the pour's least width or the maker's, nor hangs together by
    less: such necks are cut; pieces that reach no copper of the net are dropped.
    """
    filled: dict[str, PouredCopper] = {}
    for pour in sorted(design.pours.values(), key=lambda p: -p.priority):
        before = [f for f in filled.values() if f.layer == pour.layer and f.net != pour.net]
        filled[pour.id] = _poured(design, pour, before)
    return tuple(filled[key] for key in design.pours)


@dataclass(frozen=True, slots=True, eq=False)
class _Near:
    """All that a pour is filled round: what it joins, what it keeps away from and how far, and pours before it."""

    mine: list[CopperItem]
    others: list[CopperItem]
    reach: list[float]
    bare: list[tuple[Hole, float]]
    zones: list[BaseGeometry]
    before: list[PouredCopper]
    gaps: list[float]

    def same(self, other: _Near) -> bool:
        """Tell whether the same objects lie there; what did not change is the same object, see ``copper_items``."""
        numbers = self.reach == other.reach and self.bare == other.bare and self.gaps == other.gaps
        return (
            numbers
            and self.zones == other.zones
            and all(
                len(a) == len(b) and not any(map(is_not, a, b))
                for a, b in (
                    (self.mine, other.mine),
                    (self.others, other.others),
                    (self.before, other.before),
                )
            )
        )


# Of each pour the last filling; what it was filled round is held, so that no other gets its identity.
_of_pour: Kept[tuple[_Near, PouredCopper]] = Kept()


def _poured(design: Design, pour: Pour, before: list[PouredCopper]) -> PouredCopper:
    """Fill a pour, or give it as it was where nothing on its layer changed."""
    near = _near(design, pour, before)
    key = pour.mark(), design.digest("board")
    past = _of_pour.get(key)
    if past is None or not past[0].same(near):
        past = _of_pour.put(key, (near, _fill(design, pour, near)))
    return past[1]


def _near(design: Design, pour: Pour, before: list[PouredCopper]) -> _Near:
    gap_mm = pour.clearance_nm / 1e6
    on_layer = [i for i in copper_items(design) if pour.layer in i.layers]
    others = [i for i in on_layer if i.net != pour.net]
    gap_to = {net: max(gap_mm, gap_of(design, net)) for net in {i.net for i in others}}
    wall = max(gap_mm, design.board.rules.hole_to_copper_nm / 1e6)
    return _Near(
        mine=[i for i in on_layer if i.net == pour.net],
        others=others,
        reach=[i.radius_mm + gap_to[i.net] for i in others],
        bare=[(h, h.drill_mm / 2 + wall) for h in bare_holes(design)],
        zones=list(keepouts(design).values()),
        before=before,
        gaps=[max(gap_mm, gap_of(design, other.net)) for other in before],
    )


def _fill(design: Design, pour: Pour, near: _Near) -> PouredCopper:
    rules = design.board.rules
    area: BaseGeometry = outline(design).buffer(
        -(rules.edge_clearance_nm / 1e6 + SAFETY_MM), join_style="mitre"
    )
    if pour.area:
        area = area.intersection(Polygon([(x / 1e6, y / 1e6) for x, y in pour.area]))
    if area.is_empty:
        return PouredCopper(pour.id, pour.net, pour.layer, ())
    spines = [i.spine for i in near.others] + [hole.spine for hole, _ in near.bare]
    others = _others(area, spines, near.reach + [reach for _, reach in near.bare])
    others += [zone.buffer(SAFETY_MM) for zone in near.zones]
    others += [Polygon([(x / 1e6, y / 1e6) for x, y in cut]) for cut in pour.cuts]
    for other, gap in zip(near.before, near.gaps, strict=True):
        window = shapely.buffer(shapely.box(*area.bounds), 2 * (gap + SAFETY_MM), join_style="mitre")
        others += [_grown(p.intersection(window), gap) for p in other.pieces if p.intersects(window)]
    area = area.difference(shapely.disjoint_subset_union_all(others)) if others else area
    area = area.difference(_relief(near.mine, pour))
    least = max(pour.min_width_nm, rules.min_width_nm) / 1e6
    area = without_necks(area, least, rules.min_clearance_nm / 1e6)
    area = _without_grazes(area, near.mine, least, rules)
    if pour.hatch_nm:
        own = np.array([i.shape() for i in near.mine], dtype=object)
        x0, y0, *_ = outline(design).bounds
        area = _hatched(area, least + HAIR_MM, pour.hatch_nm / 1e6, (x0, y0), own)
    return PouredCopper(pour.id, pour.net, pour.layer, tuple(_joined(area, near.mine)))


def _without_grazes(area: BaseGeometry, mine: list[CopperItem], least: float, rules: RuleSet) -> BaseGeometry:
    """Part a pour from copper of its net that it hangs together with by too little, as far as two nets would be."""
    shapes = np.array([i.shape() for i in mine], dtype=object)
    gap = rules.min_clearance_nm / 1e6
    for _ in range(MOST_ROUNDS):
        slight = grazes(area, shapes, rules.min_width_nm / 1e6)
        if not slight:
            break
        area = parted_at(area, [part.buffer(gap, join_style="mitre") for part in slight], least, gap)
    return area


def _others(area: BaseGeometry, spines: list[BaseGeometry], reach: list[float]) -> list[BaseGeometry]:
    """Grow what a pour keeps away from, each by its own reach; what cannot reach the pour's area is left out."""
    if not spines:
        return []
    chosen, grown = np.array(spines, dtype=object), (np.array(reach) + SAFETY_MM) * WIDEN
    x0, y0, x1, y1 = area.bounds
    low_x, low_y, high_x, high_y = shapely.bounds(chosen).T
    far = (low_x - grown > x1) | (high_x + grown < x0) | (low_y - grown > y1) | (high_y + grown < y0)
    return list(shapely.buffer(chosen[~far], grown[~far], quad_segs=ARC_SEGMENTS))


def _grown(spine: BaseGeometry, distance: float) -> BaseGeometry:
    return spine.buffer((distance + SAFETY_MM) * WIDEN, quad_segs=ARC_SEGMENTS)


def _hatched(
    area: BaseGeometry, line_mm: float, pitch_mm: float, corner: tuple[float, float], own: np.ndarray
) -> BaseGeometry:
    """Open windows in a pour, leaving lines of a width along its border and on a grid of a pitch.

    The grid begins at the corner of the board, and so moves with it. No window is opened within a line's width of
    copper of the pour's own net: a via in a window would join nothing, beside one it would hang by a hair. Windows cut
    off by the border stay only where a line's width is left round them, so no copper gets thinner; of two that the
    border parts and that lie nearer than a line the smaller one is not opened.
    """
    inner = area.buffer(-line_mm, quad_segs=8)
    if inner.is_empty or pitch_mm <= line_mm:
        return area
    x0, y0, x1, y1 = inner.bounds
    x, y = corner
    columns = np.arange(math.floor((x0 - x) / pitch_mm), (x1 - x) / pitch_mm)
    rows = np.arange(math.floor((y0 - y) / pitch_mm), (y1 - y) / pitch_mm)
    xs, ys = (v.ravel() * pitch_mm + line_mm / 2 for v in np.meshgrid(columns, rows))
    cells = shapely.box(x + xs, y + ys, x + xs + pitch_mm - line_mm, y + ys + pitch_mm - line_mm)
    closed = np.unique(STRtree(cells).query(own, predicate="dwithin", distance=line_mm)[1])
    cells = np.delete(cells, closed)
    shapely.prepare(inner)
    windows = cells[shapely.intersects(inner, cells)]
    within = shapely.contains(inner, windows)
    cut = shapely.get_parts(MultiPolygon(windows[~within].tolist()).intersection(inner))
    cut = shapely.buffer(cut, -line_mm / 4, join_style="mitre")
    cut = shapely.get_parts(shapely.buffer(cut[~shapely.is_empty(cut)], line_mm / 4, quad_segs=4))
    cut = cut[np.argsort(-shapely.area(cut), kind="stable")]
    near = np.array(STRtree(cut).query(cut, predicate="dwithin", distance=line_mm - SAFETY_MM))
    cut = np.delete(cut, np.unique(near.max(axis=0)[near[0] != near[1]]))
    # All windows lie apart, so they need no union.
    return area.difference(MultiPolygon([*windows[within], *cut]))


def _relief(mine: list[CopperItem], pour: Pour) -> BaseGeometry:
    """Give the gaps round the net's own pads, less four spokes each, so that they can be soldered.

    Tracks that run through a gap are left: the pour takes their shape away only round pads.
    """
    pads = [i for i in mine if i.kind in ("pad", "jumper")]
    if not pads:
        return Polygon()
    gap = pour.clearance_nm / 1e6
    spoke = pour.spoke_nm / 1e6
    spines, radius = np.array([i.spine for i in pads], dtype=object), np.array([i.radius_mm for i in pads])
    x, y = np.array([(i.x_mm, i.y_mm) for i in pads]).T
    low_x, low_y, high_x, high_y = shapely.bounds(spines).T
    reach = np.hypot(high_x - low_x, high_y - low_y) / 2 + radius + gap + 0.1
    across = shapely.box(x - reach, y - spoke / 2, x + reach, y + spoke / 2)
    along = shapely.box(x - spoke / 2, y - reach, x + spoke / 2, y + reach)
    rings = shapely.buffer(spines, (radius + gap + SAFETY_MM) * WIDEN, quad_segs=ARC_SEGMENTS)
    return shapely.union_all(shapely.difference(shapely.difference(rings, across), along))


def _joined(area: BaseGeometry, mine: list[CopperItem]) -> list[Polygon]:
    """Keep the pieces that touch copper of the net, largest first."""
    # Cutting may leave lines and points beside the areas.
    pieces = [p for p in shapely.get_parts(area).tolist() if isinstance(p, Polygon) and not p.is_empty]
    if not mine or not pieces:
        return []
    spines = np.array([i.spine for i in mine], dtype=object)
    radius = np.array([i.radius_mm for i in mine])
    kept = []
    for piece in pieces:
        shapely.prepare(piece)
        if shapely.dwithin(piece, spines, radius + 1e-6).any():
            kept.append(piece)
    return sorted(kept, key=lambda p: (-p.area, p.bounds))
