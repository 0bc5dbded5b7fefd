"""Measures of a board's files held against what makers can do; nothing is measured here."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Final

from vane_step.core.design.bareboard import RuleSet
from vane_step.core.inspect.measures import Measure

# What each measure must be at least, by a maker's rule; a bridge of mask is what makers keep between two openings.
AT_LEAST: Final = {
    "track": "min_width_nm",
    "gap": "min_clearance_nm",
    "ring": "min_ring_nm",
    "edge": "edge_clearance_nm",
    "web": "hole_to_hole_nm",
    "drill": "min_drill_nm",
    "slot": "min_slot_nm",
    "ink": "legend_width_nm",
}
BRIDGE_MM: Final = 0.1
# What is measured from polygons that stand for circles, and told in whole micrometres, may be off by so much.
OFF_MM: Final = 0.001


@dataclass(frozen=True)
class Verdict:
    """A measure against one maker's limit: whether it holds, and what is asked."""

    maker: str
    key: str
    limit: float | None
    most: bool
    holds: bool


def held_against(measures: Iterable[Measure], makers: Sequence[RuleSet]) -> list[Verdict]:
    """Hold each measure against each maker; what a maker says nothing of is left out."""
    found = []
    for maker in makers:
        for m in measures:
            verdict = _held(m, maker)
            if verdict is not None:
                found.append(verdict)
    return found


def _held(m: Measure, maker: RuleSet) -> Verdict | None:
    if m.key in AT_LEAST:
        limit = getattr(maker, AT_LEAST[m.key]) / 1e6
        return Verdict(maker.name, m.key, limit, False, m.value >= limit - OFF_MM)
    if m.key == "bridge":
        return Verdict(maker.name, m.key, BRIDGE_MM, False, m.value >= BRIDGE_MM - OFF_MM)
    if m.key == "largest":
        limit = maker.max_drill_nm / 1e6
        return Verdict(maker.name, m.key, limit, True, m.value <= limit + OFF_MM)
    if m.key == "layers":
        most = max(maker.copper_layers)
        return Verdict(maker.name, m.key, float(most), True, int(m.value) in maker.copper_layers)
    if m.key == "printed":
        return Verdict(maker.name, m.key, 0.0, True, m.value <= 0)
    return None
