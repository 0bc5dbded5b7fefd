"""The land-pattern check: dimensions, two questions against mirroring, and a print to lay the part on."""

from __future__ import annotations

import io
import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from vane_step.core.design.model import Design, Package, PadSpec
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.finding import Finding, Place, tell

DIRECTIONS: Final = ("right", "above", "left", "below")
SENSES: Final = ("clockwise", "anticlockwise")


@dataclass(frozen=True)
class Measure:
    """A dimension of a pattern: what it is, and its size in millimetres."""

    name: str
    mm: float


def _ordered(pack: Package) -> list[PadSpec]:
    """Give one pad of each number, in their order."""
    return list({p.number: p for p in reversed(pack.pads)}.values())[::-1]


def measures(pack: Package) -> list[Measure]:
    """Measure a pattern as one would on the print: over all, pads, pitch, holes and gaps."""
    pads = _ordered(pack)
    x0, x1 = min(p.x_nm - p.width_nm / 2 for p in pack.pads), max(p.x_nm + p.width_nm / 2 for p in pack.pads)
    y0, y1 = (
        min(p.y_nm - p.height_nm / 2 for p in pack.pads),
        max(p.y_nm + p.height_nm / 2 for p in pack.pads),
    )
    found = [Measure("over all, across", (x1 - x0) / 1e6), Measure("over all, along", (y1 - y0) / 1e6)]
    first = pads[0]
    found += [Measure("pad 1, across", first.width_nm / 1e6), Measure("pad 1, along", first.height_nm / 1e6)]
    if len(pads) > 1:
        steps = [
            math.hypot(a.x_nm - b.x_nm, a.y_nm - b.y_nm) for k, a in enumerate(pads) for b in pads[k + 1 :]
        ]
        found.append(Measure("least step between pads", min(steps) / 1e6))
    inner = [p for p in pads if abs(p.x_nm) > 0]
    left, right = [p for p in inner if p.x_nm < 0], [p for p in inner if p.x_nm > 0]
    if left and right:
        gap = min(p.x_nm - p.width_nm / 2 for p in right) - max(p.x_nm + p.width_nm / 2 for p in left)
        rows = min(p.x_nm for p in right) - max(p.x_nm for p in left)
        found += [
            Measure("rows apart, middle to middle", rows / 1e6),
            Measure("gap between the rows", gap / 1e6),
        ]
    drills = sorted({p.drill_nm for p in pack.pads if p.drill_nm})
    found += [Measure("hole", d / 1e6) for d in drills]
    found += [Measure("length of slot", d / 1e6) for d in sorted({p.slot_nm for p in pack.pads if p.slot_nm})]
    found += [Measure("body, across", pack.body_nm[0] / 1e6), Measure("body, along", pack.body_nm[1] / 1e6)]
    return [Measure(m.name, round(m.mm, 3)) for m in found if m.mm > 0 or m.name.startswith("gap")]


def truth(pack: Package) -> tuple[str, str] | None:
    """Tell where pin 2 lies from pin 1, seen from above, and which way the numbers run; ``None`` if nothing can turn.

    A part of two equal ends cannot be mirrored; a polarised one can, and its order is that of its two pads. With
    three pads or more the sense is that of the polygon through the pads in their order; pads in a row have none, and
    then the second answer is that of pin 2 seen from the body's middle.
    """
    pads = _ordered(pack)
    if len(pads) < 2 or (len(pads) == 2 and not pack.polarised):
        return None
    dx, dy = pads[1].x_nm - pads[0].x_nm, pads[1].y_nm - pads[0].y_nm
    direction = DIRECTIONS[round(math.degrees(math.atan2(dy, dx)) / 90) % 4]
    points = [(p.x_nm, p.y_nm) for p in pads]
    area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(points, points[1:] + points[:1], strict=True))
    if abs(area) < 1e9:
        return direction, SENSES[1]
    return direction, SENSES[1] if area > 0 else SENSES[0]


def judged(pack: Package, pin2: str, sense: str) -> Package:
    """Hold two answers from the maker's drawing against a pattern; give the pattern marked as checked.

    Parameters
    ----------
    pin2 : str
        Where pin 2 lies from pin 1 in the drawing, seen from above with the part turned as the pattern is.
    sense : str
        Which way the numbers run round the part, seen from above.

    Raises
    ------
    InputError
        When an answer is none of those possible.
    EditRefused
        When they contradict the pattern: it is mirrored, turned, or numbered otherwise.
    """
    if pin2 not in DIRECTIONS or sense not in SENSES:
        raise InputError(
            f"{pin2!r}, {sense!r} is no answer.",
            where=pack.name,
            allowed=f"{', '.join(DIRECTIONS)}; {', '.join(SENSES)}",
        )
    right = truth(pack)
    if right is None:
        return pack.model_copy(update={"checked": "two equal ends: nothing to turn round"})
    if (pin2, sense) == right:
        return pack.model_copy(
            update={"checked": f"pin 2 {pin2} of pin 1, numbers run {sense}, as in the drawing"}
        )
    if sense != right[1]:
        says = f"The drawing runs {sense}, the pattern {right[1]}: it would be mirrored"
        step = "Is the drawing a view from the back? Then answer as seen from above; else correct the pins."
    else:
        says = f"In the drawing pin 2 is {pin2} of pin 1, in the pattern {right[0]}: it is turned or numbered otherwise"
        step = "Turn the drawing as the pattern lies and answer again; else correct the pins."
    raise EditRefused(
        f"{says}.", where=pack.name, value=f"{pin2}, {sense}", allowed=", ".join(right), next_step=step
    )


