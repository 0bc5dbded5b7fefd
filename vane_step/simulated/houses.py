"""Simulated board houses behind HTTP: what each can make and asks for it; delay and failure of each can be switched.

``GET /v1/houses`` lists them; each answers below its own address: ``GET /h/ID/v1/house`` says what it can make, ``POST
/h/ID/v1/quote`` answers a request, ``POST /h/ID/v1/behaviour`` switches delay and failure. All of it is invented.
"""

from __future__ import annotations

import asyncio
import json
import math
from importlib.resources import files
from typing import Any, Final

from fastapi import FastAPI, HTTPException, Response

from vane_step.core.houses.quoting import Asked
from vane_step.simulated.supplier import Behaviour, _stock_list, offer

TITLE: Final = "Simulated houses that make boards"


def _houses() -> dict[str, dict[str, Any]]:
    text = (files("vane_step.simulated") / "houses.json").read_text(encoding="utf-8")
    found: dict[str, dict[str, Any]] = json.loads(text)
    return found


def described(id: str, house: dict[str, Any]) -> dict[str, Any]:
    """Give what a house says of itself."""
    finest = house["classes"][-1]
    return {
        "id": id,
        "name": house["name"],
        "country": house["country"],
        "about": house["about"],
        "layers": [int(n) for n in house["layers"]],
        "colours": list(house["colours"]),
        "finishes": list(house["finishes"]),
        "thicknesses_mm": [float(t) for t in house["thicknesses"]],
        "copper_um": [float(c) for c in house["copper"]],
        **dict(
            zip(
                ("least_width_mm", "least_gap_mm", "least_ring_mm", "least_drill_mm"),
                finest[1:5],
                strict=True,
            )
        ),
        "grades": [
            dict(zip(("name", "width_mm", "gap_mm", "ring_mm", "drill_mm", "factor"), c, strict=True))
            for c in house["classes"]
        ],
        **house["limits"],
        "largest_mm": _largest_mm(house),
        "quantities": house["quantities"],
        "assembles": house["assembly"] is not None,
        "stencils": house["stencil"] is not None,
        "panels": house["panels"] is not None,
    }


def quoted(house: dict[str, Any], asked: Asked, stock: dict[str, Any]) -> dict[str, Any]:
    """Give a house's answer to a request: lines, days and ways of shipping, or why it refuses."""
    needs = asked.needs
    layers = str(needs.layers)
    refusals = list(_refusals(house, asked))
    answer: dict[str, Any] = {
        "house": house["name"],
        "valid_days": house["valid"],
        "holidays": house["holidays"],
    }
    if refusals:
        return answer | {"refusals": refusals}
    grade = next(c for c in house["classes"] if _makes(c, asked))
    quantity = next(q for q in house["quantities"] if q >= asked.quantity)
    items = [_bare(house, asked, quantity, grade)]
    days = house["days"][layers]
    colour, late = house["colours"][asked.colour]
    finish, later = house["finishes"][asked.finish]
    days += max(late, later)
    factor = max(1.0, quantity / 10)
    extras = [
        (f"colour {asked.colour}", colour),
        (f"finish {asked.finish}", finish * factor),
        (f"thickness {asked.thickness_mm:g} mm", house["thicknesses"][f"{asked.thickness_mm:g}"] * factor),
        (f"copper {needs.copper_um:g} µm", house["copper"][f"{needs.copper_um:g}"] * factor),
        ("filled vias", house["fill"] if needs.filled_vias else 0.0),
        ("half holes", house["half_holes"] if needs.half_holes else 0.0),
        ("panel", house["panels"] if asked.panel else 0.0),
        ("electrical test", house["test"] if asked.test else 0.0),
    ]
    items += [{"what": what, "price": round(price, 2)} for what, price in extras if price]
    if asked.stencil:
        price, late = house["stencil"]
        items.append({"what": "stencil", "price": price})
        days = max(days, house["days"][layers] + late)
    missing: list[str] = []
    if asked.parts:
        fitted, missing = _fitted(house["assembly"], asked, quantity, stock)
        items += fitted
        days += house["assembly"]["days"]
    if asked.express:
        price, less = house["express"]
        items.append({"what": "express", "price": price})
        days = max(1, days - less)
    ways = [{"name": n, "price": p, "days": d} for n, p, d in house["ways"][asked.country]]
    return answer | {"grade": grade[0], "items": items, "days": days, "ways": ways, "missing": missing}


