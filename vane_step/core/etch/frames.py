"""Copies of a board in one frame, with the marks that bring front and back together; paper is in ``sheets``.

A frame is arranged once, in the design view; the picture of each side is the whole frame, mirrored as the method wants
it, so that front, back, legend and template always lie on each other.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.board.geometry.strokefont import text_lines
from vane_step.core.board.silkscreen.legend import prints
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import InputError
from vane_step.core.etch.bores import bored
from vane_step.core.etch.drillplan import drill_plan, letter_of
from vane_step.core.etch.methods import BY_HAND, EtchMethod
from vane_step.core.etch.packing import Spot, packed
from vane_step.core.etch.picture import (
    PITCH_MM,
    Ink,
    edge_line,
    grid_shift,
    picture,
    rims,
    word_beside,
)

Kind = Literal["front", "back", "legend", "template"]
# What a saw and a file take between two boards; round the frame for marks, or without any; below a board for its word.
KERF_MM, BORDER_MM, BARE_BORDER_MM, WORD_MM = 4.0, 8.0, 3.0, 5.0
# Copies keep so far off the edge of a blank, where resist and toner hold badly.
BLANK_EDGE_MM: Final = 3.0
MARK_MM, LINE_MM = 2.5, 0.2
TEMPLATE_LINE_MM: Final = 0.15
WIRE_LINE_MM: Final = 0.6


@dataclass(frozen=True)
class Frame:
    """Copies of a board in one rectangle, in millimetres from its lower left corner, as seen from the front.

    Parameters
    ----------
    spots
        Where the copies' lower left corners lie.
    size
        Of one board, unturned.
    blank
        Whether the frame is a piece of laminate of a given size.
    beside
        Whether the side's word stands below each board, since it has no room on it.
    """

    width_mm: float
    height_mm: float
    spots: tuple[Spot, ...]
    size: tuple[float, float]
    blank: bool
    beside: bool


def frame_of(
    design: Design, copies: int, room: tuple[float, float], blank: tuple[float, float] | None, beside: bool
) -> Frame:
    """Arrange copies in a frame.

    Parameters
    ----------
    copies : int
        How many; 0 for as many as fit.
    room : (float, float)
        What a sheet offers to one frame, across and up in millimetres.
    blank : (float, float), optional
        The piece of laminate they are to fill.
    beside : bool
        Whether the word needs room below each board.

    Raises
    ------
    InputError
        When they do not fit; it says how many do.
    """
    x0, y0, x1, y1 = outline(design).bounds
    size = (x1 - x0, y1 - y0)
    taken = (size[0], size[1] + (WORD_MM if beside else 0.0))
    if blank is not None and not any(b[0] <= room[0] and b[1] <= room[1] for b in (blank, blank[::-1])):
        raise InputError(
            f"A blank of {blank[0]:g} x {blank[1]:g} mm is larger than what the sheet can show.",
            where="blank",
            value=f"{blank[0]:g}x{blank[1]:g}",
            allowed=f"up to {max(0.0, room[0]):.0f} x {max(0.0, room[1]):.0f} mm",
            next_step="Choose a larger paper.",
        )
    if blank is not None and not (blank[0] <= room[0] and blank[1] <= room[1]):
        blank = (blank[1], blank[0])
    inset = BLANK_EDGE_MM if blank else BORDER_MM if design.board.copper_layers > 1 else BARE_BORDER_MM
    area = blank or room
    inner = (area[0] - 2 * inset, area[1] - 2 * inset)
    fits = packed(taken, inner, KERF_MM)
    if not 1 <= (copies or 1) <= len(fits):
        what = (
            f"{copies or 1} {'copy' if (copies or 1) == 1 else 'copies'} of {size[0]:.1f} x {size[1]:.1f} mm"
        )
        raise InputError(
            f"{what} do{'es' if (copies or 1) == 1 else ''} not fit on {'the blank' if blank else 'one sheet'}.",
            where="copies",
            value=copies,
            allowed=f"1 to {len(fits)}"
            if fits
            else f"a board of {max(0.0, inner[0]):.0f} x {max(0.0, inner[1]):.0f} mm",
            next_step="Take fewer." if fits else "Choose a larger paper or blank.",
        )
    spots = fits if not copies else _few(taken, inner, copies) or fits[:copies]
    if blank:
        return Frame(
            *blank, tuple(Spot(s.x_mm + inset, s.y_mm + inset, s.turned) for s in spots), size, True, beside
        )
    wide = max(s.x_mm + (taken[1] if s.turned else taken[0]) for s in spots)
    tall = max(s.y_mm + (taken[0] if s.turned else taken[1]) for s in spots)
    at = tuple(Spot(s.x_mm + inset, s.y_mm + inset, s.turned) for s in spots)
    return Frame(wide + 2 * inset, tall + 2 * inset, at, size, False, beside)


def _few(size: tuple[float, float], room: tuple[float, float], copies: int) -> list[Spot] | None:
    """Give the plain grid of that many copies that takes the least paper, None where none fits."""
    best: tuple[float, list[Spot]] | None = None
    for turned in (False, True):
        a, b = size[::-1] if turned else size
        for columns in range(1, copies + 1):
            rows = math.ceil(copies / columns)
            wide, tall = columns * (a + KERF_MM) - KERF_MM, rows * (b + KERF_MM) - KERF_MM
            if (
                wide <= room[0] + 1e-9
                and tall <= room[1] + 1e-9
                and (best is None or wide * tall < best[0] - 1e-6)
            ):
                spots = [
                    Spot((k % columns) * (a + KERF_MM), (k // columns) * (b + KERF_MM), turned)
                    for k in range(copies)
                ]
                best = wide * tall, spots
    return best[1] if best else None


def on_frame(shape: BaseGeometry, design: Design, frame: Frame, spot: Spot) -> BaseGeometry:
    """Carry a shape of the board to a copy's place in the frame."""
    x0, y0, _, _ = outline(design).bounds
    low = WORD_MM if frame.beside else 0.0
    if spot.turned:
        # A quarter anticlockwise; the word's strip comes to lie at the right.
        high = frame.size[1] + low
        return affinity.affine_transform(shape, (0, -1, 1, 0, spot.x_mm + high - low + y0, spot.y_mm - x0))
    return affinity.translate(shape, spot.x_mm - x0, spot.y_mm + low - y0)


