"""The board page: what the board view draws and the placement list."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from vane_step.core.design.model import natural
from vane_step.data.shipped import rule_sets
from vane_step.web.render import page, step_page, store_of
from vane_step.web.view import board_view, scoreboard

router = APIRouter()


@router.get("/d/{id}/board", response_class=HTMLResponse)
def board(request: Request, id: str) -> HTMLResponse:
    """Show the board."""
    kept = store_of(request).get(id)
    parts = sorted(kept.design.parts.values(), key=lambda p: natural(p.ref))
    return step_page(request, kept, "board", {"parts": parts, "rules": rule_sets(), "score": scoreboard(kept.design)})


@router.get("/d/{id}/board.json")
def board_data(request: Request, id: str) -> dict[str, Any]:
    """Give what the board view draws."""
    return board_view(store_of(request).get(id))


@router.get("/d/{id}/score", response_class=HTMLResponse)
def score(request: Request, id: str) -> HTMLResponse:
    """Give the board's figures and its placement list alone."""
    kept = store_of(request).get(id)
    parts = sorted(kept.design.parts.values(), key=lambda p: natural(p.ref))
    return page(
        request,
        "_score.html",
        {"kept": kept, "design": kept.design, "score": scoreboard(kept.design), "rules": rule_sets(), "parts": parts},
    )
