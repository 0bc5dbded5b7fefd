"""What parts carry and turn into heat against what they bear, in the state that is worst for each."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Final

from vane_step.core.design.model import Part, pin_name
from vane_step.core.design.operation import LOADER, RESET
from vane_step.core.finding import Place
from vane_step.core.network.contacts import CLOSED, momentary
from vane_step.core.network.readings import Reading
from vane_step.core.network.thermal import sink_for, theta_of
from vane_step.core.operation.worst import Worst
from vane_step.core.rules import Level

MOST_C, WARM_C = 125.0, 105.0
# Which pins carry what a part's rated current is told of: by the name of the rating.
CARRIED: Final = {"id_a": r"D\d*", "ic_a": r"C\d*", "if_a": r"K\d*|A\d*"}


def bearing(worst: Worst) -> None:
    """Note parts over their current, their power or their temperature."""
    for state in worst.states():
        for ref, reading in state.parts.items():
            part = worst.design.parts.get(ref)
            if part is None:
                continue
            for amps, limit, pin in currents(part, state):
                _over(worst, state, part, amps, limit, pin)
            _heat(worst, state, part, reading.watts)


def currents(part: Part, state: Reading) -> Iterator[tuple[float, float, str]]:
    """Give the currents of a part's pins with what each bears."""
    two = len(part.pins) == 2

    def at(number: str) -> float:
        return abs(state.amps.get(pin_name(part.ref, number), 0.0))

    if two and part.kind in ("diode", "led", "fuse", "switch", "inductor", "jumper"):
        key = {"inductor": "isat_a", "diode": "if_a", "led": "if_a"}.get(part.kind, "i_a")
        limit = part.params.get(key)
        if limit:
            yield at(part.pins[0].number), limit, part.pins[0].number
        return
    if "ways" in part.params or "coil_v" in part.params or "id_a" in part.params or "ic_a" in part.params:
        limit = part.params.get("i_a")
        names = r".*" if "ways" in part.params else r"(COM|NO|NC)\d*"
        for key, pattern in CARRIED.items():
            if key in part.params and key != "if_a":
                limit, names = part.params[key], pattern
        for pin in part.pins:
            if limit and re.fullmatch(names, pin.name.upper() or "-"):
                yield at(pin.number), limit, pin.number
        return
    limit = part.params.get("i_pin_a")
    for pin in part.pins:
        if limit and pin.role in ("output", "io", "open-drain"):
            yield at(pin.number), limit, pin.number


def _level(worst: Worst, state: Reading) -> Level:
    """Give how grave it is that a part bears too much: less where it does so only while a finger holds a key down
    in the reset or the loader of a controller, unless somebody named that state."""
    parts = worst.design.parts
    held = any(
        at in CLOSED and ref in parts and momentary(parts[ref]) for ref, at in state.setting.positions.items()
    )
    rare = held and state.setting.mode in (LOADER, RESET) and not state.setting.said
    return "look" if rare else "stop"


def _over(worst: Worst, state: Reading, part: Part, amps: float, limit: float, number: str) -> None:
    if amps <= limit * 1.0005:
        return
    pin = pin_name(part.ref, number)
    single = len(part.pins) == 2
    what = worst.part(part.ref) if single else f"{pin} of {worst.part(part.ref)}"
    text = f"{what} carries {amps:.3g} A of the {limit:g} A it is rated for"
    worst.note(
        "part-current",
        part.ref if single else pin,
        state,
        text,
        amps,
        limit,
        badness=amps / limit,
        level=_level(worst, state),
        place=Place.of_pins(pin, net=worst.design.net_of(pin)),
    )


def junction_c(worst: Worst, part: Part, watts: float) -> tuple[float, str] | None:
    """Give the temperature of a part's junction at the brief's surroundings, and by what."""
    if part.kind in (
        "resistor",
        "capacitor",
        "polar-capacitor",
        "inductor",
        "fuse",
        "switch",
        "jumper",
        "sounder",
        "led",
    ):
        return None
    found = theta_of(part)
    if found is None or "ways" in part.params:
        return None
    return worst.design.brief.ambient_c + watts * found[0], f"{found[0]:g} K/W: {found[1]}"


def _heat(worst: Worst, state: Reading, part: Part, watts: float) -> None:
    place = Place(refs=(part.ref,))
    bears = part.params.get("power_w")
    if (
        bears is not None
        and part.kind in ("resistor", "diode", "card")
        and "supply_max_v" not in part.params
        and watts > 0.8 * bears
    ):
        over = watts > bears * 1.0005
        limit = bears if over else 0.8 * bears
        text = f"{worst.part(part.ref)} turns {watts:.3g} W into heat of the {bears:g} W it bears"
        worst.note(
            "part-power",
            part.ref,
            state,
            text,
            watts,
            limit,
            badness=watts / bears,
            level=_level(worst, state) if over else "look",
            place=place,
            source=None if over else "the catalogue, a fifth kept (rule of thumb)",
        )
    known = junction_c(worst, part, watts)
    if known is None or known[0] <= WARM_C:
        return
    celsius, source = known
    over = celsius > MOST_C
    ambient = worst.design.brief.ambient_c
    text = f"The junction of {worst.part(part.ref)} comes to {celsius:.0f} °C with {watts:.2g} W in {ambient:g} °C"
    sink = sink_for(part, watts, WARM_C - ambient)
    if sink is not None:
        text += f"; a heat sink of {sink:.2g} K/W at most keeps it under {WARM_C:g} °C"
    worst.note(
        "part-hot",
        part.ref,
        state,
        text,
        celsius,
        MOST_C if over else WARM_C,
        badness=celsius,
        level=_level(worst, state) if over else "look",
        place=place,
        source=source,
    )
