"""All findings of a design in one list, less the accepted ones; each rule lives in its own room."""

from __future__ import annotations

import hashlib
from typing import Final

from vane_step.core.board.analysis.near_parts import near_findings
from vane_step.core.board.analysis.way_back import way_back_findings
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.decoupling import nearness_findings
from vane_step.core.brief.limits import limit_findings
from vane_step.core.brief.needs import need_findings
from vane_step.core.brief.seating import seating_findings
from vane_step.core.brief.tiles import tile_findings
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import SetItem
from vane_step.core.design.model import Design, Waiver, pin_name
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.finding import Finding, ordered
from vane_step.core.network.known_volts import with_known_volts
from vane_step.core.operation.findings import power_findings
from vane_step.core.operation.heat import heat_findings
from vane_step.core.operation.hot_copper import copper_findings
from vane_step.core.operation.lost_volts import lost_findings
from vane_step.core.patterns.patternsheet import pattern_findings
from vane_step.core.reasons.findings import reason_findings
from vane_step.core.rules import RULES


def all_findings(design: Design, electrical: bool = True) -> list[Finding]:
    """Give the findings of brief, circuit and board that are not waived, most pressing first.

    Parameters
    ----------
    electrical : bool
        Leave the electrical review out for circuits whose pins have no roles (imported folders).
    """
    return [f for f in _everything(design, electrical) if _waiver_of(design, f) is None]


def waived_findings(design: Design) -> list[tuple[Finding, Waiver]]:
    """Give the findings that are waived, with the reason; one whose inputs changed is back among the others."""
    pairs = ((f, _waiver_of(design, f)) for f in _everything(design, True))
    return [(f, w) for f, w in pairs if w is not None]


def _everything(design: Design, electrical: bool) -> list[Finding]:
    roles = electrical and has_roles(design)
    found = [
        *check(design).findings,
        *nearness_findings(design),
        *near_findings(design),
        *way_back_findings(design),
        *limit_findings(design),
        *need_findings(design),
        *seating_findings(design),
        *tile_findings(design),
    ]
    if roles:
        found += [*review(with_known_volts(design)), *pattern_findings(design)]
    # Values have reasons, and sources drive currents, whether or not any pin says what it does.
    if electrical:
        found += reason_findings(design)
    if roles or (electrical and design.sources):
        found += [
            *power_findings(design),
            *copper_findings(design),
            *lost_findings(design),
            *heat_findings(design),
        ]
    return ordered(_once(found))


# What the review tells of a part by the voltages of its rails is not told again by state.
_SAID_BEFORE: Final = ("rating", "backwards")


def _once(found: list[Finding]) -> list[Finding]:
    told = {f.place.refs for f in found if f.code in _SAID_BEFORE}
    return [f for f in found if f.code != "part-volts" or f.place.refs not in told]


def has_roles(design: Design) -> bool:
    """Tell whether any pin says what it does; without that an electrical review has nothing to go by."""
    return any(pin.role != "passive" for part in design.parts.values() for pin in part.pins)


def stops(design: Design) -> tuple[Finding, ...]:
    """Give the findings that forbid a release: those of level stop that nobody accepted."""
    return tuple(f for f in all_findings(design) if f.level == "stop")


def board_stops(design: Design) -> tuple[Finding, ...]:
    """Give the stops of the board alone, which nobody can accept."""
    return tuple(f for f in check(design).findings if f.level == "stop")


def _waiver_of(design: Design, finding: Finding) -> Waiver | None:
    if not design.waivers:
        return None
    key = finding.key()
    found = next((w for w in design.waivers.values() if w.key == key), None)
    return found if found is not None and found.state == state_of(design, finding) else None


def state_of(design: Design, finding: Finding) -> str:
    """Give a digest of what a finding goes by: its reading and limit, and the parts it names with their nets."""
    mark = hashlib.blake2b(digest_size=12)
    mark.update(f"{finding.message}|{finding.reading}|{finding.limit}".encode())
    for ref in finding.place.refs:
        part = design.parts.get(ref)
        if part is not None:
            nets = [design.net_of(pin_name(ref, p.number)) for p in part.pins]
            mark.update(f"{ref}|{part.value}|{part.package}|{part.catalogue}|{part.fitted}|{nets}".encode())
    return mark.hexdigest()


def can_be_accepted(finding: Finding) -> bool:
    """Tell whether the page offers to accept a finding: not what the board and its files are, nor what a shop says."""
    rule = RULES[finding.code]
    return finding.place.step not in ("board", "make") and rule.room != "order" and finding.code != "budget"


def waive(design: Design, code: str, place: str, reason: str) -> SetItem:
    """Make the edit that waives a finding, named by its rule and place, for a reason.

    Raises
    ------
    NotFound
        When there is no such finding.
    EditRefused
        When a stop of the board is meant: copper that cannot be made is not waived.
    InputError
        When the reason is missing.
    """
    if len(reason.strip()) < 3:
        raise InputError("A waiver needs a reason.", where=code, allowed="a few words: who decided, and why")
    wanted = set(place.replace(",", " ").split())
    for finding in all_findings(design):
        where = finding.place
        names = {*where.refs, *where.pins, *([where.net] if where.net else [])}
        if finding.code != code or (wanted and not wanted <= names):
            continue
        if finding.level == "stop" and where.step in ("board", "make"):
            raise EditRefused(
                f"{finding.message}: a stop of the board cannot be waived.",
                where=code,
                next_step="Change the copper, or choose another maker.",
            )
        number = 1
        while f"W{number}" in design.waivers:
            number += 1
        waiver = Waiver(
            id=f"W{number}",
            key=finding.key()[:400],
            state=state_of(design, finding),
            reason=reason.strip()[:200],
            message=finding.message[:600],
        )
        return SetItem(waiver=waiver)
    raise NotFound(
        f"There is no finding {code} at {place or 'that place'}.",
        where=code,
        next_step="Name rule and place as the list of findings has them.",
    )
