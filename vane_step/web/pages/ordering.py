"""Ordering boards on the Make page: options explained, houses asked and compared, orders kept and inspected."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Final

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse
from starlette.concurrency import run_in_threadpool

from vane_step.core.design.model import Design
from vane_step.core.errors import NotFound, VaneStepError
from vane_step.core.houses.compare import Deal, deals, order_findings, own_hands_s, what_ifs
from vane_step.core.houses.options import advice, usual_order
from vane_step.core.houses.quoting import COUNTRIES, Quote, parts_wanted
from vane_step.core.houses.record import (
    CHECKS,
    BoardOrder,
    expected_readings,
    within,
)
from vane_step.core.houses.wish import RATE
from vane_step.core.memo import MEMO
from vane_step.store.designs import Kept
from vane_step.suppliers.houses import several
from vane_step.web.findings_view import outside
from vane_step.web.pages.etching import open_stops
from vane_step.web.render import page, store_of
from vane_step.workbench.orders import (
    LastAsked,
    ask_houses,
    board_mark,
    change_order,
    last_asked,
    orders_of,
    place_order,
)

router = APIRouter()
_STAMP: Final = "%Y-%m-%dT%H:%M:%SZ"


def quotes_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give options with what they change, the houses' answers compared, and what is against the brief."""
    store, design = store_of(request), kept.design
    last = last_asked(store.bench, kept.id)
    today = store.shared.now().date()
    asked = last[0].asked if last else usual_order(design)
    parts = parts_wanted(design)
    data: dict[str, Any] = {
        "asked": asked,
        "rate": last[0].rate if last else RATE,
        "advice": advice(design, asked),
        "countries": COUNTRIES,
        "last": last[0] if last else None,
        "asked_at": last[1] if last else None,
        "stale": last is not None and last[0].board != board_mark(design),
        "parts": parts,
        "colours": _known(last, "colours", asked.colour),
        "finishes": _known(last, "finishes", asked.finish),
        "thicknesses": _known(last, "thicknesses_mm", asked.thickness_mm),
        "deals": [],
    }
    if last is None:
        return data
    found = deals(last[0].quotes, asked, today)
    hours = 0.0 if asked.parts else own_hands_s(parts, asked.quantity) / 3600
    bought = _parts_each(request, kept, asked.quantity)
    return data | {
        "deals": found,
        "hours": hours,
        "hands": hours * last[0].rate,
        "parts_each": bought,
        "chart": _chart(found, today, design.brief.date),
        "findings": order_findings(design, found, None if asked.parts else bought),
        "refused": {last[0].names[i]: q.refusals for i, q in last[0].quotes.items() if q.refusals},
    }


def _known(last: tuple[LastAsked, str] | None, field: str, chosen: Any) -> list[Any]:
    """Give what can be chosen of an option at one house at least."""
    found = {c for h in (last[0].houses.values() if last else ()) for c in getattr(h, field)}
    return sorted(found | {chosen})


def _parts_each(request: Request, kept: Kept, quantity: int) -> float | None:
    """Give what the parts of one board cost by the supplier's last answers; None where some have no price."""
    sums = outside(kept, store_of(request).shared).sums
    mine = [s for s in sums if not s.unpriced]
    near = min(mine, key=lambda s: abs(s.boards - quantity), default=None)
    return None if near is None else near.each


def _chart(found: list[Deal], today: date, wanted: str) -> dict[str, Any] | None:
    """Lay the deals out as a drawing: days to the right, price upwards."""
    if not found:
        return None
    far = max((d.in_hand - today).days for d in found)
    due = (date.fromisoformat(wanted) - today).days if wanted else None
    # A date of the brief that is far off would leave the offers no room.
    due = due if due is not None and due <= 1.6 * far else None
    wide = max(far, due or 0, 1) * 1.12
    tall = max(d.total for d in found) * 1.1
    spots = [(60 + 560 * (d.in_hand - today).days / wide, 240 - 210 * d.total / tall, d) for d in found]
    best = sorted((x, y) for x, y, d in spots if d.best)
    step = 7 if wide > 14 else 2
    return {
        "spots": spots,
        "names": [
            (x, y, d)
            for k, (x, y, d) in enumerate(spots)
            if d.best and d.house not in {e.house for *_, e in spots[:k]}
        ],
        "steps": "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in _stairs(best)) if best else "",
        "due": 60 + 560 * due / wide if due is not None and due > 0 else None,
        "days": [(60 + 560 * d / wide, d) for d in range(0, int(wide) + 1, step)],
        "prices": [(240 - 210 * k / 4 / 1.1, tall / 1.1 * k / 4) for k in range(5)],
    }


