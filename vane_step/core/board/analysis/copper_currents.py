"""What really flows in the copper of each net, in the state that is worst for it: hottest piece, drop, vias, pours."""

from __future__ import annotations

import hashlib
import math
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

import shapely

from vane_step.core.board.copper.connectivity import NetCopper, net_copper
from vane_step.core.board.copper.copper_flow import CopperNet
from vane_step.core.board.copper.cut_currents import CutCurrents
from vane_step.core.board.copper.flows import CopperCurrents, PieceFlow
from vane_step.core.board.copper.pour_fill import PouredCopper, pour_pieces
from vane_step.core.board.copper.pour_heat import WarmSpot, warmest_spot
from vane_step.core.board.drc.track_heat import copper_on
from vane_step.core.board.drc.via_current import PLATING_UM
from vane_step.core.board.geometry.necks import TIMES
from vane_step.core.board.geometry.shapes import CopperItem
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Layer, Via, natural
from vane_step.core.errors import NotFound
from vane_step.core.memo import MEMO
from vane_step.core.network.readings import Reading, circuit_key, pulse_s, readings
from vane_step.core.power import trace

# Rise that is allowed where nobody said another, and from which it is a stop; currents under this heat nothing.
RISE_LOOK_K, RISE_STOP_K = 10.0, 40.0
LEAST_A: Final = 0.1
# Cells of a net's pours where all nets of a board are looked at after every edit.
POUR_CELLS: Final = 14_000
# The chart of IPC-2221 ends there.
MOST_A: Final = 35.0


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
    key = ("net-currents", net, circuit_key(design), state.name, copper_mark(design, net))
    known: NetCurrents | None = MEMO.get(key)
    if known is None:
        known = _solved(design, net, state, amps)
        MEMO.put(key, known, like="net-currents")
    return known


@derived(*COPPER)
def copper_mark(design: Design, net: str) -> str:
    """Give a digest of the copper of a net: it stays the same whatever happens to that of others."""
    mark = hashlib.blake2b(digest_size=16)
    rules = design.board.rules
    mark.update(f"{design.board.layers}|{rules.copper_um}|{rules.inner_copper_um}|{rules.board_mm}".encode())
    copper = net_copper(design).get(net)
    for item in copper.items if copper is not None else ():
        mark.update(f"{item.kind}|{item.id}|{item.layers}|{item.radius_mm}|{item.drill_mm}".encode())
        mark.update(item.spine.wkb)
    for poured in pour_pieces(design) if _is_poured(design, net) else ():
        if poured.net == net:
            mark.update(poured.layer.encode())
            for piece in poured.pieces:
                mark.update(piece.wkb)
    return mark.hexdigest()


# Networks of nets last asked for: a few megabytes each, so that many would push all else out of the memo.
_LATEST: Final[deque[tuple[str, str, CopperNet]]] = deque(maxlen=4)


def _copper_net(design: Design, net: str) -> CopperNet:
    """Give the copper of a net as a network, which serves for all states until the copper changes."""
    mark = copper_mark(design, net)
    for known, of, found in tuple(_LATEST):
        if (known, of) == (mark, net):
            return found
    made = CopperNet(design, net, most_cells=POUR_CELLS)
    _LATEST.appendleft((mark, net, made))
    return made


def _solved(design: Design, net: str, state: Reading, amps: float) -> NetCurrents:
    found = _copper_net(design, net).solve(taken(design, net, state))
    hottest, rise, seconds = None, 0.0, pulse_s(design, state, amps)
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


def all_currents(design: Design, grounds: bool = False) -> list[NetCurrents]:
    """Give the nets that carry something in their worst state, most current first; grounds where they are asked for."""
    found = []
    for net in design.nets.values():
        worst = worst_state(design, net.name)
        if worst is None or worst[1] < LEAST_A / 10 or (net.role == "ground" and not grounds):
            continue
        one = net_currents(design, net.name)
        if one is not None and (one.currents.pieces or one.currents.sheets):
            found.append(one)
    return sorted(found, key=lambda c: (-c.amps, natural(c.net)))


def too_warm(design: Design, net: str) -> NetCurrents | None:
    """Give what flows in a net where a track of it gets warmer by that than allowed; none where none does.

    A net is allowed what was said of it, else :data:`RISE_LOOK_K`. One of which a current was said that covers what
    flows is held against that by the board's own rules, and left out here.
    """
    need = design.rule_of(net).current
    worst = worst_state(design, net)
    if worst is None or worst[1] < LEAST_A or (need is not None and need.current_a >= worst[1] * (1 - 1e-6)):
        return None
    limit = allowed_k(design, net)
    copper = net_copper(design).get(net)
    tracks = [i for i in copper.items if i.kind == "track"] if copper is not None else []
    narrow = [t for t in tracks if t.width_mm < _wanted_mm(design, t.layers[0], worst[1], limit) - 1e-6]
    # With all that can come to each piece nothing would be too warm: what flows where need not be known.
    if copper is None or not narrow or not _may_be_warm(design, net, copper, narrow, worst, limit):
        return None
    found = net_currents(design, net)
    return found if found is not None and found.hottest is not None and found.rise_k > limit else None


@dataclass(frozen=True)
class HotVias:
    """The vias of a net that carry too much in its worst state: what each carries, and what the worst bears."""

    state: str
    amps: Mapping[str, float]
    worst: str
    rise_k: float
    bears_a: float
    stop_a: float


