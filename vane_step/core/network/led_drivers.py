"""Switching drivers that hold a current through lights: the coil between lights and switch, the current read above."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.network.converters import on_net
from vane_step.core.network.regulators import HOLDS_BACK, own_current
from vane_step.core.solve.laws import Shunt

# What stands across the resistor that sets the current (rule of thumb; `rating U1 vref_v=0.1` says it), and what the
# switch drops of what its current passes through.
SENSE_V, SWITCH_V = 0.1, 0.3


class Returned:
    """What the coil gives back to the supply while the switch is off. Reads: supply, ground, switch, its current.

    ``loss_v`` is what the switch and the diode drop in their times, about the same: it does not come back.
    """

    def __init__(self, loss_v: float) -> None:
        self.loss_v = loss_v

    def __call__(
        self, reads: Sequence[float], amps: float, ease: float
    ) -> tuple[float, Sequence[float], float]:
        """Give ``i + (vsw - loss)·isw/vin``."""
        supply, base, switch, drawn = reads
        span, across = max(supply - base, 0.5), switch - base - self.loss_v
        if across <= 0 or drawn <= 0:
            return amps, (0.0, 0.0, 0.0, 0.0), 1.0
        back = across * drawn / span
        by_span = -back / span if supply - base > 0.5 else 0.0
        by_across = drawn / span
        return amps + back, (by_span, -by_span - by_across, by_across, back / drawn), 1.0


@model(3)
def led_driver(build: Build, part: Part, pins: Pins) -> str | None:
    """A switching driver for lights, averaged over a cycle."""
    if not pins.has("SW", "ISEN", "IN") or "iout_a" not in part.params:
        return None
    catch = on_net(build, part, pins, "SW", "diode")
    if catch is None:
        build.unmodelled[part.ref] = "no diode from SW to its supply"
        return "none"
    into, base, sw = pins.at("IN"), pins.ground(), pins.at("SW")
    sense = build.figure(part, "vref_v", SENSE_V, f"{SENSE_V:g} V across its sense resistor (rule of thumb)")
    assert sense is not None
    vf: float = catch.params.get("vf_v", 0.4)
    law = Shunt(-sense, HOLDS_BACK * part.params["iout_a"])
    drawn = build.circuit.governed(sw, base, (pins.at("ISEN"), into, sw, base), law)
    build.circuit.governed(into, base, (into, base, sw, ~drawn), Returned(0.5 * (SWITCH_V + vf)))

    # The diode conducts while the switch is off: its heat is told apart, the driver keeps the rest.
    def heat(volts: Callable[[int], float], amps: Callable[[int], float]) -> float:
        span = max(volts(into) - volts(base), 0.5)
        share = min(max((volts(sw) - volts(base)) / span, 0.0), 1.0)
        return vf * share * max(amps(drawn), 0.0)

    build.heat[catch.ref] = heat
    build.heat[f"-{part.ref}"] = heat
    own_current(build, part, into, base)
    return "driver for lights, averaged"
