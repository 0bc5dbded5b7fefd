"""Spacing by voltage: copper of a high rail held against copper at another; usual gaps are in ``clearance``."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Final

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach
from vane_step.core.board.geometry.shapes import LAYER_BIT, CopperItem
from vane_step.core.circuit.rails import across, rail
from vane_step.core.design.model import Design, Net, pin_name
from vane_step.core.finding import Finding, Remedy
from vane_step.core.network.known_volts import with_known_volts
from vane_step.core.network.pin_limits import widest_v
from vane_step.core.power.spacing import SOURCE, Surface, spacing_mm
from vane_step.core.rules import Level

# Up to here the gap that any maker can make is enough.
ORDINARY_V: Final = 15.0
# Where nothing is higher than this by what is said nothing is solved: names tell enough for spacing.
LOOKED_AT_V: Final = 30.0
# Above it a shock is dangerous (the limit of extra-low direct voltage).
TOUCH_V: Final = 60.0


def creepage_findings(laid: Layout) -> Iterator[Finding]:
    """Hold copper of nets far from ground in voltage against copper of others: one finding for two nets, the nearest.

    A net of which no voltage is known counts as one at ground, unless a part joins it to the high one: then its voltage
    lies somewhere between.
    """
    design = laid.design
    bound = widest_v(design)
    if bound is None or bound > LOOKED_AT_V:
        # As solved, where sources are said; where nothing is that high anyway nothing need be solved.
        design = with_known_volts(design)
    nets = design.nets
    high = [
        n for n in nets.values() if (v := rail(n)) is not None and max(abs(v.low), abs(v.high)) > ORDINARY_V
    ]
    told: set[frozenset[str]] = set()
    for net in sorted(high, key=lambda n: -_most(n)):
        joined = {
            laid.design.net_of(pin_name(part.ref, p.number))
            for part, _ in laid.design.pins_on(net.name)
            for p in part.pins
        }
        wanted = {}
        for other in nets.values():
            volts = (
                across(net, other)
                if rail(other) is not None
                else None
                if other.name in joined
                else _most(net)
            )
            pair = frozenset((net.name, other.name))
            if other is not net and volts is not None and volts > ORDINARY_V and pair not in told:
                wanted[other.name] = volts
                told.add(pair)
        yield from _too_near(laid, net, wanted)


def _most(net: Net) -> float:
    volts = rail(net)
    return max(abs(volts.low), abs(volts.high)) if volts else 0.0


def _too_near(laid: Layout, net: Net, volts: dict[str, float]) -> Iterator[Finding]:
    """Find the nets of a list that come nearer to a net than their voltage allows."""
    of = laid.columns
    if net.name not in of.nets or not volts:
        return
    reach = max(spacing_mm(v, s) for v in volts.values() for s in ("bare", "lead"))
    worst: dict[str, tuple[float, float, float, float, float]] = {}

    def meet(
        other: str | None, gap: float, surface: Surface, here: BaseGeometry, there: BaseGeometry
    ) -> None:
        if other not in volts:
            return
        least = spacing_mm(volts[other], surface)
        if gap < least - TOLERANCE_MM and gap - least < worst.get(other, (0.0, 0.0))[0]:
            spot = shapely.shortest_line(here, there).centroid
            worst[other] = gap - least, gap, least, spot.x, spot.y

    mine = np.flatnonzero(of.net == of.nets[net.name])
    for k in mine.tolist():
        near = of.near_box(of.boxes[k], reach)
        near = near[(of.net[near] != of.net[k]) & ((of.layers[near] & of.layers[k]) > 0)]
        gaps = shapely.distance(of.spines[k], of.spines[near]) - of.radius[k] - of.radius[near]
        for j, gap in zip(near.tolist(), gaps.tolist(), strict=True):
            if gap < reach:
                surface = _between(laid.design, of.items[k], of.items[j])
                meet(of.items[j].net, gap, surface, of.spines[k], of.spines[j])
    for pour in laid.poured:
        bit = 1 << LAYER_BIT[pour.layer]
        if pour.net in volts:
            some = mine
        elif pour.net == net.name:
            some = np.flatnonzero(of.net != of.nets[net.name])
        else:
            continue
        some = some[(of.layers[some] & bit) > 0]
        for piece in pour.pieces:
            gaps = shapely.distance(piece, of.spines[some]) - of.radius[some]
            for k in np.flatnonzero(gaps < reach).tolist():
                other = pour.net if pour.net in volts else of.items[some[k]].net
                meet(other, float(gaps[k]), _of_layer(laid.design, pour.layer), piece, of.spines[some[k]])
    for other, (_, gap, least, x, y) in worst.items():
        level: Level = "stop" if volts[other] > TOUCH_V else "look"
        text = f"{net.name} and {other} are too near to each other for the {volts[other]:g} V between them"
        wanted = math.ceil(least * 20) / 20
        remedy = Remedy(label=f"Keep {wanted:g} mm from {net.name}", ask=f"clearance {net.name} {wanted:g}mm")
        place = at(x, y, net=net.name)
        yield breach(laid, "creepage", text, gap, least, place, level, remedy=remedy, origin=SOURCE)


def _between(design: Design, one: CopperItem, two: CopperItem) -> Surface:
    """Tell what lies between two pieces of copper: of several layers they share the one that wants most."""
    if {one.kind, two.kind} <= {"pad", "jumper"} and not design.board.rules.etched:
        return "lead"
    surfaces = [_of_layer(design, layer) for layer in one.layers if layer in two.layers]
    return max(surfaces, key=lambda s: spacing_mm(TOUCH_V, s))


def _of_layer(design: Design, layer: str) -> Surface:
    if layer not in ("front", "back"):
        return "inner"
    return "bare" if design.board.rules.etched else "coated"
