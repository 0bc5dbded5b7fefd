"""Which joints of a board without plated holes are soldered on both sides, and which holes want a wire through them."""

from __future__ import annotations

from dataclasses import dataclass

from vane_step.core.board.columns import KIND, touching_pairs
from vane_step.core.board.geometry import LAYER_BIT, plated
from vane_step.core.board.pour import pour_pieces
from vane_step.core.design.model import Design, natural


@dataclass(frozen=True)
class BothSides:
    """Pins whose lead joins both sides, and vias by their id with their place in millimetres."""

    pins: tuple[str, ...]
    vias: tuple[tuple[str, float, float], ...]


def both_sides(design: Design) -> BothSides:
    """List what has to be soldered on both sides, since copper leads away on both; nothing where holes are plated."""
    if plated(design) or design.board.copper_layers < 2:
        return BothSides((), ())
    of, a, b = touching_pairs(design)
    met = [0] * len(of.items)
    for i, j in zip(a.tolist(), b.tolist(), strict=True):
        shared = int(of.layers[i] & of.layers[j])
        met[i] |= shared
        met[j] |= shared
    for pour in pour_pieces(design):
        bit = 1 << LAYER_BIT[pour.layer]
        for k, item in enumerate(of.items):
            mine = item.net == pour.net and int(of.layers[k]) & bit
            if mine and any(piece.distance(item.spine) <= item.radius_mm for piece in pour.pieces):
                met[k] |= bit
    both = [k for k, bits in enumerate(met) if bits.bit_count() > 1 and of.items[k].drill_mm]
    pins = {of.items[k].id for k in both if of.kind[k] == KIND["pad"]}
    vias = [of.items[k] for k in range(len(of.items)) if of.kind[k] == KIND["via"]]
    return BothSides(tuple(sorted(pins, key=natural)), tuple((v.id, v.x_mm, v.y_mm) for v in vias))
