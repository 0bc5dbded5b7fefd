"""The circuit page: the drawn sheet, the connection list, and the selection of a part, pin or net."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.circuit.variants import fitted
from vane_step.core.design.edits import AddPart, SetItem, Together
from vane_step.core.design.model import Design, natural
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.part import part_from
from vane_step.core.patterns.packages import package as own_package
from vane_step.core.power.formulas import FORMULAS
from vane_step.core.reasons.calculations import reasons
from vane_step.core.sheet.export import sheet_svg, sheets_pdf
from vane_step.core.sheet.sheet import SHEET_WIDTH, sheet, sheet_names
from vane_step.importers import connection_list, package_file, pin_file
from vane_step.store.designs import Kept
from vane_step.web.pages.changes import answer
from vane_step.web.palette import palette
from vane_step.web.render import page, resources_of, step_page, store_of

router = APIRouter()


SHOWS = ("sheet", "list", "reasons", "blocks", "fit")


def _shown(request: Request, kept: Kept, show: str, width: float, page: str | None) -> dict[str, Any]:
    """Give what a view of the circuit shows."""
    design = kept.design
    if show not in SHOWS:
        raise NotFound(f"There is no view {show}.", where="circuit", allowed=", ".join(SHOWS))
    names = sheet_names(design)
    if page is not None and page not in names:
        page = None
    data: dict[str, Any] = {"show": show, "sheets": names, "page": page}
    if show == "sheet":
        data["sheet"] = sheet(design, width, page)
    elif show == "list":
        data["nets"] = _nets(design)
    elif show == "reasons":
        ranks = {"broken": 0, "stale": 1, "overruled": 2, "holds": 3}
        listed = sorted(reasons(design), key=lambda r: ranks[r.state])
        data |= {"reasons": listed, "stale": sum(1 for r in reasons(design) if r.state == "stale")}
    elif show == "blocks":
        library = resources_of(request).blocks
        own = set(store_of(request).shared.blocks())
        uses = [(b, [p.ref for p in design.parts.values() if p.block == b]) for b in _block_names(design)]
        data |= {"library": library, "own": own, "uses": uses}
    else:
        data |= {"variants": [("", "as drawn"), *((v.id, v.title or v.id) for v in design.variants.values())]}
        have = {v: fitted(design, v) for v, _ in data["variants"]}
        data |= {"have": have, "rows": _fit_rows(design, have)}
    return data


def _block_names(design: Design) -> list[str]:
    return list(dict.fromkeys(p.block for p in design.parts.values() if p.block))


def _fit_rows(design: Design, have: dict[str, dict[str, bool]]) -> list[Any]:
    """List the parts that some variant does not fit, that belong to a choice, or that are jumpers."""
    parts = sorted(design.parts.values(), key=lambda p: natural(p.ref))
    return [p for p in parts if p.choice or p.kind == "jumper" or not all(h[p.ref] for h in have.values())]


@router.get("/d/{id}/circuit", response_class=HTMLResponse)
def circuit(request: Request, id: str, show: str = "sheet", page: str | None = None) -> HTMLResponse:
    """Show the sheet, the connection list, the reasons of values, the blocks or the fit options."""
    kept = store_of(request).get(id)
    data = {"formulas": FORMULAS, "palette": palette(), **_shown(request, kept, show, SHEET_WIDTH, page)}
    return step_page(request, kept, "circuit", data)


@router.post("/d/{id}/packages")
def bring_packages(
    request: Request, id: str, file: UploadFile, version: Annotated[int, Form()]
) -> RedirectResponse:
    """Import packages of one's own into a design, from a JSON file as in an exchange folder, as one change."""
    found = package_file(file.file.read(), file.filename or "packages")
    if not found:
        raise InputError(
            "There is no package in it.",
            where=file.filename or "packages",
            next_step="Choose another file.",
        )
    edit = Together(edits=tuple(SetItem(package=package) for package in found.values()))
    few = ", ".join(list(found)[:4]) + (" …" if len(found) > 4 else "")
    label = f"import {few}"[:120]
    answer(request, store_of(request).edit(id, edit, label, version), label)
    return RedirectResponse(f"/d/{id}/circuit", 303)


class ConnectionList(BaseModel):
    """A pasted connection list and the version it is for."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(max_length=200_000)
    version: int


@router.post("/d/{id}/connections")
def paste_connections(request: Request, id: str, body: ConnectionList) -> dict[str, Any]:
    """Connect everything a pasted list names, as one edit."""
    edit = connection_list(store_of(request).get(id).design, body.text)
    label = f"{len(edit.edits)} nets from a list"
    return answer(request, store_of(request).edit(id, edit, label, body.version), label)


@router.post("/d/{id}/part")
def bring_part(
    request: Request,
    id: str,
    file: UploadFile,
    version: Annotated[int, Form()],
    ref: Annotated[str, Form(max_length=40)],
    package: Annotated[str, Form(max_length=80)],
    choice: Annotated[str, Form(max_length=80)] = "",
) -> RedirectResponse:
    """Add a part whose pins come from a BSDL or IBIS file or a table."""
    design = store_of(request).get(id).design
    name = file.filename or "pins"
    table = pin_file(file.file.read(), name, choice)
    pack = design.packages.get(package) or own_package(package, design.board.rules.etched)
    edit, label = (
        AddPart(part=part_from(ref, pack, table=table), package=pack),
        f"add {ref} from {name}"[:120],
    )
    answer(request, store_of(request).edit(id, edit, label, version), label)
    return RedirectResponse(f"/d/{id}/circuit", 303)


def _nets(design: Design) -> list[tuple[str, str, list[str]]]:
    nets = sorted(design.nets.values(), key=lambda n: natural(n.name))
    return [(n.name, n.role, sorted(n.pins, key=natural)) for n in nets]


@router.get("/d/{id}/sheet", response_class=HTMLResponse)
def sheet_fragment(
    request: Request,
    id: str,
    show: str = "sheet",
    width: Annotated[float, Query(ge=SHEET_WIDTH, le=4000)] = SHEET_WIDTH,
    sheet_page: Annotated[str | None, Query(alias="page")] = None,
) -> HTMLResponse:
    """Give a view of the circuit alone; the drawn sheet as wide as the page has room."""
    kept = store_of(request).get(id)
    data = _shown(request, kept, show, width, sheet_page)
    return page(request, "_sheet.html", {"kept": kept, "design": kept.design, **data})


@router.get("/d/{id}/sheets.pdf")
def sheets_file(request: Request, id: str) -> Response:
    """Give all sheets as one PDF."""
    kept = store_of(request).get(id)
    data = sheets_pdf(kept.design, f"version {kept.version}, {kept.changed_at[:10]}")
    headers = {"Content-Disposition": f'inline; filename="{id}-sheets.pdf"'}
    return Response(data, media_type="application/pdf", headers=headers)


@router.get("/d/{id}/sheet.svg")
def sheet_file(request: Request, id: str, page: str | None = None) -> Response:
    """Give the circuit, or one of its sheets, as SVG."""
    kept = store_of(request).get(id)
    text = sheet_svg(kept.design, page, f"version {kept.version}, {kept.changed_at[:10]}")
    headers = {"Content-Disposition": f'attachment; filename="{id}-sheet.svg"'}
    return Response(text, media_type="image/svg+xml", headers=headers)
