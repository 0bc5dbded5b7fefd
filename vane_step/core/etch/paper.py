"""The paper pattern: board, pads and bodies of each side at true scale, to put the real parts on before ordering."""

from __future__ import annotations

import shapely
from shapely import affinity
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.shapes import box_on_board, copper_items, holes, outline, place_point
from vane_step.core.board.geometry.strokefont import text_lines, text_width
from vane_step.core.board.silkscreen.designators import Printed, references
from vane_step.core.derive import alone
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.etch.sheets import PAPERS_MM, Page, Sheet, page_of, ruler
from vane_step.core.etch.written import write_pdf

LINE_MM = 0.1
BODY_MM = 0.22
REF_MM = 1.3


def paper_pattern(design: Design, scale: tuple[float, float] = (1.0, 1.0)) -> bytes:
    """Write the pattern as PDF, a page for the front and one for the back where parts lie on it, seen from that side.

    On the smallest paper it fits, upright or lying.

    Raises
    ------
    EditRefused
        When no part has a place.
    InputError
        When the board does not fit the page.
    """
    if not any(p.place for p in design.parts.values()):
        raise EditRefused("No part has a place yet.", where="board", next_step="Type: arrange")
    x0, y0, x1, y1 = outline(design).bounds
    page = _page(x1 - x0, y1 - y0)
    sides: list[Side] = ["front"]
    if any(p.place and p.place.side == "back" for p in design.parts.values()):
        sides.append("back")
    at = page.margin_mm + (page.room[0] - (x1 - x0)) / 2 - x0, page.top_mm - (y1 - y0) - y0
    with alone:
        sheets = [_sheet(design, side, page, at) for side in sides]
    return write_pdf(f"{design.name}: paper pattern", sheets, scale)


def _page(wide_mm: float, tall_mm: float) -> Page:
    for paper in ("A4", "A3"):
        for landscape in (False, True):
            page = page_of(paper, landscape)
            if wide_mm <= page.room[0] and tall_mm <= page.room[1]:
                return page
    largest = page_of(max(PAPERS_MM, key=lambda p: PAPERS_MM[p])).room
    raise InputError(
        f"The board, {wide_mm:.1f} x {tall_mm:.1f} mm, does not fit the page.",
        where="paper",
        allowed=f"{largest[0]:g} x {largest[1]:g} mm",
    )


def _sheet(design: Design, side: Side, page: Page, at: tuple[float, float]) -> Sheet:
    ink = shapely.disjoint_subset_union_all([outline(design).boundary.buffer(LINE_MM), *_pads(design, side)])
    bodies = (
        shapely.disjoint_subset_union_all(_bodies(design, side))
        if _bodies(design, side)
        else shapely.Polygon()
    )
    names = [LineString(line).buffer(0.07) for line in _names(design, side)]
    shapes: list[BaseGeometry] = [ink, bodies, *([shapely.union_all(names)] if names else [])]
    if side == "back":
        x0, _, x1, _ = outline(design).bounds
        shapes = [affinity.scale(s, -1, 1, origin=((x0 + x1) / 2, 0)) for s in shapes]
    captions = (
        f"{design.name} · {side}, seen from the {side} · put the real parts on it",
        "Pads and holes are thin lines, bodies thick ones, dots mark pin 1.",
        "The ruler must measure 50 mm both ways. Print at 100 %, without fitting to the page.",
    )
    return Sheet(
        f"{design.name} {side}",
        page,
        tuple(affinity.translate(s, *at) for s in shapes),
        ruler(page),
        captions,
    )


def _pads(design: Design, side: Side) -> list[BaseGeometry]:
    drawn = [
        i.shape().boundary.buffer(LINE_MM / 2)
        for i in copper_items(design)
        if i.kind in ("pad", "jumper") and (side in i.layers or i.drill_mm)
    ]
    bores = [h for h in holes(design) if h.id not in design.vias]
    return drawn + [h.shape().boundary.buffer(LINE_MM / 2) for h in bores]


def _bodies(design: Design, side: Side) -> list[BaseGeometry]:
    drawn: list[BaseGeometry] = []
    for part in design.parts.values():
        if part.place is None or part.place.side != side:
            continue
        package = design.packages[part.package]
        wide, tall = package.body_nm
        x0, y0, x1, y1 = package.courtyard_nm
        middle = ((x0 + x1) // 2, (y0 + y1) // 2)
        if wide and tall:
            corners = (
                middle[0] - wide // 2,
                middle[1] - tall // 2,
                middle[0] + wide // 2,
                middle[1] + tall // 2,
            )
            drawn.append(box_on_board(part, corners).boundary.buffer(BODY_MM / 2))
        if package.pin1_nm and (package.polarised or len(part.pins) > 2):
            x, y = place_point(part.place, *package.pin1_nm)
            drawn.append(Point(x / 1e6, y / 1e6).buffer(0.25))
    return drawn


def _names(design: Design, side: Side) -> list[list[tuple[float, float]]]:
    """Give the references where the legend has room for them, and on their bodies where it has none."""
    lines: list[list[tuple[float, float]]] = []
    beside = {p.owner: p for p in references(design, side)}
    for part in design.parts.values():
        if part.place is None or part.place.side != side:
            continue
        spot = beside.get(part.ref)
        if spot is None:
            height = (
                REF_MM
                * max(v / 1e6 for v in design.packages[part.package].body_nm)
                / text_width(part.ref, REF_MM)
            )
            x, y = part.place.x_nm / 1e6, part.place.y_nm / 1e6
            spot = Printed(part.ref, part.ref, side, x, y, min(REF_MM, max(0.6, height)), 0.0)
        drawn = text_lines(
            spot.text, spot.x_mm, spot.y_mm, spot.height_mm, spot.turn_deg, mirrored=side == "back"
        )
        lines += [list(line) for line in drawn]
    return lines
