"""How far each supply pin is from the bypass part nearest to it; which parts are ones is in ``circuit.bypass``."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import shapely

from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.circuit.bypass import bypass_pins, ground_pins, served_pins
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, split_pin


@dataclass(frozen=True)
class Nearest:
    """A supply pin, the bypass part nearest to it, and the gap in mm from copper to copper.

    Where they share no layer the thickness of the board lies between. ``told`` is whether the pin is said to take a
    supply; where no pin of a rail is, all pins of larger parts stand for it.
    """

    pin: CopperItem
    part: CopperItem
    gap_mm: float
    told: bool


@derived("parts", "packages", "nets", "board")
def nearest_bypass(design: Design) -> tuple[Nearest, ...]:
    """Give for every supply pin on the board the bypass part nearest to it; rails without any are left out.

    Where no pin of the whole design is said to take a supply, pins of larger parts on the rails stand for them.
    """
    bare = design.replaced(tracks={}, vias={}, jumpers={}, pours={}, texts={})
    pads = {i.id: i for i in copper_items(bare) if i.kind == "pad"}
    found = tuple(_nearest(design, pads))
    told = tuple(n for n in found if n.told)
    return told or found


def _nearest(design: Design, pads: dict[str, CopperItem]) -> Iterator[Nearest]:
    grounds, through = ground_pins(design), design.board.rules.board_mm
    for net in design.nets.values():
        if net.role in ("ground", "signal") and not any(_takes(design, name) for name in net.pins):
            continue
        helpers = [pads[p] for p in bypass_pins(design, net, grounds) if p in pads]
        pins, told = served_pins(design, net)
        if not helpers or not pins:
            continue
        spines = np.array([h.spine for h in helpers], dtype=object)
        radius = np.array([h.radius_mm for h in helpers])
        for name in pins:
            pin = pads.get(name)
            if pin is None:
                continue
            apart = shapely.distance(spines, pin.spine) - radius - pin.radius_mm
            other_side = np.array([not set(h.layers) & set(pin.layers) for h in helpers])
            gap = np.maximum(apart, 0.0) + other_side * through
            k = int(gap.argmin())
            yield Nearest(pin, helpers[k], float(gap[k]), told)


def _takes(design: Design, name: str) -> bool:
    ref, number = split_pin(name)
    pin = design.parts[ref].pin(number)
    return pin is not None and pin.role == "supply-in"
