"""Outputs that follow their inputs with power: drivers of gates, bridges for motors, arrays of drivers, buffers that
can let go; logic whose truth table is told is in ``digital``."""

from __future__ import annotations

import re
from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.network.regulators import own_current
from vane_step.core.solve.laws import Linear
from vane_step.core.solve.switching_laws import Steered, Switched

# What a bridge or driver drops at its rated current, at each end, and gate drivers at their peak (rules of thumb).
DROP_V: Final = 0.5
# Low-side arrays of pairs: what they drop at nothing and at their rated current, what their inputs look like.
PAIR_V, PAIR_RISE_V = 0.7, 0.6
INPUT_OHM, INPUT_V = 2700.0, 1.4
# Levels all of them read as high (rule of thumb).
READS_V: Final = 1.5
BUFFER_OHM: Final = 25.0
# What such parts hold their inputs low with while nobody drives them (usual of the kind).
PULLED_OHM: Final = 100e3
# Output, its input, and inputs that must be high for it to do anything, in the words of the pins.
FOLLOWS: Final = (
    ("OUT", "IN", ("EN", "INH", "SD")),
    ("OUTA", "INA", ("ENA",)),
    ("OUTB", "INB", ("ENB",)),
    ("LO", "LIN", ()),
    ("HO", "HIN", ()),
    ("AO1", "AIN1", ("STBY", "PWMA")),
    ("AO2", "AIN2", ("STBY", "PWMA")),
    ("BO1", "BIN1", ("STBY", "PWMB")),
    ("BO2", "BIN2", ("STBY", "PWMB")),
    *((f"OUT{k}", f"IN{k}", ("EN1" if k < 3 else "EN2", "ENA" if k < 3 else "ENB")) for k in range(1, 5)),
)


@model(45)
def bridge(build: Build, part: Part, pins: Pins) -> str | None:
    """Drivers of gates, half and whole bridges: each output at its supply or ground by its input."""
    rated = part.params.get("ipeak_a", part.params.get("i_a"))
    supplies = [n for n in ("VM", "VS", "VM2", "VDD") if n in pins.named]
    pairs = [(o, i, lets) for o, i, lets in FOLLOWS if pins.has(o, i)]
    pairs = [(o, i, lets) for o, i, lets in pairs if pins.named[o][0].role == "output"]
    if rated is None or not supplies or not pairs or {"iout_a", "channels", "gbw_hz"} & part.params.keys():
        return None
    if any(pins.named[i][0].role != "input" for _, i, _ in pairs) or part.params.get("i2c_address"):
        return None
    base, top = pins.ground(), pins.at(supplies[0])
    build.tie_alike(pins)
    for out, given, lets in pairs:
        upper, lower, control = top, base, pins.at(given)
        if out == "HO" and pins.has("VB", "VS"):
            upper, lower = pins.at("VB"), pins.at("VS")
            build.circuit.diode(lower, upper, 0.7, 0.1, 1.5)
            # Its input counts from ground, the stage from its own lower end.
            control = build.circuit.inner()
            moved = (control, lower, pins.at(given), base)
            build.circuit.governed(control, base, moved, Linear((1.0, -1.0, -1.0, 1.0)))
        enabling = [n for n in lets if pins.connected(n)]
        law = Steered(DROP_V / rated, tuple(True for _ in enabling), threshold_v=READS_V)
        reads = (lower, upper, pins.at(out), control, *(pins.at(n) for n in enabling))
        branch = build.circuit.governed(pins.at(out), lower, reads, law)
        build.sourced(upper, lower, branch)
        for name in (given, *enabling):
            build.circuit.resistor(pins.at(name), base, PULLED_OHM)
        if f"{out}B" in pins.named:
            build.circuit.resistor(pins.at(out), pins.at(f"{out}B"), 1e-3)
    if out_supply := next((n for n in supplies[1:] if n != supplies[0] and n == "VDD"), None):
        own_current(build, part, pins.at(out_supply), base)
    else:
        own_current(build, part, top, base)
    build.assume(
        part.ref,
        f"drops {DROP_V:g} V at its rated current, reads {READS_V:g} V as high (rules of thumb), "
        "holds its inputs low with 100 kΩ (usual of the kind)",
    )
    return "bridge, outputs by their inputs"


@model(45)
def driver_array(build: Build, part: Part, pins: Pins) -> str | None:
    """Arrays of low-side pairs with their diodes, and of high-side drivers."""
    rated, count = part.params.get("i_a"), int(part.params.get("channels", 0))
    names = [(f"IN{k}", f"OUT{k}") for k in range(1, count + 1) if pins.has(f"IN{k}", f"OUT{k}")]
    if rated is None or len(names) < 2:
        return None
    base = pins.ground()
    high = "VS" in pins.named
    if not high and "COM" not in pins.named:
        return None
    for given, out in names:
        if high:
            law = Steered((PAIR_V + PAIR_RISE_V) / rated, pulls="up", threshold_v=READS_V)
            reads = (base, pins.at("VS"), pins.at(out), pins.at(given))
            build.sourced(pins.at("VS"), base, build.circuit.governed(pins.at(out), base, reads, law))
            continue
        inner = build.circuit.inner()
        build.circuit.diode(pins.at(out), inner, PAIR_V, rated / 20, 1.8)
        path = (pins.at(given), base, inner, base)
        build.circuit.governed(inner, base, path, Switched(READS_V, PAIR_RISE_V / rated, 1e9))
        knee = build.circuit.inner()
        build.circuit.resistor(pins.at(given), knee, INPUT_OHM)
        build.circuit.diode(knee, base, INPUT_V, 1e-3, 2.0)
        build.circuit.diode(pins.at(out), pins.at("COM"), 1.2, rated, 1.8)
    build.assume(part.ref, f"drops {PAIR_V + PAIR_RISE_V:g} V at its rated current (rule of thumb)")
    return f"array of {len(names)} drivers"


@model(45)
def letting_buffer(build: Build, part: Part, pins: Pins) -> str | None:
    """Buffers with an enabling input for each output or for all."""
    supply = pins.supply()
    sections = [k for k in ("", *"12345678") if pins.has(f"A{k}", f"Y{k}")]
    lets = [n for n in pins.named if re.fullmatch(r"OE\d?", n)]
    if supply is None or not sections or not lets or "truth" in part.params:
        return None
    base = pins.ground()
    for k in sections:
        enable = f"OE{k}" if f"OE{k}" in pins.named else lets[0]
        # Such inputs enable while low, as their kind does.
        law = Steered(BUFFER_OHM, (False,))
        reads = (base, supply, pins.at(f"Y{k}"), pins.at(f"A{k}"), pins.at(enable))
        build.sourced(supply, base, build.circuit.governed(pins.at(f"Y{k}"), base, reads, law))
    own_current(build, part, supply, base)
    build.assume(part.ref, "lets go while OE is high (usual of the kind)")
    return "buffer that can let go"


@model(45)
def cell_guard(build: Build, part: Part, pins: Pins) -> str | None:
    """Protection of a cell: both gates high while the cell is within its limits."""
    supply = pins.supply()
    if supply is None or not pins.has("OD", "OC", "CS"):
        return None
    base = pins.ground()
    for name in ("OD", "OC"):
        # What it holds its outputs with, some kiloohms (rule of thumb).
        build.circuit.resistor(supply, pins.at(name), 5e3)
    own_current(build, part, supply, base)
    build.assume(part.ref, "the cell is within its limits: both gates are on")
    return "protection of a cell"
