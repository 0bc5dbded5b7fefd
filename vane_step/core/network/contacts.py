"""Switches, keys, jumpers and relays: paths that are there or not by a position or by the current of a coil."""

from __future__ import annotations

import re
from typing import Final

from vane_step.core.design.model import Part
from vane_step.core.network.build import JOIN_OHM, Build, Pins, model
from vane_step.core.solve.switching_laws import Switched

CONTACT_OHM: Final = 0.02
# A relay pulls in at three quarters of its coil voltage (rule of thumb; its sheet tells "must operate").
PULLS_IN: Final = 0.75
_POLE = re.compile(r"(COM|NO|NC|A|B)(\d*)")
COIL_S: Final = 5e-3
CLOSED: Final = ("closed", "on", "pressed")
# The contacts of a five-way stick.
STICK: Final = ("UP", "DOWN", "LEFT", "RIGHT", "PUSH")


def is_jumper(part: Part) -> bool:
    """Tell a jumper that somebody sets with a cap."""
    return part.kind == "jumper"


def throws(part: Part) -> tuple[str, ...]:
    """Give the positions a part can be put in, its usual one first; none for what cannot be set."""
    names = {p.name.upper() for p in part.pins}
    if "coil_v" in part.params:
        return ()
    if part.kind == "jumper":
        return ("closed", "open")
    if part.kind == "thermistor" and "beta_k" not in part.params:
        return ("lit", "dark")
    if part.kind == "switch" or _is_button(part):
        return ("open", "closed")
    if {"COM", "A", "B"} <= names or {"COM1", "A1", "B1"} <= names:
        return ("A", "B")
    if {"COM", "NO", "NC"} <= names:
        return ("NC", "NO")
    if {"COM", *STICK} <= names:
        return ("none", *STICK)
    if names == {"IN", "OUT", "N"}:
        return ("open", "closed")
    if {"COM", "P1", "P2"} <= names:
        return tuple(sorted((n[1:] for n in names if re.fullmatch(r"P\d+", n)), key=int))
    if names == {"C", "E"} and "nm" in part.params:
        return ("lit", "dark")
    return ()


def row_ways(part: Part) -> tuple[str, ...]:
    """Give the ways of a row of small switches, each of which is on or off for itself; none for what is no row."""
    if "i_a" not in part.params or part.kind != "card" or "l_h" in part.params or "r_ohm" in part.params:
        return ()
    names = {p.name.upper() for p in part.pins}
    pairs = tuple(str(k) for k in range(1, 13) if {f"A{k}", f"B{k}"} <= names)
    return pairs if len(part.pins) == 2 * len(pairs) else ()


def momentary(part: Part) -> bool:
    """Tell a key that springs back: pressed only while a finger is on it."""
    return part.kind == "switch" or _is_button(part)


def _is_button(part: Part) -> bool:
    return part.package.startswith("BUTTON") and part.kind == "card"


@model(10)
def contact(build: Build, part: Part, pins: Pins) -> str | None:
    """A contact between two pins: a key, a reed, a jumper."""
    known = throws(part)
    if known not in (("open", "closed"), ("closed", "open")) or len(part.pins) < 2:
        return None
    at = build.position(part, known[0])
    if at in CLOSED:
        build.circuit.resistor(*_two_sides(build, part), CONTACT_OHM)
    return f"contact, {'closed' if at in CLOSED else 'open'}"


def _two_sides(build: Build, part: Part) -> tuple[int, int]:
    """Give the two sides of a contact; of four legs 1 and 2 are one side, 3 and 4 the other, unless nets say
    otherwise."""
    connected = [
        p for p in part.pins if build.joined(part, p) and not p.name.upper().startswith(("POST", "LUG"))
    ]
    nets: dict[str, int] = {}
    for pin in connected:
        net = build.net_of(part, pin)
        assert net is not None
        nets.setdefault(net, build.pin(part, pin))
    if len(nets) >= 2:
        first, second, *_ = nets.values()
        return first, second
    return build.ends(part)


