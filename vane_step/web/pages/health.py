"""Whether the program works, for whoever watches over it; nothing about designs is told."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from vane_step import __version__
from vane_step.core.errors import VaneStepError
from vane_step.web.render import store_of

router = APIRouter()


@router.get("/health")
def health(request: Request) -> JSONResponse:
    """Tell whether designs can be read and work can be begun: 200, or 503 with what fails."""
    failing = {}
    try:
        store_of(request).ids()
    except VaneStepError as error:
        failing["store"] = error.message
    if request.app.state.jobs.failing():
        failing["worker"] = "The worker for long jobs could not be started."
    told = {"status": "failing" if failing else "ok", "version": __version__, **failing}
    return JSONResponse(told, 503 if failing else 200)
