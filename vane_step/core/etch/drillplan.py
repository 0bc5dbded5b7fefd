"""The drill list for drilling by hand: which bit for which hole, in which order, how far and how long.

The holes themselves are the board's.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from vane_step.core.board.geometry.shapes import copper_items, holes
from vane_step.core.design.model import Design
from vane_step.core.etch.bores import bored
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
    """Holes of one size: the bit that is taken, whether it is at hand, and what is left of the narrowest ring.

    Slots are counted by the holes of their rows.
    """

    drill_mm: float
    count: int
    bit: str
    bit_mm: float
    ring_loss_mm: float
    at_hand: bool = True
    ring_left_mm: float | None = None
    slots: int = 0

    @property
    def in_rows(self) -> str:
        """Say how the slots among the holes are made; empty without any."""
        if not self.slots:
            return ""
        return f"{self.slots} slot{'s' if self.slots > 1 else ''}: bore the row, file what is between away"


def letter_of(row: int) -> str:
    """Give the letter that stands for a row of the plan on the template: A for the smallest holes."""
    return "ABCDEFGHIJKLMNOPQRSTUVWXYZ"[row % 26]


def drill_plan(design: Design, at_hand_mm: Sequence[float] = ()) -> list[DrillRow]:
    """List the holes by size, smallest first, with the smallest bit that is not under the size.

    Parameters
    ----------
    at_hand_mm : sequence of float
        Bits of the bench, which go where the design itself does not say which are at hand (``drills 0.8 1.0``);
        numbered ones where neither does.
    """
    sizes = Counter(round(h.drill_mm, 4) for h in {(h.x_mm, h.y_mm): h for h in bored(design)}.values())
    slots = Counter(round(h.drill_mm, 4) for h in holes(design) if h.slotted)
    rings: dict[float, float] = {}
    for item in copper_items(design):
        if item.drill_mm:
            size = round(item.drill_mm, 4)
            rings[size] = min(rings.get(size, item.width_mm), item.ring_mm)
    mine = [d / 1e6 for d in design.board.rules.drills_nm] or list(at_hand_mm)
    bits = [(mm, f"{mm:g} mm") for mm in mine] if mine else [(mm, name) for name, mm in BITS_MM.items()]
    rows = []
    for size, count in sorted(sizes.items()):
        fits = [(mm, name) for mm, name in bits if mm >= size - UNDER_MM]
        bit_mm, bit = min(fits) if fits else (size, f"{size:g} mm")
        loss = max(0.0, round((bit_mm - size) / 2, 4))
        left = round(rings[size] - loss, 4) if size in rings else None
        rows.append(DrillRow(size, count, bit, bit_mm, loss, bool(fits) or not mine, left, slots[size]))
    return rows


Tool = Literal["press", "hand"]
# Seconds to set a bit on its mark and bore, by hand and in a press; seconds to change a bit (rules of thumb).
EACH_S: Final[dict[Tool, float]] = {"press": 8.0, "hand": 20.0}
CHANGE_S: Final = 60.0
# What a hand moves from hole to hole, in millimetres a second.
HAND_MM_S: Final = 40.0


@dataclass(frozen=True)
class DrillTurn:
    """All holes one bit bores, in the order of a short way; how long that takes and how far it is."""

    letters: tuple[str, ...]
    bit: str
    bit_mm: float
    holes: tuple[tuple[float, float], ...]
    way_mm: float
    seconds: float


def drill_turns(rows: Sequence[DrillRow], design: Design, tool: Tool) -> list[DrillTurn]:
    """Put the bits in order and their holes on a short way.

    Carbide in a press goes from large to small and bores each hole to its size at once, since it breaks when it makes a
    hole larger; steel in the hand goes from small to large, so that large holes have been begun by what leads the bit.
    """
    where: dict[float, set[tuple[float, float]]] = {}
    for h in bored(design):
        where.setdefault(round(h.drill_mm, 4), set()).add((h.x_mm, h.y_mm))
    by_bit: dict[tuple[float, str], list[int]] = {}
    for k, row in enumerate(rows):
        by_bit.setdefault((row.bit_mm, row.bit), []).append(k)
    turns = []
    at = (0.0, 0.0)
    for (mm, bit), ks in sorted(by_bit.items(), reverse=tool == "press"):
        spots = sorted({p for k in ks for p in where.get(rows[k].drill_mm, ())})
        way, long = short_way(spots, at)
        at = way[-1] if way else at
        seconds = CHANGE_S + len(way) * EACH_S[tool] + long / HAND_MM_S
        turns.append(DrillTurn(tuple(letter_of(k) for k in ks), bit, mm, tuple(way), long, seconds))
    return turns


def short_way(
    spots: Sequence[tuple[float, float]], start: tuple[float, float]
) -> tuple[list[tuple[float, float]], float]:
    """Give places in the order of a short way from a start, and its length: nearest next, then turns undone (2-opt).

    Returns
    -------
    (list of (x, y), float)
        Each place once; the length from the start to the last, never more than that of the nearest-next way.
    """
    if not spots:
        return [], 0.0
    points = np.array([start, *spots])
    gap = np.hypot(*(points[:, None, :] - points[None, :, :]).transpose(2, 0, 1))
    order, left = [0], set(range(1, len(points)))
    while left:
        order.append(min(left, key=lambda k: gap[order[-1], k]))
        left.remove(order[-1])
    way = np.array(order)
    better = True
    while better:
        better = False
        for i in range(1, len(way) - 1):
            # Turning the stretch from i to j round: its two ends are joined otherwise.
            j = np.arange(i + 1, len(way))
            after = np.append(way[i + 2 :], -1)
            was = gap[way[i - 1], way[i]] + np.where(after >= 0, gap[way[j], after], 0.0)
            now = gap[way[i - 1], way[j]] + np.where(after >= 0, gap[way[i], after], 0.0)
            k = int((was - now).argmax())
            if was[k] - now[k] > 1e-9:
                way[i : j[k] + 1] = way[i : j[k] + 1][::-1]
                better = True
    long = float(gap[way[:-1], way[1:]].sum())
    return [spots[k - 1] for k in way[1:]], long


def drill_findings(design: Design, at_hand_mm: Sequence[float] = ()) -> Iterator[Finding]:
    """Tell sizes for which there is no drill at hand, and rings that the drill taken instead leaves too narrow."""
    least = design.board.rules.min_ring_nm / 1e6
    for row in drill_plan(design, at_hand_mm):
        if not row.at_hand:
            largest = max([d / 1e6 for d in design.board.rules.drills_nm] or at_hand_mm)
            yield tell(
                "etch-drill",
                f"No drill at hand makes the {row.count} holes of {row.drill_mm:g} mm",
                row.drill_mm,
                largest,
            )
        elif row.ring_left_mm is not None and row.ring_loss_mm and row.ring_left_mm < least - WORTH_MM:
            yield tell(
                "etch-ring",
                f"Drilled with {row.bit}, holes of {row.drill_mm:g} mm keep "
                + ("too narrow a ring" if row.ring_left_mm > 0 else "no ring at all"),
                row.ring_left_mm,
                least,
                level="look" if row.ring_left_mm > 0 else "stop",
                source=f"ring of {design.board.rules.title}",
            )
