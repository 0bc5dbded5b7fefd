"""Gates and bases of single transistors: what drives them against what they need; what loads bear is in ``stress``.

The voltage of a gate is worked out from what its net hangs on, directly or over a resistor: outputs with the supply of
their part, open drains, rails. A rule speaks only where all of that is known.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from vane_step.core.circuit.rails import Volts, rail, who
from vane_step.core.circuit.sources import ohms_of
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, Pin, pin_name
from vane_step.core.finding import Finding, Place, tell

CATALOGUE = "the catalogue"
# Most gates bear 20 V (rule of thumb; those for low drive often bear less).
GATE_MOST_V = 20.0
# Below half its threshold a transistor is off; a resistor up to this between source and ground is a shunt.
OFF_SHARE, SHUNT_OHM, LOAD_OHM = 0.5, 10.0, 1000.0
DIRECT_OHM = 1e-3


@dataclass(frozen=True)
class _Pull:
    """One thing a gate hangs on: its voltages when low and when high, over so many ohms, and whether it can let go.

    ``weak`` is the voltage when high at the lowest supply, as of a battery near its end.
    """

    volts: Volts
    ohms: float
    drives: bool = False
    lets_go: bool = False
    weak: float | None = None

    def at(self, high: bool, weakest: bool) -> float:
        """Give the voltage in a state."""
        if not high:
            return self.volts.low
        return self.weak if weakest and self.weak is not None else self.volts.high


@dataclass(frozen=True)
class _Drive:
    """All a gate hangs on."""

    pulls: tuple[_Pull, ...]

    @property
    def driven(self) -> bool:
        """Whether something switches the gate."""
        return any(p.drives for p in self.pulls)

    def level(self, high: bool, weakest: bool = False) -> float | None:
        """Give the gate's voltage with all drivers high, or low; open drains let go when high. None when it floats."""
        held = [p for p in self.pulls if not (p.lets_go and high)]
        if not held:
            return None
        share = sum(1 / max(p.ohms, DIRECT_OHM) for p in held)
        return sum(p.at(high, weakest) / max(p.ohms, DIRECT_OHM) for p in held) / share


