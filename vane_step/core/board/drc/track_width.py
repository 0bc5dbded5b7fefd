"""Track widths held against the net's rule, its necks, and the current it carries; gaps are checked elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.board.copper.connectivity import NetCopper
from vane_step.core.board.copper.cut_currents import CutCurrents, cuts_of, limits_on
from vane_step.core.board.copper.pour_fill import PouredCopper
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.legal_necks import TOLERANCE_MM, covered, necks_among
from vane_step.core.board.drc.track_heat import copper_on, current_findings
from vane_step.core.board.geometry.necks import copper_rules
from vane_step.core.board.geometry.shapes import CopperItem
from vane_step.core.design.model import Design, NetRule
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.memo import Kept
from vane_step.core.power import trace
from vane_step.core.quantity import nm

# How far from a pad on another layer a track may run there, though its net's rule names other layers.
FAN_MM = 2.0


def width_findings(laid: Layout) -> Iterator[Finding]:
    """Hold every track against least width, its net's width, its necks and its net's current."""
    maker = laid.design.board.mark()
    rules = copper_rules(laid.design)
    poured = {p.net for p in laid.design.pours.values()}
    for net, copper in laid.net_copper.items():
        if net is None:
            continue
        rule = rules.get(net) or laid.design.rule_of(net)
        known = _of_net.get(id(copper))
        pours = tuple(p for p in laid.poured if p.net == net) if rule.current and net in poured else ()
        bounds = limits_on(laid.pin_limits, copper) if rule.current else ()
        state = (net, maker, rule, tuple(map(id, pours)), bounds)
        if known is None or known[1] is not copper or known[2] != state:
            pieces = [i for i in copper.items if i.kind == "track"]
            pads = [i for i in copper.items if i.kind == "pad"]
            necks = necks_among(rule, pieces, pads)
            cuts = cuts_of(laid.pin_limits, pours, copper, rule.current.current_a) if rule.current else None
            found = [*_net_widths(laid.design, net, rule, pieces, necks, cuts)]
            found += (
                current_findings(laid.design, net, rule, copper, necks, pours, cuts)
                if rule.current and pieces
                else ()
            )
            found += _off_layers(laid.design, net, rule, pieces, pads)
            known = _of_net.put(id(copper), (tuple(found), copper, state, pours))
        yield from known[0]


# Copper and pours are held, so that no other gets their identity.
_of_net: Kept[
    tuple[
        tuple[Finding, ...],
        NetCopper,
        tuple[str, bytes, NetRule, tuple[int, ...], tuple[float | None, ...]],
        tuple[PouredCopper, ...],
    ]
] = Kept()


def _net_widths(
    design: Design,
    net: str,
    rule: NetRule,
    pieces: list[CopperItem],
    necks: list[bool],
    cuts: CutCurrents | None,
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
        elif not neck and not _light(design, rule, piece, cuts):
            reach = (rule.neck_length_nm or 0) / 1e6
            why = f" and is no neck within {reach:g} mm of a pad" if rule.neck_width_nm else ""
            text, source = f"Track of {net} is thinner than its rule{why}", f"rule of {net}"
            yield tell("net-width", text, piece.width_mm, wanted, place, source=source, remedy=remedy)


def _light(design: Design, rule: NetRule, piece: CopperItem, cuts: CutCurrents | None) -> bool:
    """Whether a piece is wide enough for what can pass it, which is less than what was said of its net."""
    need = rule.current
    if need is None or cuts is None:
        return False
    amps = cuts.most_a([piece])
    copper, where = copper_on(design, piece.layers[0])
    wanted = trace.width_mm(amps, need.rise_k, copper, where, need.seconds)
    return amps < need.current_a and piece.width_mm >= wanted - TOLERANCE_MM


def layers_of(design: Design, rule: NetRule) -> tuple[str, ...]:
    """Give the layers of the board a net's tracks keep to: all, when its rule names none of them."""
    return tuple(x for x in design.board.layers if x in rule.layers) or design.board.layers


def bears(design: Design, rule: NetRule, layer: str) -> bool:
    """Tell whether a track of a rule's width bears the rule's current on a layer; inner copper is thin and warm."""
    if rule.current is None:
        return True
    copper, where = copper_on(design, layer)
    wanted = trace.width_mm(rule.current.current_a, rule.current.rise_k, copper, where, rule.current.seconds)
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
        far = [p for p in strays if not covered(p, here, FAN_MM + TOLERANCE_MM)]
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
