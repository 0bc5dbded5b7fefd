"""Controllers, logic and all else with a supply: what their pins do by what was said of them, and what they draw."""

from __future__ import annotations

import re
from typing import Final

from vane_step.core.design.model import Part, Pin, pin_name
from vane_step.core.design.operation import LOADER, RESET
from vane_step.core.network.build import Build, Pins, model
from vane_step.core.network.regulators import own_current
from vane_step.core.network.setting import HIGH_MODE, LOW_MODE
from vane_step.core.solve.laws import Delivery
from vane_step.core.solve.switching_laws import Logic

# Half a volt at a pin's rated current (rule of thumb), 20 mA where none is told; pulls inside controllers; leakage.
PIN_V, PIN_A, PULL_OHM = 0.5, 0.02, 35e3
# Diodes from pins to both supplies, which nearly all such parts have.
CLAMP_V, CLAMP_A = 0.7, 0.01
# What a pin is said to do in reset and in the loader, as levels.
STATES: Final = {
    "pulled-up": "pullup",
    "pulled-down": "pulldown",
    "high": "high",
    "low": "low",
    "open": "open",
    "toggles": "high",
}
# Supplies such parts make for themselves and lend: 3.3 V, and how much (usual of the kind).
OWN_SUPPLIES, OWN_V, OWN_A, OWN_DROP_V = ("V33", "V3", "V3P3"), 3.3, 0.05, 0.1
DRIVEN: Final = ("input", "output", "io", "open-drain")


def is_controller(part: Part) -> bool:
    """Tell parts that firmware runs in: with program memory, or pins whose state in reset is said."""
    return "flash_b" in part.params or any(p.reset or p.loader for p in part.pins)


def level_of(build: Build, part: Part, pin: Pin) -> str | None:
    """Give what a pin does in this state; none where nobody said."""
    name, mode = pin_name(part.ref, pin.number), build.setting.mode
    drives = build.design.drives
    said = drives.get(f"{name}@{mode}")
    if said is not None:
        return said.level
    if is_controller(part):
        if mode == RESET:
            return STATES.get(pin.reset, "open")
        if mode == LOADER:
            return STATES.get(pin.loader, "open")
    if (said := drives.get(name)) is not None:
        return said.level
    if mode in (LOW_MODE, HIGH_MODE) and is_controller(part):
        if pin.role == "output" or (pin.role == "io" and only_driven(build, part, pin)):
            return "low" if mode == LOW_MODE else "high"
        return "open" if pin.role == "open-drain" else None
    return None


def only_driven(build: Build, part: Part, pin: Pin) -> bool:
    """Tell a pin on whose net nothing but it can set a level: lights, gates and resistors that lead to them."""
    net = build.net_of(part, pin)
    others = [(p, q) for p, q in build.design.pins_on(net or "") if p.ref != part.ref]
    return bool(others) and all(
        p.kind in ("resistor", "led", "capacitor", "diode", "sounder")
        or (q.role == "input" and ("vgsth_v" in p.params or "hfe" in p.params))
        for p, q in others
    )


def put_pin(build: Build, part: Part, pin: Pin, level: str, supply: int | None, base: int) -> None:
    """Put a pin's level in, behind its resistance, from the part's own supply."""
    terminal = build.pin(part, pin)
    ohm = PIN_V / part.params.get("i_pin_a", PIN_A)
    if level == "high" and supply is not None:
        build.circuit.resistor(terminal, supply, ohm)
    elif level == "low":
        build.circuit.resistor(terminal, base, ohm)
    elif level == "pullup" and supply is not None:
        build.circuit.resistor(terminal, supply, PULL_OHM)
    elif level == "pulldown":
        build.circuit.resistor(terminal, base, PULL_OHM)


def bears_more(pin: Pin) -> bool:
    """Tell pins that bear more than their supply."""
    return any(f.upper() == "5VT" for f in pin.functions)


def clamp(build: Build, part: Part, pin: Pin, supply: int | None, base: int) -> None:
    """Put the diodes from a pin to both supplies in; pins that bear more than their supply have only the lower one."""
    terminal = build.pin(part, pin)
    build.circuit.diode(base, terminal, CLAMP_V, CLAMP_A, 1.0)
    if supply is not None and not bears_more(pin):
        build.circuit.diode(terminal, supply, CLAMP_V, CLAMP_A, 1.0)


