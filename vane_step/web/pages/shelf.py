"""The shelf: which designs there are, importing one, the bin, and what is damaged; nothing of any step."""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from vane_step.core.board.copper.figures import figures
from vane_step.core.board.geometry.shapes import CopperItem, copper_items, outline
from vane_step.core.design.fileformat import json_schema, to_json
from vane_step.core.design.model import Design, PointNm
from vane_step.core.errors import DamagedDesign, VaneStepError
from vane_step.core.exchange import FILES
from vane_step.core.fab.release import slug
from vane_step.core.memo import MEMO
from vane_step.importers import design_file as imported_design, exchange_folder
from vane_step.store.designs import DesignStore, Kept
from vane_step.web.log import log
from vane_step.web.render import page, store_of
from vane_step.web.view import findings_of

router = APIRouter()


@router.get("/", response_class=HTMLResponse)
def shelf(request: Request) -> HTMLResponse:
    """Show the designs and how each of them stands; one that cannot be read hides no other."""
    store = store_of(request)
    cards = [_card_or_damage(store, id, name, changed) for id, name, _, changed in store.shelf()]
    for card in cards:
        card["counts"] = _counted.get((card["id"], card.get("version", 0), card["changed"]))
    return page(request, "shelf.html", {"cards": cards, "binned": store.shelf(binned=True), "design": None})


def _card_or_damage(store: DesignStore, id: str, name: str, changed: str) -> dict[str, Any]:
    try:
        return _card(store.get(id))
    except VaneStepError as error:
        says = error.message
    except Exception as error:
        # Whatever a page of this design would fail by, the shelf shows the others.
        log.error("shelf", design=id, error=repr(error), exc_info=error)
        says = "It can be read and not be shown"
    return {"id": id, "name": name, "changed": changed, "damaged": says}


def _card(kept: Kept) -> dict[str, Any]:
    key = ("card", kept.id, kept.version, kept.changed_at)
    known: dict[str, Any] | None = MEMO.get(key)
    if known is not None:
        return known
    design = kept.design
    x0, y0, x1, y1 = outline(design).bounds
    rings = (outline(design).exterior, *outline(design).interiors)
    shape = "".join("M" + "L".join(f"{x:.2f} {-y:.2f}" for x, y in ring.coords) + "Z" for ring in rings)
    card = {
        "id": kept.id,
        "name": design.name,
        "title": design.title,
        "layers": design.board.copper_layers,
        "changed": kept.changed_at,
        "figures": figures(design),
        "size": (x1 - x0, y1 - y0),
        "version": kept.version,
        "shape": shape,
        "view": f"{x0 - 1:.2f} {-y1 - 1:.2f} {x1 - x0 + 2:.2f} {y1 - y0 + 2:.2f}",
        "pads": [_pad(i) for i in copper_items(design) if i.kind == "pad"],
        "tracks": [(t.layer, _line(t.points), t.width_nm / 1e6) for t in design.tracks.values()],
        "damaged": "",
    }
    MEMO.put(key, card, like="card")
    return card


@router.get("/d/{id}/counts", response_class=HTMLResponse)
def counts(request: Request, id: str) -> HTMLResponse:
    """Judge a design for its card: how many of its findings are stops, how many are to look at.

    A shelf of many designs is there at once; its cards ask for this one by one where nobody has judged them yet.
    """
    kept = store_of(request).get(id)
    found = findings_of(kept.design)
    told = {level: sum(1 for f in found if f.level == level) for level in ("stop", "look")}
    while len(_counted) >= MOST_COUNTED:
        _counted.pop(next(iter(_counted)))
    _counted[(kept.id, kept.version, kept.changed_at)] = told
    return page(request, "_counts.html", {"counts": told})


# What is judged already, by design, version and time: a few bytes each, so that it outlasts all that is larger.
MOST_COUNTED = 2000
_counted: dict[tuple[str, int, str], dict[str, int]] = {}


def _line(points: Iterable[PointNm]) -> str:
    return "M" + "L".join(f"{x / 1e6:.2f} {-y / 1e6:.2f}" for x, y in points)


