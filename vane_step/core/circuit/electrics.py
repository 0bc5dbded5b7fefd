"""Electrical review by values: currents, loads, pull-ups, polarity and voltage domains; open pins are in ``review``.

Voltages are those of ``rails``, values come from the parts. What cannot be told is passed over:
a rule here speaks only when it has both numbers. Formulas: docs/rules.md.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from vane_step.core.circuit.rails import rail, reference
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, Pin, pin_name, split_pin
from vane_step.core.errors import InputError
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.quantity import format_value, parse_value

_RESET = ("RST", "RESET", "NRST", "MCLR", "RSTN")
# An open-drain bus as most controllers have it: 0.4 V at 3 mA, 1 us rise, 100 pF (standard mode).
OPEN_DRAIN_V, OPEN_DRAIN_A, RISE_S, BUS_F = 0.4, 0.003, 1e-6, 100e-12
BUS_WORD = re.compile(r"SDA|SCL|SMB|TWI")
# A small LED on a pin: seen from about a milliampere, and what a pin gives (rule of thumb).
LED_LEAST_A, LED_MOST_A = 0.0005, 0.020
STRAY_F = (3e-12, 5e-12)


def values(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule that goes by values."""
    for rule in (_spellings, _pull_ups, _crystals, _leds, _resets, _domains):
        yield from rule(wired)


def volts(net: Net | None) -> float | None:
    """Tell a supply's voltage with its sign, the one farther from ground where it has a range; ``VCC`` does not say."""
    known = rail(net) if net is not None and net.role == "supply" else None
    return known.most if known is not None else None


def value_of(part: Part) -> float | None:
    """Read the first word of a part's value; ``None`` when it is no number."""
    try:
        return parse_value(part.value.split()[0]) if part.value else None
    except InputError:
        return None


def is_switch(part: Part) -> bool:
    """Tell whether a part is a single transistor, by the names of its pins."""
    names = {p.name.upper() for p in part.pins}
    return len(part.pins) <= 4 and (names >= {"G", "D", "S"} or names >= {"B", "C", "E"})


def _loads(wired: Wiring, part: Part, net: Net) -> bool:
    """Tell whether a part that is no resistor hangs between a net and a supply, as loads do."""
    if (
        part.kind == "resistor"
        or is_switch(part)
        or (len(part.pins) > 2 and not part.params.get("inductive"))
    ):
        return False
    others = (wired.net_at(part, p) for p in part.pins)
    return any(o is not None and o is not net and o.role == "supply" for o in others)


def _ends(wired: Wiring, part: Part) -> tuple[Net | None, Net | None]:
    return wired.net(f"{part.ref}.1"), wired.net(f"{part.ref}.2")


def _of_kind(wired: Wiring, *kinds: str) -> Iterator[Part]:
    for part in wired.parts:
        if part.kind in kinds and part.pin("1") and part.pin("2"):
            yield part


def _between(wired: Wiring, kind: str, net: Net, role: str) -> list[tuple[Part, Net]]:
    """List the parts of a kind from a net to any net of a role."""
    found = []
    for part in {part.ref: part for part, _ in wired.pins_on(net.name)}.values():
        if part.kind == kind:
            others = [n for n in _ends(wired, part) if n is not None and n is not net and n.role == role]
            found += [(part, n) for n in others]
    return found


_SIGNS = re.compile(r"^([+-]?)(.*?)([+-]?)$")


def _folded(name: str) -> str:
    """Fold what spellings of one name differ in; signs at its ends are part of it, but for the plus of a voltage."""
    lead, core, trail = _SIGNS.fullmatch(name.casefold()).groups()  # type: ignore[union-attr]
    plain = re.sub(r"[^a-z0-9]", "", core)
    return f"{'' if lead == '+' and plain[:1].isdigit() else lead}{plain}{trail}" if plain else name


def _spellings(wired: Wiring) -> Iterator[Finding]:
    """Net names that differ only in case or in signs between letters."""
    seen: dict[str, list[str]] = {}
    for name in wired.nets:
        seen.setdefault(_folded(name), []).append(name)
    # Where one of them has a plus inside, signs inside tell them apart: V+RAW and V-RAW.
    groups = [
        g for names in seen.values() for g in (_by_signs(names) if any("+" in n for n in names) else [names])
    ]
    for names in groups:
        if len(names) > 1:
            text = f"Are these one net? {', '.join(names)}"
            ask = Remedy(label=f"Merge {names[1]} into {names[0]}", ask=f"merge {names[1]} {names[0]}")
            yield tell("two-spellings", text, len(names), 1, Place(net=names[0]), remedy=ask)


