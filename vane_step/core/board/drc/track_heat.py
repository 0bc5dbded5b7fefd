"""How warm the current of a net makes its tracks and necks, held against the rise allowed; no widths as such."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from shapely.geometry import LineString

from vane_step.core.board.copper.connectivity import NetCopper, net_copper
from vane_step.core.board.copper.cut_currents import CutCurrents, cuts_of
from vane_step.core.board.copper.pour_fill import PouredCopper, pour_pieces
from vane_step.core.board.drc.legal_necks import TOLERANCE_MM, bare_of, necks_among
from vane_step.core.board.geometry.necks import MOST_MM, TIMES, copper_rule
from vane_step.core.board.geometry.shapes import CopperItem
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, NetRule
from vane_step.core.design.operation import OPERATION
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.network.pin_limits import pin_limits
from vane_step.core.power import trace
from vane_step.core.quantity import format_value, nm


def current_findings(
    design: Design,
    net: str,
    rule: NetRule,
    copper: NetCopper,
    necks: list[bool],
    pours: Sequence[PouredCopper],
    cuts: CutCurrents | None = None,
) -> Iterator[Finding]:
    """Report the hottest piece of a net on each layer where its rise passes the limit, and the hottest neck.

    Each is judged by the most that can pass it, see :mod:`cut_currents`. Pieces within pours of their net that are as
    wide there as the current needs are not narrow.
    """
    need = rule.current
    assert need is not None
    warm = _warm(design, rule, copper, necks, pours, cuts)
    for hot in _rises(design, rule, warm.tracks, cuts):
        if hot.rise_k > need.rise_k * (1 + 1e-9):
            yield _runs_hot(design, net, rule, hot, need.rise_k)
    if warm.chains:
        hot = max((_neck_rise(design, rule, chain, cuts) for chain in warm.chains), key=lambda h: h.rise_k)
        if hot.rise_k > TIMES * need.rise_k * (1 + 1e-9):
            yield _runs_hot(design, net, rule, hot, TIMES * need.rise_k, neck=True)


@dataclass(frozen=True, slots=True)
class _Hot:
    """A piece, the most that can pass it, and its rise."""

    piece: CopperItem
    amps: float
    rise_k: float


def amps_of(rule: NetRule, pieces: Sequence[CopperItem], cuts: CutCurrents | None) -> float:
    """Give the most that passes pieces of a net that lie together: what was said of the net, or less."""
    assert rule.current is not None
    return rule.current.current_a if cuts is None else cuts.most_a(pieces)


def pours_of(design: Design, net: str) -> tuple[PouredCopper, ...]:
    """Give the pours of a net as filled."""
    if not any(p.net == net for p in design.pours.values()):
        return ()
    return tuple(p for p in pour_pieces(design) if p.net == net)


def _narrow(
    design: Design,
    rule: NetRule,
    pieces: list[CopperItem],
    pads: list[CopperItem],
    pours: Sequence[PouredCopper],
    cuts: CutCurrents | None,
) -> tuple[list[CopperItem], list[tuple[CopperItem, CopperItem]]]:
    """Part pieces into those that carry the current alone, and the short ends of those along a pour of their net.

    Along a pour that leaves room for the width the current needs a piece is not narrow; where it enters a pad, whose
    spokes are thin, it is as a neck. Of the ends the piece they are of is given beside them.
    """
    need = rule.current
    assert need is not None
    alone: list[CopperItem] = []
    ends: list[tuple[CopperItem, CopperItem]] = []
    for piece in pieces:
        copper, where = copper_on(design, piece.layers[0])
        wanted = trace.width_mm(need.current_a, need.rise_k, copper, where, need.seconds)
        if piece.width_mm < wanted - TOLERANCE_MM and cuts is not None:
            amps = cuts.most_a([piece])
            wanted = trace.width_mm(amps, need.rise_k, copper, where, need.seconds)
        near = [p for p in pours if p.layer in piece.layers] if piece.width_mm < wanted - TOLERANCE_MM else []
        rest = _beyond_pours(piece, pads, near, wanted) if near else [piece.spine]
        if not near or any(line.length > MOST_MM for line in rest):
            alone.append(piece)
        else:
            ends += [(replace(piece, spine=line), piece) for line in rest]
    return alone, ends


def _beyond_pours(
    piece: CopperItem, pads: list[CopperItem], pours: Sequence[PouredCopper], wanted_mm: float
) -> list[LineString]:
    """Give the parts of a piece along which it, its pads and the pours of its layer are less wide than wanted."""
    about = shapely.box(*piece.spine.buffer(2 * wanted_mm).bounds)
    near = [q.intersection(about) for p in pours for q in p.pieces if q.intersects(about)]
    ends = [
        p.shape() for p in pads if piece.layers[0] in p.layers and p.spine.dwithin(piece.spine, p.radius_mm)
    ]
    whole = shapely.union_all([*near, *ends, piece.shape()])
    opened = whole.buffer(-wanted_mm / 2).buffer(wanted_mm / 2 + TOLERANCE_MM)
    rest = piece.spine.difference(opened)
    return [line for line in shapely.get_parts(rest).tolist() if line.length > TOLERANCE_MM]


@dataclass(frozen=True, slots=True, eq=False)
class _Chain:
    """Necks that touch: the thinnest, their length outside of wide tracks, whether they reach more copper, and all."""

    thinnest: CopperItem
    length_mm: float
    cooled: bool
    pieces: tuple[CopperItem, ...]


@dataclass(frozen=True, slots=True, eq=False)
class _Warm:
    """What of a net may be warm: tracks that carry its current alone, and chains of necks."""

    tracks: list[CopperItem]
    chains: list[_Chain]


def _warm(
    design: Design,
    rule: NetRule,
    copper: NetCopper,
    necks: list[bool],
    pours: Sequence[PouredCopper],
    cuts: CutCurrents | None,
) -> _Warm:
    pieces = [i for i in copper.items if i.kind == "track"]
    pads = [i for i in copper.items if i.kind == "pad"]
    wide, fine = (
        [p for p, neck in zip(pieces, necks, strict=True) if neck is kind] for kind in (False, True)
    )
    tracks, ends = _narrow(design, rule, wide, pads, pours, cuts)
    thin, more = _narrow(design, rule, fine, pads, pours, cuts)
    chains = _chains(thin, copper.items) if thin else []
    chains += [_Chain(end, float(end.spine.length), True, (piece,)) for end, piece in (*ends, *more)]
    return _Warm(tracks, chains)


def _runs_hot(
    design: Design,
    net: str,
    rule: NetRule,
    hot: _Hot,
    limit_k: float,
    neck: bool = False,
) -> Finding:
    need, piece, layer = rule.current, hot.piece, hot.piece.layers[0]
    assert need is not None
    copper, where = copper_on(design, layer)
    wanted = trace.width_mm(hot.amps, need.rise_k, copper, where, need.seconds)
    amps = format_value(hot.amps, "A") + (f" for {need.seconds:g} s" if need.seconds else "")
    what = "Neck" if neck else "Track"
    text = (
        f"{what} of {net} runs hot on the {layer}: {piece.width_mm:.2f} mm wide, {amps} needs {wanted:.2f} mm"
    )
    limit = (
        f"fin equation of neck and track, {TIMES:g} x the {need.rise_k:g} K of {net}"
        if neck
        else trace.source_of(need.seconds)
    )
    return tell(
        "track-current",
        text,
        round(hot.rise_k, 2),
        limit_k,
        Place(net=net, layer=layer, x_nm=nm(piece.x_mm), y_nm=nm(piece.y_mm)),
        level="look" if neck else "stop",
        source=f"{limit}, {copper:g} µm copper",
        remedy=Remedy(label=f"Widen {net}", ask=f"widen {net}")
        if neck
        else _remedy(design, net, rule, layer),
    )


def _chains(necks: list[CopperItem], items: Iterable[CopperItem]) -> list[_Chain]:
    """Join necks of one layer that touch, and tell whether a wide track or a via touches them or a pad of theirs."""
    spines = np.array([n.spine for n in necks], dtype=object)
    mine_ids = set(map(id, necks))
    others = [i for i in items if id(i) not in mine_ids]
    found = []
    a, b = shapely.STRtree(spines).query(spines, predicate="dwithin", distance=TOLERANCE_MM)
    same = np.array([necks[i].layers == necks[k].layers for i, k in zip(a, b, strict=True)], dtype=bool)
    graph = coo_array((same.astype(np.int8), (a, b)), shape=(len(necks), len(necks)))
    _, labels = connected_components(graph, directed=False)
    for label in range(labels.max() + 1):
        mine = [necks[k] for k in np.flatnonzero(labels == label).tolist()]
        line = shapely.union_all([n.spine for n in mine])
        near = [
            i
            for i in others
            if mine[0].layers[0] in i.layers and i.spine.dwithin(line, i.radius_mm + TOLERANCE_MM)
        ]
        pads = [i for i in near if i.kind == "pad"]
        about = shapely.union_all([line, *(p.shape() for p in pads)])
        cooled = any(
            i.kind in ("track", "via") and i.spine.dwithin(about, i.radius_mm + TOLERANCE_MM)
            for i in others
            if mine[0].layers[0] in i.layers
        )
        # A pad is no wider than its neck: it is as narrow a place, the more so where current goes on from it.
        bare = bare_of(line, [i for i in others if i.kind == "track"], mine[0].layers[0])
        found.append(_Chain(min(mine, key=lambda n: n.width_mm), float(bare.length), cooled, tuple(mine)))
    return found


def _neck_rise(design: Design, rule: NetRule, chain: _Chain, cuts: CutCurrents | None) -> _Hot:
    """Give the thinnest piece of a chain of necks, what passes it, and the rise at its pin in kelvin."""
    need, width = rule.current, chain.thinnest.width_mm
    assert need is not None
    amps = max(amps_of(rule, [piece], cuts) for piece in chain.pieces)
    copper, where = copper_on(design, chain.thinnest.layers[0])
    if not chain.cooled:
        return _Hot(chain.thinnest, amps, trace.rise_k(width, amps, copper, where, need.seconds))
    wide = max(rule.width_nm / 1e6, width)
    rise = trace.neck_rise_k(width, wide, chain.length_mm, amps, copper, where, need.seconds)
    return _Hot(chain.thinnest, amps, rise)


def _rises(
    design: Design, rule: NetRule, pieces: list[CopperItem], cuts: CutCurrents | None
) -> Iterator[_Hot]:
    """Give the piece of a net that gets warmest on each layer, what passes it, and its rise in kelvin.

    From the thinnest on, until one is no warmer with all that was said of the net than the warmest so far.
    """
    need = rule.current
    assert need is not None
    by_layer: dict[str, list[CopperItem]] = {}
    for piece in pieces:
        by_layer.setdefault(piece.layers[0], []).append(piece)
    for layer, some in by_layer.items():
        copper, where = copper_on(design, layer)
        warmest: _Hot | None = None
        for piece in sorted(some, key=lambda p: p.width_mm):
            if warmest is not None and warmest.rise_k >= trace.rise_k(
                piece.width_mm, need.current_a, copper, where, need.seconds
            ):
                break
            amps = amps_of(rule, [piece], cuts)
            rise = trace.rise_k(piece.width_mm, amps, copper, where, need.seconds)
            if warmest is None or rise > warmest.rise_k:
                warmest = _Hot(piece, amps, rise)
        if warmest is not None:
            yield warmest


def wide_enough_nm(design: Design, net: str, layer: str) -> int:
    """Give the width tracks of a net should have on a layer: that of its rule, or what its current needs there."""
    rule = design.rule_of(net)
    if rule.current is None:
        return rule.width_nm
    need, (copper, where) = rule.current, copper_on(design, layer)
    wanted = trace.width_mm(need.current_a, need.rise_k, copper, where, need.seconds)
    return max(rule.width_nm, math.ceil(wanted * 100 - 1e-6) * 10_000)


def _remedy(design: Design, net: str, rule: NetRule, layer: str) -> Remedy:
    """First give the net the width its current needs on outer copper, then widen what needs more, or lay it anew."""
    need = rule.current
    assert need is not None
    if rule.width_nm < wide_enough_nm(design, net, "front"):
        pulse = f" {need.seconds:g}s" if need.seconds else ""
        sentence = f"width {net} {need.current_a:g}A{pulse} {need.rise_k:g}K"
        return Remedy(label=f"Set the width of {net}", ask=sentence)
    if wide_enough_nm(design, net, layer) > rule.width_nm:
        return Remedy(
            label=f"Widen {net} to {wide_enough_nm(design, net, layer) / 1e6:.2f} mm", ask=f"widen {net}"
        )
    return Remedy(label=f"Route {net} again", ask=f"route {net} fresh")


def copper_on(design: Design, layer: str) -> tuple[float, trace.Where]:
    """Give the thickness in micrometres and the law of the copper of a layer."""
    inner = layer.startswith("in")
    rules = design.board.rules
    return (rules.inner_copper_um, "inner") if inner else (rules.copper_um, "outer")


@derived(*COPPER, *OPERATION)
def warmest(design: Design) -> dict[str, tuple[float, bool]]:
    """Give for each net with a stated current and tracks the rise of its warmest, and whether any passes its limit."""
    known = ((net, _warmest(design, net)) for net in net_copper(design) if net is not None)
    return {net: found for net, found in known if found is not None}


def _warmest(design: Design, net: str) -> tuple[float, bool] | None:
    rule, copper = copper_rule(design, net), net_copper(design).get(net)
    pieces = [i for i in copper.items if i.kind == "track"] if copper else []
    if rule.current is None or copper is None or not pieces:
        return None
    necks = necks_among(rule, pieces, [i for i in copper.items if i.kind == "pad"])
    cuts = cuts_of(pin_limits(design), pours_of(design, net), copper, rule.current.current_a)
    warm = _warm(design, rule, copper, necks, pours_of(design, net), cuts)
    limit = rule.current.rise_k * (1 + 1e-9)
    found = [(h.rise_k, h.rise_k > limit) for h in _rises(design, rule, warm.tracks, cuts)]
    ends = [_neck_rise(design, rule, c, cuts).rise_k for c in warm.chains]
    found += [(rise, rise > TIMES * limit) for rise in ends]
    return (max(found)[0], any(over for _, over in found)) if found else None


def hottest(design: Design) -> tuple[str, float] | None:
    """Give the net whose track, necks left out, gets hottest by IPC-2221, and its rise; None without such tracks."""
    found: list[tuple[float, str]] = []
    for net, copper in net_copper(design).items():
        rule = copper_rule(design, net)
        if net is not None and rule.current is not None:
            pieces, pads = ([i for i in copper.items if i.kind == kind] for kind in ("track", "pad"))
            necks = necks_among(rule, pieces, pads)
            cuts = cuts_of(pin_limits(design), pours_of(design, net), copper, rule.current.current_a)
            tracks = _warm(design, rule, copper, necks, pours_of(design, net), cuts).tracks
            found += [(h.rise_k, net) for h in _rises(design, rule, tracks, cuts)]
    return (max(found)[1], max(found)[0]) if found else None
