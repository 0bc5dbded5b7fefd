"""Ordering boards on the Make page: options explained, houses asked and compared, orders kept and inspected."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from datetime import date
from typing import Annotated, Any, Final

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse
from pydantic import BaseModel, ConfigDict, ValidationError
from starlette.concurrency import run_in_threadpool

from vane_step.core.derive import COPPER
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, InputError, NotFound, VaneStepError
from vane_step.core.houses.compare import Deal, deals, order_findings, own_hands_s, what_ifs
from vane_step.core.houses.options import advice, usual_order
from vane_step.core.houses.quoting import COUNTRIES, Asked, House, Quote, needs_of, parts_wanted
from vane_step.core.houses.record import (
    CHECKS,
    BoardOrder,
    arrived,
    checked,
    expected_reading,
)
from vane_step.core.houses.wish import RATE, wish
from vane_step.core.memo import MEMO
from vane_step.core.quantity import parse_value
from vane_step.store.bench import Bench
from vane_step.store.designs import Kept
from vane_step.suppliers.houses import describe, directory, quotes, several
from vane_step.web.findings_view import outside
from vane_step.web.pages.etching import open_stops
from vane_step.web.render import page, store_of

router = APIRouter()
_STAMP: Final = "%Y-%m-%dT%H:%M:%SZ"


class LastAsked(BaseModel):
    """What houses were asked last for a design, and what they answered."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    asked: Asked
    rate: float = RATE
    quotes: dict[str, Quote]
    silent: dict[str, str]
    names: dict[str, str]
    houses: dict[str, House]
    # The board as it was then; a changed one has to be asked for again.
    board: str


def board_mark(design: Design) -> str:
    """Give a mark of all that goes into the files of a board."""
    return hashlib.sha256("".join(design.digest(s) for s in COPPER).encode()).hexdigest()[:16]


def orders_of(bench: Bench, design: str) -> dict[int, BoardOrder]:
    """Give the orders of a design by number."""
    return {n: BoardOrder.model_validate_json(t) for n, t in bench.records("order", design).items()}


def last_asked(bench: Bench, id: str) -> tuple[LastAsked, str] | None:
    """Give what houses answered last, and when; None where nobody asked, or what is kept is of an older kind."""
    kept = bench.asked(id)
    if kept is None:
        return None
    try:
        return LastAsked.model_validate_json(kept[0]), kept[1]
    except ValidationError:
        return None


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


