"""Copper held against the edge of the board; what is left of the board itself is in ``outline``."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely

from vane_step.core.board.drc.holes import half_hole
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach, named, sentence
from vane_step.core.board.geometry.copper_table import once_a_text
from vane_step.core.finding import Finding


def edge_findings(laid: Layout) -> Iterable[Finding]:
    """Find copper too near to the edge of the board; a plated hole on it is held against what the maker makes."""
    of = laid.columns
    if not of.items:
        return
    limit = laid.rules.edge_clearance_nm / 1e6
    board, tree = laid.edges
    by_edge = np.zeros(len(of.items), dtype=bool)
    by_edge[tree.query(shapely.box(*(of.boxes + np.array([-1, -1, 1, 1]) * limit).T))[0]] = True
    # What no piece of the edge comes near lies on one side of it as a whole.
    middle = (of.boxes[:, :2] + of.boxes[:, 2:]) / 2
    gap = np.where(shapely.contains_xy(board, *middle.T), np.inf, -of.radius)
    some = of.spines[by_edge]
    far = np.where(shapely.covers(board, some), shapely.distance(laid.outline.boundary, some), 0.0)
    gap[by_edge] = far - of.radius[by_edge]
    on_edge = laid.edge_pads
    bad = np.flatnonzero(gap < limit - TOLERANCE_MM)
    for k in bad[once_a_text(of, bad, np.zeros_like(bad), gap[bad])]:
        item = of.items[k]
        if gap[k] <= -of.radius[k]:
            # How far its copper reaches off the board.
            corners = shapely.points(shapely.get_coordinates(of.spines[k]))
            gap[k] = -float(shapely.distance(laid.outline, corners).max()) - of.radius[k]
        if item.kind == "pad" and item.id in on_edge:
            yield from half_hole(laid, item)
            continue
        text = sentence(f"{named(item)} is too near to the board's edge")
        yield breach(laid, "copper-to-edge", text, float(gap[k]), limit, at(item.x_mm, item.y_mm, item))
