"""The drill list for drilling by hand: which bit for which hole; the holes themselves are the board's."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from vane_step.core.board.geometry.shapes import copper_items, holes
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, tell

# Numbered twist drills in millimetres.
BITS_MM: dict[str, float] = {
    "#52": 1.61,
    "#53": 1.51,
    "#54": 1.40,
    "#55": 1.32,
    "#56": 1.18,
    "#57": 1.09,
    "#58": 1.07,
    "#59": 1.04,
    "#60": 1.02,
    "#61": 0.99,
    "#62": 0.97,
    "#63": 0.94,
    "#64": 0.91,
    "#65": 0.89,
    "#66": 0.84,
    "#67": 0.81,
    "#68": 0.79,
    "#69": 0.74,
    "#70": 0.71,
    "#71": 0.66,
    "#72": 0.64,
    "#73": 0.61,
    "#74": 0.57,
    "#75": 0.53,
    "#76": 0.51,
    "#77": 0.46,
    "#78": 0.41,
    "#79": 0.37,
    "#80": 0.34,
}


# A drill this much under a size still makes its hole: leads have 0.2 mm of room.
UNDER_MM = 0.0051
# A ring narrower by less than this is not worth a word: bits wander farther.
WORTH_MM = 0.02


@dataclass(frozen=True)
class DrillRow:
    """Holes of one size: the bit that is taken, whether it is at hand, and what is left of the narrowest ring."""

    drill_mm: float
    count: int
    bit: str
    bit_mm: float
    ring_loss_mm: float
    at_hand: bool = True
    ring_left_mm: float | None = None


def drill_plan(design: Design) -> list[DrillRow]:
    """List the holes by size, smallest first, with the smallest bit that is not under the size.

    Bits are those said to be at hand (``drills 0.8 1.0``); numbered ones where nothing was said.
    """
    found = holes(design)
    sizes = Counter(round(h.drill_mm, 4) for h in {(h.x_mm, h.y_mm): h for h in found}.values())
    rings: dict[float, float] = {}
    for item in copper_items(design):
        if item.drill_mm:
            size = round(item.drill_mm, 4)
            rings[size] = min(rings.get(size, item.width_mm), (item.width_mm - item.drill_mm) / 2)
    mine = [d / 1e6 for d in design.board.rules.drills_nm]
    bits = [(mm, f"{mm:g} mm") for mm in mine] if mine else [(mm, name) for name, mm in BITS_MM.items()]
    rows = []
    for size, count in sorted(sizes.items()):
        fits = [(mm, name) for mm, name in bits if mm >= size - UNDER_MM]
        bit_mm, bit = min(fits) if fits else (size, f"{size:g} mm")
        loss = max(0.0, round((bit_mm - size) / 2, 4))
        left = round(rings[size] - loss, 4) if size in rings else None
        rows.append(DrillRow(size, count, bit, bit_mm, loss, bool(fits) or not mine, left))
    return rows


def drill_findings(design: Design) -> Iterator[Finding]:
    """Tell sizes for which there is no drill at hand, and rings that the drill taken instead leaves too narrow."""
    least = design.board.rules.min_ring_nm / 1e6
    for row in drill_plan(design):
        if not row.at_hand:
            largest = max(design.board.rules.drills_nm) / 1e6
            yield tell(
                "etch-drill",
                f"No drill at hand makes the {row.count} holes of {row.drill_mm:g} mm",
                row.drill_mm,
                largest,
            )
        elif row.ring_left_mm is not None and row.ring_loss_mm and row.ring_left_mm < least - WORTH_MM:
            yield tell(
                "etch-ring",
                f"Drilled with {row.bit}, holes of {row.drill_mm:g} mm keep too narrow a ring",
                row.ring_left_mm,
                least,
                source=f"ring of {design.board.rules.title}",
            )
