"""Places on another board that its files leave open: each can be seen and taken; how they are found is not here."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from vane_step.core.board.geometry import copper_items, courtyards
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Part, split_pin
from vane_step.core.errors import NotFound
from vane_step.core.fab.mating import Offer
from vane_step.store.designs import Kept
from vane_step.web.pages.changes import answer
from vane_step.web.render import store_of

router = APIRouter()


def asked_of(request: Request, kept: Kept) -> dict[str, tuple[Offer, ...]]:
    """Give the places on another board that are still to be decided, by part."""
    asked: dict[str, tuple[Offer, ...]] = request.app.state.asked.get(kept.id, {})
    parts = kept.design.parts
    return {ref: some for ref, some in asked.items() if ref in parts and not _locked(parts[ref])}


def _locked(part: Part) -> bool:
    return part.place is not None and part.place.locked


def _offer(request: Request, kept: Kept, ref: str, number: int) -> PlaceParts:
    some = asked_of(request, kept).get(ref, ())
    if not 0 <= number < len(some):
        raise NotFound(
            f"There is no such place for {ref} to decide.", where=ref, next_step="Bring the other board's files anew."
        )
    return PlaceParts(places={ref: some[number].place.model_copy(update={"locked": True})})


@router.get("/d/{id}/proposals/fit/{ref}/{number}")
def fit_shown(request: Request, id: str, ref: str, number: int) -> dict[str, Any]:
    """Give where a part would lie on another board, and its pin 1, to be shown before the place is taken."""
    kept = store_of(request).get(id)
    after = apply(kept.design, _offer(request, kept, ref, number))[0]
    first = next((i for i in copper_items(after) if i.kind == "pad" and split_pin(i.id)[0] == ref), None)
    yards = {ref: [list(p) for p in courtyards(after)[ref].exterior.coords]}
    if first is not None:
        yards[split_pin(first.id)[1]] = [list(p) for p in first.shape(0.15).simplify(0.05).exterior.coords]
    return {"yards": yards}


@router.post("/d/{id}/proposals/fit/{ref}/{number}")
def take_fit(request: Request, id: str, ref: str, number: int) -> dict[str, Any]:
    """Put a part where it meets the other board, and lock it there."""
    kept = store_of(request).get(id)
    edit, label = _offer(request, kept, ref, number), f"{ref} meets the other board"
    return answer(request, store_of(request).edit(id, edit, label, kept.version), label)