@model(40)
def gates(build: Build, part: Part, pins: Pins) -> str | None:
    """Logic gates whose truth table the catalogue tells."""
    supply = pins.supply()
    if "truth" not in part.params or supply is None:
        return None
    base, truth = pins.ground(), int(part.params["truth"])
    for k in ("", *map(str, range(1, 9))):
        if f"Y{k}" not in pins.named:
            continue
        inputs = [n for n in (f"A{k}", f"B{k}") if n in pins.named]
        out = pins.at(f"Y{k}")
        law = Logic(truth, len(inputs), PIN_V / PIN_A)
        branch = build.circuit.governed(out, base, (base, supply, out, *(pins.at(n) for n in inputs)), law)
        build.sourced(supply, base, branch)
    for pin in part.pins:
        if pin.role == "input" and build.net_of(part, pin):
            clamp(build, part, pin, supply, base)
    if part.params.get("iq_a"):
        own_current(build, part, supply, base)
    return "logic gates"


@model(60)
def supplied(build: Build, part: Part, pins: Pins) -> str | None:
    """Whatever has a supply and pins that drive or listen: its own current, its pins by what was said of them."""
    supply = pins.supply()
    if supply is None or part.kind != "card":
        return None
    base = pins.ground()
    own = _said_current(build, part)
    if not own:
        own_current(build, part, supply, base)
    build.tie_alike(pins)
    digital = part.params.get("supply_max_v", 5.5) <= 6.5 and "gbw_hz" not in part.params
    unsaid = []
    for pin in part.pins:
        if pin.role not in DRIVEN or build.net_of(part, pin) is None:
            continue
        if digital:
            clamp(build, part, pin, supply, base)
        level = level_of(build, part, pin)
        if level is not None:
            put_pin(build, part, pin, level, supply, base)
        elif pin.role == "output" and build.joined(part, pin):
            unsaid.append(pin.name or pin.number)
    for pin in part.pins:
        if pin.role == "supply-out" and build.joined(part, pin):
            if pin.name.upper() in OWN_SUPPLIES:
                _own_supply(build, part, pin, supply, base)
            else:
                unsaid.append(pin.name or pin.number)
    if unsaid:
        build.unsaid += [f"{part.ref}.{n}" for n in unsaid]
    if is_controller(part):
        return f"controller, {build.setting.mode or 'no mode said'}"
    if unsaid and not _digital_names(unsaid):
        build.unmodelled[part.ref] = f"what {', '.join(unsaid[:4])} gives is not known"
    return "own current and pins"


def _own_supply(build: Build, part: Part, pin: Pin, supply: int, base: int) -> None:
    """Put in the small linear regulator behind a pin such as V33."""
    out = build.pin(part, pin)
    law = Delivery(OWN_V, OWN_A, drop_v=OWN_DROP_V)
    branch = build.circuit.governed(out, base, (out, base, out, base, supply, base), law)
    build.sourced(supply, base, branch)
    build.assume(part.ref, f"{pin.name} holds {OWN_V:g} V, {OWN_A * 1e3:g} mA at most (usual of the kind)")


def _digital_names(names: list[str]) -> bool:
    """Tell outputs that only carry data, whose level matters to nothing that draws."""
    return all(
        re.fullmatch(r"(MISO|DOUT|SDO|TXD?|RXD?|IRQ|INT\w?|RO|Q\d*|DRDY|BUSY|CTS|RTS|DTR|SO|ECHO|PPS|OUT)", n)
        for n in names
    )


def _said_current(build: Build, part: Part) -> bool:
    """Tell whether somebody said what a supply pin of the part draws in this mode: that stands for its own current."""
    pins = {pin_name(part.ref, p.number) for p in part.pins if p.role == "supply-in"}
    return any(
        load.plus in pins and load.mode in ("", build.setting.mode) for load in build.design.loads.values()
    )


@model(70)
def connector(build: Build, part: Part, pins: Pins) -> str | None:
    """Connectors, sockets and holders: nothing but their pins; alike-named ones are one."""
    if any(p.role in DRIVEN for p in part.pins if p.role != "io") or part.kind != "card":
        return None
    if "ways" in part.params or "pitch_mm" in part.params or not part.params or "vout_v" in part.params:
        build.tie_alike(pins)
        return "connector"
    return None
