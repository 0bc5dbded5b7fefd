"""Rails against what hangs on them and what they are called, and the regulators that make them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from vane_step.core.circuit.rails import named_volts
from vane_step.core.design.model import Net, Part, pin_name
from vane_step.core.finding import Place, Remedy
from vane_step.core.network.readings import Reading, StageReading
from vane_step.core.operation.worst import Worst

# Below a third of what it needs a part is off, not starved.
OFF_SHARE: Final = 0.35
# A rail may be off its name by this (rule of thumb); off what was said of it by two in a hundred.
NAME_SHARE, SAID_SHARE = 0.12, 0.02
# A converter at nine tenths of its input has nothing left to hold with (rule of thumb).
DUTY_PCT: Final = 92.0
# The peak of a coil's current keeps a fifth under saturation (rule of thumb).
PEAK_SHARE: Final = 0.8
# Below this at its input a converter is off.
LIVE_V: Final = 0.5


def rails(worst: Worst) -> None:
    """Note rails that are too low or high for a part, or not what they are called, and regulators beyond their
    limits."""
    for state in worst.states():
        for part in worst.design.parts.values():
            if part.fitted:
                _supplies(worst, state, part)
        for net in worst.design.nets.values():
            _claim(worst, state, net)
        for stage in state.stages:
            _stage(worst, state, stage)
    _never_on(worst)


def supply_margins(worst: Worst, state: Reading) -> Iterator[tuple[str, float, float, float]]:
    """Give for each part with a supply its name with the net, the voltage, and the least and most it accepts."""
    for part in worst.design.parts.values():
        least, most = part.params.get("supply_min_v"), part.params.get("supply_max_v")
        if not part.fitted or least is None or most is None:
            continue
        base = _base(state, worst, part)
        for pin in part.pins:
            net = worst.design.net_of(pin_name(part.ref, pin.number))
            if pin.role == "supply-in" and net is not None and (at := state.volts.get(net)) is not None:
                yield f"{part.ref} at {net}", at - base, least, most


def _supplies(worst: Worst, state: Reading, part: Part) -> None:
    least, most = part.params.get("supply_min_v"), part.params.get("supply_max_v")
    if least is None and most is None:
        return
    base = _base(state, worst, part)
    for pin in part.pins:
        net = worst.design.net_of(pin_name(part.ref, pin.number))
        if pin.role != "supply-in" or net is None or (at := state.volts.get(net)) is None:
            continue
        volts = at - base
        place = Place.of_pins(pin_name(part.ref, pin.number), net=net)
        if most is not None and volts > most * 1.0005:
            text = f"{worst.part(part.ref)} has {volts:.2f} V at {net}, more than the {most:g} V it bears"
            worst.note(
                "rail-high",
                f"{part.ref} {net}",
                state,
                text,
                volts,
                most,
                badness=volts,
                level="stop",
                place=place,
            )
        if least is not None and OFF_SHARE * least < volts < least * 0.9995:
            running = state.setting.mode not in ("reset", "loader")
            text = f"{worst.part(part.ref)} has {volts:.2f} V at {net}, less than the {least:g} V it needs"
            worst.note(
                "rail-low",
                f"{part.ref} {net}",
                state,
                text,
                volts,
                least,
                badness=least - volts,
                level="stop" if running and volts > 0.6 * least else "look",
                place=place,
            )


def _base(state: Reading, worst: Worst, part: Part) -> float:
    """Give what a part's supplies count from: the lowest of its ground pins."""
    found = [
        v
        for p in part.pins
        if p.role == "ground"
        and (net := worst.design.net_of(pin_name(part.ref, p.number))) is not None
        and (v := state.volts.get(net)) is not None
    ]
    return min(found, default=0.0)


