"""Starts the server and prints its address; what it serves is the application's."""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import gc
import importlib
import socket
import sys
import threading
from pathlib import Path

import uvicorn
from uvicorn.protocols.http.auto import AutoHTTPProtocol

from vane_step.confined import confined
from vane_step.core.errors import InputError
from vane_step.data.shipped import resources
from vane_step.web.app import create_app
from vane_step.web.settings import Settings

LEAST_KEY = 12
# How long the head of a first request may be under way.
PATIENCE_S = 20.0
# mallopt(3): the number of arenas.
M_ARENA_MAX = -8


class Patient(AutoHTTPProtocol):  # type: ignore[misc,valid-type]
    """A connection that is closed when its first request does not come: half-sent ones stay open for ever otherwise."""

    def connection_made(self, transport: asyncio.Transport) -> None:
        """Begin to wait."""
        super().connection_made(transport)
        self.loop.call_later(PATIENCE_S, self._give_up)

    def _give_up(self) -> None:
        if self.cycle is None and not self.transport.is_closing():
            self.transport.close()


def _few_arenas() -> None:
    """Let all threads take memory from two arenas: of one for each thread most would stay, half empty, for good."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").mallopt(M_ARENA_MAX, 2)


def run(host: str, port: int, data: Path | None, demo: bool, verbose: bool = False) -> None:
    """Serve until interrupted.

    Raises
    ------
    InputError
        When the port is taken, or another address than loopback is asked for without an access key.
    """
    settings = Settings(host=host, port=port)
    more = ({"data": data} if data else {}) | ({"verbose": True} if verbose else {})
    settings = settings.model_copy(update=more)
    if not settings.loopback and not settings.access_key:
        raise InputError(
            f"{host} can be reached by others.",
            where="--host",
            value=host,
            allowed="127.0.0.1",
            next_step="Set VANE_STEP_ACCESS_KEY to ask them for a key.",
        )
    if not settings.loopback and len(settings.access_key) < LEAST_KEY:
        raise InputError(
            f"The access key has {len(settings.access_key)} characters: it can be guessed.",
            where="VANE_STEP_ACCESS_KEY",
            allowed=f"{LEAST_KEY} characters or more",
        )
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    # Named as TCP, so that the event loop switches off the delay of small packets (40 ms an answer otherwise).
    listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((host, port))
    except OSError as error:
        raise InputError(
            f"Port {port} cannot be used: {error.strerror}.",
            where="--port",
            value=port,
            next_step="Choose another with --port.",
        ) from error
    _few_arenas()
    listener.listen(128)  # From here on connections wait; the address below is true when it is printed.
    app = create_app(settings, demo)
    # The words of the catalogue are looked up at every key, the first one too.
    _ = resources().catalogue.index
    # What was made so far stays for good; looking through it all again would stop an answer for tens of milliseconds.
    gc.collect()
    gc.freeze()
    address = f"http://{host}:{listener.getsockname()[1]}/"
    print(f"Vane Step is at {address}  (stop with Ctrl+C; designs are kept in {settings.data})", flush=True)
    print(f"What happens is written to {settings.log_file}", flush=True)
    server = uvicorn.Server(
        uvicorn.Config(app, http=Patient, log_level="warning", timeout_graceful_shutdown=2)
    )
    if not app.state.jobs.ready.done():
        print(
            "Preparing the router in the background: after installing, its kernels are compiled once.",
            file=sys.stderr,
            flush=True,
        )
    # The process that reads uploads is started before somebody waits for it.
    threading.Thread(target=confined, args=(len, b""), daemon=True).start()
    # The solver takes a fifth of a second to load: not in front of whoever asks for an assignment first.
    threading.Thread(target=importlib.import_module, args=("scipy.optimize",), daemon=True).start()
    server.run(sockets=[listener])
