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
from vane_step.core.board.copper.pour_fill import PouredCopper, pour_pieces
from vane_step.core.board.drc.legal_necks import TOLERANCE_MM, bare_of, necks_among
from vane_step.core.board.geometry.necks import MOST_MM, TIMES, copper_rule
from vane_step.core.board.geometry.shapes import CopperItem
from vane_step.core.design.model import Design, NetRule
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.power import trace
from vane_step.core.quantity import format_value, nm


def current_findings(
    design: Design,
    net: str,
    rule: NetRule,
    copper: NetCopper,
    necks: list[bool],
    pours: Sequence[PouredCopper],
) -> Iterator[Finding]:
    """Report the hottest piece of a net on each layer where its rise passes the limit, and the hottest neck.

    Pieces within pours of their net that are as wide there as the current needs are not narrow.
    """
    need = rule.current
    assert need is not None
    warm = _warm(design, rule, copper, necks, pours)
    for piece, rise in _rises(design, rule, warm.tracks):
        if rise > need.rise_k * (1 + 1e-9):
            yield _runs_hot(design, net, rule, piece, rise, need.rise_k)
    if warm.chains:
        hot = max((_neck_rise(design, rule, chain) for chain in warm.chains), key=lambda found: found[1])
        if hot[1] > TIMES * need.rise_k * (1 + 1e-9):
            yield _runs_hot(design, net, rule, hot[0], hot[1], TIMES * need.rise_k, neck=True)


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
) -> tuple[list[CopperItem], list[CopperItem]]:
    """Part pieces into those that carry the current alone, and the short ends of those along a pour of their net.

    Along a pour that leaves room for the width the current needs a piece is not narrow; where it enters a pad, whose
    spokes are thin, it is as a neck.
    """
    need = rule.current
    assert need is not None
    alone: list[CopperItem] = []
    ends: list[CopperItem] = []
    for piece in pieces:
        copper, where = copper_on(design, piece.layers[0])
        wanted = trace.width_mm(need.current_a, need.rise_k, copper, where, need.seconds)
        near = [p for p in pours if p.layer in piece.layers] if piece.width_mm < wanted - TOLERANCE_MM else []
        rest = _beyond_pours(piece, pads, near, wanted) if near else [piece.spine]
        if not near or any(line.length > MOST_MM for line in rest):
            alone.append(piece)
        else:
            ends += [replace(piece, spine=line) for line in rest]
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
    """Necks that touch: the thinnest, their length outside of wide tracks, and whether they reach more copper."""

    thinnest: CopperItem
    length_mm: float
    cooled: bool


@dataclass(frozen=True, slots=True, eq=False)
class _Warm:
    """What of a net may be warm: tracks that carry its current alone, and chains of necks."""

    tracks: list[CopperItem]
    chains: list[_Chain]


def _warm(
    design: Design, rule: NetRule, copper: NetCopper, necks: list[bool], pours: Sequence[PouredCopper]
) -> _Warm:
    pieces = [i for i in copper.items if i.kind == "track"]
    pads = [i for i in copper.items if i.kind == "pad"]
    wide, fine = (
        [p for p, neck in zip(pieces, necks, strict=True) if neck is kind] for kind in (False, True)
    )
    tracks, ends = _narrow(design, rule, wide, pads, pours)
    thin, more = _narrow(design, rule, fine, pads, pours)
    chains = _chains(thin, copper.items) if thin else []
    chains += [_Chain(piece, float(piece.spine.length), True) for piece in (*ends, *more)]
    return _Warm(tracks, chains)


def _runs_hot(
    design: Design,
    net: str,
    rule: NetRule,
    piece: CopperItem,
    rise_k: float,
    limit_k: float,
    neck: bool = False,
) -> Finding:
    need, layer = rule.current, piece.layers[0]
    assert need is not None
    copper, where = copper_on(design, layer)
    wanted = trace.width_mm(need.current_a, need.rise_k, copper, where, need.seconds)
    amps = format_value(need.current_a, "A") + (f" for {need.seconds:g} s" if need.seconds else "")
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
        round(rise_k, 2),
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
        found.append(_Chain(min(mine, key=lambda n: n.width_mm), float(bare.length), cooled))
    return found


def _neck_rise(design: Design, rule: NetRule, chain: _Chain) -> tuple[CopperItem, float]:
    """Give the thinnest piece of a chain of necks, and the rise at its pin in kelvin."""
    need, width = rule.current, chain.thinnest.width_mm
    assert need is not None
    copper, where = copper_on(design, chain.thinnest.layers[0])
    if not chain.cooled:
        return chain.thinnest, trace.rise_k(width, need.current_a, copper, where, need.seconds)
    wide = max(rule.width_nm / 1e6, width)
    return chain.thinnest, trace.neck_rise_k(
        width, wide, chain.length_mm, need.current_a, copper, where, need.seconds
    )


def _rises(design: Design, rule: NetRule, pieces: list[CopperItem]) -> Iterator[tuple[CopperItem, float]]:
    """Give the thinnest piece of a net on each layer, and its rise in kelvin."""
    need = rule.current
    assert need is not None
    thinnest: dict[str, CopperItem] = {}
    for piece in pieces:
        layer = piece.layers[0]
        if layer not in thinnest or piece.width_mm < thinnest[layer].width_mm:
            thinnest[layer] = piece
    for layer, piece in thinnest.items():
        copper, where = copper_on(design, layer)
        yield piece, trace.rise_k(piece.width_mm, need.current_a, copper, where, need.seconds)


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


def warmest(design: Design, net: str) -> tuple[float, bool] | None:
    """Give the rise of the warmest track or neck of a net, and whether any passes its limit; None without tracks."""
    rule, copper = copper_rule(design, net), net_copper(design).get(net)
    pieces = [i for i in copper.items if i.kind == "track"] if copper else []
    if rule.current is None or copper is None or not pieces:
        return None
    necks = necks_among(rule, pieces, [i for i in copper.items if i.kind == "pad"])
    warm = _warm(design, rule, copper, necks, pours_of(design, net))
    limit = rule.current.rise_k * (1 + 1e-9)
    found = [(rise, rise > limit) for _, rise in _rises(design, rule, warm.tracks)]
    found += [(rise, rise > TIMES * limit) for _, rise in (_neck_rise(design, rule, c) for c in warm.chains)]
    return (max(found)[0], any(over for _, over in found)) if found else None


def hottest(design: Design) -> tuple[str, float] | None:
    """Give the net whose track, necks left out, gets hottest by IPC-2221, and its rise; None without such tracks."""
    found: list[tuple[float, str]] = []
    for net, copper in net_copper(design).items():
        rule = copper_rule(design, net)
        if net is not None and rule.current is not None:
            pieces, pads = ([i for i in copper.items if i.kind == kind] for kind in ("track", "pad"))
            necks = necks_among(rule, pieces, pads)
            tracks = _warm(design, rule, copper, necks, pours_of(design, net)).tracks
            found += [(rise, net) for _, rise in _rises(design, rule, tracks)]
    return (max(found)[1], max(found)[0]) if found else None
