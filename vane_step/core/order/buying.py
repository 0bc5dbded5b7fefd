"""What a list of parts costs at a quantity, from a supplier's offers; asking the supplier is not done here."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.figures import PARAMETERS
from vane_step.core.design.model import Design, Part, natural
from vane_step.core.finding import Finding, Place, Remedy, tell

QUANTITIES = (1, 5, 10, 50)
# How much larger these figures of a stand-in may be than the part's own.
LOSSES = {"tolerance_pct": 1.0001, "rds_ohm": 1.0001, "vf_v": 1.3, "dropout_v": 1.3}
STALE_AFTER = timedelta(days=1)


class Break(BaseModel):
    """The price of one from a quantity upwards."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    quantity: int = Field(ge=1, le=10**9)
    price: float = Field(ge=0, le=1e6)


class Offer(BaseModel):
    """What a supplier says of a part: stock, prices, least order and step, lead time, life."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    number: str = Field(max_length=200)
    supplier: str = Field(max_length=80)
    stock: int = Field(ge=0, le=10**9)
    minimum: int = Field(default=1, ge=1, le=10**6)
    multiple: int = Field(default=1, ge=1, le=10**6)
    breaks: tuple[Break, ...] = Field(min_length=1, max_length=20)
    lead_days: int = Field(ge=0, le=1000)
    life: Literal["active", "not for new designs", "end of life"] = "active"
    sources: int = Field(default=1, ge=1, le=100)


@dataclass(frozen=True)
class Dated:
    """An offer and when it was answered; ``None`` when the supplier does not have the part."""

    offer: Offer | None
    at: datetime

    def stale(self, now: datetime) -> bool:
        """Tell whether the answer is older than a day."""
        return now - self.at > STALE_AFTER


@dataclass(frozen=True)
class Bought:
    """How many of a part to buy: what is needed, what it costs, and what the next price break would do."""

    wanted: int
    buy: int
    each: float
    total: float
    cheaper: tuple[int, float] | None = None


@dataclass(frozen=True)
class Line:
    """One line of the list of parts: equal parts together."""

    number: str
    value: str
    package: str
    refs: tuple[str, ...]
    dated: Dated | None
    at_hand: int
    each: int = 0
    kind: str = ""

    @property
    def count(self) -> int:
        """How many one board takes."""
        return self.each or len(self.refs)


def attrition(count: int, part_kind: str) -> int:
    """Give spares for a quantity above ten: 5 % of small parts and at least 2, 2 % of others (rule of thumb)."""
    if count <= 10:
        return 0
    share = 0.05 if part_kind in ("resistor", "capacitor", "led", "diode", "inductor") else 0.02
    return max(2 if share == 0.05 else 1, math.ceil(count * share))


def buy(offer: Offer, wanted: int) -> Bought:
    """Work out the cheapest purchase of at least so many: the least order, the step and the price breaks.

    A larger quantity at the next break may cost less than what is needed: ``cheaper`` then tells how many and what
    that costs in all.
    """

    def cost(count: int) -> tuple[int, float, float]:
        amount = max(count, offer.minimum)
        amount = math.ceil(amount / offer.multiple) * offer.multiple
        each = max(
            (b for b in offer.breaks if b.quantity <= amount),
            key=lambda b: b.quantity,
            default=offer.breaks[0],
        ).price
        return amount, each, amount * each

    amount, each, total = cost(wanted)
    better = [cost(b.quantity) for b in offer.breaks if b.quantity > amount]
    best = min(better, key=lambda c: c[2], default=None)
    cheaper = (
        (best[0], best[2])
        if best and best[2] < total - 1e-9 and best[0] <= max(offer.stock, amount)
        else None
    )
    return Bought(wanted, amount, each, total, cheaper)


def lines(
    design: Design, fitted: Mapping[str, bool], offers: Mapping[str, Dated], at_hand: Mapping[str, int]
) -> list[Line]:
    """Group the fitted parts by what has to be bought, in the order of their references; extra lines come last."""
    groups: dict[tuple[str, str, str], list[Part]] = {}
    for part in sorted(design.parts.values(), key=lambda p: natural(p.ref)):
        if fitted.get(part.ref, part.fitted) and part.kind != "jumper":
            groups.setdefault(
                (part.catalogue, part.value if not part.catalogue else "", part.package), []
            ).append(part)
    found = [
        Line(
            number,
            parts[0].value,
            pack,
            tuple(p.ref for p in parts),
            offers.get(number) if number else None,
            at_hand.get(number, 0) if number else 0,
            0,
            parts[0].kind,
        )
        for (number, _, pack), parts in groups.items()
    ]
    return found + [
        Line(
            x.catalogue,
            x.title,
            "",
            (x.id,),
            offers.get(x.catalogue) if x.catalogue else None,
            at_hand.get(x.catalogue, 0) if x.catalogue else 0,
            x.count,
            "extra",
        )
        for x in design.extras.values()
    ]


@dataclass(frozen=True)
class Sum:
    """The price of the whole list for a number of boards."""

    boards: int
    total: float
    each: float
    unpriced: int


def need_of(line: Line, design: Design, boards: int, stock_first: bool = True) -> int:
    """Give how many of a line must be bought for so many boards: spares added, stock at hand taken off."""
    count = line.count * boards
    whole = count + attrition(count, line.kind)
    return max(0, whole - line.at_hand) if stock_first else whole


def price_list(design: Design, found: list[Line], boards: int, stock_first: bool = True) -> Sum:
    """Price a list for a number of boards, from a supplier's offers."""
    total, unpriced = 0.0, 0
    for line in found:
        wanted = need_of(line, design, boards, stock_first)
        if not wanted:
            continue
        if line.dated is None or line.dated.offer is None:
            unpriced += 1
            continue
        total += buy(line.dated.offer, wanted).total
    return Sum(boards, total, total / boards, unpriced)


