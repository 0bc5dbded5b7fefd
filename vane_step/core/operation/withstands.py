"""What stands across parts against the voltage they bear, in the state that is worst for each; currents and heat are in
``bearing``."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from vane_step.core.circuit.hazards import IN_HAND
from vane_step.core.design.model import Part, pin_name
from vane_step.core.finding import Place
from vane_step.core.network.readings import Reading
from vane_step.core.operation.worst import Worst

# What a polar capacitor bears the wrong way round (rule of thumb).
REVERSED_V: Final = 1.0
# Ends of transistors that bear a voltage, by the rating that tells it.
SWITCHED: Final = (("vds_v", ("D", "S")), ("vce_v", ("C", "E")))


def withstands(worst: Worst) -> None:
    """Note parts with more across them than they bear, and polar capacitors the wrong way round."""
    design = worst.design
    asked = [(p, e) for p in design.parts.values() if p.fitted and (e := list(_ends(p)))]
    for state in worst.states():
        for part, ends in asked:
            for one, two, limit, what, either in ends:
                nets = (design.net_of(pin_name(part.ref, one)), design.net_of(pin_name(part.ref, two)))
                high, low = (state.volts.get(n) if n is not None else None for n in nets)
                if high is None or low is None:
                    continue
                stands = abs(high - low) if either else high - low
                _note(worst, state, part, stands, limit, what)


def _ends(part: Part) -> Iterator[tuple[str, str, float, str, bool]]:
    """Give pairs of pins with what may stand from the first to the second, and whether either way counts."""
    bears = part.params
    if part.kind in ("capacitor", "polar-capacitor") and len(part.pins) == 2:
        plus, minus = (p.number for p in part.pins)
        if "vmax_v" in bears:
            yield plus, minus, bears["vmax_v"], "working voltage", part.kind == "capacitor"
        if part.kind == "polar-capacitor":
            yield minus, plus, REVERSED_V, "the wrong way round", False
    elif part.kind == "diode" and "vr_v" in bears and "vz_v" not in bears and len(part.pins) == 2:
        cathode, anode = (p.number for p in part.pins)
        yield cathode, anode, bears["vr_v"], "reverse voltage", False
    else:
        names = {p.name.upper(): p.number for p in part.pins}
        for key, (one, two) in SWITCHED:
            if key in bears and one in names and two in names:
                yield names[one], names[two], bears[key], "voltage it can switch", True


def _note(worst: Worst, state: Reading, part: Part, stands: float, limit: float, what: str) -> None:
    wrong = limit == REVERSED_V and part.kind == "polar-capacitor"
    if stands * (1.0 if wrong else IN_HAND) <= limit * 1.0005:
        return
    over = stands > limit * 1.0005
    name = worst.part(part.ref)
    text = (
        f"{name} has {stands:.3g} V across it the wrong way round"
        if wrong
        else f"{name} has {stands:.3g} V across it, its {what} is {limit:g} V"
    )
    worst.note(
        "part-volts",
        part.ref,
        state,
        text,
        stands,
        limit if over else limit / IN_HAND,
        badness=stands / limit,
        level="stop" if over else "look",
        place=Place(refs=(part.ref,)),
        source="rule of thumb" if wrong else None if over else "the catalogue, 20 % in hand (rule of thumb)",
    )
