"""Vias bored into surface pads: which there are, which lose solder, and which of them the maker fills; no prices."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from shapely.strtree import STRtree

from vane_step.core.board.geometry.paste_windows import OFF_NM, apart_nm
from vane_step.core.board.geometry.shapes import copper_items, package_point
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, split_pin

TOLERANCE_MM = 1e-6


class Bored(NamedTuple):
    """The pad a via's hole reaches into, and the distance of the two in millimetres, below 0."""

    pad: str
    apart_mm: float


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "texts")
def bored_pads(design: Design) -> dict[str, Bored]:
    """Give the vias whose hole reaches into a surface pad on one of the outer layers, and that into which most."""
    if not design.vias:
        return {}
    items = copper_items(design)
    flat = [i for i in items if i.kind == "pad" and not i.drill_mm]
    tree = STRtree(np.array([i.spine for i in flat], dtype=object))
    widest = max((i.radius_mm for i in flat), default=0.0)
    found: dict[str, Bored] = {}
    for via in (i for i in items if i.kind == "via"):
        for k in tree.query(via.spine, predicate="dwithin", distance=widest + via.drill_mm / 2):
            apart = float(flat[k].spine.distance(via.spine)) - flat[k].radius_mm - via.drill_mm / 2
            if apart < min(-TOLERANCE_MM, found[via.id].apart_mm if via.id in found else 0.0):
                found[via.id] = Bored(flat[k].id, apart)
    return found


def losing_solder(design: Design) -> dict[str, Bored]:
    """Give the vias in surface pads whose holes meet the paste printed there, and do not lie between its panes."""
    return {
        via: bored for via, bored in bored_pads(design).items() if not _beside_paste(design, via, bored.pad)
    }


def _beside_paste(design: Design, via: str, pad: str) -> bool:
    ref, number = split_pin(pad)
    part, hole = design.parts[ref], design.vias[via]
    pack = design.packages[part.package]
    if part.place is None:
        return False
    x, y = package_point(part.place, hole.x_nm, hole.y_nm)
    near = min(apart_nm(pack, p, x, y) for p in pack.pads if p.number == number and p.layers != "through")
    return near >= hole.drill_nm / 2 - OFF_NM


def filled_vias(design: Design) -> frozenset[str]:
    """Name the vias that are filled, capped and plated over: those that would lose solder, where the maker does it."""
    return frozenset(losing_solder(design)) if design.board.rules.fills_vias else frozenset()
