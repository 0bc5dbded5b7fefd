"""How wide copper may be where it lies: the room that all gaps of a maker's rules leave along a line."""

from __future__ import annotations

import math

import numpy as np
import shapely

from vane_step.core.board.geometry.copper_table import board_columns, gap_of
from vane_step.core.board.geometry.shapes import LAYER_BIT, bare_holes, keepouts, outline
from vane_step.core.design.model import Design


def room_mm(
    design: Design, net: str, layer: str, spines: np.ndarray, most_mm: float = math.inf
) -> np.ndarray:
    """Give for each line, in millimetres, the greatest half width at which copper of a net along it keeps every gap.

    What is more than ``most_mm`` counts as that.
    """
    rules = design.board.rules
    of = board_columns(design)
    own = gap_of(design, net)
    widest = max([own, *(gap_of(design, other) for other in of.nets)]) if math.isfinite(most_mm) else 0.0
    some = of.near_box(shapely.total_bounds(spines), most_mm + widest)
    some = some[(of.net[some] != of.nets.get(net, -1)) & (of.layers[some] & 1 << LAYER_BIT[layer] > 0)]
    shapes = of.spines[some].tolist()
    gaps = {
        of.nets[other]: max(own, gap_of(design, other)) for other in {of.items[k].net for k in some.tolist()}
    }
    keep = [float(of.radius[k]) + gaps[of.net[k]] for k in some.tolist()]
    for hole in bare_holes(design):
        zone = design.holes[hole.id].keepout_nm / 1e6 if hole.id in design.holes else 0.0
        shapes.append(hole.spine)
        keep.append(max(hole.drill_mm / 2 + rules.hole_to_copper_nm / 1e6, zone))
    for free in keepouts(design).values():
        shapes.append(free)
        keep.append(0.0)
    shapes.append(outline(design).boundary)
    keep.append(rules.edge_clearance_nm / 1e6)
    found = shapely.distance(spines[:, None], np.array(shapes, dtype=object)[None, :]) - np.array(keep)
    room: np.ndarray = np.minimum(found.min(axis=1), most_mm)
    return room
