"""Milling on the Make page: the ways drawn with their time, and the programs to take away."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.errors import VaneStepError
from vane_step.core.mill.mill_files import MilledBoard, mill, packed
from vane_step.core.mill.plan import plan_of
from vane_step.core.mill.tool_paths import SidePaths
from vane_step.web.render import page, store_of

router = APIRouter()


@router.get("/d/{id}/mill", response_class=HTMLResponse)
def milled(request: Request, id: str) -> HTMLResponse:
    """Show what milling a board takes: time, ways, what the tool cannot part."""
    kept = store_of(request).get(id)
    data: dict[str, Any] = {"kept": kept, "design": kept.design, "query": request.url.query, "refused": None}
    try:
        made = _made(request, id)
        x0, y0, x1, y1 = outline(kept.design).bounds
        size = (x1 - x0, y1 - y0)
        data |= {"made": made, "size": size, "paths": [_path(way, size[1]) for way in made.sides]}
    except VaneStepError as error:
        data["refused"] = error
    return page(request, "_mill.html", data)


@router.get("/d/{id}/mill.zip")
def programs(request: Request, id: str) -> Response:
    """Give the programs as a zip."""
    return Response(
        packed(_made(request, id)),
        media_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{id}-milling.zip"'},
    )


def _made(request: Request, id: str) -> MilledBoard:
    return mill(store_of(request).get(id).design, plan_of(dict(request.query_params)))


def _path(way: SidePaths, high: float) -> str:
    """Write the ways of a side as a drawing, y down."""
    return "".join("M" + "L".join(f"{x:.2f} {high - y:.2f}" for x, y in ring) + "Z" for ring in way.rings)