@derived(*COPPER, "sources")
def frame_picture(
    design: Design, frame: Frame, kind: Kind, method: EtchMethod, ink: Ink, pins: bool
) -> BaseGeometry:
    """Draw one picture of a frame the way it is printed, its lower left corner at the origin.

    Parameters
    ----------
    kind
        A copper side, the front's legend, or the template that is glued on to drill through.
    pins
        Whether the marks are there to be drilled for pins.
    """
    one = _board_picture(design, kind, method, ink, frame.beside)
    parts = [on_frame(shape, design, frame, spot) for spot in frame.spots for shape in one]
    if design.board.copper_layers > 1 or frame.blank:
        parts.append(register_marks(frame, pins))
    whole: BaseGeometry = shapely.GeometryCollection(parts)
    if kind in ("front", "back") and method.negative:
        # Taken away one after the other: uniting all of it first takes as long again.
        whole = box(0, 0, frame.width_mm, frame.height_mm)
        for part in parts:
            whole = whole.difference(part)
    if is_mirrored(design, kind, method):
        whole = affinity.scale(whole, -1, 1, origin=(frame.width_mm / 2, 0))
    return whole


def is_mirrored(design: Design, kind: Kind, method: EtchMethod) -> bool:
    """Tell whether a picture is printed mirrored: legend is ironed on, a template glued on the side that is drilled."""
    if kind == "legend":
        return True
    if kind == "template":
        return drilled_from(design) == "back"
    return method.mirrored(kind)


def drilled_from(design: Design) -> Side:
    """Give the side a board is drilled from: where its copper is."""
    return "back" if "front" not in design.board.layers else "front"


def _board_picture(
    design: Design, kind: Kind, method: EtchMethod, ink: Ink, beside: bool
) -> list[BaseGeometry]:
    edge = edge_line(design)
    if kind == "legend":
        return [edge, *_legend(design)]
    if kind == "template":
        return [edge, *_template(design)]
    made = picture(design, kind, ink)
    drawn = rims(made.ink) if method.drawn == "outline" else made.ink
    shapes = [edge, drawn]
    if ink.words and beside and made.word_at is None:
        x0, y0, x1, _ = outline(design).bounds
        shapes.append(word_beside(kind, (x0 + x1) / 2, y0 - WORD_MM / 2 + 0.5))
    if method.name in BY_HAND:
        shapes += _grid_ticks(design)
    return shapes


def _legend(design: Design) -> list[BaseGeometry]:
    """Draw the front's legend, and wires between their holes as they will lie."""
    lines = [
        LineString(li.points).buffer(li.width_mm / 2)
        for one in prints(design, "front")
        for li in one.lines
        if len(li.points) > 1
    ]
    for name, wire in design.jumpers.items():
        (xa, ya), (xb, yb) = ((x / 1e6, y / 1e6) for x, y in (wire.a, wire.b))
        lines.append(LineString([(xa, ya), (xb, yb)]).buffer(WIRE_LINE_MM / 2))
        words = text_lines(name, (xa + xb) / 2, (ya + yb) / 2 + 1.2, 1.3)
        lines += [LineString(w).buffer(0.1) for w in words]
    return lines