def hot_vias(design: Design, net: str) -> HotVias | None:
    """Give the vias that what flows makes warmer than tracks of the net may become; none where none is.

    A net of which a current was said that covers what flows is held against that by the board's own rules.
    """
    vias = [v for v in design.vias.values() if v.net == net]
    worst = worst_state(design, net) if vias else None
    need = design.rule_of(net).current
    if worst is None or (need is not None and need.current_a >= worst[1] * (1 - 1e-6)):
        return None
    rise, seconds = allowed_k(design, net), pulse_s(design, *worst)

    def bears_a(via: Via, rise_k: float) -> float:
        return trace.via_current_a(via.drill_nm / 1e6, PLATING_UM, rise_k, seconds)

    if worst[1] <= min(bears_a(v, rise) for v in vias):
        return None
    found = net_currents(design, net)
    if found is None:
        return None
    amps = {
        v.id: a
        for v in vias
        if (a := abs(found.currents.vias.get(v.id, 0.0))) > bears_a(v, rise) * (1 + 1e-6)
    }
    if not amps:
        return None
    most = max(amps, key=lambda k: (amps[k] / bears_a(design.vias[k], rise), k))
    via = design.vias[most]
    return HotVias(found.state, amps, most, rise, bears_a(via, rise), bears_a(via, max(RISE_STOP_K, rise)))


def warm_pour(design: Design, net: str) -> tuple[WarmSpot, str, float] | None:
    """Give the warmest place of a net's pours, the state, and the current that comes in; none where it cannot be warm.

    Held against :data:`TIMES` the rise allowed, as necks of tracks are: it is warm in one place only.
    """
    worst = worst_state(design, net)
    if worst is None or worst[1] < LEAST_A or not _is_poured(design, net):
        return None
    state, amps = worst
    limit, least = allowed_k(design, net), design.board.rules.min_width_nm / 1e6
    # Where all of it through the narrowest copper there may be is not too warm, none is.
    if all(_wanted_mm(design, layer, amps, TIMES * limit) <= least for layer in design.board.layers):
        return None
    key = ("warm-pour", net, circuit_key(design), state.name, copper_mark(design, net), limit)
    kept: tuple[WarmSpot | None] | None = MEMO.get(key)
    if kept is None:
        copper = _copper_net(design, net)
        flows = copper.solve(taken(design, net, state))
        shed: dict[str, float] = {
            layer: _shed_w_m2k(design, layer, amps, limit) for layer in design.board.layers
        }
        spot, seconds = warmest_spot(copper, flows, shed), pulse_s(design, state, amps)
        if spot is not None and seconds is not None:
            um, _ = copper_on(design, spot.layer)
            most = trace.pulse_rise_k(um / 1000, max(spot.a_mm, 1e-6), seconds)
            spot = replace(spot, rise_k=min(spot.rise_k, most))
        kept = (spot,)
        MEMO.put(key, kept, like="warm-pour")
    return (kept[0], state.name, amps) if kept[0] is not None else None


def _shed_w_m2k(design: Design, layer: str, amps: float, rise_k: float) -> float:
    """Give what a track that is just wide enough for a current gives off, in watts a square metre and kelvin."""
    um, _ = copper_on(design, layer)
    width_m = _wanted_mm(design, layer, amps, rise_k) / 1000
    current = min(amps, MOST_A)
    return current**2 * trace.COPPER_OHM_M / (width_m**2 * um * 1e-6) / rise_k


def _may_be_warm(
    design: Design,
    net: str,
    copper: NetCopper,
    narrow: list[CopperItem],
    worst: tuple[Reading, float],
    limit_k: float,
) -> bool:
    """Whether any of some narrow tracks outside of pours may carry too much, by what the pins on its sides take."""
    pours = [p for p in pour_pieces(design) if p.net == net] if _is_poured(design, net) else []
    amps = {pin: abs(a) for pin, a in taken(design, net, worst[0]).items()}
    cuts = CutCurrents(amps, pours, copper, worst[1])
    for track in narrow:
        most = min(cuts.most_a([track]), MOST_A)
        um, where = copper_on(design, track.layers[0])
        if trace.rise_k(track.width_mm, most, um, where) > limit_k and not _within(track, pours):
            return True
    return False


def _within(track: CopperItem, pours: list[PouredCopper]) -> bool:
    """Whether a track lies in pours of its net, whose copper it then is."""
    rest = track.spine
    for poured in pours:
        if poured.layer in track.layers:
            for piece in poured.pieces:
                shapely.prepare(piece)
                if piece.intersects(rest):
                    rest = rest.difference(piece)
    return bool(rest.length < 0.05)


def _is_poured(design: Design, net: str) -> bool:
    return any(p.net == net for p in design.pours.values())


def allowed_k(design: Design, net: str) -> float:
    """Give how much warmer tracks of a net may become."""
    need = design.rule_of(net).current
    return need.rise_k if need is not None else RISE_LOOK_K


def _wanted_mm(design: Design, layer: str, amps: float, rise_k: float) -> float:
    um, where = copper_on(design, layer)
    return trace.width_mm(min(amps, MOST_A), rise_k, um, where)


def wanted_widths(design: Design, found: NetCurrents) -> tuple[dict[Layer, int], frozenset[str]]:
    """Give the widths on each layer, in nanometres, at which no track of a net is too warm, and the tracks that are."""
    limit = allowed_k(design, found.net)
    widths: dict[Layer, int] = dict.fromkeys(design.board.layers, design.board.rules.min_width_nm)
    hot: set[str] = set()
    for piece in found.currents.pieces:
        wanted = _wanted_mm(design, piece.layer, piece.amps, limit) if piece.amps > 1e-3 else 0.0
        if piece.width_mm < wanted - 1e-6:
            hot.add(piece.id)
            layer = next(x for x in design.board.layers if x == piece.layer)
            widths[layer] = max(widths[layer], math.ceil(wanted * 100 - 1e-6) * 10_000)
    return widths, frozenset(hot)
