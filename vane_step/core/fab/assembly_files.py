"""Writes the drawing of how a variant is assembled as SVG and as PDF; what is drawn is in ``assembly``."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from html import escape
from typing import Final

from reportlab.lib.units import mm as MM_PT
from reportlab.lib.utils import simpleSplit
from reportlab.pdfgen.canvas import Canvas

from vane_step.core.circuit.variants import BASE, fitted
from vane_step.core.design.model import Design, natural
from vane_step.core.fab.assembly import END_MM, PartDrawn, Point, Ring, SideDrawn, assembly_sides

MARGIN_MM, HEAD_MM = 6.0, 9.0
# Small parts and their names are read at twice their size; on paper as large as the page allows, at most so large.
SCALE, MOST_SCALE = 2.0, 6.0
INK, FAINT = "#20282d", "#8a9094"
# A4 with its edges, the lines of the list, and what a name in it may take.
PAGE_MM: Final = (210.0, 297.0)
EDGE_MM, LINE_MM = 12.0, 5.0
COLUMNS_MM: Final = (10.0, 14.0, 34.0, 40.0, 88.0)


def _title(design: Design, side: SideDrawn, variant: str) -> str:
    count = sum(p.fitted for p in side.parts)
    who = f"{design.name}, {f'variant {variant}, ' if variant else ''}{side.side}"
    return f"{who}: {count} of {len(side.parts)} parts fitted"


def _notes(side: SideDrawn) -> list[str]:
    """Say what is not fitted, and what lies under other parts and therefore comes before them."""
    out, notes = side.left_out, []
    if out:
        notes.append(f"not fitted, dashed: {', '.join(out[:24])}{' …' if len(out) > 24 else ''}")
    for over, under in side.hidden:
        notes.append(
            f"before {over}, which covers them: {', '.join(under[:24])}{' …' if len(under) > 24 else ''}"
        )
    return notes


def assembly_svg(design: Design, variant: str = BASE) -> str:
    """Draw a variant as SVG in mm: fitted parts solid with their names, others dashed; the sides beside each other."""
    sides = assembly_sides(design, variant)
    wide, tall = (sides[0].size_mm[0] + 2 * MARGIN_MM), sides[0].size_mm[1] + 2 * MARGIN_MM + HEAD_MM
    more = 2.4 * max(len(_notes(s)) for s in sides)
    drawn = [
        f'<svg xmlns="http://www.w3.org/2000/svg" '
        f'width="{SCALE * wide * len(sides):.2f}mm" height="{SCALE * (tall + more):.2f}mm" '
        f'viewBox="0 0 {wide * len(sides):.2f} {tall + more:.2f}" font-family="sans-serif" fill="{INK}">'
    ]
    for k, side in enumerate(sides):
        drawn.append(f'<g transform="translate({k * wide:.2f} 0)">')
        title = escape(f"{_title(design, side, variant)}, {SCALE:g} : 1")
        drawn.append(f'<text x="{MARGIN_MM}" y="{HEAD_MM - 2}" font-size="2.4">{title}</text>')
        drawn += [
            f'<text x="{MARGIN_MM}" y="{tall - 2 + 2.4 * n:.2f}" font-size="1.8">{escape(note)}</text>'
            for n, note in enumerate(_notes(side))
        ]
        drawn += _svg_side(side)
        drawn.append("</g>")
    return "\n".join([*drawn, "</svg>"]) + "\n"


def _svg_side(side: SideDrawn) -> Iterator[str]:
    top = side.size_mm[1] + MARGIN_MM + HEAD_MM

    def at(p: Point) -> Point:
        return p[0] + MARGIN_MM, top - p[1]

    def path(rings: Sequence[Ring]) -> str:
        return "".join("M" + "L".join("{:.3f} {:.3f}".format(*at(p)) for p in ring) + "Z" for ring in rings)

    yield f'<path d="{path(side.edge)}" fill="none" stroke="{INK}" stroke-width="0.25"/>'
    for part in side.parts:
        dashes = "" if part.fitted else ' stroke-dasharray="0.6 0.5"'
        colour = INK if part.fitted else FAINT
        yield f'<path d="{path(part.body)}" fill="none" stroke="{colour}" stroke-width="0.15"{dashes}/>'
        if part.pin1:
            x, y = at(part.pin1)
            yield f'<circle cx="{x:.3f}" cy="{y:.3f}" r="0.25" fill="{colour}"/>'
        for spot, letter in part.ends:
            x, y = at(spot)
            yield (
                f'<text x="{x:.3f}" y="{y + 0.35 * END_MM:.3f}" font-size="{END_MM}" text-anchor="middle" '
                f'font-weight="bold" fill="{colour}">{letter}</text>'
            )
        x, y = at(part.at)
        turn = f' transform="rotate(-90 {x:.3f} {y:.3f})"' if part.upright else ""
        up = 0.5 * part.value_mm
        yield (
            f'<text x="{x:.3f}" y="{y + 0.35 * part.name_mm - up:.3f}" font-size="{part.name_mm:.2f}" '
            f'text-anchor="middle" fill="{colour}"{turn}><title>{escape(part.value)}</title>{escape(part.ref)}</text>'
        )
        if part.value_mm:
            yield (
                f'<text x="{x:.3f}" y="{y + 0.35 * part.name_mm + 0.5 * part.value_mm:.3f}" text-anchor="middle" '
                f'font-size="{part.value_mm:.2f}" fill="{colour}"{turn}>{escape(part.value)}</text>'
            )


def assembly_pdf(design: Design, variant: str = BASE) -> bytes:
    """Write a variant's assembly as PDF: a page for each side, as large as fits, and a list of its parts to tick."""
    out = io.BytesIO()
    canvas = Canvas(out, invariant=1)
    canvas.setTitle(f"{design.name}: assembly")
    for side in assembly_sides(design, variant):
        lying = side.size_mm[0] > side.size_mm[1]
        _page(canvas, design, side, variant, PAGE_MM[::-1] if lying else PAGE_MM)
    _list(canvas, design, variant)
    canvas.save()
    return out.getvalue()


