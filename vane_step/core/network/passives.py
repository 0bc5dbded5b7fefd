"""Resistors, capacitors, coils, fuses and what else has two ends and a value; nothing that switches is here."""

from __future__ import annotations

import math
import re
from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import JOIN_OHM, Build, Pins, model

# Drop of a fuse at its rating (rule of thumb: 0.1 V), and resistance of a closed contact.
FUSE_V: Final = 0.1
KELVIN: Final = 273.15
# Series resistance of a capacitor where none is known (rule of thumb): with poles, and without.
ESR_POLAR_OHM, ESR_OHM = 0.2, 0.01
# A light-dependent resistor in the dark against its value in light (rule of thumb).
DARK: Final = 50.0


@model(10)
def resistor(build: Build, part: Part, pins: Pins) -> str | None:
    """A resistor of two pins."""
    if part.kind != "resistor" or len(part.pins) != 2:
        return None
    ohm = _ohms(build, part)
    if ohm is None:
        return "none"
    build.circuit.resistor(*build.ends(part), max(ohm, JOIN_OHM))
    return "resistor"


def _ohms(build: Build, part: Part) -> float | None:
    """Give a part's resistance as it is in this sample; where none is said that is noted."""
    ohm = build.value(part, "r_ohm")
    if ohm is None:
        build.unmodelled[part.ref] = "no resistance said"
        return None
    return build.vary(part, "r_ohm", ohm, part.params.get("tolerance_pct"))


@model(10)
def thermistor(build: Build, part: Part, pins: Pins) -> str | None:
    """A resistor that follows temperature or light."""
    if part.kind != "thermistor" or len(part.pins) != 2:
        return None
    ohm = _ohms(build, part)
    if ohm is None:
        return "none"
    beta = part.params.get("beta_k")
    said = build.position(part, "")
    if beta is not None:
        match = re.fullmatch(r"([+-]?\d+(?:[.,]\d+)?)\s*°?C?", said)
        celsius = float(match[1].replace(",", ".")) if match else build.ambient_c
        ohm *= math.exp(beta * (1 / (celsius + KELVIN) - 1 / (25 + KELVIN)))
        name = f"thermistor at {celsius:g} °C"
    else:
        dark = said == "dark"
        ohm *= DARK if dark else 1.0
        name = f"light resistor, {'dark' if dark else 'lit'}"
    build.circuit.resistor(*build.ends(part), ohm)
    return name


@model(10)
def capacitor(build: Build, part: Part, pins: Pins) -> str | None:
    """A capacitor with its series resistance; nothing flows in it once all is steady, and most while it is empty."""
    if part.kind not in ("capacitor", "polar-capacitor") or len(part.pins) != 2:
        return None
    farad = build.value(part, "c_f")
    if farad is None or farad <= 0:
        build.unmodelled[part.ref] = "no capacitance said"
        return "none"
    a, b = build.ends(part)
    farad = build.vary(part, "c_f", farad, part.params.get("tolerance_pct"))
    if build.setting.empty:
        usual = ESR_POLAR_OHM if part.kind == "polar-capacitor" else ESR_OHM
        build.circuit.resistor(a, b, max(part.params.get("esr_ohm", usual), JOIN_OHM))
        return "capacitor that is empty"
    build.circuit.capacitor(a, b, farad, part.params.get("esr_ohm", 0.0))
    return "capacitor"


@model(10)
def inductor(build: Build, part: Part, pins: Pins) -> str | None:
    """A coil with its winding."""
    if part.kind != "inductor" or len(part.pins) != 2:
        return None
    henry = build.value(part, "l_h")
    if henry is None or henry <= 0:
        build.unmodelled[part.ref] = "no inductance said"
        return "none"
    ohm = build.figure(part, "dcr_ohm", 0.05, "winding of 0.05 Ω (rule of thumb)")
    assert ohm is not None
    henry = build.vary(part, "l_h", henry, part.params.get("tolerance_pct"))
    build.coils[part.ref] = build.circuit.inductor(*build.ends(part), henry, ohm)
    return "coil with its winding"


@model(10)
def choke(build: Build, part: Part, pins: Pins) -> str | None:
    """The two windings of a common-mode choke, one by one."""
    if not pins.has("A1", "A2", "B1", "B2") or not {"l_h", "dcr_ohm"} <= part.params.keys():
        return None
    for way in "AB":
        build.circuit.resistor(pins.at(f"{way}1"), pins.at(f"{way}2"), max(part.params["dcr_ohm"], JOIN_OHM))
    build.assume(part.ref, "the coupling of its windings is left out")
    return "choke, windings only"