def alternates(
    catalogue: Catalogue, offers: Mapping[str, Dated], part: CataloguePart, wanted: int
) -> list[tuple[CataloguePart, Bought]]:
    """List parts that can stand in, cheapest first: same category, package and pins, no rating below the part's.

    Only parts with an offer whose stock is enough are listed; the value must be the same.
    """
    found = []
    for other in catalogue.parts.values():
        if other.number == part.number or not stands_in(part, other):
            continue
        dated = offers.get(other.number)
        if dated and dated.offer and dated.offer.stock >= wanted and dated.offer.life == "active":
            found.append((other, buy(dated.offer, wanted)))
    return sorted(found, key=lambda f: (f[1].total, f[0].number))


def stands_in(part: CataloguePart, other: CataloguePart) -> bool:
    """Tell whether another part can take a part's place: same category, package and pins, no figure worse."""
    if (other.category, other.package) != (part.category, part.package):
        return False
    if [(p.number, p.name, p.role, p.functions) for p in other.pins] != [
        (p.number, p.name, p.role, p.functions) for p in part.pins
    ]:
        return False
    for key, need in part.params.items():
        have, sense = other.params.get(key), PARAMETERS[key].sense
        if sense == "value" and (have is None or abs(have - need) > 1e-6 * abs(need)):
            return False
        if sense in ("rating", "most") and (have is None or have < need * (1 - 1e-9)):
            return False
        if sense == "least" and (have is None or have > need * (1 + 1e-9)):
            return False
        allowed = LOSSES.get(key)
        if allowed and have is not None and have > need * allowed:
            return False
    return True


def buying_findings(
    design: Design, found: list[Line], boards: int, now: datetime, swaps: Mapping[str, str] | None = None
) -> Iterator[Finding]:
    """Tell what stands in the way of buying: short stock, end of life, one source only, cheaper at the next break."""
    for line in found:
        place = Place(step="parts", refs=line.refs)
        who = f"{line.number} ({', '.join(line.refs[:4])})"
        if not line.number:
            what = " ".join([", ".join(line.refs[:6]), line.value]).strip()
            yield tell(
                "no-number", f"{what}: no part is chosen yet", place=place, remedy=_instead(line, swaps)
            )
            continue
        wanted = need_of(line, design, boards, design.brief.stock_first)
        if not wanted:
            continue
        if line.dated is None:
            continue
        offer = line.dated.offer
        source = f"{offer.supplier if offer else 'supplier'}, {line.dated.at:%Y-%m-%d %H:%M} UTC" + (
            ", more than a day old" if line.dated.stale(now) else ""
        )
        remedy = _instead(line, swaps)
        if offer is None:
            yield tell("no-offer", f"Nobody offers {who}", 0, wanted, place, source=source, remedy=remedy)
            continue
        yield from _about_offer(offer, who, buy(offer, wanted), source, place, remedy)


def _instead(line: Line, swaps: Mapping[str, str] | None) -> Remedy | None:
    """Offer an alternate for a line, by its number, or by its first part where none is chosen."""
    if line.kind == "extra":
        return None
    other = (swaps or {}).get(line.number or line.refs[0])
    label = f"Replace by {other}" if line.number else f"Use {other}"
    return Remedy(label=label, ask=f"swap {' '.join(line.refs)} {other}") if other else None


def _about_offer(
    offer: Offer, who: str, bought: Bought, source: str, place: Place, remedy: Remedy | None
) -> Iterator[Finding]:
    if offer.stock < bought.wanted:
        text = f"Not enough of {who} in stock; more in {offer.lead_days} days"
        yield tell("short-stock", text, offer.stock, bought.wanted, place, source=source, remedy=remedy)
    if offer.life != "active":
        level: Literal["look", "note"] = "look" if offer.life == "end of life" else "note"
        yield tell("life", f"{who} is {offer.life}", place=place, level=level, source=source, remedy=remedy)
    if offer.sources == 1 and offer.stock < 20 * bought.wanted:
        text = f"{who} comes from one source only"
        yield tell("one-source", text, 1, 2, place, source=source)
    if bought.cheaper:
        count, total = bought.cheaper
        text = f"{count} of {who} cost less than {bought.buy}"
        yield tell("next-break", text, round(bought.total, 2), round(total, 2), place, source=source)