def _page(canvas: Canvas, design: Design, side: SideDrawn, variant: str, page: tuple[float, float]) -> None:
    canvas.setPageSize((page[0] * MM_PT, page[1] * MM_PT))
    notes = [
        row
        for note in _notes(side)
        for row in simpleSplit(_plain(note), "Helvetica", 9, (page[0] - 2 * EDGE_MM) * MM_PT)
    ]
    room = page[0] - 2 * EDGE_MM, page[1] - 2 * EDGE_MM - LINE_MM * (3 + len(notes))
    scale = min(MOST_SCALE, room[0] / side.size_mm[0], room[1] / side.size_mm[1])
    # A scale one can say; anything smaller than half size in steps of a twentieth.
    scale = max(0.05, int(scale * 2) / 2 if scale >= 1 else int(scale * 20) / 20)
    canvas.setFont("Helvetica-Bold", 11)
    head = f"{_title(design, side, variant)}, {scale:g} : 1, seen from the {side.side}"
    canvas.drawString(EDGE_MM * MM_PT, (page[1] - EDGE_MM - 3) * MM_PT, _plain(head))
    canvas.setFont("Helvetica", 9)
    for k, note in enumerate(notes):
        canvas.drawString(EDGE_MM * MM_PT, (page[1] - EDGE_MM - 3 - LINE_MM * (k + 1)) * MM_PT, note)
    canvas.saveState()
    below = page[1] - EDGE_MM - LINE_MM * (3 + len(notes)) - scale * side.size_mm[1]
    canvas.translate((page[0] - scale * side.size_mm[0]) / 2 * MM_PT, below * MM_PT)
    canvas.scale(scale * MM_PT, scale * MM_PT)
    canvas.setLineWidth(0.25 / scale)
    _rings(canvas, side.edge)
    for part in side.parts:
        _part(canvas, part, scale)
    canvas.restoreState()
    canvas.showPage()


def _rings(canvas: Canvas, rings: Sequence[Ring]) -> None:
    for ring in rings:
        path = canvas.beginPath()
        path.moveTo(*ring[0])
        for x, y in ring[1:]:
            path.lineTo(x, y)
        path.close()
        canvas.drawPath(path, stroke=1, fill=0)


