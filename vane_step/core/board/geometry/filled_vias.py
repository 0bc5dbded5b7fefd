"""Vias bored into surface pads: which there are, and which of them the maker fills and plates over; no prices."""

from __future__ import annotations

import numpy as np
from shapely.strtree import STRtree

from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.derive import derived
from vane_step.core.design.model import Design

TOLERANCE_MM = 1e-6


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers")
def bored_pads(design: Design) -> dict[str, str]:
    """Give the vias whose hole reaches into a surface pad on one of the outer layers, and that pad."""
    if not design.vias:
        return {}
    items = copper_items(design)
    flat = [i for i in items if i.kind == "pad" and not i.drill_mm]
    bored = [i for i in items if i.kind == "via"]
    tree = STRtree(np.array([i.spine for i in flat], dtype=object))
    widest = max((i.radius_mm for i in flat), default=0.0)
    found: dict[str, str] = {}
    for via in bored:
        for k in tree.query(via.spine, predicate="dwithin", distance=widest + via.drill_mm / 2):
            apart = float(flat[k].spine.distance(via.spine)) - flat[k].radius_mm - via.drill_mm / 2
            if apart < -TOLERANCE_MM:
                found[via.id] = flat[k].id
    return found


def filled_vias(design: Design) -> frozenset[str]:
    """Name the vias that are filled, capped and plated over: those in surface pads, where the maker does it."""
    return frozenset(bored_pads(design)) if design.board.rules.fills_vias else frozenset()