@model(10)
def fuse(build: Build, part: Part, pins: Pins) -> str | None:
    """A fuse that has not blown."""
    if part.kind != "fuse" or len(part.pins) != 2:
        return None
    rated = part.params.get("i_a")
    usual = FUSE_V / rated if rated else 0.05
    ohm = build.figure(part, "r_ohm", usual, f"{usual:.2g} Ω (rule of thumb: 0.1 V at its rating)")
    assert ohm is not None
    if build.position(part, "whole") == "blown":
        return "fuse, blown"
    build.circuit.resistor(*build.ends(part), max(ohm, JOIN_OHM))
    return "fuse"


@model(10)
def open_part(build: Build, part: Part, pins: Pins) -> str | None:
    """What carries no steady current: crystals, resonators, antennas, test points, hardware."""
    resonates = "freq_hz" in part.params and not any(p.role in ("supply-in", "output") for p in part.pins)
    arrests = part.params.keys() & {"ppk_w", "vmax_v"} and not part.params.keys() & {
        "i_a",
        "power_w",
        "r_ohm",
        "ways",
    }
    if (
        part.kind == "crystal"
        or (resonates and part.kind == "card")
        or (arrests and len(part.pins) == 2 and part.kind == "card")
    ):
        return "open for direct current"
    return None


@model(12)
def network(build: Build, part: Part, pins: Pins) -> str | None:
    """Several resistors in one body: with a common end, separate, a shunt with taps, a bridge of four."""
    ohm = part.params.get("r_ohm")
    if ohm is None or part.kind != "card":
        return None
    ohm = build.vary(part, "r_ohm", ohm, part.params.get("tolerance_pct"))
    if pins.has("I+", "I-"):
        build.circuit.resistor(pins.at("I+"), pins.at("I-"), max(ohm, 1e-6))
        for tap in ("S+", "S-"):
            if tap in pins.named:
                build.circuit.resistor(pins.at(f"I{tap[1]}"), pins.at(tap), JOIN_OHM)
        return "shunt with taps"
    if pins.has("COM", "R1"):
        for name in pins.named:
            if re.fullmatch(r"R\d+", name):
                build.circuit.resistor(pins.at("COM"), pins.at(name), ohm)
        return "resistors with a common end"
    if pins.has("E+", "E-", "S+", "S-"):
        for a, b in (("E+", "S+"), ("S+", "E-"), ("E+", "S-"), ("S-", "E-")):
            build.circuit.resistor(pins.at(a), pins.at(b), ohm)
        return "bridge of four, without load"
    if pins.has("A1", "B1") and not any(p.role == "supply-in" for p in part.pins) and not pins.has("W1"):
        for k in range(1, 20):
            if pins.has(f"A{k}", f"B{k}"):
                build.circuit.resistor(pins.at(f"A{k}"), pins.at(f"B{k}"), ohm)
        return "separate resistors"
    return None


@model(12)
def potentiometer(build: Build, part: Part, pins: Pins) -> str | None:
    """A trimmer or potentiometer at a position, one half where nobody said it; digital ones likewise."""
    tracks = [k for k in ("", "1", "2", "X", "Y") if pins.has(*_track(k))]
    if "r_ohm" not in part.params or not tracks:
        return None
    share = percent(build.position(part, "50%"))
    ohm = build.vary(part, "r_ohm", part.params["r_ohm"], part.params.get("tolerance_pct"))
    for k in tracks:
        a, wiper, b = (pins.at(n) for n in _track(k))
        # From A to the wiper lies the share it is turned by.
        build.circuit.resistor(a, wiper, max(ohm * share, 0.1))
        build.circuit.resistor(wiper, b, max(ohm * (1 - share), 0.1))
    return f"potentiometer at {share:.0%}"


def _track(k: str) -> tuple[str, str, str]:
    return (f"{k}A", f"{k}W", f"{k}B") if k in ("X", "Y") else (f"A{k}", f"W{k}", f"B{k}")


def percent(text: str) -> float:
    """Read a position such as ``30%`` as a share from 0 to 1; one half where it is none."""
    match = re.fullmatch(r"(\d+(?:[.,]\d+)?)\s*%", text.strip())
    return min(1.0, max(0.0, float(match[1].replace(",", ".")) / 100)) if match else 0.5


@model(14)
def plain_load(build: Build, part: Part, pins: Pins) -> str | None:
    """What draws its rated current at its rated voltage: motors, pumps, valves, lamps, sounders, heaters, speakers."""
    if len(part.pins) != 2 or part.kind not in ("card", "sounder") or "coil_v" in part.params:
        return None
    amps, volts = part.params.get("i_a"), part.params.get("vmax_v")
    ohm = part.params.get("r_ohm", part.params.get("coil_ohm"))
    loads = part.kind == "sounder" or "inductive" in part.params or "power_w" in part.params
    if not loads or (ohm is None and (not amps or not volts)):
        return None
    if ohm is None:
        assert amps and volts
        ohm = volts / amps
    build.circuit.resistor(*build.ends(part), ohm)
    return "load, its rated current at its rated voltage"
