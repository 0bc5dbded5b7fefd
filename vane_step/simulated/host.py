"""Runs a simulated service as a server of its own, so that the program speaks to it as to a real one."""

from __future__ import annotations

import socket
import threading

import uvicorn
from fastapi import FastAPI


class Hosted:
    """A simulated service at a loopback address, from the first time the address is asked for until it is closed."""

    def __init__(self, app: FastAPI, address: str = "") -> None:
        self._app, self._address, self._lock = app, address, threading.Lock()
        self._server: uvicorn.Server | None = None
        self._thread: threading.Thread | None = None

    def address(self) -> str:
        """Give the address; starts the service when no other address was set."""
        with self._lock:
            if not self._address:
                listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
                listener.bind(("127.0.0.1", 0))
                listener.listen(16)
                self._server = uvicorn.Server(uvicorn.Config(self._app, log_level="error", lifespan="off"))
                self._thread = threading.Thread(target=self._server.run, args=([listener],), daemon=True)
                self._thread.start()
                self._address = f"http://127.0.0.1:{listener.getsockname()[1]}"
            return self._address

    def close(self) -> None:
        """Stop the stand-in, if it runs."""
        if self._server is not None and self._thread is not None:
            self._server.should_exit = True
            self._thread.join(timeout=5)
