"""Which parts are bypass parts, whom they serve, how far they are: one reading for arranging, score and findings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import shapely

from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Net, Part, split_pin

CAPACITORS = ("capacitor", "polar-capacitor")
PLUGGED = ("header", "terminal", "socket", "connector", "receptacle")


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


def is_connector(design: Design, part: Part) -> bool:
    """Tell whether a part is one that people plug things into."""
    title = design.packages[part.package].title.lower()
    known = any(word in title for word in PLUGGED)
    return len(part.pins) > 1 and (known or part.ref.startswith("J"))


def bypass_pins(design: Design, net: Net, grounds: set[str]) -> list[str]:
    """Give the pins on a rail of the capacitors that lead from it to ground.

    Parts of two passive pins count as well where nobody said their kind, as in imported boards; plugs never do.
    """
    found = []
    for name in net.pins:
        ref, _ = split_pin(name)
        part = design.parts[ref]
        unsaid = part.kind == "card" and all(p.role == "passive" for p in part.pins)
        is_one = part.kind in CAPACITORS or unsaid
        if not is_one or len(part.pins) != 2 or is_connector(design, part):
            continue
        other = next((f"{ref}.{p.number}" for p in part.pins if f"{ref}.{p.number}" != name), "")
        if other in grounds:
            found.append(name)
    return found


def served_pins(design: Design, net: Net) -> tuple[list[str], bool]:
    """Give the pins a rail supplies, and whether they are told; else all of parts of four pins or more."""
    told, others = [], []
    for name in net.pins:
        ref, number = split_pin(name)
        part = design.parts[ref]
        pin = part.pin(number)
        if pin is not None and pin.role == "supply-in":
            told.append(name)
        elif len(part.pins) >= 4 and not is_connector(design, part):
            others.append(name)
    return (told, True) if told else (others, False)


def ground_pins(design: Design) -> set[str]:
    """Give all pins on ground nets."""
    return {p for net in design.nets.values() if net.role == "ground" for p in net.pins}


def bypass_pairs(design: Design) -> list[tuple[str, str]]:
    """Pair bypass parts, from a rail to ground, with the pins they serve.

    Every part the rail supplies gets one in turn, most pins first; what is left over goes round again. Gives the
    bypass part's pin on the rail and the pin served.
    """
    grounds = ground_pins(design)
    found = []
    for net in design.nets.values():
        if net.role != "supply":
            continue
        helpers = bypass_pins(design, net, grounds)
        served: dict[str, list[str]] = {}
        for name in served_pins(design, net)[0]:
            served.setdefault(split_pin(name)[0], []).append(name)
        turns = max((len(pins) for pins in served.values()), default=0)
        order = sorted(served, key=lambda r: (-len(design.parts[r].pins), r))
        wanted = [served[r][k] for k in range(turns) for r in order if k < len(served[r])]
        found += [(h, wanted[i % len(wanted)]) for i, h in enumerate(helpers) if wanted]
    return found


@derived("parts", "packages", "nets", "board")
def nearest_bypass(design: Design) -> tuple[Nearest, ...]:
    """Give for every supply pin on the board the bypass part nearest to it; rails without any are left out.

    Where no pin of the whole design is said to take a supply, pins of larger parts on the rails stand for them.
    """
    bare = design.replaced(tracks={}, vias={}, jumpers={}, pours={})
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
