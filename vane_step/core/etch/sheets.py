"""Sheets of paper at true scale: ruler, correction for the printer, their PDF; what is drawn on them is elsewhere."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from reportlab.lib.units import mm as MM_PT
from reportlab.pdfgen.canvas import Canvas
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.errors import InputError

PAGE_MM = (210.0, 297.0)
MARGIN_MM = 12.0
HEAD_MM = 34.0
RULER_MM = 50.0


@dataclass(frozen=True)
class Sheet:
    """One sheet: black shapes in millimetres from the lower left corner of the page, and lines of plain text."""

    title: str
    ink: tuple[BaseGeometry, ...]
    ruler: tuple[BaseGeometry, ...]
    captions: tuple[str, ...]


def ruler() -> tuple[BaseGeometry, ...]:
    """Draw a ruler of 50 mm across and one upwards; its end marks are 0.2 mm lines whose middles are 50 mm apart."""
    x0, y0 = MARGIN_MM, PAGE_MM[1] - MARGIN_MM - HEAD_MM + 6
    shapes: list[BaseGeometry] = [box(x0 - 0.1, y0 - 0.1, x0 + RULER_MM + 0.1, y0 + 0.1)]
    shapes += [box(x0 + k - 0.1, y0, x0 + k + 0.1, y0 + (4 if k % 10 == 0 else 2)) for k in range(0, 51, 5)]
    ux, uy = PAGE_MM[0] - MARGIN_MM, PAGE_MM[1] - MARGIN_MM - RULER_MM
    shapes += [box(ux - 0.1, uy - 0.1, ux + 0.1, uy + RULER_MM + 0.1)]
    shapes += [box(ux - (4 if k % 10 == 0 else 2), uy + k - 0.1, ux, uy + k + 0.1) for k in range(0, 51, 5)]
    return tuple(shapes)


def scale_of(measured_x_mm: float, measured_y_mm: float) -> tuple[float, float]:
    """Give the correction for a printer whose ruler measured other than 50 mm.

    Raises
    ------
    InputError
        For lengths that no working printer gives: check that the page was not fitted.
    """
    for name, value in (("ruler across", measured_x_mm), ("ruler upwards", measured_y_mm)):
        if not 45 <= value <= 55:
            raise InputError(
                f"The {name} measures {value:g} mm.",
                where=name,
                value=value,
                allowed="45 to 55 mm",
                next_step="Print at 100 % and measure again.",
            )
    return RULER_MM / measured_x_mm, RULER_MM / measured_y_mm


def write_pdf(
    title: str, sheets: Sequence[Sheet], scale: tuple[float, float] = (1.0, 1.0), last: tuple[str, ...] = ()
) -> bytes:
    """Write sheets as PDF, a page each, then a page of plain lines; lengths are exact, 1 mm is 72/25.4 points."""
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(PAGE_MM[0] * MM_PT, PAGE_MM[1] * MM_PT), invariant=1)
    canvas.setTitle(title)
    for sheet in sheets:
        canvas.saveState()
        canvas.scale(MM_PT * scale[0], MM_PT * scale[1])
        for shape in (*sheet.ruler, *sheet.ink):
            for polygon in polygons(shape):
                path = canvas.beginPath()
                for ring in (polygon.exterior, *polygon.interiors):
                    points = list(ring.coords)[:-1]
                    path.moveTo(*points[0])
                    for x, y in points[1:]:
                        path.lineTo(x, y)
                    path.close()
                canvas.drawPath(path, stroke=0, fill=1, fillMode=0)
        canvas.restoreState()
        _write(canvas, sheet.captions, PAGE_MM[1] - MARGIN_MM - 4)
        canvas.showPage()
    if last:
        _write(canvas, last, PAGE_MM[1] - MARGIN_MM - 4)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def _write(canvas: Canvas, lines: tuple[str, ...], top_mm: float) -> None:
    canvas.setFont("Helvetica", 9)
    for k, line in enumerate(lines):
        canvas.drawString(MARGIN_MM * MM_PT, (top_mm - 5 * k) * MM_PT, line.replace("·", "-"))


def polygons(shape: BaseGeometry) -> Iterator[Polygon]:
    """Give the polygons of a shape."""
    for part in getattr(shape, "geoms", [shape]):
        if isinstance(part, Polygon) and not part.is_empty:
            yield part
