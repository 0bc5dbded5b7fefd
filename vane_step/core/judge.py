"""All findings of a design in one list, for page, report and release; each rule lives in its own room."""

from __future__ import annotations

from vane_step.core.board.check import check
from vane_step.core.board.nearness import nearness_findings
from vane_step.core.circuit.review import review
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, ordered


def all_findings(design: Design, electrical: bool = True) -> list[Finding]:
    """Give the findings of the circuit and of the board, most pressing first.

    Parameters
    ----------
    electrical : bool
        Leave the electrical review out for circuits whose pins have no roles (imported folders).
    """
    found = [*check(design).findings, *nearness_findings(design)]
    if electrical and has_roles(design):
        found += review(design)
    return ordered(found)


def has_roles(design: Design) -> bool:
    """Tell whether any pin says what it does; without that an electrical review has nothing to go by."""
    return any(pin.role != "passive" for part in design.parts.values() for pin in part.pins)
