"""The electrical review: what is wrong with a circuit before it is laid out; copper is judged elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.circuit.bypass import bypass_pins, ground_pins
from vane_step.core.circuit.connectors import connector_findings
from vane_step.core.circuit.contacts import contact_findings
from vane_step.core.circuit.converters import converter_findings
from vane_step.core.circuit.electrics import values
from vane_step.core.circuit.gates import gate_findings
from vane_step.core.circuit.hazards import hazards
from vane_step.core.circuit.lines import line_findings
from vane_step.core.circuit.polarity import polarity_findings
from vane_step.core.circuit.programming import programming_findings
from vane_step.core.circuit.rails import is_lower_supply, taking_pins
from vane_step.core.circuit.shorts import short_findings
from vane_step.core.circuit.sources import fed_nets, nets_before, source_findings
from vane_step.core.circuit.stress import stress_findings
from vane_step.core.circuit.variants import variant_findings
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Net, Part, Pin, pin_name, split_pin
from vane_step.core.finding import Finding, Place, Remedy, ordered, tell
from vane_step.core.rules import Level

CAPACITORS = ("capacitor", "polar-capacitor")
RULE_OF_THUMB = "rule of thumb"
CIRCUIT = "the circuit"


@derived("parts", "packages", "nets", "variants", "calculations", "brief", "texts", "sources")
def review(design: Design) -> tuple[Finding, ...]:
    """Review a circuit: open pins, lonely nets, fights, supplies, decoupling, values, ratings and variants."""
    wired = Wiring(design)
    found = [
        *_open_pins(wired),
        *_lonely_nets(wired),
        *_fights(wired),
        *_supplies(wired),
        *short_findings(wired),
        *_grounds(wired),
        *_decoupling(wired),
        *values(wired),
        *polarity_findings(wired),
        *hazards(wired),
        *connector_findings(wired),
        *source_findings(wired),
        *stress_findings(wired),
        *line_findings(wired),
        *gate_findings(wired),
        *converter_findings(wired),
        *contact_findings(wired),
        *programming_findings(wired),
        *variant_findings(wired),
    ]
    return tuple(ordered(found))


def _label(part: Part, pin: Pin) -> str:
    return f"{pin_name(part.ref, pin.number)}{f' ({pin.name})' if pin.name else ''}"


OPEN_LEVELS: dict[str, Level] = {
    "supply-in": "stop",
    "ground": "stop",
    "input": "look",
    "io": "note",
    "passive": "note",
}
OPEN_WHAT = {"supply-in": "Supply pin", "ground": "Ground pin", "input": "Input"}
FEW_PINS = 8


def _open_pins(wired: Wiring) -> Iterator[Finding]:
    """Pins left open, a line a part; parts that are not connected at all and lie on no board yet are one quiet line."""
    fresh: list[Part] = []
    for part in wired.parts:
        on = [p for p in part.pins if wired.design.net_of(pin_name(part.ref, p.number)) is not None]
        left = [p for p in part.pins if p not in on and _counts(p)]
        if not left:
            continue
        if not on and part.place is None:
            fresh.append(part)
            continue
        two = part.kind != "card" and len(part.pins) == 2
        levels = ["look" if two else OPEN_LEVELS.get(p.role, "note") for p in left]
        level: Level = "stop" if "stop" in levels else "look" if "look" in levels else "note"
        where = Place.of_pins(*(pin_name(part.ref, p.number) for p in left))
        if len(left) == 1:
            what = OPEN_WHAT.get(left[0].role, "Pin")
            text = f"{what} {_label(part, left[0])} is left open"
        else:
            # The worst first, so that a supply left open is not the last of a row.
            left.sort(key=lambda p: ("stop", "look", "note").index(OPEN_LEVELS.get(p.role, "note")))
            named = ", ".join(
                f"{OPEN_WHAT.get(p.role, '')} {p.name or p.number}".strip() for p in left[:FEW_PINS]
            )
            text = f"{part.ref} has {len(left)} open pins: {named}{' …' if len(left) > FEW_PINS else ''}"
        yield tell("open-pin", text, len(on), len(on) + len(left), where, level=level)
    if fresh:
        refs = [p.ref for p in fresh]
        few = f"{', '.join(refs[:FEW_PINS])}{f' and {len(refs) - FEW_PINS} more' if len(refs) > FEW_PINS else ''}"
        yield tell(
            "open-pin", f"Not connected yet: {few}", 0, len(refs), Place(refs=tuple(refs)), level="note"
        )


def _counts(pin: Pin) -> bool:
    """Tell whether a pin wants a connection: spare ports of a controller do not, firmware decides what they do."""
    return pin.role != "unconnected" and not (pin.role == "io" and pin.functions)


def _lonely_nets(wired: Wiring) -> Iterator[Finding]:
    for net in wired.nets.values():
        if len(net.pins) < 2:
            text = (
                f"Net {net.name} has {len(net.pins)} pin: it joins nothing"
                if net.pins
                else f"Net {net.name} has no pins"
            )
            yield tell("lonely-net", text, len(net.pins), 2, Place.of_pins(*net.pins, net=net.name))


def _fights(wired: Wiring) -> Iterator[Finding]:
    for net in wired.nets.values():
        drivers = [
            (part, pin)
            for part, pin in wired.pins_on(net.name)
            if pin.role in ("output", "supply-out") and part.fitted
        ]
        # Several supply pins of one connector or regulator are one source.
        if (
            len(
                {
                    part.ref if pin.role == "supply-out" else pin_name(part.ref, pin.number)
                    for part, pin in drivers
                }
            )
            > 1
        ):
            names = tuple(pin_name(a.ref, b.number) for a, b in drivers)
            text = f"Outputs fight on {net.name}: " + ", ".join(_label(a, b) for a, b in drivers[:4])
            yield tell("outputs-fight", text, len(drivers), 1, Place.of_pins(*names, net=net.name))


def _supplies(wired: Wiring) -> Iterator[Finding]:
    fed = fed_nets(wired)
    for net in wired.nets.values():
        takers = taking_pins(wired, net)
        if not takers or net.name in fed:
            continue
        # A supply comes in by a connector, maybe behind a fuse; where several could be meant, nobody has to guess.
        before = [pair for other in nets_before(wired, net.name) for pair in wired.pins_on(other)]
        doors = [
            (a, b) for a, b in before if a.ref.startswith("J") and a.kind == "card" and b.role == "passive"
        ]
        remedy = None
        if len(doors) == 1:
            part, pin = doors[0]
            name = pin_name(part.ref, pin.number)
            remedy = Remedy(
                label=f"Say that {name} feeds {wired.design.net_of(name)}",
                ask=f"pin {name} {pin.name or pin.number} supply-out",
            )
        text = f"Nothing feeds {net.name}, which supplies {', '.join(takers[:4])}"
        if len(doors) > 1:
            names = " or ".join(pin_name(a.ref, b.number) for a, b in doors[:4])
            text += f"; say which pin brings it, {names}, by its role supply-out"
        yield tell("no-supply", text, 0, 1, Place.of_pins(*takers, net=net.name), remedy=remedy)


def _grounds(wired: Wiring) -> Iterator[Finding]:
    for net in wired.nets.values():
        if net.role == "ground":
            continue
        astray = tuple(
            pin_name(a.ref, b.number)
            for a, b in wired.pins_on(net.name)
            if b.role == "ground" and not is_lower_supply(b, net)
        )
        shell = astray and all(_is_shell(wired, p) for p in astray)
        if astray and not (shell and _over_rc(wired, net)):
            text = f"Ground pins on {net.name}, which is not a ground net: {', '.join(astray[:4])}"
            yield tell("ground-astray", text, len(astray), 0, Place.of_pins(*astray, net=net.name))


def _is_shell(wired: Wiring, pin: str) -> bool:
    ref, number = split_pin(pin)
    found = wired.design.parts[ref].pin(number)
    return found is not None and found.name.upper().startswith(("SHELL", "SHIELD"))


def _over_rc(wired: Wiring, net: Net) -> bool:
    """Tell whether a net reaches a ground over a resistor or a capacitor, as the shell of a plug may."""
    return any(
        part.kind in ("resistor", "capacitor")
        and (n := wired.design.net_of(pin_name(part.ref, p.number))) is not None
        and wired.nets[n].role == "ground"
        for part, pin in wired.pins_on(net.name)
        for p in part.pins
        if p is not pin
    )


def _decoupling(wired: Wiring) -> Iterator[Finding]:
    for net in wired.nets.values():
        takers = taking_pins(wired, net)
        capacitors = bypass_pins(wired.design, net, ground_pins(wired.design)) if takers else []
        if len(capacitors) < len(takers):
            text = (
                f"{net.name} has {len(capacitors)} decoupling capacitors for {len(takers)} supply pins: "
                + ", ".join(takers[:4])
            )
            source = f"{RULE_OF_THUMB}: 100 nF at every supply pin"
            yield tell(
                "decoupling",
                text,
                len(capacitors),
                len(takers),
                Place.of_pins(*takers, net=net.name),
                source=source,
            )
