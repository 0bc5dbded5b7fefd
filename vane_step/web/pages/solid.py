"""The board as solids and on paper: glTF, STL and the pattern to lay real parts on."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from vane_step.core.derive import alone
from vane_step.core.etch.paper import paper_pattern
from vane_step.core.etch.sheets import scale_of
from vane_step.core.solid.scene import glb, stl
from vane_step.web.render import store_of

router = APIRouter()


@router.get("/d/{id}/board.glb")
def board_glb(request: Request, id: str) -> Response:
    """Give the board with its parts as binary glTF."""
    with alone:
        data = glb(store_of(request).get(id).design)
    return _file(data, "model/gltf-binary", f"{id}.glb")


@router.get("/d/{id}/board.stl")
def board_stl(request: Request, id: str) -> Response:
    """Give the board with its parts as binary STL."""
    with alone:
        data = stl(store_of(request).get(id).design)
    return _file(data, "model/stl", f"{id}.stl")


@router.get("/d/{id}/paper.pdf")
def paper(request: Request, id: str, across: float = 50.0, upwards: float = 50.0) -> Response:
    """Give the board on paper at true scale, to put the real parts on."""
    data = paper_pattern(store_of(request).get(id).design, scale_of(across, upwards))
    return Response(
        data,
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{id}-paper.pdf"'},
    )


def _file(data: bytes, kind: str, name: str) -> Response:
    return Response(data, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
