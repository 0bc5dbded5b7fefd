"""Track widths held against the net's rule, its necks, and the current it carries; gaps are checked elsewhere."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from operator import is_not

import numpy as np
import shapely

from vane_step.core.board.copper.connectivity import NetCopper, net_copper
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.geometry.shapes import CopperItem
from vane_step.core.design.model import Design, NetRule
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.memo import Kept
from vane_step.core.power import trace
from vane_step.core.quantity import format_value, nm

TOLERANCE_MM = 1e-6
# How far from a pad on another layer a track may run there, though its net's rule names other layers.
FAN_MM = 2.0
# Parts a piece is cut into where no one pad reaches all of it.
PARTS = 64


def width_findings(laid: Layout) -> Iterator[Finding]:
    """Hold every track against least width, its net's width, its necks and its net's current."""
    maker = laid.design.board.mark()
    for net, copper in laid.net_copper.items():
        if net is None:
            continue
        rule = laid.design.rule_of(net)
        known = _of_net.get(id(copper))
        if known is None or known[1] is not copper or known[2] != (net, maker, rule):
            pieces = [i for i in copper.items if i.kind == "track"]
            pads = [i for i in copper.items if i.kind == "pad"]
            necks = _necks(rule, pieces, pads)
            found = [*_net_widths(laid.design, net, rule, pieces, necks)]
            found += _current(laid.design, net, rule, pieces, necks) if rule.current and pieces else ()
            found += _off_layers(laid.design, net, rule, pieces, pads)
            known = _of_net.put(id(copper), (tuple(found), copper, (net, maker, rule)))
        yield from known[0]


# Copper is held, so that no other gets its identity.
_of_net: Kept[tuple[tuple[Finding, ...], NetCopper, tuple[str, bytes, NetRule]]] = Kept()


def _net_widths(
    design: Design, net: str, rule: NetRule, pieces: list[CopperItem], necks: list[bool]
) -> Iterator[Finding]:
    least, wanted = design.board.rules.min_width_nm / 1e6, rule.width_nm / 1e6
    maker = design.board.rules.title or design.board.rules.name
    for piece, neck in zip(pieces, necks, strict=True):
        if piece.width_mm >= max(least, wanted) - TOLERANCE_MM:
            continue
        place = Place(net=net, layer=piece.layers[0], x_nm=nm(piece.x_mm), y_nm=nm(piece.y_mm))
        remedy = Remedy(label=f"Route {net} again", ask=f"route {net} fresh")
        if piece.width_mm < least - TOLERANCE_MM:
            text = f"Track of {net} is thinner than the maker can hold"
            yield tell("width", text, piece.width_mm, least, place, source=maker, remedy=remedy)
        elif not neck:
            reach = (rule.neck_length_nm or 0) / 1e6
            why = f" and is no neck within {reach:g} mm of a pad" if rule.neck_width_nm else ""
            text, source = f"Track of {net} is thinner than its rule{why}", f"rule of {net}"
            yield tell("net-width", text, piece.width_mm, wanted, place, source=source, remedy=remedy)


@dataclass(frozen=True, slots=True, eq=False)
class _Necks:
    """Which pieces of a net were necks, and what that was worked out from."""

    rule: NetRule
    pieces: list[CopperItem]
    pads: list[CopperItem]
    found: list[bool]


_necks_of: Kept[_Necks] = Kept()


def _necks(rule: NetRule, pieces: list[CopperItem], pads: list[CopperItem]) -> list[bool]:
    """Tell for each piece of a net whether it is thin and a legal neck, see :func:`is_neck`.

    Where pads moved since the net was last asked for, only pieces near them are judged anew.
    """
    if not pads or not pieces or rule.neck_width_nm is None or rule.neck_length_nm is None:
        return [False] * len(pieces)
    low, high = rule.neck_width_nm / 1e6 - TOLERANCE_MM, rule.width_nm / 1e6 - TOLERANCE_MM
    thin = [k for k, p in enumerate(pieces) if low <= p.width_mm < high]
    found = [False] * len(pieces)
    past = _necks_of.get(pieces[0].net)
    if past is not None and past.rule == rule and len(past.pads) == len(pads) and _same(past.pieces, pieces):
        moved = [pad for two in zip(past.pads, pads, strict=True) if two[0] is not two[1] for pad in two]
        found = list(past.found)
        thin = [thin[k] for k in _near_pads(rule, [pieces[k] for k in thin], moved)]
    for k, neck in zip(thin, _judged(rule, [pieces[k] for k in thin], pads), strict=True):
        found[k] = neck
    return _necks_of.put(pieces[0].net, _Necks(rule, pieces, pads, found)).found


def _same(some: list[CopperItem], others: list[CopperItem]) -> bool:
    return len(some) == len(others) and not any(map(is_not, some, others))


def _near_pads(rule: NetRule, pieces: list[CopperItem], pads: list[CopperItem]) -> list[int]:
    """Give the places of those pieces that come near enough to one of some pads to be its neck."""
    reach = (rule.neck_length_nm or 0) / 1e6 + TOLERANCE_MM
    lines = np.array([p.spine for p in pieces], dtype=object)
    near = np.zeros(len(pieces), dtype=bool)
    for pad in pads:
        near |= shapely.dwithin(lines, pad.spine, reach + pad.radius_mm)
    found: list[int] = np.flatnonzero(near).tolist()
    return found


def _judged(rule: NetRule, thin: list[CopperItem], pads: list[CopperItem]) -> list[bool]:
    """Tell for each of some thin pieces whether all of it is near pads; most lie near one, all asked at once."""
    if not thin:
        return []
    reach = (rule.neck_length_nm or 0) / 1e6 + TOLERANCE_MM
    round_it = np.array([p.radius_mm for p in pads])
    spines = np.array([p.spine for p in pads], dtype=object)
    lines = np.array([p.spine for p in thin], dtype=object)
    k, pad = shapely.STRtree(spines).query(lines, predicate="dwithin", distance=reach + round_it.max())
    # What is straight is within reach of a convex pad when both its ends are.
    ends = [shapely.distance(shapely.get_point(lines[k], n), spines[pad]) for n in (0, -1)]
    first, last = (end - round_it[pad] <= reach for end in ends)
    one, some = np.zeros(len(thin), dtype=bool), np.zeros((2, len(thin)), dtype=bool)
    one[k[first & last]] = True
    some[0, k[first]] = some[1, k[last]] = True
    for i in np.flatnonzero(some.all(axis=0) & ~one).tolist():
        one[i] = is_neck(rule, thin[i], [pads[n] for n in pad[k == i]])
    found: list[bool] = one.tolist()
    return found


def _remedy(net: str, rule: NetRule, wanted_mm: float) -> Remedy:
    """First give the net the width its current needs, then lay it anew."""
    need = rule.current
    if need is not None and rule.width_nm / 1e6 < wanted_mm - TOLERANCE_MM:
        sentence = f"width {net} {need.current_a:g}A {need.rise_k:g}K"
        return Remedy(label=f"Widen {net} to {wanted_mm:.2f} mm", ask=sentence)
    return Remedy(label=f"Route {net} again", ask=f"route {net} fresh")


def is_neck(rule: NetRule, piece: CopperItem, pads: Iterable[CopperItem]) -> bool:
    """Tell whether a thin piece is a legal neck: wide enough, and all of it near pads of its net."""
    if rule.neck_width_nm is None or rule.neck_length_nm is None:
        return False
    if piece.width_mm < rule.neck_width_nm / 1e6 - TOLERANCE_MM:
        return False
    return _covered(piece, list(pads), rule.neck_length_nm / 1e6 + TOLERANCE_MM)


def _covered(piece: CopperItem, pads: list[CopperItem], reach: float) -> bool:
    """Tell whether each point of a piece is within reach of some pad: each of its parts within reach of one."""
    if not pads:
        return False
    spines, radius = np.array([p.spine for p in pads], dtype=object), np.array([p.radius_mm for p in pads])
    a, b = np.array(piece.spine.coords)[[0, -1]]
    # What is straight is within reach of a convex pad when both its ends are.
    points = shapely.points(a + (b - a) * np.linspace(0, 1, PARTS + 1)[:, None])
    ends = shapely.distance(spines[:, None], points[[0, -1]]) - radius[:, None] <= reach
    if ends.all(axis=1).any():
        return True
    if not ends.any(axis=0).all():
        return False
    near = shapely.distance(spines[:, None], points) - radius[:, None] <= reach
    return bool((near[:, :-1] & near[:, 1:]).any(axis=0).all())


def layers_of(design: Design, rule: NetRule) -> tuple[str, ...]:
    """Give the layers of the board a net's tracks keep to: all, when its rule names none of them."""
    return tuple(x for x in design.board.layers if x in rule.layers) or design.board.layers


