"""A route that came for an earlier state of a board: it waits beside the board until it is applied or discarded."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict

from vane_step.core.board.tracks.fitting import still_fitting
from vane_step.core.errors import EditRefused, NotFound
from vane_step.web.pages.changes import answer, remember_board
from vane_step.web.render import store_of

router = APIRouter()


class Late(BaseModel):
    """Whether the waiting route is applied, on the version a page shows; else it is discarded."""

    model_config = ConfigDict(extra="forbid")
    version: int
    apply: bool


@router.post("/d/{id}/late")
def settle(request: Request, id: str, body: Late) -> dict[str, Any]:
    """Apply what still fits of a route that came late, or discard it."""
    kept = store_of(request).get(id)
    edit = request.app.state.late.pop(id, None)
    if edit is None:
        raise NotFound("No route waits for this board.", where=id, next_step="Route it again.")
    if not body.apply:
        request.app.state.events.publish(id, "version", {"version": kept.version})
        return {"says": "the route was discarded", "version": kept.version}
    fitting, off = still_fitting(kept.design, edit)
    if fitting is None:
        raise EditRefused(
            "None of the tracks found fit the board any more.", where=id, next_step="Route again."
        )
    label = f"apply a route, {len(off)} nets left out" if off else "apply a route"
    after = store_of(request).edit(id, fitting, label, body.version)
    remember_board(request, after)
    says = f"no longer fit: {', '.join(off[:8])}" if off else "all of it fits"
    return {**answer(request, after, label), "says": says}
