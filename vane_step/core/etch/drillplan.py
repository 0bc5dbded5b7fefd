"""The drill list for drilling by hand: which bit for which hole; the holes themselves are the board's."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from vane_step.core.board.geometry import holes
from vane_step.core.design.model import Design

# Numbered twist drills in millimetres.
BITS_MM: dict[str, float] = {
    "#52": 1.61, "#53": 1.51, "#54": 1.40, "#55": 1.32, "#56": 1.18, "#57": 1.09, "#58": 1.07, "#59": 1.04,
    "#60": 1.02, "#61": 0.99, "#62": 0.97, "#63": 0.94, "#64": 0.91, "#65": 0.89, "#66": 0.84, "#67": 0.81,
    "#68": 0.79, "#69": 0.74, "#70": 0.71, "#71": 0.66, "#72": 0.64, "#73": 0.61, "#74": 0.57, "#75": 0.53,
    "#76": 0.51, "#77": 0.46, "#78": 0.41, "#79": 0.37, "#80": 0.34,
}  # fmt: skip


@dataclass(frozen=True)
class DrillRow:
    """Holes of one size: the metric bit, the numbered bit that does instead, and what it costs the ring."""

    drill_mm: float
    count: int
    bit: str
    bit_mm: float
    ring_loss_mm: float


def drill_plan(design: Design) -> list[DrillRow]:
    """List the holes by size, smallest first, with the smallest numbered bit that is not under the size."""
    sizes = Counter(round(h.drill_mm, 4) for h in {(h.x_mm, h.y_mm): h for h in holes(design)}.values())
    rows = []
    for size, count in sorted(sizes.items()):
        fits = [(mm, name) for name, mm in BITS_MM.items() if mm >= size - 1e-9]
        bit_mm, bit = min(fits) if fits else (size, f"{size:g} mm")
        rows.append(DrillRow(size, count, bit, bit_mm, round((bit_mm - size) / 2, 4)))
    return rows
