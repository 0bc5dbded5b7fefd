"""One order as it went: what was ordered where, promised and real days, what came in and how it was inspected."""

from __future__ import annotations

from datetime import date
from typing import Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.board.geometry.shapes import holes
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, NotFound
from vane_step.core.houses.quoting import Asked

# What is looked at when boards come in: a key, what is done, and its unit where a reading is written down.
CHECKS: Final[dict[str, tuple[str, str]]] = {
    "count": ("Count the boards", "boards"),
    "size": ("Measure the longer side", "mm"),
    "thick": ("Measure the thickness", "mm"),
    "hole": ("Measure the largest hole", "mm"),
    "colour": ("Colour and finish as ordered", ""),
    "legend": ("Legend sharp, on no pad", ""),
    "mask": ("Mask sits on its pads, bridges are whole", ""),
    "edges": ("Edges, cut-outs and slots clean", ""),
    "short": ("Supply against ground: no short", "Ω"),
}


class Check(BaseModel):
    """A line of the inspection: right or not, with a reading where one is asked for."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    right: bool
    reading: float | None = Field(default=None, ge=-1e9, le=1e9)


class BoardOrder(BaseModel):
    """An order of boards.

    Parameters
    ----------
    release
        Digest of the files that were sent; the design may have changed since.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    ordered: date
    version: int = Field(ge=0)
    release: str = Field(max_length=64)
    house: str = Field(max_length=60)
    asked: Asked
    way: str = Field(max_length=60)
    price: float = Field(ge=0, le=1e6)
    promised: date
    shipped: date | None = None
    received: date | None = None
    checks: dict[str, Check] = Field(default={}, max_length=40)
    complaint: str = Field(default="", max_length=400)
    note: str = Field(default="", max_length=400)

    @property
    def state(self) -> Literal["ordered", "shipped", "received", "inspected"]:
        """How far it is."""
        if self.received is None:
            return "shipped" if self.shipped else "ordered"
        return "inspected" if len(self.checks) == len(CHECKS) else "received"

    @property
    def late_days(self) -> int | None:
        """Days it came later than promised, earlier is negative; None until it is there."""
        return None if self.received is None else (self.received - self.promised).days

    @property
    def wrong(self) -> tuple[str, ...]:
        """Keys of what the inspection found wrong."""
        return tuple(k for k, c in self.checks.items() if not c.right)


def expected_readings(order: BoardOrder, design: Design) -> dict[str, tuple[float, float]]:
    """Give what checks should read by the order, and within what, either way, by the design's maker.

    The largest hole is the design's as it is now: leave it out where that changed since.
    """
    needs, rules = order.asked.needs, design.board.rules
    found = {
        "count": (float(order.asked.quantity), 0.0),
        "size": (max(needs.width_mm, needs.height_mm), rules.outline_within_nm / 1e6),
        "thick": (order.asked.thickness_mm, rules.board_within_mm),
    }
    if bores := [h.drill_mm for h in holes(design)]:
        found["hole"] = (max(bores), rules.hole_within_nm / 1e6)
    return found


def within(check: Check | None, wanted: tuple[float, float] | None) -> bool | None:
    """Tell whether a reading is what it should be; None where there is no reading, or nothing to hold it against."""
    if check is None or check.reading is None or wanted is None:
        return None
    return abs(check.reading - wanted[0]) <= wanted[1] + 1e-9


def arrived(order: BoardOrder, on: date) -> BoardOrder:
    """Say that the boards are there.

    Raises
    ------
    EditRefused
        When they are already, or were not ordered yet on that day.
    """
    if order.received is not None:
        raise EditRefused("These boards are there already.", where="order", value=str(order.received))
    if on < order.ordered:
        raise EditRefused(
            f"They were ordered on {order.ordered}.",
            where="received",
            value=str(on),
            allowed=f"{order.ordered} or later",
        )
    return order.model_copy(update={"received": on, "shipped": order.shipped or on})


def checked(order: BoardOrder, key: str, right: bool, reading: float | None) -> BoardOrder:
    """Write down a line of the inspection.

    Raises
    ------
    EditRefused
        When the boards are not there yet.
    NotFound
        When nothing of that name is looked at.
    """
    if order.received is None:
        raise EditRefused(
            "These boards are not there yet.", where="order", next_step="Say when they came first."
        )
    if key not in CHECKS:
        raise NotFound(f"Nothing called {key} is looked at.", where="check", allowed=", ".join(CHECKS))
    return order.model_copy(update={"checks": {**order.checks, key: Check(right=right, reading=reading)}})
