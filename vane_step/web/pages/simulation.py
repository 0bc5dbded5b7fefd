"""The page of simulated outside services and how they behave; the services themselves are in ``simulated``."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse
from starlette.concurrency import run_in_threadpool

from vane_step.core.errors import InputError
from vane_step.simulated.supplier import NAME
from vane_step.suppliers.client import behaviour, conduct
from vane_step.suppliers.houses import behaviour as house_behaviour, directory
from vane_step.web.render import page

router = APIRouter()

MODES = {
    "responding": "answers every request",
    "down": "answers none, as a shop that is closed",
    "rejecting": "rejects requests: too many of them",
    "malformed": "sends answers nobody can read",
}


def _shown(request: Request, applied: bool) -> HTMLResponse:
    settings = request.app.state.settings
    now = {} if settings.supplier else behaviour(request.app.state.supplier.address())
    houses: dict[str, tuple[str, dict[str, object]]] = {}
    if not settings.houses:
        address = request.app.state.houses.address()
        houses = {id: (name, house_behaviour(address, id)) for id, name in directory(address).items()}
    data = {
        "design": None,
        "real": settings.supplier,
        "real_houses": settings.houses,
        "now": now,
        "houses": houses,
        "modes": MODES,
        "name": NAME,
        "applied": applied,
    }
    return page(request, "simulation.html", data)


@router.get("/simulation", response_class=HTMLResponse)
def show(request: Request) -> HTMLResponse:
    """Show how each simulated service behaves."""
    return _shown(request, applied=False)


@router.post("/simulation", response_class=HTMLResponse)
def apply(
    request: Request,
    mode: Annotated[str, Form(max_length=20)],
    delay_ms: Annotated[int, Form(ge=0, le=60_000)] = 0,
) -> HTMLResponse:
    """Set how the simulated supplier behaves."""
    if request.app.state.settings.supplier:
        raise InputError(
            "The supplier is a real one.",
            where="supplier",
            value=request.app.state.settings.supplier,
            next_step="Start the program without VANE_STEP_SUPPLIER for the simulated one.",
        )
    conduct(request.app.state.supplier.address(), mode, delay_ms)
    return _shown(request, applied=True)


@router.post("/simulation/houses", response_class=HTMLResponse)
async def apply_houses(request: Request) -> HTMLResponse:
    """Set how each simulated house behaves; a delay is given to all of them."""
    form = {k: str(v) for k, v in (await request.form()).items()}
    if request.app.state.settings.houses:
        raise InputError(
            "The houses are real ones.",
            where="houses",
            value=request.app.state.settings.houses,
            next_step="Start the program without VANE_STEP_HOUSES for the simulated ones.",
        )
    return await run_in_threadpool(_houses_behave, request, form)


def _houses_behave(request: Request, form: dict[str, str]) -> HTMLResponse:
    address = request.app.state.houses.address()
    for id in directory(address):
        mode = form.get(id, "responding")
        delay = form.get(f"{id}-delay", "0")
        if mode not in MODES or not delay.isdigit() or int(delay) > 60_000:
            raise InputError(
                "A house cannot behave so.",
                where=id,
                value=f"{mode}, {delay}"[:60],
                allowed=f"{', '.join(MODES)}; 0 to 60000 ms",
            )
        house_behaviour(address, id, {"mode": mode, "delay_ms": int(delay)})
    return _shown(request, applied=True)
