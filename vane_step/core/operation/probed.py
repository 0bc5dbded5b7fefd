"""What one net or part reads in a state, and least and greatest over all, for whoever points at it; none is judged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vane_step.core.design.model import Design, pin_name, split_pin
from vane_step.core.network.readings import Reading, readings
from vane_step.core.network.thermal import theta_of


@dataclass(frozen=True)
class NetProbe:
    """A net in one state: its voltage and what flows through it; the least and greatest voltage with their states.

    ``amps`` is what its pins put in, which is what others take out. ``count`` is of how many states.
    """

    state: str
    volts: float | None
    amps: float
    low: tuple[float, str] | None
    high: tuple[float, str] | None
    count: int


@dataclass(frozen=True)
class PinsProbe:
    """Pins in one state: by name the volts at each and the amperes into it."""

    state: str
    pins: dict[str, tuple[float | None, float]]


@dataclass(frozen=True)
class PartProbe:
    """A part in one state: its heat, its junction, and the volts at and amperes into each pin; its most heat of all."""

    state: str
    watts: float
    junction_c: float | None
    model: str
    assumed: tuple[str, ...]
    pins: dict[str, tuple[float | None, float]]
    most_w: float
    most_state: str
    most_c: float | None


def probed_states(design: Design) -> tuple[str, ...]:
    """Name the states that can be asked for: all that come to rest at the nominal voltages of their sources."""
    return tuple(dict.fromkeys(r.name for r in readings(design).nominal() if r.settled))


def probed_state(design: Design, name: str) -> Reading | None:
    """Give a state by name, else the first somebody named, else the first; none where none comes to rest."""
    found = [r for r in readings(design).nominal() if r.settled]
    return next((r for r in found if r.name == name), found[0] if found else None)


def probe_net(design: Design, net: str, state: Reading) -> NetProbe:
    """Read a net in a state and over all."""
    found = [r for r in readings(design).all if r.settled]
    seen = [(v, r.name) for r in found if (v := r.volts.get(net)) is not None]
    given = (state.amps.get(f"{part.ref}.{pin.number}", 0.0) for part, pin in design.pins_on(net))
    amps = sum(max(-a, 0.0) for a in given)
    low, high = min(seen, default=None), max(seen, default=None)
    return NetProbe(state.name, state.volts.get(net), amps, low, high, len(found))


def probe_pins(design: Design, pins: Sequence[str], state: Reading) -> PinsProbe:
    """Read pins in a state: the volts at each and the amperes into it; those on no net are left out."""
    found = {
        pin: (state.volts.get(net), state.amps.get(pin, 0.0))
        for pin in pins
        if (net := design.net_of(pin)) is not None
    }
    return PinsProbe(state.name, found)


def probe_part(design: Design, ref: str, state: Reading) -> PartProbe | None:
    """Read a part in a state, and where it gets hottest; none where it has no model or is left out there."""
    if ref not in state.parts:
        return None
    part, read = design.parts[ref], state.parts[ref]
    found = [r for r in readings(design).all if r.settled and ref in r.parts]
    worst = max([*found, state], key=lambda r: r.parts[ref].watts)
    theta = theta_of(part)
    known = theta is not None and "ways" not in part.params and part.kind in ("card", "diode")

    def junction_c(watts: float) -> float | None:
        return design.brief.ambient_c + watts * theta[0] if known and theta is not None else None

    pins = probe_pins(design, [pin_name(ref, p.number) for p in part.pins], state).pins
    most_w = worst.parts[ref].watts
    assumed = readings(design).assumed.get(ref, ())
    return PartProbe(
        state.name,
        read.watts,
        junction_c(read.watts),
        read.model,
        tuple(assumed),
        {split_pin(name)[1]: read for name, read in pins.items()},
        most_w,
        worst.name,
        junction_c(most_w),
    )
