"""Pours held against the maker's gaps, edges and zones; how they are filled is in ``pour``."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.strtree import STRtree

from vane_step.core.board.copper.pour_fill import SAFETY_MM, PouredCopper
from vane_step.core.board.drc.dfm import spoke_findings
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach, named, who_wants
from vane_step.core.board.geometry.copper_table import gap_of
from vane_step.core.board.geometry.shapes import LAYER_BIT
from vane_step.core.board.geometry.thinness import grazes, longest, necks, strips, thinnest_mm
from vane_step.core.finding import Finding
from vane_step.core.memo import Kept

# So many thin strips of a pour are measured.
MEASURED = 4


def pour_findings(laid: Layout) -> Iterable[Finding]:
    """Hold every pour against copper of other nets, other pours, the edge and free zones, and count its spokes."""
    poured = laid.poured
    for pour in poured:
        known = _of_pour.get(id(pour))
        if known is None or known[0] is not pour:
            rules = (_clearances, _edges, _keepouts, _slivers, spoke_findings)
            known = _of_pour.put(id(pour), (pour, tuple(f for rule in rules for f in rule(laid, pour))))
        yield from known[1]
    yield from _pour_to_pour(laid)


# A pour is another object when anything on its layer changed. It is held, so that no other gets its identity.
_of_pour: Kept[tuple[PouredCopper, tuple[Finding, ...]]] = Kept()


def _clearances(laid: Layout, pour: PouredCopper) -> Iterable[Finding]:
    of = laid.columns
    gaps = of.per_net({net: gap_of(laid.design, net) for net in of.nets})
    others = np.flatnonzero(
        (of.layers & 1 << LAYER_BIT[pour.layer] > 0) & (of.net != of.nets.get(pour.net, -1))
    )
    spines, need, radius = of.spines[others], gaps[others], of.radius[others]
    for piece in pour.pieces:
        shapely.prepare(piece)
        for k in np.flatnonzero(shapely.dwithin(piece, spines, radius + need - TOLERANCE_MM)):
            gap = float(shapely.distance(piece, spines[k]) - radius[k])
            item = of.items[others[k]]
            text = f"Pour {pour.id} comes too near to {named(item)} on the {pour.layer}"
            place = at(item.x_mm, item.y_mm, item, layer=pour.layer)
            yield breach(laid, "clearance", text, gap, float(need[k]), place)


def _pour_to_pour(laid: Layout) -> Iterable[Finding]:
    poured = laid.poured
    for k, one in enumerate(poured):
        for two in poured[k + 1 :]:
            if one.layer != two.layer or one.net == two.net:
                continue
            need = max(gap_of(laid.design, net) for net in (one.net, two.net))
            a, b = np.array(one.pieces, dtype=object), np.array(two.pieces, dtype=object)
            for i, j in zip(
                *STRtree(b).query(a, predicate="dwithin", distance=need - TOLERANCE_MM), strict=True
            ):
                x, y = shapely.shortest_line(a[i], b[j]).centroid.coords[0]
                text = f"Pours {one.id} and {two.id} come too near to each other on the {one.layer}"
                gap = float(shapely.distance(a[i], b[j]))
                yield breach(laid, "clearance", text, gap, need, at(x, y, net=one.net, layer=one.layer))


def _edges(laid: Layout, pour: PouredCopper) -> Iterable[Finding]:
    board = laid.outline
    limit = laid.rules.edge_clearance_nm / 1e6
    for piece in pour.pieces:
        gap_mm = float(board.boundary.distance(piece)) if board.covers(piece) else 0.0
        if gap_mm < limit - TOLERANCE_MM:
            x, y = piece.representative_point().coords[0]
            yield breach(
                laid, "copper-to-edge", f"Pour {pour.id} is too near to the edge", gap_mm, limit, at(x, y)
            )


def _keepouts(laid: Layout, pour: PouredCopper) -> Iterable[Finding]:
    for ref, zone in laid.keepouts.items():
        for piece in pour.pieces:
            shared = piece.intersection(zone)
            if shared.area > 1e-4:
                x, y = shared.representative_point().coords[0]
                text = (
                    f"Pour {pour.id} fills {shared.area:.2f} mm² of the zone {ref}, which is free of copper"
                )
                yield breach(
                    laid,
                    "keep-out",
                    text,
                    shared.area,
                    0.0,
                    at(x, y, refs=(ref,)),
                    unit="mm²",
                    origin=who_wants(laid.design, ref),
                )


def _slivers(laid: Layout, pour: PouredCopper) -> Iterable[Finding]:
    """Find copper of a pour thinner than the maker holds, the thinnest: strips, and necks between its parts."""
    least = laid.rules.min_width_nm / 1e6
    found = [_thinnest_of(piece, least) for piece in pour.pieces]
    thin = min((f for f in found if f is not None), key=lambda f: f[0], default=None)
    if thin is not None:
        wide, x, y = thin
        text = f"Pour {pour.id} has copper thinner than the maker can hold on the {pour.layer}"
        yield breach(laid, "sliver", text, wide, least, at(x, y, net=pour.net, layer=pour.layer))
    mine = [i for i in laid.items if i.net == pour.net and pour.layer in i.layers]
    shapes = np.array([i.shape() for i in mine], dtype=object)
    for piece in pour.pieces:
        for shared in grazes(piece, shapes, least):
            x, y = shared.interpolate(0.5, normalized=True).coords[0]
            wide = longest(shared).length
            text = (
                f"Pour {pour.id} hangs together with copper of {pour.net} by too little on the {pour.layer}"
            )
            yield breach(laid, "thin-joint", text, wide, least, at(x, y, net=pour.net, layer=pour.layer))


def _thinnest_of(piece: Polygon, least: float) -> tuple[float, float, float] | None:
    """Give width and place of the thinnest copper of a piece where that is below a least width."""
    found = [(neck.width_mm, *neck.across.centroid.coords[0]) for neck in necks(piece, least)]
    parts = strips(piece, least - 2 * SAFETY_MM)
    # Of many the finest are measured, by what they have of area for their rim.
    for part in sorted(parts, key=lambda p: p.area / p.length)[:MEASURED]:
        found.append((thinnest_mm(piece, part, least), *part.representative_point().coords[0]))
    return min(found, default=None)
