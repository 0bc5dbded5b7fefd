"""Order or etch: both ways of making a board side by side, against the brief; nothing is decided here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Final

from vane_step.core.design.model import Design
from vane_step.core.etch.bath_time import Expected
from vane_step.core.etch.drillplan import drill_plan, drill_turns
from vane_step.core.etch.joints import both_sides
from vane_step.core.etch.methods import EtchMethod
from vane_step.core.finding import Finding
from vane_step.core.houses.compare import Deal, own_hands_s
from vane_step.core.houses.quoting import parts_wanted

# Hours of hands of one etching beside bath, drilling and soldering: printing, cutting, cleaning, transfer, stripping;
# of a second side more; of each further copy (rules of thumb).
BEGIN_H, SIDE_H, COPY_H = 1.5, 0.75, 0.25
VIA_S: Final = 45.0
# Laminate of 35 um on one side, and chemicals for a board, in euros a square decimetre (rules of thumb).
LAMINATE_EUR_DM2, SECOND_SIDE, CHEMICALS_EUR = 1.6, 1.3, 1.0


@dataclass(frozen=True)
class Way:
    """One way of making some boards: money, hands, the day they are there, and what may go wrong or has to change.

    ``price`` and ``there`` are None where nobody said yet.
    """

    name: str
    price: float | None
    hours: float
    there: date | None
    risks: tuple[str, ...] = ()
    changes: tuple[str, ...] = ()
    over: tuple[str, ...] = field(default=())


def at_home(
    design: Design,
    method: EtchMethod,
    found: Sequence[Finding],
    expected: Expected,
    quantity: int,
    today: date,
    area_dm2: float,
) -> Way:
    """Work out what making boards at home takes.

    Parameters
    ----------
    found : sequence of Finding
        What the method cannot do: stops are what has to change, looks are risks.
    expected : Expected
        Time in the bath.
    """
    layers = design.board.copper_layers
    joints = both_sides(design)
    vias = len(joints.vias)
    drilling = sum(t.seconds for t in drill_turns(drill_plan(design), design, "press"))
    hours = BEGIN_H + SIDE_H * (layers > 1) + COPY_H * (quantity - 1)
    hours += (expected.middle_s + (drilling + vias * VIA_S) * quantity) / 3600
    hours += own_hands_s(parts_wanted(design), quantity) / 3600
    price = (
        area_dm2 * quantity * LAMINATE_EUR_DM2 * (SECOND_SIDE if layers > 1 else 1.0)
        + CHEMICALS_EUR * quantity
    )
    risks = [f.message for f in found if f.level == "look"][:3]
    if vias:
        risks.append(f"{vias} vias are wires soldered on both sides by hand")
    if layers > 1:
        risks.append("front and back lie 0.2 to 0.4 mm off each other")
    changes = [f.message for f in found if f.level == "stop"]
    # What two evenings do not hold takes weekends.
    days = max(1, round(hours / 4))
    return Way(
        f"At home, {method.title[0].lower()}{method.title[1:]}",
        round(price, 2),
        round(hours, 1),
        today + timedelta(days=days),
        tuple(risks),
        tuple(changes),
        _over(design, price / quantity, today + timedelta(days=days)),
    )


def ordered(
    design: Design, deal: Deal | None, quantity: int, fitted_by_house: bool, stops: Sequence[str]
) -> Way:
    """Work out what ordering takes, by the cheapest offer in hand; without one price and day are open."""
    hours = 0.0 if fitted_by_house else own_hands_s(parts_wanted(design), quantity) / 3600
    rules = design.board.rules
    risks = ["a fault found late costs another order and its days"]
    if rules.etched:
        risks.append("drawn by the coarse rules of hands: by a house's own it could be smaller")
    return Way(
        f"Ordered{f' from {deal.quote.house}' if deal else ''}",
        deal.total if deal else None,
        round(hours, 1),
        deal.in_hand if deal else None,
        tuple(risks),
        tuple(stops),
        _over(design, deal.each, deal.in_hand) if deal else (),
    )


def _over(design: Design, each: float, there: date) -> tuple[str, ...]:
    """Say what of the brief a way does not keep."""
    brief, found = design.brief, []
    if brief.date and there > date.fromisoformat(brief.date):
        late = (there - date.fromisoformat(brief.date)).days
        found.append(f"{late} days after the brief's date, {brief.date}")
    if brief.budget is not None and each > brief.budget:
        found.append(f"{each:.2f} € a board, the brief allows {brief.budget:.2f} €")
    return tuple(found)
