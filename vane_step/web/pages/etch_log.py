"""Bath, steps and log of etching: what a board needs, the timer, what was seen; amounts are the core's."""

from __future__ import annotations

from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.errors import InputError
from vane_step.core.etch import cautions
from vane_step.core.etch.bath import ACID_PCT, CRYSTALS_G_L, PLENTY, SCHOOLS, needs, to_remove_g
from vane_step.core.etch.bath_time import BathState, expected
from vane_step.core.etch.danger import danger_places
from vane_step.core.etch.methods import method_of
from vane_step.core.etch.picture import Ink, picture
from vane_step.core.etch.plan import art_plan
from vane_step.core.etch.run import (
    KINDS,
    SEEN,
    eaten_g,
    learned,
)
from vane_step.core.etch.sheets import polygons
from vane_step.core.etch.steps import work_steps
from vane_step.core.quantity import parse_value
from vane_step.store.designs import Kept
from vane_step.web.pages.etching import left_copper
from vane_step.web.render import store_of
from vane_step.workbench import etchings
from vane_step.workbench.etchings import runs_of
from vane_step.workbench.things import bath_gone, baths_of, keep_bath, keep_printer, set_bits

router = APIRouter()


def bath_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give what the bath needs and takes, the steps, the run that is under way, and the log."""
    bench, design = store_of(request).bench, kept.design
    baths, mine, all_runs = baths_of(bench), runs_of(bench, kept.id), list(runs_of(bench).values())
    number = request.query_params.get("run", "")
    chosen = int(number) if number.isdigit() and int(number) in mine else max(mine, default=None)
    run = mine.get(chosen) if chosen is not None else None
    method = method_of(run.method if run else design.brief.method or "toner")
    plan = art_plan({"method": method.name})
    copies = run.copies if run else 1
    grams = to_remove_g(design, plan, copies)
    school = request.query_params.get("school", run.school if run else "ferric")
    if school not in SCHOOLS:
        raise InputError(
            f"There is no bath {school!r}.", where="school", value=school, allowed=", ".join(SCHOOLS)
        )
    percent = parse_value(request.query_params.get("acid") or "10", "acid")
    state = run.state if run and run.started_at else BathState(school, design.board.rules.copper_um)
    need = needs(grams)
    return {
        "method": method,
        "run": run,
        "run_number": chosen,
        "runs": mine,
        "steps": work_steps(method, design),
        "baths": {k: (b, eaten_g(k, all_runs)) for k, b in baths.items()},
        "schools": SCHOOLS,
        "school": school,
        "acid": percent,
        "acid_ml": need.acid_ml(percent),
        "needs": need,
        "plenty": PLENTY,
        "expected": expected(state, learned(all_runs)),
        "seen": SEEN,
        "defect_kinds": KINDS,
        "danger": danger_places(design, Ink(method.name)),
        "picture": _drawing(kept, method.name, _side(request, kept)),
        "side": _side(request, kept),
        "bath_cautions": cautions.BATH,
        "laws": cautions.LAWS,
        "ranges": (ACID_PCT, CRYSTALS_G_L),
        "today": store_of(request).shared.now().date().isoformat(),
        "left_copper": left_copper(request, kept, plan),
    }


def _side(request: Request, kept: Kept) -> str:
    wanted = request.query_params.get("side", "")
    sides = [s for s in ("front", "back") if s in kept.design.board.layers]
    return wanted if wanted in sides else sides[-1]


def _drawing(kept: Kept, method: str, side: str) -> dict[str, Any]:
    """Draw a side's copper as it is seen from that side, y down: back copper is mirrored."""
    design = kept.design
    x0, y0, x1, y1 = outline(design).bounds
    flip = side == "back"

    def at(x: float, y: float) -> tuple[float, float]:
        return (x0 + x1 - x if flip else x), y0 + y1 - y

    def path(rings: Any) -> str:
        return "".join(
            "M" + "L".join(f"{a:.2f} {b:.2f}" for a, b in (at(x, y) for x, y in r.coords[:-1])) + "Z"
            for r in rings
        )

    copper = picture(design, side, Ink(method)).copper.simplify(0.02)  # type: ignore[arg-type]
    edge = outline(design)
    return {
        "box": (x0 - 1, y0 - 1, x1 - x0 + 2, y1 - y0 + 2),
        "copper": "".join(path((p.exterior, *p.interiors)) for p in polygons(copper)),
        "edge": path((edge.exterior, *edge.interiors)),
        "at": at,
        "flip": flip,
        "sum_x": x0 + x1,
        "sum_y": y0 + y1,
    }


