"""Linear regulators, references, load switches, chargers and what else passes a current on; what switches is beside
it."""

from __future__ import annotations

from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import JOIN_OHM, Build, Pins, model
from vane_step.core.solve.laws import Delivery, Shunt, SteadyCurrent
from vane_step.core.solve.switching_laws import Switched

# Where the catalogue tells no limit, a regulator holds back at this many times its rated current (rule of thumb).
HOLDS_BACK: Final = 1.25
ENABLE_V: Final = 1.2
# Current out of the adjust pin of a regulator that floats (typical of the kind).
ADJUST_A: Final = 50e-6
# The parasitic diode of a pass transistor, from the output back to the input.
BACK_V: Final = 0.7
ENABLES: Final = ("EN", "CE", "SHDN", "ON")


def own_current(build: Build, part: Part, plus: int, minus: int) -> None:
    """Put in what a part takes for itself, where the catalogue tells it."""
    amps = part.params.get("iq_a")
    if amps:
        least = max(0.5, abs(part.params.get("supply_min_v", part.params.get("vin_min_v", 1.0))) * 0.9)
        build.circuit.governed(plus, minus, (plus, minus), SteadyCurrent(amps, least))
    else:
        build.assume(part.ref, "its own current is not known and left out")


def enable_of(build: Build, pins: Pins, base: int) -> tuple[float | None, tuple[int, ...]]:
    """Give the threshold and the reads of an enable pin; none where there is no such pin."""
    name = pins.first(*ENABLES)
    if name is None:
        return None, ()
    build.assume(pins.part.ref, f"on above {ENABLE_V:g} V at {name} (rule of thumb)")
    return ENABLE_V, (pins.at(name), base)


@model(5)
def linear(build: Build, part: Part, pins: Pins) -> str | None:
    """A linear regulator, fixed or set by a divider, above or below ground."""
    if "dropout_v" not in part.params or not pins.has("IN", "OUT"):
        return None
    into, out = pins.at("IN"), pins.at("OUT")
    floats = "GND" not in pins.named
    base = build.reference if floats else pins.ground()
    held, reads = part.params.get("vout_v"), (out, base)
    sets = pins.first("ADJ", "FB")
    if sets is not None and "vref_v" in part.params:
        held = part.params["vref_v"]
        reads = (out, pins.at(sets)) if floats else (pins.at(sets), base)
    if held is None:
        build.unmodelled[part.ref] = "no output voltage said"
        return "none"
    below = held < 0
    tolerance = part.params.get("tolerance_pct", 4.0 if sets else None)
    held = build.vary(part, "vref_v" if sets else "vout_v", held, tolerance)
    most = part.params.get("iout_a", 1.0)
    enable, more = enable_of(build, pins, base)
    law = Delivery(
        abs(held),
        HOLDS_BACK * most,
        part.params["dropout_v"],
        ohm=1e-4,
        way=-1.0 if below else 1.0,
        enable_v=enable,
    )
    branch = build.circuit.governed(out, base, (*reads, out, base, into, base, *more), law)
    # What the output gives comes in at the input.
    build.circuit.copy(into, base, branch, -1.0)
    iq = part.params.get("iq_a", 0.0)
    if floats:
        # It floats: its own current leaves by the output, and the adjust pin gives a little.
        assert sets is not None
        build.circuit.governed(into, pins.at(sets), (into, pins.at(sets)), SteadyCurrent(ADJUST_A, 1.0))
        build.assume(part.ref, "50 µA out of its adjust pin (typical of the kind)")
    elif iq:
        ends = (base, into) if below else (into, base)
        build.circuit.governed(*ends, ends, SteadyCurrent(iq, 0.5))
    build.circuit.diode(*((into, out) if below else (out, into)), BACK_V, most, 1.8)
    build.assume(part.ref, f"holds back at {HOLDS_BACK:g} times its rated current (rule of thumb)")
    build.tie_alike(pins)
    build.stage(part, "linear", (into, base), (out, base), branch, most, part.params["dropout_v"])
    return "linear regulator"


@model(5)
def reference(build: Build, part: Part, pins: Pins) -> str | None:
    """A voltage reference: a shunt that holds a voltage down, or one in series."""
    if "vout_v" not in part.params or "iout_a" not in part.params:
        return None
    if pins.has("K", "A"):
        held = build.vary(
            part, "vout_v", part.params.get("vref_v", part.params["vout_v"]), part.params.get("tolerance_pct")
        )
        k, a = pins.at("K"), pins.at("A")
        reads = (pins.at("REF"), a) if pins.has("REF") else (k, a)
        build.circuit.governed(k, a, (*reads, k, a), Shunt(held, part.params["iout_a"] * HOLDS_BACK))
        if iq := part.params.get("iq_a"):
            build.circuit.governed(k, a, (k, a), SteadyCurrent(iq, 0.5))
        return "shunt reference"
    if pins.has("IN", "OUT", "GND") and "fsw_hz" not in part.params and "efficiency" not in part.params:
        into, out, base = pins.at("IN"), pins.at("OUT"), pins.at("GND")
        held = build.vary(part, "vout_v", part.params["vout_v"], part.params.get("tolerance_pct"))
        most = part.params["iout_a"]
        drop = max(part.params.get("vin_min_v", held + 0.3) - held, 0.05)
        branch = build.circuit.governed(
            out, base, (out, base, out, base, into, base), Delivery(held, HOLDS_BACK * most, drop, ohm=1e-4)
        )
        build.circuit.copy(into, base, branch, -1.0)
        own_current(build, part, into, base)
        build.stage(part, "reference", (into, base), (out, base), branch, most, drop)
        return "series reference"
    return None


