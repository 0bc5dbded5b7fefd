"""Distances that matter to an arrangement: decoupling capacitors from supply pins; the maker's rules are not here."""

from __future__ import annotations

import math
from collections.abc import Iterator

from vane_step.core.board.geometry import CopperItem, copper_items
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, split_pin
from vane_step.core.finding import Finding, Place, Remedy
from vane_step.core.quantity import nm

DECOUPLING_MM = 3.0
SOURCE = "rule of thumb: nearest copper under 3 mm"


@derived("parts", "packages", "nets", "board")
def nearness_findings(design: Design) -> tuple[Finding, ...]:
    """Hold every supply pin's nearest decoupling capacitor against 3 mm, copper to copper."""
    return tuple(_far_capacitors(design))


def _far_capacitors(design: Design) -> Iterator[Finding]:
    pads = {i.id: i for i in copper_items(design.replaced(tracks={}, vias={}, jumpers={}, pours={})) if i.kind == "pad"}
    for net in design.nets.values():
        supplied = []
        capacitors: list[CopperItem] = []
        for name in net.pins:
            part = design.parts[split_pin(name)[0]]
            pin = part.pin(split_pin(name)[1])
            if name not in pads or pin is None:
                continue
            if pin.role == "supply-in":
                supplied.append(pads[name])
            elif part.kind in ("capacitor", "polar-capacitor"):
                capacitors.append(pads[name])
        for pad in supplied:
            if not capacitors:
                continue
            gap, nearest = min(((_gap(pad, c), c) for c in capacitors), key=lambda g: g[0])
            if gap > DECOUPLING_MM:
                ref = split_pin(nearest.id)[0]
                yield Finding(
                    level="look", code="decoupling-distance",
                    message=f"Decoupling capacitor {ref} is far from supply pin {pad.id}",
                    reading=round(gap, 2), limit=DECOUPLING_MM, unit="mm", sense="at most", source=SOURCE,
                    place=Place(
                        refs=(ref,), pins=(pad.id,), net=net.name, x_nm=nm(nearest.x_mm), y_nm=nm(nearest.y_mm)
                    ),
                    remedy=Remedy(label=f"Place {ref} by {pad.id}", ask=f"place {ref} by {pad.id}"),
                )  # fmt: skip


def _gap(a: CopperItem, b: CopperItem) -> float:
    return max(0.0, float(a.spine.distance(b.spine)) - a.radius_mm - b.radius_mm) if a.layers else math.inf
