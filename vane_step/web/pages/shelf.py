"""The shelf: which designs there are, starting one, bringing one in; nothing of any step."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from fastapi import APIRouter, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from vane_step.core.board.check import figures
from vane_step.core.board.geometry import CopperItem, copper_items, outline
from vane_step.core.design.fileformat import from_json, json_schema, to_json
from vane_step.core.design.model import PointNm
from vane_step.core.errors import InputError
from vane_step.core.exchange import FILES, read_exchange
from vane_step.core.fab.release import slug
from vane_step.store.designs import DesignStore
from vane_step.web.render import decoded, page, store_of
from vane_step.web.view import findings_of

router = APIRouter()


@router.get("/", response_class=HTMLResponse)
def shelf(request: Request) -> HTMLResponse:
    """Show the designs and how each of them stands."""
    store = store_of(request)
    cards = []
    for id, _, _, changed in store.shelf():
        design = store.get(id).design
        found = findings_of(design)
        x0, y0, x1, y1 = outline(design).bounds
        rings = (outline(design).exterior, *outline(design).interiors)
        shape = "".join("M" + "L".join(f"{x:.2f} {-y:.2f}" for x, y in ring.coords) + "Z" for ring in rings)
        cards.append(
            {
                "id": id, "design": design, "changed": changed, "figures": figures(design), "size": (x1 - x0, y1 - y0),
                "counts": {k: sum(1 for f in found if f.level == k) for k in ("stop", "look", "note")},
                "shape": shape, "view": f"{x0 - 1:.2f} {-y1 - 1:.2f} {x1 - x0 + 2:.2f} {y1 - y0 + 2:.2f}",
                "pads": [_pad(i) for i in copper_items(design) if i.kind == "pad"],
                "tracks": [(t.layer, _line(t.points), t.width_nm / 1e6) for t in design.tracks.values()],
            }
        )  # fmt: skip
    return page(request, "shelf.html", {"cards": cards, "design": None})


def _line(points: Iterable[PointNm]) -> str:
    return "M" + "L".join(f"{x / 1e6:.2f} {-y / 1e6:.2f}" for x, y in points)


def _pad(item: CopperItem) -> tuple[str, str]:
    ring = item.shape().simplify(0.05).exterior.coords
    return ("front" if len(item.layers) > 1 else item.layers[0]), "M" + "L".join(
        f"{x:.2f} {-y:.2f}" for x, y in ring
    ) + "Z"


def free_id(store: DesignStore, name: str) -> str:
    """Give an id for a new design that no other has."""
    taken = {row[0] for row in store.shelf()}
    base = slug(name)[:50]
    k = 1
    while (id := base if k == 1 else f"{base}-{k}") in taken:
        k += 1
    return id


@router.post("/bring")
async def bring(request: Request, files: list[UploadFile]) -> RedirectResponse:
    """Bring a design file in, or the files of an exchange folder together."""
    contents = {Path(f.filename or "upload").name: await f.read() for f in files}
    if len(contents) == 1 and not contents.keys() & set(FILES):
        name, content = next(iter(contents.items()))
        design = from_json(content, name)
    else:
        strange = sorted(contents.keys() - set(FILES))
        if strange:
            raise InputError(
                f"{strange[0]} is no file of an exchange folder.", where="upload", allowed=", ".join(FILES)
            )
        design = read_exchange({name: decoded(content, name) for name, content in contents.items()}, "exchange folder")
    id = free_id(store_of(request), design.name)
    store_of(request).add(id, design)
    return RedirectResponse(f"/d/{id}/board", 303)


@router.get("/d/{id}/design.json")
def design_file(request: Request, id: str) -> Response:
    """Give a design as a file."""
    kept = store_of(request).get(id)
    headers = {"Content-Disposition": f'attachment; filename="{slug(kept.design.name)}.json"'}
    return Response(to_json(kept.design), media_type="application/json", headers=headers)


@router.get("/schema/design.json")
def design_schema() -> dict[str, object]:
    """Give the JSON Schema of the design format."""
    return json_schema()


@router.get("/d/{id}")
def open_design(id: str) -> RedirectResponse:
    """Open a design at the step where it is most interesting."""
    return RedirectResponse(f"/d/{id}/board", 303)
