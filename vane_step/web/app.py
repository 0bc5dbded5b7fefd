"""The FastAPI application: wiring, guards and errors; each step's page is a module of its own."""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from pathlib import Path
from urllib.parse import urlsplit

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse
from fastapi.staticfiles import StaticFiles

from vane_step.core.errors import InputError, VaneStepError
from vane_step.data.shipped import demo_designs
from vane_step.standins.host import Hosted
from vane_step.standins.supplier import create_supplier
from vane_step.store.designs import DesignStore
from vane_step.web.hub import Hub
from vane_step.web.jobs import Jobs
from vane_step.web.pages import board, brief, changes, circuit, laying, make, parts, power, shelf, solid
from vane_step.web.render import STATIC, page
from vane_step.web.settings import Settings

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
MAX_BODY = 64 * 1024 * 1024


def create_app(settings: Settings, demo: bool = False) -> FastAPI:
    """Make the application with its store, hub and worker."""
    settings.data.mkdir(parents=True, exist_ok=True)

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        yield
        app.state.hub.close()
        app.state.jobs.close()
        app.state.supplier.close()
        app.state.store.close()

    app = FastAPI(title="Vane Step", lifespan=life, docs_url=None, redoc_url=None)
    app.state.store = DesignStore(Path(settings.data) / "designs.sqlite3")
    app.state.hub = Hub()
    app.state.jobs = Jobs()
    # By design: the version arrangements or layers were worked out for, and they.
    app.state.proposals, app.state.advice = {}, {}
    app.state.settings = settings
    app.state.supplier = Hosted(create_supplier(), settings.supplier)
    if demo:
        known = {row[0] for row in app.state.store.shelf()}
        for name, design in demo_designs().items():
            if name not in known:
                app.state.store.add(name, design)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for room in (shelf, brief, parts, changes, circuit, power, board, laying, solid, make):
        app.include_router(room.router)
    app.middleware("http")(_guard(settings))
    app.add_exception_handler(VaneStepError, _told)
    app.add_exception_handler(RequestValidationError, _invalid)
    return app


def _guard(settings: Settings) -> Callable[[Request, Callable[[Request], Awaitable[Response]]], Awaitable[Response]]:
    """Check Host and Origin, ask for the key where one is set, and set the security headers."""
    token = hmac.new(settings.access_key.encode(), b"vane-step", hashlib.sha256).hexdigest()

    async def guard(request: Request, call: Callable[[Request], Awaitable[Response]]) -> Response:
        host = (urlsplit(f"//{request.headers.get('host', '')}").hostname or "").lower()
        if settings.loopback and host not in ("127.0.0.1", "localhost", "::1", "testserver"):
            return JSONResponse({"code": "wrong-host", "message": f"This program does not answer for {host!r}."}, 421)
        origin = request.headers.get("origin")
        if origin and request.method not in ("GET", "HEAD") and urlsplit(origin).netloc != request.headers.get("host"):
            return JSONResponse({"code": "wrong-origin", "message": "The request came from another site."}, 403)
        if int(request.headers.get("content-length") or 0) > MAX_BODY:
            return JSONResponse({"code": "too-large", "message": f"More than {MAX_BODY} bytes are not taken."}, 413)
        if not settings.loopback and not hmac.compare_digest(request.cookies.get("vane-step-key", ""), token):
            if hmac.compare_digest(request.query_params.get("key", ""), settings.access_key):
                answer: Response = RedirectResponse(request.url.path, 303)
                answer.set_cookie("vane-step-key", token, httponly=True, samesite="strict")
                return answer
            return JSONResponse({"code": "no-key", "message": "Open the address with ?key=… once."}, 401)
        response = await call(request)
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        return response

    return guard


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
    return await _told(request, InputError(f"{first['msg']}.", where=field))
