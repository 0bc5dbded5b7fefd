"""Tracks and pours that what really flows in them makes too warm, and whether widening helps; what flows is worked
out with the board."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.board.analysis.copper_currents import (
    RISE_STOP_K,
    NetCurrents,
    allowed_k,
    hot_vias,
    net_currents,
    too_warm,
    wanted_widths,
    warm_pour,
)
from vane_step.core.board.drc.via_current import PLATING_UM
from vane_step.core.board.geometry.necks import TIMES
from vane_step.core.board.tracks.reroute import widened
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.power import trace
from vane_step.core.quantity import format_value, nm


def copper_findings(design: Design) -> Iterator[Finding]:
    """Tell of each net the piece of track that gets too warm by what really flows in it, grounds among them.

    A net of which a current was said that covers what flows is held against that instead, piece by piece.
    """
    for net in design.nets.values():
        yield from _pour(design, net.name)
        yield from _via(design, net.name)
        found = too_warm(design, net.name)
        if found is None or found.hottest is None:
            continue
        piece, limit = found.hottest, allowed_k(design, net.name)
        stop = found.rise_k > max(RISE_STOP_K, limit)
        said = net.rule.current.current_a if net.rule and net.rule.current else None
        text = (
            f"A track of {net.name} {piece.width_mm:.2f} mm wide carries {format_value(piece.amps, 'A')} and gets "
            f"{found.rise_k:.0f} K warmer in state {found.state}"
        )
        if said is not None:
            text += f"; {format_value(said, 'A')} was said of the net"
        yield tell(
            "copper-hot",
            text,
            found.rise_k,
            max(RISE_STOP_K, limit) if stop else limit,
            Place(net=net.name, layer=piece.layer, x_nm=nm(piece.x_mm), y_nm=nm(piece.y_mm)),
            level="stop" if stop else "look",
            remedy=_remedy(design, found),
        )


def _pour(design: Design, net: str) -> Iterator[Finding]:
    """Tell the warmest place of a net's pours where it gets warmer than a neck may."""
    found, limit = warm_pour(design, net), TIMES * allowed_k(design, net)
    if found is None or found[0].rise_k <= limit:
        return
    spot, state, _ = found
    stop = spot.rise_k > max(RISE_STOP_K, limit)
    text = (
        f"A pour of {net} gets {spot.rise_k:.0f} K warmer where it is narrow: {spot.a_mm:.2g} A cross each millimetre "
        f"of its {spot.layer} there, in state {state}"
    )
    yield tell(
        "copper-hot",
        text,
        round(spot.rise_k, 2),
        max(RISE_STOP_K, limit) if stop else limit,
        Place(net=net, layer=spot.layer, x_nm=nm(spot.x_mm), y_nm=nm(spot.y_mm)),
        level="stop" if stop else "look",
        source="fin equation on the cells of the pour, IPC-2221 for what it gives off",
    )


def _via(design: Design, net: str) -> Iterator[Finding]:
    """Tell the via that carries most beyond what warms it as a track may become, by what really flows through each."""
    hot = hot_vias(design, net)
    if hot is None:
        return
    via, amps = design.vias[hot.worst], hot.amps[hot.worst]
    stop = amps > hot.stop_a
    text = (
        f"A via of {net} carries {format_value(amps, 'A')} in state {hot.state}; {format_value(hot.bears_a, 'A')} "
        f"warm it by the {hot.rise_k:g} K allowed"
    )
    if len(hot.amps) > 1:
        text += (
            f", and {len(hot.amps) - 1} more of it carry too much" if len(hot.amps) > 2 else ", and one more"
        )
    yield tell(
        "via-hot",
        text,
        round(amps, 3),
        round(hot.stop_a if stop else hot.bears_a, 3),
        Place(net=net, x_nm=via.x_nm, y_nm=via.y_nm),
        level="stop" if stop else "look",
        source=f"{trace.SOURCE} on barrels of {PLATING_UM:g} µm",
    )


def cooler(design: Design, found: NetCurrents) -> tuple[LayCopper, NetCurrents] | None:
    """Widen the tracks that get too warm as far as there is room; none where that makes nothing cooler."""
    widths, hot = wanted_widths(design, found)
    edit, _ = widened(design, found.net, widths, hot)
    if not edit.tracks:
        return None
    after = net_currents(apply(design, edit)[0], found.net)
    return (edit, after) if after is not None and after.rise_k < found.rise_k - 0.5 else None


def _remedy(design: Design, found: NetCurrents) -> Remedy | None:
    """Offer to widen where it was tried and makes the net cool enough, no stop any more, or cooler by a third."""
    try:
        tried = cooler(design, found)
    except VaneStepError:
        return None
    limit = allowed_k(design, found.net)
    if tried is None:
        return None
    rise = tried[1].rise_k
    helps = rise <= limit or rise <= RISE_STOP_K < found.rise_k or rise <= 0.7 * found.rise_k
    label = f"Widen {found.net}: {rise:.0f} K instead of {found.rise_k:.0f} K"
    return Remedy(label=label, ask=f"widen {found.net}") if helps else None
