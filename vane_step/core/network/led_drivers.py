"""Switching drivers that hold a current through lights: the coil between lights and switch, the current read above."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.network.regulators import HOLDS_BACK, own_current
from vane_step.core.solve.laws import Shunt

# What stands across the resistor that sets the current, and the share of the returned power that arrives (rules of
# thumb; `rating U1 vref_v=0.1` says the first).
SENSE_V, RETURNS = 0.1, 0.9


class Returned:
    """What the coil gives back to the supply while the switch is off. Reads: supply, ground, switch, its current."""

    def __call__(
        self, reads: Sequence[float], amps: float, ease: float
    ) -> tuple[float, Sequence[float], float]:
        """Give ``i + share·vsw·isw/vin``."""
        supply, base, switch, drawn = reads
        span, across = max(supply - base, 0.5), switch - base
        if across <= 0 or drawn <= 0:
            return amps, (0.0, 0.0, 0.0, 0.0), 1.0
        back = RETURNS * across * drawn / span
        by_span = -back / span if supply - base > 0.5 else 0.0
        by_across = RETURNS * drawn / span
        return amps + back, (by_span, -by_span - by_across, by_across, back / drawn), 1.0


@model(3)
def led_driver(build: Build, part: Part, pins: Pins) -> str | None:
    """A switching driver for lights, averaged over a cycle."""
    if not pins.has("SW", "ISEN", "IN") or "iout_a" not in part.params:
        return None
    into, base, sw = pins.at("IN"), pins.ground(), pins.at("SW")
    sense = build.figure(part, "vref_v", SENSE_V, f"{SENSE_V:g} V across its sense resistor (rule of thumb)")
    assert sense is not None
    law = Shunt(-sense, HOLDS_BACK * part.params["iout_a"])
    drawn = build.circuit.governed(sw, base, (pins.at("ISEN"), into, sw, base), law)
    build.circuit.governed(into, base, (into, base, sw, ~drawn), Returned())
    own_current(build, part, into, base)
    return "driver for lights, averaged"
