"""Electrical review by what parts bear and do: ratings, flyback, start-up; plugs are in ``connectors``.

What the catalogue says of a part stands in its ``params``; a rule speaks only where both numbers are known. What
values tell is in ``electrics``.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from vane_step.core.circuit.electrics import volts
from vane_step.core.circuit.rails import across, rail, reference
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, Pin
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.rules import Level

IN_HAND = 1.2
LOADS = re.compile(r"PUMP|MOTOR|RELAY|COIL|VALVE|SOLENOID|FAN", re.I)
DRIVEN = ("pulled-up", "high", "toggles")
CATALOGUE = "the catalogue's rating"


def hazards(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule of this module."""
    rules = (_ratings, _supplies, _flyback, _startup)
    for rule in rules:
        yield from rule(wired)


def level_of(net: Net | None) -> float | None:
    """Give the voltage of a rail, or 0 of a ground."""
    return 0.0 if net is not None and net.role == "ground" else volts(net)


# -- ratings ------------------------------------------------------------------------------------------------


def _ratings(wired: Wiring) -> Iterator[Finding]:
    """Working voltage of capacitors, reverse voltage of diodes, drain voltage of switches, power of resistors."""
    for part in wired.parts:
        if part.kind in ("capacitor", "polar-capacitor") and "vmax_v" in part.params:
            gap = across(*wired.ends(part))
            if gap is not None:
                yield from _voltage(part, gap, part.params["vmax_v"], "working voltage")
        elif part.kind == "diode" and "vr_v" in part.params:
            reverse = _reverse(wired, part)
            if reverse:
                yield from _voltage(
                    part, reverse, part.params["vr_v"], "reverse voltage", "caps the input range"
                )
        elif "vds_v" in part.params or "vce_v" in part.params:
            rail = _load_rail(wired, part)
            if rail:
                limit = part.params.get("vds_v", part.params.get("vce_v", 0.0))
                yield from _voltage(part, rail, limit, "voltage it can switch")
        elif part.kind == "resistor" and "power_w" in part.params and part.params.get("r_ohm"):
            gap = across(*wired.ends(part))
            if gap is not None:
                power = gap**2 / part.params["r_ohm"]
                if power > part.params["power_w"]:
                    text = f"{part.ref} turns {power:.3g} W into heat"
                    yield tell(
                        "rating",
                        text,
                        power,
                        part.params["power_w"],
                        Place(refs=(part.ref,)),
                        unit="W",
                        source=CATALOGUE,
                    )


def _voltage(part: Part, need: float, have: float, what: str, also: str = "") -> Iterator[Finding]:
    if have >= need * IN_HAND - 1e-9 or need == 0:
        return
    level: Level = "stop" if have < need else "look"
    limit, source = (
        (need, CATALOGUE)
        if level == "stop"
        else (need * IN_HAND, f"{CATALOGUE}, 20 % in hand (rule of thumb)")
    )
    tail = f"; this {also}" if also else ""
    text = f"{part.ref} {part.catalogue or part.value}: {what} {have:g} V, {need:g} V are on it{tail}"
    yield tell("rating", text, have, round(limit, 3), Place(refs=(part.ref,)), level=level, source=source)


def _reverse(wired: Wiring, part: Part) -> float | None:
    """Give the reverse voltage of a diode: its cathode's rail, or the input of the regulator that switches it."""
    cathode, anode = wired.ends(part)
    if cathode is None or anode is None:
        return None
    high, low = level_of(cathode), level_of(anode)
    if high is not None and low is not None:
        return max(0.0, high - low)
    if anode.role == "ground":
        for other, pin in wired.pins_on(cathode.name):
            if pin.role == "output":
                rails = [volts(wired.net_at(other, p)) for p in other.pins if p.role == "supply-in"]
                return max((r for r in rails if r is not None), default=None)
    return high


def _load_rail(wired: Wiring, part: Part) -> float | None:
    """Give the highest rail a switch's drain sees through the load that hangs on it."""
    found = []
    for pin in part.pins:
        net = wired.net_at(part, pin) if pin.role == "open-drain" else None
        if net is None or net.role in ("supply", "ground"):
            continue
        for other, far in wired.pins_on(net.name):
            if other is not part:
                found += [
                    v for p in other.pins if p is not far and (v := volts(wired.net_at(other, p))) is not None
                ]
    return max(found, default=None)


def _supplies(wired: Wiring) -> Iterator[Finding]:
    """Supply and input voltages of parts against what the catalogue allows."""
    for part in wired.parts:
        low = part.params.get("supply_min_v", part.params.get("vin_min_v"))
        high = part.params.get("supply_max_v", part.params.get("vin_max_v"))
        if low is None or high is None:
            continue
        for name in dict.fromkeys(
            n.name for p in part.pins if p.role == "supply-in" and (n := wired.net_at(part, p))
        ):
            known, base = rail(wired.nets[name]), reference(wired, part)
            if known is None or known.high < 0:
                continue
            least, most = known.low - base.high, known.high - base.low
            if low - 1e-9 <= least and most <= high + 1e-9:
                continue
            over = most > high
            fed = most if over else least
            whole = f" from {base.low:g} V to {known.high:g} V" if base.low else ""
            text = f"{part.ref} {part.catalogue or part.value} is fed {fed:g} V{whole}, it takes {low:g} to {high:g} V"
            yield tell(
                "supply-range",
                text,
                fed,
                high if over else low,
                Place(refs=(part.ref,), net=name),
                level="stop" if over else "look",
                source=CATALOGUE,
            )


# -- loads and start-up ---------------------------------------------------------------------------------------


def _is_inductive(part: Part, net: Net) -> bool:
    named = LOADS.search(net.name) or (part.kind == "card" and LOADS.search(f"{part.value} {part.note}"))
    return bool(part.params.get("inductive")) or (bool(named) and part.ref.startswith(("J", "K", "M")))


