"""Widths for nets of which nobody said a current, by what flows in them in their worst state; only for routing."""

from __future__ import annotations

import math
from typing import Final

from vane_step.core.board.analysis.copper_currents import LEAST_A, MOST_A, RISE_LOOK_K, worst_state
from vane_step.core.design.model import CurrentNeed, Design, NetRule
from vane_step.core.network.outside import all_sources
from vane_step.core.power import trace

# Widths are rounded up to this, after so much is kept in hand.
STEP_NM: Final = 50_000
IN_HAND: Final = 1.1


def with_flow_widths(design: Design, nets: set[str] | None = None) -> Design:
    """Give the design with the widths that what flows asks for, where no current was said of a net.

    The same object where nothing flows that a usual track does not bear; nets with pours are theirs.
    """
    if not all_sources(design):
        return design
    poured = {p.net for p in design.pours.values()}
    changed = {}
    for net in design.nets.values():
        rule = design.rule_of(net.name)
        if rule.current is not None or net.name in poured or (nets is not None and net.name not in nets):
            continue
        worst = worst_state(design, net.name)
        if worst is None or worst[1] < LEAST_A:
            continue
        amps = min(worst[1] * IN_HAND, MOST_A)
        wanted = math.ceil(_width_mm(design, rule, amps) * 1e6 / STEP_NM) * STEP_NM
        if wanted > rule.width_nm:
            need = CurrentNeed(current_a=round(amps, 6), rise_k=RISE_LOOK_K)
            wider = rule.model_copy(update={"width_nm": wanted, "current": need})
            changed[net.name] = net.model_copy(update={"rule": wider})
    return design.replaced(nets={**design.nets, **changed}) if changed else design


def _width_mm(design: Design, rule: NetRule, amps: float) -> float:
    """Give the width that is enough on the layer that needs most, of those tracks of the net may lie on."""
    rules = design.board.rules
    inner = [x for x in (rule.layers or design.board.layers) if x.startswith("in")]
    wanted = trace.width_mm(amps, RISE_LOOK_K, rules.copper_um, "outer")
    if inner:
        wanted = max(wanted, trace.width_mm(amps, RISE_LOOK_K, rules.inner_copper_um, "inner"))
    return wanted
