"""Vias that carry a net's current together: what they lack, and more beside them; stitching pours is in ``stitch``."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
import shapely

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.legal_necks import is_neck
from vane_step.core.board.drc.via_current import PLATING_UM, carried_a, via_groups
from vane_step.core.board.geometry.necks import copper_rule
from vane_step.core.board.geometry.room import room_mm
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.board.tracks.stitching import clear_for_vias
from vane_step.core.design.boardedits import Names
from vane_step.core.design.edits import LayCopper, apply, net_of
from vane_step.core.design.model import CurrentNeed, Design, Layer, Track, Via
from vane_step.core.errors import EditRefused
from vane_step.core.power import trace
from vane_step.core.quantity import nm

DIRECTIONS = 16
RINGS = 4


def strengthened(
    design: Design, net: str, flows: Mapping[str, float] | None = None, rise_k: float = 10.0
) -> tuple[LayCopper, int]:
    """Lay vias beside the groups of a net that carry too little, each joined to the first of its group on each layer.

    Parameters
    ----------
    flows
        What flows through vias that get too warm, in amperes; where it is left out each group is held against the
        current said of the net.
    rise_k
        How warm such vias may become.

    Returns
    -------
    tuple of LayCopper and int
        The edit, and the number of groups for which there is no room for enough. Nothing it lays breaks a rule.

    Raises
    ------
    EditRefused
        When the net has no current to carry, when its vias carry it already, or when not one more fits.
    """
    net_of(design, net)
    need = design.rule_of(net).current
    if need is None and not flows:
        raise EditRefused(f"No current is known for {net}.", where=net, next_step=f"Type: width {net} 2A")
    weak = _weak(design, net, flows, rise_k) if flows else _too_few(design, net, need)
    if not weak:
        raise EditRefused(
            f"The vias of {net} carry its current already.",
            where=net,
            next_step="Nothing has to be done.",
        )
    names = Names(design)
    laid = LayCopper()
    short = 0
    for via, missing in weak:
        more = _beside(apply(design, laid)[0], via, missing, names)
        short += len(more.vias) < missing
        laid = LayCopper(tracks=(*laid.tracks, *more.tracks), vias=(*laid.vias, *more.vias))
    if not laid.vias:
        raise EditRefused(
            f"There is no room for another via of {net}.", where=net, next_step="Move what is beside them."
        )
    return laid, short


def _too_few(design: Design, net: str, need: CurrentNeed | None) -> list[tuple[Via, int]]:
    """Give of each group that carries less than was said one via, and how many more it takes."""
    found = []
    for group in via_groups(design, net) if need is not None else ():
        assert need is not None
        short = need.current_a - carried_a(design, group, need.rise_k, need.seconds)
        if short > need.current_a * 1e-9:
            one = trace.via_current_a(group[0].drill_nm / 1e6, PLATING_UM, need.rise_k, need.seconds)
            found.append((group[0], math.ceil(short / one - 1e-9)))
    return found


def _weak(design: Design, net: str, flows: Mapping[str, float], rise_k: float) -> list[tuple[Via, int]]:
    """Give of each group in which a via gets too warm that one, and how many more share what flows there, at least."""
    found = []
    for group in via_groups(design, net):
        warm = [v for v in group if v.id in flows]
        if warm:
            worst = max(warm, key=lambda v: flows[v.id])
            one = trace.via_current_a(worst.drill_nm / 1e6, PLATING_UM, rise_k)
            found.append((worst, max(1, math.ceil(sum(flows[v.id] for v in warm) / one - 1e-9) - len(warm))))
    return found


def _beside(design: Design, via: Via, wanted: int, names: Names) -> LayCopper:
    """Lay up to so many vias round one, the nearest first, with a track to it on every layer it joins.

    The tracks are as wide as the net's rule says, or its necks where they may be.
    """
    rules, rule = design.board.rules, copper_rule(design, via.net)
    # Their pads keep a gap: on layers where no track joins them a maker could not keep a crack between them open.
    step = max(via.drill_nm + rules.hole_to_hole_nm, via.pad_nm + rules.min_clearance_nm) / 1e6 + 0.01
    turns = np.arange(DIRECTIONS) * 2 * math.pi / DIRECTIONS
    rings = np.repeat(step * (1 + 0.5 * np.arange(RINGS)), DIRECTIONS)
    at = np.column_stack([np.cos(np.tile(turns, RINGS)), np.sin(np.tile(turns, RINGS))]) * rings[:, None]
    spots = np.round(at + np.array([via.x_nm, via.y_nm]) / 1e6, 3)
    layers = _layers_met(design, via)
    clear = clear_for_vias(design, via.net, shapely.points(spots), via.pad_nm / 2e6)
    clear &= _in_same_pours(design, via, spots)
    room = (
        np.min([_room(design, via, layer, spots) for layer in layers], axis=0)
        if layers
        else np.full(len(spots), 9)
    )
    full = max(rule.width_nm, rules.min_width_nm)
    taken: list[np.ndarray] = []
    tracks: list[Track] = []
    vias: list[Via] = []
    for spot, half in zip(spots[clear], room[clear], strict=True):
        if len(vias) == wanted or (taken and np.hypot(*(np.array(taken) - spot).T).min() < step):
            continue
        there = nm(float(spot[0])), nm(float(spot[1]))
        for width in dict.fromkeys((full, rule.neck_width_nm or full)):
            ways = [
                Track(
                    id=names.next("T"),
                    net=via.net,
                    layer=x,
                    width_nm=width,
                    points=((via.x_nm, via.y_nm), there),
                )
                for x in layers
            ]
            if width / 2e6 <= half and (width == full or _may_be_thin(design, ways)):
                taken.append(spot)
                tracks += ways
                vias.append(
                    via.model_copy(update={"id": names.next("V"), "x_nm": there[0], "y_nm": there[1]})
                )
                break
    return LayCopper(tracks=tuple(tracks), vias=tuple(vias))


def _may_be_thin(design: Design, tracks: list[Track]) -> bool:
    """Tell whether tracks of a net are legal necks."""
    net = tracks[0].net if tracks else ""
    laid = apply(design, LayCopper(tracks=tuple(tracks)))[0]
    new = {t.id for t in tracks}
    mine = [i for i in copper_items(laid) if i.net == net]
    pads = [i for i in mine if i.kind == "pad"]
    return all(is_neck(copper_rule(design, net), i, pads) for i in mine if i.id in new)


def _layers_met(design: Design, via: Via) -> list[Layer]:
    """Give the layers on which a via meets tracks or pads of its net."""
    at = shapely.Point(via.x_nm / 1e6, via.y_nm / 1e6)
    half = via.pad_nm / 2e6
    met = {
        layer
        for i in copper_items(design)
        if i.net == via.net and i.kind in ("track", "pad") and i.spine.distance(at) <= i.radius_mm + half
        for layer in i.layers
    }
    return [x for x in design.board.layers if x in met]


def _in_same_pours(design: Design, via: Via, spots: np.ndarray) -> np.ndarray:
    """Tell which spots lie in every piece of pour a via lies in."""
    at, points = shapely.Point(via.x_nm / 1e6, via.y_nm / 1e6), shapely.points(spots)
    inside = np.ones(len(spots), dtype=bool)
    for pour in pour_pieces(design):
        for piece in pour.pieces if pour.net == via.net else ():
            if piece.distance(at) < via.pad_nm / 2e6:
                inside &= shapely.dwithin(piece, points, via.pad_nm / 2e6)
    return inside


def _room(design: Design, via: Via, layer: Layer, spots: np.ndarray) -> np.ndarray:
    """Give the greatest half width of straight tracks from a via to some spots, in millimetres."""
    start = (via.x_nm / 1e6, via.y_nm / 1e6)
    ways = [shapely.LineString([start, spot]) for spot in spots]
    return room_mm(design, via.net, layer, np.array(ways, dtype=object))
