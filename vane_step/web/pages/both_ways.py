"""Order or etch on the Make page: both ways against the brief."""

from __future__ import annotations

from typing import Any

from fastapi import Request

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.etch.bath_time import BathState, expected
from vane_step.core.etch.etch_rules import etch_findings
from vane_step.core.etch.methods import method_of
from vane_step.core.etch.plan import art_plan
from vane_step.core.etch.run import learned
from vane_step.core.houses.both_ways import at_home, ordered
from vane_step.core.houses.needs import needs_of
from vane_step.core.houses.wish import RATE
from vane_step.store.designs import Kept
from vane_step.web.pages.etching import open_stops
from vane_step.web.render import store_of
from vane_step.workbench.etchings import runs_of
from vane_step.workbench.orders import best_deal, last_asked
from vane_step.workbench.things import bits_at_hand


def both_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give both ways of making a board: money, hours, the day, risks, and what would have to change."""
    store, design = store_of(request), kept.design
    last = last_asked(store.bench, kept.id)
    deal = best_deal(store, kept.id)
    quantity = last[0].asked.quantity if last and deal else max(design.brief.quantity, 1)
    method = method_of(design.brief.method or "toner")
    found = etch_findings(
        design, art_plan({"method": method.name, "pads": "large"}), bits_at_hand(store.bench)
    )
    time = expected(BathState("ferric", design.board.rules.copper_um), learned(runs_of(store.bench).values()))
    today = store.shared.now().date()
    stops = open_stops(request, kept)
    home = at_home(design, method, found, time, quantity, today, outline(design).area / 1e4)
    house = ordered(design, deal, quantity, bool(last and deal and last[0].asked.parts), stops)
    return {
        "quantity": quantity,
        "needs": needs_of(design),
        "brief": design.brief,
        "rate": last[0].rate if last else RATE,
        "ways_of_making": (house, home),
    }
