"""The make page: files for a board house as read back, and artwork for the kitchen table."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import HTMLResponse, Response
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.check import check
from vane_step.core.board.geometry import copper_items, outline
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import InputError, NotFound
from vane_step.core.etch import artwork, sheets
from vane_step.core.etch.drillplan import drill_plan
from vane_step.core.etch.joints import both_sides
from vane_step.core.etch.mirror import CAUTIONS, METHODS, method_of, proof
from vane_step.core.fab.panel import PanelPlan, panel
from vane_step.core.fab.release import release
from vane_step.web.render import page, step_page, store_of

router = APIRouter()
SIDES: tuple[Side, Side] = ("front", "back")
COLOURS = {"Copper": "copper", "Soldermask": "mask", "Paste": "paste", "Legend": "legend", "Profile": "profile"}


@router.get("/d/{id}/make", response_class=HTMLResponse)
def make(request: Request, id: str, road: str = "", method: str = "toner", copies: int = 1) -> HTMLResponse:
    """Show one of the two roads: ordering, or etching at home."""
    kept = store_of(request).get(id)
    road = road or ("etch" if kept.design.board.rules.etched else "order")
    if road not in ("order", "etch"):
        raise NotFound(f"There is no road {road}.", where="make", allowed="order, etch")
    data: dict[str, Any] = {"road": road}
    if road == "etch":
        chosen = method_of(method)
        fit = _copies_that_fit(kept.design)
        data |= {
            "method": chosen, "methods": METHODS, "copies": max(1, min(copies, fit)), "fit": fit, "cautions": CAUTIONS,
            "drills": drill_plan(kept.design), "joints": both_sides(kept.design),
            "findings": artwork.etch_findings(kept.design, chosen),
            "sides": [(s, proof(chosen, s), chosen.mirrored(s)) for s in SIDES if s in kept.design.board.layers],
        }  # fmt: skip
    return step_page(request, kept, "make", data)


def _copies_that_fit(design: Design) -> int:
    fit = 0
    while True:
        try:
            artwork.grid_of_copies(design, fit + 1)
        except InputError:
            return fit
        fit += 1


@router.get("/d/{id}/release", response_class=HTMLResponse)
def release_fragment(request: Request, id: str) -> HTMLResponse:
    """Write the release, read it back and show what the maker will see."""
    kept = store_of(request).get(id)
    made = release(kept.design, kept.changed_at)
    layers = [
        (name, layer.function, COLOURS.get(layer.function[0], "copper")) for name, layer in made.read.layers.items()
    ]
    return page(
        request, "_release.html",
        {
            "kept": kept, "design": kept.design, "made": made, "layers": layers,
            "taken": store_of(request).releases(id)[:5],
        },
    )  # fmt: skip


@router.post("/d/{id}/release.zip")
def release_zip(request: Request, id: str) -> Response:
    """Give the release as a zip and record that it was; refused by stops, and when the files differ from the design."""
    kept = store_of(request).get(id)
    made = release(kept.design, kept.changed_at)
    data = made.zipped()
    store_of(request).take_release(id, kept.version, made.digest())
    return Response(
        data,
        media_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{made.name}-{made.digest()}.zip"'},
    )


def plan_of(
    columns: Annotated[int, Form(ge=1, le=100)] = 2, rows: Annotated[int, Form(ge=1, le=100)] = 1,
    turned: Annotated[bool, Form()] = False, gap: Annotated[float, Form(ge=0, le=50)] = 2.0,
    rail: Annotated[float, Form(ge=0, le=50)] = 5.0, joint: Annotated[Literal["tabs", "score"], Form()] = "tabs",
) -> PanelPlan:  # fmt: skip
    """Read how a panel is wanted."""
    return PanelPlan(columns, rows, turned, gap, rail, joint)


@router.post("/d/{id}/panel.zip")
def panel_zip(request: Request, id: str, plan: Annotated[PanelPlan, Depends(plan_of)]) -> Response:
    """Give the release of a panel of the board as a zip; refused when the files differ from it."""
    kept = store_of(request).get(id)
    made = release(panel(kept.design, plan), kept.changed_at, kept.design)
    name = f"{made.name}-{made.digest()}.zip"
    return Response(
        made.zipped(), media_type="application/zip", headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )


@router.post("/d/{id}/panel", response_class=HTMLResponse)
def panel_shown(request: Request, id: str, plan: Annotated[PanelPlan, Depends(plan_of)]) -> HTMLResponse:
    """Show a panel of the board: its outline with what is milled away, its size, and what the check says of it."""
    made = panel(store_of(request).get(id).design, plan)
    shape = outline(made)
    x0, y0, x1, y1 = shape.bounds
    lines = [(a[0] / 1e6, -a[1] / 1e6, b[0] / 1e6, -b[1] / 1e6) for a, b in made.board.scores]
    pads = [(i.x_mm, -i.y_mm, max(0.4, i.width_mm / 2)) for i in copper_items(made) if i.kind == "pad"]
    data = {
        "id": id, "plan": plan, "path": _path(shape), "lines": lines, "pads": pads,
        "size": (x1 - x0, y1 - y0), "view": f"{x0 - 1:g} {-y1 - 1:g} {x1 - x0 + 2:g} {y1 - y0 + 2:g}",
        "count": plan.columns * plan.rows, "stops": [f for f in check(made).findings if f.level == "stop"],
    }  # fmt: skip
    return page(request, "_panel.html", data)


@router.get("/d/{id}/read/{name}.svg")
def read_layer(request: Request, id: str, name: str) -> Response:
    """Draw a file of the release as it was read back from its bytes."""
    kept = store_of(request).get(id)
    made = release(kept.design, kept.changed_at)
    layer = made.read.layers.get(name)
    if layer is None:
        raise NotFound(
            f"There is no file {name}.", where=name, allowed=", ".join(made.read.layers),
            next_step="Choose a file of the list.",
        )
    x0, y0, x1, y1 = outline(kept.design).bounds
    holes = [] if layer.function[0] != "Copper" else [h for d in made.read.drills.values() for h in d.holes]
    kind = COLOURS.get(layer.function[0], "copper")
    colour = {
        "copper": "#7b4b94" if "Bot" in layer.function else "#0f5e66",
        "mask": "#4a6572",
        "paste": "#6b6f72",
        "legend": "#20282d",
        "profile": "#20282d",
    }[kind]
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" '
        f'viewBox="{x0 - 1:.3f} {-y1 - 1:.3f} {x1 - x0 + 2:.3f} {y1 - y0 + 2:.3f}">'
        f'<path d="{_path(outline(kept.design))}" fill="#ece4cf" fill-rule="evenodd"/>'
        f'<path d="{_path(layer.image)}" fill="{colour}" fill-rule="evenodd"/>'
        + "".join(f'<circle cx="{x:.4f}" cy="{-y:.4f}" r="{d / 2:.4f}" fill="#fffdf7"/>' for x, y, d in holes)
        + "</svg>"
    )
    return Response(svg, media_type="image/svg+xml")


def _path(shape: BaseGeometry) -> str:
    rings = [
        r
        for p in getattr(shape, "geoms", [shape])
        if isinstance(p, Polygon) and not p.is_empty
        for r in (p.exterior, *p.interiors)
    ]
    return "".join("M" + "L".join(f"{x:.3f} {-y:.3f}" for x, y in ring.coords) + "Z" for ring in rings)


@router.get("/d/{id}/etch.pdf")
def etch_pdf(
    request: Request, id: str, method: str = "toner", copies: int = 1, across: float = 50.0, upwards: float = 50.0
) -> Response:
    """Give the artwork as PDF at true scale."""
    kept = store_of(request).get(id)
    data = artwork.pdf(kept.design, method_of(method), copies, sheets.scale_of(across, upwards))
    return Response(
        data, media_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{id}-{method}.pdf"'}
    )


@router.get("/d/{id}/etch.svg")
def etch_svg(
    request: Request,
    id: str,
    method: str = "toner",
    side: str = "back",
    copies: int = 1,
    across: float = 50.0,
    upwards: float = 50.0,
) -> Response:
    """Give one side's artwork as SVG at true scale."""
    kept = store_of(request).get(id)
    if side not in ("front", "back"):
        raise InputError(f"Side is {side!r}.", where="side", value=side, allowed="front, back")
    text = artwork.svg(kept.design, method_of(method), side, copies, sheets.scale_of(across, upwards))  # type: ignore[arg-type]
    return Response(text, media_type="image/svg+xml")
