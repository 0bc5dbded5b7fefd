"""Artwork for etching at home, as PDF and SVG at true scale; which way round it goes is in ``mirror``."""

from __future__ import annotations

import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import Hole, bare_holes, copper_items, holes, outline
from vane_step.core.board.geometry.strokefont import text_lines
from vane_step.core.derive import alone
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import InputError
from vane_step.core.etch.drillplan import drill_findings, drill_plan
from vane_step.core.etch.joints import both_sides, plating_findings
from vane_step.core.etch.mirror import CAUTIONS, EtchMethod, proof
from vane_step.core.etch.sheets import (
    HEAD_MM,
    MARGIN_MM,
    PAGE_MM,
    RULER_MM,
    Sheet,
    polygons,
    ruler,
    write_pdf,
)
from vane_step.core.finding import Finding, Place, tell

SIDES: tuple[Side, Side] = ("front", "back")
GAP_MM = 8.0
STRIP_MM = 7.0
CENTRE_MARK_MM = 0.4
# In a ring for a smaller hole no line would be as wide as can be etched.
LEAST_MARKED_MM = 1.0


def copper_image(design: Design, side: Side) -> BaseGeometry:
    """Give all copper of a side in the design view, in millimetres, with a small hole at each drill centre."""
    shapes = [i.shape() for i in copper_items(design) if side in i.layers]
    shapes += [piece for pour in pour_pieces(design) if pour.layer == side for piece in pour.pieces]
    marks = [Point(h.x_mm, h.y_mm).buffer(min(CENTRE_MARK_MM, h.drill_mm / 2) / 2) for h in holes(design)]
    image: BaseGeometry = shapely.union_all(shapes) if shapes else Polygon()
    image = image.difference(shapely.union_all(marks)) if marks else image
    rings = [_ring(h) for h in bare_holes(design) if h.drill_mm >= LEAST_MARKED_MM]
    return image.union(shapely.union_all(rings)) if rings else image


def _ring(hole: Hole) -> BaseGeometry:
    """Draw a ring to set the drill in, where no copper marks a hole: small enough to be drilled away."""
    middle, outer = Point(hole.x_mm, hole.y_mm), min(2 * CENTRE_MARK_MM, 0.4 * hole.drill_mm)
    return middle.buffer(outer).difference(middle.buffer(outer / 2))


def _board_art(design: Design, side: Side, method: EtchMethod) -> BaseGeometry:
    """Give one copy of the artwork, turned as the method wants it, its lower left corner at the origin."""
    x0, y0, x1, y1 = outline(design).bounds
    word = text_lines(side.upper(), (x0 + x1) / 2, y0 - STRIP_MM / 2, 3.0, mirrored=side == "back")
    parts = [copper_image(design, side), outline(design).boundary.buffer(0.1)]
    parts += [LineString(line).buffer(0.25) for line in word]
    if design.board.copper_layers > 1:
        corners = ((x0 - 3, y0 - 3), (x1 + 3, y0 - 3), (x0 - 3, y1 + 3), (x1 + 3, y1 + 3))
        for x, y in corners:
            parts += [box(x - 2, y - 0.1, x + 2, y + 0.1), box(x - 0.1, y - 2, x + 0.1, y + 2)]
    art = shapely.union_all(parts)
    if method.mirrored(side):
        art = affinity.scale(art, -1, 1, origin=((x0 + x1) / 2, 0))
    return affinity.translate(art, -x0, -y0 + STRIP_MM)


