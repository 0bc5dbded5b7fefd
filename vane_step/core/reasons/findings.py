"""Stale, overruled and broken calculations as findings, with the voltages that no rail has any more."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.reasons.calculations import reasons
from vane_step.core.reasons.mentions import orphans


def reason_findings(design: Design) -> Iterator[Finding]:
    """Tell stale, overruled and broken calculations, and voltages that no rail has any more."""
    for reason in reasons(design):
        found = reason.calculation
        refs = tuple(dict.fromkeys(found.sets.values()))
        place = Place(step="circuit", refs=refs)
        source = f"{reason.formula.title}: {reason.formula.source}"
        if reason.state == "stale":
            yield tell(
                "stale-value",
                f"{found.id} no longer holds: {reason.says}",
                len(reason.changes) or 1,
                0,
                place,
                sense="at most",
                unit="value" if len(reason.changes) < 2 else "values",
                source=source,
                remedy=Remedy(label="Apply the new values", ask=f"accept {found.id}"),
            )
        elif reason.state == "overruled":
            yield tell(
                "overruled",
                f"{found.id} was {reason.says}",
                len(reason.changes),
                0,
                place,
                sense="at most",
                source=source,
                remedy=Remedy(label="Apply the calculated values", ask=f"accept {found.id}"),
            )
        elif reason.state == "broken":
            text = f"{found.id} cannot be worked out: {reason.says}"
            yield tell("broken-reason", text, 1, 0, place, sense="at most", source=source)
    yield from orphans(design)