def _flyback(wired: Wiring) -> Iterator[Finding]:
    """Coils switched by a transistor need a diode from the switched side back to their supply."""
    for net in wired.nets.values():
        if net.role in ("supply", "ground"):
            continue
        on = wired.pins_on(net.name)
        switches = [part for part, pin in on if pin.role == "open-drain" and not _clamped(wired, part)]
        coils = [part for part, _ in on if _is_inductive(part, net)]
        if not switches or not coils:
            continue
        diodes = [part for part, pin in on if part.kind == "diode" and pin is part.pins[1]]
        caught = [end for d in diodes if (end := wired.net_at(d, d.pins[0])) is not None]
        if any(n.role == "supply" for end in caught for n in (end, *_behind_fuse(wired, end))):
            continue
        if any(p.kind == "diode" and "vz_v" in p.params and pin is p.pins[0] for p, pin in on):
            # A zener diode over the switch takes the kick.
            continue
        turned = [
            p
            for p, pin in on
            if p.kind == "diode" and pin is p.pins[0] and level_of(wired.net_at(p, p.pins[1]))
        ]
        text = f"Nothing catches the kick of {coils[0].ref} when {switches[0].ref} lets go of {net.name}"
        if turned:
            text = f"{turned[0].ref} over {coils[0].ref} is the wrong way round: it shorts the supply"
        refs = (coils[0].ref, switches[0].ref, *(p.ref for p in turned))
        yield tell(
            "flyback",
            text,
            0,
            1,
            Place(refs=refs, net=net.name),
            source="inductive loads need a diode, cathode at the supply",
        )


def _behind_fuse(wired: Wiring, net: Net) -> list[Net]:
    """Give the nets behind a fuse or a zener diode of a net."""
    return [
        far
        for part, pin in wired.pins_on(net.name)
        if part.kind == "fuse" or "vz_v" in part.params
        for p in part.pins
        if p is not pin and (far := wired.net_at(part, p)) is not None
    ]


def _clamped(wired: Wiring, part: Part) -> bool:
    """Tell whether a driver brings its own diodes: a pin ``COM`` on a supply."""
    return any(
        p.name.upper() == "COM" and (n := wired.net_at(part, p)) is not None and n.role == "supply"
        for p in part.pins
    )


def _series(wired: Wiring, net: Net) -> list[Net]:
    """Give a net and those behind one series resistor of it."""
    found = [net]
    for part, pin in wired.pins_on(net.name):
        if part.kind == "resistor":
            other = next((n for p in part.pins if p is not pin and (n := wired.net_at(part, p))), None)
            if other is not None and other.role not in ("supply", "ground"):
                found.append(other)
    return found


def _pulled(wired: Wiring, nets: list[Net], role: str) -> bool:
    for net in nets:
        for part, pin in wired.pins_on(net.name):
            if part.kind == "resistor" and part.fitted:
                others = [wired.net_at(part, p) for p in part.pins if p is not pin]
                if any(o is not None and o.role == role for o in others):
                    return True
    return False


def _startup(wired: Wiring) -> Iterator[Finding]:
    """Loads that a controller pin switches while it is in reset or its loader runs."""
    for net in wired.nets.values():
        pins = [(part, pin) for part, pin in wired.pins_on(net.name) if pin.reset or pin.loader]
        if not pins:
            continue
        # Of several pins the one that does most while nobody minds it.
        part, pin = min(pins, key=lambda p: (p[1].reset not in DRIVEN, p[1].loader not in DRIVEN))
        reach = _series(wired, net)
        loads = [(a, b) for n in reach for a, b in wired.pins_on(n.name) if a is not part]
        for load, control in loads:
            yield from _started(wired, part, pin, net, reach, load, control)


def _started(
    wired: Wiring, part: Part, pin: Pin, net: Net, reach: list[Net], load: Part, control: Pin
) -> Iterator[Finding]:
    """Judge one load behind one controller pin."""
    role = _off_role(wired, load, control)
    if role is None:
        return
    name = f"{part.ref}.{pin.number}{f' ({pin.name})' if pin.name else ''}"
    loud = [s for s in (pin.reset, pin.loader) if s in DRIVEN] if role == "ground" else []
    when = "in reset" if pin.reset in DRIVEN else "while the loader runs"
    if loud:
        yield tell(
            "start-up",
            f"{name} is {loud[0]} {when} and switches {load.ref} on",
            1,
            0,
            Place(refs=(load.ref, part.ref), net=net.name),
            source="pin states of the controller",
            remedy=Remedy(label="Assign the pins again", ask=f"assign {part.ref}") if part.uses else None,
        )
    elif control.role == "input" and not _pulled(wired, reach, role):
        yield tell(
            "start-up",
            f"Nothing holds {load.ref} off while {name} is open in reset",
            0,
            1,
            Place(refs=(load.ref, part.ref), net=net.name),
            unit="resistors",
            source="a load needs a resistor that holds it off through reset and loader",
        )


def _off_role(wired: Wiring, load: Part, control: Pin) -> str | None:
    """Tell which rail keeps a load off: ground for a low-side switch or a sounder, the supply for a high-side one."""
    if load.kind == "sounder":
        ends = wired.ends(load)
        return "ground" if any(n is not None and n.role == "ground" for n in ends) else None
    if control.role != "input" or len(load.pins) != 3 or control.name.upper() not in ("G", "B"):
        return None
    source = next((p for p in load.pins if p.name.upper() in ("S", "E")), None)
    net = wired.net_at(load, source) if source else None
    if net is not None and net.role == "supply":
        return "supply"
    return "ground" if any(p.role == "open-drain" for p in load.pins) else None
