"""Copper left standing between nets, on none of them, to save the bath; what nets themselves need is in ``picture``."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Final

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.copper_table import board_columns, gap_of
from vane_step.core.board.geometry.shapes import LAYER_BIT, bare_holes, keepouts, outline
from vane_step.core.circuit.rails import rail
from vane_step.core.design.model import Design, Side
from vane_step.core.finding import Finding, tell
from vane_step.core.network.outside import all_sources
from vane_step.core.network.pin_limits import widest_v
from vane_step.core.power.spacing import spacing_mm

# Above it nothing is left between nets: what floats there halves their distance (limit of extra-low direct voltage).
MOST_V: Final = 60.0
# Smaller pieces are not worth their rims, in mm².
LEAST_MM2: Final = 4.0


def islands(
    design: Design, side: Side, isolation_mm: float, track_mm: float, beside: BaseGeometry
) -> BaseGeometry:
    """Give the copper that may stay on a side though no net needs it, in the design view, in millimetres.

    Parameters
    ----------
    isolation_mm
        How far from the copper of every net it keeps, at least; more where a net's own gap or the voltages want it.
    track_mm
        What is narrower is not left standing.
    beside
        What else stands on the side, such as larger pads and the word, which it keeps off as well.

    Returns
    -------
    BaseGeometry
        Empty where voltages are too high.
    """
    volts = _most_v(design)
    if volts > MOST_V:
        return Polygon()
    least = max(isolation_mm, spacing_mm(volts, "lead"))
    of = board_columns(design)
    mine = np.flatnonzero(of.layers >> LAYER_BIT[side] & 1)
    reach = of.per_net({net: max(least, gap_of(design, net)) for net in of.nets})[mine]
    taken = [
        *shapely.buffer(of.spines[mine], of.radius[mine] + reach, quad_segs=8),
        beside.buffer(least, quad_segs=8),
    ]
    for pour in pour_pieces(design):
        if pour.layer == side:
            taken += [p.buffer(max(least, gap_of(design, pour.net)), quad_segs=8) for p in pour.pieces]
    rules = design.board.rules
    taken += [h.shape(max(rules.hole_to_copper_nm / 1e6, 0.0), 8) for h in bare_holes(design)]
    taken += list(keepouts(design).values())
    free = outline(design).buffer(-rules.edge_clearance_nm / 1e6, join_style="mitre")
    left = free.difference(shapely.disjoint_subset_union_all(taken))
    left = left.buffer(-track_mm / 2, quad_segs=4).buffer(track_mm / 2, quad_segs=4)
    pieces = [p for p in shapely.get_parts(left) if p.area >= LEAST_MM2]
    return shapely.union_all(pieces) if pieces else Polygon()


def island_findings(design: Design, isolation_mm: float) -> Iterator[Finding]:
    """Tell where copper was to be left standing between nets of so much voltage that none is."""
    volts = _most_v(design)
    if isolation_mm and volts > MOST_V:
        text = "No copper is left standing between nets: floating there it would halve their distance"
        if not math.isfinite(volts):
            text = "No copper is left standing between nets: a converter makes a voltage nobody said"
        yield tell("etch-islands", text, volts if math.isfinite(volts) else None, MOST_V)


def _most_v(design: Design) -> float:
    """Give the greatest voltage there can be between nets: as sources say, else as nets are called; else none is known.

    Infinite where a converter makes one nobody said.
    """
    volts = widest_v(design)
    if volts is not None:
        return volts
    if all_sources(design):
        return math.inf
    claims = [rail(net) for net in design.nets.values()]
    return max((max(abs(c.low), abs(c.high)) for c in claims if c is not None), default=0.0)
