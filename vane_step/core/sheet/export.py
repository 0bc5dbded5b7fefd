"""Sheets as SVG and PDF files, drawn from the same marks as the page; where things go is decided in ``sheet``."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from html import escape
from typing import Protocol

from reportlab.lib.pagesizes import A4, landscape
from reportlab.pdfgen.canvas import Canvas

from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.sheet.drawing import Drawing, Mark
from vane_step.core.sheet.sheet import sheet, sheet_names

Points = Sequence[tuple[float, float]]
MARGIN_PT = 28.0
HEAD = 40.0
# Widths a sheet may be drawn at for paper; the one that leaves the letters largest is taken.
PAPER_WIDTHS = (746.0, 930.0, 1120.0, 1400.0, 1750.0)


class Pen(Protocol):
    """What drawing a sheet needs: lines, outlines, discs and words, in sheet units, y down."""

    def line(self, points: Points, width: float = 1.3) -> None:
        """Draw a run of straight lines."""

    def shape(self, points: Points, filled: bool = False) -> None:
        """Draw a closed outline, white or filled with ink."""

    def disc(self, x: float, y: float, radius: float, filled: bool = True) -> None:
        """Draw a disc or a ring."""

    def word(
        self, x: float, y: float, text: str, anchor: str = "start", bold: bool = False, size: float = 11.6
    ) -> None:
        """Write a word with its baseline at ``y``."""

    def link(self, x: float, y: float, w: float, h: float, sheet: int) -> None:
        """Make an area lead to another sheet."""


def draw(drawing: Drawing, pen: Pen) -> None:
    """Draw a sheet with a pen."""
    for zone in drawing.zones:
        b = zone.box
        pen.line(((b.x0, b.y0), (b.x1, b.y0), (b.x1, b.y1), (b.x0, b.y1), (b.x0, b.y0)), 0.4)
        pen.word(b.x0 + 12, b.y0 + 18, zone.title, bold=True, size=12.5)
    for group in drawing.groups:
        for wire in group.wires:
            pen.line(((wire.x0, wire.y0), (wire.x1, wire.y1)))
        for mark in group.marks:
            _mark(mark, pen)


def _mark(m: Mark, pen: Pen) -> None:
    x, y, w, h = m.x, m.y, m.w, m.h
    if m.kind == "card":
        pen.shape(((x, y), (x + w, y), (x + w, y + h), (x, y + h)))
        pen.word(x + 9, y + 17, m.label, bold=True)
        pen.word(x + w - 9, y + 17, m.detail, "end")
    elif m.kind == "tab":
        left = m.shape == "left"
        pen.word(x + w / 2, y + 13, m.label, "middle")
        pen.word(x + w + 6 if left else x - 6, y + 13, m.detail, "start" if left else "end")
        edge = x + w if left else x
        pen.line(((edge, y), (edge, y + h)), 0.4)
    elif m.kind == "part":
        _symbol(m, pen)
    elif m.kind == "text":
        pen.word(x, y + 11, m.label, bold=True)
        if m.shape == "line":
            pen.word(x + 7 * (len(m.label) + 1), y + 11, m.detail)
        else:
            pen.word(x, y + 25, m.detail)
    elif m.kind == "pill":
        r = h / 2
        arc = [(math.sin(a / 6 * math.pi) * r, math.cos(a / 6 * math.pi) * r) for a in range(7)]
        right = [(x + w - r + dx, y + r - dy) for dx, dy in arc]
        pen.shape([*right, *((x + r - dx, y + r + dy) for dx, dy in arc)])
        pen.word(x + w / 2, y + 13, m.label, "middle")
        if "›" in m.label:
            pen.link(x, y, w, h, int(m.label.rpartition("›")[2].split(",")[0]))
    elif m.kind == "supply":
        if m.shape == "top":
            pen.line(((x + w / 2 - 10, y + 18), (x + w / 2 + 10, y + 18)), 2.4)
            pen.word(x + w / 2, y + 13, m.label, "middle", bold=True)
        else:
            edge, outward = (x, True) if m.shape == "right" else (x + w, False)
            pen.line(((edge, y), (edge, y + 16)), 2.4)
            pen.word(
                edge + 6 if outward else edge - 6, y + 12, m.label, "start" if outward else "end", bold=True
            )
    elif m.kind == "ground":
        middle = x + w / 2
        for k, half in enumerate((9, 5, 2)):
            pen.line(((middle - half, y + 4.5 * k), (middle + half, y + 4.5 * k)), 1.5)
        if m.shape == "named":
            pen.word(middle, y + 20, m.label, "middle")
    elif m.kind == "ink":
        stroke = [(x + dx, y + dy) for dx, dy in m.points]
        pen.shape(stroke, filled=True) if m.shape else pen.line(stroke)
    elif m.kind == "dot":
        pen.disc(x + 3, y + 3, 2.6)
    elif m.kind == "open":
        pen.disc(x + 5, y + 5, 4, filled=False)
    elif m.kind == "free":
        pen.line(((x + 5, y + 1), (x + 5, y + 9)), 1.6)


# Strokes of the symbols about their middle, pin 1 on top (IEC 60617): runs of points; a trailing True closes and fills.
_LEADS = (((0, -20), (0, -14)), ((0, 14), (0, 20)))
_BOX = ((-6, -14), (6, -14), (6, 14), (-6, 14), (-6, -14))


def _bow(y: float) -> tuple[tuple[float, float], ...]:
    """Give one turn of a winding."""
    return tuple((4 * math.sin(a / 6 * math.pi), y - 4 * math.cos(a / 6 * math.pi)) for a in range(7))


SYMBOLS: dict[str, tuple[tuple[tuple[float, float], ...], ...]] = {
    "resistor": (*_LEADS, _BOX),
    "thermistor": (*_LEADS, _BOX, ((-11, 12), (-7, 12), (11, -12))),
    "fuse": (*_LEADS, _BOX, ((0, -14), (0, 14))),
    "capacitor": (((0, -20), (0, -4)), ((0, 4), (0, 20)), ((-10, -4), (10, -4)), ((-10, 4), (10, 4))),
    "polar-capacitor": (
        ((0, -20), (0, -4)),
        ((0, 4), (0, 20)),
        ((-10, -4), (10, -4)),
        ((-10, 4), (10, 4)),
        ((5, -14), (5, -8)),
        ((2, -11), (8, -11)),
    ),
    "inductor": (
        ((0, -20), (0, -16)),
        ((0, 16), (0, 20)),
        *(_bow(y) for y in (-12, -4, 4, 12)),
    ),
    "diode": (
        ((0, -20), (0, -8)),
        ((0, 8), (0, 20)),
        ((-9, -8), (9, -8)),
        ((-8, 8), (8, 8), (0, -8), (-8, 8)),
    ),
    "crystal": (
        ((0, -20), (0, -9)),
        ((0, 9), (0, 20)),
        ((-9, -9), (9, -9)),
        ((-9, 9), (9, 9)),
        ((-8, -5), (8, -5), (8, 5), (-8, 5), (-8, -5)),
    ),
    "sounder": (
        ((0, -20), (0, -10)),
        ((0, 10), (0, 20)),
        ((-8, -10), (-8, 10), (0, 10)),
        ((-8, -10), (0, -10)),
        tuple((10 * math.sin(a / 12 * math.pi), -10 * math.cos(a / 12 * math.pi)) for a in range(13)),
    ),
    "switch": (((0, -20), (0, -8)), ((0, 20), (0, 8), (-9, -9))),
    "jumper": (((0, -20), (0, -9)), ((0, 9), (0, 20)), ((-7, -6), (-11, 0), (-7, 6))),
}
_LED = (
    ((10, 2), (16, -4)),
    ((12.5, -4), (16, -4), (16, -0.5)),
    ((10, 9), (16, 3)),
    ((12.5, 3), (16, 3), (16, 6.5)),
)
_OTHER = (((0, -20), (0, -10)), ((0, 10), (0, 20)), ((-9, -10), (9, -10), (9, 10), (-9, 10), (-9, -10)))


def _symbol(m: Mark, pen: Pen) -> None:
    cx, cy = m.x + m.w / 2, m.y + m.h / 2
    c, s = {0: (1, 0), 90: (0, 1), 180: (-1, 0), 270: (0, -1)}[m.turn % 360]
    strokes = (*SYMBOLS["diode"], *_LED) if m.shape == "led" else SYMBOLS.get(m.shape, _OTHER)
    for run in strokes:
        pen.line([(cx + px * c - py * s, cy + px * s + py * c) for px, py in run])


class SvgPen:
    """Writes a sheet as SVG."""

    def __init__(self) -> None:
        self.parts: list[str] = []

    def line(self, points: Points, width: float = 1.3) -> None:
        """Draw a run of straight lines."""
        run = " ".join(f"{x:.2f},{y:.2f}" for x, y in points)
        self.parts.append(f'<polyline points="{run}" fill="none" stroke="#20282d" stroke-width="{width}"/>')

    def shape(self, points: Points, filled: bool = False) -> None:
        """Draw a closed outline."""
        run = " ".join(f"{x:.2f},{y:.2f}" for x, y in points)
        fill = "#20282d" if filled else "#ffffff"
        self.parts.append(f'<polygon points="{run}" fill="{fill}" stroke="#20282d" stroke-width="1.3"/>')

    def disc(self, x: float, y: float, radius: float, filled: bool = True) -> None:
        """Draw a disc or a ring."""
        fill = "#20282d" if filled else "#ffffff"
        self.parts.append(f'<circle cx="{x:.2f}" cy="{y:.2f}" r="{radius}" fill="{fill}" stroke="#20282d"/>')

    def word(
        self, x: float, y: float, text: str, anchor: str = "start", bold: bool = False, size: float = 11.6
    ) -> None:
        """Write a word."""
        weight = ' font-weight="bold"' if bold else ""
        self.parts.append(
            f'<text x="{x:.2f}" y="{y:.2f}" text-anchor="{anchor}" font-family="monospace" font-size="{size}"{weight} '
            f'fill="#20282d">{escape(text)}</text>'
        )

    def link(self, x: float, y: float, w: float, h: float, sheet: int) -> None:
        """Name the sheet the pill leads to, as a tooltip."""
        self.parts.append(
            f'<rect x="{x:.2f}" y="{y:.2f}" width="{w:.2f}" height="{h:.2f}" fill="none"><title>goes on on'
            f" sheet {sheet}</title></rect>"
        )


class PdfPen:
    """Draws a sheet on a page, scaled and shifted to fit."""

    def __init__(self, canvas: Canvas, scale: float, x0: float, top: float) -> None:
        self.canvas, self.scale, self.x0, self.top = canvas, scale, x0, top

    def _at(self, x: float, y: float) -> tuple[float, float]:
        return self.x0 + x * self.scale, self.top - y * self.scale

    def line(self, points: Points, width: float = 1.3) -> None:
        """Draw a run of straight lines."""
        self.canvas.setLineWidth(width * self.scale)
        path = self.canvas.beginPath()
        path.moveTo(*self._at(*points[0]))
        for point in points[1:]:
            path.lineTo(*self._at(*point))
        self.canvas.drawPath(path)

    def shape(self, points: Points, filled: bool = False) -> None:
        """Draw a closed outline."""
        self.canvas.setLineWidth(1.3 * self.scale)
        self.canvas.setFillGray(0 if filled else 1)
        path = self.canvas.beginPath()
        path.moveTo(*self._at(*points[0]))
        for point in points[1:]:
            path.lineTo(*self._at(*point))
        path.close()
        self.canvas.drawPath(path, fill=1)
        self.canvas.setFillGray(0)

    def disc(self, x: float, y: float, radius: float, filled: bool = True) -> None:
        """Draw a disc or a ring."""
        self.canvas.setLineWidth(1.3 * self.scale)
        self.canvas.setFillGray(0 if filled else 1)
        self.canvas.circle(*self._at(x, y), radius * self.scale, fill=1)
        self.canvas.setFillGray(0)

    def word(
        self, x: float, y: float, text: str, anchor: str = "start", bold: bool = False, size: float = 11.6
    ) -> None:
        """Write a word; signs outside of the standard fonts are written in letters."""
        self.canvas.setFont("Courier-Bold" if bold else "Courier", size * self.scale)
        plain = (
            text.replace("›", ">")
            .replace("µ", "u")
            .replace("Ω", "R")
            .replace("…", "...")
            .encode("latin-1", "replace")
        )
        put = {
            "start": self.canvas.drawString,
            "end": self.canvas.drawRightString,
            "middle": self.canvas.drawCentredString,
        }[anchor]
        put(*self._at(x, y), plain.decode("latin-1"))

    def link(self, x: float, y: float, w: float, h: float, sheet: int) -> None:
        """Make the pill lead to its sheet."""
        x0, y0 = self._at(x, y + h)
        x1, y1 = self._at(x + w, y)
        self.canvas.linkAbsolute("", f"sheet{sheet}", (x0, y0, x1, y1))


def sheet_svg(design: Design, page: str | None = None, revision: str = "") -> str:
    """Give a sheet as an SVG file with its title and revision.

    Raises
    ------
    InputError
        When there is no such sheet.
    """
    names = sheet_names(design)
    if page is not None and page not in names:
        raise InputError(
            f"There is no sheet {page!r}.",
            where="sheet",
            value=page,
            allowed=", ".join(n or "main" for n in names),
        )
    drawing = sheet(design, PAPER_WIDTHS[2], page)
    pen = SvgPen()
    draw(drawing, pen)
    title = f"{design.name} · {page or 'circuit'}{f' · {revision}' if revision else ''}"
    w, h = drawing.width + 4, drawing.height + HEAD + 4
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w:.0f}" height="{h:.0f}" '
        f'viewBox="-2 {-HEAD:.0f} {w:.0f} {h:.0f}">'
        f'<rect x="-2" y="{-HEAD:.0f}" width="{w:.0f}" height="{h:.0f}" fill="#ffffff"/>'
        f'<text x="0" y="-16" font-family="sans-serif" font-size="17" fill="#20282d">{escape(title)}</text>'
        + "".join(pen.parts)
        + "</svg>\n"
    )


def sheets_pdf(design: Design, revision: str = "") -> bytes:
    """Give all sheets as one PDF on A4, each scaled to fit, with title, revision, page number and links between pages.

    The bytes depend on the design and the revision only.
    """
    out = io.BytesIO()
    names = sheet_names(design) or [""]
    canvas = Canvas(out, invariant=True, pageCompression=0)
    canvas.setTitle(design.name)
    for k, name in enumerate(names):
        drawing, size, scale = _fitted(design, name)
        canvas.setPageSize(size)
        canvas.bookmarkPage(f"sheet{k + 1}")
        canvas.addOutlineEntry(name or design.name, f"sheet{k + 1}", 0)
        canvas.setFont("Helvetica-Bold", 12)
        canvas.drawString(MARGIN_PT, size[1] - MARGIN_PT - 4, _latin(f"{design.name} - {name or 'main'}"))
        canvas.setFont("Helvetica", 9)
        canvas.drawRightString(
            size[0] - MARGIN_PT,
            size[1] - MARGIN_PT - 4,
            _latin(f"{revision}   sheet {k + 1} of {len(names)}"),
        )
        draw(drawing, PdfPen(canvas, scale, MARGIN_PT, size[1] - MARGIN_PT - 22))
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def _fitted(design: Design, name: str) -> tuple[Drawing, tuple[float, float], float]:
    """Choose the width and the turn of the paper that leave a sheet's letters largest; not larger than on the page."""
    best: tuple[float, Drawing, tuple[float, float]] | None = None
    for width in PAPER_WIDTHS:
        drawing = sheet(design, width, name)
        for size in (A4, landscape(A4)):
            room_w, room_h = size[0] - 2 * MARGIN_PT, size[1] - 2 * MARGIN_PT - 22
            scale = min(room_w / drawing.width, room_h / drawing.height, 0.9)
            if best is None or scale > best[0] + 1e-9:
                best = (scale, drawing, size)
    assert best is not None
    return best[1], best[2], best[0]


def _latin(text: str) -> str:
    return text.encode("latin-1", "replace").decode("latin-1")
