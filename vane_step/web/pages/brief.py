"""The brief page: requirements with their evidence, limits that bind, and starting a design by questions."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from vane_step.core.ask.reasons import SKILLS
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.brief.needs import MARKS, evidence, known_figures
from vane_step.core.circuit.blocks import use_block
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import validated
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.quantity import parse_length_nm, parse_value
from vane_step.data.shipped import rule_set
from vane_step.store.designs import Kept
from vane_step.web.findings_view import outside
from vane_step.web.pages.shelf import put_on_shelf
from vane_step.web.render import page, resources_of, step_page, store_of

router = APIRouter()
# From so many parts a block is a beginning by itself.
WHOLE = 6
MANUFACTURING = {
    "order": ("standard-house", 2),
    "order-four": ("four-layer-house", 4),
    "etch": ("kitchen-table", 1),
}


def _told(request: Request, kept: Kept) -> dict[str, Any]:
    more = outside(kept, store_of(request).shared).figures
    found = evidence(kept.design, more)
    known = {**known_figures(kept.design), **more}
    by = {state: sum(1 for e in found if e.state == state) for state in MARKS}
    return {
        "kept": kept,
        "design": kept.design,
        "needs": found,
        "figures": known,
        "by": by,
        "marks": MARKS,
        "skills": _skills(kept),
        "brief": kept.design.brief,
    }


def _skills(kept: Kept) -> str:
    brief = kept.design.brief
    return next(
        k
        for k, v in SKILLS.items()
        if v == (brief.through_hole_only, brief.no_leadless or brief.through_hole_only)
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
    return page(
        request, "new.html", {"design": None, "told": {}, "error": None, "library": _library(request)}
    )


def _library(request: Request) -> list[dict[str, Any]]:
    """List the blocks a design can begin with; those of many parts are whole beginnings."""
    known = sorted(resources_of(request).blocks.values(), key=lambda b: b.name.lower())
    return [{"block": b, "whole": len(b.parts) >= WHOLE} for b in known]


@router.post("/new", response_model=None)
def new(
    request: Request,
    name: Annotated[str, Form(max_length=80)] = "",
    size: Annotated[str, Form(max_length=40)] = "",
    manufacturing: Annotated[str, Form(max_length=20)] = "",
    purpose: Annotated[str, Form(max_length=2000)] = "",
    supply: Annotated[str, Form(max_length=40)] = "",
    skills: Annotated[str, Form(max_length=20)] = "anything",
    quantity: Annotated[str, Form(max_length=10)] = "1",
    budget: Annotated[str, Form(max_length=20)] = "",
    date: Annotated[str, Form(max_length=10)] = "",
    wanted: Annotated[str, Form(max_length=4000)] = "",
    kit: Annotated[list[str] | None, Form(max_length=40)] = None,
) -> Response:
    """Start a design from the answers: its brief, its first requirements, its board and its maker's rules.

    An answer that cannot be used comes back with the page, what was typed kept.
    """
    told = {
        "name": name,
        "size": size,
        "manufacturing": manufacturing,
        "purpose": purpose,
        "supply": supply,
        "skills": skills,
        "quantity": quantity,
        "budget": budget,
        "date": date,
        "wanted": wanted,
    }
    try:
        design = _with_blocks(request, validated(_answers(told), "new design"), kit or [])
    except InputError as error:
        if "text/html" not in request.headers.get("accept", ""):
            raise
        data = {"design": None, "told": {**told, "kit": kit}, "error": error, "library": _library(request)}
        return page(request, "new.html", data, status=error.status)
    id = put_on_shelf(store_of(request), name, design)
    return RedirectResponse(f"/d/{id}/circuit" if design.parts else f"/d/{id}/brief", 303)


def _with_blocks(request: Request, design: Design, names: list[str]) -> Design:
    """Put blocks of the library into a new design, joined by the names of their supplies."""
    known = resources_of(request).blocks
    for name in names:
        if name not in known:
            raise InputError(
                f"There is no block {name}.", where="question 8", value=name, allowed=", ".join(known)
            )
        design = apply(design, use_block(design, known[name], {}))[0]
    return design


def _answers(told: dict[str, str]) -> dict[str, Any]:
    """Make a design's data of the answers."""
    if not told["name"].strip():
        raise InputError("The design has no name yet.", where="question 1", next_step="Give it a name.")
    if told["manufacturing"] not in MANUFACTURING or told["skills"] not in SKILLS:
        raise InputError(
            "That is no answer.", where="question 3 or 5", allowed=", ".join([*MANUFACTURING, *SKILLS])
        )
    wide, cross, tall = told["size"].lower().partition("x")
    if not cross:
        raise InputError(f"{told['size']!r} is no size.", where="question 4", allowed="60x40 in mm")
    w, h = parse_length_nm(wide, "question 4"), parse_length_nm(tall, "question 4")
    if not (2e6 <= w <= 6e8 and 2e6 <= h <= 6e8):
        raise InputError(
            "That is no board.", where="question 4", value=told["size"], allowed="2 to 600 mm a side"
        )
    rules, layers = MANUFACTURING[told["manufacturing"]]
    only, none = SKILLS[told["skills"]]
    return {
        "name": told["name"],
        "board": {"outline": rectangle(w / 1e6, h / 1e6), "copper_layers": layers, "rules": rule_set(rules)},
        "brief": {
            "purpose": told["purpose"],
            "max_width_nm": w,
            "max_height_nm": h,
            "manufacturing": "etch" if told["manufacturing"] == "etch" else "order",
            "through_hole_only": only,
            "no_leadless": none,
            "quantity": told["quantity"],
            "date": told["date"],
            "budget": parse_value(told["budget"], "question 6") if told["budget"].strip() else None,
        },
        "requirements": _wanted(told["supply"], told["wanted"]),
    }


def _wanted(supply: str, wanted: str) -> dict[str, dict[str, Any]]:
    """Make requirements of the answers: the supply first, then one a line; a line that ends in ``?`` is a wish."""
    found: dict[str, dict[str, Any]] = {}
    texts = [f"Runs from {supply.strip()}"] if supply.strip() else []
    for text in [*texts, *(line.strip() for line in wanted.splitlines() if line.strip())][:40]:
        id = f"Q{len(found) + 1}"
        level = "wish" if text.endswith("?") else "must"
        found[id] = {"id": id, "text": text.rstrip("? ")[:200], "level": level}
    return found
