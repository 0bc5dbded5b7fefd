"""Sheets as files at true scale: PDF, SVG, and bitmaps of one bit a dot; what is on them is in ``artwork``."""

from __future__ import annotations

import io
from collections.abc import Sequence
from html import escape
from typing import Final

import numpy as np
import shapely
from PIL import Image
from reportlab.lib.units import mm as MM_PT
from reportlab.lib.utils import simpleSplit
from reportlab.pdfgen.canvas import Canvas
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.errors import InputError
from vane_step.core.etch.sheets import STRIP_MM, Page, Sheet, polygons

FONT, SIZE_PT, LINE_MM = "Helvetica", 8.5, 4.2
DPIS: Final = (600, 1200)
# Rows of a bitmap that are worked on at a time.
_BAND: Final = 1024


def write_pdf(
    title: str, sheets: Sequence[Sheet], scale: tuple[float, float] = (1.0, 1.0), last: tuple[str, ...] = ()
) -> bytes:
    """Write sheets as PDF, a page each, then pages of plain lines; lengths are exact, 1 mm is 72/25.4 points."""
    out = io.BytesIO()
    canvas = Canvas(out, invariant=1)
    canvas.setTitle(title)
    for sheet in sheets:
        canvas.setPageSize((sheet.page.width_mm * MM_PT, sheet.page.height_mm * MM_PT))
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
        canvas.setFont(FONT, 7)
        for x, y, text in sheet.labels:
            canvas.drawString(x * MM_PT * scale[0], y * MM_PT * scale[1], _plain(text))
        _lines(canvas, sheet.page, sheet.captions, sheet.page.width_mm - 2 * sheet.page.margin_mm - STRIP_MM)
        canvas.showPage()
    if last:
        page = sheets[0].page if sheets else Page()
        canvas.setPageSize((page.width_mm * MM_PT, page.height_mm * MM_PT))
        wide = page.width_mm - 2 * page.margin_mm
        few = int((page.height_mm - 2 * page.margin_mm) / LINE_MM) - 1
        rows = [row for line in last for row in _split(line, wide) or [""]]
        for k in range(0, len(rows), few):
            _lines(canvas, page, tuple(rows[k : k + few]), wide)
            canvas.showPage()
    canvas.save()
    return out.getvalue()


def _plain(text: str) -> str:
    return text.replace("·", "-").replace("■", "!").replace("→", "->")


def _split(line: str, wide_mm: float) -> list[str]:
    return list(simpleSplit(_plain(line), FONT, SIZE_PT, wide_mm * MM_PT))


def _lines(canvas: Canvas, page: Page, lines: tuple[str, ...], wide_mm: float) -> None:
    canvas.setFont(FONT, SIZE_PT)
    rows = [row for line in lines for row in _split(line, wide_mm) or [""]]
    for k, row in enumerate(rows):
        y = page.height_mm - page.margin_mm - 3 - LINE_MM * k
        canvas.drawString(page.margin_mm * MM_PT, y * MM_PT, row)


def write_svg(sheet: Sheet, scale: tuple[float, float] = (1.0, 1.0)) -> str:
    """Write a sheet as SVG in millimetres, y turned down as SVG has it."""
    w, h = sheet.page.width_mm, sheet.page.height_mm
    paths = "".join(
        f'<path d="{_path(p, h)}"/>' for shape in (*sheet.ruler, *sheet.ink) for p in polygons(shape)
    )
    wide = w - 2 * sheet.page.margin_mm - STRIP_MM
    rows = [row for line in sheet.captions for row in _split(line, wide)]
    texts = "".join(
        f'<text x="{sheet.page.margin_mm:g}" y="{sheet.page.margin_mm + 3 + LINE_MM * k:.2f}">{escape(row)}</text>'
        for k, row in enumerate(rows)
    )
    texts += "".join(
        f'<text x="{x * scale[0]:.2f}" y="{h - y * scale[1]:.2f}">{escape(text)}</text>'
        for x, y, text in sheet.labels
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w}mm" height="{h}mm" viewBox="0 0 {w} {h}">'
        f'<g transform="translate(0 {h}) scale({scale[0]:.6f} {scale[1]:.6f}) translate(0 -{h})" fill="#000" '
        f'fill-rule="evenodd">{paths}</g><g font-family="sans-serif" font-size="3">{texts}</g></svg>\n'
    )


