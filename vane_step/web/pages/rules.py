"""The page of all rules: what a design is held against; the rules themselves are in ``core.rules``."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from vane_step.core.rules import RULES, Rule
from vane_step.web.render import page

router = APIRouter()


@router.get("/rules", response_class=HTMLResponse)
def all_rules(request: Request) -> HTMLResponse:
    """Show every rule by the part of the work it belongs to."""
    rooms: dict[str, list[Rule]] = {}
    for rule in RULES.values():
        rooms.setdefault(rule.room, []).append(rule)
    return page(request, "rules.html", {"rooms": rooms, "count": len(RULES), "design": None})
