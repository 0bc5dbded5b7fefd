"""What the contacts of relays do at rest: loads that run before anything switches them on; coils are in ``stress``."""

from __future__ import annotations

import re
from collections.abc import Iterator

from vane_step.core.circuit.rails import who
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, pin_name
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.rules import Level

# Loads that people expect to be off until they are switched on.
RESTS = re.compile(
    r"PUMP|MOTOR|VALVE|SOLENOID|HEAT|FIRE|IGNIT|RELEASE|CUTTER|LASER|SIREN|HORN|ALARM|BUZZ|SPARK|PYRO|BURN|DRILL|SAW|LOAD",
    re.I,
)
_CONTACT = re.compile(r"(COM|NC|NO)(\d*)")
SOURCE = "a contact NC is closed while the coil has no current"


def contact_findings(wired: Wiring) -> Iterator[Finding]:
    """Loads that a contact feeds at rest, where nothing feeds them when the coil is on."""
    for part in wired.design.parts.values():
        if not part.fitted or "coil_v" not in part.params:
            continue
        poles: dict[str, dict[str, list[str]]] = {}
        for pin in part.pins:
            if match := _CONTACT.fullmatch(pin.name.upper()):
                poles.setdefault(match[2], {}).setdefault(match[1], []).append(pin.number)
        # Both pins of a common contact, COM and COM2, belong to the one pole there is.
        if sum("NC" in p or "NO" in p for p in poles.values()) == 1:
            numbers = [n for p in poles.values() for n in p.get("COM", ())]
            poles = {
                "": {"COM": numbers, **{k: v for p in poles.values() for k, v in p.items() if k != "COM"}}
            }
        for pole in poles.values():
            yield from _at_rest(wired, part, pole)


def _at_rest(wired: Wiring, part: Part, pole: dict[str, list[str]]) -> Iterator[Finding]:
    common, closed, opened = (_joined(wired, part, pole.get(k, [])) for k in ("COM", "NC", "NO"))
    if common is None or closed is None:
        return
    for feed, load in ((common, closed), (closed, common)):
        if feed.role == "signal" or load.role != "signal":
            continue
        # Where COM is the load, a contact NO on the other rail, or on nothing, leaves it fed at rest only.
        if opened is not None and opened.role == "supply" and feed is closed:
            continue
        # A load at rest on ground, led to a supply by NO, is held off.
        if feed.role == "ground" and not _hangs_on_supply(wired, load, part):
            continue
        named = RESTS.search(
            " ".join((load.name, *(f"{p.value} {p.catalogue}" for p, _ in wired.pins_on(load.name))))
        )
        level: Level = "look" if named else "note"
        text = f"{load.name} is fed at rest: {who(part)} closes NC while its coil has no current"
        pins = tuple(pin_name(part.ref, n) for n in pole["NC"])
        yield tell(
            "on-at-rest",
            text,
            1,
            0,
            Place(refs=(part.ref,), pins=pins, net=load.name),
            level=level,
            source=SOURCE,
        )
        return


def _joined(wired: Wiring, part: Part, numbers: list[str]) -> Net | None:
    """Give the net of the first of some pins that is joined to anything else."""
    nets = [net for n in numbers if (net := wired.net_at(part, n)) is not None and len(net.pins) > 1]
    return nets[0] if nets else None


def _hangs_on_supply(wired: Wiring, net: Net, relay: Part) -> bool:
    """Tell whether something on a net, no resistor, diode or capacitor, is fed by a supply: a load."""
    return any(
        other is not relay
        and other.kind not in ("resistor", "diode", "capacitor", "polar-capacitor")
        and any((n := wired.net_at(other, p)) is not None and n.role == "supply" for p in other.pins)
        for other, _ in wired.pins_on(net.name)
    )
