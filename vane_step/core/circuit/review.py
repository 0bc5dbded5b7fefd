"""The electrical review: what is wrong with a circuit before it is laid out; copper is judged elsewhere."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Net, Part, Pin, natural, pin_name, split_pin
from vane_step.core.finding import Finding, Level, Place, Remedy, ordered

CAPACITORS = ("capacitor", "polar-capacitor")
# Parts through which a rail may be fed from somewhere else.
FEEDERS = ("diode", "fuse", "inductor", "switch", "resistor")
RULE_OF_THUMB = "rule of thumb"
CIRCUIT = "the circuit"


@derived("parts", "nets")
def review(design: Design) -> tuple[Finding, ...]:
    """Review a circuit: open pins, lonely nets, outputs that fight, supplies and decoupling."""
    found = [
        *_open_pins(design),
        *_lonely_nets(design),
        *_fights(design),
        *_supplies(design),
        *_grounds(design),
        *_decoupling(design),
    ]
    return tuple(ordered(found))


def _finding(
    level: Level, code: str, message: str, reading: float, limit: float, unit: str, source: str,
    pins: tuple[str, ...] = (), net: str | None = None,
    sense: Literal["at least", "at most"] = "at least", remedy: Remedy | None = None,
) -> Finding:  # fmt: skip
    refs = tuple(dict.fromkeys(split_pin(p)[0] for p in pins))
    return Finding(
        level=level, code=code, message=message, reading=reading, limit=limit, unit=unit, sense=sense, source=source,
        place=Place(step="circuit", refs=refs, pins=pins, net=net), remedy=remedy,
    )  # fmt: skip


def pins_of(design: Design, net: Net) -> Iterator[tuple[Part, Pin]]:
    """Give the parts and pins on a net."""
    for name in net.pins:
        ref, number = split_pin(name)
        part = design.parts[ref]
        pin = part.pin(number)
        if pin is not None:
            yield part, pin


def _label(part: Part, pin: Pin) -> str:
    return f"{pin_name(part.ref, pin.number)}{f' ({pin.name})' if pin.name else ''}"


def _open_pins(design: Design) -> Iterator[Finding]:
    levels: dict[str, Level] = {"supply-in": "stop", "ground": "stop", "input": "look", "io": "note", "passive": "note"}
    for part in sorted(design.parts.values(), key=lambda p: natural(p.ref)):
        for pin in part.pins:
            name = pin_name(part.ref, pin.number)
            if pin.role == "unconnected" or design.net_of(name) is not None:
                continue
            level = levels.get(pin.role, "note")
            if part.kind != "card" and len(part.pins) == 2:
                level = "look"
            what = {"supply-in": "Supply pin", "ground": "Ground pin", "input": "Input"}.get(pin.role, "Pin")
            yield _finding(
                level, "open-pin", f"{what} {_label(part, pin)} is left open", 0, 1, "connections", CIRCUIT, (name,)
            )


def _lonely_nets(design: Design) -> Iterator[Finding]:
    for net in design.nets.values():
        if len(net.pins) < 2:
            text = (
                f"Net {net.name} has {len(net.pins)} pin: it joins nothing"
                if net.pins
                else f"Net {net.name} has no pins"
            )
            yield _finding("look", "lonely-net", text, len(net.pins), 2, "pins", CIRCUIT, net.pins, net.name)


def _fights(design: Design) -> Iterator[Finding]:
    for net in design.nets.values():
        drivers = [(part, pin) for part, pin in pins_of(design, net) if pin.role in ("output", "supply-out")]
        if len(drivers) > 1:
            names = tuple(pin_name(a.ref, b.number) for a, b in drivers)
            text = f"Outputs fight on {net.name}: " + ", ".join(_label(a, b) for a, b in drivers[:4])
            yield _finding(
                "stop", "outputs-fight", text, len(drivers), 1, "drivers", CIRCUIT, names, net.name, "at most"
            )


def _sources(design: Design, net: Net) -> int:
    """Count what can feed a net: supply outputs, connectors, and parts that pass current from another net."""
    count = 0
    for part, pin in pins_of(design, net):
        connector = part.kind == "card" and all(p.role in ("passive", "ground", "unconnected") for p in part.pins)
        if pin.role == "supply-out" or part.kind in FEEDERS or (connector and len(part.pins) > 1):
            count += 1
    return count


def _supplies(design: Design) -> Iterator[Finding]:
    for net in design.nets.values():
        takers = tuple(pin_name(a.ref, b.number) for a, b in pins_of(design, net) if b.role == "supply-in")
        if takers and _sources(design, net) == 0:
            text = f"Nothing feeds {net.name}, which supplies {', '.join(takers[:4])}"
            yield _finding("stop", "no-supply", text, 0, 1, "sources", CIRCUIT, takers, net.name)


def _grounds(design: Design) -> Iterator[Finding]:
    for net in design.nets.values():
        if net.role == "ground":
            continue
        astray = tuple(pin_name(a.ref, b.number) for a, b in pins_of(design, net) if b.role == "ground")
        if astray:
            text = f"Ground pins on {net.name}, which is not a ground net: {', '.join(astray[:4])}"
            yield _finding("stop", "ground-astray", text, len(astray), 0, "pins", CIRCUIT, astray, net.name, "at most")


def decoupling_capacitors(design: Design, net: Net) -> list[str]:
    """List the capacitors between a net and a ground net."""
    found = []
    for part, pin in pins_of(design, net):
        if part.kind not in CAPACITORS:
            continue
        others = [design.net_of(pin_name(part.ref, p.number)) for p in part.pins if p.number != pin.number]
        if any(o is not None and design.nets[o].role == "ground" for o in others):
            found.append(part.ref)
    return found


def _decoupling(design: Design) -> Iterator[Finding]:
    for net in design.nets.values():
        takers = tuple(pin_name(a.ref, b.number) for a, b in pins_of(design, net) if b.role == "supply-in")
        capacitors = decoupling_capacitors(design, net) if takers else []
        if len(capacitors) < len(takers):
            text = (
                f"{net.name} has {len(capacitors)} decoupling capacitors for {len(takers)} supply pins: "
                + ", ".join(takers[:4])
            )
            source = f"{RULE_OF_THUMB}: 100 nF at every supply pin"
            yield _finding(
                "look", "decoupling", text, len(capacitors), len(takers), "capacitors", source, takers, net.name
            )
