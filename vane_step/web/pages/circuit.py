"""The circuit page: the drawn sheet, the connection list, and the slip of a part, pin or net."""

from __future__ import annotations

from fastapi import APIRouter, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse

from vane_step.core.board.geometry import copper_items
from vane_step.core.circuit.sheet import sheet
from vane_step.core.design.edits import SetItem, net_of, part_of
from vane_step.core.design.model import Design, natural, pin_name, split_pin
from vane_step.core.errors import InputError, NotFound
from vane_step.core.exchange import read_packages
from vane_step.core.power import trace
from vane_step.web.pages.changes import answer
from vane_step.web.render import page, step_page, store_of
from vane_step.web.view import findings_of

router = APIRouter()


@router.get("/d/{id}/circuit", response_class=HTMLResponse)
def circuit(request: Request, id: str, show: str = "sheet") -> HTMLResponse:
    """Show the sheet or the connection list."""
    kept = store_of(request).get(id)
    return step_page(request, kept, "circuit", {"sheet": sheet(kept.design), "show": show, "nets": _nets(kept.design)})


@router.post("/d/{id}/packages")
async def bring_packages(request: Request, id: str, file: UploadFile) -> RedirectResponse:
    """Bring packages of one's own into a design, from a JSON file as in an exchange folder."""
    try:
        text = (await file.read()).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError("It is not UTF-8 text.", where=file.filename or "packages") from error
    for package in read_packages(text, file.filename or "packages").values():
        label = f"bring package {package.name}"
        answer(request, store_of(request).edit(id, SetItem(package=package), label), label)
    return RedirectResponse(f"/d/{id}/circuit", 303)


def _nets(design: Design) -> list[tuple[str, str, list[str]]]:
    nets = sorted(design.nets.values(), key=lambda n: natural(n.name))
    return [(n.name, n.role, sorted(n.pins, key=natural)) for n in nets]


@router.get("/d/{id}/sheet", response_class=HTMLResponse)
def sheet_fragment(request: Request, id: str, show: str = "sheet") -> HTMLResponse:
    """Give the drawn sheet alone."""
    kept = store_of(request).get(id)
    return page(
        request,
        "_sheet.html",
        {"kept": kept, "design": kept.design, "sheet": sheet(kept.design), "show": show, "nets": _nets(kept.design)},
    )


@router.get("/d/{id}/slip", response_class=HTMLResponse)
def slip(request: Request, id: str, kind: str, key: str) -> HTMLResponse:
    """Give all that is known of a part, pin, net or piece of copper."""
    kept = store_of(request).get(id)
    design = kept.design
    data = {"kept": kept, "design": design, "kind": kind, "key": key}
    if kind == "part":
        part = part_of(design, key)
        data |= {
            "part": part,
            "package": design.packages[part.package],
            "pins": [(p, design.net_of(pin_name(key, p.number))) for p in part.pins],
        }
    elif kind == "pins":
        chosen = [
            p for p in key.split(",") if (part := design.parts.get(split_pin(p)[0])) and part.pin(split_pin(p)[1])
        ]
        data |= {"pins": [(p, design.parts[split_pin(p)[0]].pin(split_pin(p)[1]), design.net_of(p)) for p in chosen]}
    elif kind == "net":
        net = net_of(design, key)
        rule = design.rule_of(key)
        length = sum(i.spine.length for i in copper_items(design) if i.kind == "track" and i.net == key)
        answer = None
        if rule.current:
            answer = trace.trace(
                rule.current.current_a,
                rule.current.rise_k,
                design.board.rules.copper_um,
                "outer",
                width=rule.width_nm / 1e6,
                length=max(length, 0.01),
            )
        data |= {"net": net, "rule": rule, "length": length, "answer": answer}
    elif kind == "copper":
        found = next((s[key] for s in (design.tracks, design.vias, design.jumpers) if key in s), None)
        if found is None:
            raise NotFound(f"There is no copper {key}.", where=key)
        data |= {"copper": found, "rule": design.rule_of(found.net)}
    else:
        raise NotFound(f"There is nothing of kind {kind}.", where=kind)
    data["findings"] = (
        [f for f in findings_of(design) if key in f.place.refs or key == f.place.net][:4]
        if kind in ("part", "net")
        else []
    )
    return page(request, "_slip.html", data)
