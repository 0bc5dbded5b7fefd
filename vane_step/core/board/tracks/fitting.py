"""What of tracks worked out for an earlier state of a board still fits it; nothing is routed here."""

from __future__ import annotations

from vane_step.core.board.drc.check import copper_findings
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError


def still_fitting(design: Design, edit: LayCopper) -> tuple[LayCopper | None, tuple[str, ...]]:
    """Keep of an edit the nets whose copper breaks no rule on the board as it is now.

    Returns
    -------
    LayCopper or None
        The copper of these nets, all together free of new findings; None when no net is left.
    tuple of str
        The nets that no longer fit.
    """
    nets = dict.fromkeys(i.net for section in (edit.tracks, edit.vias, edit.jumpers) for i in section)
    now, kept, off = design, LayCopper(), []
    known = {f.key() for f in copper_findings(now)}
    for net in nets:
        gone = tuple(
            key
            for key in edit.lift
            if any(key in held and held[key].net == net for held in (now.tracks, now.vias, now.jumpers))
        )
        mine = LayCopper(
            lift=gone,
            tracks=tuple(t for t in edit.tracks if t.net == net),
            vias=tuple(v for v in edit.vias if v.net == net),
            jumpers=tuple(j for j in edit.jumpers if j.net == net),
        )
        try:
            after, _ = apply(now, mine)
        except VaneStepError:
            off.append(net)
            continue
        if {f.key() for f in copper_findings(after)} <= known:
            now = after
            kept = LayCopper(
                lift=kept.lift + mine.lift,
                tracks=kept.tracks + mine.tracks,
                vias=kept.vias + mine.vias,
                jumpers=kept.jumpers + mine.jumpers,
            )
        else:
            off.append(net)
    return (kept if kept.tracks or kept.vias or kept.jumpers else None), tuple(off)