def _path(polygon: Polygon, height: float) -> str:
    made = []
    for ring in (polygon.exterior, *polygon.interiors):
        points = np.asarray(ring.coords)[:-1] * (1, -1) + (0, height)
        # One format for all points of a ring: a number at a time takes twice as long.
        made.append("M" + ("L%.4f %.4f" * len(points))[1:] % tuple(points.ravel().tolist()) + "Z")
    return "".join(made)


def write_bitmap(sheet: Sheet, dpi: int = 1200, scale: tuple[float, float] = (1.0, 1.0)) -> bytes:
    """Write a sheet as a PNG of one bit a dot, with its size in dots a metre: pictures and rulers, no captions.

    Raises
    ------
    InputError
        For a resolution that is not offered.
    """
    if dpi not in DPIS:
        raise InputError(
            f"{dpi} dots an inch are not offered.",
            where="dpi",
            value=dpi,
            allowed=", ".join(map(str, DPIS)),
        )
    out = io.BytesIO()
    dots(sheet, dpi, scale).save(out, "PNG", dpi=(dpi, dpi), compress_level=1)
    return out.getvalue()


def dots(sheet: Sheet, dpi: int, scale: tuple[float, float] = (1.0, 1.0)) -> Image.Image:
    """Draw a sheet in dots: one is black exactly where its middle lies in the ink.

    The rims of all shapes cross each row of dots at places that are worked out exactly; between the first and the
    second crossing, the third and the fourth ... lies ink (scan lines, even-odd rule).
    """
    wide, tall = (round(v / 25.4 * dpi) for v in (sheet.page.width_mm, sheet.page.height_mm))
    rows, columns = _crossings(
        shapely.disjoint_subset_union_all([*sheet.ruler, *sheet.ink]),
        (dpi / 25.4 * scale[0], dpi / 25.4 * scale[1]),
        tall,
    )
    order = np.argsort(rows, kind="stable")
    rows, columns = rows[order], np.clip(columns[order], 0, wide)
    packed = np.empty((tall, -(-wide // 8)), dtype=np.uint8)
    for first in range(0, tall, _BAND):
        last = min(first + _BAND, tall)
        a, b = np.searchsorted(rows, (first, last))
        turned = np.zeros((last - first, wide + 1), dtype=np.uint8)
        np.bitwise_xor.at(turned, (rows[a:b] - first, columns[a:b]), 1)
        black = np.bitwise_xor.accumulate(turned[:, :wide], axis=1)
        packed[first:last] = np.packbits(1 - black, axis=1)
    return Image.frombytes("1", (wide, tall), packed.tobytes())


def _crossings(ink: BaseGeometry, per_mm: tuple[float, float], tall: int) -> tuple[np.ndarray, np.ndarray]:
    """Give where rims cross the middles of rows: the row from above, and the first dot whose middle is right of it."""
    rings = [np.asarray(r.coords) for p in polygons(ink) for r in (p.exterior, *p.interiors)]
    if not rings:
        return np.empty(0, dtype=np.int64), np.empty(0, dtype=np.int64)
    x0, y0 = np.concatenate([r[:-1] for r in rings]).T
    x1, y1 = np.concatenate([r[1:] for r in rings]).T
    x0, x1 = x0 * per_mm[0], x1 * per_mm[0]
    # Rows count from the top; the middle of row k is at k + 0.5.
    y0, y1 = tall - y0 * per_mm[1], tall - y1 * per_mm[1]
    low, high = np.minimum(y0, y1), np.maximum(y0, y1)
    first, last = np.ceil(low - 0.5).astype(np.int64), np.ceil(high - 0.5).astype(np.int64)
    first, last = np.clip(first, 0, tall), np.clip(last, 0, tall)
    count = np.maximum(last - first, 0)
    edge = np.repeat(np.arange(len(count)), count)
    row = np.arange(len(edge)) - np.repeat(np.cumsum(count) - count, count) + first[edge]
    share = (row + 0.5 - y0[edge]) / (y1[edge] - y0[edge])
    x = x0[edge] + share * (x1[edge] - x0[edge])
    return row, np.ceil(x - 0.5).astype(np.int64)