def _by_signs(names: list[str]) -> list[list[str]]:
    found: dict[str, list[str]] = {}
    for name in names:
        signs = re.sub(r"[^+-]", "", re.sub(r"^\+(?=\d)", "", name))
        found.setdefault(signs, []).append(name)
    return list(found.values())


def _pull_ups(wired: Wiring) -> Iterator[Finding]:
    """Open-drain nets: without pull-up, or with pull-ups that together are too strong or too weak."""
    for net in wired.nets.values():
        drains = _pulling(wired, net)
        if (
            not drains
            or len(net.pins) < 2
            or any(_loads(wired, part, net) for part, _ in wired.pins_on(net.name))
        ):
            continue
        ups = [(p, n, v) for p, n in _between(wired, "resistor", net, "supply") if (v := value_of(p))]
        refs = tuple(dict.fromkeys(drains))
        if not _between(wired, "resistor", net, "supply"):
            told = any(pin.role == "open-drain" for _, pin in wired.pins_on(net.name))
            yield tell(
                "no-pull-up",
                f"Open-drain net {net.name} has no pull-up" if told else f"Bus {net.name} has no pull-up",
                0,
                1,
                Place(refs=refs, net=net.name),
                source="open-drain outputs only pull low" if told else "what shares a line only pulls it low",
            )
        pulled = volts(ups[0][1]) if ups else None
        if pulled is None:
            continue
        ohms = 1 / sum(1 / v for _, _, v in ups)
        if not _is_bus(wired, net):
            yield from _against_the_pins(wired, net, pulled, ohms, tuple(p.ref for p, _, _ in ups))
            continue
        low, high = (pulled - OPEN_DRAIN_V) / OPEN_DRAIN_A, RISE_S / (0.8473 * BUS_F)
        names = tuple(p.ref for p, _, _ in ups)
        if len(ups) > 1:
            text = f"{net.name} has {len(ups)} pull-ups; modules may have more"
            source = "one a line is enough: those of modules count too"
            yield tell("pull-ups", text, len(ups), 1, Place(refs=names, net=net.name), source=source)
        if ohms < low:
            text = f"Pull-ups of {net.name} are too strong together: {format_value(ohms, 'Ω')}"
            yield tell(
                "pull-up", text, ohms, low, Place(refs=names, net=net.name), source="(V - 0.4 V) / 3 mA"
            )
        elif ohms > high:
            text = f"Pull-up of {net.name} is too weak for 1 µs rise at 100 pF: {format_value(ohms, 'Ω')}"
            yield tell(
                "pull-up",
                text,
                ohms,
                high,
                Place(refs=names, net=net.name),
                source="1 µs / (0.8473 · 100 pF)",
            )


def _pulling(wired: Wiring, net: Net) -> list[str]:
    """Name the parts whose pins only pull a net low.

    That are open-drain pins; on a net whose role is a bus, or whose pins are called as those of a two-wire bus are,
    also plain pins, unless one of them is said to drive the net both ways.
    """
    # A transistor pulls a load, not a line: it wants no pull-up.
    pins = [(part, pin) for part, pin in wired.pins_on(net.name) if not is_switch(part)]
    drains = [part.ref for part, pin in pins if pin.role == "open-drain"]
    shared = [part.ref for part, pin in pins if pin.role == "io"]
    if any(pin.role == "output" for _, pin in pins) or len(set(shared) | set(drains)) < 2:
        return drains
    named = any(BUS_WORD.search(pin.name.upper()) for _, pin in pins)
    return [*drains, *shared] if net.role == "bus" or named else drains


def _is_bus(wired: Wiring, net: Net) -> bool:
    """Tell whether a net is a line of a two-wire bus, by its role or by what its pins are called or do."""
    words = (word for _, pin in wired.pins_on(net.name) for word in (pin.name, *pin.functions))
    return net.role == "bus" or any(BUS_WORD.search(word.upper()) for word in words)