def _claim(worst: Worst, state: Reading, net: Net) -> None:
    at = state.volts.get(net.name)
    if at is None or net.role not in ("supply", "high-current"):
        return
    named = named_volts(net.name)
    if net.volts is not None:
        low, high, share, source = *net.volts, SAID_SHARE, f"said of {net.name}"
    elif named is not None:
        # A name is what people call a rail, not its range: what was said of its source may be as wide as it is.
        if state.setting.at != "nominal":
            return
        low = high = named
        share, source = NAME_SHARE, "its name, within 12 % (rule of thumb)"
    else:
        return
    middle = max(abs(low), abs(high))
    # A rail that is off in this state claims nothing; one fed by leaks alone neither.
    if abs(at) < 0.5 * middle or (low * at < 0 < abs(low)):
        return
    slack = share * middle
    off = max(low - slack - at, at - high - slack)
    if off <= 0:
        return
    limit = low - slack if at < low else high + slack
    called = "is said to be at" if net.volts is not None else "is called"
    claim = f"{low:g} to {high:g} V" if net.volts is not None and low != high else f"{middle:g} V"
    text = f"{net.name} {called} {claim} and is at {at:.2f} V"

    def remedy() -> Remedy | None:
        seen = [
            v for r in worst.states() if (v := r.volts.get(net.name)) is not None and abs(v) >= 0.5 * middle
        ]
        bottom, top = min([low, *seen]), max([high, *seen])
        ask = f"rail {net.name} {_down(bottom)}..{_up(top)}"
        return Remedy(label=f"Say that {net.name} lies between {_down(bottom)} and {_up(top)} V", ask=ask)

    worst.note(
        "rail-claim",
        net.name,
        state,
        text,
        at,
        limit,
        badness=off,
        level="look",
        place=Place(net=net.name),
        source=source,
        remedy=remedy,
    )


def _down(volts: float) -> str:
    return (
        f"{int(volts * 10 - (0.999 if volts * 10 % 1 else 0)) / 10 if volts < 0 else int(volts * 10) / 10:g}"
    )


def _up(volts: float) -> str:
    return f"{-int(-volts * 10) / 10 if volts < 0 else int(volts * 10 + 0.999) / 10:g}"


def _stage(worst: Worst, state: Reading, reading: StageReading) -> None:
    stage = reading.stage
    part = worst.design.parts[stage.ref]
    name = worst.part(stage.ref)
    place = Place(refs=(stage.ref,))
    top = stage.in_high_v
    into = abs(reading.in_v)
    bears = max(abs(stage.in_high_v or 0), abs(stage.in_low_v or 0)) if reading.in_v < 0 else top
    if bears is not None and into > bears * 1.0005:
        text = f"{name} has {reading.in_v:.2f} V at its input, more than the {bears:g} V it bears"
        worst.note(
            "stage-input", stage.ref, state, text, into, bears, badness=into, level="stop", place=place
        )
    if stage.most_a is not None and reading.amps > stage.most_a * 1.0005:
        text = f"{name} gives {reading.amps:.3g} A of the {stage.most_a:g} A it is rated for"
        worst.note(
            "stage-current",
            stage.ref,
            state,
            text,
            reading.amps,
            stage.most_a,
            badness=reading.amps,
            level="stop",
            place=place,
        )
    _headroom(worst, state, reading)
    if stage.kind == "buck" and reading.in_v > LIVE_V:
        _buck(worst, state, reading, part)


