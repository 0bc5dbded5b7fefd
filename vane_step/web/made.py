"""What the make page shows of a release and of a panel, worked out in a child of its own; no page is here."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely.geometry import MultiPoint, Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.shapes import copper_items, outline
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.fab.panel import PanelPlan, layout
from vane_step.core.fab.read_types import ReadLayer
from vane_step.core.fab.release import Release, panel_release, release
from vane_step.core.finding import Finding
from vane_step.core.order.sources import Source

KINDS = {
    "Copper": "copper",
    "Soldermask": "mask",
    "Paste": "paste",
    "Legend": "legend",
    "Profile": "profile",
    "Drillmap": "profile",
}
COLOURS = {
    "copper": "#0f5e66",
    "mask": "#4a6572",
    "paste": "#6b6f72",
    "legend": "#20282d",
    "profile": "#20282d",
}
BACK_COPPER = "#7b4b94"


@dataclass(frozen=True)
class MadeRelease:
    """A release as the page shows it: what reading back gave, its layers drawn, and the zip or why there is none."""

    name: str
    digest: str
    files: int
    readings: dict[str, float | int]
    differences: tuple[Finding, ...]
    stops: tuple[Finding, ...]
    zipped: bytes
    refusal: VaneStepError | None
    layers: tuple[tuple[str, tuple[str, ...], str], ...] = ()

    @property
    def offered(self) -> bool:
        """Whether the release may leave the program."""
        return self.refusal is None


@dataclass(frozen=True)
class MadePanel:
    """A panel as the page shows it: one board drawn, where its copies lie, and the release of all."""

    release: MadeRelease
    path: str
    pads: tuple[tuple[float, float, float], ...]
    copies: tuple[str, ...]
    lines: tuple[tuple[float, float, float, float], ...]
    size: tuple[float, float]
    view: str


def made_release(design: Design, stamp: str, sources: tuple[Source, ...]) -> MadeRelease:
    """Write a release, read it back and draw its layers as read."""
    made = release(design, stamp, sources)
    shown = ((n, x) for n, x in made.read.layers.items() if x.function[0] != "Component")
    return _made(made, tuple((n, x.function, _drawn(design, made, n)) for n, x in shown))


def made_panel(design: Design, plan: PanelPlan, stamp: str, sources: tuple[Source, ...]) -> MadePanel:
    """Write the release of a panel, read it back and draw it."""
    made, laid = panel_release(design, plan, stamp, sources), layout(design, plan)
    shape = outline(laid.frame("panel"))
    x0, y0, x1, y1 = shape.bounds
    pads = tuple((i.x_mm, -i.y_mm, max(0.4, i.width_mm / 2)) for i in copper_items(design) if i.kind == "pad")
    return MadePanel(
        _made(made, ()),
        path(shape),
        pads,
        tuple(
            f"translate({c.x:.3f} {-c.y:.3f}) "
            + (f"translate({c.bounds[3] - c.bounds[1]:.3f} 0) rotate(-90) " if c.turned else "")
            + f"translate({-c.bounds[0]:.3f} {c.bounds[1]:.3f})"
            for c in laid.copies
        ),
        tuple((a[0] / 1e6, -a[1] / 1e6, b[0] / 1e6, -b[1] / 1e6) for a, b in laid.board.scores),
        (x1 - x0, y1 - y0),
        f"{x0 - 1:g} {-y1 - 1:g} {x1 - x0 + 2:g} {y1 - y0 + 2:g}",
    )


def _made(made: Release, layers: tuple[tuple[str, tuple[str, ...], str], ...]) -> MadeRelease:
    zipped, refusal = b"", None
    try:
        zipped = made.zipped()
    except VaneStepError as error:
        refusal = error
    read = made.read
    return MadeRelease(
        made.name,
        made.digest(),
        len(made.files),
        read.readings,
        read.differences,
        made.stops,
        zipped,
        refusal,
        layers,
    )


def _drawn(design: Design, made: Release, name: str) -> str:
    """Draw a file of a release as it was read back from its bytes."""
    layer = made.read.layers[name]
    drawn = MultiPoint([p for line in layer.lines for p in line]) if layer.image.is_empty else layer.image
    both = np.array([x.bounds for x in (outline(design), drawn) if not x.is_empty])
    (x0, y0), (x1, y1) = both[:, :2].min(axis=0), both[:, 2:].max(axis=0)
    drills = made.read.drills.values() if layer.function[0] == "Copper" else ()
    holes = [h for d in drills for h in d.holes]
    slots = [s for d in drills for s in d.slots]
    kind = KINDS.get(layer.function[0], "copper")
    colour = BACK_COPPER if kind == "copper" and "Bot" in layer.function else COLOURS[kind]
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" '
        f'viewBox="{x0 - 1:.3f} {-y1 - 1:.3f} {x1 - x0 + 2:.3f} {y1 - y0 + 2:.3f}">'
        f'<path d="{path(outline(design))}" fill="#ece4cf" fill-rule="evenodd"/>'
        f'<path d="{path(layer.image)}" fill="{colour}" fill-rule="evenodd"/>{_lines(layer, colour)}'
        + "".join(f'<circle cx="{x:.4f}" cy="{-y:.4f}" r="{d / 2:.4f}" fill="#fffdf7"/>' for x, y, d in holes)
        + "".join(
            f'<path d="M{ax:.4f} {-ay:.4f}L{bx:.4f} {-by:.4f}" stroke="#fffdf7" stroke-width="{d:.4f}" '
            f'stroke-linecap="round"/>'
            for ax, ay, bx, by, d in slots
        )
        + "</svg>"
    )


def _lines(layer: ReadLayer, colour: str) -> str:
    """Draw the lines of a layer that is read without its image."""
    if not layer.image.is_empty:
        return ""
    by_width: dict[float, list[str]] = {}
    for ((ax, ay), (bx, by)), wide in zip(layer.lines, layer.widths_mm, strict=True):
        by_width.setdefault(wide, []).append(f"M{ax:.3f} {-ay:.3f}L{bx:.3f} {-by:.3f}")
    return "".join(
        f'<path d="{"".join(d)}" fill="none" stroke="{colour}" stroke-width="{wide:.3f}" stroke-linecap="round"/>'
        for wide, d in by_width.items()
    )


def path(shape: BaseGeometry) -> str:
    """Write the rings of a shape as an SVG path, y downwards."""
    rings = [
        r
        for p in getattr(shape, "geoms", [shape])
        if isinstance(p, Polygon) and not p.is_empty
        for r in (p.exterior, *p.interiors)
    ]
    return "".join("M" + "L".join(f"{x:.3f} {-y:.3f}" for x, y in ring.coords) + "Z" for ring in rings)
