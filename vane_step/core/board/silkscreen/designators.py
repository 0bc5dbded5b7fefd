"""Where the references of parts are printed: beside their parts, free of all else; drawing them is in ``legend``."""

from __future__ import annotations

import hashlib
import heapq
import math
from dataclasses import dataclass
from operator import ne
from typing import Any

import numpy as np
import shapely
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.geometry.filled_shapes import shape_of
from vane_step.core.board.geometry.mask_openings import openings_near, overlaps
from vane_step.core.board.geometry.shapes import courtyards, extents, outline
from vane_step.core.board.geometry.strokefont import text_width
from vane_step.core.derive import PerPart, derived
from vane_step.core.design.model import Design, LegendText, Part, Side, natural
from vane_step.core.memo import Kept

REF_HEIGHTS_MM = (1.2, 1.0)


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


def as_printed(text: LegendText) -> Printed:
    """Give a text of the user as it is printed."""
    x, y, height = text.x_nm / 1e6, text.y_nm / 1e6, text.height_nm / 1e6
    return Printed(text.id, text.text, text.side, x, y, height, text.turn_deg)


def text_box(text: LegendText) -> Polygon:
    """Give the box a text or a shape fills."""
    return shapely.box(*shape_of(text).bounds) if text.shape else as_printed(text).box()


def reach_mm(design: Design) -> float:
    """Give how far the middle of a printed line keeps from a mask opening.

    Openings are drawn as polygons; the hundredth covers what their corners fall short of the circle.
    """
    return (design.board.rules.legend_to_pad_nm + design.board.rules.legend_width_nm / 2) / 1e6 + 0.01


@derived("board")
def inner(design: Design, inset_mm: float) -> BaseGeometry:
    """Give the board less a rim."""
    board: BaseGeometry = outline(design).buffer(-inset_mm)
    shapely.prepare(board)
    return board


_marks = PerPart(lambda d, parts: [p.mark() + d.packages[p.package].mark() for p in parts])


@derived("parts", "packages", "nets", "board", "jumpers", "holes", "texts")
def _in_the_way(design: Design) -> tuple[list[bytes], np.ndarray]:
    """Give the marks and boxes of all that a print may have to give way to."""
    marks = [*_marks.of(design).values()]
    frames = [*extents(design).values()]
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
        frames.append(text_box(text).bounds)
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
        moved = np.flatnonzero(list(map(ne, past.marks, marks)))
        there = np.concatenate([past.frames[moved], frames[moved]])
        asked = (past.mine != mine).any(axis=1) | overlaps(mine, there).any(axis=1)
        found = dict(past.found)
    rows = np.flatnonzero(asked).tolist()
    for k, row in zip(rows, overlaps(mine[rows], frames), strict=True):
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


_around: Kept[_Around] = Kept()


def _frames_of(design: Design, parts: list[Part]) -> list[tuple[float, float, float, float]]:
    yards = courtyards(design)
    keep = _kept_mm(design)
    high = max(REF_HEIGHTS_MM)
    found = []
    for part in parts:
        assert part.place is not None
        beyond = max(text_width(part.ref, high), high) + 0.24 + keep
        x0, y0, x1, y1 = yards[part.ref].bounds
        runs = [p for run in design.packages[part.package].legend for p in run]
        drawn = max((math.hypot(x, y) for x, y in runs), default=0.0) / 1e6 + keep
        x, y = part.place.x_nm / 1e6, part.place.y_nm / 1e6
        low, top = (min(x0 - beyond, x - drawn), min(y0 - beyond, y - drawn)), (x1 + beyond, y1 + beyond)
        found.append((*low, max(top[0], x + drawn), max(top[1], y + drawn)))
    return found


_frames = PerPart(_frames_of)
_sides = PerPart(lambda d, parts: [p.place.side if p.place else None for p in parts])


def _kept_mm(design: Design) -> float:
    """Give the room a print keeps to whatever lies round it."""
    return max(0.1, reach_mm(design)) + max(0, design.board.rules.mask_margin_nm) / 1e6 + 0.1


@derived("parts", "packages", "board")
def _print_frames(design: Design, side: Side) -> dict[str, tuple[float, float, float, float]]:
    """Give for each part on a side the box all its print could lie in, with the room that print must keep."""
    found = _frames.of(design, _kept_mm(design))
    sides = _sides.of(design)
    return {ref: frame for ref, frame in found.items() if sides[ref] == side}


@dataclass(frozen=True, slots=True, eq=False)
class _Room:
    """The free places of a part's reference where the part is, best first.

    A place is x, y, height (mm) and turn, and a box the corners of what it fills; ``frame`` holds all of them. Small
    parts, which have few places, choose before large ones: ``rank``.
    """

    spots: list[list[float]]
    boxes: list[list[float]]
    frame: tuple[float, float, float, float]
    rank: tuple[Any, ...]


_room_of: Kept[_Room] = Kept()


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes", "texts")
def _rooms(design: Design, side: Side) -> dict[str, _Room]:
    round_it = surroundings(design, side)
    known = {ref: _room_of.get((mark, side)) for ref, mark in round_it.items()}
    fresh = [ref for ref, room in known.items() if room is None]
    if fresh:
        spots = _free_spots(design, side, fresh)
        for ref in fresh:
            places, boxes = spots[ref]
            left, low, right, high = zip(*boxes, strict=True) if boxes else ((x,) for x in _NOWHERE)
            frame = min(left), min(low), max(right), max(high)
            x0, y0, x1, y1 = design.packages[design.parts[ref].package].courtyard_nm
            room = _Room(places, boxes, frame, ((x1 - x0) * (y1 - y0), natural(ref)))
            known[ref] = _room_of.put((round_it[ref], side), room)
    return {ref: room for ref, room in known.items() if room is not None}


