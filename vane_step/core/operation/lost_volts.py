"""Volts lost in copper on the way to a part and back: told where they leave its supply too low; the copper's flow is
worked out with the board."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from vane_step.core.board.analysis.copper_currents import net_currents
from vane_step.core.board.copper.connectivity import net_copper
from vane_step.core.board.drc.track_heat import copper_on
from vane_step.core.design.model import Design, Part, pin_name
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.memo import MEMO
from vane_step.core.network.readings import Reading, circuit_key, readings
from vane_step.core.power.trace import resistance_ohm
from vane_step.core.quantity import format_value

COPPER_DROP = "copper-drop"
# Of a pour current crosses no more squares than this, so far as no rule of heat tells a narrow place (rule of thumb);
# a via's barrel.
POUR_SQUARES, VIA_OHM = 50.0, 0.002


@dataclass(frozen=True)
class Lost:
    """What is left at a part's supply pin in a state, and what of it was lost to and from it."""

    part: Part
    pin: str
    net: str
    ground: str
    state: str
    volts: float
    there_v: float
    back_v: float


def lost_findings(design: Design) -> Iterator[Finding]:
    """Tell of each part whose supply is high enough at its net but, less what the copper takes, too low at its pins."""
    if not design.tracks and not design.pours:
        return
    for part in design.parts.values():
        least = part.params.get("supply_min_v")
        if least is None or not part.fitted or part.place is None:
            continue
        lost = _worst(design, part, least)
        if lost is None:
            continue
        text = (
            f"{part.ref} {part.value} has {lost.volts:.2f} V between its pins in state {lost.state}, less than the "
            f"{least:g} V it needs: {format_value(lost.there_v, 'V')} are lost in the copper of {lost.net}, "
            f"{format_value(lost.back_v, 'V')} in that of {lost.ground}"
        )
        place = Place.of_pins(lost.pin, net=lost.net)
        yield tell(COPPER_DROP, text, round(lost.volts, 4), least, place, level="stop")


@dataclass(frozen=True)
class _Spare:
    """What a part's supply has to spare in a state, and all that comes into the two nets it hangs between."""

    pin: str
    net: str
    ground_pin: str
    ground: str
    state: Reading
    volts: float
    amps: float
    ground_a: float


def _spares(design: Design) -> dict[str, list[_Spare]]:
    """Give, by part, the states in which its supply is enough at its net; kept until the circuit changes."""
    key = ("supply-spares", circuit_key(design))
    known: dict[str, list[_Spare]] | None = MEMO.get(key)
    if known is None:
        known = MEMO.put(
            key, {ref: list(_spare(design, p)) for ref, p in design.parts.items()}, like="spares"
        )
    return known


def _spare(design: Design, part: Part) -> Iterator[_Spare]:
    least = part.params.get("supply_min_v")
    on = {
        (p.role, pin_name(part.ref, p.number)): design.net_of(pin_name(part.ref, p.number)) for p in part.pins
    }
    grounds = [(pin, net) for (role, pin), net in on.items() if role == "ground" and net is not None]
    if least is None or not part.fitted or not grounds:
        return
    ground_pin, ground = grounds[0]
    for (role, pin), net in on.items():
        if role != "supply-in" or net is None:
            continue
        for state in readings(design).all:
            at, zero = state.volts.get(net), state.volts.get(ground)
            if state.settled and at is not None and zero is not None and at - zero >= least:
                coming = (_coming(design, n, state) for n in (net, ground))
                yield _Spare(pin, net, ground_pin, ground, state, at - zero, *coming)


def _worst(design: Design, part: Part, least: float) -> Lost | None:
    found: Lost | None = None
    ohms: dict[str, float] = {}
    for s in _spares(design).get(part.ref, ()):
        for net in (s.net, s.ground):
            if net not in ohms:
                ohms[net] = _whole_ohm(design, net)
        # All that comes in through all of the copper, one piece after the other, is more than can be lost.
        if s.amps * ohms[s.net] + s.ground_a * ohms[s.ground] <= s.volts - least:
            continue
        there, back = (
            _lost_at(design, s.net, s.pin, s.state),
            _lost_at(design, s.ground, s.ground_pin, s.state),
        )
        left = s.volts - there - back
        if left < least * 0.9995 and (found is None or left < found.volts):
            found = Lost(part, s.pin, s.net, s.ground, s.state.name, left, there, back)
    return found


def _coming(design: Design, net: str, state: Reading) -> float:
    on = (f"{part.ref}.{pin.number}" for part, pin in design.pins_on(net))
    return sum(max(-state.amps.get(pin, 0.0), 0.0) for pin in on)


def _whole_ohm(design: Design, net: str) -> float:
    copper, ohm = net_copper(design).get(net), 0.0
    for item in copper.items if copper is not None else ():
        if item.kind == "track":
            um, _ = copper_on(design, item.layers[0])
            ohm += resistance_ohm(item.spine.length, item.width_mm, um)
        elif item.kind in ("via", "jumper"):
            ohm += VIA_OHM
    if any(p.net == net for p in design.pours.values()):
        ohm += resistance_ohm(POUR_SQUARES, 1.0, design.board.rules.copper_um)
    return ohm


def _lost_at(design: Design, net: str, pin: str, state: Reading) -> float:
    """Give what a net loses between a pin and where it is fed, or where what it takes leaves it."""
    found = net_currents(design, net, state)
    if found is None or pin not in found.currents.volts:
        return 0.0
    volts = found.currents.volts
    feeds = [
        p for p in volts if state.amps.get(p, 0.0) * (1 if design.nets[net].role == "ground" else -1) > 1e-6
    ]
    ends = [volts[p] for p in feeds]
    return abs(volts[pin] - (min(ends) if design.nets[net].role == "ground" else max(ends))) if ends else 0.0
