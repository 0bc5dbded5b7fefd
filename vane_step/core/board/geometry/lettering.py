"""Texts in copper: which of a design's texts those are, and the lines they are made of; the legend is elsewhere."""

from __future__ import annotations

import functools

from vane_step.core.board.geometry.filled_shapes import fill_lines
from vane_step.core.board.geometry.strokefont import ADVANCE, CAP_HEIGHT, LETTER_WIDTH, text_lines
from vane_step.core.design.model import Design, Layer, LegendText, RuleSet

Lines = tuple[tuple[tuple[float, float], ...], ...]
# Lines as thick as this share of the height read best; lines that face each other are so many of the font's rows apart,
# middle to middle: two in a letter, and what is between letters.
THICK, ROWS_APART = 0.12, min(2.0, ADVANCE - LETTER_WIDTH)


def in_copper(design: Design) -> dict[str, LegendText]:
    """Give the texts that are made in copper, on sides that have any."""
    return {k: t for k, t in design.texts.items() if t.copper and layer_of(t) in design.board.layers}


def layer_of(text: LegendText) -> Layer:
    """Give the copper layer a text in copper is on."""
    return "back" if text.side == "back" else "front"


def line_mm(text: LegendText, rules: RuleSet) -> float:
    """Give how thick the lines of a text in copper are: in good proportion, and never finer than the maker can."""
    return max(rules.min_width_nm, round(THICK * text.height_nm)) / 1e6


def least_height_mm(text: LegendText, rules: RuleSet) -> float:
    """Give the height from which the lines within a letter are as far apart as the maker's least gap."""
    return CAP_HEIGHT / ROWS_APART * (line_mm(text, rules) + rules.min_clearance_nm / 1e6)


@functools.lru_cache(maxsize=256)
def copper_lines(text: LegendText, width_mm: float) -> Lines:
    """Draw a text in copper as lines of a width, seen through the board from the front."""
    if text.shape:
        return fill_lines(text, width_mm)
    drawn = text_lines(
        text.text,
        text.x_nm / 1e6,
        text.y_nm / 1e6,
        text.height_nm / 1e6,
        text.turn_deg,
        mirrored=text.side == "back",
    )
    return tuple(tuple(line) for line in drawn)
