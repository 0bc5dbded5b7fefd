"""Remedies tried on a copy before they are offered: one that makes anything worse is withheld."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable

from vane_step.core.ask.line import ask
from vane_step.core.ask.words import Resources
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.finding import Finding
from vane_step.core.reasons.findings import reason_findings

# Verbs that change what is joined or what a part is; others only move or lay what can be moved back.
CHANGING = ("merge", "swap", "pin", "role", "remove", "rename")
# So many are tried for one design; what would come after is not offered either.
MOST = 24


def harmless(design: Design, findings: Iterable[Finding], resources: Resources) -> tuple[Finding, ...]:
    """Give findings whose remedies are worth offering: tried on a copy, they cure and raise no new stop or look.

    Parameters
    ----------
    findings : iterable of Finding
        As the rules gave them.

    Returns
    -------
    tuple of Finding
        The same, in the same order; a remedy that is refused, does harm or cures nothing is left out.
    """
    before: Counter[tuple[str, str]] | None = None
    tried: dict[str, Counter[tuple[str, str]] | None] = {}
    found = []
    for finding in findings:
        said = finding.remedy.ask if finding.remedy else ""
        if said.split(" ", 1)[0] in CHANGING:
            if before is None:
                before = _judged(design)
            if said not in tried:
                tried[said] = judged_after(design, said, resources, _judged) if len(tried) < MOST else None
            if not _helps(finding, before, tried[said]):
                finding = finding.model_copy(update={"remedy": None})
        found.append(finding)
    return tuple(found)


def _judged(design: Design) -> Counter[tuple[str, str]]:
    """Count the stops and looks of the circuit by rule."""
    return Counter(
        (f.level, f.code) for f in (*review(design), *reason_findings(design)) if f.level != "note"
    )


def judged_after(
    design: Design, said: str, resources: Resources, judge: Callable[[Design], Counter[tuple[str, str]]]
) -> Counter[tuple[str, str]] | None:
    """Count findings after a sentence was carried out on a copy; None where it is refused or changes nothing."""
    try:
        edit = ask(design, said, resources).edit
        return judge(apply(design, edit)[0]) if edit is not None else None
    except VaneStepError:
        return None


def _helps(
    finding: Finding, before: Counter[tuple[str, str]], after: Counter[tuple[str, str]] | None
) -> bool:
    """Tell whether no rule finds more than before, and the one that spoke, where it is the review's, finds less."""
    if after is None or after - before:
        return False
    of = (finding.level, finding.code)
    return before[of] == 0 or after[of] < before[of]
