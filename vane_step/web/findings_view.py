"""Findings with what comes from outside of the design: offers, stock at hand, cost; rules are the core's."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from fastapi import Request

from vane_step.core.ask.cooling import TRIED, with_cooling
from vane_step.core.ask.remedies import CHANGING, harmless
from vane_step.core.brief.needs import Figure, evidence
from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.circuit.variants import fitted
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.memo import MEMO
from vane_step.core.order.buying import (
    QUANTITIES,
    Dated,
    Line,
    Sum,
    alternates,
    buying_findings,
    lines,
    need_of,
    price_list,
)
from vane_step.data.shipped import catalogue_with, resources
from vane_step.store.designs import Kept
from vane_step.store.shelfware import Shelfware
from vane_step.suppliers.client import kept_offers
from vane_step.web.view import findings_of


@dataclass(frozen=True)
class Outside:
    """A design's list of parts with prices, and the findings that come of it."""

    lines: tuple[Line, ...]
    sums: tuple[Sum, ...]
    swaps: dict[str, str]
    findings: tuple[Finding, ...]
    figures: dict[str, Figure]
    asked_at: datetime | None
    stale: bool


def outside(kept: Kept, shared: Shelfware, variant: str = "") -> Outside:
    """Work out what offers and stock at hand say of a design; kept until it, an offer or the stock changes."""
    design, now = kept.design, shared.now()
    sections = tuple(
        design.digest(s) for s in ("parts", "packages", "variants", "brief", "requirements", "extras")
    )
    key = (kept.id, *sections, shared.stamp, variant, now.date())
    known: Outside | None = MEMO.get(("outside", key))
    return known or MEMO.put(
        ("outside", key), _outside(kept.id, design, shared, variant, now), like="outside"
    )


def _outside(id: str, design: Design, shared: Shelfware, variant: str, now: datetime) -> Outside:
    offers, at_hand = kept_offers(shared), shared.available(id)
    found = lines(design, fitted(design, variant), offers, at_hand)
    boards = design.brief.quantity
    stock_first = design.brief.stock_first
    sums = tuple(price_list(design, found, n, stock_first) for n in dict.fromkeys((*QUANTITIES, boards)))
    swaps = _swaps(design, found, offers, boards, catalogue_with(tuple(shared.parts().values())))
    told = list(buying_findings(design, found, boards, now, swaps))
    dates = [line.dated.at for line in found if line.dated]
    figures: dict[str, Figure] = {}
    mine = next(s for s in sums if s.boards == boards)
    if dates and not mine.unpriced:
        figures["cost"] = Figure("cost", f"parts of one board at {boards}", "€", round(mine.each, 2))
    for e in evidence(design, figures):
        need = e.requirement
        if need.figure in figures and e.state == "fails":
            told.append(
                tell(
                    "requirement",
                    f"{need.id} is not met: {need.text}",
                    e.reading,
                    need.limit,
                    level="stop" if need.level == "must" else "look",
                    sense=need.sense,
                    unit=e.unit,
                    source=f"requirement {need.id} ({need.level})",
                )
            )
    budget = design.brief.budget
    if budget is not None and "cost" in figures and figures["cost"].value > budget:
        text = f"The parts of one board cost more than the brief allows at {boards}"
        told.append(tell("budget", text, figures["cost"].value, budget, Place(step="parts")))
    oldest = min(dates, default=None)
    stale = oldest is not None and any(line.dated.stale(now) for line in found if line.dated)
    return Outside(tuple(found), sums, swaps, tuple(told), figures, oldest, stale)


def _swaps(
    design: Design, found: list[Line], offers: dict[str, Dated], boards: int, catalogue: Catalogue
) -> dict[str, str]:
    """Find a part for each line that cannot be bought as it is, or for which none is chosen yet."""
    swaps = {}
    parts = catalogue.parts
    for line in found:
        if not line.number:
            if line.kind == "extra":
                continue
            alike = catalogue.like(design.parts[line.refs[0]])
            if alike:
                swaps[line.refs[0]] = min(alike, key=lambda p: p.number).number
            continue
        offer = line.dated.offer if line.dated else None
        wanted = need_of(line, design, boards, design.brief.stock_first)
        if not line.dated or not wanted or line.number not in parts:
            continue
        if offer is None or offer.stock < wanted or offer.life == "end of life":
            others = alternates(catalogue, offers, parts[line.number], wanted)
            if others:
                swaps[line.number] = others[0][0].number
    return swaps


def findings_with_offers(request: Request, kept: Kept) -> tuple[Finding, ...]:
    """Give all findings of a design, those from outside among them."""
    shared: Shelfware = request.app.state.store.shared
    found = (*findings_of(kept.design), *outside(kept, shared).findings)
    changing = any(f.remedy and f.remedy.ask.split(" ", 1)[0] in CHANGING for f in found)
    if not changing and not any(f.code in TRIED for f in found):
        return found
    key = (kept.id, kept.version, shared.stamp, tuple(f.key() for f in found))
    known: tuple[Finding, ...] | None = MEMO.get(("tried", key))
    if known is None:
        known_parts = resources(parts=tuple(shared.parts().values()))
        offered = with_cooling(kept.design, found, known_parts)
        known = MEMO.put(("tried", key), harmless(kept.design, offered, known_parts), like="tried")
    return known