def bears(design: Design, rule: NetRule, layer: str) -> bool:
    """Tell whether a track of a rule's width bears the rule's current on a layer; inner copper is thin and warm."""
    if rule.current is None:
        return True
    copper, where = _copper(design, layer)
    wanted = trace.width_mm(rule.current.current_a, rule.current.rise_k, copper, where)
    return max(rule.width_nm, design.board.rules.min_width_nm) / 1e6 >= wanted - TOLERANCE_MM


def bearing_layers(design: Design, rule: NetRule) -> tuple[str, ...]:
    """Give the layers a net is routed on: of those its rule names, where its width bears its current; all when none."""
    named = layers_of(design, rule)
    return tuple(x for x in named if bears(design, rule, x)) or named


def _off_layers(
    design: Design, net: str, rule: NetRule, pieces: list[CopperItem], pads: list[CopperItem]
) -> Iterator[Finding]:
    """Find the pieces on layers the net is kept off, one on each; the last way to a pad there is allowed."""
    wanted = layers_of(design, rule)
    for layer in design.board.layers:
        here = [p for p in pads if layer in p.layers]
        strays = [p for p in pieces if layer in p.layers and layer not in wanted]
        far = [p for p in strays if not _covered(p, here, FAN_MM + TOLERANCE_MM)]
        if far:
            length = sum(p.spine.length for p in far)
            yield tell(
                "net-layer",
                f"{net} runs on the {layer}, off the layers its rule names",
                length,
                0.0,
                Place(net=net, layer=layer, x_nm=nm(far[0].x_mm), y_nm=nm(far[0].y_mm)),
                source=f"rule of {net}: {', '.join(wanted)}",
                remedy=Remedy(label=f"Route {net} again", ask=f"route {net} fresh"),
            )


