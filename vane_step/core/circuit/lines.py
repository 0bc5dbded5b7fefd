"""Signal lines by what their pins do: senders on senders, addresses that come twice, inputs tied off."""

from __future__ import annotations

import re
from collections.abc import Iterator

from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Part, Pin, pin_name
from vane_step.core.finding import Finding, Place, tell

_SENDS = re.compile(r"(^|[._])TXD?\d?$", re.I)
_TAKES = re.compile(r"(^|[._])RXD?\d?$", re.I)
_ENABLE = re.compile(r"^(EN|ENABLE|CE|SHDN#|ON)$", re.I)


def line_findings(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule of this module."""
    for rule in (_senders, _addresses, _tied_off, _taps):
        yield from rule(wired)


def _does(part: Part, pin: Pin) -> str:
    """Name what a pin is used for: its use by firmware, else its own name."""
    use = next((u.function for u in part.uses if u.pin == pin.number), "")
    return use or pin.name


def _senders(wired: Wiring) -> Iterator[Finding]:
    """Two senders on one line, though neither says it is an output; a receiver there does not make it right."""
    for net in wired.nets.values():
        # The pins of a plug are named for the line, and tell not which end sends.
        on = [(part, pin) for part, pin in wired.pins_on(net.name) if part.fitted and pin.role != "passive"]
        sends = tuple(
            pin_name(a.ref, b.number) for a, b in on if b.role != "input" and _SENDS.search(_does(a, b))
        )
        if len({p.partition(".")[0] for p in sends}) > 1:
            text = f"{' and '.join(sends[:3])} both send on {net.name}"
            yield tell("two-senders", text, len(sends), 1, Place.of_pins(*sends, net=net.name))
        takes = tuple(pin_name(a.ref, b.number) for a, b in on if _TAKES.search(_does(a, b)))
        if len({p.partition(".")[0] for p in takes}) > 1 and not sends and len(on) == len(takes):
            text = f"{' and '.join(takes[:3])} both listen on {net.name}, and nobody sends"
            yield tell("no-sender", text, len(takes), 1, Place.of_pins(*takes, net=net.name))


def _addresses(wired: Wiring) -> Iterator[Finding]:
    """Two parts of one address on one bus, where no address pin tells them apart."""
    for net in wired.nets.values():
        mine: dict[tuple[float, tuple[str | None, ...]], list[str]] = {}
        for part, pin in wired.pins_on(net.name):
            address = part.params.get("i2c_address")
            if address is None or pin.name.upper() != "SDA" or not part.fitted:
                continue
            straps = tuple(
                wired.design.net_of(pin_name(part.ref, p.number))
                for p in part.pins
                if re.fullmatch(r"A\d", p.name.upper())
            )
            mine.setdefault((address, straps), []).append(pin_name(part.ref, pin.number))
        for (address, _), pins in mine.items():
            if len(pins) > 1:
                names = ", ".join(p.partition(".")[0] for p in pins)
                text = f"{names} answer to the same address {int(address):#04x} on {net.name}"
                yield tell("address-twice", text, len(pins), 1, Place.of_pins(*pins, net=net.name))


def _tied_off(wired: Wiring) -> Iterator[Finding]:
    """Enable inputs and control electrodes of transistors that are on ground for good."""
    for part in wired.design.parts.values():
        if not part.fitted:
            continue
        for pin in part.pins:
            net = wired.net_at(part, pin)
            if net is None or net.role != "ground" or pin.role != "input":
                continue
            emitter = next((p for p in part.pins if p.name.upper() in ("E", "S")), None)
            other = wired.net_at(part, emitter) if emitter else None
            # One whose emitter or source is on a supply is switched on by ground.
            control = len(part.pins) <= 4 and pin.name.upper() in ("G", "B")
            low_side = control and (other is None or other.role != "supply")
            low_side = low_side and any(p.role == "open-drain" for p in part.pins)
            if _ENABLE.match(pin.name) or low_side:
                name = pin_name(part.ref, pin.number)
                text = f"{name} ({pin.name}) is on {net.name}: {part.ref} is off for good"
                yield tell("tied-off", text, 1, 0, Place.of_pins(name, net=net.name))


_PLUS, _MINUS = re.compile(r"(\+|_P|POS|HI)$", re.I), re.compile(r"(-|_N|NEG|LO)$", re.I)


def _taps(wired: Wiring) -> Iterator[Finding]:
    """Taps of shunts that sit at the other end, which shorts the shunt, or whose signs are those of the other line."""
    for part in wired.design.parts.values():
        pins = {p.name.upper(): p for p in part.pins}
        if not part.fitted or not pins.keys() >= {"I+", "I-", "S+", "S-"}:
            continue
        at = {name: wired.net_at(part, pin) for name, pin in pins.items()}
        for tap, far in (("S+", "I-"), ("S-", "I+")):
            net = at[tap]
            if net is not None and net is at[far]:
                name = pin_name(part.ref, pins[tap].number)
                text = f"{name} ({tap}) is joined to the other end of {part.ref}: the shunt is shorted"
                yield tell("taps", text, 1, 0, Place.of_pins(name, net=net.name))
        plus, minus = at["S+"], at["S-"]
        if plus and minus and _MINUS.search(plus.name) and _PLUS.search(minus.name):
            names = tuple(pin_name(part.ref, pins[t].number) for t in ("S+", "S-"))
            text = f"The sense leads of {part.ref} are exchanged: S+ is on {plus.name}, S- on {minus.name}"
            yield tell("taps", text, 2, 0, Place.of_pins(*names, net=plus.name), level="look")
