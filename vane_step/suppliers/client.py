"""Asking a supplier over HTTP, strictly read, dated and kept; what prices mean is worked out in the core."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import TYPE_CHECKING, Any

from pydantic import BaseModel, ConfigDict, ValidationError

from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.order.buying import Dated, Offer
from vane_step.store.shelfware import Shelfware

if TYPE_CHECKING:
    import httpx

TIMEOUT_S = 4.0
MAX_ANSWER = 2_000_000
AT_ONCE = 50


class SupplierSilent(VaneStepError):
    """The supplier did not answer, or not in a way that can be used; what it said before still stands."""

    status = 502
    code = "supplier-silent"


class _Answer(BaseModel):
    model_config = ConfigDict(extra="forbid")
    supplier: str
    offers: dict[str, Offer | None]


def ask_supplier(
    address: str, numbers: Iterable[str], timeout_s: float = TIMEOUT_S
) -> dict[str, Offer | None]:
    """Ask a supplier for offers.

    Raises
    ------
    SupplierSilent
        When it does not answer in time, refuses, or answers what cannot be read.
    """
    import httpx  # Loading it takes a tenth of a second; most starts never ask.

    found: dict[str, Offer | None] = {}
    wanted = list(dict.fromkeys(numbers))
    with httpx.Client(base_url=address, timeout=timeout_s, trust_env=False) as client:
        for k in range(0, len(wanted), AT_ONCE):
            found |= _ask(client, wanted[k : k + AT_ONCE], address)
    return found


def behaviour(address: str) -> dict[str, Any]:
    """Ask how the simulated supplier behaves: its ``mode`` and ``delay_ms``.

    Raises
    ------
    SupplierSilent
        When it does not answer.
    """
    return _behaviour(address, None)


def conduct(address: str, mode: str, delay_ms: int) -> None:
    """Set how the simulated supplier behaves.

    Raises
    ------
    SupplierSilent, InputError
        When it does not answer, or cannot behave so.
    """
    _behaviour(address, {"mode": mode, "delay_ms": delay_ms})


def _behaviour(address: str, wanted: dict[str, Any] | None) -> dict[str, Any]:
    import httpx

    where = f"{address}/v1/behaviour"
    try:
        with httpx.Client(timeout=3, trust_env=False) as client:
            answer = client.get(where) if wanted is None else client.post(where, json=wanted)
    except httpx.HTTPError as error:
        raise SupplierSilent("The simulated supplier does not answer.", where=address) from error
    if answer.status_code != 200:
        raise InputError(
            "The simulated supplier cannot behave so.",
            where="mode",
            value=str((wanted or {}).get("mode", "")),
            allowed="responding, down, rejecting, malformed",
        )
    now: dict[str, Any] = answer.json()
    return now


def _ask(client: httpx.Client, numbers: list[str], address: str) -> dict[str, Offer | None]:
    import httpx

    try:
        with client.stream("GET", "/v1/offers", params={"number": numbers}) as answer:
            body = b""
            for piece in answer.iter_bytes():
                body += piece
                if len(body) > MAX_ANSWER:
                    raise SupplierSilent(
                        "The supplier's answer has no end.", where=address, allowed=f"{MAX_ANSWER} bytes"
                    )
    except httpx.HTTPError as error:
        raise SupplierSilent(
            f"The supplier does not answer ({type(error).__name__}).",
            where=address,
            next_step="Older prices are shown; ask again later.",
        ) from error
    if answer.status_code != 200:
        raise SupplierSilent(
            f"The supplier refuses ({answer.status_code}).",
            where=address,
            next_step="Older prices are shown; ask again later.",
        )
    try:
        read = _Answer.model_validate_json(body)
    except ValidationError as error:
        raise SupplierSilent(
            "The supplier's answer cannot be read.", where=address, next_step="Older prices are shown."
        ) from error
    strange = [n for n, o in read.offers.items() if n not in numbers or (o is not None and o.number != n)]
    if strange:
        raise SupplierSilent(
            f"The supplier answered for {strange[0][:40]}, which was not asked.", where=address
        )
    return read.offers


def refresh(
    shared: Shelfware, address: str, numbers: Iterable[str], timeout_s: float = TIMEOUT_S
) -> datetime:
    """Ask for offers and keep the answers with their date; nothing is kept of an answer that cannot be used."""
    offers = ask_supplier(address, numbers, timeout_s)
    at = shared.now()
    shared.keep_offers({n: o.model_dump_json() if o else None for n, o in offers.items()}, at)
    return at


def kept_offers(shared: Shelfware) -> dict[str, Dated]:
    """Give the last answers, however old they are."""
    return {
        number: Dated(Offer.model_validate_json(content) if content else None, at)
        for number, (content, at) in shared.offers().items()
    }
