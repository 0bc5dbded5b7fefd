"""Switches that stay on by themselves or through light: thyristors, triacs, couplers of them, solid-state relays,
phototransistors; contacts are in ``contacts``."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.network.junctions import SILICON
from vane_step.core.solve.circuit import THERMAL_V, Latch
from vane_step.core.solve.laws import SteadyCurrent
from vane_step.core.solve.switching_laws import Latched, Switched

# What a conducting thyristor or triac drops at its rated current; gate current and voltage it fires at, and the share
# of its rated current under which it goes out (rules of thumb; a sheet tells them, `rating Q1 igt_a=5mA` says it).
ON_V, GATE_V, GATE_A, HOLDS = 1.2, 0.8, 0.01, 0.005
# Light-emitting side of couplers and solid-state relays: at this share of its rated current the other side is on.
LIT: Final = 0.1
INPUT_A: Final = 0.01
OFF_S: Final = 1e-8


def _put(build: Build, part: Part, gate: int, one: int, two: int, *, both: bool) -> None:
    """Put a gate and the path it fires in; ``one`` is what the gate counts from."""
    rated = part.params["i_a"]
    ohm = ON_V / rated
    fires = part.params.get("igt_a", GATE_A)
    build.circuit.diode(gate, one, GATE_V, fires, 1.5)
    if both:
        build.circuit.diode(one, gate, GATE_V, fires, 1.5)
    holds = part.params.get("ih_a", HOLDS * rated)

    def update(reads: Sequence[float], value: float) -> float:
        gated, across = reads[0] - reads[1], reads[2] - reads[1]
        driven = abs(gated) >= GATE_V - 1e-3 if both else gated >= GATE_V - 1e-3
        ahead = abs(across) if both else across
        if value:
            return 1.0 if ahead / ohm > holds or (driven and ahead > 0) else 0.0
        return 1.0 if driven and ahead > ON_V else 0.0

    latch = Latch((gate, one, two), update)
    build.circuit.latches.append(latch)
    build.circuit.governed(two, one, (two, one), Latched(latch, ohm, OFF_S))
    build.assume(
        part.ref,
        f"fires at {fires * 1e3:g} mA and {GATE_V:g} V, drops {ON_V:g} V at its rated current, "
        f"goes out under {holds * 1e3:.2g} mA (rules of thumb where no rating says it)",
    )


@model(20)
def thyristor(build: Build, part: Part, pins: Pins) -> str | None:
    """Thyristors and triacs: fired by their gate, on until their current ends."""
    if "i_a" not in part.params:
        return None
    if pins.has("MT1", "MT2", "G"):
        _put(build, part, pins.at("G"), pins.at("MT1"), pins.at("MT2"), both=True)
        return "triac"
    if pins.has("A", "K", "G"):
        _put(build, part, pins.at("G"), pins.at("K"), pins.at("A"), both=False)
        return "thyristor"
    return None


@model(18)
def lit_switch(build: Build, part: Part, pins: Pins) -> str | None:
    """Couplers with a triac and solid-state relays: their other side conducts while enough flows in the first."""
    rated = part.params.get("i_a")
    ends = next((e for e in (("T1", "T2"), ("OUT1", "OUT2")) if pins.has(*e)), None)
    if rated is None or ends is None:
        return None
    if pins.has("A", "K") and {"vf_v", "if_a"} <= part.params.keys():
        plus, minus = pins.at("A"), pins.at("K")
        build.circuit.diode(plus, minus, part.params["vf_v"], part.params["if_a"], SILICON)
        # The voltage of the diode at that share of its current, along its exponential.
        on_v = part.params["vf_v"] + SILICON * THERMAL_V * math.log(LIT)
    elif pins.has("IN+", "IN-"):
        plus, minus = pins.at("IN+"), pins.at("IN-")
        on_v = part.params.get("supply_min_v", 3.0)
        build.circuit.resistor(plus, minus, on_v / INPUT_A)
        build.assume(part.ref, f"its input takes {INPUT_A * 1e3:g} mA at {on_v:g} V (rule of thumb)")
    else:
        return None
    one, two = (pins.at(n) for n in ends)
    path = [(one, two)]
    if "MID" in pins.named:
        path = [(one, pins.at("MID")), (pins.at("MID"), two)]
    for a, b in path:
        build.circuit.governed(a, b, (plus, minus, a, b), Switched(on_v, ON_V / rated / len(path), 1e9))
    build.assume(part.ref, f"on from a tenth of its input's rated current, drops {ON_V:g} V (rules of thumb)")
    return "switch by light"


@model(20)
def photo_transistor(build: Build, part: Part, pins: Pins) -> str | None:
    """A phototransistor of two pins, in light or in the dark as its position says."""
    if len(part.pins) != 2 or not pins.has("C", "E") or not {"ic_a", "nm"} <= part.params.keys():
        return None
    lit = build.position(part, "lit") != "dark"
    if lit:
        # A twentieth of what it bears, a saturated transistor's third of a volt below that.
        amps = part.params["ic_a"] / 20
        ends = (pins.at("C"), pins.at("E"))
        build.circuit.governed(*ends, ends, SteadyCurrent(amps, 0.3))
        build.assume(part.ref, f"in light it carries {amps * 1e3:g} mA (rule of thumb)")
    else:
        build.circuit.resistor(pins.at("C"), pins.at("E"), 1e8)
    return f"phototransistor, {'lit' if lit else 'dark'}"
