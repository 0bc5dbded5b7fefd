"""The flow of power laid out for drawing: rails as cards in columns, what passes between them as ribbons as wide as its
power; in units of a drawing, y down. What is drawn is decided in ``power_flow``."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from vane_step.core.design.model import natural
from vane_step.core.operation.power_flow import Draw, Feed, PowerFlow, Rail, Transfer

CARD_W, CARD_H, DRAW_H = 106.0, 72.0, 19.0
# Below this a rail is drawn as one that is off.
OFF_V: Final = 0.05
# Room between columns: what is left of a usual width, within limits.
WIDTH, LEAST_GAP, MOST_GAP = 738.0, 50.0, 120.0
SLOT_H, SPACE, TOP = 34.0, 18.0, 10.0
MOST_RIBBON, LEAST_RIBBON = 34.0, 1.5


@dataclass(frozen=True)
class Card:
    """A rail with what feeds it from outside and what draws from it."""

    rail: Rail
    x: float
    y: float
    height: float
    feeds: tuple[Feed, ...]
    draws: tuple[tuple[Draw, float, float], ...]
    off: bool


@dataclass(frozen=True)
class Ribbon:
    """What passes from one rail to another, as the middle line of a curve and its width."""

    transfer: Transfer
    x0: float
    y0: float
    x1: float
    y1: float
    width: float
    label_x: float
    label_y: float
    lane: tuple[float, float, float] | None = None

    @property
    def path(self) -> str:
        """The curve."""
        bend = max((self.x1 - self.x0) * 0.5, 24.0)
        if self.lane is not None:
            # Below what lies between, from where it leaves its own column to where it comes to its rail's.
            left, right, y = self.lane
            half = (left - self.x0) / 2
            return (
                f"M{self.x0:.1f} {self.y0:.1f} C{self.x0 + half:.1f} {self.y0:.1f} {left - half:.1f} {y:.1f} "
                f"{left:.1f} {y:.1f} L{right:.1f} {y:.1f} C{right + half:.1f} {y:.1f} "
                f"{self.x1 - half:.1f} {self.y1:.1f} {self.x1:.1f} {self.y1:.1f}"
            )
        return (
            f"M{self.x0:.1f} {self.y0:.1f} C{self.x0 + bend:.1f} {self.y0:.1f} "
            f"{self.x1 - bend:.1f} {self.y1:.1f} {self.x1:.1f} {self.y1:.1f}"
        )


@dataclass(frozen=True)
class FlowDrawing:
    """All of it, with its size."""

    width: float
    height: float
    cards: tuple[Card, ...]
    ribbons: tuple[Ribbon, ...]


def flow_drawing(flow: PowerFlow) -> FlowDrawing:
    """Lay a flow of power out: each rail right of what feeds it, columns ordered by where their power comes from."""
    columns: dict[int, list[str]] = {}
    for name in flow.rails:
        columns.setdefault(flow.order.get(name, 0), []).append(name)
    numbers = {c: k for k, c in enumerate(sorted(columns))}
    between = max(len(numbers) - 1, 1)
    gap = min(MOST_GAP, max(LEAST_GAP, (WIDTH - len(numbers) * CARD_W) / between))
    most = max([r.watts for r in flow.rails.values()] + [t.watts_in for t in flow.transfers], default=0.0)
    scale = MOST_RIBBON / most if most > 0 else 0.0
    placed: dict[str, Card] = {}
    middle: dict[str, float] = {}
    bottom = 0.0
    for column in sorted(columns):
        names = sorted(columns[column], key=lambda n: (_wanted(flow, n, middle), natural(n)))
        y = TOP
        for name in names:
            card = _card(flow, name, 2 + numbers[column] * (CARD_W + gap), y, most)
            placed[name] = card
            middle[name] = y + card.height / 2
            y += card.height + DRAW_H * len(card.draws) + SPACE
            bottom = max(bottom, y)
    ribbons = _ribbons(flow, placed, scale, gap)
    width = len(numbers) * CARD_W + (len(numbers) - 1) * gap + 4
    bottom = max(
        [bottom, *(max(r.y0, r.y1, r.lane[2] if r.lane else 0.0) + r.width / 2 + 12 for r in ribbons)],
        default=bottom,
    )
    return FlowDrawing(max(width, 2 * CARD_W), bottom, tuple(placed.values()), tuple(ribbons))


def _wanted(flow: PowerFlow, name: str, middle: dict[str, float]) -> float:
    above = [middle[t.source] for t in flow.transfers if t.to == name and t.source in middle]
    return sum(above) / len(above) if above else 0.0


def _card(flow: PowerFlow, name: str, x: float, y: float, most: float) -> Card:
    feeds = tuple(f for f in flow.feeds if f.rail == name)
    leaving = sum(t.source == name for t in flow.transfers)
    coming = sum(t.to == name for t in flow.transfers)
    height = max(CARD_H + 18 * len(feeds), SLOT_H * max(leaving, coming))
    draws = [d for d in flow.draws if d.rail == name]
    lines = tuple(
        (d, y + height + DRAW_H * (k + 0.72), (CARD_W - 8) * min(1.0, d.watts / most) if most > 0 else 0.0)
        for k, d in enumerate(draws)
    )
    rail = flow.rails[name]
    off = abs(rail.volts) < OFF_V
    return Card(rail, x, y, height, feeds, lines, off)


def _ribbons(flow: PowerFlow, placed: dict[str, Card], scale: float, gap: float) -> list[Ribbon]:
    found = []
    taken: list[tuple[float, float, float]] = []
    leaving = {
        name: sorted((t for t in flow.transfers if t.source == name), key=lambda t: placed[t.to].y)
        for name in placed
    }
    coming = {
        name: sorted((t for t in flow.transfers if t.to == name), key=lambda t: placed[t.source].y)
        for name in placed
    }
    for transfer in flow.transfers:
        a, b = placed[transfer.source], placed[transfer.to]
        out, into = leaving[transfer.source], coming[transfer.to]
        y0 = a.y + a.height * (out.index(transfer) + 0.5) / len(out)
        y1 = b.y + b.height * (into.index(transfer) + 0.5) / len(into)
        width = max(transfer.watts_in * scale, LEAST_RIBBON)
        x0, x1 = a.x + CARD_W, b.x
        # The name stands where the ribbon begins, in the gap right of its rail.
        lane = _lane(placed, x0, x1, width, gap, taken)
        found.append(
            Ribbon(transfer, x0, y0, x1, y1, width, x0 + min(gap / 2, 40.0), y0 - width / 2 - 5, lane)
        )
    return found


def _lane(
    placed: dict[str, Card],
    x0: float,
    x1: float,
    width: float,
    gap: float,
    taken: list[tuple[float, float, float]],
) -> tuple[float, float, float] | None:
    """Give the height at which a ribbon passes below the columns it skips, beside others that do."""
    between = [c for c in placed.values() if x0 + 1 < c.x and c.x + CARD_W < x1 - 1]
    if not between:
        return None
    y = max(c.y + c.height + DRAW_H * len(c.draws) for c in between) + 8 + width / 2
    left, right = x0 + gap, x1 - gap
    for a, b, other in sorted(taken, key=lambda t: t[2]):
        if a < right and left < b and other + 8 + width > y:
            y = other + 8 + width
    taken.append((left, right, y + width / 2))
    return left, right, y