def _makes(grade: list[Any], asked: Asked) -> bool:
    n = asked.needs
    return all(
        has >= least - 1e-6
        for has, least in zip(
            (n.least_width_mm, n.least_gap_mm, n.least_ring_mm, n.least_drill_mm), grade[1:5], strict=True
        )
    )


def _refusals(house: dict[str, Any], asked: Asked) -> Any:
    n = asked.needs
    if str(n.layers) not in house["layers"]:
        yield f"{n.layers} layers are not made here."
    if not any(_makes(c, asked) for c in house["classes"]):
        finest = house["classes"][-1]
        least = f"tracks {finest[1]:g}, gaps {finest[2]:g}, rings {finest[3]:g}, drills {finest[4]:g} mm"
        yield f"Too fine: {least} at the least."
    short, long = sorted(_size(asked))
    largest = _largest_mm(house)
    if short > min(largest) or long > max(largest):
        yield f"Boards up to {max(largest)} x {min(largest)} mm."
    limits = house["limits"]
    for what, has, least in (
        ("Copper to the edge", n.least_edge_mm, limits["edge_mm"]),
        ("Wall between two holes", n.least_web_mm, limits["web_mm"]),
        ("Slots", n.least_slot_mm, limits["slot_mm"]),
    ):
        if has is not None and has < least - 1e-6:
            yield f"{what} of {has:g} mm: {least:g} mm at the least."
    if n.largest_drill_mm is not None and n.largest_drill_mm > limits["largest_drill_mm"]:
        yield f"Holes up to {limits['largest_drill_mm']:g} mm."
    for what, value, known in (
        ("colour", asked.colour, house["colours"]),
        ("finish", asked.finish, house["finishes"]),
        ("thickness in mm", f"{asked.thickness_mm:g}", house["thicknesses"]),
        ("copper in µm", f"{n.copper_um:g}", house["copper"]),
        ("country", asked.country, house["ways"]),
    ):
        if value not in known:
            yield f"{what.capitalize()} {value}: only {', '.join(known)}."
    for what, wanted, price in (
        ("Filled vias", n.filled_vias, house["fill"]),
        ("Half holes", n.half_holes, house["half_holes"]),
        ("Stencils", asked.stencil, house["stencil"]),
        ("Panels", asked.panel, house["panels"]),
        ("Express", asked.express, house["express"]),
        ("Fitting parts", asked.parts, house["assembly"]),
    ):
        if wanted and price is None:
            yield f"{what}: not here."
    if asked.quantity > house["quantities"][-1]:
        yield f"Up to {house['quantities'][-1]} boards."


def _largest_mm(house: dict[str, Any]) -> Any:
    return house["steps_mm"][-1] if house["steps_mm"] else (500, 400)


def _size(asked: Asked) -> tuple[float, float]:
    columns, rows = asked.panel or (1, 1)
    gap = 2.0 if asked.panel else 0.0
    return columns * (asked.needs.width_mm + gap) - gap, rows * (asked.needs.height_mm + gap) - gap


