"""The circuit page: the drawn sheet, the connection list, and the slip of a part, pin or net."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, get_args

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse
from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.board.geometry import copper_items
from vane_step.core.circuit.capture import connections
from vane_step.core.circuit.sheet import SHEET_WIDTH, sheet
from vane_step.core.design.edits import AddPart, SetItem, net_of, part_of
from vane_step.core.design.model import Design, NetRole, PinRole, natural, pin_name, split_pin
from vane_step.core.errors import NotFound
from vane_step.core.exchange import read_packages
from vane_step.core.parts.packages import package as own_package
from vane_step.core.parts.part import part_from
from vane_step.core.parts.pinfiles import read_pins
from vane_step.core.power import trace
from vane_step.web.pages.changes import answer
from vane_step.web.render import decoded, page, step_page, store_of
from vane_step.web.view import findings_of

router = APIRouter()


@router.get("/d/{id}/circuit", response_class=HTMLResponse)
def circuit(request: Request, id: str, show: str = "sheet") -> HTMLResponse:
    """Show the sheet or the connection list."""
    kept = store_of(request).get(id)
    return step_page(request, kept, "circuit", {"sheet": sheet(kept.design), "show": show, "nets": _nets(kept.design)})


@router.post("/d/{id}/packages")
async def bring_packages(
    request: Request, id: str, file: UploadFile, version: Annotated[int, Form()]
) -> RedirectResponse:
    """Bring packages of one's own into a design, from a JSON file as in an exchange folder."""
    text = decoded(await file.read(), file.filename or "packages")
    for package in read_packages(text, file.filename or "packages").values():
        label = f"bring package {package.name}"
        kept = store_of(request).edit(id, SetItem(package=package), label, version)
        version = kept.version
        answer(request, kept, label)
    return RedirectResponse(f"/d/{id}/circuit", 303)


class ConnectionList(BaseModel):
    """A pasted connection list and the version it is for."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(max_length=200_000)
    version: int


@router.post("/d/{id}/connections")
def paste_connections(request: Request, id: str, body: ConnectionList) -> dict[str, Any]:
    """Connect everything a pasted list names, as one edit."""
    edit = connections(store_of(request).get(id).design, body.text)
    label = f"{len(edit.edits)} nets from a list"
    return answer(request, store_of(request).edit(id, edit, label, body.version), label)


@router.post("/d/{id}/part")
async def bring_part(
    request: Request, id: str, file: UploadFile, version: Annotated[int, Form()],
    ref: Annotated[str, Form(max_length=40)], package: Annotated[str, Form(max_length=80)],
    choice: Annotated[str, Form(max_length=80)] = "",
) -> RedirectResponse:  # fmt: skip
    """Add a part whose pins come from a BSDL or IBIS file or a table."""
    design = store_of(request).get(id).design
    name = file.filename or "pins"
    table = read_pins(decoded(await file.read(), name), name, choice)
    pack = design.packages.get(package) or own_package(package, design.board.rules.etched)
    edit, label = AddPart(part=part_from(ref, pack, table=table), package=pack), f"add {ref} from {name}"[:120]
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
) -> HTMLResponse:
    """Give the drawn sheet alone, as wide as the page has room."""
    kept = store_of(request).get(id)
    data = {"sheet": sheet(kept.design, width), "show": show, "nets": _nets(kept.design)}
    return page(request, "_sheet.html", {"kept": kept, "design": kept.design, **data})


@router.get("/d/{id}/slip", response_class=HTMLResponse)
def slip(request: Request, id: str, kind: str, key: str) -> HTMLResponse:
    """Give all that is known of a part, pins, a net or a piece of copper."""
    kept = store_of(request).get(id)
    if kind not in SLIPS:
        raise NotFound(f"There is nothing of kind {kind}.", where=kind, allowed=", ".join(SLIPS))
    about = SLIPS[kind](kept.design, key)
    mine = [
        f for f in findings_of(kept.design) if kind in ("part", "net") and (key in f.place.refs or key == f.place.net)
    ]
    data = {"kept": kept, "design": kept.design, "kind": kind, "key": key, "findings": mine[:4], **about}
    return page(request, "_slip.html", data)


def _about_part(design: Design, key: str) -> dict[str, Any]:
    part = part_of(design, key)
    pins = [(p, design.net_of(pin_name(key, p.number))) for p in part.pins]
    return {"part": part, "package": design.packages[part.package], "pins": pins}


def _about_pins(design: Design, key: str) -> dict[str, Any]:
    """Look up the pins chosen, separated by commas; those that are gone meanwhile are left out."""
    pins = []
    for name in key.split(","):
        ref, number = split_pin(name)
        pin = design.parts[ref].pin(number) if ref in design.parts else None
        if pin is not None:
            pins.append((name, pin, design.net_of(name)))
    return {"pins": pins, "roles": get_args(PinRole)}


def _about_net(design: Design, key: str) -> dict[str, Any]:
    net, rule = net_of(design, key), design.rule_of(key)
    length = sum(i.spine.length for i in copper_items(design) if i.kind == "track" and i.net == key)
    answer = None
    if rule.current:
        amps, rise, copper = rule.current.current_a, rule.current.rise_k, design.board.rules.copper_um
        width = rule.width_nm / 1e6
        answer = trace.trace(amps, rise, copper, "outer", width=width, length=max(length, 0.01))
    return {"net": net, "rule": rule, "length": length, "answer": answer, "net_roles": get_args(NetRole)}


def _about_copper(design: Design, key: str) -> dict[str, Any]:
    found = design.tracks.get(key) or design.vias.get(key) or design.jumpers.get(key)
    if found is None:
        raise NotFound(f"There is no copper {key}.", where=key)
    return {"copper": found, "rule": design.rule_of(found.net)}


SLIPS: dict[str, Callable[[Design, str], dict[str, Any]]] = {
    "part": _about_part, "pins": _about_pins, "net": _about_net, "copper": _about_copper,
}  # fmt: skip
