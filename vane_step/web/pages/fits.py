"""Where parts meet another board: both boards over each other, and places to take where its files leave it open.

How places are found is not here.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from vane_step.core.board.geometry.shapes import copper_items, courtyards
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Design, Part, split_pin
from vane_step.core.errors import NotFound
from vane_step.core.fab.mating import Offer, meetings
from vane_step.core.fab.otherboard import OtherBoard
from vane_step.store.designs import Kept
from vane_step.web.pages.changes import answer
from vane_step.web.render import store_of

router = APIRouter()


def asked_of(request: Request, kept: Kept) -> dict[str, tuple[Offer, ...]]:
    """Give the places on another board that are still to be decided, by part."""
    other, parts = _other(request, kept), kept.design.parts
    asked = other.asked if other else {}
    return {ref: some for ref, some in asked.items() if ref in parts and not _locked(parts[ref])}


def met_of(request: Request, kept: Kept) -> dict[str, str]:
    """Give the parts that lie where they meet the other board, and by what that was decided."""
    other, parts = _other(request, kept), kept.design.parts
    if other is None:
        return {}
    taken = {ref: "as you chose" for ref in other.asked if ref in parts and _locked(parts[ref])}
    return {ref: why for ref, why in {**other.why, **taken}.items() if ref in parts and _locked(parts[ref])}


def _other(request: Request, kept: Kept) -> OtherBoard | None:
    other: OtherBoard | None = request.app.state.others.get(kept.id)
    return other


def _locked(part: Part) -> bool:
    return part.place is not None and part.place.locked


def _offer(request: Request, kept: Kept, ref: str, number: int) -> PlaceParts:
    some = asked_of(request, kept).get(ref, ())
    if not 0 <= number < len(some):
        raise NotFound(
            f"There is no such place for {ref} to decide.",
            where=ref,
            next_step="Import the other board's files again.",
        )
    return PlaceParts(places={ref: some[number].place.model_copy(update={"locked": True})})


@router.get("/d/{id}/proposals/fit/{ref}")
def met_shown(request: Request, id: str, ref: str) -> dict[str, Any]:
    """Show a part that lies where it meets the other board, both boards over each other."""
    kept = store_of(request).get(id)
    if ref not in met_of(request, kept):
        raise NotFound(
            f"{ref} meets no other board.", where=ref, next_step="Import the other board's files again."
        )
    return _over_each_other(request, kept, kept.design, ref)


@router.get("/d/{id}/proposals/fit/{ref}/{number}")
def fit_shown(request: Request, id: str, ref: str, number: int) -> dict[str, Any]:
    """Show where a part would lie, both boards over each other, before the place is taken."""
    kept = store_of(request).get(id)
    return _over_each_other(request, kept, apply(kept.design, _offer(request, kept, ref, number))[0], ref)


def _over_each_other(request: Request, kept: Kept, after: Design, ref: str) -> dict[str, Any]:
    """Give the yard and pin 1 of a part, all pads of the other board, and what meets what."""
    other = _other(request, kept)
    first = next((i for i in copper_items(after) if i.kind == "pad" and split_pin(i.id)[0] == ref), None)
    yards = {ref: [list(p) for p in courtyards(after)[ref].exterior.coords]}
    if first is not None:
        yards[split_pin(first.id)[1]] = [list(p) for p in first.shape(0.15).simplify(0.05).exterior.coords]
    spots = other.spots if other else ()
    meets = [
        {
            "x": m.spot.x,
            "y": m.spot.y,
            "clash": m.clash,
            "says": f"{m.pin} {m.net or '–'} / {m.spot.net or '?'}",
        }
        for m in meetings(after, ref, spots)
    ]
    ones = {(s.x, s.y) for s in spots if s.pin and split_pin(s.pin)[1] == "1"}
    return {"yards": yards, "other": [[s.x, s.y, (s.x, s.y) in ones] for s in spots], "meets": meets}


@router.post("/d/{id}/proposals/fit/{ref}/{number}")
def take_fit(request: Request, id: str, ref: str, number: int) -> dict[str, Any]:
    """Put a part where it meets the other board, and lock it there."""
    kept = store_of(request).get(id)
    edit, label = _offer(request, kept, ref, number), f"{ref} meets the other board"
    return answer(request, store_of(request).edit(id, edit, label, kept.version), label)
