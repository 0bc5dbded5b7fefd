"""How far each pin of a controller lies from what its signals go to; which pin does what is decided in ``parts``."""

from __future__ import annotations

import math
from collections.abc import Iterable

from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.model import Design, split_pin

# Weight of a millimetre against the other preferences of an assignment, so that length decides.
PER_MM = 0.2


def pin_costs(design: Design, ref: str, nets: Iterable[str]) -> dict[tuple[str, str], float]:
    """Give the cost of every net on every pin of a part: the way from its pad to the nearest other pad of the net.

    Returns
    -------
    dict
        By (net, pin number), :data:`PER_MM` times millimetres; nets without another placed pad cost nothing.
    """
    pads = {i.id: (i.x_mm, i.y_mm) for i in copper_items(design) if i.kind == "pad"}
    mine = {split_pin(name)[1]: at for name, at in pads.items() if split_pin(name)[0] == ref}
    found = {}
    for name in nets:
        net = design.nets.get(name)
        others = [pads[p] for p in (net.pins if net else ()) if p in pads and split_pin(p)[0] != ref]
        for number, (x, y) in mine.items():
            if others:
                found[name, number] = PER_MM * min(math.hypot(x - ox, y - oy) for ox, oy in others)
    return found


def reach_mm(design: Design, ref: str) -> float:
    """Sum the ways from the assigned pins of a part to the nearest other pads of their nets, in millimetres."""
    uses = design.parts[ref].uses
    costs = pin_costs(design, ref, [u.demand for u in uses])
    return sum(costs.get((u.demand, u.pin), 0.0) for u in uses) / PER_MM
