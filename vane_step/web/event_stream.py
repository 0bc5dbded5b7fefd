"""Tells open pages that a design changed, by server-sent events; what changed they fetch themselves."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any


class EventStream:
    """Passes messages about designs to all that listen: one stream carries every design, so that tabs can share it."""

    def __init__(self) -> None:
        self._queues: set[asyncio.Queue[str]] = set()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._closing = False

    def publish(self, design: str, kind: str, data: dict[str, Any]) -> None:
        """Send a message about a design to all streams; may be called from any thread."""
        if self._loop is not None and not self._loop.is_closed():
            text = json.dumps({**data, "design": design})
            self._loop.call_soon_threadsafe(self._put, f"event: {kind}\ndata: {text}\n\n")

    def _put(self, message: str) -> None:
        for queue in self._queues:
            queue.put_nowait(message)

    def close(self) -> None:
        """End all streams, so that the server can stop."""
        self._closing = True
        self._put("")

    async def stream(self) -> AsyncIterator[str]:
        """Give a stream of what happens from now on."""
        self._loop = asyncio.get_running_loop()
        queue: asyncio.Queue[str] = asyncio.Queue()
        self._queues.add(queue)
        try:
            yield ": listening\n\n"
            while not self._closing:
                try:
                    yield await asyncio.wait_for(queue.get(), timeout=15)
                except TimeoutError:
                    yield ": still here\n\n"
        finally:
            self._queues.discard(queue)
