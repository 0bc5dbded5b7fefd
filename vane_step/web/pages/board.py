"""The board page: what the board view draws and the placement list."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse

from vane_step.core.board.analysis.current_loops import loops
from vane_step.core.board.analysis.return_paths import return_paths
from vane_step.core.board.analysis.score import score as score_of, scoreboard
from vane_step.core.board.geometry.diff_pairs import sense_pairs
from vane_step.core.board.geometry.filled_shapes import ink
from vane_step.core.board.geometry.shapes import courtyards, outline
from vane_step.core.board.placement.gate_swap import with_channels
from vane_step.core.board.placement.placer import Arrangement
from vane_step.core.design.edits import Edit, SetItem, apply
from vane_step.core.design.model import RuleSet, natural
from vane_step.core.design.rulefigures import FIGURES, shown
from vane_step.core.errors import NotFound
from vane_step.core.quantity import parse_length_nm
from vane_step.importers import files_of_another_board, is_drawing, legend_picture, outline_file
from vane_step.store.designs import Kept
from vane_step.web.pages.changes import answer, board_state, remember_board
from vane_step.web.pages.fits import asked_of, met_of
from vane_step.web.render import page, resources_of, step_page, store_of
from vane_step.web.view import board_view

router = APIRouter()


def _makers(request: Request) -> dict[str, Any]:
    """Give the rule sets there are, by house and by method, and what their figures are called."""
    known = resources_of(request)
    makers: dict[str, list[RuleSet]] = {}
    for rules in sorted(known.rules.values(), key=lambda r: (r.etched, r.name in known.own_rules)):
        makers.setdefault("Etched by hand" if rules.etched else "Ordered from a house", []).append(rules)
    return {
        "rules": known.rules,
        "makers": makers,
        "own_rules": known.own_rules,
        "shipped_rules": known.rules.keys() - known.own_rules,
        "figures": [f for f in FIGURES.values() if f.kind != "prices"],
        "figure_of": shown,
    }


def _told(request: Request, kept: Kept) -> dict[str, Any]:
    """Give what the selection of the board shows while nothing is chosen."""
    design = kept.design
    x0, y0, x1, y1 = outline(design).bounds
    state = request.app.state
    board, proposals = state.proposals.get(kept.id, ((), []))
    advised, advice = state.advice.get(kept.id, (kept.version, []))
    return {
        "kept": kept,
        "design": design,
        "score": scoreboard(design),
        **_makers(request),
        "accepted": store_of(request).accepted(kept.id),
        "now": score_of(design),
        "asked": asked_of(request, kept),
        "met": met_of(request, kept),
        "late": state.late.get(kept.id),
        "proposals": proposals if proposals and board == board_state(design) else [],
        "advice": advice if advised == kept.version else [],
        "parts": sorted(design.parts.values(), key=lambda p: natural(p.ref)),
        "channels": next(with_channels(design), None),
        "size": f"{x1 - x0:g}x{y1 - y0:g}",
        "radius": design.board.corner_radius_nm / 1e6,
    }


@router.get("/d/{id}/board", response_class=HTMLResponse)
def board(request: Request, id: str) -> HTMLResponse:
    """Show the board."""
    kept = store_of(request).get(id)
    return step_page(request, kept, "board", _told(request, kept))


@router.get("/d/{id}/board.json")
def board_data(request: Request, id: str) -> dict[str, Any]:
    """Give what the board view draws."""
    return board_view(store_of(request).get(id))


@router.get("/d/{id}/score", response_class=HTMLResponse)
def score(request: Request, id: str) -> HTMLResponse:
    """Give the board's figures and its placement list alone."""
    return page(request, "_score.html", _told(request, store_of(request).get(id)))