@model(8)
def stick(build: Build, part: Part, pins: Pins) -> str | None:
    """A five-way stick: one contact to the common one while it is held that way."""
    if not pins.has("COM", *STICK):
        return None
    at = build.position(part, "none").upper()
    if at in STICK:
        build.circuit.resistor(pins.at("COM"), pins.at(at), CONTACT_OHM)
    return f"stick, {at.lower()}"


@model(8)
def lit_rocker(build: Build, part: Part, pins: Pins) -> str | None:
    """A rocker switch with a light from its switched side to its third contact, whose current is left out."""
    if set(pins.named) != {"IN", "OUT", "N"}:
        return None
    at = build.position(part, "open")
    if at in CLOSED:
        build.circuit.resistor(pins.at("IN"), pins.at("OUT"), CONTACT_OHM)
    build.assume(part.ref, "the current of its light is left out")
    return f"contact, {'closed' if at in CLOSED else 'open'}"


@model(10)
def changeover(build: Build, part: Part, pins: Pins) -> str | None:
    """A slide, toggle or snap-action switch of one or two poles."""
    known = throws(part)
    if known not in (("A", "B"), ("NC", "NO")):
        return None
    at = build.position(part, known[0])
    for k in ("", "1", "2"):
        if pins.has(f"COM{k}", f"{known[0]}{k}"):
            to = at if at in known else known[0]
            build.circuit.resistor(pins.at(f"COM{k}"), pins.at(f"{to}{k}"), CONTACT_OHM)
    return f"switch at {at}"


@model(10)
def ways(build: Build, part: Part, pins: Pins) -> str | None:
    """A row of small switches, each on where the position names it: ``1,3``; or a rotary switch at one way."""
    if "i_a" not in part.params or part.kind != "card":
        return None
    at = re.findall(r"\d+", build.position(part, ""))
    if pins.has("COM", "P1", "P2"):
        way = at[0] if at else "1"
        if f"P{way}" in pins.named:
            build.circuit.resistor(pins.at("COM"), pins.at(f"P{way}"), CONTACT_OHM)
        return f"switch at way {way}"
    pairs = row_ways(part)
    if not pairs:
        return None
    for k in pairs:
        if k in at:
            build.circuit.resistor(pins.at(f"A{k}"), pins.at(f"B{k}"), CONTACT_OHM)
    return f"switches, on: {', '.join(at) or 'none'}"


@model(10)
def relay(build: Build, part: Part, pins: Pins) -> str | None:
    """A relay: its coil, and contacts that turn over by the coil's voltage."""
    volts, ohm = part.params.get("coil_v"), part.params.get("coil_ohm")
    if volts is None or not pins.has("A1", "A2"):
        return None
    if ohm is None:
        build.unmodelled[part.ref] = "no coil resistance said"
        return "none"
    a, b = pins.at("A1"), pins.at("A2")
    # Its current comes and goes within five milliseconds (rule of thumb).
    build.coils[part.ref] = build.circuit.inductor(a, b, COIL_S * ohm, ohm)
    build.assume(part.ref, "pulls in at 75 % of its coil voltage (rule of thumb)")
    build.tie_alike(pins)
    poles: dict[str, dict[str, int]] = {}
    for name in pins.named:
        if (match := _POLE.fullmatch(name)) and match[1] in ("COM", "NO", "NC"):
            poles.setdefault(match[2], {})[match[1]] = pins.at(name)
    if sum("NO" in p or "NC" in p for p in poles.values()) == 1:
        # A second pin of the common contact.
        throws_of = {k: v for p in poles.values() for k, v in p.items() if k != "COM"}
        commons = [p["COM"] for p in poles.values() if "COM" in p]
        for other in commons[1:]:
            build.circuit.resistor(commons[0], other, JOIN_OHM)
        poles = {"": {"COM": commons[0], **throws_of}}
    for pole in poles.values():
        for throw in ("NO", "NC"):
            if throw in pole and "COM" in pole:
                path = (pole["COM"], pole[throw])
                law = Switched(PULLS_IN * volts, CONTACT_OHM, 1e12, inverted=throw == "NC", either_way=True)
                build.circuit.governed(*path, (a, b, *path), law)
    return "relay, contacts by its coil"
