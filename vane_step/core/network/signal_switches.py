"""Switches of signals inside parts: analogue switches, each by its input, and multiplexers by an address."""

from __future__ import annotations

import re

from vane_step.core.design.model import Part
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.network.regulators import own_current
from vane_step.core.solve.laws import Linear
from vane_step.core.solve.switching_laws import Selected, Switched


@model(30)
def analogue_switch(build: Build, part: Part, pins: Pins) -> str | None:
    """Analogue switches, each opened and closed by its input."""
    pairs = [k for k in range(1, 9) if pins.has(f"A{k}", f"B{k}", f"EN{k}")]
    supply = pins.supply()
    if not pairs or "r_ohm" not in part.params or supply is None:
        return None
    base = pins.ground()
    middle = build.circuit.inner()
    build.circuit.governed(middle, base, (middle, base, supply), Linear((1.0, -0.5, -0.5)))
    for k in pairs:
        a, b = pins.at(f"A{k}"), pins.at(f"B{k}")
        build.circuit.governed(
            a, b, (pins.at(f"EN{k}"), middle, a, b), Switched(0.0, part.params["r_ohm"], 1e9)
        )
    own_current(build, part, supply, base)
    return "analogue switches"


@model(30)
def multiplexer(build: Build, part: Part, pins: Pins) -> str | None:
    """Analogue multiplexers: each common pin joined to the one the address picks, none while INH is high."""
    supply, ohm = pins.supply(), part.params.get("r_ohm")
    if supply is None or ohm is None or not pins.has("A", "INH"):
        return None
    ground = pins.at("GND") if "GND" in pins.named else pins.ground()
    address = [n for n in "ABC" if n in pins.named]
    inputs = (*(pins.at(n) for n in address), pins.at("INH"))
    found = False
    for common in ("X", "Y", "Z"):
        for name in pins.named:
            if common in pins.named and (match := re.fullmatch(rf"{common}(\d)", name)):
                at = int(match[1])
                wanted = (*(bool(at >> k & 1) for k in range(len(address))), False)
                path = (pins.at(common), pins.at(name))
                build.circuit.governed(*path, (*path, ground, supply, *inputs), Selected(wanted, ohm))
                found = True
    if not found:
        return None
    own_current(build, part, supply, ground)
    return "analogue multiplexer"
