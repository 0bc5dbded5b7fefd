"""The legend as it will be printed: outlines, references and texts, kept off the pads; copper is not here."""

from __future__ import annotations

import functools
import hashlib
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import shapely
from shapely.geometry import LineString, MultiLineString, Polygon, box
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.geometry import (
    ARC_SEGMENTS,
    WIDEN,
    CopperItem,
    Hole,
    copper_items,
    courtyards,
    extents,
    holes,
    outline,
    pads_of,
    place_points,
)
from vane_step.core.board.inkshape import fill_lines, shape_of
from vane_step.core.board.strokefont import text_lines, text_width
from vane_step.core.derive import Kept, derived
from vane_step.core.design.model import Design, LegendText, Side, natural

SIDES: Final[tuple[Side, ...]] = ("front", "back")
REF_HEIGHTS_MM = (1.2, 1.0)
# Squares of the board by which places that are taken are found again.
SQUARE_MM = 4.0
# Shorter lines are left out.
LEAST_MM = 0.3


def polylines(runs: Sequence[Sequence[tuple[float, float]]]) -> np.ndarray:
    """Make a line of each run of points, all in one call."""
    sizes = [len(run) for run in runs]
    points = np.array([p for run in runs for p in run], dtype=np.float64)
    lines: np.ndarray = shapely.linestrings(points, indices=np.repeat(np.arange(len(runs)), sizes))
    return lines


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

    def box(self, margin_mm: float = 0.1) -> Polygon:
        """Give the box the middle lines of the text fill, grown by a margin, in millimetres."""
        half = text_width(self.text, self.height_mm) / 2 + margin_mm
        tall = self.height_mm / 2 + margin_mm
        flat = box(self.x_mm - half, self.y_mm - tall, self.x_mm + half, self.y_mm + tall)
        return shapely.affinity.rotate(flat, self.turn_deg, origin=(self.x_mm, self.y_mm))


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes")
def mask_openings(design: Design, side: Side) -> tuple[BaseGeometry, ...]:
    """Give what is free of solder mask on a side: pads and jumper holes grown by the margin, and bare holes."""
    return tuple(openings_near(design, side, None))


def openings_near(design: Design, side: Side, boxes: np.ndarray | None) -> np.ndarray:
    """Give the openings of the mask of a side whose boxes overlap one of some boxes (n x 4, mm), or all of them."""
    margin = design.board.rules.mask_margin_nm / 1e6
    shapes: list[BaseGeometry] = []
    grow: list[float] = []
    for thing in _openers(design, boxes):
        if isinstance(thing, Hole):
            if not thing.plated and thing.net is None:
                shapes.append(shapely.Point(thing.x_mm, thing.y_mm))
                grow.append(thing.drill_mm / 2 + margin)
        elif side in thing.layers or thing.drill_mm:
            shapes.append(thing.spine)
            grow.append(thing.radius_mm + margin)
    if not shapes:
        return np.array([], dtype=object)
    spines, by = np.array(shapes, dtype=object), np.array(grow)
    if boxes is not None:
        reach = np.maximum(by, 0)[:, None]
        near = _overlaps(shapely.bounds(spines) + np.hstack([-reach, -reach, reach, reach]), boxes).any(axis=1)
        spines, by = spines[near], by[near]
    found: np.ndarray = shapely.buffer(spines, by * WIDEN, quad_segs=ARC_SEGMENTS)
    return found


def _openers(design: Design, boxes: np.ndarray | None) -> Iterator[CopperItem | Hole]:
    """Give the pads, wire ends and holes of the parts that come into some boxes, or of all, and of the board."""
    frames = extents(design)
    refs = list(frames)
    if boxes is not None and refs:
        hit = np.flatnonzero(_overlaps(np.array(list(frames.values())), boxes).any(axis=1))
        refs = [refs[k] for k in hit]
    for ref in refs:
        yield from pads_of(design, design.parts[ref])
    if design.jumpers or design.holes:
        board = design.replaced(parts={}, tracks={}, vias={})
        yield from copper_items(board)
        yield from (h for h in holes(board) if h.id in design.holes)


