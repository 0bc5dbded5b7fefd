"""How much current a pin can pass at most, whatever happens elsewhere; what it passes in a state is the solver's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from vane_step.core.circuit.electrics import value_of
from vane_step.core.circuit.rails import rail
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Part, Pin, pin_name
from vane_step.core.network.outside import all_sources

# What an input or a gate takes and gives while it is charged over, as heat counts it (rule of thumb), and a capacitor
# below the second figure that serves edges.
LISTENS_A: Final = 0.1
BYPASS_F: Final = 1e-6
# A fuse lets this much more than its rating pass for long (rule of thumb).
FUSE_TIMES: Final = 2.0
# What may stand across a part beyond what is said: tolerances.
MARGIN: Final = 1.1
# Ratings of parts with two pins that are destroyed by more.
RATED: Final[Mapping[str, str]] = {"led": "if_a", "diode": "if_a"}


@derived("parts", "nets", "sources")
def pin_limits(design: Design) -> Mapping[str, float]:
    """Give the most current a pin can pass, in amperes, for the pins of which that is known; others may pass anything.

    Resistors by the greatest voltage there can be between two nets, inputs, gates and bypass capacitors by a rule
    of thumb, light-emitting and other diodes by their rating, outputs by what a pin of theirs gives. Switches,
    connectors, regulators, coils, large capacitors and whatever has no model are without a limit.
    """
    across = widest_v(design)
    found: dict[str, float] = {}
    for part in design.parts.values():
        for pin in part.pins:
            most = _most_a(part, pin, across)
            if most is not None:
                found[pin_name(part.ref, pin.number)] = most
    return found


def widest_v(design: Design) -> float | None:
    """Give the greatest voltage there can be between two nets, by what sources, rails and converters are said to be at.

    None where nothing says, or where a boost converter makes a voltage nobody said.
    """
    said: list[float] = []
    grounds = {n.name for n in design.nets.values() if n.role == "ground"}
    for source in all_sources(design).values():
        plus, minus = (
            point if point in design.nets else design.net_of(point) for point in (source.plus, source.minus)
        )
        # Turned round its plus is at ground; on top of another nobody knows how high it stands.
        if minus in grounds:
            said += [source.highest_v, source.lowest_v]
        elif plus in grounds:
            said += [-source.highest_v, -source.lowest_v]
        else:
            return None
    for net in design.nets.values():
        said += net.volts or ()
        if (claim := rail(net)) is not None:
            said += [claim.low, claim.high]
    for part in design.parts.values():
        if "vout_v" in part.params:
            said.append(part.params["vout_v"])
        elif "fsw_hz" in part.params and _boosts(design, part):
            return None
    if not said or not all_sources(design):
        return None
    return (max(0.0, *said) - min(0.0, *said)) * MARGIN or None


def _boosts(design: Design, part: Part) -> bool:
    """Whether a converter's coil leads from its input, or it pumps: it may make more than that, or less than ground."""
    if any(pin.name.upper().startswith("CAP") for pin in part.pins):
        return True
    inputs = {
        net
        for pin in part.pins
        if pin.role == "supply-in" and (net := design.net_of(pin_name(part.ref, pin.number))) is not None
    }
    mine = {net for pin in part.pins if (net := design.net_of(pin_name(part.ref, pin.number))) is not None}
    for coil in design.parts.values():
        if coil.kind == "inductor":
            ends = {design.net_of(pin_name(coil.ref, p.number)) for p in coil.pins}
            if ends <= mine and ends & inputs:
                return True
    return not inputs


def _most_a(part: Part, pin: Pin, across_v: float | None) -> float | None:
    if len(part.pins) == 2:
        return _of_two(part, across_v)
    if pin.role == "input":
        return LISTENS_A
    if pin.role in ("io", "output", "open-drain") and not {"iout_a", "id_a", "ic_a"} & part.params.keys():
        return part.params.get("i_pin_a")
    return None


def _of_two(part: Part, across_v: float | None) -> float | None:
    if part.kind in ("resistor", "thermistor"):
        ohm = part.params.get("r_ohm", value_of(part))
        if not ohm or across_v is None:
            return None
        # A thermistor that is hot has a twentieth of its value or so.
        least = ohm * (1 - (part.params.get("tolerance_pct") or 10.0) / 100)
        return across_v / (least if part.kind == "resistor" else least / 20)
    if part.kind in ("capacitor", "polar-capacitor"):
        farad = part.params.get("c_f", value_of(part))
        return LISTENS_A if farad and farad < BYPASS_F else None
    if part.kind == "crystal":
        return LISTENS_A
    if part.kind == "fuse":
        rated = part.params.get("i_a")
        return FUSE_TIMES * rated if rated else None
    return part.params.get(RATED.get(part.kind, ""))