def grid_of_copies(design: Design, copies: int) -> list[tuple[float, float]]:
    """Give the lower left corners of the copies on the page.

    Raises
    ------
    InputError
        When they do not fit; the error says how many do.
    """
    x0, y0, x1, y1 = outline(design).bounds
    edge = 5.0 if design.board.copper_layers > 1 else 0.0
    wide, tall = x1 - x0 + GAP_MM + 2 * edge, y1 - y0 + STRIP_MM + GAP_MM + 2 * edge
    columns = int((PAGE_MM[0] - 2 * MARGIN_MM + GAP_MM) / wide)
    rows = int((PAGE_MM[1] - 2 * MARGIN_MM - HEAD_MM + GAP_MM) / tall)
    if not 1 <= copies <= columns * rows:
        raise InputError(
            f"{copies} copies of {x1 - x0:.1f} x {y1 - y0:.1f} mm do not fit on one sheet.",
            where="copies",
            value=copies,
            allowed=f"1 to {columns * rows}" if columns * rows else "a board that fits A4",
        )
    top = PAGE_MM[1] - MARGIN_MM - HEAD_MM
    return [
        (MARGIN_MM + edge + (k % columns) * wide, top - (k // columns + 1) * tall + GAP_MM + edge)
        for k in range(copies)
    ]


def sheets(design: Design, method: EtchMethod, copies: int = 1) -> list[Sheet]:
    """Lay the artwork out, one sheet for each copper side."""
    spots = grid_of_copies(design, copies)
    made = []
    with alone:
        arts = {side: _board_art(design, side, method) for side in SIDES if side in design.board.layers}
    for side, art in arts.items():
        ink = tuple(affinity.translate(art, x, y) for x, y in spots)
        turned = "mirrored" if method.mirrored(side) else "as is"
        captions = (
            f"{design.name} · {side} copper · {method.title} · printed {turned}",
            proof(method, side),
            f"The ruler must measure {RULER_MM:g} mm both ways. Print at 100 %, without fitting to the page.",
        )
        made.append(Sheet(f"{design.name} {side}", ink, ruler(), captions))
    return made


def pdf(
    design: Design, method: EtchMethod, copies: int = 1, scale: tuple[float, float] = (1.0, 1.0)
) -> bytes:
    """Write the artwork as PDF: one page a side, then the drill list with the cautions.

    Lengths are exact: 1 mm is 72/25.4 points, times the correction for the printer.
    """
    return write_pdf(f"{design.name}: artwork", sheets(design, method, copies), scale, drill_page(design))


def drill_page(design: Design) -> tuple[str, ...]:
    """Give the drill list and the cautions as lines of text."""
    rows = [
        f"{r.count:4d} holes   {r.drill_mm:.2f} mm   "
        + (f"bit {r.bit} ({r.bit_mm:.2f} mm)" if r.at_hand else "NO DRILL AT HAND")
        + ("" if r.ring_left_mm is None else f", ring left {r.ring_left_mm:.2f} mm")
        for r in drill_plan(design)
    ]
    joints = both_sides(design)
    hand = [line for f in plating_findings(design) for line in ("", f"STOP: {f.message}.", f"({f.source})")]
    if joints.pins:
        few = [", ".join(joints.pins[k : k + 14]) for k in range(0, len(joints.pins), 14)]
        hand += ["", "Solder on both sides: no hole is plated", *few]
    if joints.vias:
        spots = [f"{id} at {x:.1f}, {y:.1f}" for id, x, y in joints.vias]
        hand += ["", "Pieces of wire, soldered on both sides"]
        hand += [", ".join(spots[k : k + 5]) for k in range(0, len(spots), 5)]
    return (f"{design.name}: drill list", "", *rows, *hand, "", "Cautions", *CAUTIONS)


def svg(
    design: Design, method: EtchMethod, side: Side, copies: int = 1, scale: tuple[float, float] = (1.0, 1.0)
) -> str:
    """Write one side's artwork as SVG in millimetres, y turned down as SVG has it."""
    chosen = [s for s in sheets(design, method, copies) if s.title.endswith(side)]
    if not chosen:
        raise InputError(
            f"The board has no copper on the {side}.",
            where="side",
            value=side,
            allowed=", ".join(design.board.layers),
        )
    w, h = PAGE_MM
    paths = "".join(
        f'<path d="{_path(p, h)}"/>' for shape in (*chosen[0].ruler, *chosen[0].ink) for p in polygons(shape)
    )
    lines = "".join(
        f'<text x="{MARGIN_MM}" y="{MARGIN_MM + 4 + 5 * k}">{_escape(line)}</text>'
        for k, line in enumerate(chosen[0].captions)
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w}mm" height="{h}mm" viewBox="0 0 {w} {h}">'
        f'<g transform="translate(0 {h}) scale({scale[0]:.6f} {scale[1]:.6f}) translate(0 -{h})" fill="#000" '
        f'fill-rule="evenodd">{paths}</g><g font-family="sans-serif" font-size="3.2">{lines}</g></svg>\n'
    )


def _escape(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _path(polygon: Polygon, height: float) -> str:
    rings = (polygon.exterior, *polygon.interiors)
    return "".join(
        "M" + "L".join(f"{x:.4f} {height - y:.4f}" for x, y in list(r.coords)[:-1]) + "Z" for r in rings
    )


def etch_findings(design: Design, method: EtchMethod) -> list[Finding]:
    """Hold the finest track against what the method can do (guidance, not law); no hole is plated."""
    widths = [(t.width_nm / 1e6, t) for t in design.tracks.values()]
    found = [*plating_findings(design), *drill_findings(design)]
    if widths and (thin := min(widths, key=lambda w: w[0]))[0] < method.least_mm - 1e-9:
        found.append(
            tell(
                "etch-width",
                f"The thinnest track is finer than is comfortable with {method.title.lower()}",
                thin[0],
                method.least_mm,
                Place(net=thin[1].net),
                source=method.least_source,
            )
        )
    return found