def _part(canvas: Canvas, part: PartDrawn, scale: float) -> None:
    grey = 0.12 if part.fitted else 0.55
    canvas.setStrokeGray(grey)
    canvas.setFillGray(grey)
    canvas.setLineWidth(0.18 / scale)
    canvas.setDash([] if part.fitted else [1.2 / scale, 1.0 / scale])
    _rings(canvas, part.body)
    canvas.setDash([])
    if part.pin1:
        canvas.circle(*part.pin1, 0.5 / scale, stroke=0, fill=1)
    for (x, y), letter in part.ends:
        canvas.setFont("Helvetica-Bold", END_MM)
        canvas.drawCentredString(x, y - 0.35 * END_MM, letter)
    canvas.saveState()
    canvas.translate(*part.at)
    if part.upright:
        canvas.rotate(90)
    canvas.setFont("Helvetica", part.name_mm)
    canvas.drawCentredString(0, 0.5 * part.value_mm - 0.35 * part.name_mm, _plain(part.ref))
    if part.value_mm:
        canvas.setFont("Helvetica", part.value_mm)
        canvas.drawCentredString(0, -0.5 * part.value_mm - 0.35 * part.name_mm, _plain(part.value))
    canvas.restoreState()


def _list(canvas: Canvas, design: Design, variant: str) -> None:
    """Write what is fitted, a line for each value and package, lowest parts first: so they are put on by hand."""
    have = fitted(design, variant)
    groups: dict[tuple[str, str, str], list[str]] = {}
    for part in design.parts.values():
        if have[part.ref]:
            groups.setdefault((part.value, part.package, part.catalogue), []).append(part.ref)
    order = sorted(
        groups.items(),
        key=lambda g: (design.packages[g[0][1]].height_nm, natural(min(g[1], key=natural))),
    )
    width, height = PAGE_MM
    y = 0.0
    for (value, package, number), refs in order:
        cells = ["", str(len(refs)), value or "-", package + (f", {number}" if number else "")]
        texts = [
            simpleSplit(_plain(t), "Helvetica", 8, (w - 2) * MM_PT)
            for t, w in zip(cells, COLUMNS_MM, strict=False)
        ]
        texts.append(
            simpleSplit(" ".join(sorted(refs, key=natural)), "Helvetica", 8, (COLUMNS_MM[-1] - 2) * MM_PT)
        )
        deep = 4.0 * max(1, *(len(t) for t in texts)) + 1.5
        if y - deep < EDGE_MM:
            if y:
                canvas.showPage()
            y = _list_head(canvas, design, variant, width, height)
        _row(canvas, texts, y)
        y -= deep
    if y:
        canvas.showPage()


def _list_head(canvas: Canvas, design: Design, variant: str, width: float, height: float) -> float:
    canvas.setPageSize((width * MM_PT, height * MM_PT))
    canvas.setFont("Helvetica-Bold", 11)
    head = f"{design.name}{f', variant {variant}' if variant else ''}: parts, lowest first"
    canvas.drawString(EDGE_MM * MM_PT, (height - EDGE_MM - 3) * MM_PT, _plain(head))
    return height - EDGE_MM - 12


def _row(canvas: Canvas, texts: Sequence[Sequence[str]], y: float) -> None:
    canvas.setLineWidth(0.4)
    canvas.setStrokeGray(0.3)
    canvas.rect((EDGE_MM + 1) * MM_PT, (y - 0.6) * MM_PT, 3 * MM_PT, 3 * MM_PT, stroke=1, fill=0)
    canvas.setFont("Helvetica", 8)
    x = EDGE_MM
    for cell, wide in zip(texts, COLUMNS_MM, strict=True):
        for k, line in enumerate(cell):
            canvas.drawString(x * MM_PT, (y - 4.0 * k) * MM_PT, line)
        x += wide


def _plain(text: str) -> str:
    """Leave out letters the fonts of every reader lack."""
    return text.replace("Ω", "Ohm").replace("−", "-").encode("cp1252", "replace").decode("cp1252")
