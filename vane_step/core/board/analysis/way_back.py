"""Signals whose current runs back through a quiet zone of others; how it spreads is in ``ground_flow``."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from vane_step.core.board.analysis.ground_flow import GroundFlow
from vane_step.core.board.drc.zones import nets_in
from vane_step.core.board.geometry.shapes import zone_shape
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Net, natural, split_pin
from vane_step.core.finding import Finding, Place, tell

# What of a signal's current may run back through a quiet zone, in per cent.
LIMIT_PERCENT = 10.0
DRIVES = ("output", "io", "open-drain", "supply-out")


@derived(*COPPER)
def way_back_findings(design: Design) -> tuple[Finding, ...]:
    """Find quiet zones that ground currents of foreign signals run through, each with the worst of them."""
    return tuple(_ways_back(design)) if any(z.kind == "quiet" for z in design.board.zones) else ()


def _ways_back(design: Design) -> Iterator[Finding]:
    grounds = [n for n in design.nets.values() if n.role == "ground"]
    flows = {n.name: GroundFlow(design, n.name) for n in grounds}
    for zone in design.board.zones:
        if zone.kind != "quiet":
            continue
        shape = zone_shape(zone)
        at_home = nets_in(design, shape)
        shares: dict[str, float] = {}
        for ground in grounds:
            flow = flows[ground.name]
            within = flow.inside(shape)
            enters = within[flow.ends].astype(int) @ np.array([-1, 1])
            for net in design.nets.values():
                if net.role != "signal" or net.name in at_home:
                    continue
                for a, b in _pairs(design, net, ground, flow):
                    current = flow.between(a, b)
                    if current is not None:
                        through = 100 * float(np.maximum(current * enters, 0.0).sum())
                        shares[net.name] = max(shares.get(net.name, 0.0), through)
        loud = sorted(
            (n for n, s in shares.items() if s > LIMIT_PERCENT), key=lambda n: (-shares[n], natural(n))
        )
        if loud:
            others = f", and of {', '.join(loud[1:5])}" + (" …" if len(loud) > 5 else "") if loud[1:] else ""
            x, y = shape.representative_point().coords[0]
            yield tell(
                "quiet-return",
                f"The current of {loud[0]}{others} runs back through the quiet zone {zone.id}",
                round(shares[loud[0]], 1),
                LIMIT_PERCENT,
                Place(net=loud[0], x_nm=round(x * 1e6), y_nm=round(y * 1e6)),
                source="rule of thumb: a tenth, by the ground copper's resistance",
            )


def _pairs(design: Design, net: Net, ground: Net, flow: GroundFlow) -> Iterator[tuple[str, str]]:
    """Give the ground pins a signal's current runs back between: of who drives it, and of each who hears it."""
    earths: dict[str, list[str]] = {}
    for pin in ground.pins:
        if pin in flow.pins:
            earths.setdefault(split_pin(pin)[0], []).append(pin)
    parts = dict.fromkeys(split_pin(p)[0] for p in net.pins if split_pin(p)[0] in earths)
    if len(parts) < 2:
        return
    on = design.pins_on(net.name)
    drivers = [part.ref for part, pin in on if pin.role in DRIVES and part.ref in parts]
    first = max(dict.fromkeys(drivers or parts), key=lambda r: len(design.parts[r].pins))
    for other in parts:
        if other != first:
            yield earths[first][0], earths[other][0]
