"""What a pin is and what it bears, in one line, for whoever points at it; what breaks is the review's."""

from __future__ import annotations

from vane_step.core.circuit.rails import named_volts, rail
from vane_step.core.design.edits import part_of
from vane_step.core.design.model import Design, Net, Part, Pin, pin_name, split_pin
from vane_step.core.errors import NotFound
from vane_step.core.quantity import format_value

ROLES: dict[str, str] = {
    "passive": "",
    "input": "input",
    "output": "output",
    "io": "input or output",
    "open-drain": "pulls down only",
    "supply-in": "takes its supply",
    "supply-out": "gives a supply",
    "ground": "ground",
    "unconnected": "meant to be open",
}
# Figures that say what a pin bears, by its role, in the order people ask for them: the key and its unit with words.
BEARS: dict[str, tuple[tuple[str, str, str], ...]] = {
    "supply-out": (
        ("vout_v", "V", ""),
        ("iout_a", "A", "up to "),
        ("i_a", "A", "up to "),
        ("vmax_v", "V", "up to "),
    ),
    "open-drain": (
        ("vds_v", "V", "up to "),
        ("id_a", "A", "up to "),
        ("vce_v", "V", "up to "),
        ("ic_a", "A", "up to "),
        ("i_a", "A", "up to "),
    ),
    "output": (("iout_a", "A", "up to "), ("i_pin_a", "A", "about ")),
    "io": (("i_pin_a", "A", "about "),),
    "input": (("vgs_v", "V", "wants "), ("vgsth_v", "V", "begins at ")),
    "passive": (
        ("i_a", "A", "up to "),
        ("if_a", "A", "up to "),
        ("vmax_v", "V", "up to "),
        ("vr_v", "V", "up to "),
        ("power_w", "W", "up to "),
    ),
}
FEW = 3
RANGES = (("vin_min_v", "vin_max_v"), ("supply_min_v", "supply_max_v"))


def pin_says(design: Design, name: str) -> str:
    """Say what a pin is called and does, what it bears as the catalogue has it, and what it is on.

    Raises
    ------
    NotFound
        When there is no such pin.
    """
    ref, number = split_pin(name)
    part = part_of(design, ref)
    pin = part.pin(number)
    if pin is None:
        raise NotFound(
            f"{ref} has no pin {number}.", where=name, allowed=", ".join(p.number for p in part.pins[:40])
        )
    first = f"{name} {pin.name}".strip()
    can = f"can be {', '.join(pin.functions[:FEW])}" + (" …" if len(pin.functions) > FEW else "")
    told = [first, ROLES[pin.role], *bears(part, pin), _from_its_supply(design, part, pin)]
    told = [word for word in (*told, can if pin.functions else "") if word]
    net = design.net_of(name)
    told.append(f"on {_net(design.nets[net])}" if net else "open")
    return ", ".join(told)


def bears(part: Part, pin: Pin) -> list[str]:
    """Say what a pin bears or wants by the figures of its part; empty where the catalogue says nothing."""
    found = []
    if pin.role == "supply-in":
        for low, high in RANGES:
            if high in part.params:
                least = format_value(part.params[low], "V") if low in part.params else "0 V"
                return [f"{least} to {format_value(part.params[high], 'V')}"]
    for key, unit, words in BEARS.get(pin.role, ()):
        if key in part.params:
            found.append(f"{words}{format_value(part.params[key], unit)}")
    return found


def _from_its_supply(design: Design, part: Part, pin: Pin) -> str:
    """Say the voltage a signal pin of a chip may have: that of its supply, where it has one that is known."""
    if pin.role not in ("input", "output", "io") or "vgs_v" in part.params:
        return ""
    for other in part.pins:
        if other.role == "supply-in" and (net := design.net_of(pin_name(part.ref, other.number))):
            volts = rail(design.nets[net])
            if volts is not None:
                return f"within its supply, {format_value(volts.high, 'V')}"
    return ""


def _net(net: Net) -> str:
    volts = rail(net)
    if volts is None or net.role == "ground" or named_volts(net.name) == volts.high:
        return net.name
    return f"{net.name}, {format_value(volts.high, 'V')}"
