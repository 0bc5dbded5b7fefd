"""A simulated supplier of parts behind HTTP: stock, prices, lead times; its delay and failures can be switched.

Everything it says is invented, drawn from its own data by a hash of the part's number, so that it says the same
every time. ``GET /v1/offers?number=…`` answers up to 100 numbers; ``POST /v1/behaviour`` switches delay and failure.
"""

from __future__ import annotations

import asyncio
import hashlib
import json
from importlib.resources import files
from typing import Annotated, Any, Literal

from fastapi import FastAPI, HTTPException, Query, Response
from pydantic import BaseModel, ConfigDict, Field

NAME = "Orchard Gate Components"
MAX_NUMBERS = 100


class Behaviour(BaseModel):
    """How the supplier behaves: its delay, and whether it is down, rejects requests, or answers malformed."""

    model_config = ConfigDict(extra="forbid")
    delay_ms: int = Field(default=0, ge=0, le=60_000)
    mode: Literal["responding", "down", "rejecting", "malformed"] = "responding"


def _stock_list() -> dict[str, Any]:
    text = (files("vane_step.simulated") / "supplier.json").read_text(encoding="utf-8")
    found: dict[str, Any] = json.loads(text)
    return found


def offer(number: str, data: dict[str, Any]) -> dict[str, Any] | None:
    """Give what the supplier says of a part; ``None`` when it does not carry it."""
    line = next((entry for prefix, entry in data["lines"].items() if number.startswith(prefix)), None)
    if line is None or number in data["not_carried"]:
        return None
    dice = hashlib.sha256(number.encode()).digest()
    price = line["price"] * (0.85 + 0.3 * dice[0] / 255)
    breaks = [
        {"quantity": q, "price": round(price * share, 4)}
        for q, share in zip(line["breaks"], line["shares"], strict=True)
    ]
    found = {
        "number": number,
        "supplier": NAME,
        "stock": line["stock"] * (20 + dice[1]) // 100,
        "minimum": line.get("minimum", 1),
        "multiple": line.get("multiple", 1),
        "breaks": breaks,
        "lead_days": 7 * (1 + dice[2] % 12),
        "life": "active",
        "sources": 1 + dice[3] % 4,
    }
    special: dict[str, Any] = data["special"].get(number, {})
    return found | special


def create_supplier() -> FastAPI:
    """Make the supplier's own application."""
    app = FastAPI(title=NAME, docs_url=None, redoc_url=None, openapi_url=None)
    app.state.behaviour = Behaviour()
    data = _stock_list()

    @app.get("/v1/offers")
    async def offers(number: Annotated[list[str], Query(max_length=MAX_NUMBERS)]) -> Any:
        behaviour: Behaviour = app.state.behaviour
        await asyncio.sleep(behaviour.delay_ms / 1000)
        if behaviour.mode == "down":
            raise HTTPException(503, "The shop is closed for stock-taking.")
        if behaviour.mode == "rejecting":
            raise HTTPException(429, "Too many questions; ask again in an hour.")
        if behaviour.mode == "malformed":
            return Response('{"offers": [{"number": 7, "stock": "plenty"', media_type="application/json")
        return {"supplier": NAME, "offers": {n: offer(n, data) for n in number}}

    @app.get("/v1/behaviour")
    async def behaviour() -> Behaviour:
        found: Behaviour = app.state.behaviour
        return found

    @app.post("/v1/behaviour")
    async def behave(wanted: Behaviour) -> Behaviour:
        app.state.behaviour = wanted
        return wanted

    return app
