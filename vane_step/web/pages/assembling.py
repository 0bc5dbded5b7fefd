"""Assembly on the Make page: the stencil with what paste leaves badly, and placement files proved part by part."""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Sequence
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import VaneStepError
from vane_step.core.fab.assembly import Ring, SideDrawn, assembly_sides
from vane_step.core.fab.assembly_files import assembly_pdf
from vane_step.core.fab.conventions import (
    CONVENTIONS,
    Convention,
    Proof,
    convention_of,
    offset_deg,
    pin1_at,
    placement_as,
    proved,
)
from vane_step.core.fab.release import slug
from vane_step.core.fab.stencil import (
    FOILS_UM,
    FRAMES_MM,
    LEAST_RATIO,
    SIDES,
    Opening,
    best_foil_um,
    foil_of,
    stencil,
    stencil_file,
    stencil_files,
    stencil_findings,
)
from vane_step.store.designs import Kept
from vane_step.web.render import store_of
from vane_step.workbench.things import fitting_house, fitting_houses, keep_fitting_house, turns_said

router = APIRouter()
_PART = "/d/{}/make?manufacturing=order&part=assembly"
_WORDS = ("foil", "frame", "convention", "turns", "variant", "house", "was")


def _said(request: Request) -> dict[str, str]:
    """Read what an address says; a house chosen anew brings its own way of counting and its table."""
    said = {k: request.query_params.get(k, "") for k in _WORDS}
    if said["house"] and said["house"] != said["was"]:
        house = fitting_house(store_of(request).bench, said["house"])
        said |= {"convention": house.convention, "turns": house.said}
    return said


def _wanted(request: Request, design: Design) -> tuple[int, str, Convention, dict[str, float], str]:
    """Read foil, frame, convention, table of turns and variant from an address."""
    said = _said(request)
    foil = foil_of(said["foil"]) if said["foil"] else best_foil_um(design, said["variant"])
    way = convention_of(said["convention"] or "plain")
    return foil, said["frame"] or "none", way, turns_said(said["turns"]), said["variant"]


def assembly_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give the stencil of each side and the placement file with its proof."""
    design = kept.design
    data: dict[str, Any] = {
        "foils": FOILS_UM,
        "frames": FRAMES_MM,
        "conventions": CONVENTIONS,
        "turns": request.query_params.get("turns", ""),
        "house": request.query_params.get("house", ""),
        "houses": fitting_houses(store_of(request).bench),
        "least_ratio": LEAST_RATIO,
        "refused": None,
        "stencils": [],
        "query": request.url.query,
    }
    try:
        data["turns"] = _said(request)["turns"]
        foil, frame, convention, table, variant = _wanted(request, design)
        for side in SIDES:
            some = stencil(design, side, foil, variant)
            if some:
                stencil_file(design, side, "", foil, frame, variant)
                data["stencils"].append(_shown(design, side, some))
        rows = proved(design, placement_as(design, convention, table, variant), convention, table)
    except VaneStepError as error:
        return data | {
            "refused": error,
            "foil": 120,
            "frame": "none",
            "convention": CONVENTIONS["plain"],
            "rows": [],
            "pictures": [],
        }
    kinds = {
        design.packages[r.package].name: (
            r.package,
            offset_deg(design.packages[r.package], convention, table),
        )
        for r in rows
    }
    found = [f for s in SIDES for f in stencil_findings(design, s, foil, variant)]
    return data | {
        "foil": foil,
        "frame": frame,
        "convention": convention,
        "variant": variant,
        "rows": rows,
        "pictures": [_proof(design, side, rows) for side in assembly_sides(design, variant)],
        "kinds": kinds,
        "findings": found,
        "paste": sum(s["paste"] for s in data["stencils"]),
    }


def _shown(design: Design, side: Side, some: tuple[Opening, ...]) -> dict[str, Any]:
    """Lay a side's openings out as one looks at it, y down."""
    x0, y0, x1, y1 = outline(design).bounds
    flip = side == "back"
    rows = []
    for o in some:
        x, y = (x0 + x1 - o.x_mm if flip else o.x_mm), y0 + y1 - o.y_mm
        turn = o.turn_deg if flip else -o.turn_deg
        rows.append((x, y, o, turn))
    shape = outline(design)
    rings = (shape.exterior, *shape.interiors)
    edge = "".join(
        "M"
        + "L".join(f"{(x0 + x1 - x if flip else x):.2f} {y0 + y1 - y:.2f}" for x, y in r.coords[:-1])
        + "Z"
        for r in rings
    )
    return {
        "side": side,
        "rows": rows,
        "edge": edge,
        "box": (x0 - 1, y0 - 1, x1 - x0 + 2, y1 - y0 + 2),
        "worst": min(some, key=lambda o: o.ratio),
        "count": len(some),
        "paste": sum(o.paste_mm3 for o in some),
    }


