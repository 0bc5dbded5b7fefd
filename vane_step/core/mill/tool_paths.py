"""Ways of a milling tool round each net's copper, and what of it a tool cannot part; no code is written here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from shapely.geometry import LinearRing, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import copper_items, outline
from vane_step.core.design.model import Design, Side
from vane_step.core.mill.plan import MillPlan

Spot = tuple[float, float]
# The middle of the tool keeps so much more off copper than half its cut: ways are drawn with corners.
GUARD_MM: Final = 0.003
PLAIN_MM: Final = 0.002


@dataclass(frozen=True)
class Touching:
    """Two nets whose copper is nearer to each other than the tool cuts wide: it cannot part them there."""

    nets: tuple[str, str]
    gap_mm: float
    x_mm: float
    y_mm: float


@dataclass(frozen=True)
class SidePaths:
    """Ways round the copper of a side as rings, the innermost first, as the machine sees them: the milled face up.

    The origin is the lower left corner of the board, the back is turned over left to right.
    """

    side: Side
    rings: tuple[tuple[Spot, ...], ...]
    touching: tuple[Touching, ...]
    length_mm: float


def isolation(design: Design, side: Side, plan: MillPlan) -> SidePaths:
    """Lead the tool round all copper of a side so that each net stands alone and none is cut.

    The ways are the rims of all copper grown by half the cut (Minkowski sum with the tool), further passes those of
    copper grown by more. Where grown copper of two nets runs together the tool does not fit between them, and they are
    told; all else is parted by construction.
    """
    by_net = copper_by_net(design, side)
    whole = shapely.disjoint_subset_union_all(list(by_net.values())) if by_net else Polygon()
    reach = plan.cut_mm / 2 + GUARD_MM
    rings: list[tuple[Spot, ...]] = []
    for k in range(plan.passes):
        more = whole.buffer(reach + k * plan.cut_mm * (1 - plan.overlap), quad_segs=16)
        rings += _rims(more)
    seen = [_seen(design, side, ring) for ring in rings]
    ordered = in_order(seen)
    length = sum(LinearRing(r).length for r in ordered)
    return SidePaths(side, tuple(ordered), tuple(_touching(by_net, 2 * reach)), float(length))


def copper_by_net(design: Design, side: Side) -> dict[str, BaseGeometry]:
    """Give the copper of a side by net; pads and texts of no net each stand for themselves."""
    shapes: dict[str, list[BaseGeometry]] = {}
    for item in copper_items(design):
        if side in item.layers:
            shapes.setdefault(item.net or f"no net {item.id}", []).append(item.shape())
    for pour in pour_pieces(design):
        if pour.layer == side:
            shapes.setdefault(pour.net, []).extend(pour.pieces)
    return {net: shapely.disjoint_subset_union_all(some) for net, some in shapes.items()}


def _rims(shape: BaseGeometry) -> list[tuple[Spot, ...]]:
    found = []
    for part in shapely.get_parts(shape.simplify(PLAIN_MM)).tolist():
        for ring in (part.exterior, *part.interiors):
            found.append(tuple((float(x), float(y)) for x, y in ring.coords[:-1]))
    return found


def _touching(by_net: dict[str, BaseGeometry], apart_mm: float) -> list[Touching]:
    """Tell pairs of nets nearer to each other than the tool and its guard, each pair once, at its narrowest."""
    parts = [(net, part) for net, shape in by_net.items() for part in shapely.get_parts(shape).tolist()]
    if not parts:
        return []
    shapes = np.array([part for _, part in parts], dtype=object)
    found: dict[tuple[str, str], Touching] = {}
    for a, b in zip(*STRtree(shapes).query(shapes, predicate="dwithin", distance=apart_mm), strict=True):
        one, two = parts[a][0], parts[b][0]
        gap = float(shapes[a].distance(shapes[b])) if one < two else apart_mm
        if one < two and gap < apart_mm and ((one, two) not in found or gap < found[one, two].gap_mm):
            at = shapely.shortest_line(shapes[a], shapes[b]).centroid
            found[one, two] = Touching((one, two), gap, float(at.x), float(at.y))
    return sorted(found.values(), key=lambda t: t.gap_mm)


def _seen(design: Design, side: Side, ring: tuple[Spot, ...]) -> tuple[Spot, ...]:
    """Give a ring as the machine sees it: from the corner of the board, the back turned over."""
    x0, y0, x1, _ = outline(design).bounds
    return tuple(((x1 - x) if side == "back" else (x - x0), y - y0) for x, y in ring)


def board_edge(
    design: Design, side: Side, plan: MillPlan
) -> tuple[list[tuple[Spot, ...]], list[tuple[float, float, float]]]:
    """Lead the end mill round the board and its cut-outs, outside the one and inside the others.

    Returns
    -------
    list of rings and list of places
        The ways, cut-outs first, and of cut-outs the end mill does not fit into the middle and how wide they are.
    """
    board, r = outline(design), plan.cutter_mm / 2 + GUARD_MM
    rings: list[tuple[Spot, ...]] = []
    tight: list[tuple[float, float, float]] = []
    for hole in board.interiors:
        inner = Polygon(hole).buffer(-r)
        if inner.is_empty:
            widest = shapely.maximum_inscribed_circle(Polygon(hole))
            x, y = widest.coords[0]
            tight.append((float(x), float(y), 2 * float(widest.length)))
        rings += _rims(inner) if not inner.is_empty else []
    rings += _rims(Polygon(board.exterior).buffer(r, quad_segs=16))
    return [_seen(design, side, ring) for ring in rings], tight


def in_order(rings: Sequence[tuple[Spot, ...]]) -> list[tuple[Spot, ...]]:
    """Put rings so that the tool always goes on to the nearest one, each begun where the tool comes to it."""
    left = [np.array(r) for r in rings if len(r) > 2]
    at, found = np.zeros(2), []
    starts = np.array([r.mean(axis=0) for r in left]) if left else np.zeros((0, 2))
    open_ = np.ones(len(left), dtype=bool)
    for _ in range(len(left)):
        # The nearest by their middles first, then by their corners: near enough, and soon told.
        far = np.where(open_, np.hypot(*(starts - at).T), np.inf)
        near = np.argsort(far)[:8]
        best = min(
            (k for k in near.tolist() if open_[k]), key=lambda k: float(np.hypot(*(left[k] - at).T).min())
        )
        ring = left[best]
        first = int(np.argmin(np.hypot(*(ring - at).T)))
        turned = np.roll(ring, -first, axis=0)
        found.append(tuple((float(x), float(y)) for x, y in turned))
        at = turned[0]
        open_[best] = False
    return found
