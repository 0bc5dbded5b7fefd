"""How a controller gets its firmware: by its debug lines or its loader, and what is plugged to which; no pin is chosen.

A loader listens on two pins only, whatever else its peripheral can be led to: a bridge on the other pins of the same
peripheral works once firmware runs, and never programs an empty part.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from vane_step.core.circuit.rails import who
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.controllers.ports import Port, ports
from vane_step.core.design.model import Net, Part, Pin, pin_name
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.rules import Level

SOURCE = "an empty controller is programmed by its debug lines or its loader"
_PLUG = re.compile(r"(J|CN|TP|P|X)\d")
# Parts that people put into a socket and program outside of the board.
_SOCKETED = re.compile(r"DIP-|PLCC-")
_SERIAL = re.compile(r"(^|[._])[RT]XD?\d?$", re.I)


def programming_findings(wired: Wiring) -> Iterator[Finding]:
    """Controllers that nothing can program, and serial lines taken for the loader's."""
    for part in wired.design.parts.values():
        ways = ports(part.pins) if part.fitted else []
        if not ways or not any(wired.net_at(part, p) for p in part.pins):
            continue
        open_ways = [w for w in ways if _reached(wired, part, w.pins)] or _by_reset(wired, part)
        misled = list(_misled(wired, part, ways, bool(open_ways)))
        yield from misled
        if not open_ways and not misled and not _SOCKETED.match(part.package):
            names = " or ".join(f"{_names(part, w.pins)} ({w.name})" for w in ways)
            text = f"Nothing can program {who(part)}: no connector, test pad or bridge reaches {names}"
            yield tell(
                "programming",
                text,
                0,
                1,
                Place(refs=(part.ref,), pins=_pins(part, ways[0].pins)),
                source=SOURCE,
            )


def _by_reset(wired: Wiring, part: Part) -> set[str]:
    """Give the plugs that carry the reset and two more lines of a controller: it is programmed some other way."""
    resets = {
        ref for p in part.pins if "RESET" in (p.name.upper(), *p.functions) for ref in _met(wired, part, p)
    }
    signals = ("io", "input", "output", "open-drain")
    lines = [ref for p in part.pins if p.role in signals for ref in _met(wired, part, p)]
    return {ref for ref in resets if lines.count(ref) >= 3}


def _misled(wired: Wiring, part: Part, ways: list[Port], programmed: bool) -> Iterator[Finding]:
    """Connectors and bridges on other pins of the loader's peripheral."""
    for port in ways:
        if port.name == "DBG" or _reached(wired, part, port.pins):
            continue
        used = {u.function: u.pin for u in part.uses if u.function.startswith(f"{port.name}.")}
        numbers = [used.get(f"{port.name}.{leg}") for leg in ("TX", "RX")]
        one, two = (next((p for p in part.pins if p.number == n), None) for n in numbers)
        if one is None or two is None or {one.number, two.number} & {p.number for p in port.pins}:
            continue
        if _reached(wired, part, (one, two)):
            text = (
                f"{_names(part, (one, two))} cannot program {part.ref}: its loader uses {port.name} "
                f"on {_names(part, port.pins)}"
            )
            level: Level = "note" if programmed else "look"
            yield tell(
                "loader-port",
                text,
                0,
                1,
                Place(refs=(part.ref,), pins=_pins(part, (one, two))),
                level=level,
                source=SOURCE,
            )


def _pins(part: Part, pins: tuple[Pin, ...]) -> tuple[str, ...]:
    return tuple(pin_name(part.ref, pin.number) for pin in pins)


def _names(part: Part, pins: tuple[Pin, ...]) -> str:
    return ", ".join(f"{part.ref}.{p.name or p.number}" for p in pins)


def _reached(wired: Wiring, part: Part, pins: tuple[Pin, Pin]) -> bool:
    """Tell whether one plug or bridge, or test pads, are at both pins, also behind a resistor or jumper each."""
    one, two = (_met(wired, part, pin) for pin in pins)
    return bool(one & two)


def _met(wired: Wiring, part: Part, pin: Pin) -> set[str]:
    net = wired.net_at(part, pin)
    nets: list[Net] = [net] if net else []
    for other, end in wired.pins_on(net.name) if net else ():
        far = wired.other_end(other, end) if other.kind in ("resistor", "switch", "") else None
        if far is not None and far.role == "signal":
            nets.append(far)
    return {
        "test pads" if other.ref.startswith("TP") else other.ref
        for n in nets
        for other, end in wired.pins_on(n.name)
        if other is not part and other.fitted and (_PLUG.match(other.ref) or _SERIAL.search(end.name))
    }
