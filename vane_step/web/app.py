"""The FastAPI application: wiring and errors; guards are in ``guards``, each step's page is a module of its own."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from fastapi.staticfiles import StaticFiles
from pydantic import ValidationError

from vane_step import __version__
from vane_step.confined import serve_from_a_clean_process
from vane_step.core.design.fileformat import input_error
from vane_step.core.errors import InputError, VaneStepError
from vane_step.data.shipped import demo_designs, demo_records
from vane_step.simulated.host import Hosted
from vane_step.simulated.houses import create_houses
from vane_step.simulated.supplier import create_supplier
from vane_step.store.designs import DesignStore
from vane_step.web.demo_records import keep_records
from vane_step.web.event_stream import EventStream
from vane_step.web.guards import Guards
from vane_step.web.jobs import Jobs
from vane_step.web.log import close as close_log, log, write_to
from vane_step.web.pages import (
    assembling,
    blocks,
    board,
    brief,
    catalogue,
    changes,
    circuit,
    etch_log,
    etching,
    fits,
    glossary,
    health,
    inspect,
    late,
    laying,
    make,
    milling,
    ordering,
    own_parts,
    parts,
    power,
    power_curves,
    power_states,
    rules,
    selection,
    shelf,
    simulation,
    solid,
)
from vane_step.web.render import STATIC, page
from vane_step.web.settings import Settings
from vane_step.web.works import Works

# Every page, the special addresses before those with a design in them.
ROOMS = (
    shelf,
    rules,
    glossary,
    simulation,
    health,
    inspect,
    brief,
    catalogue,
    own_parts,
    parts,
    changes,
    circuit,
    selection,
    blocks,
    power,
    power_curves,
    power_states,
    fits,
    board,
    laying,
    late,
    solid,
    make,
    etching,
    etch_log,
    assembling,
    ordering,
    milling,
)


def create_app(settings: Settings, demo: bool = False) -> FastAPI:
    """Make the application with its store, events and worker.

    Raises
    ------
    InputError, StoreFailed
        When the folder or the database in it cannot be used.
    """
    try:
        settings.data.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(
            f"The folder cannot be used: {error.strerror}.",
            where=str(settings.data),
            next_step="Choose another with --data.",
        ) from error
    write_to(settings.log_file, settings.verbose)
    serve_from_a_clean_process()

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        yield
        app.state.events.close()
        app.state.jobs.close()
        app.state.works.close()
        app.state.supplier.close()
        app.state.houses.close()
        app.state.store.close()
        close_log()

    app = FastAPI(title="Vane Step", lifespan=life, docs_url=None, redoc_url=None)
    app.state.store = DesignStore(Path(settings.data) / "designs.sqlite3")
    app.state.events = EventStream()
    app.state.jobs = Jobs()
    app.state.works = Works()
    # By design: the board arrangements, or the version layers were worked out for, and they; places to be decided.
    app.state.proposals, app.state.advice, app.state.others = {}, {}, {}
    # Routes that came for an earlier state of a board.
    app.state.late = {}
    app.state.settings = settings
    app.state.supplier = Hosted(create_supplier(), settings.supplier)
    app.state.houses = Hosted(create_houses(), settings.houses)
    if demo:
        known = app.state.store.ids()
        for name, design in demo_designs().items():
            if name not in known:
                app.state.store.add(name, design)
                keep_records(app.state.store, name, design, demo_records().get(name, {}))
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for room in ROOMS:
        app.include_router(room.router)
    app.add_middleware(Guards, settings=settings)
    app.add_exception_handler(VaneStepError, _told)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(ValidationError, _unfit)
    log.info("start", data=str(settings.data), version=__version__)
    return app


def _wants_page(request: Request) -> bool:
    return "text/html" in request.headers.get("accept", "") and not request.headers.get("hx-request")


async def _told(request: Request, error: Exception) -> Response:
    """Answer an error of ours the same way on page and in JSON."""
    assert isinstance(error, VaneStepError)
    if _wants_page(request):
        return page(request, "error.html", {"error": error, "design": None}, status=error.status)
    return JSONResponse(error.as_dict(), error.status)


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    field = " > ".join(str(x) for x in first["loc"])
    return await _told(
        request, InputError(f"{first['msg']}.", where=field, next_step="Change that field and send it again.")
    )


async def _unfit(request: Request, error: Exception) -> Response:
    """Answer what came in and does not fit the document."""
    assert isinstance(error, ValidationError)
    return await _told(request, input_error(error, request.url.path.rpartition("/")[2]))
