"""Pins and gates in each state: what is held by nothing, driven beyond its supply, or on before firmware runs."""

from __future__ import annotations

from typing import Final

from vane_step.core.circuit.contacts import RESTS
from vane_step.core.design.model import Part, pin_name
from vane_step.core.design.operation import LOADER, RESET
from vane_step.core.finding import Place
from vane_step.core.network.readings import Reading
from vane_step.core.operation.worst import Worst

# Current through a pin's protective diodes: told from the first, a stop from the second (rule of thumb: a few
# milliamperes).
CLAMP_LOOK_A, CLAMP_STOP_A = 2e-4, 2e-3
ABOVE_V: Final = 0.35
# From this over its supply an input reads its end and no more.
BEYOND_V: Final = 0.1
# From this voltage at its drain on a transistor switches something.
LIVE_V: Final = 0.5
# What runs at a quarter of its most before firmware does is on; what is under a twentieth in some mode is switched.
ON_SHARE, OFF_SHARE = 0.25, 0.05


def pins(worst: Worst) -> None:
    """Note gates nothing holds, pins beyond their supply, and loads that are on in reset or in the loader."""
    for state in worst.states():
        stages = {s.stage.ref for s in state.stages}
        for part in worst.design.parts.values():
            if part.fitted and part.ref in state.parts:
                _gate(worst, state, part)
                if part.ref not in stages:
                    _clamped(worst, state, part)
    _early(worst)


def _gate(worst: Worst, state: Reading, part: Part) -> None:
    if "vgsth_v" not in part.params:
        return
    floating = {net for group in state.floating for net in group}
    for pin in part.pins:
        net = worst.design.net_of(pin_name(part.ref, pin.number))
        if not pin.name.upper().startswith("G") or pin.role != "input" or net not in floating:
            continue
        suffix = pin.name[1:]
        drain = next((p for p in part.pins if p.name.upper() == f"D{suffix}"), None)
        # What a gate at no voltage does to its drain means nothing: the most that stands there in any state counts.
        over = worst.most_volts(worst.design.net_of(pin_name(part.ref, drain.number)) or "") if drain else 0.0
        if over < LIVE_V:
            continue
        text = (
            f"Nothing holds the gate of {worst.part(part.ref)} at {net}, and up to {over:.1f} V stand over it"
        )
        worst.note(
            "gate-open",
            f"{part.ref}.{pin.number}",
            state,
            text,
            0.0,
            1e-7,
            badness=over,
            level="stop" if state.setting.mode in (RESET, LOADER) or state.setting.said else "look",
            place=Place.of_pins(pin_name(part.ref, pin.number), net=net),
        )


def _clamped(worst: Worst, state: Reading, part: Part) -> None:
    supplies = [
        v
        for p in part.pins
        if p.role == "supply-in"
        and (net := worst.design.net_of(pin_name(part.ref, p.number))) is not None
        and (v := state.volts.get(net)) is not None
    ]
    if not supplies:
        return
    top, needs = max(supplies), part.params.get("supply_min_v", 1.5)
    for pin in part.pins:
        if pin.role not in ("input", "io", "output", "open-drain"):
            continue
        name = pin_name(part.ref, pin.number)
        net = worst.design.net_of(name)
        at = state.volts.get(net or "")
        if net is None or at is None:
            continue
        amps = state.amps.get(name, 0.0)
        above, below = at - top, -at
        _beyond(worst, state, part, name, at, top, needs)
        if above > ABOVE_V and amps > CLAMP_LOOK_A:
            dead = top < needs
            text = (
                (
                    f"{name} of {worst.part(part.ref)} is fed {amps * 1e3:.2f} "
                    f"mA while its supply is off: {net} is at {at:.2f} V"
                )
                if dead
                else (
                    f"{name} of {worst.part(part.ref)} is at {at:.2f} V, "
                    f"{above:.2f} V over its supply, and takes {amps * 1e3:.2f} mA"
                )
            )
        elif below > ABOVE_V and amps < -CLAMP_LOOK_A and min(0.0, *supplies) > at:
            text = (
                f"{name} of {worst.part(part.ref)} is at {at:.2f} "
                f"V, below its ground, and gives {-amps * 1e3:.2f} mA"
            )
        else:
            continue
        worst.note(
            "pin-range",
            name,
            state,
            text,
            abs(amps),
            CLAMP_LOOK_A,
            badness=abs(amps),
            level="stop" if abs(amps) > CLAMP_STOP_A else "look",
            place=Place.of_pins(name, net=net),
        )


def _beyond(worst: Worst, state: Reading, part: Part, name: str, at: float, top: float, needs: float) -> None:
    """A divider or a pull-up that goes beyond what the input reads, with too little current to harm it."""
    if top < needs or at - top <= BEYOND_V or not 1e-7 < state.amps.get(name, 0.0) <= CLAMP_LOOK_A:
        return
    net = worst.design.net_of(name)
    text = f"{name} of {worst.part(part.ref)} reads no more than its supply of {top:.2f} V, and {net} wants {at:.2f} V"
    worst.note(
        "input-beyond",
        name,
        state,
        text,
        at,
        top,
        badness=at - top,
        level="look",
        place=Place.of_pins(name, net=net),
    )


def _early(worst: Worst) -> None:
    """Loads that some mode switches off and that run in reset or in the loader."""
    taken: dict[str, list[tuple[float, Reading]]] = {}
    for state in worst.states():
        for name, load in state.loads.items():
            taken.setdefault(name, []).append((load.watts, state))
        for ref, part in state.parts.items():
            if "inductive" in worst.design.parts[ref].params or part.model.startswith("load"):
                taken.setdefault(ref, []).append((part.watts, state))
    for name, seen in taken.items():
        most = max(w for w, _ in seen)
        early = [(w, s) for w, s in seen if s.setting.mode in (RESET, LOADER)]
        running = [w for w, s in seen if s.setting.mode not in (RESET, LOADER)]
        if most < 1e-3 or not early or not running:
            continue
        watts, state = max(early, key=lambda e: e[0])
        # Only what a mode can switch off with the same sources on is meant to be off.
        same = [
            w
            for w, s in seen
            if s.setting.sources == state.setting.sources and s.setting.mode not in (RESET, LOADER)
        ]
        if watts < ON_SHARE * most or not same or min(same) > OFF_SHARE * most:
            continue
        words = f"{name} {worst.design.parts[name].value if name in worst.design.parts else ''}"
        text = f"{name} runs with {watts:.2g} W before firmware can switch it"
        worst.note(
            "on-in-reset",
            name,
            state,
            text,
            watts,
            OFF_SHARE * most,
            badness=watts,
            level="stop" if RESTS.search(words) else "look",
            place=Place(refs=(name,) if name in worst.design.parts else ()),
        )
