"""Parts, packages and rules of one's own: made or imported, checked, kept for all designs."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from vane_step.core.catalogue.own import Own, OwnPart, check_own, is_own, own_part, shelf_key
from vane_step.core.design.model import RuleSet
from vane_step.core.errors import InputError, NotFound
from vane_step.core.fab.release import slug
from vane_step.data.shipped import catalogue, rule_sets
from vane_step.importers import own_parts
from vane_step.web.log import log
from vane_step.web.render import catalogue_of, store_of

router = APIRouter()
Short = Annotated[str, Form(max_length=120)]


@router.post("/d/{id}/own-part")
def keep(
    request: Request,
    id: str,
    number: Short,
    title: Short,
    category: Short,
    package: Short,
    pins: Annotated[str, Form(max_length=20_000)] = "",
    figures: Annotated[str, Form(max_length=4_000)] = "",
) -> RedirectResponse:
    """Keep a part of one's own, with a package of this design or of the program; it serves all designs."""
    kept = store_of(request).get(id)
    part = own_part(
        catalogue_of(request),
        number.strip(),
        title.strip(),
        category.strip(),
        package.strip(),
        pins,
        figures,
        kept.design.packages,
    )
    store_of(request).shared.keep_part(part.number, part.model_dump_json())
    log.info("own part", design=id, number=part.number)
    return RedirectResponse(f"/d/{id}/parts?show=catalogue&q={part.number}", 303)


@router.post("/d/{id}/own-parts/import")
def bring(
    request: Request, id: str, file: UploadFile, then: Annotated[Literal["", "board"], Form()] = ""
) -> RedirectResponse:
    """Import parts, packages and rules of one's own from a file that was downloaded here or elsewhere."""
    found = own_parts(file.file.read(), file.filename or "own parts")
    for own in found:
        if isinstance(own, OwnPart):
            check_own(own, catalogue())
    for own in found:
        _keep(request, own)
    return RedirectResponse(f"/d/{id}/board" if then else f"/d/{id}/parts?show=catalogue", 303)


def _keep(request: Request, own: Own) -> None:
    if isinstance(own, RuleSet) and own.name in rule_sets():
        raise InputError(
            f"{own.name} are the rules of a house.",
            where="name",
            value=own.name,
            next_step="Give yours another name.",
        )
    store_of(request).shared.keep_part(shelf_key(own), own.model_dump_json())


@router.post("/d/{id}/own-rules")
def keep_rules(request: Request, id: str) -> RedirectResponse:
    """Keep the rules of this design for all designs."""
    rules = store_of(request).get(id).design.board.rules
    _keep(request, rules)
    log.info("own rules", design=id, name=rules.name)
    return RedirectResponse(f"/d/{id}/board", 303)


@router.post("/d/{id}/own-rules/remove")
def remove_rules(request: Request, id: str) -> RedirectResponse:
    """Keep the rules of this design no longer for all designs."""
    store_of(request).shared.forget_part(f"rules {store_of(request).get(id).design.board.rules.name}")
    return RedirectResponse(f"/d/{id}/board", 303)


@router.get("/d/{id}/rules.json")
def download_rules(request: Request, id: str) -> Response:
    """Give the rules a design is made by as a file, for another machine or the terminal."""
    rules = store_of(request).get(id).design.board.rules
    headers = {"Content-Disposition": f'attachment; filename="{slug(rules.name)}.json"'}
    return Response(rules.model_dump_json(indent=1), media_type="application/json", headers=headers)


@router.post("/d/{id}/own-package")
def keep_package(request: Request, id: str, name: Short) -> RedirectResponse:
    """Keep a package of this design for all designs: any of them adds parts of it by its name."""
    pack = store_of(request).get(id).design.packages.get(name)
    if pack is None or not is_own(pack):
        raise NotFound(
            f"There is no package {name} of your own in this design.",
            where=name,
            next_step="Choose one of its land patterns.",
        )
    store_of(request).shared.keep_part(shelf_key(pack), pack.model_dump_json())
    log.info("own package", design=id, name=name)
    return RedirectResponse(f"/d/{id}/parts?show=patterns", 303)


@router.post("/d/{id}/own-package/remove")
def remove_package(request: Request, id: str, name: Short) -> RedirectResponse:
    """Keep a package no longer for all designs; those that have it keep it."""
    store_of(request).shared.forget_part(f"package {name}")
    return RedirectResponse(f"/d/{id}/parts?show=patterns", 303)


@router.get("/own-parts.json")
def download(request: Request) -> Response:
    """Give all parts and packages of one's own as a file, for another machine or the terminal."""
    content = "[\n" + ",\n".join(store_of(request).shared.parts().values()) + "\n]\n"
    headers = {"Content-Disposition": 'attachment; filename="own-parts.json"'}
    return Response(content, media_type="application/json", headers=headers)


@router.post("/d/{id}/own-part/remove")
def remove(request: Request, id: str, number: Short) -> RedirectResponse:
    """Remove a part of one's own; designs keep what they took of it."""
    store_of(request).shared.forget_part(number)
    return RedirectResponse(f"/d/{id}/parts?show=catalogue", 303)
