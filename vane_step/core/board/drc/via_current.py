"""Vias that share a net's current, held against what it carries; laying more is in ``tracks.current_vias``."""

from __future__ import annotations

import math
from collections.abc import Iterator

from vane_step.core.board.copper.cut_currents import cuts_of
from vane_step.core.board.drc.layout import Layout
from vane_step.core.design.model import CurrentNeed, Design, Via
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.power import trace
from vane_step.core.quantity import format_value

# Vias nearer to each other than this share what passes there.
TOGETHER_MM = 3.0
# What makers plate the wall of a hole with, at least.
PLATING_UM = 20.0


def via_groups(design: Design, net: str) -> list[list[Via]]:
    """Give the vias of a net in groups that lie together."""
    vias = [v for v in design.vias.values() if v.net == net]
    groups: list[list[Via]] = []
    while vias:
        group = [vias.pop(0)]
        for one in group:
            near = [v for v in vias if math.hypot(v.x_nm - one.x_nm, v.y_nm - one.y_nm) < TOGETHER_MM * 1e6]
            group += near
            vias = [v for v in vias if v not in near]
        groups.append(group)
    return groups


def carried_a(design: Design, group: list[Via], rise_k: float, seconds: float | None = None) -> float:
    """Give the current the vias of a group carry together at a rise, in amperes."""
    return sum(trace.via_current_a(v.drill_nm / 1e6, PLATING_UM, rise_k, seconds) for v in group)


def via_findings(laid: Layout) -> Iterator[Finding]:
    """Find groups of vias that carry less than their net's current; once a net, at the weakest.

    Of a net that is poured nothing is said: there a via mostly carries what its own pad takes.
    """
    poured = {p.net for p in laid.design.pours.values()}
    for net in sorted({v.net for v in laid.design.vias.values()} - poured):
        need = laid.design.rule_of(net).current
        if need is None:
            continue
        weak = [w for g in via_groups(laid.design, net) if (w := _weak(laid, net, g, need)) is not None]
        if weak:
            amps, passes, group = min(weak, key=lambda w: w[0] / w[1])
            wanted = math.ceil(passes / (amps / len(group)) - 1e-9)
            at = group[0]
            what = "1 via" if len(group) == 1 else f"{len(group)} vias"
            text = (
                f"{what} of {net} {'carries' if len(group) == 1 else 'carry'} {format_value(round(amps, 2), 'A')} "
                f"where {format_value(passes, 'A')} may pass; {wanted} would"
            )
            yield tell(
                "via-current",
                text,
                amps,
                passes,
                Place(net=net, x_nm=at.x_nm, y_nm=at.y_nm),
                source=f"{trace.SOURCE} on barrels of {PLATING_UM:g} µm, {need.rise_k:g} K, rule of thumb",
                remedy=Remedy(label=f"Add vias to {net}", ask=f"vias {net}"),
            )


def _weak(
    laid: Layout, net: str, group: list[Via], need: CurrentNeed
) -> tuple[float, float, list[Via]] | None:
    """Give what a group of vias carries, what may pass it, and the group, where it carries less."""
    amps = carried_a(laid.design, group, need.rise_k, need.seconds)
    if amps >= need.current_a * (1 - 1e-9):
        return None
    copper = laid.net_copper.get(net)
    passes = need.current_a
    cuts = cuts_of(laid.pin_limits, (), copper, passes) if copper is not None else None
    if cuts is not None and copper is not None:
        ids = {v.id for v in group}
        passes = cuts.most_a([i for i in copper.items if i.kind == "via" and i.id in ids])
    return (amps, passes, group) if amps < passes * (1 - 1e-9) else None