def _current(
    design: Design, net: str, rule: NetRule, pieces: list[CopperItem], necks: list[bool]
) -> Iterator[Finding]:
    """Report the hottest piece of a net on each layer where its rise passes the limit.

    A neck is short and cooled by the copper at its ends: it is a note, not a stop (rule of thumb).
    """
    need = rule.current
    assert need is not None
    for piece, neck, rise in _rises(design, rule, pieces, necks):
        if rise <= need.rise_k * (1 + 1e-9):
            continue
        layer = piece.layers[0]
        copper, where = _copper(design, layer)
        wanted = trace.width_mm(need.current_a, need.rise_k, copper, where)
        amps = format_value(need.current_a, "A")
        what = "Neck" if neck else "Track"
        text = f"{what} of {net} runs hot on the {layer}: {piece.width_mm:.2f} mm wide, {amps} needs {wanted:.2f} mm"
        yield tell(
            "track-current",
            text,
            round(rise, 2),
            need.rise_k,
            Place(net=net, layer=layer, x_nm=nm(piece.x_mm), y_nm=nm(piece.y_mm)),
            level="note" if neck else "stop",
            source=f"{trace.SOURCE}, {copper:g} µm copper",
            remedy=None if neck else _remedy(net, rule, wanted),
        )


def _copper(design: Design, layer: str) -> tuple[float, trace.Where]:
    inner = layer.startswith("in")
    rules = design.board.rules
    return (rules.inner_copper_um, "inner") if inner else (rules.copper_um, "outer")


def _rises(
    design: Design, rule: NetRule, pieces: list[CopperItem], necks: list[bool]
) -> Iterator[tuple[CopperItem, bool, float]]:
    """Give the thinnest piece of a net on each layer, necks apart, whether it is a neck, and its rise in kelvin."""
    assert rule.current is not None
    thinnest: dict[tuple[str, bool], CopperItem] = {}
    for piece, neck in zip(pieces, necks, strict=True):
        key = (piece.layers[0], neck)
        if key not in thinnest or piece.width_mm < thinnest[key].width_mm:
            thinnest[key] = piece
    for (layer, neck), piece in thinnest.items():
        copper, where = _copper(design, layer)
        yield piece, neck, trace.rise_k(piece.width_mm, rule.current.current_a, copper, where)


def hottest(design: Design) -> tuple[str, float] | None:
    """Give the net whose track, necks left out, gets hottest by IPC-2221, and its rise; None without such tracks."""
    found: list[tuple[float, str]] = []
    for net, copper in net_copper(design).items():
        rule = design.rule_of(net)
        if net is not None and rule.current is not None:
            pieces, pads = ([i for i in copper.items if i.kind == kind] for kind in ("track", "pad"))
            rises = _rises(design, rule, pieces, _necks(rule, pieces, pads))
            found += [(rise, net) for _, neck, rise in rises if not neck]
    return (max(found)[1], max(found)[0]) if found else None