def _overlaps(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Tell for each two of two lists of boxes (x0, y0, x1, y1) whether they overlap."""
    hit: np.ndarray = (
        (a[:, None, 0] <= b[None, :, 2])
        & (b[None, :, 0] <= a[:, None, 2])
        & (a[:, None, 1] <= b[None, :, 3])
        & (b[None, :, 1] <= a[:, None, 3])
    )
    return hit


@dataclass(frozen=True, slots=True)
class Print:
    """All lines one part or text has on the legend of a side, and what they depend on, as a key."""

    owner: str
    key: tuple[bytes, Printed | None]
    lines: tuple[LegendLine, ...]


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "holes", "texts")
def legend(design: Design) -> tuple[LegendLine, ...]:
    """Give every line of the legend of both sides, see :func:`prints`."""
    return tuple(line for side in SIDES for one in prints(design, side) for line in one.lines)


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes", "texts")
def prints(design: Design, side: Side) -> tuple[Print, ...]:
    """Give what is printed on a side, part by part, then the texts.

    Part outlines are cut back where they would run over a mask opening; references go beside their parts where
    they cover neither openings, courtyards of other parts nor other text, and are left out where no place is
    free; texts of the user are printed as they were put. What lies round a part decides its outline and the
    places its reference might take: both are kept by that, and worked out anew only where something moved.
    """
    width = design.board.rules.legend_width_nm / 1e6
    round_it = surroundings(design, side)
    rooms = _rooms(design, side)
    chosen = {p.owner: p for p in references(design, side)}
    found = []
    for ref, room in rooms.items():
        printed = chosen.get(ref)
        lines = room.lines + (_printed_lines(printed, "reference", width) if printed else ())
        found.append(Print(ref, (round_it[ref], printed), lines))
    for item in design.texts.values():
        if item.side == side:
            printed = _as_printed(item)
            lines = _inked(item, width) if item.shape else _printed_lines(printed, "text", width)
            found.append(Print(item.id, (item.mark(), printed), lines))
    return tuple(found)


def _as_printed(text: LegendText) -> Printed:
    x, y, height = text.x_nm / 1e6, text.y_nm / 1e6, text.height_nm / 1e6
    return Printed(text.id, text.text, text.side, x, y, height, text.turn_deg)


def _text_box(text: LegendText) -> Polygon:
    """Give the box a text or a shape fills."""
    return shapely.box(*shape_of(text).bounds) if text.shape else _as_printed(text).box()


def _inked(text: LegendText, width: float) -> tuple[LegendLine, ...]:
    return tuple(LegendLine(text.id, "shape", text.side, points, width) for points in fill_lines(text, width))


@functools.lru_cache(maxsize=4096)
def _printed_lines(text: Printed, kind: str, width: float) -> tuple[LegendLine, ...]:
    drawn = text_lines(text.text, text.x_mm, text.y_mm, text.height_mm, text.turn_deg, mirrored=text.side == "back")
    return tuple(LegendLine(text.owner, kind, text.side, tuple(points), width) for points in drawn)


def _reach_mm(design: Design) -> float:
    """Give how far the middle of a printed line keeps from a mask opening.

    Openings are drawn as polygons; the hundredth covers what their corners fall short of the circle.
    """
    return (design.board.rules.legend_to_pad_nm + design.board.rules.legend_width_nm / 2) / 1e6 + 0.01


@derived("parts", "packages", "nets", "board", "jumpers", "holes", "texts")
def _in_the_way(design: Design) -> tuple[list[bytes], np.ndarray]:
    """Give the marks and boxes of all that a print may have to give way to."""
    marks: list[bytes] = []
    frames: list[tuple[float, float, float, float]] = []
    for ref, frame in extents(design).items():
        part = design.parts[ref]
        frames.append(frame)
        marks.append(part.mark() + design.packages[part.package].mark())
    for jumper in design.jumpers.values():
        r = jumper.pad_nm / 2e6
        (x0, x1), (y0, y1) = (sorted((jumper.a[k] / 1e6, jumper.b[k] / 1e6)) for k in (0, 1))
        frames.append((x0 - r, y0 - r, x1 + r, y1 + r))
        marks.append(jumper.mark())
    for hole in design.holes.values():
        x, y, r = hole.x_nm / 1e6, hole.y_nm / 1e6, hole.drill_nm / 2e6
        frames.append((x - r, y - r, x + r, y + r))
        marks.append(hole.mark())
    for text in design.texts.values():
        frames.append(_text_box(text).bounds)
        marks.append(text.mark())
    return marks, np.array(frames).reshape(-1, 4)


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes", "texts")
def surroundings(design: Design, side: Side) -> dict[str, bytes]:
    """Give for each part on a side a digest of everything its print may depend on."""
    marks, frames = _in_the_way(design)
    mine_of = _print_frames(design, side)
    if not mine_of:
        return {}
    base, refs = design.board.mark(), list(mine_of)
    mine = np.array(list(mine_of.values()))
    found: dict[str, bytes] = {}
    past = _around.get((side, base))
    asked = np.ones(len(refs), dtype=bool)
    if past is not None and past.refs == refs and len(past.marks) == len(marks):
        # Only what comes near to something that changed, where it was or where it is now, may see it.
        moved = [k for k, (old, new) in enumerate(zip(past.marks, marks, strict=True)) if old != new]
        there = np.concatenate([past.frames[moved], frames[moved]])
        asked = (past.mine != mine).any(axis=1) | _overlaps(mine, there).any(axis=1)
        found = dict(past.found)
    rows = np.flatnonzero(asked).tolist()
    for k, row in zip(rows, _overlaps(mine[rows], frames), strict=True):
        near = b"".join([marks[i] for i in np.flatnonzero(row)])
        found[refs[k]] = hashlib.blake2b(base + refs[k].encode() + near, digest_size=16).digest()
    _around.put((side, base), _Around(marks, frames, refs, mine, found))
    return found


@dataclass(frozen=True, slots=True)
class _Around:
    """What the last surroundings of a side were worked out from, and what they were."""

    marks: list[bytes]
    frames: np.ndarray
    refs: list[str]
    mine: np.ndarray
    found: dict[str, bytes]


_around: Kept[_Around] = Kept(16)
_frame_of: Kept[tuple[float, float, float, float]] = Kept(8_000)


@derived("parts", "packages", "board")
def _print_frames(design: Design, side: Side) -> dict[str, tuple[float, float, float, float]]:
    """Give for each part on a side the box all its print could lie in, with the room that print must keep."""
    frames = {}
    keep = max(0.1, _reach_mm(design)) + max(0, design.board.rules.mask_margin_nm) / 1e6 + 0.1
    for ref, yard in courtyards(design).items():
        part = design.parts[ref]
        assert part.place is not None
        if part.place.side != side:
            continue
        key = (part.mark(), design.packages[part.package].mark(), keep)
        known = _frame_of.get(key)
        if known is not None:
            frames[ref] = known
            continue
        high = max(REF_HEIGHTS_MM)
        beyond = max(text_width(ref, high), high) + 0.24 + keep
        x0, y0, x1, y1 = yard.bounds
        runs = [p for run in design.packages[part.package].legend for p in run]
        drawn = max((math.hypot(x, y) for x, y in runs), default=0.0) / 1e6 + keep
        x, y = part.place.x_nm / 1e6, part.place.y_nm / 1e6
        low, top = (min(x0 - beyond, x - drawn), min(y0 - beyond, y - drawn)), (x1 + beyond, y1 + beyond)
        frames[ref] = _frame_of.put(key, (*low, max(top[0], x + drawn), max(top[1], y + drawn)))
    return frames


@dataclass(frozen=True, slots=True)
class _Room:
    """What a part may print where it is: its outline cut back, and the free places of its reference, best first.

    A place is x, y, height (mm) and turn, and a box the corners of what it fills. Small parts, which have few places,
    choose before large ones: ``rank``.
    """

    lines: tuple[LegendLine, ...]
    spots: list[list[float]]
    boxes: list[list[float]]
    rank: tuple[Any, ...]


_room_of: Kept[_Room] = Kept(8_000)


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes", "texts")
def _rooms(design: Design, side: Side) -> dict[str, _Room]:
    round_it = surroundings(design, side)
    known = {ref: _room_of.get((mark, side)) for ref, mark in round_it.items()}
    fresh = [ref for ref, room in known.items() if room is None]
    if fresh:
        frames = _print_frames(design, side)
        openings = openings_near(design, side, np.array([frames[r] for r in fresh]))
        lines = _outlines(design, side, fresh, openings)
        spots = _free_spots(design, side, fresh, openings)
        yards = courtyards(design)
        for ref in fresh:
            room = _Room(tuple(lines[ref]), *spots[ref], (yards[ref].area, natural(ref)))
            known[ref] = _room_of.put((round_it[ref], side), room)
    return {ref: room for ref, room in known.items() if room is not None}


def _outlines(design: Design, side: Side, refs: list[str], openings: np.ndarray) -> dict[str, list[LegendLine]]:
    """Give the outlines of some parts of a side, cut back at openings and at the edge."""
    width = design.board.rules.legend_width_nm / 1e6
    lines: dict[str, list[LegendLine]] = {ref: [] for ref in refs}
    drawn: list[tuple[str, list[tuple[float, float]]]] = []
    for ref in refs:
        part = design.parts[ref]
        assert part.place is not None
        for run in design.packages[part.package].legend:
            drawn.append((ref, [(x / 1e6, y / 1e6) for x, y in place_points(part.place, run)]))
    if not drawn:
        return lines
    board = _inner(design, width / 2)
    grown = shapely.buffer(openings, _reach_mm(design))
    shapes = polylines([points for _, points in drawn])
    cut: dict[int, list[int]] = {}
    for k, opening in zip(*STRtree(grown).query(shapes, predicate="intersects"), strict=True):
        cut.setdefault(int(k), []).append(int(opening))
    inside, long = shapely.covers(board, shapes), shapely.length(shapes)
    for k, (ref, points) in enumerate(drawn):
        if long[k] <= LEAST_MM:
            continue
        if k not in cut and inside[k]:
            lines[ref].append(LegendLine(ref, "outline", side, tuple(points), width))
            continue
        left: BaseGeometry = shapes[k].difference(shapely.union_all(grown[cut[k]])) if k in cut else shapes[k]
        if not inside[k]:
            left = left.intersection(board)
        for piece in left.geoms if isinstance(left, MultiLineString) else [left]:
            if isinstance(piece, LineString) and piece.length > LEAST_MM:
                lines[ref].append(LegendLine(ref, "outline", side, tuple(piece.coords), width))
    return lines


@derived("board")
def _inner(design: Design, inset_mm: float) -> BaseGeometry:
    """Give the board less a rim."""
    board: BaseGeometry = outline(design).buffer(-inset_mm)
    shapely.prepare(board)
    return board


def _free_spots(
    design: Design, side: Side, refs: list[str], openings: np.ndarray
) -> dict[str, tuple[list[list[float]], list[list[float]]]]:
    """Give the places for the references of some parts that are free of all but other references, and their boxes."""
    yards = {r: y for r, y in courtyards(design).items() if design.parts[r].place.side == side}  # type: ignore[union-attr]
    number = {ref: k for k, ref in enumerate(yards)}
    solids = np.array([*yards.values()], dtype=object)
    spots, half = _spots(refs, shapely.bounds(solids[[number[r] for r in refs]]))
    each = spots.shape[1]
    half = half.reshape(-1, 2) + max(0.1, _reach_mm(design))
    flat = spots.reshape(-1, 4)
    boxes = np.hstack([flat[:, :2] - half, flat[:, :2] + half])
    frames = shapely.box(*boxes.T)
    texts = [_text_box(t) for t in design.texts.values() if t.side == side]
    owner = np.concatenate([np.arange(len(solids)), np.full(len(openings) + len(texts), -1)])
    solids = np.concatenate([solids, openings, np.array(texts, dtype=object)])
    hit, solid = STRtree(solids).query(frames, predicate="intersects")
    free = shapely.covers(_inner(design, 0.3), frames)
    mine = np.array([number[r] for r in refs])[hit // each]
    free[hit[owner[solid] != mine]] = False
    found = {}
    for k, ref in enumerate(refs):
        rows = each * k + np.flatnonzero(free[each * k : each * (k + 1)])
        found[ref] = flat[rows].tolist(), boxes[rows].tolist()
    return found


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes", "texts")
def references(design: Design, side: Side) -> tuple[Printed, ...]:
    """Place the references of a side: nearest free spot round each part, large parts last."""
    rooms = _rooms(design, side)
    taken: list[Printed] = []
    # Boxes taken, by the squares of the board they reach into.
    squares: dict[tuple[int, int], list[list[float]]] = {}
    for ref in sorted(rooms, key=lambda r: rooms[r].rank):
        room = rooms[ref]
        for (x, y, height, turn), place in zip(room.spots, room.boxes, strict=True):
            x0, y0, x1, y1 = place
            mine = [
                (i, j)
                for i in range(int(x0 // SQUARE_MM), int(x1 // SQUARE_MM) + 1)
                for j in range(int(y0 // SQUARE_MM), int(y1 // SQUARE_MM) + 1)
            ]
            if any(
                a0 <= x1 and x0 <= a1 and b0 <= y1 and y0 <= b1
                for square in mine
                for a0, b0, a1, b1 in squares.get(square, ())
            ):
                continue
            for square in mine:
                squares.setdefault(square, []).append(place)
            taken.append(Printed(ref, ref, side, x, y, height, turn))
            break
    return tuple(taken)


def _spots(refs: list[str], yards: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """List places for references, best first: above, below, beside, upright beside, then on the body.

    Parameters
    ----------
    yards : float array, n x 4
        Bounds of the courtyards, in mm.

    Returns
    -------
    tuple of float arrays
        Places, n x places x (x, y, height, turn), and half the width and height of the text there, n x places x 2.
    """
    x0, y0, x1, y1 = yards.T
    cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
    spots, halves = [], []
    for height in REF_HEIGHTS_MM:
        wide = np.array([text_width(ref, height) / 2 for ref in refs])
        half, tall = wide + 0.12, height / 2 + 0.12
        flat = [(cx, y1 + tall), (cx, y0 - tall), (x1 + half, cy), (x0 - half, cy)]
        flat += [(x0 + half, y1 + tall), (x1 - half, y1 + tall), (x0 + half, y0 - tall), (x1 - half, y0 - tall)]
        upright = [(x1 + tall, cy), (x0 - tall, cy)]
        size, turn = np.full(len(refs), height), np.full(len(refs), 90.0)
        spots += [(x, y, size, 0 * turn) for x, y in flat] + [(x, y, size, turn) for x, y in upright]
        spots += [(cx, cy, size, 0 * turn)]
        lying, standing = (wide, size / 2), (size / 2, wide)
        halves += [lying] * len(flat) + [standing] * len(upright) + [lying]
    return np.array(spots).transpose(2, 0, 1), np.array(halves).transpose(2, 0, 1)
