"""Draws the drill map: every hole at its size with the letter of its tool, and the list of tools, as Gerber lines."""

from __future__ import annotations

from collections import Counter
from typing import Final

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.shapes import Hole, holes, outline
from vane_step.core.board.geometry.strokefont import text_lines, text_width
from vane_step.core.design.model import Design
from vane_step.core.fab.gerber import GerberFile
from vane_step.core.fab.heading import Heading
from vane_step.core.quantity import nm

LINE_MM, FINE_MM = 0.1, 0.08
LETTER_MM, TABLE_MM, ROW_MM = 0.8, 1.6, 3.0
# From the board to the list, and how finely the rim of a hole is drawn.
BESIDE_MM, ARC = 6.0, 6
# Letters of tools: those that are read as figures are left out; after the last they double.
LETTERS: Final = "ABCDEFGHJKLMNPQRSTUVWXYZ"

Tool = tuple[float, bool, bool]


def tools_of(design: Design) -> dict[Tool, tuple[str, int]]:
    """List the tools of a board: diameter in mm, plated, for slots; with their letter and how many each makes."""
    count = Counter(_tool(h) for h in holes(design))
    return {tool: (_letter(k), count[tool]) for k, tool in enumerate(sorted(count))}


def _tool(hole: Hole) -> Tool:
    return round(hole.drill_mm, 6), hole.plated, hole.slotted


def _letter(k: int) -> str:
    return LETTERS[k % len(LETTERS)] * (1 + k // len(LETTERS))


def drill_map(design: Design, head: Heading) -> GerberFile:
    """Draw the map of a board as one sees its front, the list of tools on its right."""
    out = GerberFile("Drillmap", "Positive", head)
    tools = tools_of(design)
    board = outline(design)
    _lines(out, board.boundary, LINE_MM)
    for hole in sorted(holes(design), key=lambda h: (h.x_mm, h.y_mm, h.id)):
        _lines(out, hole.shape(quad_segs=ARC).exterior, FINE_MM)
        letter = tools[_tool(hole)][0]
        half = 0.5 * (text_width(letter, LETTER_MM) + LETTER_MM)
        # A letter that finds room within its hole stands there, else at its upper right.
        off = 0.0 if hole.drill_mm > 2.2 * half else 0.36 * hole.drill_mm + 0.6 * half
        _text(out, letter, hole.x_mm + off, hole.y_mm + off, LETTER_MM, centred=True)
    _, _, right, top = board.bounds
    rows = ["tool   count   mm"]
    for (size, plated, slotted), (letter, count) in tools.items():
        what = f"{'plated' if plated else 'not plated'}{', slots' if slotted else ''}"
        rows.append(f"{letter:<6} {count:<7} {size:.3f}   {what}")
    for k, row in enumerate(rows):
        _text(out, row, right + BESIDE_MM, top - ROW_MM * (k + 1), TABLE_MM, centred=False)
    return out


def _lines(out: GerberFile, shape: BaseGeometry, wide_mm: float) -> None:
    out.aperture(nm(wide_mm), "Other,Drawing")
    for line in shapely.get_parts(shape):
        out.line([(x, y) for x, y in np.rint(shapely.get_coordinates(line) * 1e6).astype(int).tolist()])


def _text(out: GerberFile, text: str, x_mm: float, y_mm: float, height_mm: float, centred: bool) -> None:
    out.aperture(nm(FINE_MM if height_mm < 1 else LINE_MM), "Other,Drawing")
    middle = x_mm if centred else x_mm + text_width(text, height_mm) / 2
    for line in text_lines(text, middle, y_mm, height_mm):
        out.line([(nm(x), nm(y)) for x, y in line])
