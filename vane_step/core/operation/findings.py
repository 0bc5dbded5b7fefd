"""All findings of power: what goes wrong in some state, the worst of each with that state; kept until the circuit
changes."""

from __future__ import annotations

from vane_step.core.design.model import Design
from vane_step.core.finding import Finding
from vane_step.core.memo import MEMO
from vane_step.core.network.readings import circuit_key, readings
from vane_step.core.operation.bearing import bearing
from vane_step.core.operation.feeds import feeds, unknown
from vane_step.core.operation.inrush import inrush
from vane_step.core.operation.pins import pins
from vane_step.core.operation.rails import rails
from vane_step.core.operation.withstands import withstands
from vane_step.core.operation.worst import Worst


def power_findings(design: Design) -> tuple[Finding, ...]:
    """Give the findings over all states of a design, each with the state it bites in."""
    key = ("power-findings", circuit_key(design))
    known: tuple[Finding, ...] | None = MEMO.get(key)
    if known is not None:
        return known
    worst = Worst(design, readings(design))
    found = unknown(worst)
    for rule in (feeds, rails, bearing, withstands, pins, inrush):
        rule(worst)
    return MEMO.put(key, (*found, *worst.findings()), like="power-findings")  # type: ignore[no-any-return]