def _bare(house: dict[str, Any], asked: Asked, quantity: int, grade: list[Any]) -> dict[str, Any]:
    """Price the bare boards: set-up, and their area, by the step of size they fall into where the house has steps."""
    layers = str(asked.needs.layers)
    wide, tall = _size(asked)
    short, long = sorted((wide, tall))
    if house["steps_mm"]:
        step = next(s for s in house["steps_mm"] if short <= min(s) + 1e-6 and long <= max(s) + 1e-6)
        wide, tall = step
    pieces = math.ceil(quantity / math.prod(asked.panel or (1, 1)))
    area = wide * tall / 100 * pieces
    # The more area, the less of it: large runs share their glass.
    price = (house["layers"][layers] + house["area_cm2"][layers] * area**0.92) * grade[5]
    what = f"{quantity} boards" + (f" on {pieces} panels" if asked.panel else "") + f", {grade[0]}"
    if house["steps_mm"]:
        what += f", up to {step[0]} x {step[1]} mm"
    return {"what": what, "price": round(price, 2)}


def _fitted(
    assembly: dict[str, Any], asked: Asked, quantity: int, stock: dict[str, Any]
) -> tuple[list[dict[str, Any]], list[str]]:
    """Price the fitting: set-up, a feeder a kind, joints, a second side; parts it has, and which it lacks."""
    surface = sum(p.count * p.joints for p in asked.parts if p.surface) * quantity
    bored = sum(p.count * p.joints for p in asked.parts if not p.surface) * quantity
    work = assembly["setup"] + assembly["feeder"] * len(asked.parts)
    work += assembly["surface"] * surface + assembly["hole"] * bored
    work += assembly["second_side"] if asked.both_sides else 0.0
    items = [
        {
            "what": f"fitting, {surface} joints on the surface, {bored} through",
            "price": round(max(work, assembly["minimum"]), 2),
        }
    ]
    bought, missing = 0.0, []
    for k, part in enumerate(asked.parts):
        found = offer(part.number, stock)
        has = found is not None and (k * 37 % 100) < 100 * assembly["stock"]
        if found is None or not has:
            missing.append(part.number)
            continue
        count = part.count * quantity
        price = [b["price"] for b in found["breaks"] if b["quantity"] <= count] or [
            found["breaks"][0]["price"]
        ]
        bought += count * price[-1] * assembly["markup"]
    if bought:
        items.append(
            {
                "what": f"parts of the house, {len(asked.parts) - len(missing)} kinds",
                "price": round(bought, 2),
            }
        )
    return items, missing


def create_houses() -> FastAPI:
    """Make the houses' own application."""
    app = FastAPI(title=TITLE, docs_url=None, redoc_url=None, openapi_url=None)
    houses, stock = _houses(), _stock_list()
    app.state.behaviour = {id: Behaviour() for id in houses}

    def house_of(id: str) -> dict[str, Any]:
        if id not in houses:
            raise HTTPException(404, "There is no such house.")
        return houses[id]

    async def behaves(id: str) -> Response | None:
        behaviour: Behaviour = app.state.behaviour[id]
        await asyncio.sleep(behaviour.delay_ms / 1000)
        if behaviour.mode == "down":
            raise HTTPException(503, "The works are closed.")
        if behaviour.mode == "rejecting":
            raise HTTPException(429, "Too many questions; ask again in an hour.")
        if behaviour.mode == "malformed":
            return Response('{"house": 7, "items": "many", "price', media_type="application/json")
        return None

    @app.get("/v1/houses")
    async def directory() -> list[dict[str, str]]:
        return [{"id": id, "name": h["name"]} for id, h in houses.items()]

    @app.get("/h/{id}/v1/house")
    async def house(id: str) -> Any:
        found = house_of(id)
        return await behaves(id) or described(id, found)

    @app.post("/h/{id}/v1/quote")
    async def quote(id: str, asked: Asked) -> Any:
        found = house_of(id)
        return await behaves(id) or quoted(found, asked, stock)

    @app.get("/h/{id}/v1/behaviour")
    async def behaviour(id: str) -> Behaviour:
        house_of(id)
        found: Behaviour = app.state.behaviour[id]
        return found

    @app.post("/h/{id}/v1/behaviour")
    async def behave(id: str, wanted: Behaviour) -> Behaviour:
        house_of(id)
        app.state.behaviour[id] = wanted
        return wanted

    return app
