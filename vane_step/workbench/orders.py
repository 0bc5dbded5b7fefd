"""Houses asked for a design on the shelf, and its orders: written down, repeated, received, inspected."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, ValidationError

from vane_step.core.derive import COPPER
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.houses.compare import Deal, deals
from vane_step.core.houses.needs import needs_of
from vane_step.core.houses.quoting import Asked, House, Quote
from vane_step.core.houses.record import BoardOrder, arrived, checked
from vane_step.core.houses.wish import RATE, wish
from vane_step.core.quantity import parse_value
from vane_step.store.bench import Bench
from vane_step.store.designs import DesignStore
from vane_step.suppliers.houses import describe, directory, quotes

_STAMP: Final = "%Y-%m-%dT%H:%M:%SZ"
ACTS: Final = ("shipped", "received", "right", "wrong", "complaint", "note", "again", "delete")


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


def ask_houses(store: DesignStore, id: str, said: Mapping[str, str], address: str) -> LastAsked:
    """Ask all houses at once, by wishes as typed; what they answer is kept with its date.

    Raises
    ------
    EditRefused
        When there is nothing to order.
    """
    kept = store.get(id)
    if not kept.design.parts and not kept.design.tracks:
        raise EditRefused(
            "There is nothing to order yet.", where="board", next_step="Begin with the circuit."
        )
    asked, rate = wish(kept.design, said)
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
    return last


def best_deal(store: DesignStore, id: str) -> Deal | None:
    """Give the cheapest deal of the last answers for the board as it is; None where nobody asked for this board."""
    last, design = last_asked(store.bench, id), store.get(id).design
    if last is None or last[0].board != board_mark(design) or last[0].asked.needs != needs_of(design):
        return None
    return next(iter(deals(last[0].quotes, last[0].asked, store.shared.now().date())), None)


def place_order(
    store: DesignStore, id: str, house: str, way: str, note: str, stops: Sequence[str]
) -> tuple[int, BoardOrder]:
    """Write an order down, as a house quoted it, with what forbids it as ``stops``.

    Raises
    ------
    NotFound
        When the house offered nothing by that way.
    EditRefused
        When the board changed since, or stops are open.
    """
    kept, last = store.get(id), last_asked(store.bench, id)
    today = store.shared.now().date()
    found = deals(last[0].quotes, last[0].asked, today) if last else []
    deal = next((d for d in found if d.house == house and d.way.name == way), None)
    if deal is None or last is None:
        raise NotFound(
            f"{house} offered nothing by {way}.",
            where="order",
            allowed="; ".join(f"{d.house} by {d.way.name}" for d in found[:8]) or "nothing was offered",
            next_step="Ask the houses, then choose one of their offers.",
        )
    if last[0].board != board_mark(kept.design):
        raise EditRefused(
            "The board changed since the houses were asked.", where="order", next_step="Ask them again first."
        )
    if stops:
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
    return store.bench.begin("order", id, made.model_dump_json()), made


def change_order(
    store: DesignStore,
    id: str,
    number: int,
    act: str,
    on: str = "",
    key: str = "",
    reading: str = "",
    text: str = "",
) -> int | None:
    """Change an order: shipped, received, a line of the inspection, a complaint, the same once more, deleted.

    Returns
    -------
    int or None
        The order's number, that of the new one where it is ordered again; None where it is deleted.

    Raises
    ------
    NotFound, InputError
        When there is no such order, or nothing of the kind is done to one.
    """
    orders = orders_of(store.bench, id)
    if number not in orders:
        raise NotFound(
            f"There is no order {number} of this design.",
            where="order",
            allowed=", ".join(map(str, orders)) or "none",
        )
    if act not in ACTS:
        raise InputError(f"Nothing is {act!r} of an order.", where="act", value=act, allowed=", ".join(ACTS))
    if act == "delete":
        store.bench.change("order", id, number, None)
        return None
    one, day = orders[number], _day(on, store.shared.now().date())
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
        return store.bench.begin("order", id, again.model_dump_json())
    value = parse_value(reading, "reading") if reading.strip() else None
    made = {
        "shipped": lambda: one.model_copy(update={"shipped": day}),
        "received": lambda: arrived(one, day),
        "right": lambda: checked(one, key, True, value),
        "wrong": lambda: checked(one, key, False, value),
        "complaint": lambda: one.model_copy(update={"complaint": text[:400]}),
        "note": lambda: one.model_copy(update={"note": text[:400]}),
    }[act]()
    store.bench.change("order", id, number, made.model_dump_json())
    return number


def _day(text: str, today: date) -> date:
    try:
        return date.fromisoformat(text) if text else today
    except ValueError as error:
        raise InputError(
            f"{text[:20]!r} is no day.", where="on", value=text[:20], allowed="2026-11-30"
        ) from error
