"""Transistors of all kinds and couplers of light; which gates drive them is the circuit's affair."""

from __future__ import annotations

import re
from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model

# Base to emitter of small transistors at a fiftieth of their greatest current (rule of thumb), of two in one body
# twice.
BASE_V, BASE_SHARE = 0.65, 0.02
PAIR_GAIN: Final = 1000
BODY_V: Final = 0.8
# Gate voltage at which a junction field-effect transistor carries nothing any more (rule of thumb).
PINCH_V: Final = -2.0


def conducts_down(part: Part) -> bool:
    """Tell NPN and N-channel parts, whose collector or drain is said to pull down, from their counterparts."""
    return any(p.role == "open-drain" for p in part.pins)


@model(20)
def bipolar(build: Build, part: Part, pins: Pins) -> str | None:
    """A bipolar transistor, a pair in one body, or one with its resistors."""
    if not pins.has("B", "C", "E") or "ctr" in part.params:
        return None
    most = part.params.get("ic_a")
    if most is None:
        build.unmodelled[part.ref] = "no ratings: collector current and gain"
        return "none"
    gain = build.figure(part, "hfe", 100.0, "gain 100 (rule of thumb)") or 100.0
    pair = gain >= PAIR_GAIN
    build.assume(
        part.ref,
        f"{2 * BASE_V if pair else BASE_V:g} V from base to emitter at a fiftieth of its current (rule of thumb)",
    )
    base = pins.at("B")
    if "r_base_ohm" in part.params:
        inner = build.circuit.inner()
        build.circuit.resistor(base, inner, part.params["r_base_ohm"])
        build.circuit.resistor(inner, pins.at("E"), part.params.get("r_be_ohm", 1e9))
        base = inner
    build.circuit.bipolar(
        pins.at("C"),
        base,
        pins.at("E"),
        gain,
        2 * BASE_V if pair else BASE_V,
        most * BASE_SHARE,
        pnp=not conducts_down(part),
        ideality=2.0 if pair else 1.0,
    )
    return f"bipolar transistor, gain {gain:g}"


@model(20)
def field_effect(build: Build, part: Part, pins: Pins) -> str | None:
    """One or two field-effect transistors with their body diodes."""
    if "rds_ohm" not in part.params or "vgsth_v" not in part.params:
        return None
    ends = [(k, d) for k in ("", "1", "2") for d in (f"D{k}",) if pins.has(f"G{k}", f"S{k}", d)]
    if not ends:
        return None
    p_channel = not conducts_down(part)
    threshold, ohm = part.params["vgsth_v"], part.params["rds_ohm"]
    on_v = part.params.get("vgs_v", threshold + 2.0)
    # Drains and sources of several pins are one inside.
    for k, drain in ends:
        for name in pins.named:
            if k == "" and re.fullmatch(r"[DS]\d", name):
                build.circuit.resistor(pins.at(name[0]), pins.at(name), 1e-3)
            elif k and name == f"D{k}B":
                build.circuit.resistor(pins.at(drain), pins.at(name), 1e-3)
        d, g, s = pins.at(drain), pins.at(f"G{k}"), pins.at(f"S{k}")
        build.circuit.fet(d, g, s, threshold, ohm, on_v, p_channel=p_channel)
        body = (d, s) if p_channel else (s, d)
        build.circuit.diode(*body, BODY_V, part.params.get("id_a", 1.0), 1.5)
    build.assume(part.ref, "body diode of 0.8 V at its rated current (rule of thumb)")
    return f"{'P' if p_channel else 'N'}-channel FET with its body diode"


@model(20)
def junction_gate(build: Build, part: Part, pins: Pins) -> str | None:
    """An N-channel junction field-effect transistor: on without a gate voltage, its gate a diode to both ends."""
    if not pins.has("D", "G", "S") or "vgsth_v" in part.params or not {"vds_v", "id_a"} <= part.params.keys():
        return None
    d, g, s = (pins.at(n) for n in "DGS")
    most = part.params["id_a"]
    build.circuit.fet(d, g, s, PINCH_V, -PINCH_V / (2 * most), 0.0)
    build.circuit.diode(g, s, 0.7, 1e-3, 1.5)
    build.circuit.diode(g, d, 0.7, 1e-3, 1.5)
    build.assume(
        part.ref, f"carries nothing below {PINCH_V:g} V at its gate, its rated current at 0 V (rule of thumb)"
    )
    return "junction FET"


@model(20)
def insulated_gate(build: Build, part: Part, pins: Pins) -> str | None:
    """An insulated-gate bipolar transistor: a channel behind its saturation voltage."""
    if not pins.has("G", "C", "E") or not {"vsat_v", "vgsth_v"} <= part.params.keys():
        return None
    inner = build.circuit.inner()
    most = part.params["ic_a"]
    vsat = part.params["vsat_v"]
    build.circuit.diode(pins.at("C"), inner, 0.8 * vsat, most, 1.8)
    on_v = part.params.get("vgs_v", 15.0)
    build.circuit.fet(inner, pins.at("G"), pins.at("E"), part.params["vgsth_v"], 0.2 * vsat / most, on_v)
    return "insulated-gate transistor"


@model(20)
def coupler(build: Build, part: Part, pins: Pins) -> str | None:
    """An optocoupler or light barrier: the transistor carries its share of what the diode carries."""
    if not {"vf_v", "if_a"} <= part.params.keys() or not any(n.startswith("C") for n in pins.named):
        return None
    if any(p.role == "supply-in" for p in part.pins):
        return None
    pct = build.figure(part, "ctr", 20.0, "transfer ratio 20 % (rule of thumb)")
    assert pct is not None
    found = False
    for k in ("", "1", "2"):
        if not pins.has(f"A{k}", f"K{k}", f"C{k}", f"E{k}"):
            continue
        found = True
        inner = build.circuit.inner()
        sense = build.circuit.conductor(pins.at(f"A{k}"), inner)
        build.circuit.diode(inner, pins.at(f"K{k}"), part.params["vf_v"], part.params["if_a"], 1.8)
        gain, base = 100.0, build.circuit.inner()
        build.circuit.bipolar(
            pins.at(f"C{k}"), base, pins.at(f"E{k}"), gain, BASE_V, part.params.get("ic_a", 0.05) * BASE_SHARE
        )
        # What light brings to the base.
        build.circuit.copy(pins.at(f"C{k}"), base, sense, pct / 100 / (gain + 1))
    return f"coupler, {pct:g} %" if found else None
