"""The legend held against the openings of the mask and its least height, and references it has no room for."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach
from vane_step.core.board.geometry.lettering import least_height_mm
from vane_step.core.board.geometry.mask_openings import openings_near
from vane_step.core.board.silkscreen.designators import references
from vane_step.core.board.silkscreen.legend import SIDES, Print, polylines, prints
from vane_step.core.design.model import Design, Side, natural, pin_name
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.memo import Kept


def silkscreen_findings(laid: Layout) -> Iterable[Finding]:
    """Find prints too near to openings of the mask, texts too small, and references without room."""
    for side in SIDES:
        printed = [one for one in prints(laid.design, side) if one.lines]
        known = [_legend_of.get(id(one)) for one in printed]
        # What a text comes near to is not known by its print.
        fresh = [
            one
            for one, old in zip(printed, known, strict=True)
            if old is None or old[0] is not one or one.owner in laid.design.texts
        ]
        if fresh:
            for one, found in zip(fresh, _legend_on_pads(laid, side, fresh), strict=True):
                _legend_of.put(id(one), (one, found))
        for one in printed:
            yield from (_legend_of.get(id(one)) or (one, ()))[1]
        yield from _unprinted(laid.design, side)
    yield from _stale_labels(laid.design)
    for item in laid.design.texts.values():
        least = least_height_mm(item, laid.rules) if item.copper else laid.rules.legend_height_nm / 1e6
        if not item.shape and item.height_nm / 1e6 < least - TOLERANCE_MM:
            how = "make in copper" if item.copper else "print"
            place, text = at(item.x_nm / 1e6, item.y_nm / 1e6), f"Text “{item.text}” is too small to {how}"
            yield breach(laid, "legend-height", text, item.height_nm / 1e6, least, place, "look")


def _stale_labels(design: Design) -> Iterable[Finding]:
    """Tell the labels at pins and parts that no longer say what the pin's net or the part's value is called."""
    for label in design.texts.values():
        ref, _, of = label.id.rpartition("-")
        part = design.parts.get(ref)
        numbers = {p.number: p for p in part.pins} if part else {}
        if part is None or (of != "value" and of not in numbers):
            continue
        right = {part.value} if of == "value" else {design.net_of(pin_name(ref, of)), numbers[of].name}
        if label.text not in right:
            named = min(filter(None, right), default="")
            what = (
                f"{ref} is {named or 'without a value'}"
                if of == "value"
                else f"{ref}.{of} is {named or 'open'}"
            )
            text = f"The legend says “{label.text}” where {what}"
            verb = "values" if of == "value" else "names"
            place = Place(refs=(ref,), x_nm=label.x_nm, y_nm=label.y_nm)
            remedy = Remedy(label="Print it anew", ask=f"{verb} {ref}")
            yield tell("stale-label", text, 1, 0, place, source="the circuit", remedy=remedy)


def _unprinted(design: Design, side: Side) -> Iterable[Finding]:
    """Tell the parts whose references found no room on the legend of a side."""
    if design.board.rules.etched:
        return
    there = {p.text for p in references(design, side)}
    left = sorted(
        (
            r
            for r, p in design.parts.items()
            if p.place is not None and p.place.side == side and r not in there
        ),
        key=natural,
    )
    if left:
        few = ", ".join(left[:8]) + (" …" if len(left) > 8 else "")
        text = f"The legend has no room for the reference{'' if len(left) == 1 else 's'} {few} on the {side}"
        yield tell("unprinted", text, len(left), 0, Place(refs=tuple(left[:40])))


# The print is held, so that no other gets its identity.
_legend_of: Kept[tuple[Print, tuple[Finding, ...]]] = Kept()


def _legend_on_pads(laid: Layout, side: Side, some: list[Print]) -> list[tuple[Finding, ...]]:
    """Hold the lines of some parts or texts against the openings of the mask; one finding each at most."""
    limit = laid.rules.legend_to_pad_nm / 1e6
    lines = [line for one in some for line in one.lines]
    drawn = polylines([line.points for line in lines])
    half = np.array([line.width_mm / 2 for line in lines])
    openings = openings_near(
        laid.design, side, shapely.bounds(drawn) + np.array([-1, -1, 1, 1]) * (half.max() + limit)
    )
    told: dict[str, Finding] = {}
    for i, _, gap in zip(*openings.within(drawn, half + limit - 1e-3), strict=True):
        if lines[i].owner not in told:
            text = f"Legend of {lines[i].owner} on the {side} is too near to a pad"
            place = at(*lines[i].points[0])
            told[lines[i].owner] = breach(
                laid, "legend-on-pad", text, float(gap - half[i]), limit, place, "look"
            )
    return [(told[one.owner],) if one.owner in told else () for one in some]
