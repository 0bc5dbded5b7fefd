"""Which side of ground a net lies on, by its voltage, its name, or what is connected to it; how far is in ``rails``."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.circuit.rails import LOWER_SUPPLIES, below_ground, rail
from vane_step.core.circuit.sources import feeding_ways
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Part


def sides(wired: Wiring) -> dict[str, int]:
    """Give 1 for nets above ground, -1 below it, 0 for grounds; nets of which nothing tells are left out.

    What is said, or stands in a name, goes before what parts tell: regulators by what they take and give, rectifiers,
    supply pins. It holds for what is fed from there, too. Where parts contradict each other nothing is known.
    """
    known: dict[str, int] = {}
    for net in wired.nets.values():
        volts = rail(net)
        if net.role == "ground":
            known[net.name] = 0
        elif volts is not None and (volts.low > 0 or volts.high < 0):
            known[net.name] = 1 if volts.low > 0 else -1
        elif below_ground(net):
            known[net.name] = -1
    told: dict[str, set[int]] = {}
    for part in wired.parts:
        for pin, side in _says(wired, part, known):
            net_ = wired.net(pin)
            if net_ is not None and net_.name not in known:
                told.setdefault(net_.name, set()).add(side)
    waiting = [name for name, both in told.items() if len(both) == 1]
    known.update({name: next(iter(told[name])) for name in waiting})
    # What is fed from a net lies on its side.
    ways = feeding_ways(wired)
    waiting = [name for name, side in known.items() if side]
    while waiting:
        name = waiting.pop()
        for other in ways[name]:
            if other not in known:
                known[other] = known[name]
                waiting.append(other)
    return known


def _says(wired: Wiring, part: Part, known: dict[str, int]) -> Iterator[tuple[str, int]]:
    """Tell what a part says of the nets of its pins."""
    pins = {p.name.upper(): f"{part.ref}.{p.number}" for p in part.pins}
    if {"+", "-"} <= pins.keys() and any(name.startswith("~") for name in pins):
        yield pins["+"], 1
        yield pins["-"], -1
    takes, gives = part.params.get("vin_max_v"), part.params.get("vout_v", part.params.get("vout_max_v"))
    # Against its own ground; one that stands on another net tells only which supply is its lower one.
    grounds = [n for p in part.pins if p.role == "ground" and (n := wired.net_at(part, p)) is not None]
    if any(known.get(net.name) != 0 for net in grounds):
        lower = [p for p in part.pins if p.role == "ground" and p.name.upper() in LOWER_SUPPLIES]
        # VSS is ground to most, and may float with them.
        yield from ((f"{part.ref}.{p.number}", -1) for p in lower if "SS" not in p.name.upper())
        return
    for pin in part.pins:
        volts = takes if pin.role == "supply-in" else gives if pin.role == "supply-out" else None
        if volts:
            # Of a pair of outputs the one called minus lies below ground.
            minus = pin.role == "supply-out" and pin.name.endswith("-")
            yield f"{part.ref}.{pin.number}", -1 if minus or volts < 0 else 1
