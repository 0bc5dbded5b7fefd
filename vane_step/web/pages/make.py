"""The make page: files for a board manufacturer as read back; what is made at home is in ``etching``, ``etch_log``."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, Response

from vane_step.core.design.model import SECTIONS
from vane_step.core.errors import NotFound, VaneStepError
from vane_step.core.etch.methods import METHODS
from vane_step.core.fab.panel import PanelPlan
from vane_step.core.fab.standard_words import Breach
from vane_step.core.judge import waived_findings
from vane_step.core.order.sources import sources_of
from vane_step.importers import held_to_standards
from vane_step.store.designs import Kept
from vane_step.web.made import MadePanel, MadeRelease, made_panel, made_release
from vane_step.web.pages.assembling import assembly_data
from vane_step.web.pages.both_ways import both_data
from vane_step.web.pages.etch_log import bath_data
from vane_step.web.pages.etching import drilling_data, sheets_data
from vane_step.web.pages.ordering import orders_data, quotes_data
from vane_step.web.render import page, resources_of, step_page, store_of
from vane_step.web.works import Work, Works

router = APIRouter()
# How long a request waits for an answer before it tells that the work is under way.
MOMENT_S = 0.5


WAYS = {"order": "Order from a manufacturer", "etch": "Make it at home", "both": "Order or etch?"}
PARTS = {
    "order": {"files": "Files", "assembly": "Assembly", "quotes": "Quotes", "orders": "Orders"},
    "etch": {"sheets": "Sheets", "drilling": "Drilling", "bath": "Bath, steps and log"},
    "both": {"both": "Both ways"},
}


@router.get("/d/{id}/make", response_class=HTMLResponse)
def make(request: Request, id: str, manufacturing: str = "", part: str = "") -> HTMLResponse:
    """Show one of the two ways: ordering, or making it at home."""
    kept = store_of(request).get(id)
    manufacturing = manufacturing or ("etch" if kept.design.board.rules.etched else "order")
    if manufacturing not in WAYS:
        raise NotFound(
            f"There is no way of manufacturing called {manufacturing}.", where="make", allowed=", ".join(WAYS)
        )
    part = part or next(iter(PARTS[manufacturing]))
    if part not in PARTS[manufacturing]:
        raise NotFound(f"Making has no {part}.", where="part", allowed=", ".join(PARTS[manufacturing]))
    data: dict[str, Any] = {
        "manufacturing": manufacturing,
        "manufacturings": WAYS,
        **part_data(request, kept, part),
    }
    return step_page(request, kept, "make", data)


def part_data(request: Request, kept: Kept, part: str) -> dict[str, Any]:
    """Give what one part of making shows.

    Raises
    ------
    NotFound
        For a part there is not.
    """
    kinds: dict[str, Callable[[Request, Kept], dict[str, Any]]] = {
        "sheets": sheets_data,
        "drilling": drilling_data,
        "bath": bath_data,
        "assembly": assembly_data,
        "quotes": quotes_data,
        "orders": orders_data,
        "both": both_data,
        "files": lambda request, kept: {},
    }
    if part not in kinds:
        raise NotFound(f"Making has no {part}.", where="part", allowed=", ".join(kinds))
    parts = next(some for some in PARTS.values() if part in some)
    return {"part": part, "parts_of_making": parts, "methods": METHODS, **kinds[part](request, kept)}


@router.get("/d/{id}/make/{part}", response_class=HTMLResponse)
def fragment(request: Request, id: str, part: str) -> HTMLResponse:
    """Show one part of making anew: another plan, another tool, another design."""
    kept = store_of(request).get(id)
    data = {"kept": kept, "design": kept.design, **part_data(request, kept, part)}
    return page(request, f"_etch_{part}.html" if part in PARTS["etch"] else f"_make_{part}.html", data)


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


def _release(request: Request, kept: Kept) -> Work:
    works: Works = request.app.state.works
    marks = tuple(kept.design.digest(section) for section in SECTIONS)
    sources = sources_of(kept.design, resources_of(request).catalogue)
    return works.of(
        ("release", kept.id),
        (marks, kept.changed_at, sources),
        made_release,
        kept.design,
        kept.changed_at,
        sources,
    )


def _panel(request: Request, kept: Kept, plan: PanelPlan) -> Work:
    works: Works = request.app.state.works
    marks = tuple(kept.design.digest(section) for section in SECTIONS)
    sources = sources_of(kept.design, resources_of(request).catalogue)
    return works.of(
        ("panel", kept.id),
        (plan, marks, kept.changed_at, sources),
        made_panel,
        kept.design,
        plan,
        kept.changed_at,
        sources,
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
