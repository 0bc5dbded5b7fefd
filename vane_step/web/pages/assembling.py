"""Assembly on the Make page: the stencil with what paste leaves badly, and placement files proved part by part."""

from __future__ import annotations

import io
import zipfile
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from vane_step.core.ask.words import pairs
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import VaneStepError
from vane_step.core.fab.conventions import (
    CONVENTIONS,
    Convention,
    convention_of,
    offset_deg,
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
from vane_step.core.quantity import parse_value
from vane_step.store.designs import Kept
from vane_step.web.render import store_of

router = APIRouter()
_WORDS = ("foil", "frame", "convention", "turns", "variant")


def _wanted(request: Request, design: Design) -> tuple[int, str, Convention, dict[str, float], str]:
    """Read foil, frame, convention, table of turns and variant from an address."""
    said = {k: request.query_params.get(k, "") for k in _WORDS}
    foil = foil_of(said["foil"]) if said["foil"] else best_foil_um(design, said["variant"])
    table = {
        name: parse_value(text.removesuffix("°"), "turns")
        for name, text in pairs(said["turns"].replace(",", " ").split(), "SOT-23-3=90").items()
    }
    return foil, said["frame"] or "none", convention_of(said["convention"] or "plain"), table, said["variant"]


def assembly_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give the stencil of each side and the placement file with its proof."""
    design = kept.design
    data: dict[str, Any] = {
        "foils": FOILS_UM,
        "frames": FRAMES_MM,
        "conventions": CONVENTIONS,
        "turns": request.query_params.get("turns", ""),
        "least_ratio": LEAST_RATIO,
        "refused": None,
        "stencils": [],
        "query": request.url.query,
    }
    try:
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


@router.get("/d/{id}/assembly.zip")
def assembly_zip(request: Request, id: str) -> Response:
    """Give the stencil of each side and the placement file as wanted."""
    store = store_of(request)
    design = store.get(id).design
    foil, frame, convention, table, variant = _wanted(request, design)
    base, stamp = slug(design.name), store.shared.now().strftime("%Y-%m-%dT%H:%M:%SZ")
    files = stencil_files(design, base, stamp, foil, frame, variant)
    files[f"{base}-placement-{convention.name}.csv"] = placement_as(design, convention, table, variant)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), text)
    return Response(
        out.getvalue(),
        media_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{id}-assembly.zip"'},
    )
