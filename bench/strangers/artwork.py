"""Holds etching artwork against the copper of the files: each method's sheet, carried onto copper as a person does it."""

from __future__ import annotations

import re
from collections.abc import Iterator

import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from bench.strangers.judge import LAYERS, holes_of, image_of
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.etch import artwork
from vane_step.core.etch.plan import art_plan

# Whether a sheet is turned over on its way to the copper, and whether the copper is then seen from the back.
TURNED = {"toner": True, "release": True, "film": True, "film-away": False, "pen": False, "tape": False}


def artwork_faults(design: Design, files: dict[str, str]) -> Iterator[str]:
    """Tell where the copper that an artwork gives differs from that of the files."""
    names = {"front": "copper-front", "back": "copper-back"}
    for number, side in enumerate((x for x in LAYERS[design.board.copper_layers] if x in names), 1):
        wanted = image_of(next(t for n, t in files.items() if n.endswith(f"{names[side]}.gbr")))
        for method, turned in TURNED.items():
            try:
                svg = artwork.svg(
                    design, art_plan({"method": method, "factor": "none", "words": "no"}), number
                )
            except VaneStepError:
                # Too large for a sheet.
                continue
            art = _inked(svg)
            # A sheet that is turned over shows its mirror image on the copper; back copper is seen from the back.
            seen = turned != (side == "back")
            if seen:
                art = affinity.scale(art, -1, 1, origin=(0, 0))
            yield from _differs(art, wanted, design, files, f"{method} on the {side}")


def _middle(files: dict[str, str]) -> tuple[float, float]:
    """Give the middle of the profile in the files: corners are rounded there."""
    profile = next(t for n, t in files.items() if n.endswith("profile.gbr"))
    points = [(int(x) / 1e6, int(y) / 1e6) for x, y in re.findall(r"X(-?\d+)Y(-?\d+)D0[12]", profile)]
    xs, ys = zip(*points, strict=True)
    return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2


def _inked(svg: str) -> BaseGeometry:
    """Read the filled paths of a sheet, y up."""
    shapes = []
    for d in re.findall(r'<path d="([^"]*)"', svg):
        rings = [
            [tuple(float(v) for v in p.split()) for p in re.split(r"[ML]", ring) if p.strip()]
            for ring in d.split("Z")
            if ring.strip()
        ]
        area: BaseGeometry = Polygon()
        for ring in rings:
            area = area.symmetric_difference(Polygon([(x, -y) for x, y in ring]).buffer(0))
        shapes.append(area)
    return shapely.union_all(shapes)


def _differs(
    art: BaseGeometry, wanted: BaseGeometry, design: Design, files: dict[str, str], what: str
) -> Iterator[str]:
    """Lay the sheet's outline over the board's and compare the copper within."""
    # The board's edge is the largest ring drawn.
    rim = max(shapely.get_parts(art), key=lambda p: Polygon(p.exterior).area)
    x0, y0, x1, y1 = rim.bounds
    middle = _middle(files)
    shift = middle[0] - (x0 + x1) / 2, middle[1] - (y0 + y1) / 2
    art = affinity.translate(art, *shift)
    # Within the edge as it is drawn, corners rounded; the line itself is no copper.
    board = affinity.translate(Polygon(rim.exterior), *shift).buffer(-0.35)
    # The edges of cut-outs are drawn as well, and are no copper.
    milled = [
        LineString(p).buffer(c.width_nm / 2) if c.width_nm else Polygon(p)
        for c in design.board.cutouts
        for p in [c.points]
    ]
    rims = shapely.union_all(
        [affinity.scale(m, 1e-6, 1e-6, origin=(0, 0)).boundary.buffer(0.2) for m in milled]
    )
    # What marks a hole is drilled away with it.
    drills = [h for n, t in files.items() if n.endswith(".xnc") for h in holes_of(t)]
    drilled = shapely.union_all([Point(x, y).buffer(size / 2) for x, y, size in drills])
    inside = board.difference(rims).difference(drilled)
    apart = art.intersection(inside).symmetric_difference(wanted.intersection(inside)).buffer(-0.03)
    left = [p for p in shapely.get_parts(apart) if not p.is_empty and Polygon(p.exterior).area > 0.3]
    if left:
        x, y = left[0].representative_point().coords[0]
        yield f"{what} gives other copper at {x:.2f}, {y:.2f}"
