"""Quotes compared: price in all and each against the day the boards are in hand; what own hands cost instead."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Final

from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, tell
from vane_step.core.houses.quoting import Asked, Quote, Wanted, Way

# What a hand takes for a joint, on the surface and through a hole, and to find a kind of part (rules of thumb).
SURFACE_S, HOLE_S, KIND_S = 15.0, 20.0, 40.0
WEEKEND: Final = 5


@dataclass(frozen=True)
class Deal:
    """A quote with one way of shipping: what it costs and when it is in hand.

    ``best`` says whether no other deal is both cheaper and sooner.
    """

    house: str
    quote: Quote
    way: Way
    total: float
    each: float
    in_hand: date
    best: bool = False


def in_hand(begun: date, make_days: int, ship_days: int, holidays: Iterable[str]) -> date:
    """Give the day a parcel is there: working days of making without the house's holidays, then of shipping.

    The day of the order does not count; carriers rest at weekends, not on the house's holidays.
    """
    closed = {date.fromisoformat(h) for h in holidays}
    day = begun
    for wanted, rests in ((make_days, closed), (ship_days, set[date]())):
        while wanted > 0:
            day += timedelta(days=1)
            if day.weekday() < WEEKEND and day not in rests:
                wanted -= 1
    return day


def deals(quotes: Mapping[str, Quote], asked: Asked, today: date) -> list[Deal]:
    """Give every quote with every way of shipping, the cheapest first; those no other beats in both are marked."""
    found = []
    for id, quote in quotes.items():
        for way in quote.ways if not quote.refusals else ():
            total = round(quote.goods + way.price, 2)
            when = in_hand(today, quote.days, way.days, quote.holidays)
            found.append(Deal(id, quote, way, total, total / asked.quantity, when))
    found.sort(key=lambda d: (d.total, d.in_hand, d.house))
    marked, soonest = [], date.max
    for deal in found:
        best = deal.in_hand < soonest
        soonest = min(soonest, deal.in_hand)
        marked.append(Deal(**{**deal.__dict__, "best": best}))
    return marked


def own_hands_s(parts: Iterable[Wanted], quantity: int) -> float:
    """Give how long fitting by hand takes, in seconds: joints of all boards, and finding each kind once."""
    some = list(parts)
    joints = sum(p.count * p.joints * (SURFACE_S if p.surface else HOLE_S) for p in some)
    return joints * quantity + KIND_S * len(some)


def order_findings(design: Design, found: list[Deal], parts_each: float | None) -> list[Finding]:
    """Hold the deals against the brief's date and budget: the soonest, and the cheapest with the parts of a board.

    Parameters
    ----------
    parts_each : float or None
        What the parts of one board cost; None where nobody said yet.
    """
    told = []
    brief = design.brief
    if found and brief.date:
        wanted = date.fromisoformat(brief.date)
        soonest = min(found, key=lambda d: (d.in_hand, d.total))
        late = (soonest.in_hand - wanted).days
        if late > 0:
            text = f"No house has the boards there by {brief.date}: {soonest.quote.house} is soonest, "
            text += f"on {soonest.in_hand}"
            told.append(tell("order-late", text, late, 0))
    if found and brief.budget is not None:
        cheapest = found[0]
        each = cheapest.each + (parts_each or 0.0)
        if each > brief.budget:
            with_parts = " with its parts" if parts_each is not None else ""
            text = f"The cheapest board{with_parts}, from {cheapest.quote.house}, costs more than the brief allows"
            told.append(tell("order-budget", text, round(each, 2), brief.budget))
    return told


def what_ifs(asked: Asked, colours: Iterable[str]) -> dict[str, Asked]:
    """Give what else might be asked for, each with what it is called."""
    needs = asked.needs
    found: dict[str, Asked] = {}
    if min(needs.width_mm, needs.height_mm) > 12:
        smaller = needs.model_copy(update={"width_mm": needs.width_mm - 2, "height_mm": needs.height_mm - 2})
        found["2 mm less each way"] = asked.model_copy(update={"needs": smaller})
    if other := next((c for c in colours if c != asked.colour), None):
        found[f"in {other}"] = asked.model_copy(update={"colour": other})
    fewer = {4: 2, 2: 1}.get(needs.layers)
    if fewer:
        less = needs.model_copy(update={"layers": fewer})
        found[f"{fewer} layer{'s' if fewer > 1 else ''} instead of {needs.layers}"] = asked.model_copy(
            update={"needs": less}
        )
    found["10 boards more"] = asked.model_copy(update={"quantity": asked.quantity + 10})
    if asked.panel is None and asked.quantity > 1:
        found["on a panel of two by one"] = asked.model_copy(update={"panel": (2, 1)})
    return found