def _against_the_pins(
    wired: Wiring, net: Net, volts_up: float, ohms: float, refs: tuple[str, ...]
) -> Iterator[Finding]:
    """Hold the current of pull-ups on a line that is no bus against what the pin that pulls it down bears."""
    for part, pin in wired.pins_on(net.name):
        most = next((part.params[k] for k in ("iout_a", "ic_a", "i_a") if k in part.params), None)
        if pin.role == "open-drain" and most and volts_up / ohms > most:
            current = format_value(volts_up / ohms, "A")
            yield tell(
                "pull-up",
                f"{part.ref} pulls {current} through the pull-ups of {net.name}: {format_value(ohms, 'Ω')}",
                ohms,
                volts_up / most,
                Place(refs=refs, net=net.name),
                source=f"the catalogue: {format_value(most, 'A')}",
            )


def _crystals(wired: Wiring) -> Iterator[Finding]:
    """Load capacitors against the crystal's load, which is the second word of its value: ``8 MHz 12p5``."""
    for part in _of_kind(wired, "crystal"):
        load = _farads(part.value)
        if load is None:
            continue
        low, high = (2 * (load - stray) * 1e12 for stray in (STRAY_F[1], STRAY_F[0]))
        for net in _ends(wired, part):
            for cap, _ in _between(wired, "capacitor", net, "ground") if net else ():
                have = value_of(cap)
                if have is None or low * 0.85 <= have * 1e12 <= high * 1.15:
                    continue
                weak = have * 1e12 < low
                text = f"{cap.ref} does not suit crystal {part.ref}: wants {low:.0f} to {high:.0f} pF"
                source = "2 (CL - 3 to 5 pF stray), 15 % either way"
                yield tell(
                    "crystal-load",
                    text,
                    have * 1e12,
                    low if weak else high,
                    Place(refs=(cap.ref, part.ref)),
                    source=source,
                )


def _farads(text: str) -> float | None:
    for word in text.split()[1:]:
        if re.fullmatch(r"\d+p\d*F?|\d+\.\d+pF?", word):
            return parse_value(word.removesuffix("F"))
    return None


def _drive_volts(wired: Wiring, net: Net | None) -> float | None:
    """Tell the voltage a net is driven to: a rail's own, or that of the supply of the part whose output is on it."""
    if net is None:
        return None
    if (known := volts(net)) is not None:
        return known
    for part, pin in wired.pins_on(net.name):
        if pin.role in ("output", "io"):
            return _supply_volts(wired, part)
    return None


def _supply_volts(wired: Wiring, part: Part) -> float | None:
    found = [v for p in part.pins if p.role == "supply-in" and (v := volts(wired.net_at(part, p)))]
    return min(found) if found else None


def bears(wired: Wiring, part: Part, pin: Pin) -> float | None:
    """Give the supply that bounds an input: of several the one its name belongs to, the analogue one for AVDD's inputs.

    An input that its name or functions mark as tolerant (``5VT``) bears that; where nothing tells which of several
    supplies counts, the greatest does: a rule speaks only where it knows.
    """
    for text in (pin.name, *pin.functions):
        if match := re.search(r"(\d)VT\b", text.upper()):
            return float(match[1]) + 0.2
    found = [
        v
        for p in part.pins
        if p.role == "supply-in" and (v := volts(wired.net_at(part, p))) is not None and v > 0
    ]
    return max(found) if found else None