def gate_findings(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule of this module."""
    for part in wired.design.parts.values():
        pins = {p.name.upper(): p for p in part.pins}
        if not part.fitted or len(part.pins) > 4:
            continue
        if pins.keys() >= {"G", "D", "S"} and "vgsth_v" in part.params:
            yield from _field_effect(wired, part, pins)
        elif pins.keys() >= {"B", "C", "E"}:
            yield from _bipolar(wired, part, pins)


def _field_effect(wired: Wiring, part: Part, pins: dict[str, Pin]) -> Iterator[Finding]:
    gate, drain, source = (wired.net_at(part, pins[n].number) for n in "GDS")
    if gate is None or source is None:
        return
    # A tab is a drain of its own, of which only its copper matters.
    n_channel = any(p.role == "open-drain" for p in part.pins)
    yield from _turned(part, n_channel, drain, source)
    at = rail(source) or _over_shunt(wired, source)
    drive = _drive_of(wired, part, gate)
    if at is None or drive is None:
        return
    low_side = n_channel and abs(at.most) < 1e-9
    if not low_side and (n_channel or at.low <= 0):
        return
    if not drive.pulls:
        text = f"The gate of {who(part)} floats: {gate.name} has neither a driver nor a resistor"
        yield tell(
            "gate-floats",
            text,
            0,
            1,
            Place(refs=(part.ref,), net=gate.name),
            source="a gate keeps any charge",
        )
        return
    released = drive.level(high=True)
    if drive.driven and released is None:
        text = f"Nothing holds the gate of {who(part)} when its driver lets go: {gate.name} floats"
        yield tell(
            "gate-floats",
            text,
            0,
            1,
            Place(refs=(part.ref,), net=gate.name),
            level="look",
            source="an open drain only pulls down",
        )
        return
    yield from _enough(part, gate, drive, at, n_channel, drain is not None and _loaded(wired, part, drain))
    yield from _ever_off(part, gate, drive, at, n_channel)
    yield from _bears(wired, part, gate, source, drive, at)


def _turned(part: Part, n_channel: bool, drain: Net | None, source: Net) -> Iterator[Finding]:
    """Drain and source exchanged: the diode inside conducts from the load to ground."""
    volts = rail(source)
    if n_channel:
        wrong = drain is not None and drain.role == "ground" and source.role != "ground"
    else:
        wrong = source.role == "ground" or (volts is not None and volts.high <= 0)
    if wrong:
        ground = drain if n_channel and drain is not None else source
        text = f"{who(part)} has drain and source exchanged: the diode inside it conducts all the time"
        where = "drain on ground" if n_channel else "source on ground"
        yield tell("transistor-turned", text, 1, 0, Place(refs=(part.ref,), net=ground.name), source=where)


def _over_shunt(wired: Wiring, net: Net) -> Volts | None:
    """Give 0 V for a source that stands on ground over a resistor to measure by."""
    for part, pin in wired.pins_on(net.name):
        ohms = ohms_of(part)
        if ohms is not None and ohms <= SHUNT_OHM and len(part.pins) == 2:
            other = wired.other_end(part, pin)
            if other is not None and other.role == "ground":
                return Volts(0.0, 0.0)
    return None


def _drive_of(wired: Wiring, gated: Part, gate: Net) -> _Drive | None:
    """Gather what a gate hangs on; ``None`` where something on it gives nobody knows what."""
    found: list[_Pull] = []
    known = rail(gate)
    if known is not None:
        return _Drive((_rail_pull(known, 0.0),))
    for part, pin in wired.pins_on(gate.name):
        if part is gated or not part.fitted or part.kind in ("capacitor", "polar-capacitor", "diode"):
            continue
        if part.kind == "resistor" and len(part.pins) == 2:
            ohms = ohms_of(part)
            far = wired.other_end(part, pin)
            if ohms is None or far is None:
                return None
            pulls = [_rail_pull(v, 0.0)] if (v := rail(far)) is not None else _drivers(wired, far, part)
            # A resistor to what is known only in part, or to another knot of resistors, leaves the gate unknown.
            if pulls is None:
                return None
            found += [replace(p, ohms=p.ohms + ohms) for p in pulls]
        elif _is_gate(part, pin):
            continue
        else:
            driver = _driver(wired, part, pin)
            if driver is None:
                return None
            found.append(driver)
    return _Drive(tuple(found))


def _rail_pull(volts: Volts, ohms: float) -> _Pull:
    """Give what a rail does over a resistor, which is the same whatever is driven."""
    return _Pull(volts, ohms, weak=volts.low)


def _is_gate(part: Part, pin: Pin) -> bool:
    return pin.role == "input" and pin.name.upper() == "G" and len(part.pins) <= 4


def _drivers(wired: Wiring, net: Net, through: Part) -> list[_Pull] | None:
    """Give what drives a net at the far end of a resistor; ``None`` where that cannot be told."""
    found = []
    for part, pin in wired.pins_on(net.name):
        if part is through or not part.fitted or part.kind in ("capacitor", "polar-capacitor"):
            continue
        if part.kind == "resistor" and (ohms := ohms_of(part)) is not None:
            far = rail(wired.other_end(part, pin))
            if far is None:
                return None
            found.append(_rail_pull(far, ohms))
            continue
        driver = _driver(wired, part, pin)
        if driver is None:
            return None
        found.append(driver)
    # Resistors beside a driver hold it only while it lets go.
    drivers = [p for p in found if p.drives]
    if drivers and not any(p.lets_go for p in drivers):
        return drivers
    return found if len(found) == 1 else None


def _driver(wired: Wiring, part: Part, pin: Pin) -> _Pull | None:
    """Give what an output, a port or an open drain does to its net."""
    if pin.role in ("output", "io"):
        rails = [v for p in part.pins if p.role == "supply-in" and (v := rail(wired.net_at(part, p)))]
        if not rails:
            return None
        supply = max(rails, key=lambda v: v.high)
        return _Pull(Volts(0.0, supply.high), 0.0, drives=True, weak=supply.low)
    if pin.role == "open-drain":
        low = next((rail(wired.net_at(part, p)) for p in part.pins if p.name.upper() in ("S", "E")), None)
        return _Pull(Volts(low.low if low else 0.0, 0.0), 0.0, drives=True, lets_go=True)
    return None


def _loaded(wired: Wiring, switch: Part, drain: Net) -> bool:
    """Tell whether more hangs on a drain than gates and large resistors, through which next to nothing flows."""

    def takes(part: Part, pin: Pin) -> bool:
        if part.kind == "resistor":
            return (ohms_of(part) or 0.0) < LOAD_OHM
        return part.kind != "capacitor" and not _is_gate(part, pin)

    return any(
        part is not switch and part.fitted and takes(part, pin) for part, pin in wired.pins_on(drain.name)
    )


def _enough(
    part: Part, gate: Net, drive: _Drive, at: Volts, n_channel: bool, loaded: bool
) -> Iterator[Finding]:
    """Whether the gate gets what the transistor needs to be on."""
    volts = drive.level(high=n_channel, weakest=True)
    if volts is None:
        return
    between = (volts - at.high) if n_channel else (at.low - volts)
    need, threshold = part.params.get("vgs_v", 0.0), part.params["vgsth_v"]
    if not drive.driven and between < threshold:
        text = f"Nothing ever switches {who(part)} on: {gate.name} only hangs on resistors"
        yield tell(
            "gate-drive", text, between, threshold, Place(refs=(part.ref,), net=gate.name), level="look"
        )
    elif between < threshold:
        text = f"{who(part)} never gets on: its gate gets {between:.3g} V, its threshold is {threshold:g} V"
        yield tell("gate-drive", text, between, threshold, Place(refs=(part.ref,), net=gate.name))
    elif loaded and between < need - 1e-6:
        text = f"{who(part)} is made for a gate at {need:g} V and gets {between:.3g} V: it stays half on and gets hot"
        yield tell("gate-drive", text, between, need, Place(refs=(part.ref,), net=gate.name), level="look")


def _ever_off(part: Part, gate: Net, drive: _Drive, at: Volts, n_channel: bool) -> Iterator[Finding]:
    """Whether whatever drives the gate can switch the transistor off."""
    volts = drive.level(high=not n_channel)
    if volts is None or not drive.driven:
        return
    between = (volts - at.low) if n_channel else (at.high - volts)
    threshold = part.params["vgsth_v"]
    if between >= threshold * OFF_SHARE:
        always = between >= threshold
        text = (
            f"{who(part)} {'never gets off' if always else 'does not get off for certain'}: "
            f"with {gate.name} at {volts:.3g} V its gate still has {between:.3g} V"
        )
        limit = threshold * OFF_SHARE
        yield tell(
            "gate-off",
            text,
            between,
            limit,
            Place(refs=(part.ref,), net=gate.name),
            level="stop" if always else "look",
        )


def _bears(wired: Wiring, part: Part, gate: Net, source: Net, drive: _Drive, at: Volts) -> Iterator[Finding]:
    """Whether the gate bears what it gets."""
    levels = [v for high in (True, False) if (v := drive.level(high)) is not None]
    most = max(max(abs(v - at.low), abs(v - at.high)) for v in levels)
    if most <= GATE_MOST_V or _clamped(wired, gate, source):
        return
    text = f"The gate of {who(part)} gets {most:.3g} V against its source"
    source_of = "most gates bear 20 V (rule of thumb)"
    yield tell(
        "gate-over",
        text,
        most,
        GATE_MOST_V,
        Place(refs=(part.ref,), net=gate.name),
        level="look",
        source=source_of,
    )


def _clamped(wired: Wiring, gate: Net, source: Net) -> bool:
    return any(
        "vz_v" in part.params and any(wired.net_at(part, p) is source for p in part.pins)
        for part, _ in wired.pins_on(gate.name)
    )


def _bipolar(wired: Wiring, part: Part, pins: dict[str, Pin]) -> Iterator[Finding]:
    """Bases straight on a rail or an output: the diode to the emitter takes what it gets."""
    base, emitter = (wired.net_at(part, pins[n].number) for n in "BE")
    at = rail(emitter)
    if base is None or at is None:
        return
    volts, why = rail(base), "a base is a diode to the emitter"
    if volts is not None and base.role == "supply" and abs(volts.most - at.most) > 1.0:
        text = f"The base of {who(part)} is straight on {base.name}: nothing limits its current"
        yield tell(
            "base-bare",
            text,
            abs(volts.most - at.most),
            1.0,
            Place(refs=(part.ref,), net=base.name),
            source=why,
        )
        return
    for other, pin in wired.pins_on(base.name):
        if other is not part and other.fitted and pin.role in ("output", "io") and base.role != "supply":
            text = f"{pin_name(other.ref, pin.number)} drives the base of {who(part)} without a resistor"
            driver = _driver(wired, other, pin)
            high = driver.volts.high if driver else 0.0
            if high > 1.0 and emitter is not None and emitter.role == "ground":
                yield tell("base-bare", text, high, 1.0, Place(refs=(part.ref,), net=base.name), source=why)
                return