def _headroom(worst: Worst, state: Reading, reading: StageReading) -> None:
    """Note regulators whose input leaves them too little, and converters that do not start."""
    stage, name = reading.stage, worst.part(reading.stage.ref)
    place, into = Place(refs=(stage.ref,)), abs(reading.in_v)
    held = stage.held_v
    if stage.kind in ("linear", "reference") and held is not None and reading.amps > 1e-6:
        room = into - abs(held)
        if abs(reading.out_v) < 0.985 * abs(held) and into > 0.5 * abs(held) and room < stage.drop_v:
            text = (
                f"{name} has {room:.2f} V over its output of {abs(held):g} V and "
                f"needs {stage.drop_v:g} V: it gives {abs(reading.out_v):.2f} V"
            )
            worst.note(
                "headroom",
                stage.ref,
                state,
                text,
                room,
                stage.drop_v,
                badness=stage.drop_v - room,
                level="stop" if abs(reading.out_v) < 0.95 * abs(held) else "look",
                place=place,
            )
    if (
        stage.kind in ("buck", "converter", "boost")
        and stage.in_low_v
        and 0.5 * stage.in_low_v < into < 0.995 * stage.in_low_v
    ):
        text = f"{name} has {into:.2f} V at its input and starts at {stage.in_low_v:g} V"
        worst.note(
            "headroom",
            stage.ref,
            state,
            text,
            into,
            stage.in_low_v,
            badness=stage.in_low_v - into,
            level="stop" if into > 0.7 * stage.in_low_v else "look",
            place=place,
        )


def _buck(worst: Worst, state: Reading, reading: StageReading, part: Part) -> None:
    stage, duty = reading.stage, reading.out_v / reading.in_v
    place = Place(refs=(stage.ref, stage.coil))
    if 100 * duty > DUTY_PCT and reading.amps > 1e-3 and reading.in_v > (stage.in_low_v or 0) * 0.98:
        text = (
            f"{worst.part(stage.ref)} makes {reading.out_v:.2f} V of "
            f"{reading.in_v:.2f} V: it has no duty left to hold it with"
        )
        worst.note(
            "duty",
            stage.ref,
            state,
            text,
            100 * duty,
            DUTY_PCT,
            badness=duty,
            level="look",
            place=place,
            unit="%",
        )
    coil = worst.design.parts.get(stage.coil)
    if coil is None or stage.switching_hz is None or not 0 < duty < 1:
        return
    henry, saturates = coil.params.get("l_h"), coil.params.get("isat_a")
    if not henry or not saturates or reading.amps < 1e-3:
        return
    ripple = reading.out_v * (1 - duty) / (henry * stage.switching_hz)
    # Where the current comes to zero within the cycle its peak is another.
    peak = reading.amps + ripple / 2 if reading.amps > ripple / 2 else (2 * reading.amps * ripple) ** 0.5
    limit = PEAK_SHARE * saturates
    if peak > limit:
        text = f"The current in {worst.part(coil.ref)} peaks at {peak:.2f} A; it saturates at {saturates:g} A"
        worst.note(
            "saturation",
            coil.ref,
            state,
            text,
            peak,
            saturates if peak > saturates else limit,
            badness=peak,
            level="stop" if peak > saturates else "look",
            place=place,
            source=None if peak > saturates else "the catalogue, a fifth kept (rule of thumb)",
        )


def _never_on(worst: Worst) -> None:
    """Regulators that have their input in some state and give nothing in any."""
    best: dict[str, tuple[float, StageReading, Reading]] = {}
    for state in worst.states():
        for reading in state.stages:
            if abs(reading.in_v) >= abs(reading.stage.in_low_v or 1.0) and reading.stage.kind != "charger":
                known = best.get(reading.stage.ref)
                if known is None or abs(reading.out_v) > known[0]:
                    best[reading.stage.ref] = (abs(reading.out_v), reading, state)
    for ref, (volts, reading, state) in best.items():
        wanted = abs(reading.stage.held_v or 1.0)
        # One that holds back is on.
        if volts < 0.3 * wanted and reading.amps < 0.5 * (reading.stage.most_a or 1.0):
            text = (
                f"{worst.part(ref)} gives {volts:.2f} V in every state, though "
                "its input is there: is its enable pin open or held down?"
            )
            worst.note(
                "never-on",
                ref,
                state,
                text,
                volts,
                wanted,
                badness=wanted,
                level="look",
                place=Place(refs=(ref,)),
            )
