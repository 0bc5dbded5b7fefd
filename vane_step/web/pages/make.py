"""The make page: files for a board manufacturer as read back, and artwork for the kitchen table."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, Response

from vane_step.core.design.model import SECTIONS, Design, Side
from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.etch import artwork, sheets
from vane_step.core.etch.drillplan import drill_plan
from vane_step.core.etch.joints import both_sides
from vane_step.core.etch.mirror import CAUTIONS, METHODS, method_of, proof
from vane_step.core.fab.panel import PanelPlan
from vane_step.core.fab.standard_words import Breach
from vane_step.core.judge import waived_findings
from vane_step.importers import held_to_standards
from vane_step.store.designs import Kept
from vane_step.web.made import MadePanel, MadeRelease, made_panel, made_release
from vane_step.web.render import page, step_page, store_of
from vane_step.web.works import Work, Works

router = APIRouter()
SIDES: tuple[Side, Side] = ("front", "back")
# How long a request waits for an answer before it tells that the work is under way.
MOMENT_S = 0.5


@router.get("/d/{id}/make", response_class=HTMLResponse)
def make(
    request: Request, id: str, manufacturing: str = "", method: str = "toner", copies: int = 1
) -> HTMLResponse:
    """Show one of the two roads: ordering, or etching at home."""
    kept = store_of(request).get(id)
    manufacturing = manufacturing or ("etch" if kept.design.board.rules.etched else "order")
    if manufacturing not in ("order", "etch"):
        raise NotFound(
            f"There is no way of manufacturing called {manufacturing}.", where="make", allowed="order, etch"
        )
    data: dict[str, Any] = {"manufacturing": manufacturing}
    if manufacturing == "etch":
        chosen = method_of(method)
        fit = _copies_that_fit(kept.design)
        data |= {
            "method": chosen,
            "methods": METHODS,
            "copies": max(1, min(copies, fit)),
            "fit": fit,
            "cautions": CAUTIONS,
            "drills": drill_plan(kept.design),
            "joints": both_sides(kept.design),
            "findings": artwork.etch_findings(kept.design, chosen),
            "sides": [
                (s, proof(chosen, s), chosen.mirrored(s)) for s in SIDES if s in kept.design.board.layers
            ],
        }
    return step_page(request, kept, "make", data)


@router.post("/d/{id}/standards", response_class=HTMLResponse)
def standards(request: Request, id: str, file: list[UploadFile]) -> HTMLResponse:
    """Hold any files for a board house against their standards, and tell every breach."""
    kept = store_of(request).get(id)
    names: list[str] = []
    breaches: list[Breach] = []
    refused: VaneStepError | None = None
    try:
        names, breaches = held_to_standards({f.filename or "file": f.file.read() for f in file})
    except VaneStepError as error:
        refused = error
    errors = sum(b.grade == "error" for b in breaches)
    data = {"kept": kept, "names": names, "breaches": breaches, "errors": errors, "refused": refused}
    return page(request, "_standards.html", data)


def _copies_that_fit(design: Design) -> int:
    fit = 0
    while True:
        try:
            artwork.grid_of_copies(design, fit + 1)
        except InputError:
            return fit
        fit += 1


def _release(request: Request, kept: Kept) -> Work:
    works: Works = request.app.state.works
    marks = tuple(kept.design.digest(section) for section in SECTIONS)
    return works.of(
        ("release", kept.id), (marks, kept.changed_at), made_release, kept.design, kept.changed_at
    )


def _panel(request: Request, kept: Kept, plan: PanelPlan) -> Work:
    works: Works = request.app.state.works
    marks = tuple(kept.design.digest(section) for section in SECTIONS)
    return works.of(
        ("panel", kept.id), (plan, marks, kept.changed_at), made_panel, kept.design, plan, kept.changed_at
    )


def _done(work: Work) -> Any:
    """Wait for the end of some work; the request waits, nobody else does."""
    work.done.wait()
    return work.answer()


def _under_way(request: Request, id: str, work: Work, what: str, fields: dict[str, Any]) -> HTMLResponse:
    data = {"id": id, "what": what, "seconds": work.seconds(), "fields": fields}
    return page(request, "_working.html", data)


@router.get("/d/{id}/release", response_class=HTMLResponse)
def release_fragment(request: Request, id: str) -> HTMLResponse:
    """Write the release, read it back and show what the maker will see; while that takes, how long it has taken."""
    kept = store_of(request).get(id)
    work = _release(request, kept)
    if not work.done.wait(MOMENT_S):
        return _under_way(request, id, work, "release", {})
    return page(
        request,
        "_release.html",
        {
            "kept": kept,
            "design": kept.design,
            "made": work.answer(),
            "downloads": store_of(request).releases(id)[:5],
            "waived": waived_findings(kept.design),
        },
    )


@router.post("/d/{id}/release.zip")
def release_zip(request: Request, id: str) -> Response:
    """Give the release as a zip and record that it was; refused by stops, and when the files differ from the design."""
    kept = store_of(request).get(id)
    made: MadeRelease = _done(_release(request, kept))
    answer = _as_file(made)
    store_of(request).take_release(id, kept.version, made.digest)
    return answer


def _as_file(made: MadeRelease) -> Response:
    if made.refusal is not None:
        raise made.refusal
    name = f"{made.name}-{made.digest}.zip"
    return Response(
        made.zipped,
        media_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


def plan_of(
    columns: Annotated[int, Form(ge=1, le=100)] = 2,
    rows: Annotated[int, Form(ge=1, le=100)] = 1,
    turned: Annotated[bool, Form()] = False,
    gap: Annotated[float, Form(ge=0, le=50)] = 2.0,
    rail: Annotated[float, Form(ge=0, le=50)] = 5.0,
    joint: Annotated[Literal["tabs", "score"], Form()] = "tabs",
) -> PanelPlan:
    """Read how a panel is wanted."""
    return PanelPlan(columns, rows, turned, gap, rail, joint)


@router.post("/d/{id}/panel.zip")
def panel_zip(request: Request, id: str, plan: Annotated[PanelPlan, Depends(plan_of)]) -> Response:
    """Give the release of a panel of the board as a zip; refused by stops, and when the files differ from it."""
    made: MadePanel = _done(_panel(request, store_of(request).get(id), plan))
    return _as_file(made.release)


@router.post("/d/{id}/panel", response_class=HTMLResponse)
def panel_shown(request: Request, id: str, plan: Annotated[PanelPlan, Depends(plan_of)]) -> HTMLResponse:
    """Show a panel of the board: its boards with what is milled away, its size, and what the check says of it."""
    work = _panel(request, store_of(request).get(id), plan)
    fields = {
        "columns": plan.columns,
        "rows": plan.rows,
        "turned": str(plan.turned).lower(),
        "gap": plan.gap_mm,
        "rail": plan.rail_mm,
        "joint": plan.joint,
    }
    if not work.done.wait(MOMENT_S):
        return _under_way(request, id, work, "panel", fields)
    made: MadePanel = work.answer()
    return page(
        request, "_panel.html", {"id": id, "fields": fields, "made": made, "count": plan.columns * plan.rows}
    )


@router.post("/d/{id}/stop-making/{what}", response_class=HTMLResponse)
def stop_making(request: Request, id: str, what: Literal["release", "panel"]) -> HTMLResponse:
    """Stop writing a release or a panel."""
    works: Works = request.app.state.works
    works.stop((what, id))
    return HTMLResponse('<p class="quiet">Stopped.</p>')


@router.get("/d/{id}/read/{name}.svg")
def read_layer(request: Request, id: str, name: str) -> Response:
    """Draw a file of the release as it was read back from its bytes."""
    made: MadeRelease = _done(_release(request, store_of(request).get(id)))
    drawn = {file: svg for file, _, svg in made.layers}
    if name not in drawn:
        raise NotFound(
            f"There is no file {name}.",
            where=name,
            allowed=", ".join(drawn),
            next_step="Choose a file of the list.",
        )
    return Response(drawn[name], media_type="image/svg+xml")


@router.get("/d/{id}/etch.pdf")
def etch_pdf(
    request: Request,
    id: str,
    method: str = "toner",
    copies: int = 1,
    across: float = 50.0,
    upwards: float = 50.0,
) -> Response:
    """Give the artwork as PDF at true scale."""
    kept = store_of(request).get(id)
    data = artwork.pdf(kept.design, method_of(method), copies, sheets.scale_of(across, upwards))
    return Response(
        data,
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{id}-{method}.pdf"'},
    )


@router.get("/d/{id}/etch.svg")
def etch_svg(
    request: Request,
    id: str,
    method: str = "toner",
    side: str = "back",
    copies: int = 1,
    across: float = 50.0,
    upwards: float = 50.0,
) -> Response:
    """Give one side's artwork as SVG at true scale."""
    kept = store_of(request).get(id)
    if side not in ("front", "back"):
        raise InputError(f"Side is {side!r}.", where="side", value=side, allowed="front, back")
    text = artwork.svg(kept.design, method_of(method), side, copies, sheets.scale_of(across, upwards))  # type: ignore[arg-type]
    return Response(text, media_type="image/svg+xml")
