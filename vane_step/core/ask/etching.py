"""What would make a board easier to etch, tried on a copy: wider tracks, copper left standing."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Final

from vane_step.core.ask.line import ask
from vane_step.core.ask.remedies import judged_after
from vane_step.core.ask.words import Resources
from vane_step.core.board.drc.check import check
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.etch.bath import to_remove_g
from vane_step.core.etch.plan import ArtPlan
from vane_step.core.finding import Finding, Remedy

# So many findings of a sheet are tried to be cured at a time, the most pressing first.
MOST: Final = 8
# A pour is offered where it saves at least this share of what the bath would have to eat.
WORTH: Final = 0.2


def with_widening(design: Design, findings: Iterable[Finding], resources: Resources) -> tuple[Finding, ...]:
    """Offer to widen tracks that are too fine for a method, where that was tried on a copy and made nothing worse."""
    found, tried = [], 0
    before: Counter[tuple[str, str]] | None = None
    for finding in findings:
        net, limit = finding.place.net, finding.limit
        if finding.code == "etch-width" and net is not None and limit is not None and tried < MOST:
            tried += 1
            before = before if before is not None else _judged(design)
            said = f"widen {net} {limit:g}mm"
            after = judged_after(design, said, resources, _judged)
            if (
                after is not None
                and not after - before
                and _least(design, said, net, resources) > (finding.reading or 0)
            ):
                remedy = Remedy(label=f"Widen {net} to {limit:g} mm", ask=said)
                finding = finding.model_copy(update={"remedy": remedy})
        found.append(finding)
    return tuple(found)


def all_widened(design: Design, findings: Iterable[Finding], resources: Resources) -> Remedy | None:
    """Offer to widen all tracks that are too fine at once, where that was tried on a copy and made nothing worse."""
    fine = [f for f in findings if f.code == "etch-width" and f.limit is not None]
    if len(fine) < 2:
        return None
    limit = max(f.limit or 0.0 for f in fine)
    said = f"widen all {limit:g}mm"
    after = judged_after(design, said, resources, _judged)
    if after is None or after - _judged(design):
        return None
    return Remedy(label=f"Widen all tracks towards {limit:g} mm", ask=said)


def _judged(design: Design) -> Counter[tuple[str, str]]:
    return Counter((f.level, f.code) for f in check(design).findings if f.level != "note")


def _least(design: Design, said: str, net: str, resources: Resources) -> float:
    """Give the finest track of a net after a sentence, in millimetres."""
    edit = ask(design, said, resources).edit
    after = apply(design, edit)[0] if edit is not None else design
    return min((t.width_nm / 1e6 for t in after.tracks.values() if t.net == net), default=0.0)


def copper_left(design: Design, plan: ArtPlan, resources: Resources) -> tuple[str, str, float] | None:
    """Give a pour of ground that leaves copper standing, so that the bath has less to eat; None where none is worth it.

    Returns
    -------
    (str, str, float) or None
        Its label, its sentence, and the grams that stay; tried on a copy, where it brings no finding.
    """
    ground = next((n.name for n in design.nets.values() if n.role == "ground"), None)
    layer = design.board.layers[-1]
    if ground is None or not design.tracks or any(p.layer == layer for p in design.pours.values()):
        return None
    gap = max(plan.method.usual_mm[1], design.board.rules.default_clearance_nm / 1e6)
    said = f"pour {ground} {layer} gap={gap:g}mm width={plan.method.track_mm[0]:g}mm"
    before, whole = _judged(design), to_remove_g(design, plan)
    try:
        edit = ask(design, said, resources).edit
        after = apply(design, edit)[0] if edit is not None else design
        less = whole - to_remove_g(after, plan)
    except VaneStepError:
        return None
    if less < WORTH * whole or _judged(after) - before:
        return None
    return f"Leave copper standing as {ground}", said, less
