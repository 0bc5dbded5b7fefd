"""The legend as it will be printed: outlines, references and texts, kept off the pads; copper is not here."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import LineString, MultiLineString, Polygon, box
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.geometry import ARC_SEGMENTS, WIDEN, copper_items, courtyards, holes, outline, place_point
from vane_step.core.board.strokefont import text_lines, text_width
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Side, natural

REF_HEIGHTS_MM = (1.2, 1.0)
# Shorter lines are left out.
LEAST_MM = 0.3


@dataclass(frozen=True, slots=True)
class LegendLine:
    """One printed line: what it belongs to, its points in millimetres and its width."""

    owner: str
    kind: str
    side: Side
    points: tuple[tuple[float, float], ...]
    width_mm: float


@dataclass(frozen=True, slots=True)
class Printed:
    """A piece of text as placed, with the box it fills."""

    owner: str
    text: str
    side: Side
    x_mm: float
    y_mm: float
    height_mm: float
    turn_deg: float

    def corners(self, margin_mm: float) -> tuple[tuple[float, float], tuple[float, float]]:
        """Give two opposite corners of the box of a text that lies or stands upright, grown by a margin."""
        wide = text_width(self.text, self.height_mm) / 2 + margin_mm
        tall = self.height_mm / 2 + margin_mm
        if self.turn_deg % 180:
            wide, tall = tall, wide
        return (self.x_mm - wide, self.y_mm - tall), (self.x_mm + wide, self.y_mm + tall)

    def box(self, margin_mm: float = 0.1) -> Polygon:
        """Give the box the middle lines of the text fill, grown by a margin, in millimetres."""
        half = text_width(self.text, self.height_mm) / 2 + margin_mm
        tall = self.height_mm / 2 + margin_mm
        flat = box(self.x_mm - half, self.y_mm - tall, self.x_mm + half, self.y_mm + tall)
        return shapely.affinity.rotate(flat, self.turn_deg, origin=(self.x_mm, self.y_mm))


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes")
def mask_openings(design: Design, side: Side) -> tuple[BaseGeometry, ...]:
    """Give what is free of solder mask on a side: pads and jumper holes grown by the margin, and bare holes."""
    margin = design.board.rules.mask_margin_nm / 1e6
    bare_board = design.replaced(tracks={})
    items = [i for i in copper_items(bare_board) if i.kind in ("pad", "jumper") and (side in i.layers or i.drill_mm)]
    bare = [h for h in holes(design) if not h.plated and h.net is None]
    spines = np.array([i.spine for i in items] + [shapely.Point(h.x_mm, h.y_mm) for h in bare], dtype=object)
    grow = np.array([i.radius_mm + margin for i in items] + [h.drill_mm / 2 + margin for h in bare])
    return tuple(shapely.buffer(spines, grow * WIDEN, quad_segs=ARC_SEGMENTS)) if len(spines) else ()


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "holes", "texts")
def legend(design: Design) -> tuple[LegendLine, ...]:
    """Give every line of the legend of both sides.

    Part outlines are cut back where they would run over a mask opening; references go beside their parts where
    they cover neither openings, courtyards of other parts nor other text, and are left out where no place is
    free; texts of the user are printed as they were put.
    """
    width = design.board.rules.legend_width_nm / 1e6
    lines: list[LegendLine] = []
    for side in ("front", "back"):
        lines += _outlines(design, side, width)
        for text in references(design, side):
            lines += _printed_lines(text, "reference", width)
    for item in design.texts.values():
        printed = Printed(
            item.id, item.text, item.side, item.x_nm / 1e6, item.y_nm / 1e6, item.height_nm / 1e6, item.turn_deg
        )
        lines += _printed_lines(printed, "text", width)
    return tuple(lines)


def _printed_lines(text: Printed, kind: str, width: float) -> list[LegendLine]:
    drawn = text_lines(text.text, text.x_mm, text.y_mm, text.height_mm, text.turn_deg, mirrored=text.side == "back")
    return [LegendLine(text.owner, kind, text.side, tuple(points), width) for points in drawn]


def _reach_mm(design: Design) -> float:
    """Give how far the middle of a printed line keeps from a mask opening.

    Openings are drawn as polygons; the hundredth covers what their corners fall short of the circle.
    """
    return (design.board.rules.legend_to_pad_nm + design.board.rules.legend_width_nm / 2) / 1e6 + 0.01


def _outlines(design: Design, side: Side, width: float) -> list[LegendLine]:
    """Give the outlines of the parts of a side, cut back at openings and at the edge."""
    drawn: list[tuple[str, list[tuple[float, float]]]] = []
    for part in design.parts.values():
        if part.place is not None and part.place.side == side:
            for run in design.packages[part.package].legend:
                points = [place_point(part.place, x, y) for x, y in run]
                drawn.append((part.ref, [(x / 1e6, y / 1e6) for x, y in points]))
    if not drawn:
        return []
    board = outline(design).buffer(-width / 2)
    shapely.prepare(board)
    openings = shapely.buffer(np.array(mask_openings(design, side), dtype=object), _reach_mm(design))
    shapes = np.array([LineString(points) for _, points in drawn], dtype=object)
    cut: dict[int, list[int]] = {}
    for k, opening in zip(*STRtree(openings).query(shapes, predicate="intersects"), strict=True):
        cut.setdefault(int(k), []).append(int(opening))
    inside = shapely.covers(board, shapes)
    lines = []
    for k, (ref, points) in enumerate(drawn):
        if shapes[k].length <= LEAST_MM:
            continue
        if k not in cut and inside[k]:
            lines.append(LegendLine(ref, "outline", side, tuple(points), width))
            continue
        left: BaseGeometry = shapes[k].difference(shapely.union_all(openings[cut[k]])) if k in cut else shapes[k]
        if not inside[k]:
            left = left.intersection(board)
        for piece in left.geoms if isinstance(left, MultiLineString) else [left]:
            if isinstance(piece, LineString) and piece.length > LEAST_MM:
                lines.append(LegendLine(ref, "outline", side, tuple(piece.coords), width))
    return lines


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes", "texts")
def references(design: Design, side: Side) -> tuple[Printed, ...]:
    """Place the references of a side: nearest free spot round each part, large parts last.

    All spots of all parts are held against openings, courtyards, texts and the edge at once; only what references do
    to each other is left to go through one by one.
    """
    margin = max(0.1, _reach_mm(design))
    yards = {r: y for r, y in courtyards(design).items() if design.parts[r].place.side == side}  # type: ignore[union-attr]
    spots = [
        s for ref in sorted(yards, key=lambda r: (yards[r].area, natural(r))) for s in _spots(ref, side, yards[ref])
    ]
    if not spots:
        return ()
    openings = mask_openings(design, side)
    texts = [
        Printed(t.id, t.text, side, t.x_nm / 1e6, t.y_nm / 1e6, t.height_nm / 1e6, t.turn_deg).box()
        for t in design.texts.values()
        if t.side == side
    ]
    number = {ref: k for k, ref in enumerate(yards)}
    solids = np.array([*openings, *texts, *yards.values()], dtype=object)
    owner = np.array([-1] * (len(openings) + len(texts)) + list(range(len(yards))))
    low, high = np.array([s.corners(margin) for s in spots]).transpose(1, 0, 2)
    frames = shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])
    mine = np.array([number[s.owner] for s in spots])
    hit, solid = STRtree(solids).query(frames, predicate="intersects")
    board = outline(design).buffer(-0.3)
    shapely.prepare(board)
    free = shapely.covers(board, frames)
    free[hit[owner[solid] != mine[hit]]] = False
    taken: list[int] = []
    done: set[str] = set()
    for k in np.flatnonzero(free):
        if spots[k].owner not in done and not ((low[taken] <= high[k]) & (low[k] <= high[taken])).all(axis=1).any():
            taken.append(int(k))
            done.add(spots[k].owner)
    return tuple(spots[k] for k in taken)


def _spots(ref: str, side: Side, yard: Polygon) -> list[Printed]:
    """List places for a reference, best first: above, below, beside, upright beside, then on the body."""
    x0, y0, x1, y1 = yard.bounds
    cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
    spots = []
    for height in REF_HEIGHTS_MM:
        half, tall = text_width(ref, height) / 2 + 0.12, height / 2 + 0.12
        flat = [(cx, y1 + tall), (cx, y0 - tall), (x1 + half, cy), (x0 - half, cy)]
        flat += [(x0 + half, y1 + tall), (x1 - half, y1 + tall), (x0 + half, y0 - tall), (x1 - half, y0 - tall)]
        spots += [Printed(ref, ref, side, x, y, height, 0.0) for x, y in flat]
        spots += [Printed(ref, ref, side, x, cy, height, 90.0) for x in (x1 + tall, x0 - tall)]
        spots += [Printed(ref, ref, side, cx, cy, height, 0.0)]
    return spots
