"""Sources against each other and against what hangs on them: back-feed, fights, sources that give all they can."""

from __future__ import annotations

from typing import Final

from vane_step.core.circuit.rails import rail
from vane_step.core.design.operation import Source
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.network.outside import all_sources, ground_net, unknown_feeds
from vane_step.core.network.readings import Reading
from vane_step.core.operation.worst import Worst

# What flows back through leaks and dividers is no back-feed; from the second on it is a stop.
BACK_LOOK_A, BACK_STOP_A = 1e-3, 5e-3
FIGHT_A: Final = 5e-3
# What a port or plug pack that is off takes (rule of thumb).
DEAD_OHM: Final = 100.0
DRIVES: Final = ("output", "io", "open-drain")
# A port gives this much without being asked for more (USB 2.0, section 7.2.1).
PORT_A: Final = 0.5


def unknown(worst: Worst) -> list[Finding]:
    """Connectors that feed a net of which nobody said the source, and what was said and is gone."""
    design = worst.design
    found = []
    ground = ground_net(design)
    for pin, net in unknown_feeds(design):
        known = rail(design.nets[net])
        remedy = None
        # What voltage comes in only its name can tell; where it does not, nothing is offered.
        if ground is not None and known is not None:
            volts = f"{known.most:g}V"
            name = net if net not in design.sources else pin.replace(".", "_")
            label = f"Say that {volts} comes in"
            remedy = Remedy(label=label, ask=f"source {name} {pin} {ground.name} {volts}")
        text = f"Nothing says what feeds {net} at {pin}: no state of it is worked out"
        found.append(tell("source-unknown", text, place=Place.of_pins(pin, net=net), remedy=remedy))
    for name in worst.readings.lost:
        text = f"{name} hangs on a net or pin that is gone"
        remedy = Remedy(
            label=f"Take {name} out", ask=f"{'source' if name in design.sources else 'load'} {name} none"
        )
        found.append(tell("ends-gone", text, place=Place(refs=()), remedy=remedy))
    if worst.readings.problem:
        found.append(tell("state-wrong", worst.readings.problem))
    for state in worst.readings.all:
        if not state.settled:
            nets = ", ".join(state.moving[:4]) or "its nodes"
            text = f"State {state.name} comes to no rest: {nets} keep moving, which an oscillator does and a fault may"
            place = Place(net=state.moving[0] if state.moving else None)
            found.append(tell("unsettled", text, place=place))
            break
    return found


def feeds(worst: Worst) -> None:
    """Note what flows back, what fights and what is all given, over all states."""
    for state in worst.states():
        _back(worst, state)
        _fights(worst, state)
        _sources(worst, state)


def _back(worst: Worst, state: Reading) -> None:
    known = all_sources(worst.design)
    charging = [s for s in state.stages if s.stage.kind == "charger" and s.amps > 1e-4]
    for name, reading in state.sources.items():
        source = known[name]
        back = -reading.amps
        # A cell that its charger feeds is charged.
        fed_by_charger = source.ah is not None and sum(s.amps for s in charging) >= back * 0.99 and charging
        if back < BACK_LOOK_A or fed_by_charger:
            continue
        others = ", ".join(n for n, r in state.sources.items() if r.amps > back * 0.5 and n != name)
        text = f"{name} is fed {_amps(back)}{f' by {others}' if others else ''}: nothing blocks it"
        _fed(worst, state, source, text, back)
    _dead(worst, state)
    _through_stages(worst, state)


def _fed(
    worst: Worst, state: Reading, source: Source, text: str, back_a: float, by: str | None = None
) -> None:
    """Note current that flows back into a source."""
    worst.note(
        "back-feed",
        source.id,
        state,
        text,
        back_a,
        BACK_LOOK_A,
        badness=back_a,
        level="stop" if back_a >= BACK_STOP_A else "look",
        place=Place(
            refs=(source.plus.partition(".")[0],) if "." in source.plus else (),
            net=_net(worst, source.plus),
        ),
        source=by,
    )


def _dead(worst: Worst, state: Reading) -> None:
    """Note sources that are off and whose contacts others feed."""
    known = all_sources(worst.design)
    for name, (volts, ohm) in state.dead.items():
        source = known[name]
        # A cell that is off is not there; a port or plug pack that is off may well be plugged in.
        back = abs(volts) / (ohm + DEAD_OHM)
        if source.ah is not None or back < BACK_LOOK_A:
            continue
        text = f"{name} is off and {volts:.2f} V stand at it: what is plugged in there is fed up to {_amps(back)}"
        _fed(worst, state, source, text, back, "100 Ω for what is off (rule of thumb)")


