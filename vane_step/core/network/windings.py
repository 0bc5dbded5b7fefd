"""What has several windings or only a capsule: transformers of signals, stepper motors, microphone capsules."""

from __future__ import annotations

from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.solve.laws import Linear, SteadyCurrent

# A winding of a stepper motor at its rated current (rule of thumb; `rating M1 r_ohm=2ohm` says it).
STEPPER_V: Final = 4.0
# Transformers of signals: winding and magnetising inductance where no rating tells them (rules of thumb).
WINDING_OHM, WINDING_H = 50.0, 1.0


@model(14)
def stepper(build: Build, part: Part, pins: Pins) -> str | None:
    """A stepper motor at rest: its two windings."""
    if not pins.has("A+", "A-", "B+", "B-") or "i_a" not in part.params:
        return None
    usual = STEPPER_V / part.params["i_a"]
    ohm = build.figure(
        part, "r_ohm", usual, f"{usual:.2g} Ω a winding (rule of thumb: {STEPPER_V:g} V at its rating)"
    )
    assert ohm is not None
    for way in "AB":
        build.circuit.resistor(pins.at(f"{way}+"), pins.at(f"{way}-"), ohm)
    return "windings of a stepper motor"


@model(14)
def capsule(build: Build, part: Part, pins: Pins) -> str | None:
    """A microphone capsule of two pins: it draws its own current."""
    if (
        len(part.pins) != 2
        or not pins.has("+", "-")
        or "iq_a" not in part.params
        or "supply_min_v" not in part.params
    ):
        return None
    ends = (pins.at("+"), pins.at("-"))
    build.circuit.governed(*ends, ends, SteadyCurrent(part.params["iq_a"], 0.5 * part.params["supply_min_v"]))
    return "microphone capsule"


@model(9)
def transformer(build: Build, part: Part, pins: Pins) -> str | None:
    """A transformer of signals: windings coupled by their turns, the first with its magnetising inductance.

    One for the mains gives what a rectifier makes of alternating current, which no operating point knows: it is named.
    """
    if pins.has("L", "N", "S1"):
        build.unmodelled[part.ref] = (
            "works with alternating current: say what its rectifier gives as a source"
        )
        return "none"
    if not pins.has("A1", "A2", "B1", "B2") or part.kind != "card" or "power_w" not in part.params:
        return None
    turns = build.figure(part, "turns", 1.0, "one to one")
    ohm = build.figure(part, "dcr_ohm", WINDING_OHM, f"{WINDING_OHM:g} Ω a winding (rule of thumb)")
    henry = build.figure(part, "l_h", WINDING_H, f"{WINDING_H:g} H (rule of thumb)")
    assert turns and ohm and henry
    inner, circuit = build.circuit.inner(), build.circuit
    circuit.resistor(pins.at("A1"), inner, ohm)
    circuit.inductor(inner, pins.at("A2"), henry, 1e-3)
    far = circuit.inner()
    # The second winding has the voltage of the first's inductance over the turns; its current comes back in the first.
    reads = (far, pins.at("B2"), inner, pins.at("A2"))
    coupled = circuit.governed(far, pins.at("B2"), reads, Linear((1.0, -1.0, -1 / turns, 1 / turns)))
    circuit.copy(inner, pins.at("A2"), coupled, -1 / turns)
    circuit.resistor(pins.at("B1"), far, ohm / turns**2)
    for way in "AB":
        if f"{way}M" in pins.named:
            middle = pins.at(f"{way}M")
            circuit.resistor(pins.at(f"{way}1"), middle, 1e6)
            circuit.resistor(middle, pins.at(f"{way}2"), 1e6)
            if pins.connected(f"{way}M"):
                build.assume(part.ref, "its middle taps are left open")
    return "transformer of signals"
