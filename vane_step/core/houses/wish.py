"""An order read from words, as the page's form or the terminal says them; what is not said suits the board."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from pydantic import ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.houses.options import usual_order
from vane_step.core.houses.quoting import COUNTRIES, Asked, parts_wanted
from vane_step.core.quantity import parse_value

# An hour of the user's own, in euros, where nothing is said.
RATE: Final = 15.0


def wish(design: Design, said: Mapping[str, str]) -> tuple[Asked, float]:
    """Read an order from words; what is not said suits the board.

    Raises
    ------
    InputError
        Naming the field and what is allowed.
    """
    asked = usual_order(design)
    update: dict[str, Any] = {}
    if text := said.get("quantity", "").strip():
        if not text.isdigit() or not 1 <= int(text) <= 100_000:
            raise InputError(
                f"{text!r} boards are none.", where="quantity", value=text, allowed="1 to 100000"
            )
        update["quantity"] = int(text)
    if said.get("country"):
        if said["country"] not in COUNTRIES:
            raise InputError(
                f"Nobody ships to {said['country']}.",
                where="country",
                value=said["country"],
                allowed=", ".join(COUNTRIES),
            )
        update["country"] = said["country"]
    update |= {k: said[k] for k in ("colour", "finish") if said.get(k)}
    if said.get("thickness"):
        update["thickness_mm"] = parse_value(said["thickness"].removesuffix("mm"), "thickness")
    for word in ("express", "stencil"):
        update[word] = said.get(word) == "yes"
    update["test"] = said.get("test", "yes") == "yes"
    if text := said.get("panel", "").lower():
        columns, cross, rows = text.partition("x")
        if not (
            cross
            and columns.isdigit()
            and rows.isdigit()
            and 1 <= int(columns) <= 20
            and 1 <= int(rows) <= 20
        ):
            raise InputError(f"{text!r} is no panel.", where="panel", value=text, allowed="2x1 to 20x20")
        update["panel"] = (int(columns), int(rows))
    if said.get("fitting") == "house":
        update["parts"] = parts_wanted(design)
    rate = parse_value(said["rate"].removesuffix("€"), "rate") if said.get("rate") else RATE
    if not 0 <= rate <= 1000:
        raise InputError(
            f"An hour at {rate:g} € is none.", where="rate", value=said["rate"], allowed="0 to 1000 €"
        )
    try:
        return Asked.model_validate(asked.model_dump() | update), rate
    except ValidationError as error:
        raise input_error(error, "order") from error