def _free_spots(
    design: Design, side: Side, refs: list[str]
) -> dict[str, tuple[list[list[float]], list[list[float]]]]:
    """Give the places for the references of some parts that are free of all but other references, and their boxes."""
    yards = {r: y for r, y in courtyards(design).items() if design.parts[r].place.side == side}  # type: ignore[union-attr]
    number = {ref: k for k, ref in enumerate(yards)}
    solids = np.array([*yards.values()], dtype=object)
    spots, half = _spots(refs, shapely.bounds(solids[[number[r] for r in refs]]))
    each = spots.shape[1]
    half = half.reshape(-1, 2) + max(0.1, reach_mm(design))
    flat = spots.reshape(-1, 4)
    boxes = np.hstack([flat[:, :2] - half, flat[:, :2] + half])
    frames = shapely.box(*boxes.T)
    texts = [text_box(t) for t in design.texts.values() if t.side == side and not t.copper]
    solids = np.concatenate([solids, np.array(texts, dtype=object)])
    hit, solid = STRtree(solids).query(frames, predicate="intersects")
    free = shapely.covers(inner(design, 0.3), frames)
    mine = np.array([number[r] for r in refs])[hit // each]
    free[hit[solid != mine]] = False
    rows = np.flatnonzero(free)
    free[rows[openings_near(design, side, boxes[rows]).within(frames[rows], 0.0)[0]]] = False
    found = {}
    for k, ref in enumerate(refs):
        rows = each * k + np.flatnonzero(free[each * k : each * (k + 1)])
        found[ref] = flat[rows].tolist(), boxes[rows].tolist()
    return found


@dataclass(frozen=True, slots=True, eq=False)
class _Chosen:
    """The places chosen for the references of a side, first choice first, and the rooms they were chosen from.

    ``frames`` are the boxes of the rooms, ``taken`` those of the places chosen, empty ones where there was none.
    """

    rooms: list[_Room]
    frames: np.ndarray
    taken: np.ndarray
    printed: list[Printed | None]


_last: Kept[_Chosen] = Kept()
_NOWHERE = (math.inf, math.inf, -math.inf, -math.inf)


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes", "texts")
def references(design: Design, side: Side) -> tuple[Printed, ...]:
    """Place the references of a side: the best free place round each part, small parts first.

    After an edit only those choose anew whose places differ, and after them those that see a place taken or left.
    """
    rooms = _rooms(design, side)
    refs = tuple(sorted(rooms, key=lambda r: rooms[r].rank))
    ordered = [rooms[ref] for ref in refs]
    frames = np.array([room.frame for room in ordered]).reshape(-1, 4)
    past = _last.get((side, refs))
    if past is None:
        taken = np.tile(_NOWHERE, (len(refs), 1))
        waiting = list(range(len(refs)))
    else:
        taken = past.taken.copy()
        waiting = [k for k, (one, two) in enumerate(zip(past.rooms, ordered, strict=True)) if one is not two]
    printed: list[Printed | None] = list(past.printed) if past else [None] * len(refs)
    # In the order of ranks, which a list counted up is already.
    while waiting:
        k = heapq.heappop(waiting)
        room, before = ordered[k], taken[k].copy()
        at = _first_free(room, taken[:k])
        taken[k] = room.boxes[at] if at is not None else _NOWHERE
        printed[k] = Printed(refs[k], refs[k], side, *room.spots[at]) if at is not None else None
        if past is not None and not np.array_equal(before, taken[k]):
            seen = overlaps(frames[k + 1 :], np.array([before, taken[k]])).any(axis=1)
            for later in (np.flatnonzero(seen) + k + 1).tolist():
                if later not in waiting:
                    heapq.heappush(waiting, later)
    _last.put((side, refs), _Chosen(ordered, frames, taken, printed))
    return tuple(p for p in printed if p is not None)


def _first_free(room: _Room, taken: np.ndarray) -> int | None:
    """Give the first place of a room that overlaps none of the boxes taken."""
    near = taken[overlaps(taken, np.array([room.frame]))[:, 0]].tolist()
    for k, (x0, y0, x1, y1) in enumerate(room.boxes):
        if not any(a0 <= x1 and x0 <= a1 and b0 <= y1 and y0 <= b1 for a0, b0, a1, b1 in near):
            return k
    return None


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
        flat += [
            (x0 + half, y1 + tall),
            (x1 - half, y1 + tall),
            (x0 + half, y0 - tall),
            (x1 - half, y0 - tall),
        ]
        upright = [(x1 + tall, cy), (x0 - tall, cy)]
        size, turn = np.full(len(refs), height), np.full(len(refs), 90.0)
        spots += [(x, y, size, 0 * turn) for x, y in flat] + [(x, y, size, turn) for x, y in upright]
        spots += [(cx, cy, size, 0 * turn)]
        lying, standing = (wide, size / 2), (size / 2, wide)
        halves += [lying] * len(flat) + [standing] * len(upright) + [lying]
    return np.array(spots).transpose(2, 0, 1), np.array(halves).transpose(2, 0, 1)
