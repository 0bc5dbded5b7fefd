"""Vias that stitch the pours of a net together, on a lattice and along the edges; filling pours is in ``pour``."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.copper.pour_fill import PouredCopper, pour_pieces
from vane_step.core.board.geometry.shapes import bare_holes, copper_items, holes, keepouts, outline
from vane_step.core.design.boardedits import Names
from vane_step.core.design.edits import LayCopper, net_of
from vane_step.core.design.model import Design, Via
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm

SAFETY_MM = 1e-3
# Vias nearer to each other than this share of the spacing add nothing.
CROWDED = 0.6


def stitch(design: Design, net: str, spacing_mm: float) -> LayCopper:
    """Propose vias that join the pours of a net on different layers.

    Along the edges and cut-outs at the spacing, then on a square lattice of it. Each reaches pours of the net
    on two layers or more, and keeps every gap of the maker and of other nets, also on layers without such a
    pour; none lies in a pad without a hole.

    Raises
    ------
    EditRefused
        When the net is poured on fewer than two layers, or no via fits.
    """
    net_of(design, net)
    pours = [p for p in pour_pieces(design) if p.net == net]
    if len({p.layer for p in pours}) < 2:
        raise EditRefused(
            f"{net} is poured on fewer than two layers: there is nothing to stitch.",
            where=net,
            next_step=f"Type: pour {net} {design.board.layers[0]}",
        )
    rules = design.board.rules
    spots = _candidates(design, spacing_mm)
    points = shapely.points(spots)
    half = rules.via_pad_nm / 2e6
    fits = clear_for_vias(design, net, points, half) & (_layers_over(pours, points, half) >= 2)
    taken: list[np.ndarray] = []
    reach = max(CROWDED * spacing_mm, (rules.via_drill_nm + rules.hole_to_hole_nm) / 1e6)
    for at in spots[fits]:
        if not taken or np.hypot(*(np.array(taken) - at).T).min() >= reach:
            taken.append(at)
    if not taken:
        raise EditRefused(
            f"No via for {net} fits anywhere.",
            where=net,
            value=f"{spacing_mm:g} mm apart",
            next_step="Choose a smaller spacing.",
        )
    names = Names(design)
    size = {"pad_nm": rules.via_pad_nm, "drill_nm": rules.via_drill_nm}
    return LayCopper(
        vias=tuple(
            Via(id=names.next("S"), net=net, x_nm=nm(float(x)), y_nm=nm(float(y)), **size) for x, y in taken
        )
    )


def _candidates(design: Design, spacing: float) -> np.ndarray:
    """List the places to try: along the rims first, then a lattice."""
    rules = design.board.rules
    inset = (rules.edge_clearance_nm + rules.via_pad_nm / 2) / 1e6 + 0.25
    inner = outline(design).buffer(-inset, join_style="mitre")
    rims = []
    for ring in shapely.get_parts(inner.boundary):
        count = max(3, math.floor(ring.length / spacing))
        rims += [ring.interpolate(k / count, normalized=True).coords[0] for k in range(count)]
    x0, y0, x1, y1 = inner.bounds
    xs, ys = np.meshgrid(np.arange(x0, x1 + 1e-9, spacing), np.arange(y0, y1 + 1e-9, spacing))
    spots: np.ndarray = np.vstack([np.array(rims).reshape(-1, 2), np.column_stack([xs.ravel(), ys.ravel()])])
    # Whole hundredths, so that what is judged is what is laid.
    return np.round(spots, 2)


def _layers_over(pours: list[PouredCopper], points: np.ndarray, half: float) -> np.ndarray:
    """Count the layers on which a via's pad reaches a pour."""
    within: dict[str, np.ndarray] = {}
    for pour in pours:
        for piece in pour.pieces:
            shapely.prepare(piece)
            hit = shapely.dwithin(piece, points, half)
            within[pour.layer] = within.get(pour.layer, np.zeros(len(points), dtype=bool)) | hit
    return np.sum(list(within.values()), axis=0) if within else np.zeros(len(points), dtype=int)


def clear_for_vias(
    design: Design, net: str, points: np.ndarray, half: float, in_pads: bool = False
) -> np.ndarray:
    """Tell where a via breaks no gap: to other copper, holes, the edge, free zones, and pads that are soldered.

    Parameters
    ----------
    points : array of shapely points
        Places of vias in millimetres.
    half : float
        Half the via's pad, in millimetres.
    in_pads
        Whether they may lie in surface pads of their net.

    Returns
    -------
    bool array
    """
    rules = design.board.rules
    own = max(design.rule_of(net).clearance_nm, rules.min_clearance_nm)
    shapes, reach = [], []
    for item in copper_items(design):
        if item.net != net:
            shapes.append(item.spine)
            reach.append(item.radius_mm + half + max(own, design.rule_of(item.net).clearance_nm) / 1e6)
        elif item.kind == "pad" and not item.drill_mm and not in_pads:
            shapes.append(item.spine)
            reach.append(item.radius_mm + half + max(0, rules.mask_margin_nm) / 1e6)
    bored = {h.id for h in bare_holes(design)}
    for hole in holes(design):
        zone = design.holes[hole.id].keepout_nm / 1e6 + half if hole.id in design.holes else 0.0
        gap = hole.drill_mm / 2 + (rules.via_drill_nm / 2 + rules.hole_to_hole_nm) / 1e6
        copper = hole.drill_mm / 2 + half + rules.hole_to_copper_nm / 1e6 if hole.id in bored else 0.0
        shapes.append(hole.spine)
        reach.append(max(gap, zone, copper))
    for free in keepouts(design).values():
        shapes.append(free)
        reach.append(half)
    shapes.append(outline(design).boundary)
    reach.append(half + rules.edge_clearance_nm / 1e6)
    far = np.array(reach) + SAFETY_MM
    tree = STRtree(np.array(shapes, dtype=object))
    a, b = tree.query(points, predicate="dwithin", distance=float(far.max()))
    gaps = shapely.distance(points[a], np.array(shapes, dtype=object)[b])
    clear = np.ones(len(points), dtype=bool)
    clear[a[gaps < far[b]]] = False
    return clear
