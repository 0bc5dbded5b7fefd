"""Pours held against the maker's gaps, edges and zones; how they are filled is in ``pour``."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.breach import TOLERANCE_MM, at, breach, named, who_wants
from vane_step.core.board.columns import board_columns, gap_of
from vane_step.core.board.craft import spoke_findings
from vane_step.core.board.geometry import ARC_SEGMENTS, LAYER_BIT, WIDEN, keepouts, outline
from vane_step.core.board.pour import SAFETY_MM, pour_pieces
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, Remedy

# Thin copper smaller than this share of a square of the least width is the crumb of a corner.
SLIVER = 0.3


def pour_findings(design: Design) -> Iterable[Finding]:
    """Hold every pour against copper of other nets, other pours, the edge and free zones, and count its spokes."""
    if design.pours:
        yield from _pour_clearances(design)
        yield from _pour_edges(design)
        yield from _pour_keepouts(design)
        yield from _pour_slivers(design)
        yield from spoke_findings(design)


def _pour_clearances(design: Design) -> Iterable[Finding]:
    of = board_columns(design)
    gaps = of.per_net({net: gap_of(design, net) for net in of.nets})
    for pour in pour_pieces(design):
        others = np.flatnonzero((of.layers & 1 << LAYER_BIT[pour.layer] > 0) & (of.net != of.nets.get(pour.net, -1)))
        spines, need, radius = of.spines[others], gaps[others], of.radius[others]
        for piece in pour.pieces:
            shapely.prepare(piece)
            for k in np.flatnonzero(shapely.dwithin(piece, spines, radius + need - TOLERANCE_MM)):
                gap = float(shapely.distance(piece, spines[k]) - radius[k])
                item = of.items[others[k]]
                text = f"Pour {pour.id} comes too near to {named(item)} on the {pour.layer}"
                place = at(item.x_mm, item.y_mm, item, layer=pour.layer)
                yield breach(design, "clearance", text, gap, float(need[k]), place)
    yield from _pour_to_pour(design)


def _pour_to_pour(design: Design) -> Iterable[Finding]:
    poured = pour_pieces(design)
    for k, one in enumerate(poured):
        for two in poured[k + 1 :]:
            if one.layer != two.layer or one.net == two.net:
                continue
            need = max(gap_of(design, net) for net in (one.net, two.net))
            a, b = np.array(one.pieces, dtype=object), np.array(two.pieces, dtype=object)
            for i, j in zip(*STRtree(b).query(a, predicate="dwithin", distance=need - TOLERANCE_MM), strict=True):
                x, y = shapely.shortest_line(a[i], b[j]).centroid.coords[0]
                text = f"Pours {one.id} and {two.id} come too near to each other on the {one.layer}"
                gap = float(shapely.distance(a[i], b[j]))
                yield breach(design, "clearance", text, gap, need, at(x, y, net=one.net, layer=one.layer))


def _pour_edges(design: Design) -> Iterable[Finding]:
    board = outline(design)
    limit = design.board.rules.edge_clearance_nm / 1e6
    for pour in pour_pieces(design):
        for piece in pour.pieces:
            gap_mm = float(board.boundary.distance(piece)) if board.covers(piece) else 0.0
            if gap_mm < limit - TOLERANCE_MM:
                x, y = piece.representative_point().coords[0]
                yield breach(
                    design, "copper-to-edge", f"Pour {pour.id} is too near to the edge", gap_mm, limit, at(x, y)
                )


def _pour_keepouts(design: Design) -> Iterable[Finding]:
    for ref, zone in keepouts(design).items():
        for pour in pour_pieces(design):
            for piece in pour.pieces:
                shared = piece.intersection(zone)
                if shared.area > 1e-4:
                    x, y = shared.representative_point().coords[0]
                    text = f"Pour {pour.id} fills {shared.area:.2f} mm² of the zone {ref}, which is free of copper"
                    yield breach(
                        design, "keep-out", text, shared.area, 0.0, at(x, y, refs=(ref,)), unit="mm²",
                        origin=who_wants(design, ref),
                    ).model_copy(update={"sense": "at most"})  # fmt: skip


def _pour_slivers(design: Design) -> Iterable[Finding]:
    """Find copper of pours thinner than the maker holds, the thinnest of each pour.

    A pour leaves out what is thinner than its own least width, so only one that asks for less can have any: what a disc
    of the maker's least width does not reach.
    """
    least = design.board.rules.min_width_nm / 1e6
    for poured in pour_pieces(design):
        asked = design.pours[poured.id]
        if asked.min_width_nm / 1e6 >= least - TOLERANCE_MM:
            continue
        thin = [
            (_thinnest(piece, part, least), part) for piece in poured.pieces for part in _unreached(piece, piece, least)
        ]
        if thin:
            wide, part = min(thin, key=lambda t: t[0])
            x, y = part.representative_point().coords[0]
            text = f"Pour {poured.id} has copper thinner than the maker can hold on the {poured.layer}"
            ask = f"pour {poured.net} {poured.layer} width={least:g}"
            said = poured.id == f"{poured.net}-{poured.layer}"
            yield breach(
                design, "sliver", text, wide, least, at(x, y, net=poured.net, layer=poured.layer),
                remedy=Remedy(label=f"Fill {poured.net} no thinner", ask=ask) if said else None,
            )  # fmt: skip


def _unreached(copper: BaseGeometry, within: BaseGeometry, wide: float) -> list[Polygon]:
    """Give what a disc that stays in some copper does not reach of a part of it; crumbs in corners are left out."""
    half = wide / 2 - SAFETY_MM
    reached = copper.buffer(-half, quad_segs=ARC_SEGMENTS).buffer(half * WIDEN, quad_segs=ARC_SEGMENTS)
    parts: list[Polygon] = shapely.get_parts(within.difference(reached)).tolist()
    return [part for part in parts if part.geom_type == "Polygon" and part.area > SLIVER * wide**2]


def _thinnest(piece: Polygon, thin: Polygon, least: float) -> float:
    """Give the width of copper at its thinnest, by halving: the widest disc that still reaches all of a thin part."""
    x0, y0, x1, y1 = thin.bounds
    near = piece.intersection(shapely.box(x0 - 2 * least, y0 - 2 * least, x1 + 2 * least, y1 + 2 * least))
    low, high = 0.0, least
    while high - low > 1e-3:
        wide = (low + high) / 2
        low, high = (low, wide) if _unreached(near, thin, wide) else (wide, high)
    return low