@router.get("/d/{id}/paths", response_class=HTMLResponse)
def paths(request: Request, id: str) -> HTMLResponse:
    """Give how the signals get back, worst first."""
    kept = store_of(request).get(id)
    design = kept.design
    return page(
        request,
        "_paths.html",
        {
            "kept": kept,
            "design": design,
            "paths": return_paths(design),
            "loops": loops(design),
            "pairs": sense_pairs(design),
        },
    )


@router.get("/d/{id}/proposals/{number}")
def proposal(request: Request, id: str, number: int) -> dict[str, Any]:
    """Give the places of a proposed arrangement, to be shown on the board before it is taken."""
    kept = store_of(request).get(id)
    edit = _proposal(request, kept, number).edit
    after = apply(kept.design, edit)[0]
    return {"yards": {r: [list(p) for p in yard.exterior.coords] for r, yard in courtyards(after).items()}}


@router.post("/d/{id}/proposals/{number}")
def take_proposal(request: Request, id: str, number: int) -> dict[str, Any]:
    """Take a proposed arrangement; it can be undone like any change."""
    kept = store_of(request).get(id)
    found = _proposal(request, kept, number)
    label = "tidied arrangement" if found.tidied else f"arrangement {number + 1}"
    after = store_of(request).edit(id, found.edit, label, kept.version)
    remember_board(request, after)
    return answer(request, after, label)


def _proposal(request: Request, kept: Kept, number: int) -> Arrangement:
    board, proposals = request.app.state.proposals.get(kept.id, ((), []))
    if board != board_state(kept.design) or not 0 <= number < len(proposals):
        raise NotFound(
            "That arrangement is no longer proposed: the design has changed.",
            where=f"proposal {number + 1}",
            next_step="Type: arrange all",
        )
    found: Arrangement = proposals[number]
    return found


@router.post("/d/{id}/picture")
def print_picture(
    request: Request,
    id: str,
    file: UploadFile,
    version: Annotated[int, Form()],
    width: Annotated[str, Form(max_length=20)],
    x: Annotated[str, Form(max_length=20)],
    y: Annotated[str, Form(max_length=20)],
    side: Annotated[Literal["front", "back"], Form()] = "front",
) -> RedirectResponse:
    """Trace a picture and print it on the legend."""
    design = store_of(request).get(id).design
    name = file.filename or "picture"
    wide = parse_length_nm(width, "width") / 1e6
    rings = legend_picture(file.file.read(), name, wide, design.board.rules.legend_width_nm / 1e6)
    at = parse_length_nm(x, "x"), parse_length_nm(y, "y")
    edit = SetItem(text=ink(design, name.rpartition(".")[0] or name, rings, at, side))
    answer(
        request,
        store_of(request).edit(id, edit, f"print {name}", version),
        f"{name} is printed on the {side}",
    )
    return RedirectResponse(f"/d/{id}/board", 303)


@router.post("/d/{id}/outline")
def bring_outline(
    request: Request,
    id: str,
    file: list[UploadFile],
    version: Annotated[int, Form()],
    width: Annotated[str, Form(max_length=20)] = "",
) -> RedirectResponse:
    """Take the outline from a drawing or a picture as wide as said, or all that matters from another board's files."""
    files = {f.filename or "outline": f.file.read() for f in file}
    name, data = next(iter(files.items()))
    if len(files) == 1 and is_drawing(name):
        wide = parse_length_nm(width, "width") / 1e6 if width.strip() else 0.0
        drawn = outline_file(data, name, wide)
        edit: Edit = drawn.edit(store_of(request).get(id).design)
        label = drawn.says()
    else:
        found = files_of_another_board(store_of(request).get(id).design, files)
        edit = found.edit
        ask_for = f", {len(found.asked)} to be decided" if found.asked else ""
        label = f"outline, {found.holes} holes and {len(found.placed)} places from another board{ask_for}"
        request.app.state.others[id] = found
    answer(request, store_of(request).edit(id, edit, label, version), label)
    return RedirectResponse(f"/d/{id}/board", 303)
