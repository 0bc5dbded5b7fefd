"""The legend as it will be printed: outlines, references and texts, kept off the pads; copper is not here."""

from __future__ import annotations

import functools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from shapely.geometry import LineString, MultiLineString
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.filled_shapes import fill_lines
from vane_step.core.board.geometry.mask_openings import openings_near
from vane_step.core.board.geometry.shapes import place_points
from vane_step.core.board.geometry.strokefont import text_lines
from vane_step.core.board.silkscreen.designators import (
    Printed,
    as_printed,
    inner,
    reach_mm,
    references,
    surroundings,
)
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, LegendText, Side
from vane_step.core.memo import Kept

SIDES: Final[tuple[Side, ...]] = ("front", "back")
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


@dataclass(frozen=True, slots=True, eq=False)
class Print:
    """All lines one part or text has on the legend of a side; the same object as long as nothing round it changed."""

    owner: str
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
    chosen = {p.owner: p for p in references(design, side)}
    past = _last.get((side, width)) or {}
    found = []
    for ref, outline in _outlines(design, side).items():
        printed = chosen.get(ref)
        known = past.get(ref)
        if known is None or known[0] is not outline or known[1] is not printed:
            lines = outline + (_printed_lines(printed, "reference", width) if printed else ())
            known = outline, printed, Print(ref, lines)
        past[ref] = known
        found.append(known[2])
    _last.put((side, width), past)
    for item in design.texts.values():
        if item.side == side and not item.copper:
            printed = as_printed(item)
            lines = _inked(item, width) if item.shape else _printed_lines(printed, "text", width)
            found.append(Print(item.id, lines))
    return tuple(found)


# What was printed last of each part, and the outline and reference it was made of.
_last: Kept[dict[str, tuple[tuple[LegendLine, ...], Printed | None, Print]]] = Kept()


def _inked(text: LegendText, width: float) -> tuple[LegendLine, ...]:
    return tuple(LegendLine(text.id, "shape", text.side, points, width) for points in fill_lines(text, width))


@functools.lru_cache(maxsize=4096)
def _printed_lines(text: Printed, kind: str, width: float) -> tuple[LegendLine, ...]:
    drawn = text_lines(
        text.text, text.x_mm, text.y_mm, text.height_mm, text.turn_deg, mirrored=text.side == "back"
    )
    return tuple(LegendLine(text.owner, kind, text.side, tuple(points), width) for points in drawn)


_outline_of: Kept[tuple[LegendLine, ...]] = Kept()


def _outlines(design: Design, side: Side) -> dict[str, tuple[LegendLine, ...]]:
    """Give the outlines of the parts of a side, cut back at openings and at the edge; kept by what lies round each."""
    round_it = surroundings(design, side)
    known = {ref: _outline_of.get((mark, side)) for ref, mark in round_it.items()}
    fresh = [ref for ref, lines in known.items() if lines is None]
    if fresh:
        for ref, lines in _cut_back(design, side, fresh).items():
            known[ref] = _outline_of.put((round_it[ref], side), tuple(lines))
    return {ref: lines or () for ref, lines in known.items()}


def _cut_back(design: Design, side: Side, refs: list[str]) -> dict[str, list[LegendLine]]:
    """Give the outlines of some parts of a side, cut back where they come too near to an opening or to the edge."""
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
    board, reach = inner(design, width / 2), reach_mm(design)
    shapes = polylines([points for _, points in drawn])
    openings = openings_near(design, side, shapely.bounds(shapes) + np.array([-1, -1, 1, 1]) * reach)
    cut: dict[int, list[int]] = {}
    for k, opening in zip(*openings.within(shapes, reach)[:2], strict=True):
        cut.setdefault(int(k), []).append(int(opening))
    inside, long = shapely.covers(board, shapes), shapely.length(shapes)
    for k, (ref, points) in enumerate(drawn):
        if long[k] <= LEAST_MM:
            continue
        if k not in cut and inside[k]:
            lines[ref].append(LegendLine(ref, "outline", side, tuple(points), width))
            continue
        left: BaseGeometry = shapes[k]
        if k in cut:
            left = left.difference(shapely.union_all(openings.grown(cut[k], reach)))
        if not inside[k]:
            left = left.intersection(board)
        for piece in left.geoms if isinstance(left, MultiLineString) else [left]:
            if isinstance(piece, LineString) and piece.length > LEAST_MM:
                lines[ref].append(LegendLine(ref, "outline", side, tuple(piece.coords), width))
    return lines
