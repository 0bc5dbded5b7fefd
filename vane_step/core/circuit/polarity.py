"""Electrical review of what has a plus end: capacitors and LEDs the wrong way round, on either side of ground."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.circuit.rails import rail
from vane_step.core.circuit.sides import sides
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.rules import Level


def polarity_findings(wired: Wiring) -> Iterator[Finding]:
    """Find polarised capacitors with their plus end below the other, and LEDs that can never light.

    Pin 1 is plus, or cathode.
    """
    on = sides(wired)
    for part in wired.parts:
        one, two = wired.net_at(part, "1"), wired.net_at(part, "2")
        if part.kind not in ("polar-capacitor", "led") or one is None or two is None:
            continue
        plus, minus = (one, two) if part.kind == "polar-capacitor" else (two, one)
        high, low = rail(plus), rail(minus)
        if high is not None and low is not None:
            turned, gap = high.high < low.low, high.high - low.low
        else:
            # Of one of them only its side of ground is known; a supply of which nothing tells lies above it.
            above, below = (on.get(n.name, 1 if n.role == "supply" else None) for n in (plus, minus))
            turned, gap = above is not None and below is not None and above < below, 0.0
        if turned:
            what = "plus end" if part.kind == "polar-capacitor" else "anode"
            text = f"{part.ref} is the wrong way round: its {what} is on {plus.name}, the other end on {minus.name}"
            level: Level = "stop" if part.kind == "polar-capacitor" else "look"
            yield tell(
                "backwards",
                text,
                gap,
                0,
                Place(refs=(part.ref,)),
                level=level,
                source="polarity: pin 1 is plus, or cathode",
            )
