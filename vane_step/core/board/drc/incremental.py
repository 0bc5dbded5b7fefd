"""Rules that look no further than the gaps of the board, judged anew after an edit only near what changed.

Which rules those are is said in ``check``; they are run here over a piece of the design as over all of it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.geometry.lettering import in_copper
from vane_step.core.board.geometry.shapes import extents
from vane_step.core.derive import derived
from vane_step.core.design.bareboard import MountingHole
from vane_step.core.design.model import Design, Jumper, Track, Via
from vane_step.core.finding import Finding
from vane_step.core.memo import Kept

# Sections whose things have a place; a change anywhere else makes everything be judged anew.
PLACED = ("parts", "tracks", "vias", "jumpers", "holes")
_REMEMBERED = 8
# When more than this share of all things changed, a piece of the board is no less work than all of it.
_MOST_CHANGED = 0.15


class Nearby:
    """A set of local rules that remembers what it found in the last few designs.

    A rule is local when what it finds hangs on single things and on pairs of things no further apart than
    :func:`reach_mm`, and when it finds nothing in a piece of a board that it would not find in the whole. Let S be all
    things that come within that reach of something that changed. Rules run over S before and over S after differ
    exactly by what the edit changed. So the findings after are those before, less what only S before has, with what
    only S after has. Where nothing was found before, S before need not be looked at; where it does not come out even,
    everything is judged anew.
    """

    def __init__(self, rules: Callable[[Layout], list[Finding]]) -> None:
        self._rules = rules
        # The last few designs and what was found in them, the newest first.
        self._past: Kept[tuple[tuple[Design, tuple[Finding, ...]], ...]] = Kept()

    def __call__(self, laid: Layout) -> tuple[Finding, ...]:
        """Give the findings of the rules in a design."""
        design = laid.design
        past = self._past.get("last") or ()
        for before, findings in past:
            after = self._after(before, findings, design)
            if after is not None:
                break
        else:
            after = tuple(self._rules(laid))
            # What the first edit will ask for: it is to be judged at once.
            _laid(design)
        self._past.put("last", ((design, after), *past)[:_REMEMBERED])
        return after

    def _after(
        self, before: Design, findings: tuple[Finding, ...], design: Design
    ) -> tuple[Finding, ...] | None:
        """Give the findings of a design from those of one it was made from, None when they differ in too much."""
        if any(before.digest(s) != design.digest(s) for s in ("nets", "packages", "board")):
            return None
        if before.digest("texts") != design.digest("texts") and in_copper(before) != in_copper(design):
            return None
        changed = _changed(before, design)
        if len(changed) > _MOST_CHANGED * sum(len(getattr(design, s)) for s in PLACED):
            return None
        frames = [_boxes_of_one(d, *name) for d in (before, design) for name in changed]
        near = np.vstack([np.zeros((0, 4)), *frames]) + np.array([-1, -1, 1, 1]) * reach_mm(design)
        came = self._rules(Layout(_piece(design, near)))
        went = []
        for found in self._rules(Layout(_piece(before, near))) if findings else ():
            if found in came:
                came.remove(found)
            else:
                went.append(found)
        rest = list(findings)
        for found in went:
            if found not in rest:
                return None
            rest.remove(found)
        return (*rest, *came)


def reach_mm(design: Design) -> float:
    """Give the greatest distance over which a local rule relates two things, in millimetres."""
    rules = design.board.rules
    gaps = [n.rule.clearance_nm for n in design.nets.values() if n.rule]
    gaps += [
        rules.min_clearance_nm,
        rules.default_clearance_nm,
        rules.hole_to_hole_nm,
        rules.hole_to_copper_nm,
    ]
    # Openings of the mask grow on both sides, and the least bridge lies between; a nanometre is the tolerance.
    return max(gaps) / 1e6 + 2 * max(0, rules.mask_margin_nm) / 1e6 + 0.1


def _changed(before: Design, after: Design) -> list[tuple[str, str]]:
    changed = []
    for section in PLACED:
        if before.digest(section) != after.digest(section):
            old, new = getattr(before, section), getattr(after, section)
            changed += [(section, k) for k in {**old, **new} if old.get(k) is not new.get(k)]
    return changed


def _boxes_of_one(design: Design, section: str, key: str) -> np.ndarray:
    """Give the boxes of the pieces of one thing (n x 4, mm), none when it is not there or has no place."""
    if section == "parts":
        frame = extents(design).get(key)
        return np.array([frame]) if frame else np.zeros((0, 4))
    thing = getattr(design, section).get(key)
    if thing is None:
        return np.zeros((0, 4))
    return _boxes([_span(thing)])


def _span(thing: Track | Via | Jumper | MountingHole) -> tuple[Sequence[tuple[int, int]], float]:
    """Give the line a thing runs along and how far it reaches on either side, in nm."""
    if isinstance(thing, Track):
        return thing.points, thing.width_nm / 2
    if isinstance(thing, Jumper):
        return (thing.a, thing.b), thing.pad_nm / 2
    spot = (thing.x_nm, thing.y_nm)
    return (spot, spot), thing.pad_nm / 2 if isinstance(thing, Via) else max(
        thing.drill_nm / 2, thing.keepout_nm
    )


def _boxes(spans: list[tuple[Sequence[tuple[int, int]], float]]) -> np.ndarray:
    """Give the boxes of the straight pieces of some lines (n x 4, mm)."""
    points = np.array([p for run, _ in spans for p in run], dtype=np.float64).reshape(-1, 2)
    sizes = np.array([len(run) for run, _ in spans], dtype=int)
    half = np.repeat(np.array([half for _, half in spans]), sizes)[:, None]
    # From each point to the next, less what would lead from one line to another.
    inner = np.ones(len(points), dtype=bool)
    inner[np.cumsum(sizes) - 1] = False
    a, b, half = points[inner], points[np.flatnonzero(inner) + 1], half[inner]
    found: np.ndarray = np.hstack([np.minimum(a, b) - half, np.maximum(a, b) + half]) / 1e6
    return found


@derived("tracks", "vias", "jumpers", "holes")
def _laid(design: Design) -> tuple[list[tuple[str, str]], np.ndarray, np.ndarray]:
    """Give all things but parts, all their boxes, and the number of the thing each box belongs to."""
    names = [(s, key) for s in PLACED[1:] for key in getattr(design, s)]
    spans = [_span(getattr(design, s)[key]) for s, key in names]
    return (
        names,
        _boxes(spans),
        np.repeat(np.arange(len(spans)), np.array([len(run) - 1 for run, _ in spans], dtype=int)),
    )


def _piece(design: Design, near: np.ndarray) -> Design:
    """Give a design of only those things that come into some boxes, whole, in the same order, and texts in copper."""
    names, boxes, owner = _laid(design)
    frames = extents(design)
    names = [*names, *(("parts", ref) for ref in frames)]
    owner = np.concatenate([owner, np.arange(len(names) - len(frames), len(names))])
    boxes = np.vstack([boxes, np.array(list(frames.values())).reshape(-1, 4)])
    hit = np.zeros(len(boxes), dtype=bool)
    for x0, y0, x1, y1 in near:
        hit |= (boxes[:, 0] <= x1) & (boxes[:, 2] >= x0) & (boxes[:, 1] <= y1) & (boxes[:, 3] >= y0)
    whole = {s: getattr(design, s) for s in PLACED}
    some: dict[str, dict[str, object]] = {s: {} for s in PLACED}
    # The boxes of a thing lie together, in the order of the design.
    for k in dict.fromkeys(owner[hit].tolist()):
        section, key = names[k]
        some[section][key] = whole[section][key]
    return design.replaced(**some, pours={}, texts=in_copper(design))