def _template(design: Design) -> list[BaseGeometry]:
    """Draw a cross and a ring at each hole, with the letter of its bit."""
    bits = {row.drill_mm: letter_of(k) for k, row in enumerate(drill_plan(design))}
    mirrored = drilled_from(design) == "back"
    drawn: list[BaseGeometry] = []
    for h in {(h.x_mm, h.y_mm): h for h in bored(design)}.values():
        r = h.drill_mm / 2
        drawn.append(Point(h.x_mm, h.y_mm).buffer(r).boundary.buffer(TEMPLATE_LINE_MM / 2))
        for dx, dy in ((r + 0.5, 0.0), (0.0, r + 0.5)):
            line = LineString([(h.x_mm - dx, h.y_mm - dy), (h.x_mm + dx, h.y_mm + dy)])
            drawn.append(line.buffer(TEMPLATE_LINE_MM / 2))
        near = min(bits, key=lambda mm: abs(mm - h.drill_mm))
        at = (h.x_mm + (-1 if mirrored else 1) * (r + 0.9), h.y_mm + r + 0.7)
        drawn += [LineString(w).buffer(0.06) for w in text_lines(bits[near], *at, 1.0, mirrored=mirrored)]
    return drawn


def _grid_ticks(design: Design) -> list[BaseGeometry]:
    """Draw ticks round the board where the rows of perforated board lie, so that it can be laid under."""
    x0, y0, x1, y1 = outline(design).bounds
    gx, gy = grid_shift(design)
    xs = np.arange(x0 + (gx - x0) % PITCH_MM, x1 + 1e-6, PITCH_MM)
    ys = np.arange(y0 + (gy - y0) % PITCH_MM, y1 + 1e-6, PITCH_MM)
    ticks = [((x, y), (x, y + s)) for x in xs for y, s in ((y0 - 1.6, 1.0), (y1 + 0.6, 1.0))]
    ticks += [((x, y), (x + s, y)) for y in ys for x, s in ((x0 - 1.6, 1.0), (x1 + 0.6, 1.0))]
    return [LineString(t).buffer(0.06) for t in ticks]


def mark_places(frame: Frame) -> tuple[tuple[float, float], ...]:
    """Give the middles of the marks in the corners of a frame, the first lower left and then round."""
    e = BORDER_MM / 2 if not frame.blank else 0.0
    w, h = frame.width_mm, frame.height_mm
    return (e, e), (w - e, e), (w - e, h - e), (e, h - e)


def register_marks(frame: Frame, pins: bool) -> BaseGeometry:
    """Draw the marks by which two sheets are laid on each other, or a sheet on a blank.

    A cross in each corner; that at the lower left has a ring, so that no sheet can be laid on turned. For pins each
    cross has a ring to drill through. A blank has its corners drawn.
    """
    drawn: list[BaseGeometry] = []
    for k, (x, y) in enumerate(mark_places(frame)):
        sx, sy = (1 if x < frame.width_mm / 2 else -1), (1 if y < frame.height_mm / 2 else -1)
        reach = (MARK_MM, MARK_MM)
        if frame.blank:
            ends = ((x + sx * reach[0], y), (x, y), (x, y + sy * reach[1]))
            drawn.append(LineString(ends).buffer(LINE_MM / 2, cap_style="flat", join_style="mitre"))
            if k == 0:
                drawn.append(Point(x + sx * 1.5, y + sy * 1.5).buffer(0.6))
            continue
        drawn.append(LineString([(x - reach[0], y), (x + reach[0], y)]).buffer(LINE_MM / 2, cap_style="flat"))
        drawn.append(LineString([(x, y - reach[1]), (x, y + reach[1])]).buffer(LINE_MM / 2, cap_style="flat"))
        if pins or k == 0:
            drawn.append(Point(x, y).buffer(1.5 if k == 0 else 1.0).boundary.buffer(LINE_MM / 2))
    return shapely.disjoint_subset_union_all(drawn)


def meeting_holes(design: Design) -> tuple[tuple[str, float, float], tuple[str, float, float]] | None:
    """Give the two holes of pads that lie farthest apart: held against the light, these must meet on both sheets."""
    spots = [(h.id, h.x_mm, h.y_mm) for h in bored(design) if h.net is not None or h.id not in design.holes]
    if len(spots) < 2 or design.board.copper_layers < 2:
        return None
    hull = shapely.MultiPoint([(x, y) for _, x, y in spots]).convex_hull
    corners = list(hull.coords) if not isinstance(hull, Polygon) else list(hull.exterior.coords)
    pairs = ((math.dist(p, q), p, q) for i, p in enumerate(corners) for q in corners[i + 1 :])
    _, p, q = max(pairs)
    by = {(x, y): (id, x, y) for id, x, y in spots}
    return by[p], by[q]
