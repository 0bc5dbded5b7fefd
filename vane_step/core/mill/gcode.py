"""G-code (RS-274/NGC) of ways a tool is to go, and how long it takes; the ways are worked out elsewhere."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

from vane_step.core.mill.plan import MillPlan
from vane_step.core.mill.tool_paths import Spot

# A change of tool by hand, and the spindle coming up to speed (rules of thumb).
CHANGE_S, SPEED_UP_S = 120.0, 3.0


class Program:
    """A program being written: every line, and how long the machine takes for it."""

    def __init__(self, title: str, plan: MillPlan) -> None:
        self.plan, self.seconds = plan, 0.0
        self.at = (0.0, 0.0, plan.safe_mm)
        self.lines = [
            f"({comment(title)})",
            "(millimetres, origin at the lower left corner of the board, Z 0 on its face)",
            "G21 G90 G94 G17 G40 G49 G80",
            f"G0 Z{plan.safe_mm:.3f}",
        ]

    def tool(self, number: int, told: str) -> None:
        """Change the tool and start the spindle."""
        self.lines += [
            "M5",
            f"T{number} M6 ({comment(told)})",
            f"S{self.plan.spindle_rpm:.0f} M3",
            f"G4 P{SPEED_UP_S:g}",
        ]
        self.seconds += CHANGE_S + SPEED_UP_S

    def over(self, x: float, y: float) -> None:
        """Go over a place, above the board."""
        if self.at[2] < self.plan.safe_mm:
            self._step(
                f"G0 Z{self.plan.safe_mm:.3f}", (*self.at[:2], self.plan.safe_mm), self.plan.rapid_mm_min
            )
        self._step(f"G0 X{x:.4f} Y{y:.4f}", (x, y, self.plan.safe_mm), self.plan.rapid_mm_min)

    def down(self, z: float) -> None:
        """Plunge, or rise, to a height."""
        feed = self.plan.plunge_mm_min
        self._step(f"G1 Z{z:.4f} F{feed:g}", (*self.at[:2], z), feed)

    def cut(self, x: float, y: float) -> None:
        """Cut straight to a place."""
        feed = self.plan.feed_mm_min
        said = f" F{feed:g}" if not self.lines[-1].startswith("G1 X") else ""
        self._step(f"G1 X{x:.4f} Y{y:.4f}{said}", (x, y, self.at[2]), feed)

    def _step(self, line: str, to: tuple[float, float, float], mm_min: float) -> None:
        self.seconds += math.dist(self.at, to) / mm_min * 60
        self.lines.append(line)
        self.at = to

    def text(self) -> str:
        """Give the whole program with its end."""
        return "\n".join([*self.lines, f"G0 Z{self.plan.safe_mm:.3f}", "M5", "M2"]) + "\n"


def comment(text: str) -> str:
    """Make a text fit between parentheses."""
    return "".join(c if 32 <= ord(c) < 127 and c not in "()" else " " for c in text)[:120]


def rounds(program: Program, rings: Iterable[Sequence[Spot]], depth_mm: float) -> None:
    """Cut along rings at one depth."""
    for ring in rings:
        program.over(*ring[0])
        program.down(-depth_mm)
        for x, y in (*ring[1:], ring[0]):
            program.cut(x, y)


def holes(program: Program, places: Iterable[Spot], depth_mm: float) -> None:
    """Bore holes through the board, the nearest next."""
    left = list(places)
    at: Spot = (0.0, 0.0)
    while left:
        k = min(range(len(left)), key=lambda j: math.dist(left[j], at))
        at = left.pop(k)
        program.over(*at)
        program.down(-depth_mm)


def edge(program: Program, ring: Sequence[Spot], thick_mm: float, tabs: int) -> None:
    """Cut round a board deeper each time, leaving bridges of the lower part of the board until somebody breaks them."""
    plan = program.plan
    floor, bridge = thick_mm + 0.1, max(0.0, thick_mm - 0.6)
    length = sum(math.dist(a, b) for a, b in pairwise((*ring, ring[0])))
    spans = _bridges(length, tabs, plan.cutter_mm + 2.0)
    steps = max(1, math.ceil(floor / plan.step_mm - 1e-9))
    program.over(*ring[0])
    for k in range(1, steps + 1):
        deep = min(floor, k * plan.step_mm)
        program.down(-deep if not _within(0.0, spans) else -min(deep, bridge))
        for place, x, y in _cut_at(ring, [s for span in spans for s in span]):
            before = deep if not _within(place - 1e-6, spans) else min(deep, bridge)
            if abs(program.at[2] + before) > 1e-9:
                program.down(-before)
            program.cut(x, y)


def _bridges(length: float, count: int, wide: float) -> list[tuple[float, float]]:
    if count < 1 or length < 3 * count * wide:
        return []
    return [
        ((k + 0.5) * length / count - wide / 2, (k + 0.5) * length / count + wide / 2) for k in range(count)
    ]


def _within(place: float, spans: Sequence[tuple[float, float]]) -> bool:
    return any(a < place <= b for a, b in spans)


def _cut_at(ring: Sequence[Spot], places: Sequence[float]) -> Iterator[tuple[float, float, float]]:
    """Give the corners of a ring, and points at some lengths along it, each with its length, in order."""
    along = 0.0
    wanted = sorted(places)
    for a, b in pairwise((*ring, ring[0])):
        step = math.dist(a, b)
        while wanted and wanted[0] < along + step - 1e-9:
            share = max(0.0, (wanted[0] - along) / step)
            yield wanted[0], a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])
            wanted.pop(0)
        along += step
        yield along, *b
