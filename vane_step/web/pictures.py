"""Pictures of parts for pages: the land pattern with the body over it, and the symbol; paths in millimetres, y down."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.design.model import Package, PadSpec
from vane_step.core.patterns.landpattern import pad_shape
from vane_step.core.patterns.packages import package
from vane_step.core.sheet.cards import shape_of


def _bore(pad: PadSpec) -> dict[str, float]:
    """Give a pad's hole as a box with round ends, in millimetres, y down."""
    x, y, r = pad.x_nm / 1e6, -pad.y_nm / 1e6, pad.drill_nm / 2e6
    half_x, half_y = (v / 1e6 + r for v in pad.slot_half_nm)
    return {"x": x - half_x, "y": y - half_y, "w": 2 * half_x, "h": 2 * half_y, "r": r}


def drawn(pack: Package) -> dict[str, Any]:
    """Give what the page draws of a pattern, in millimetres, y down."""
    x0, y0, x1, y1 = (v / 1e6 for v in pack.courtyard_nm)
    pads = []
    for pad in pack.pads:
        ring = pad_shape(pad).exterior.coords
        pads.append(
            {
                "d": "M" + "L".join(f"{x:.3f} {-y:.3f}" for x, y in ring) + "Z",
                "x": pad.x_nm / 1e6,
                "y": -pad.y_nm / 1e6,
                "number": pad.number,
                "bore": _bore(pad) if pad.drill_nm else None,
                "size": max(0.25, min(1.2, min(pad.width_nm, pad.height_nm) / 1e6 * 0.7)),
            }
        )
    legend = ["M" + "L".join(f"{x / 1e6:.3f} {-y / 1e6:.3f}" for x, y in run) for run in pack.legend]
    keep = None
    if pack.keepout_nm:
        a, b, c, d = (v / 1e6 for v in pack.keepout_nm)
        keep = {"x": a, "y": -d, "w": c - a, "h": d - b}
    view = f"{x0 - 0.6:.3f} {-y1 - 0.6:.3f} {x1 - x0 + 1.2:.3f} {y1 - y0 + 1.2:.3f}"
    body = {
        "x": -pack.body_nm[0] / 2e6,
        "y": -pack.body_nm[1] / 2e6,
        "w": pack.body_nm[0] / 1e6,
        "h": pack.body_nm[1] / 1e6,
    }
    return {
        "view": view,
        "pads": pads,
        "legend": legend,
        "keep": keep,
        "body": body,
        "wide": x1 - x0,
        "tall": y1 - y0,
    }


def body_of(name: str, own: Package | None = None) -> dict[str, Any] | None:
    """Give the picture of a package by its name, or of one's own; ``None`` for a loose part."""
    return drawn(own) if own else _ready(name) if name else None


@lru_cache(maxsize=2048)
def _ready(name: str) -> dict[str, Any]:
    return drawn(package(name))


def symbol_of(part: CataloguePart) -> dict[str, Any]:
    """Give what the page draws of a part's symbol: its shape, and for a card how many pins lie on each side."""
    pins = [p.name or p.number for p in part.pins]
    return {
        "shape": part.kind if part.kind != "card" else shape_of(part.pins),
        "left": pins[: (len(pins) + 1) // 2][:9],
        "right": pins[(len(pins) + 1) // 2 :][:9],
    }