def _back(id: str, number: int | None = None, more: str = "") -> RedirectResponse:
    run = f"&run={number}" if number is not None else ""
    return RedirectResponse(f"/d/{id}/make?manufacturing=etch&part=bath{run}{more}", status_code=303)


@router.post("/d/{id}/etching")
def begin(
    request: Request,
    id: str,
    method: Annotated[str, Form()] = "",
    copies: Annotated[int, Form(ge=1, le=1000)] = 1,
) -> RedirectResponse:
    """Begin an etching of a design."""
    return _back(id, etchings.begin(store_of(request), id, method, copies))


@router.post("/d/{id}/etching/{number}/tick")
def tick(request: Request, id: str, number: int, step: Annotated[str, Form()]) -> RedirectResponse:
    """Tick a step off, or take the tick back."""
    etchings.tick(store_of(request), id, number, step)
    return _back(id, number, "#steps")


@router.post("/d/{id}/etching/{number}/start")
def start(
    request: Request,
    id: str,
    number: int,
    bath: Annotated[str, Form()] = "",
    temperature: Annotated[str, Form()] = "",
    moved: Annotated[bool, Form()] = False,
) -> RedirectResponse:
    """Start the timer."""
    etchings.start(store_of(request), id, number, bath, temperature, moved)
    return _back(id, number, "#timer")


@router.post("/d/{id}/etching/{number}/stop")
def stop(
    request: Request,
    id: str,
    number: int,
    seen: Annotated[str, Form()] = "",
    note: Annotated[str, Form()] = "",
) -> RedirectResponse:
    """Stop the timer with what is seen."""
    etchings.stop(store_of(request), id, number, seen, note)
    return _back(id, number, "#timer")


@router.post("/d/{id}/etching/{number}/fault")
def fault(
    request: Request,
    id: str,
    number: int,
    side: Annotated[str, Form()],
    x: Annotated[str, Form()],
    y: Annotated[str, Form()],
    kind: Annotated[str, Form()],
    note: Annotated[str, Form()] = "",
) -> RedirectResponse:
    """Write a fault down."""
    etchings.fault(store_of(request), id, number, side, x, y, kind, note)
    return _back(id, number, f"&side={side}#faults")


@router.post("/d/{id}/etching/{number}/mend/{fault}")
def mend(request: Request, id: str, number: int, fault: int) -> RedirectResponse:
    """Say that a fault is mended, or is not after all."""
    etchings.mend(store_of(request), id, number, fault)
    return _back(id, number, "#faults")


@router.post("/d/{id}/etching/{number}/delete")
def delete(request: Request, id: str, number: int) -> RedirectResponse:
    """Delete an etching from the log."""
    store_of(request).bench.change("etching", id, number, None)
    return _back(id)


# -- the bench --


@router.post("/d/{id}/bench/bath")
def bath(
    request: Request,
    id: str,
    name: Annotated[str, Form()],
    school: Annotated[str, Form()],
    volume: Annotated[str, Form()],
    strength: Annotated[str, Form()],
    made: Annotated[str, Form()] = "",
) -> RedirectResponse:
    """Keep a bath."""
    store = store_of(request)
    keep_bath(store.bench, name, school, volume, strength, made or store.shared.now().date())
    return _back(id, None, "#baths")


@router.post("/d/{id}/bench/bath/{key}/gone")
def gone(request: Request, id: str, key: str) -> RedirectResponse:
    """Say that a bath was handed in: it is not offered any more, its history stays."""
    store = store_of(request)
    bath_gone(store.bench, key, store.shared.now().date())
    return _back(id, None, "#baths")


@router.post("/d/{id}/bench/bit")
def bit(
    request: Request, id: str, size: Annotated[str, Form()], state: Annotated[str, Form()] = "whole"
) -> RedirectResponse:
    """Put a bit on the list of the bench, strike it off as broken, or take it off the list."""
    set_bits(store_of(request).bench, size, state)
    return RedirectResponse(f"/d/{id}/make?manufacturing=etch&part=drilling", status_code=303)


@router.post("/d/{id}/bench/printer")
def printer(
    request: Request,
    id: str,
    name: Annotated[str, Form()],
    across: Annotated[str, Form()] = "50",
    upwards: Annotated[str, Form()] = "50",
    margin: Annotated[str, Form()] = "10",
) -> RedirectResponse:
    """Keep what a printer's ruler measures with the paper that is in it."""
    made = keep_printer(store_of(request).bench, name, across, upwards, margin)
    return RedirectResponse(f"/d/{id}/make?manufacturing=etch&printer={quote(made.name)}", status_code=303)