def _leds(wired: Wiring) -> Iterator[Finding]:
    """Current of an LED with its resistor, from the rail or pin that feeds them; forward voltage from its value."""
    for led in _of_kind(wired, "led"):
        forward = forward_volts(led)
        for near, far in (_ends(wired, led), _ends(wired, led)[::-1]):
            if forward is None or near is None or far is None or len(near.pins) != 2:
                continue
            ref = next((split_pin(p)[0] for p in near.pins if split_pin(p)[0] != led.ref), led.ref)
            resistor = wired.design.parts[ref]
            ohms = value_of(resistor) if resistor.kind == "resistor" else None
            if not ohms:
                continue
            other = next((n for n in _ends(wired, resistor) if n is not None and n is not near), None)
            feeds = [(v, n) for n in (other, far) if (v := _drive_volts(wired, n)) is not None]
            if len(feeds) != 1:
                continue
            (feed, fed), anode = feeds[0], _ends(wired, led)[1]
            # What feeds it drives its anode, or draws its cathode below ground.
            at_anode = fed is far if near is not anode else fed is other
            drive = feed if at_anode else -feed
            if fed is not None and fed.role == "supply" and drive < 0:
                end = "anode" if at_anode else "cathode"
                text = f"{led.ref} is the wrong way round: its {end} is fed by {fed.name}"
                yield tell(
                    "backwards",
                    text,
                    drive,
                    0,
                    Place(refs=(led.ref,)),
                    level="look",
                    source="polarity: pin 1 is plus, or cathode",
                )
                continue
            amps = (abs(feed) - forward) / ohms
            bears_w, watts = resistor.params.get("power_w"), amps * amps * ohms
            if bears_w is not None and amps > 0 and watts > bears_w:
                text = f"{resistor.ref} turns {watts:.3g} W into heat"
                yield tell(
                    "rating",
                    text,
                    watts,
                    bears_w,
                    Place(refs=(resistor.ref,)),
                    unit="W",
                    source="the catalogue's rating",
                )
            if not LED_LEAST_A <= amps <= LED_MOST_A:
                limit = LED_MOST_A if amps > LED_MOST_A else LED_LEAST_A
                text = f"{led.ref} with {resistor.ref} at {feed:g} V takes {format_value(amps, 'A')}"
                yield tell(
                    "led-current",
                    text,
                    amps * 1e3,
                    limit * 1e3,
                    Place(refs=(led.ref, resistor.ref)),
                    source="rule of thumb: 0.5 to 20 mA",
                )


def forward_volts(led: Part) -> float | None:
    """Give an LED's forward voltage: what the catalogue says, or the word of its value that reads like ``1V9``."""
    if "vf_v" in led.params:
        return led.params["vf_v"]
    words = (re.fullmatch(r"(\d)V(\d*)", w) for w in led.value.split())
    return next((float(f"{m[1]}.{m[2] or 0}") for m in words if m), None)


def _resets(wired: Wiring) -> Iterator[Finding]:
    """Reset inputs that nothing holds high."""
    for part in wired.design.parts.values():
        for pin in part.pins:
            if pin.role != "input" or pin.name.upper().strip("#~/") not in _RESET:
                continue
            net = wired.net_at(part, pin)
            if net is None or net.role == "supply" or _between(wired, "resistor", net, "supply"):
                continue
            text = f"Reset pin {pin_name(part.ref, pin.number)} has no pull-up"
            yield tell(
                "reset-pull-up",
                text,
                0,
                1,
                Place(refs=(part.ref,), net=net.name),
                source="rule of thumb: 10 k to the supply",
            )


def _domains(wired: Wiring) -> Iterator[Finding]:
    """Outputs that drive inputs beyond what feeds these: from a higher rail, or from one below ground."""
    for net in wired.nets.values():
        if net.role in ("supply", "ground"):
            continue
        drivers: list[tuple[float, float, str]] = []
        takers: list[tuple[float, float, str]] = []
        for part, pin in wired.pins_on(net.name):
            name, base = pin_name(part.ref, pin.number), reference(wired, part)
            if pin.role == "output" and (gives := _supply_volts(wired, part)) is not None:
                drivers.append((gives, base.low, name))
            elif pin.role in ("input", "io") and (most := bears(wired, part, pin)) is not None:
                takers.append((most, base.low, name))
        for high, low, driver in drivers if takers else ():
            most, _, taker = min(takers)
            if high > most + 0.3:
                text = f"{driver} drives {taker} on {net.name} from {high:g} V"
                refs = tuple(split_pin(p)[0] for p in (driver, taker))
                source = f"supply of {refs[1]} and 0.3 V"
                place = Place(refs=refs, net=net.name)
                yield tell("voltage-domain", text, high, most + 0.3, place, source=source)
            _, base_v, taker = max(takers, key=lambda t: t[1])
            if low < base_v - 0.3:
                text = f"{driver} can pull {taker} on {net.name} down to {low:g} V"
                refs = tuple(split_pin(p)[0] for p in (driver, taker))
                source = f"lower supply of {refs[1]} and 0.3 V"
                place = Place(refs=refs, net=net.name)
                yield tell("voltage-domain", text, low, base_v - 0.3, place, sense="at least", source=source)
