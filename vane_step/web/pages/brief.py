"""The brief page: requirements with their evidence, limits that bind, and starting a design by questions."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse

from vane_step.core.ask.reasons import SKILLS
from vane_step.core.board.geometry import rectangle
from vane_step.core.brief.needs import MARKS, evidence, known_figures
from vane_step.core.design.fileformat import validated
from vane_step.core.errors import InputError
from vane_step.core.quantity import parse_length_nm, parse_value
from vane_step.data.shipped import rule_set
from vane_step.store.designs import Kept
from vane_step.web.pages.shelf import free_id
from vane_step.web.render import page, step_page, store_of
from vane_step.web.told import outside

router = APIRouter()
ROADS = {"order": ("standard-house", 2), "order-four": ("four-layer-house", 4), "etch": ("kitchen-table", 1)}


def _told(request: Request, kept: Kept) -> dict[str, Any]:
    more = outside(kept, store_of(request).shared).figures
    found = evidence(kept.design, more)
    known = {**known_figures(kept.design), **more}
    by = {state: sum(1 for e in found if e.state == state) for state in MARKS}
    return {
        "kept": kept, "design": kept.design, "needs": found, "figures": known, "by": by, "marks": MARKS,
        "skills": _skills(kept), "brief": kept.design.brief,
    }  # fmt: skip


def _skills(kept: Kept) -> str:
    brief = kept.design.brief
    return next(
        k for k, v in SKILLS.items() if v == (brief.through_hole_only, brief.no_leadless or brief.through_hole_only)
    )


@router.get("/d/{id}/brief", response_class=HTMLResponse)
def brief(request: Request, id: str) -> HTMLResponse:
    """Show what is wanted and how far it is shown."""
    kept = store_of(request).get(id)
    return step_page(request, kept, "brief", _told(request, kept))


@router.get("/d/{id}/brief/rows", response_class=HTMLResponse)
def brief_rows(request: Request, id: str) -> HTMLResponse:
    """Give the view alone."""
    kept = store_of(request).get(id)
    return page(request, "_brief.html", _told(request, kept))


@router.get("/new", response_class=HTMLResponse)
def questions(request: Request) -> HTMLResponse:
    """Ask what a new design is to be."""
    return page(request, "new.html", {"design": None})


@router.post("/new")
def new(
    request: Request, name: Annotated[str, Form(min_length=1, max_length=80)],
    size: Annotated[str, Form(max_length=40)], road: Annotated[str, Form(max_length=20)],
    purpose: Annotated[str, Form(max_length=2000)] = "", supply: Annotated[str, Form(max_length=40)] = "",
    skills: Annotated[str, Form(max_length=20)] = "anything",
    quantity: Annotated[int, Form(ge=1, le=100_000)] = 1, budget: Annotated[str, Form(max_length=20)] = "",
    date: Annotated[str, Form(max_length=10)] = "", wanted: Annotated[str, Form(max_length=4000)] = "",
) -> RedirectResponse:  # fmt: skip
    """Start a design from the answers: its brief, its first requirements, its board and its maker's rules."""
    if road not in ROADS or skills not in SKILLS:
        raise InputError("That is no answer.", where="road or skills", allowed=", ".join([*ROADS, *SKILLS]))
    wide, cross, tall = size.lower().partition("x")
    if not cross:
        raise InputError(f"{size!r} is no size.", where="size", value=size, allowed="60x40 in mm")
    w, h = parse_length_nm(wide, "size"), parse_length_nm(tall, "size")
    if not (2e6 <= w <= 6e8 and 2e6 <= h <= 6e8):
        raise InputError("That is no board.", where="size", value=size, allowed="2 to 600 mm a side")
    rules, layers = ROADS[road]
    only, none = SKILLS[skills]
    data = {
        "name": name,
        "board": {"outline": rectangle(w / 1e6, h / 1e6), "copper_layers": layers, "rules": rule_set(rules)},
        "brief": {
            "purpose": purpose, "max_width_nm": w, "max_height_nm": h, "road": "etch" if road == "etch" else "order",
            "through_hole_only": only, "no_leadless": none, "quantity": quantity, "date": date,
            "budget": parse_value(budget, "budget") if budget.strip() else None,
        },
        "requirements": _wanted(supply, wanted),
    }  # fmt: skip
    id = free_id(store_of(request), name)
    store_of(request).add(id, validated(data, "new design"))
    return RedirectResponse(f"/d/{id}/brief", 303)


def _wanted(supply: str, wanted: str) -> dict[str, dict[str, Any]]:
    """Make requirements of the answers: the supply first, then one a line; a line that ends in ``?`` is a wish."""
    found: dict[str, dict[str, Any]] = {}
    texts = [f"Runs from {supply.strip()}"] if supply.strip() else []
    for text in [*texts, *(line.strip() for line in wanted.splitlines() if line.strip())][:40]:
        id = f"Q{len(found) + 1}"
        level = "wish" if text.endswith("?") else "must"
        found[id] = {"id": id, "text": text.rstrip("? ")[:200], "level": level}
    return found
