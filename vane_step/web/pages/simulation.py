"""The page of simulated outside services and how they behave; the services themselves are in ``simulated``."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse

from vane_step.core.errors import InputError
from vane_step.simulated.supplier import NAME
from vane_step.suppliers.client import behaviour, conduct
from vane_step.web.render import page

router = APIRouter()

MODES = {
    "responding": "answers every request",
    "down": "answers none, as a shop that is closed",
    "rejecting": "rejects requests: too many of them",
    "malformed": "sends answers nobody can read",
}


def _shown(request: Request, applied: bool) -> HTMLResponse:
    real = request.app.state.settings.supplier
    now = {} if real else behaviour(request.app.state.supplier.address())
    data = {"design": None, "real": real, "now": now, "modes": MODES, "name": NAME, "applied": applied}
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
