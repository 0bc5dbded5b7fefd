"""Diodes of all kinds, one or several in a body, by the points of their curve that the catalogue tells."""

from __future__ import annotations

import re
from typing import Final

from vane_step.core.circuit.electrics import forward_volts
from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model

# Ideality where one point of the curve is known (rule of thumb, told with the answer).
SCHOTTKY, SILICON, LIGHT = 1.1, 1.8, 2.0
# Below this a forward voltage is a Schottky diode's.
SCHOTTKY_V: Final = 0.66
# Zener voltages are told at 5 mA (rule of thumb); the knee runs through a tenth of a volt at it.
ZENER_A, KNEE_V = 5e-3, 0.1


def ideality(vf_v: float, light: bool = False) -> float:
    """Give the ideality of a diode by its forward voltage."""
    return LIGHT if light else SCHOTTKY if vf_v < SCHOTTKY_V else SILICON


def put_diode(build: Build, part: Part, anode: int, cathode: int, *, light: bool = False) -> str:
    """Put one diode in by its forward point, and its breakdown where it is told."""
    vf = part.params.get("vf_v") or (forward_volts(part) if light else None)
    zener = part.params.get("vz_v")
    amps = part.params.get("if_a", 0.02 if light else 0.01)
    if vf is None:
        vf, amps = (2.0, 0.02) if light else (0.7, 0.01)
        build.assume(part.ref, f"{vf:g} V at {amps * 1e3:g} mA (rule of thumb)")
    n = ideality(vf, light)
    build.assume(part.ref, f"slope of its curve: ideality {n:g} (rule of thumb; one point is known)")
    build.circuit.diode(anode, cathode, vf, amps, n)
    if zener is not None:
        volts = build.vary(part, "vz_v", zener, part.params.get("tolerance_pct"))
        build.circuit.diode(cathode, anode, KNEE_V, ZENER_A, SCHOTTKY, volts - KNEE_V)
        build.assume(part.ref, "its zener voltage is told at 5 mA (rule of thumb)")
        return "diode with breakdown"
    return "light-emitting diode" if light else "diode"


@model(20)
def diode(build: Build, part: Part, pins: Pins) -> str | None:
    """A diode or LED of two pins: pin 1 is the cathode."""
    if part.kind not in ("diode", "led") or len(part.pins) != 2:
        return None
    cathode, anode = build.ends(part)
    if pins.has("A", "K"):
        anode, cathode = pins.at("A"), pins.at("K")
    return put_diode(build, part, anode, cathode, light=part.kind == "led")


@model(20)
def several(build: Build, part: Part, pins: Pins) -> str | None:
    """Two diodes with a common end or in series, bridges, protection of lines."""
    if part.kind != "card":
        return None
    if pins.has("+", "-") and any(n.startswith("~") for n in pins.named):
        for name in pins.named:
            if name.startswith("~"):
                put_diode(build, part, pins.at(name), pins.at("+"))
                put_diode(build, part, pins.at("-"), pins.at(name))
        return "bridge of diodes"
    if "vz_v" in part.params and "cj_f" in part.params:
        ground = pins.ground()
        for name in pins.named:
            if re.fullmatch(r"IO\d\w?|VBUS|VDD", name):
                put_diode(build, part, ground, pins.at(name))
        build.tie_alike(pins)
        return "protection of lines"
    if not {"vf_v", "if_a"} <= part.params.keys() or any(p.role == "supply-in" for p in part.pins):
        return None
    if "ctr" in part.params or "ic_a" in part.params or "i_a" in part.params:
        return None
    pairs = _pairs(pins)
    light = part.params["if_a"] <= 0.05 and part.params["vf_v"] >= 1.5
    for anode, cathode in pairs:
        put_diode(build, part, pins.at(anode), pins.at(cathode), light=light)
    return "diodes" if pairs else None


def _pairs(pins: Pins) -> list[tuple[str, str]]:
    """Give anode and cathode of each diode by the names of the pins."""
    names = list(pins.named)
    if pins.has("A", "M", "K"):
        return [("A", "M"), ("M", "K")]
    colours = [n for n in names if n in ("R", "G", "B") or re.fullmatch(r"S(A|B|C|D|E|F|G|DP)", n)]
    digits = [n for n in names if re.fullmatch(r"DIG\d", n)]
    if colours and (pins.has("K") or pins.has("A")):
        return [(c, "K") if pins.has("K") else ("A", c) for c in colours]
    if colours and digits:
        # Which end the digits are, the number of the part would tell; anodes at the segments are the usual.
        return [(c, d) for d in digits for c in colours]
    rows = [n for n in names if re.fullmatch(r"R\d", n)]
    columns = [n for n in names if re.fullmatch(r"C\d", n)]
    if len(rows) == len(columns) == 8:
        # Anodes in rows are the usual; the sheet of the part tells.
        return [(r, c) for r in rows for c in columns]
    numbered = [n[1:] for n in names if re.fullmatch(r"A.+", n) and f"K{n[1:]}" in names]
    if numbered:
        return [(f"A{k}", f"K{k}") for k in numbered]
    anodes = [n for n in names if re.fullmatch(r"A\d*", n)]
    cathodes = [n for n in names if re.fullmatch(r"K\d*", n)]
    if len(anodes) == 1 or len(cathodes) == 1:
        return [(a, k) for a in anodes for k in cathodes]
    return []