@model(5)
def load_switch(build: Build, part: Part, pins: Pins) -> str | None:
    """A path with a resistance that an input opens and closes: load switches, electronic fuses."""
    if "rds_ohm" not in part.params or "vgsth_v" in part.params or "OUT" not in pins.named:
        return None
    source = "VS" if "VS" in pins.named else "IN"
    control = "IN" if source == "VS" else pins.first(*ENABLES)
    if source not in pins.named:
        return None
    into, out, base = pins.at(source), pins.at("OUT"), pins.ground()
    ohm, most = part.params["rds_ohm"], part.params.get("i_a", 1.0)
    if control is None:
        branch = build.circuit.source(out, into, 0.0, ohm)
    else:
        law = Switched(ENABLE_V, ohm, 1e8)
        branch = build.circuit.governed(out, into, (pins.at(control), base, out, into), law)
        build.assume(part.ref, f"on above {ENABLE_V:g} V at {control} (rule of thumb)")
    _tie_numbered(build, pins)
    build.stage(part, "switch", (into, base), (out, base), branch, most, 0.0)
    return "load switch"


def _tie_numbered(build: Build, pins: Pins) -> None:
    for name in ("IN", "OUT"):
        for k in "23456":
            if f"{name}{k}" in pins.named and pins.connected(f"{name}{k}"):
                build.circuit.resistor(pins.at(name), pins.at(f"{name}{k}"), JOIN_OHM)


@model(5)
def ideal_diode(build: Build, part: Part, pins: Pins) -> str | None:
    """A controller that lets current through one way only, with 20 mV at its rated current."""
    if pins.has("ANODE", "CATHODE"):
        a, k = pins.at("ANODE"), pins.at("CATHODE")
        build.circuit.diode(a, k, 0.02, 1.0, 0.05)
        if "GATE" in pins.named:
            # Its transistor is part of the path above; its gate is held off here.
            build.circuit.resistor(pins.at("GATE"), a, 1e3)
        build.assume(part.ref, "it and its transistor together drop 20 mV at 1 A")
        return "ideal diode"
    if pins.has("IN1", "IN2", "OUT") and not any(p.role == "output" for p in part.pins):
        for name in ("IN1", "IN2"):
            build.circuit.diode(pins.at(name), pins.at("OUT"), 0.1, part.params.get("i_a", 2.0), 0.1)
        build.assume(part.ref, "drops 0.1 V at its rated current; the higher input feeds")
        return "two ideal diodes"
    return None


@model(5)
def charger(build: Build, part: Part, pins: Pins) -> str | None:
    """A charger of one cell: a steady current up to its end voltage, passed on from the input."""
    cell = "BAT" if "BAT" in pins.named else "B+" if "B+" in pins.named else None
    into = pins.first("IN", "IN+")
    if cell is None or into is None or "iout_a" not in part.params:
        return None
    plus, base = pins.at(cell), pins.ground()
    source = pins.at(into)
    held = part.params.get("vout_v", 4.2)
    enable, more = enable_of(build, pins, base) if "CE" in pins.named else (None, ())
    law = Delivery(held, part.params["iout_a"], 0.2, ohm=1e-4, enable_v=enable)
    branch = build.circuit.governed(plus, base, (plus, base, plus, base, source, base, *more), law)
    build.circuit.copy(source, base, branch, -1.0)
    if "OUT+" in pins.named:
        build.circuit.resistor(plus, pins.at("OUT+"), 0.05)
        for a, b in (("B-", "OUT-"), ("IN-", "OUT-")):
            if pins.has(a, b):
                build.circuit.resistor(pins.at(a), pins.at(b), 0.03 if a == "B-" else JOIN_OHM)
    build.assume(
        part.ref, "charges with the most its part number tells; its programming resistor is not read"
    )
    build.stage(part, "charger", (source, base), (plus, base), branch, part.params["iout_a"], 0.2)
    return "charger"


@model(5)
def supervisor(build: Build, part: Part, pins: Pins) -> str | None:
    """A reset supervisor: holds its open drain down while its supply is under the threshold."""
    if "vth_v" not in part.params or "RESET" not in pins.named or "gbw_hz" in part.params:
        return None
    supply, base, out = pins.supply(), pins.ground(), pins.at("RESET")
    if supply is None:
        return None
    held = build.vary(part, "vth_v", part.params["vth_v"], part.params.get("tolerance_pct", 1.5))
    law = Switched(held, 50.0, 1e9, inverted=True)
    build.circuit.governed(out, base, (supply, base, out, base), law)
    own_current(build, part, supply, base)
    return "reset supervisor"
