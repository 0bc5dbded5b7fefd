"""One order as it went: what was ordered where, promised and real days, what came in and how it was inspected."""

from __future__ import annotations

from datetime import date
from typing import Final, Literal

from pydantic import BaseModel, ConfigDict, Field

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


def expected_reading(order: BoardOrder, key: str) -> float | None:
    """Give what a check should read by the order, where the order says it."""
    needs = order.asked.needs
    return {
        "count": float(order.asked.quantity),
        "size": max(needs.width_mm, needs.height_mm),
        "thick": order.asked.thickness_mm,
    }.get(key)


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