def _through_stages(worst: Worst, state: Reading) -> None:
    """Note what flows back into the outputs of regulators."""
    for stage in state.stages:
        back = stage.back_a
        if back < BACK_LOOK_A or stage.stage.kind in ("charger", "switch"):
            continue
        level = "stop" if back >= BACK_STOP_A else "look"
        text = (
            f"{_amps(back)} flow back into the output of "
            f"{worst.part(stage.stage.ref)}, which no one feeds at its input"
        )
        if stage.in_v > stage.out_v * 0.99 and stage.in_v > 0.5:
            text = f"{_amps(back)} flow back into the output of {worst.part(stage.stage.ref)}"
        worst.note(
            "back-feed",
            stage.stage.ref,
            state,
            text,
            back,
            BACK_LOOK_A,
            badness=back,
            level=level,  # type: ignore[arg-type]
            place=Place(refs=(stage.stage.ref,)),
        )


def _fights(worst: Worst, state: Reading) -> None:
    design = worst.design
    for net in design.nets.values():
        giving: list[tuple[float, str]] = []
        taking: list[tuple[float, str]] = []
        for part, pin in design.pins_on(net.name):
            if pin.role not in DRIVES or part.ref not in state.parts:
                continue
            name = f"{part.ref}.{pin.number}"
            amps = state.amps.get(name, 0.0)
            if amps < -FIGHT_A:
                giving.append((amps, name))
            elif amps > FIGHT_A:
                taking.append((amps, name))
        if not giving or not taking:
            continue
        most = min(-min(giving)[0], max(taking)[0])
        text = f"{min(giving)[1]} and {max(taking)[1]} drive {net.name} against each other with {_amps(most)}"
        worst.note(
            "output-fight",
            net.name,
            state,
            text,
            most,
            FIGHT_A,
            badness=most,
            level="stop",
            place=Place.of_pins(min(giving)[1], max(taking)[1], net=net.name),
        )


def _sources(worst: Worst, state: Reading) -> None:
    known = all_sources(worst.design)
    for name, reading in state.sources.items():
        source = known[name]
        place = Place(net=_net(worst, source.plus))
        if source.most_a is not None and reading.amps >= source.most_a * 0.999:
            text = f"{name} gives all it can, {_amps(reading.amps)}, and sags to {reading.volts:.2f} V"
            worst.note(
                "source-current",
                name,
                state,
                text,
                reading.amps,
                source.most_a,
                badness=reading.amps,
                level="stop",
                place=place,
            )
        elif (
            name not in worst.design.sources and "VBUS" in (place.net or "").upper() and reading.amps > PORT_A
        ):
            text = f"{name} is asked for {_amps(reading.amps)}; a port gives 0.5 A where nobody negotiates"
            worst.note(
                "source-current",
                name,
                state,
                text,
                reading.amps,
                PORT_A,
                badness=reading.amps,
                level="look",
                place=place,
                source="USB 2.0, 7.2.1",
            )
    for name, taken in state.loads.items():
        load = worst.design.loads[name]
        fed = any(r.amps > 1e-3 for r in state.sources.values())
        for asked, has, unit in ((load.amps, taken.amps, "A"), (load.watts, taken.watts, "W")):
            if asked is None or has >= 0.95 * asked or not fed or taken.volts < 0.2:
                continue
            text = (
                f"{name} asks for {asked:g} {unit} and gets {has:.3g} "
                f"{unit}: its supply collapses to {taken.volts:.2f} V"
            )
            worst.note(
                "load-starved",
                name,
                state,
                text,
                has,
                asked,
                badness=asked - has,
                level="stop",
                place=Place(net=_net(worst, load.plus)),
                unit=unit,
            )


def _net(worst: Worst, point: str) -> str | None:
    return point if point in worst.design.nets else worst.design.net_of(point)


def _amps(value: float) -> str:
    return (
        f"{value:.2f} A"
        if value >= 1
        else f"{value * 1e3:.1f} mA"
        if value >= 1e-3
        else f"{value * 1e6:.0f} µA"
    )
