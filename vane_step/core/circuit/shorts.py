"""Electrical review of parts whose pins must be apart and are on one net; outputs that fight are told in ``review``."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Final

from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Part, pin_name
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.rules import Level

# Parts that do nothing where all of their pins are on one net.
DOES_NOTHING: Final = frozenset(
    (
        *("resistor", "capacitor", "polar-capacitor", "inductor", "diode", "led"),
        *("switch", "crystal", "fuse", "sounder", "thermistor", "jumper"),
    )
)
SHORTS, NOTHING = "is shorted", "does nothing"
# Where a part has pins of all the first names, no two of the second may be on one net; each of a double part has its
# number behind its names.
APART: Final[tuple[tuple[tuple[str, ...], tuple[str, ...], Level, str], ...]] = (
    (("+", "-", "~A", "~B"), ("+", "-", "~A", "~B"), "stop", SHORTS),
    (("L", "N"), ("L", "N"), "stop", SHORTS),
    (("L", "N", "S1", "S2"), ("S1", "S2"), "stop", SHORTS),
    (("OUT+", "OUT-"), ("OUT+", "OUT-"), "stop", SHORTS),
    (("IN", "OUT"), ("IN", "OUT"), "look", NOTHING),
    (("D", "G", "S"), ("D", "S"), "look", NOTHING),
    (("B", "C", "E"), ("C", "E"), "look", NOTHING),
    (("G", "C", "E"), ("C", "E"), "look", NOTHING),
    (("A", "K", "C", "E"), ("C", "E"), "look", NOTHING),
    (("A", "K"), ("A", "K"), "look", NOTHING),
    (("MT1", "MT2"), ("MT1", "MT2"), "look", NOTHING),
    (("T1", "T2"), ("T1", "T2"), "look", NOTHING),
    (("ANODE", "CATHODE"), ("ANODE", "CATHODE"), "look", NOTHING),
    (("I+", "I-"), ("I+", "I-"), "look", NOTHING),
    (("A", "W", "B"), ("A", "B"), "look", NOTHING),
)
_NUMBERED = re.compile(r"(.*?[^\d])(\d*)")


def short_findings(wired: Wiring) -> Iterator[Finding]:
    """Find parts that are shorted or do nothing: all pins on one net, or two that must be apart."""
    for part in wired.parts:
        yield from _all_on_one(wired, part) or _two_on_one(wired, part) or _unfed(wired, part)


def _all_on_one(wired: Wiring, part: Part) -> list[Finding]:
    nets = {pin.number: wired.net_at(part, pin) for pin in part.pins}
    names = {net.name if net else None for net in nets.values()}
    if part.kind not in DOES_NOTHING or len(nets) < 2 or len(names) > 1 or None in names:
        return []
    name = next(iter(names))
    text = f"All pins of {part.ref} are on {name}: it {NOTHING}"
    return [tell("bridged-part", text, 1, 2, Place(refs=(part.ref,), net=name), level="look")]


def _two_on_one(wired: Wiring, part: Part) -> list[Finding]:
    """Find two pins that must be apart and are not; of several pairs of a part the worst is told."""
    units: dict[str, dict[str, tuple[str, str | None]]] = {}
    for pin in part.pins:
        net, called = wired.net_at(part, pin), pin.name.upper()
        at = pin_name(part.ref, pin.number), net.name if net else None
        units.setdefault("", {}).setdefault(called, at)
        if match := _NUMBERED.fullmatch(called):
            units.setdefault(match[2], {}).setdefault(match[1], at)
    if "coil_v" in part.params and {"A1", "A2"} <= units.get("", {}).keys():
        kinds: tuple[tuple[tuple[str, ...], tuple[str, ...], Level, str], ...]
        kinds = ((("A1", "A2"), ("A1", "A2"), "look", "never switches"),)
    else:
        kinds = APART
    found = []
    for has, apart, level, what in kinds:
        for unit in units.values():
            if not set(has) <= unit.keys():
                continue
            pairs = [(a, b) for k, a in enumerate(apart) for b in apart[k + 1 :] if unit[a][1] == unit[b][1]]
            for a, b in pairs:
                (one, name), (two, _) = unit[a], unit[b]
                if name is None:
                    continue
                text = f"{a} and {b} of {part.ref} are both on {name}: it {what}"
                place = Place.of_pins(one, two, net=name)
                found.append(tell("bridged-part", text, 1, 2, place, level=level))
    return found[:1]


def _unfed(wired: Wiring, part: Part) -> list[Finding]:
    """Find a part all of whose supplies are on the nets of its grounds."""
    supplies = {n.name: p for p in part.pins if p.role == "supply-in" and (n := wired.net_at(part, p))}
    grounds = {n.name for p in part.pins if p.role == "ground" and (n := wired.net_at(part, p))}
    if not supplies or not set(supplies) <= grounds:
        return []
    net, pin = next(iter(supplies.items()))
    text = f"{pin.name or pin.number} of {part.ref} is on {net} like its ground: nothing feeds it"
    place = Place.of_pins(pin_name(part.ref, pin.number), net=net)
    return [tell("bridged-part", text, 1, 2, place, level="stop")]