# Patterns a finding names, and those it is at.
FEW, MOST_NAMED = 6, 40


def pattern_findings(design: Design) -> Iterator[Finding]:
    """Tell land patterns of a board about to be ordered that were neither proved on a board nor checked.

    A board is about to be ordered when all its parts have a place and it is not etched at home.
    """
    if design.board.rules.etched or not design.parts or any(p.place is None for p in design.parts.values()):
        return
    users: dict[str, str] = {}
    for part in design.parts.values():
        users.setdefault(part.package, part.ref)
    open_ones = {n: r for n, r in users.items() if not design.packages[n].proved}
    for checked in (False, True):
        names = {n: r for n, r in open_ones.items() if bool(design.packages[n].checked) is checked}
        if not names:
            continue
        what = "checked but never soldered" if checked else "neither checked nor proven on a board"
        count = f"{len(names)} land patterns were" if len(names) > 1 else "A land pattern was"
        listed = ", ".join(list(names)[:FEW]) + (" …" if len(names) > FEW else "")
        place = Place(step="parts", refs=tuple(names.values())[:MOST_NAMED])
        yield tell(
            "unproved-pattern",
            f"{count} {what}: {listed}",
            len(names),
            0,
            place,
            level="note" if checked else "look",
            unit="patterns",
            source="land-pattern check",
        )


def pattern_pdf(packs: list[Package]) -> bytes:
    """Draw patterns at true size on A4, each with its pin 1, its numbers, its dimensions and a ruler of 50 mm.

    The bytes depend on the patterns only.
    """
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=A4, invariant=True, pageCompression=0)
    canvas.setTitle("Land patterns, true size")
    width, height = A4[0] / mm, A4[1] / mm
    y = _page_head(canvas, height)
    for pack in packs:
        x0, y0, x1, y1 = (v / 1e6 for v in pack.courtyard_nm)
        rows = measures(pack)
        need = max(y1 - y0, 4.2 * (len(rows) + 2)) + 14
        if y - need < 10:
            canvas.showPage()
            y = _page_head(canvas, height)
        _draw(canvas, pack, 20 - x0, y - 10 - y1)
        left = max(20 + (x1 - x0) + 12, 70)
        canvas.setFont("Helvetica-Bold", 10)
        canvas.drawString(min(left, width - 70) * mm, (y - 6) * mm, f"{pack.name}  {pack.title}")
        canvas.setFont("Helvetica", 9)
        for k, row in enumerate(rows):
            canvas.drawString(
                min(left, width - 70) * mm, (y - 11 - 4.2 * k) * mm, f"{row.name}: {row.mm:.2f} mm"
            )
        y -= need
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _page_head(canvas: Canvas, height: float) -> float:
    canvas.setFont("Helvetica", 9)
    canvas.drawString(
        20 * mm,
        (height - 14) * mm,
        "Print at 100 %. The line below is 50 mm; put the parts on, seen from above.",
    )
    canvas.setLineWidth(0.3 * mm)
    canvas.line(20 * mm, (height - 19) * mm, 70 * mm, (height - 19) * mm)
    for k in range(6):
        canvas.line((20 + 10 * k) * mm, (height - 19) * mm, (20 + 10 * k) * mm, (height - 17) * mm)
    return height - 24


def _draw(canvas: Canvas, pack: Package, at_x: float, at_y: float) -> None:
    """Draw a pattern with its origin at a place in millimetres."""
    for pad in pack.pads:
        x, y, w, h = (v / 1e6 for v in (pad.x_nm, pad.y_nm, pad.width_nm, pad.height_nm))
        canvas.setFillGray(0.72)
        box = ((at_x + x - w / 2) * mm, (at_y + y - h / 2) * mm, w * mm, h * mm)
        if pad.shape == "rect":
            canvas.rect(*box, stroke=0, fill=1)
        else:
            canvas.roundRect(*box, min(w, h) / 2 * mm, stroke=0, fill=1)
        if pad.drill_nm:
            canvas.setFillGray(1)
            half_x, half_y = (v / 1e6 + pad.drill_nm / 2e6 for v in pad.slot_half_nm)
            bore = ((at_x + x - half_x) * mm, (at_y + y - half_y) * mm, 2 * half_x * mm, 2 * half_y * mm)
            canvas.roundRect(*bore, pad.drill_nm / 2e6 * mm, stroke=0, fill=1)
        canvas.setFillGray(0)
        size = max(2.0, min(6.0, min(w, h) * 2.0))
        canvas.setFont("Helvetica", size)
        canvas.drawCentredString((at_x + x) * mm, (at_y + y) * mm - size / 3, pad.number)
    canvas.setLineWidth(0.12 * mm)
    for run in pack.legend:
        path = canvas.beginPath()
        path.moveTo((at_x + run[0][0] / 1e6) * mm, (at_y + run[0][1] / 1e6) * mm)
        for px, py in run[1:]:
            path.lineTo((at_x + px / 1e6) * mm, (at_y + py / 1e6) * mm)
        canvas.drawPath(path)
