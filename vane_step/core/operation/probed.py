"""What one net or part reads over all states, for whoever points at it: the states somebody named, then the ends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from vane_step.core.design.model import Design
from vane_step.core.network.readings import Reading, readings
from vane_step.core.network.thermal import theta_of

MOST_ROWS: Final = 6


@dataclass(frozen=True)
class NetProbe:
    """A net: its voltage in the states that are told, and the least and greatest over all with their states."""

    rows: tuple[tuple[str, float | None], ...]
    low: tuple[float, str] | None
    high: tuple[float, str] | None
    count: int


@dataclass(frozen=True)
class PartProbe:
    """A part: its heat where it is greatest, its junction there, by which model, and the most into each pin."""

    watts: float
    state: str
    junction_c: float | None
    model: str
    assumed: tuple[str, ...]
    pins: dict[str, float]


def _told(found: list[Reading]) -> list[Reading]:
    named = [r for r in found if r.setting.said and r.setting.at == "nominal"]
    return (named or [r for r in found if r.setting.at == "nominal"])[:MOST_ROWS]


def probe_net(design: Design, net: str) -> NetProbe | None:
    """Read a net in every state; none where nothing is known that feeds the board."""
    found = [r for r in readings(design).all if r.settled]
    if not found:
        return None
    seen = [(v, r.name) for r in found if (v := r.volts.get(net)) is not None]
    rows = tuple((r.setting.name, r.volts.get(net)) for r in _told(found))
    return NetProbe(rows, min(seen, default=None), max(seen, default=None), len(found))


def probe_part(design: Design, ref: str) -> PartProbe | None:
    """Read a part in the state in which it gets hottest; none where it has no model or nothing feeds the board."""
    found = [r for r in readings(design).all if r.settled and ref in r.parts]
    if not found:
        return None
    worst = max(found, key=lambda r: r.parts[ref].watts)
    part, read = design.parts[ref], worst.parts[ref]
    theta = theta_of(part)
    junction = (
        design.brief.ambient_c + read.watts * theta[0]
        if theta is not None and "ways" not in part.params
        else None
    )
    if part.kind not in ("card", "diode"):
        junction = None
    pins: dict[str, float] = {}
    for reading in found:
        for pin in part.pins:
            amps = reading.amps.get(f"{ref}.{pin.number}", 0.0)
            if abs(amps) > abs(pins.get(pin.number, 0.0)):
                pins[pin.number] = amps
    assumed = readings(design).assumed.get(ref, ())
    return PartProbe(read.watts, worst.name, junction, read.model, tuple(assumed), pins)
