"""Tells open pages that a design changed, by server-sent events; what changed they fetch themselves."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any


class Hub:
    """Passes messages about a design to every page that shows it."""

    def __init__(self) -> None:
        self._queues: dict[str, set[asyncio.Queue[str]]] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._closing = False

    def publish(self, design: str, kind: str, data: dict[str, Any]) -> None:
        """Send a message to all pages of a design; may be called from any thread."""
        if self._loop is not None and not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._put, design, f"event: {kind}\ndata: {json.dumps(data)}\n\n")

    def _put(self, design: str, message: str) -> None:
        for queue in self._queues.get(design, ()):
            queue.put_nowait(message)

    def close(self) -> None:
        """End all streams, so that the server can stop."""
        self._closing = True
        for name in list(self._queues):
            self._put(name, "")

    async def stream(self, design: str, first: dict[str, Any]) -> AsyncIterator[str]:
        """Give a page's stream, beginning with the version as it stands."""
        self._loop = asyncio.get_running_loop()
        queue: asyncio.Queue[str] = asyncio.Queue()
        self._queues.setdefault(design, set()).add(queue)
        try:
            yield f"event: version\ndata: {json.dumps(first)}\n\n"
            while not self._closing:
                try:
                    yield await asyncio.wait_for(queue.get(), timeout=15)
                except TimeoutError:
                    yield ": still here\n\n"
        finally:
            self._queues[design].discard(queue)
