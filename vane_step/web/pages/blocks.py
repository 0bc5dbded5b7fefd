"""Blocks kept for other designs, and parts copied from one sheet and set in on another."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.ask.copying import told
from vane_step.core.circuit.blocks import MAX_BYTES, block_from, block_json, take_block
from vane_step.core.circuit.copies import added_refs, copied, set_in
from vane_step.core.errors import EditRefused, NotFound
from vane_step.core.fab.release import slug
from vane_step.data.shipped import blocks
from vane_step.importers import block_file as imported_block
from vane_step.web.pages.changes import answer
from vane_step.web.render import resources_of, store_of

router = APIRouter()


@router.get("/d/{id}/clip")
def clip(request: Request, id: str, refs: Annotated[str, Query(max_length=8000)]) -> Response:
    """Give parts, named with commas between, as they are set in elsewhere: with what connects them."""
    saved = copied(store_of(request).get(id).design, refs.split(","))
    return Response(block_json(saved), media_type="application/json")


class Clip(BaseModel):
    """Copied parts to be set in, and the version they are for."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(max_length=MAX_BYTES)
    version: int


@router.post("/d/{id}/paste")
def paste(request: Request, id: str, body: Clip) -> dict[str, Any]:
    """Set copied parts in, as one change; tells what they are called and what they are joined to."""
    store = store_of(request)
    saved = block_from(body.text, "what was copied")
    design = store.get(id).design
    edit = set_in(design, saved)
    refs = added_refs(edit)
    count = f"{len(refs)} parts" if len(refs) > 1 else refs[0]
    says = f"sets in {told(design, edit)}"
    return {
        **answer(request, store.edit(id, edit, f"set in {count}", body.version), f"set in {count}"),
        "says": says,
        "refs": refs,
    }


class Keeping(BaseModel):
    """A block of the sheet to keep for other designs."""

    model_config = ConfigDict(extra="forbid")
    block: str = Field(max_length=60)
    name: str = Field(min_length=1, max_length=60)
    note: str = Field(default="", max_length=200)
    version: int = 0


@router.post("/d/{id}/keep-block")
def keep_block(request: Request, id: str, body: Keeping) -> dict[str, Any]:
    """Keep a block of this design in the library."""
    design = store_of(request).get(id).design
    if body.name in blocks():
        raise EditRefused(
            f"{body.name} is a block that ships with the program.",
            where=body.name,
            next_step="Name it otherwise.",
        )
    refs = [p.ref for p in design.parts.values() if p.block == body.block]
    saved = take_block(design, refs, body.name, body.note)
    about = design.blocks.get(body.block)
    if about:
        saved = saved.model_copy(update={"hints": about.hints, "worked": about.worked})
    store_of(request).shared.keep_block(body.name, block_json(saved))
    request.app.state.events.publish(id, "offers", {})
    return {"says": f"kept “{body.name}”, {len(saved.parts)} parts"}


@router.get("/blocks/{name}.json")
def block_file(request: Request, name: str) -> Response:
    """Give a block as a file."""
    found = resources_of(request).blocks.get(name)
    if found is None:
        raise NotFound(f"There is no block {name}.", where=name, next_step="Look at the library.")
    headers = {"Content-Disposition": f'attachment; filename="{slug(name)}.block.json"'}
    return Response(block_json(found), media_type="application/json", headers=headers)


@router.post("/d/{id}/import-block")
def bring_block(request: Request, id: str, file: UploadFile) -> RedirectResponse:
    """Bring a block from a file into the library."""
    name = file.filename or "block"
    saved = imported_block(file.file.read(), name)
    if saved.name in blocks():
        raise EditRefused(
            f"{saved.name} is a block that ships with the program.",
            where=name,
            next_step="Give yours another name.",
        )
    store_of(request).shared.keep_block(saved.name, block_json(saved))
    return RedirectResponse(f"/d/{id}/circuit?show=blocks", 303)


class Forgetting(BaseModel):
    """An own block to be removed from the library."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=60)
    version: int = 0


@router.post("/d/{id}/delete-block")
def forget_block(request: Request, id: str, body: Forgetting) -> dict[str, Any]:
    """Remove an own block from the library; designs that use it keep their parts."""
    store_of(request).shared.forget_block(body.name)
    request.app.state.events.publish(id, "offers", {})
    return {"says": f"forgot “{body.name}”"}