def _stairs(best: list[tuple[float, float]]) -> list[tuple[float, float]]:
    found: list[tuple[float, float]] = []
    for x, y in best:
        if found:
            found.append((x, found[-1][1]))
        found.append((x, y))
    return found


def _expected(order: BoardOrder, design: Design, changed: bool) -> dict[str, tuple[float, float]]:
    found = expected_readings(order, design)
    return {k: v for k, v in found.items() if not (changed and k == "hole")}


def orders_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give the orders of a design, newest first, with what is looked at."""
    store = store_of(request)
    orders = orders_of(store.bench, kept.id)
    mark = board_mark(kept.design)
    changed = {n: o.release != mark for n, o in orders.items()}
    return {
        "orders": dict(sorted(orders.items(), reverse=True)),
        "checks": CHECKS,
        "expected": {n: _expected(o, kept.design, changed[n]) for n, o in orders.items()},
        "within": within,
        "changed": changed,
        "today": store.shared.now().date().isoformat(),
    }


def _to(id: str, part: str, more: str = "") -> RedirectResponse:
    return RedirectResponse(f"/d/{id}/make?manufacturing=order&part={part}{more}", status_code=303)


@router.post("/d/{id}/quotes")
async def ask(request: Request, id: str) -> RedirectResponse:
    """Ask all houses at once; what they answer is kept with its date."""
    form = {k: str(v) for k, v in (await request.form()).items()}
    address = request.app.state.houses.address
    await run_in_threadpool(lambda: ask_houses(store_of(request), id, form, address()))
    return _to(id, "quotes")


@router.get("/d/{id}/quotes/{house}", response_class=HTMLResponse)
def details(request: Request, id: str, house: str) -> HTMLResponse:
    """Show a house's quote line by line, and what other wishes would change."""
    store = store_of(request)
    last = last_asked(store.bench, id)
    if last is None or house not in last[0].quotes:
        raise NotFound(f"There is no quote of {house}.", where="house", next_step="Ask the houses first.")
    quote, asked = last[0].quotes[house], last[0].asked
    told = last[0].houses.get(house)
    requests = what_ifs(asked, told.colours if told else ())
    key = ("what if", id, house, last[0].model_dump_json())
    after: dict[str, Quote] | None = MEMO.get(key)
    refused = None
    if after is None:
        try:
            after = MEMO.put(
                key, several(request.app.state.houses.address(), house, requests), like="what if"
            )
        except VaneStepError as error:
            after, refused = {}, error
    rows = []
    for what in requests:
        other = (after or {}).get(what)
        if other is None:
            continue
        each = (
            None if other.refusals else other.goods / requests[what].quantity - quote.goods / asked.quantity
        )
        rows.append((what, other, None if other.refusals else other.goods - quote.goods, each))
    data = {
        "house": house,
        "quote": quote,
        "told": told,
        "what_ifs": rows,
        "refused": refused,
        "asked": asked,
    }
    return page(request, "_quote.html", data)


@router.post("/d/{id}/orders")
def order(
    request: Request,
    id: str,
    house: Annotated[str, Form()],
    way: Annotated[str, Form()],
    note: Annotated[str, Form()] = "",
) -> RedirectResponse:
    """Write an order down, as a house quoted it."""
    store = store_of(request)
    place_order(store, id, house, way, note, open_stops(request, store.get(id)))
    return _to(id, "orders")


@router.post("/d/{id}/orders/{number}")
def change(
    request: Request,
    id: str,
    number: int,
    act: Annotated[str, Form()],
    on: Annotated[str, Form()] = "",
    key: Annotated[str, Form()] = "",
    reading: Annotated[str, Form()] = "",
    text: Annotated[str, Form()] = "",
) -> RedirectResponse:
    """Change an order: shipped, received, a line of the inspection, a complaint, the same once more, deleted."""
    left = change_order(store_of(request), id, number, act, on, key, reading, text)
    same = f"#order-{number}" if left == number else ""
    return _to(id, "orders", same)