def _proof(design: Design, side: SideDrawn, rows: Sequence[Proof]) -> dict[str, Any]:
    """Lay a side out as one looks at it, y down: bodies, and of each part where pin 1 is and where the file puts it."""
    (wide, tall), (x0, y0, x1, _) = side.size_mm, outline(design).bounds
    flip = side.side == "back"

    def at(x: float, y: float) -> tuple[float, float]:
        return (x1 - x if flip else x - x0), tall - (y - y0)

    def path(rings: Sequence[Ring]) -> str:
        return "".join("M" + "L".join(f"{x:.2f} {tall - y:.2f}" for x, y in ring) + "Z" for ring in rings)

    mine = {p.ref for p in side.parts}
    pins = []
    for row in (r for r in rows if r.ref in mine):
        part = design.parts[row.ref]
        assert part.place is not None
        x, y = part.place.x_nm / 1e6, part.place.y_nm / 1e6
        far = math.hypot(*(pin1_at(design.packages[part.package]) or (0.0, 0.0))) / 1e6
        spots = [
            at(x + far * math.cos(math.radians(d)), y + far * math.sin(math.radians(d)))
            for d in (row.true_deg, row.file_deg)
        ]
        pins.append((row, *spots))
    return {
        "side": side.side,
        "view": f"-1 -1 {wide + 2:.2f} {tall + 2:.2f}",
        "edge": path(side.edge),
        "parts": [(p.ref, path(p.body), p.at[0], tall - p.at[1], p.name_mm, p.upright) for p in side.parts],
        "pins": pins,
    }


@router.post("/d/{id}/bench/fitting")
def keep_house(
    request: Request,
    id: str,
    name: Annotated[str, Form()],
    convention: Annotated[str, Form()] = "plain",
    turns: Annotated[str, Form()] = "",
) -> RedirectResponse:
    """Keep how a house counts turns, for every design it fits."""
    made = keep_fitting_house(store_of(request).bench, name, convention, turns)
    return RedirectResponse(f"{_PART.format(id)}&house={quote(made.name)}", status_code=303)


@router.post("/d/{id}/bench/fitting/{name}/drop")
def drop_house(request: Request, id: str, name: str) -> RedirectResponse:
    """Forget how a house counts turns."""
    store_of(request).bench.drop("fitting", name)
    return RedirectResponse(_PART.format(id), status_code=303)


@router.get("/d/{id}/assembly.pdf")
def assembly_drawing(request: Request, id: str) -> Response:
    """Give the drawing by which a variant is assembled, and its parts to tick."""
    kept = store_of(request).get(id)
    return Response(
        assembly_pdf(kept.design, request.query_params.get("variant", "")),
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{slug(kept.design.name)}-assembly.pdf"'},
    )


@router.get("/d/{id}/assembly.zip")
def assembly_zip(request: Request, id: str) -> Response:
    """Give the stencil of each side, the placement file as wanted, and the drawing."""
    store = store_of(request)
    design = store.get(id).design
    foil, frame, convention, table, variant = _wanted(request, design)
    base, stamp = slug(design.name), store.shared.now().strftime("%Y-%m-%dT%H:%M:%SZ")
    files = stencil_files(design, base, stamp, foil, frame, variant)
    files[f"{base}-placement-{convention.name}.csv"] = placement_as(design, convention, table, variant)
    drawing = assembly_pdf(design, variant)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), text)
        archive.writestr(zipfile.ZipInfo(f"{base}-assembly.pdf", (2026, 1, 1, 0, 0, 0)), drawing)
    return Response(
        out.getvalue(),
        media_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{id}-assembly.zip"'},
    )