def _pad(item: CopperItem) -> tuple[str, str]:
    ring = item.shape().simplify(0.05).exterior.coords
    return ("front" if len(item.layers) > 1 else item.layers[0]), "M" + "L".join(
        f"{x:.2f} {-y:.2f}" for x, y in ring
    ) + "Z"


def put_on_shelf(store: DesignStore, name: str, design: Design) -> str:
    """Add a design under an id made of its name that no other has, on the shelf or in the bin, and give the id."""
    return store.add(slug(name)[:50], design, numbered=True).id


@router.post("/import")
def import_design(request: Request, files: list[UploadFile]) -> RedirectResponse:
    """Import a design file, or the files of an exchange folder together."""
    contents = {Path(f.filename or "upload").name: f.file.read() for f in files}
    if len(contents) == 1 and not contents.keys() & set(FILES):
        name, content = next(iter(contents.items()))
        design = imported_design(content, name)
    else:
        design = exchange_folder(contents, "exchange folder")
    id = put_on_shelf(store_of(request), design.name, design)
    log.info("import", design=id, files=sorted(contents), parts=len(design.parts))
    return RedirectResponse(f"/d/{id}/board", 303)


@router.post("/d/{id}/copy")
def copy(request: Request, id: str) -> RedirectResponse:
    """Begin a design with a copy of another: all of it, without its history, under a name of its own."""
    store = store_of(request)
    old = store.get(id).design
    names = {name for _, name, *_ in (*store.shelf(), *store.shelf(binned=True))}
    title, number = f"{old.name[:70]} copy", 2
    while title in names:
        title, number = f"{old.name[:70]} copy {number}", number + 1
    new = put_on_shelf(store, title, old.replaced(name=title))
    log.info("copy", design=new, of=id)
    return RedirectResponse(f"/d/{new}/brief", 303)


@router.post("/d/{id}/delete")
def delete(request: Request, id: str) -> RedirectResponse:
    """Put a design in the bin."""
    store_of(request).put_in_bin(id)
    return RedirectResponse("/#bin", 303)


@router.post("/d/{id}/put-back")
def put_back(request: Request, id: str) -> RedirectResponse:
    """Take a design out of the bin."""
    store_of(request).take_out_of_bin(id)
    return RedirectResponse("/", 303)


@router.post("/d/{id}/delete-for-good")
def delete_for_good(request: Request, id: str) -> RedirectResponse:
    """Delete a design in the bin with its whole history."""
    store_of(request).delete(id)
    return RedirectResponse("/#bin", 303)


@router.post("/d/{id}/last-good")
def open_last_good(request: Request, id: str) -> RedirectResponse:
    """Put the last version of a damaged design that can be read on the shelf, as a design of its own."""
    store = store_of(request)
    design, seq, last = store.last_good(id)
    fresh = put_on_shelf(store, f"{id} rescued", design)
    log.info("rescued", design=id, to=fresh, change=seq, of=last)
    return RedirectResponse(f"/d/{fresh}/board", 303)


@router.get("/d/{id}/rescue.json")
def rescue_file(request: Request, id: str) -> Response:
    """Give all that is stored of a design as it lies there, readable or not."""
    text = json.dumps(store_of(request).raw(id), indent=1)
    headers = {"Content-Disposition": f'attachment; filename="{slug(id)}-rescue.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.get("/d/{id}/design.json")
def design_file(request: Request, id: str) -> Response:
    """Give a design as a file; of a damaged one, the last version that can be read."""
    store = store_of(request)
    try:
        design = store.get(id).design
    except DamagedDesign:
        design = store.last_good(id)[0]
    headers = {"Content-Disposition": f'attachment; filename="{slug(design.name)}.json"'}
    return Response(to_json(design), media_type="application/json", headers=headers)


@router.get("/schema/design.json")
def design_schema() -> dict[str, object]:
    """Give the JSON Schema of the design format."""
    return json_schema()


@router.get("/d/{id}")
def open_design(id: str) -> RedirectResponse:
    """Open a design at the step where it is most interesting."""
    return RedirectResponse(f"/d/{slug(id)}/board", 303)
