"""Pages for files of any board: choosing them, and looking at them with measures, makers, nets and differences."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.fab.release import write_files
from vane_step.core.inspect.look import Look
from vane_step.core.inspect.roles import DRILLS, KINDS, SIDED, role_of
from vane_step.core.memo import MEMO
from vane_step.importers import looked_at
from vane_step.store.inspected import Inspected
from vane_step.web.render import page, resources_of, store_of
from vane_step.workbench.makers import Makers, kept_makers

router = APIRouter()


def _kept(request: Request) -> Inspected:
    return Inspected(request.app.state.settings.data / "inspected")


@router.get("/inspect", response_class=HTMLResponse)
def choose(request: Request) -> HTMLResponse:
    """Ask for files, and list those that were looked at last."""
    return page(request, "inspect_choose.html", {"recent": _kept(request).recent(), "design": None})


@router.post("/inspect")
def put(request: Request, files: list[UploadFile]) -> RedirectResponse:
    """Keep files and go to look at them."""
    key = _kept(request).put({f.filename or "file": f.file.read() for f in files})
    return RedirectResponse(f"/inspect/{key}", status_code=303)


@router.get("/d/{id}/inspect")
def of_design(request: Request, id: str) -> RedirectResponse:
    """Write a design's files for a manufacturer and go to look at them."""
    key = _of_design(request, id)
    return RedirectResponse(f"/inspect/{key}?design={id}", status_code=303)


def _of_design(request: Request, id: str) -> str:
    kept = store_of(request).get(id)
    files = {name: text.encode() for name, text in write_files(kept.design, kept.changed_at).items()}
    return _kept(request).put(files, f"{kept.design.name}, version {kept.version}")


@router.get("/inspect/{key}", response_class=HTMLResponse)
def show(request: Request, key: str, against: str = "", design: str = "") -> HTMLResponse:
    """Show files of a board: what each is, measures against makers, holes, differences; the drawing comes after."""
    _, said, title = _kept(request).get(key)
    try:
        look: Look | None = _look(request, key, against)
        refused: VaneStepError | None = None
    except InputError as error:
        look, refused = None, error
    roles = [k if k not in SIDED else f"{k} {s}" for k in KINDS for s in _sides(k)]
    data: dict[str, Any] = {
        "key": key,
        "title": title,
        "look": look,
        "refused": refused,
        "silent": _makers(request).silent,
        "titles": {m.key: m.title for m in look.measures} if look else {},
        "table": {(v.key, v.maker): v for v in look.verdicts} if look else {},
        "role_of": {f.name: f.role for f in look.files} if look else {},
        "roles": [r for r in roles if r != "drill"],
        "said": said,
        "against": against,
        "other": _kept(request).get(against)[2] if against else "",
        "recent": [(k, t) for k, t in _kept(request).recent() if k != key],
        "of": design,
        "design": None,
    }
    return page(request, "inspect.html", data)


def _sides(kind: str) -> tuple[str, ...]:
    if kind not in SIDED:
        return ("",)
    return ("front", "back", *(f"in{k}" for k in range(1, 9))) if kind == "copper" else ("front", "back")


def _makers(request: Request) -> Makers:
    return kept_makers(
        store_of(request), request.app.state.houses.address, resources_of(request).rules.values()
    )


def _look(request: Request, key: str, against: str) -> Look:
    kept = _kept(request)
    files, said, _ = kept.get(key)
    other = kept.get(against)[0] if against else None
    makers = _makers(request).makers
    mark = ("looked", key, tuple(sorted(said.items())), against, tuple(repr(m) for m in makers))
    known: Look | None = MEMO.get(mark)
    return known or MEMO.put(mark, looked_at(files, said, makers, other), like="looked")


@router.get("/inspect/{key}/board.json")
def drawn(request: Request, key: str, against: str = "") -> Response:
    """Give the drawing of the files."""
    return Response(_look(request, key, against).drawn, media_type="application/json")


@router.post("/inspect/{key}/role")
def set_role(
    request: Request, key: str, file: Annotated[str, Form()], role: Annotated[str, Form()] = ""
) -> RedirectResponse:
    """Keep what a person says a file is."""
    if role and role not in DRILLS:
        role_of(role)
    _kept(request).say(key, file, role)
    return RedirectResponse(f"/inspect/{key}", status_code=303)


@router.post("/inspect/{key}/against")
def hold_against(request: Request, key: str, files: list[UploadFile]) -> RedirectResponse:
    """Keep other files, and hold these against them."""
    kept = _kept(request)
    kept.get(key)
    other = kept.put({f.filename or "file": f.file.read() for f in files})
    return RedirectResponse(f"/inspect/{key}?against={other}", status_code=303)
