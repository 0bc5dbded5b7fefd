"""What really flows in the copper of each net, in the state that is worst for it: hottest piece, drop, vias, pours."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from vane_step.core.board.copper.copper_flow import CopperCurrents, CopperNet, PieceFlow
from vane_step.core.board.drc.track_heat import copper_on
from vane_step.core.design.model import Design, natural
from vane_step.core.errors import NotFound
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.memo import MEMO
from vane_step.core.network.readings import Reading, circuit_key, readings
from vane_step.core.power import trace
from vane_step.core.quantity import format_value, nm

# Rise that is allowed where nobody said another, and from which it is a stop; currents under this heat nothing.
RISE_LOOK_K, RISE_STOP_K = 10.0, 40.0
LEAST_A: Final = 0.1
# The chart of IPC-2221 ends there.
MOST_A: Final = 35.0
COPPER: Final = ("parts", "packages", "board", "holes", "tracks", "vias", "jumpers", "pours", "texts")


@dataclass(frozen=True)
class NetCurrents:
    """A net in its worst state: what comes in, what flows where, and the piece that gets hottest with its rise."""

    net: str
    state: str
    amps: float
    currents: CopperCurrents
    hottest: PieceFlow | None
    rise_k: float


def taken(design: Design, net: str, reading: Reading) -> dict[str, float]:
    """Give the current into each pin on a net in a state, by the names of its pads."""
    on = {f"{part.ref}.{pin.number}" for part, pin in design.pins_on(net)}
    return {pin: amps for pin, amps in reading.amps.items() if pin in on}


def _coming(design: Design, net: str, reading: Reading) -> float:
    return sum(-a for a in taken(design, net, reading).values() if a < 0)


def worst_state(design: Design, net: str) -> tuple[Reading, float] | None:
    """Give the state in which most current comes into a net, and how much; none where nothing is solved."""
    best: tuple[Reading, float] | None = None
    for reading in readings(design).all:
        if reading.settled:
            amps = _coming(design, net, reading)
            if best is None or amps > best[1]:
                best = (reading, amps)
    return best


def net_currents(design: Design, net: str, reading: Reading | None = None) -> NetCurrents | None:
    """Work out what flows in a net's copper, in a state or in the one that is worst for it.

    Raises
    ------
    NotFound
        When there is no such net.
    """
    if net not in design.nets:
        raise NotFound(f"There is no net {net}.", where=net, allowed=", ".join(design.nets)[:160])
    worst = worst_state(design, net) if reading is None else (reading, _coming(design, net, reading))
    if worst is None:
        return None
    state, amps = worst
    key = ("net-currents", net, circuit_key(design), state.name, *(design.digest(s) for s in COPPER))
    known: NetCurrents | None = MEMO.get(key)
    if known is None:
        known = _solved(design, net, state, amps)
        MEMO.put(key, known, like="net-currents")
    return known


def _solved(design: Design, net: str, state: Reading, amps: float) -> NetCurrents:
    found = CopperNet(design, net).solve(taken(design, net, state))
    hottest, rise, seconds = None, 0.0, _pulse_s(design, state, amps)
    for piece in found.pieces:
        if piece.amps < 1e-3:
            break
        um, where = copper_on(design, piece.layer)
        k = trace.rise_k(piece.width_mm, min(piece.amps, MOST_A), um, where)
        if seconds is not None:
            area = piece.width_mm * um / 1000
            k = min(k, trace.pulse_rise_k(area, piece.amps, seconds))
        if k > rise:
            hottest, rise = piece, k
    return NetCurrents(net, state.name, amps, found, hottest, rise)


def _pulse_s(design: Design, state: Reading, amps: float) -> float | None:
    """Give for how long the current lasts where a load that pulses makes most of it; none where it may stay."""
    pulses = [
        load.seconds
        for name, taken_by in state.loads.items()
        if (load := design.loads[name]).seconds is not None and abs(taken_by.amps) > 0.8 * amps
    ]
    return max(s for s in pulses if s is not None) if pulses else None


def all_currents(design: Design, grounds: bool = False) -> list[NetCurrents]:
    """Give the nets that carry something in their worst state, most current first; grounds where they are asked for."""
    found = []
    for net in design.nets.values():
        worst = worst_state(design, net.name)
        if worst is None or worst[1] < LEAST_A / 10 or (net.role == "ground" and not grounds):
            continue
        one = net_currents(design, net.name)
        if one is not None and (one.currents.pieces or one.currents.density_a_mm):
            found.append(one)
    return sorted(found, key=lambda c: (-c.amps, natural(c.net)))


def copper_findings(design: Design) -> Iterator[Finding]:
    """Tell of nets whose current nobody said the piece of track that gets hot by what really flows in it.

    A net with a current that was said is held against that, which is the upper claim.
    """
    for net in design.nets.values():
        worst = (
            None if net.role == "ground" or (net.rule and net.rule.current) else worst_state(design, net.name)
        )
        if worst is None or worst[1] < LEAST_A:
            continue
        one = net_currents(design, net.name)
        piece = one.hottest if one is not None else None
        if one is None or piece is None or one.rise_k <= RISE_LOOK_K:
            continue
        stop = one.rise_k > RISE_STOP_K
        text = (
            f"A track of {one.net} {piece.width_mm:.2f} mm wide carries {format_value(piece.amps, 'A')} and gets "
            f"{one.rise_k:.0f} K warmer in state {one.state}"
        )
        place = Place(net=one.net, layer=piece.layer, x_nm=nm(piece.x_mm), y_nm=nm(piece.y_mm))
        yield tell(
            "copper-hot",
            text,
            one.rise_k,
            RISE_STOP_K if stop else RISE_LOOK_K,
            place,
            level="stop" if stop else "look",
        )