def orders_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give the orders of a design, newest first, with what is looked at."""
    store = store_of(request)
    orders = orders_of(store.bench, kept.id)
    return {
        "orders": dict(sorted(orders.items(), reverse=True)),
        "checks": CHECKS,
        "expected": {n: {k: expected_reading(o, k) for k in CHECKS} for n, o in orders.items()},
        "changed": {n: o.release != board_mark(kept.design) for n, o in orders.items()},
        "today": store.shared.now().date().isoformat(),
    }


def _to(id: str, part: str, more: str = "") -> RedirectResponse:
    return RedirectResponse(f"/d/{id}/make?manufacturing=order&part={part}{more}", status_code=303)


@router.post("/d/{id}/quotes")
async def ask(request: Request, id: str) -> RedirectResponse:
    """Ask all houses at once; what they answer is kept with its date."""
    form = {k: str(v) for k, v in (await request.form()).items()}
    await run_in_threadpool(_ask, request, id, form)
    return _to(id, "quotes")


def _ask(request: Request, id: str, said: Mapping[str, str]) -> None:
    store = store_of(request)
    kept = store.get(id)
    if not kept.design.parts and not kept.design.tracks:
        raise EditRefused(
            "There is nothing to order yet.", where="board", next_step="Begin with the circuit."
        )
    asked, rate = wish(kept.design, said)
    address = request.app.state.houses.address()
    names = directory(address)
    answers = quotes(address, names, asked)
    past = last_asked(store.bench, id)
    houses = {
        **(past[0].houses if past else {}),
        **describe(address, {i: n for i, n in names.items() if i in answers.quotes}),
    }
    last = LastAsked(
        asked=asked,
        rate=rate,
        quotes=answers.quotes,
        silent=answers.silent,
        names=names,
        houses={i: h for i, h in houses.items() if i in names},
        board=board_mark(kept.design),
    )
    store.bench.keep_asked(id, last.model_dump_json(), store.shared.now().strftime(_STAMP))


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
    kept, last = store.get(id), last_asked(store.bench, id)
    today = store.shared.now().date()
    found = deals(last[0].quotes, last[0].asked, today) if last else []
    deal = next((d for d in found if d.house == house and d.way.name == way), None)
    if deal is None or last is None:
        raise NotFound(
            f"{house} offered nothing by {way}.",
            where="order",
            next_step="Ask the houses, then choose one of their offers.",
        )
    if last[0].board != board_mark(kept.design):
        raise EditRefused(
            "The board changed since the houses were asked.", where="order", next_step="Ask them again first."
        )
    if stops := open_stops(request, kept):
        raise EditRefused(
            f"{len(stops)} stops forbid it: {stops[0]}",
            where="order",
            next_step="Mend them, then ask the houses again.",
        )
    made = BoardOrder(
        ordered=today,
        version=kept.version,
        release=last[0].board,
        house=deal.quote.house,
        asked=last[0].asked,
        way=way,
        price=deal.total,
        promised=deal.in_hand,
        note=note[:400],
    )
    store.bench.begin("order", id, made.model_dump_json())
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
    store = store_of(request)
    orders = orders_of(store.bench, id)
    if number not in orders:
        raise NotFound(
            f"There is no order {number} of this design.",
            where="order",
            allowed=", ".join(map(str, orders)) or "none",
        )
    one, day = orders[number], _day(on, store.shared.now().date())
    if act == "delete":
        store.bench.change("order", id, number, None)
        return _to(id, "orders")
    if act == "again":
        fresh: dict[str, Any] = {
            "ordered": day,
            "shipped": None,
            "received": None,
            "checks": {},
            "complaint": "",
            "note": f"as order {number}",
        }
        again = one.model_copy(update={**fresh, "promised": day + (one.promised - one.ordered)})
        store.bench.begin("order", id, again.model_dump_json())
        return _to(id, "orders")
    acts = {
        "shipped": lambda: one.model_copy(update={"shipped": day}),
        "received": lambda: arrived(one, day),
        "right": lambda: checked(one, key, True, _reading(reading)),
        "wrong": lambda: checked(one, key, False, _reading(reading)),
        "complaint": lambda: one.model_copy(update={"complaint": text[:400]}),
        "note": lambda: one.model_copy(update={"note": text[:400]}),
    }
    if act not in acts:
        raise InputError(
            f"Nothing is {act!r} of an order.",
            where="act",
            value=act,
            allowed=", ".join((*acts, "again", "delete")),
        )
    store.bench.change("order", id, number, acts[act]().model_dump_json())
    return _to(id, "orders", f"#order-{number}")


def _day(text: str, today: date) -> date:
    try:
        return date.fromisoformat(text) if text else today
    except ValueError as error:
        raise InputError(
            f"{text[:20]!r} is no day.", where="on", value=text[:20], allowed="2026-11-30"
        ) from error


def _reading(text: str) -> float | None:
    return parse_value(text, "reading") if text.strip() else None


def best_deal(request: Request, kept: Kept) -> Deal | None:
    """Give the cheapest deal of the last answers for the board as it is; None where nobody asked for this board."""
    store = store_of(request)
    last = last_asked(store.bench, kept.id)
    if (
        last is None
        or last[0].board != board_mark(kept.design)
        or last[0].asked.needs != needs_of(kept.design)
    ):
        return None
    return next(iter(deals(last[0].quotes, last[0].asked, store.shared.now().date())), None)
