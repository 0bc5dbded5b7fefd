"""The step of a maker's prices a bare board falls into, and the next cheaper one; parts are priced elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vane_step.core.design.model import Design, PriceStep
from vane_step.core.quantity import nm


@dataclass(frozen=True)
class Step:
    """Where a board stands among its maker's prices.

    Parameters
    ----------
    now
        The cheapest step that holds it.
    below
        The largest cheaper one, None when there is none.
    over_mm
        By how much the board is too large for ``below``: across and up, 0 where it fits.
    fill
        What filling its vias in pads adds to an order; 0 where it has none.
    """

    now: PriceStep
    below: PriceStep | None
    over_mm: tuple[float, float]
    fill: float = 0.0

    @property
    def each(self) -> float:
        """Price of one board, in euros."""
        return (self.now.price + self.fill) / self.now.boards


def price_step(
    design: Design, box_mm: Sequence[float], layers: int | None = None, fills: bool = False
) -> Step | None:
    """Give the price step of a board, as it is or on another number of layers; None when the maker names none.

    Parameters
    ----------
    box_mm
        Least and largest x and y of the board, as its outline's ``bounds`` are: (x0, y0, x1, y1).
    fills
        Whether it has vias that the maker must fill.
    """
    count = layers or design.board.copper_layers
    steps = [p for p in design.board.rules.prices if p.copper_layers == count]
    x0, y0, x1, y1 = box_mm
    short, long = sorted((nm(x1 - x0), nm(y1 - y0)))
    holding = [p for p in steps if _over(p, short, long) == (0, 0)]
    if not holding:
        return None
    now = min(holding, key=lambda p: p.price)
    cheaper = [p for p in steps if p.price < now.price]
    below = max(cheaper, key=lambda p: (p.price, p.width_nm * p.height_nm), default=None)
    over = _over(below, short, long) if below else (0, 0)
    wide = x1 - x0 >= y1 - y0
    fill = design.board.rules.fill_price if fills else 0.0
    return Step(now, below, (over[1] / 1e6, over[0] / 1e6) if wide else (over[0] / 1e6, over[1] / 1e6), fill)


def _over(step: PriceStep, short: int, long: int) -> tuple[int, int]:
    """Give by how much a board's short and long side exceed a step's."""
    low, high = sorted((step.width_nm, step.height_nm))
    return max(0, short - low), max(0, long - high)
