"""Asking board houses over HTTP, all at once, strictly read; what their answers mean is worked out in the core."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Final, TypeVar

from pydantic import BaseModel, ValidationError

from vane_step.core.errors import VaneStepError
from vane_step.core.houses.quoting import Asked, House, Quote

# One dead house must not hold up the others for longer, neither in silence nor word by word.
TIMEOUT_S: Final = 1.0
# What nobody waits for but whoever sets the simulation may take longer.
PATIENCE_S: Final = 10.0
MAX_ANSWER: Final = 200_000
MOST_HOUSES: Final = 20
M = TypeVar("M", bound=BaseModel)


class HouseSilent(VaneStepError):
    """A board house did not answer, or not in a way that can be used."""

    status = 502
    code = "house-silent"


@dataclass(frozen=True)
class Answers:
    """What the houses answered to one request, by their ids, and what is wrong with those that did not."""

    quotes: dict[str, Quote]
    silent: dict[str, str]


def directory(address: str) -> dict[str, str]:
    """Give the houses of a directory: name by id.

    Raises
    ------
    HouseSilent
        When the directory does not answer.
    """
    body = _fetched(f"{address}/v1/houses", None)
    try:
        found = {str(h["id"])[:40]: str(h["name"])[:60] for h in json.loads(body)[:MOST_HOUSES]}
    except (ValueError, TypeError, KeyError) as error:
        raise HouseSilent("The list of houses cannot be read.", where=address) from error
    return found


def describe(address: str, ids: Mapping[str, str]) -> dict[str, House]:
    """Ask houses what they can make; those that do not answer are left out."""
    found = _at_once(ids, lambda id: _read(House, f"{address}/h/{id}/v1/house", None))
    return {id: house for id, house in found.items() if isinstance(house, House)}


def quotes(address: str, ids: Mapping[str, str], asked: Asked) -> Answers:
    """Ask all houses for a quote at once.

    A house that does not answer in time, refuses to, or answers what cannot be read is told; no other is held up.
    """
    body = asked.model_dump_json()
    found = _at_once(ids, lambda id: _read(Quote, f"{address}/h/{id}/v1/quote", body))
    silent = {id: f"{ids[id]}: {answer}" for id, answer in found.items() if isinstance(answer, str)}
    return Answers({id: q for id, q in found.items() if isinstance(q, Quote)}, silent)


def several(address: str, id: str, requests: Mapping[str, Asked]) -> dict[str, Quote]:
    """Ask one house several things at once; what it does not answer is left out."""
    found = _at_once(
        requests, lambda key: _read(Quote, f"{address}/h/{id}/v1/quote", requests[key].model_dump_json())
    )
    return {key: q for key, q in found.items() if isinstance(q, Quote)}


def behaviour(address: str, id: str, wanted: Mapping[str, object] | None = None) -> dict[str, object]:
    """Ask how a simulated house behaves (``mode``, ``delay_ms``), or set it.

    Raises
    ------
    HouseSilent
        When it does not answer, or cannot behave so.
    """
    body = None if wanted is None else json.dumps(wanted)
    found: dict[str, object] = json.loads(_fetched(f"{address}/h/{id}/v1/behaviour", body, PATIENCE_S))
    return found


def _at_once(keys: Mapping[str, object], ask: Callable[[str], M]) -> dict[str, M | str]:
    def asked(key: str) -> M | str:
        try:
            return ask(key)
        except HouseSilent as error:
            return error.message

    if not keys:
        return {}
    with ThreadPoolExecutor(max_workers=min(len(keys), 12)) as pool:
        return dict(zip(keys, pool.map(asked, keys), strict=True))


def _read(model: type[M], address: str, body: str | None) -> M:
    try:
        return model.model_validate_json(_fetched(address, body))
    except ValidationError as error:
        raise HouseSilent("Its answer cannot be read.", where=address) from error


def _fetched(address: str, body: str | None, patience_s: float = TIMEOUT_S) -> bytes:
    import httpx  # Loading it takes a tenth of a second; most starts never ask.

    found, begun = b"", time.monotonic()
    try:
        with (
            httpx.Client(timeout=patience_s, trust_env=False) as client,
            client.stream(
                "GET" if body is None else "POST",
                address,
                content=body,
                headers={"Content-Type": "application/json"},
            ) as answer,
        ):
            for piece in answer.iter_bytes():
                found += piece
                if len(found) > MAX_ANSWER or time.monotonic() - begun > patience_s:
                    raise HouseSilent("It answers without end.", where=address)
    except httpx.HTTPError as error:
        raise HouseSilent(f"It does not answer ({type(error).__name__}).", where=address) from error
    if answer.status_code != 200:
        raise HouseSilent(f"It refuses ({answer.status_code}).", where=address)
    return found
