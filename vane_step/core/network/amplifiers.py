"""Amplifiers, comparators and timers; how fast they are counts in responses and wave forms."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.network.regulators import own_current
from vane_step.core.solve.circuit import Latch
from vane_step.core.solve.laws import Amplified, Linear
from vane_step.core.solve.switching_laws import Latched, Switched

# Open-loop gain, output resistance and current of amplifiers (rules of thumb), and what general ones keep from the
# rails.
GAIN, OUT_OHM, OUT_A = 1e5, 50.0, 0.02
ROOM_HIGH_V: Final = 1.5
ROOM_RAIL_V: Final = 0.02
# What the power of audio amplifiers is told for.
SPEAKER_OHM: Final = 8.0
# Gain of instrumentation amplifiers set by one resistor: 1 + this over it (typical of the kind).
SET_OHM: Final = 49.4e3


def _rails(pins: Pins) -> tuple[int, int] | None:
    top, bottom = pins.first("V+", "VDD", "VCC"), pins.first("V-", "GND", "VSS", "VEE")
    return (pins.at(bottom), pins.at(top)) if top and bottom else None


@model(30)
def operational(build: Build, part: Part, pins: Pins) -> str | None:
    """Operational amplifiers, each section with offset, gain, bandwidth, and an output that stays between its rails."""
    rails = _rails(pins)
    if "gbw_hz" not in part.params or rails is None or pins.has("RG1"):
        return None
    bottom, top = rails
    rail_to_rail = (part.params.get("supply_max_v") or 36.0) <= 6.0
    low, high = (ROOM_RAIL_V, ROOM_RAIL_V) if rail_to_rail else (ROOM_RAIL_V, ROOM_HIGH_V)
    offset = build.vary(part, "offset", 1.0, None) - 1.0
    build.varied[(part.ref, "offset_v")] = part.params.get("offset_v", 0.0)
    shift = build.deltas.get((part.ref, "offset_v"), 0.0) + offset
    # One pole, at the gain-bandwidth product over the gain.
    tau = GAIN / (2 * math.pi * part.params["gbw_hz"])
    for k in ("", "1", "2", "3", "4"):
        if not pins.has(f"OUT{k}", f"IN{k}+", f"IN{k}-"):
            continue
        out = pins.at(f"OUT{k}")
        law = Amplified(GAIN, shift, low, high, OUT_OHM / GAIN, OUT_A)
        reads = (pins.at(f"IN{k}+"), pins.at(f"IN{k}-"), bottom, top, out)
        branch = build.circuit.governed(out, bottom, reads, law, tau)
        build.sourced(top, bottom, branch)
    own_current(build, part, top, bottom)
    build.assume(
        part.ref,
        f"gain 100,000, {OUT_A * 1e3:g} mA at most, output {high:g} V under its upper rail (rules of thumb)",
    )
    return "operational amplifier"


@model(30)
def measuring(build: Build, part: Part, pins: Pins) -> str | None:
    """Amplifiers of a difference with a set gain: instrumentation amplifiers, current-sense amplifiers."""
    rails = _rails(pins)
    if rails is None or not pins.has("IN+", "IN-", "OUT"):
        return None
    bottom, top = rails
    wanted = build.circuit.inner()
    plus, minus, out = pins.at("IN+"), pins.at("IN-"), pins.at("OUT")
    if pins.has("RG1", "RG2", "REF"):
        # Its inputs' voltages stand across the resistor that sets the gain.
        across = build.circuit.governed(pins.at("RG2"), bottom, (pins.at("RG2"), plus), Linear((1.0, -1.0)))
        other = build.circuit.governed(pins.at("RG1"), bottom, (pins.at("RG1"), minus), Linear((1.0, -1.0)))
        build.sourced(top, bottom, across)
        build.sourced(top, bottom, other)
        reads = (wanted, pins.at("REF"), plus, minus, ~across)
        # Current into RG2 is negative while it gives.
        build.circuit.governed(wanted, bottom, reads, Linear((1.0, -1.0, -1.0, 1.0, SET_OHM)))
        build.assume(part.ref, "gain 1 + 49.4 kΩ/R (typical of the kind)")
        name = "instrumentation amplifier"
    elif "gain" in part.params and "vmax_v" in part.params:
        gain = part.params["gain"]
        build.circuit.governed(
            wanted, bottom, (wanted, bottom, plus, minus), Linear((1.0, -1.0, -gain, gain))
        )
        name = f"current-sense amplifier, {gain:g} times"
    else:
        return None
    law = Amplified(1e4, 0.0, ROOM_RAIL_V, ROOM_RAIL_V if "gain" in part.params else ROOM_HIGH_V, 0.01, OUT_A)
    given = build.circuit.governed(
        out, bottom, (wanted, out, bottom, top, out), law, 1e4 / (2 * math.pi * 1e6)
    )
    build.sourced(top, bottom, given)
    own_current(build, part, top, bottom)
    return name


@model(30)
def comparator(build: Build, part: Part, pins: Pins) -> str | None:
    """Comparators with open-drain outputs."""
    rails = _rails(pins)
    if rails is None or "gbw_hz" in part.params or not part.params.keys() >= {"channels", "supply_max_v"}:
        return None
    sections = [
        k
        for k in ("", "1", "2", "3", "4")
        if pins.has(f"OUT{k}", f"IN{k}+", f"IN{k}-") and pins.named[f"OUT{k}"][0].role == "open-drain"
    ]
    for k in sections:
        out, bottom = pins.at(f"OUT{k}"), rails[0]
        law = Switched(0.0, 50.0, 1e9, inverted=True)
        build.circuit.governed(out, bottom, (pins.at(f"IN{k}+"), pins.at(f"IN{k}-"), out, bottom), law)
    if not sections:
        return None
    own_current(build, part, rails[1], rails[0])
    return "comparator"


@model(30)
def timer(build: Build, part: Part, pins: Pins) -> str | None:
    """A timer: a divider in three, two comparators, a flip-flop, an output and a discharging transistor."""
    found = False
    for k in ("", "1", "2"):
        if not pins.has(*(f"{n}{k}" for n in ("TRIG", "THRES", "OUT", "DISCH", "CTRL", "RESET"))):
            continue
        supply = pins.supply()
        if supply is None:
            return None
        found = True
        base, trig, thres = pins.ground(), pins.at(f"TRIG{k}"), pins.at(f"THRES{k}")
        control, reset = pins.at(f"CTRL{k}"), pins.at(f"RESET{k}")
        half = build.circuit.inner()
        for a, b in ((supply, control), (control, half), (half, base)):
            build.circuit.resistor(a, b, 5e3)
        latch = Latch((trig, thres, control, half, reset, base), _flip)
        build.circuit.latches.append(latch)
        out, discharge = pins.at(f"OUT{k}"), pins.at(f"DISCH{k}")
        build.sourced(
            supply, base, build.circuit.governed(out, base, (out, base, supply), _Toggled(latch, 10.0))
        )
        build.circuit.governed(discharge, base, (discharge, base), Latched(latch, 10.0, while_off=True))
    if found:
        supply = pins.supply()
        assert supply is not None
        own_current(build, part, supply, pins.ground())
    return "timer" if found else None


def _flip(reads: Sequence[float], value: float) -> float:
    trig, thres, control, half, reset, base = reads
    if reset - base < 0.7:
        return 0.0
    if trig < half:
        return 1.0
    return 0.0 if thres > control else value


class _Toggled:
    """An output that is at its supply or at ground by a latch. Reads: output, ground, supply."""

    def __init__(self, latch: Latch, ohm: float) -> None:
        self.latch, self.ohm = latch, ohm

    def __call__(
        self, reads: Sequence[float], amps: float, ease: float
    ) -> tuple[float, Sequence[float], float]:
        """Give ``v - level - ohm·i``."""
        on = self.latch.value
        level = reads[2] if on else reads[1]
        return reads[0] - level - self.ohm * amps, (1.0, on - 1.0, -on), -self.ohm


@model(35)
def audio(build: Build, part: Part, pins: Pins) -> str | None:
    """Audio amplifiers without a signal: outputs at half their supply, held there within what their power asks."""
    supply, watts = pins.supply(), part.params.get("power_w")
    outputs = [n for n in pins.named if re.fullmatch(r"OUT\d?[+-]?", n) and pins.named[n][0].role == "output"]
    if supply is None or watts is None or not outputs or "gbw_hz" in part.params:
        return None
    base = pins.ground()
    for name in outputs:
        out, middle = pins.at(name), build.circuit.inner()
        build.circuit.governed(middle, base, (middle, base, supply), Linear((1.0, -0.5, -0.5)))
        law = Amplified(1e3, 0.0, 0.1, 0.1, 0.01, math.sqrt(2 * watts / SPEAKER_OHM))
        branch = build.circuit.governed(out, base, (middle, out, base, supply, out), law)
        build.sourced(supply, base, branch)
    build.tie_alike(pins)
    own_current(build, part, supply, base)
    build.assume(part.ref, "without a signal: its outputs are at half its supply")
    return "audio amplifier, without a signal"


def is_input_of_amplifier(name: str) -> bool:
    """Tell pins that take no current by their names."""
    return bool(re.fullmatch(r"IN\d?[+-]", name))
