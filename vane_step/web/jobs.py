"""Long work outside the request: routing in a worker process that can be stopped; the routing itself is the core's."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from collections.abc import Callable, MutableMapping
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing.managers import SyncManager
from typing import Any

from vane_step.core.design.edits import LayCopper, edit_from
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design

Told = Callable[[dict[str, Any]], None]


@dataclass(frozen=True)
class RouteDone:
    """What a routing job gave."""

    edit: LayCopper
    links_wanted: int
    links_made: int
    seconds: float


def _end_with_the_server() -> None:
    """Let a process of ours end when the server does, however that ends: a signal leaves it no time to say so."""

    def watch() -> None:
        server = multiprocessing.parent_process()
        if server is not None:
            server.join()
            os._exit(0)

    threading.Thread(target=watch, daemon=True).start()


def _warm() -> float:
    from vane_step.core.route.router import warm_up

    begun = time.perf_counter()
    warm_up()
    return time.perf_counter() - begun


def _route(text: str, nets: list[str], fresh: bool, board: Any, key: str) -> dict[str, Any]:
    """Route in the worker; progress and the wish to stop go through a shared board."""
    from vane_step.core.route.router import route

    begun = time.perf_counter()
    last = 0.0

    def progress(done: int, total: int) -> bool:
        nonlocal last
        now = time.perf_counter()
        if now - last > 0.15:
            last = now
            board[key] = (done, total, now - begun)
            return not board.get(f"stop {key}", False)
        return True

    result = route(from_json(text), nets=set(nets) if nets else None, fresh=fresh, progress=progress)
    return {
        "edit": result.edit.model_dump(mode="json"), "wanted": result.links_wanted, "made": result.links_made,
        "seconds": time.perf_counter() - begun,
    }  # fmt: skip


class Jobs:
    """Runs one routing job a design at a time.

    Parameters
    ----------
    pool : Executor, optional
        Where the work is done; a worker process of its own when left out.
    board : mutable mapping, optional
        Where the work tells its progress; must reach the pool's workers.
    """

    def __init__(self, pool: Executor | None = None, board: MutableMapping[str, Any] | None = None) -> None:
        self._lock = threading.Lock()
        self._running: set[str] = set()
        self._manager: SyncManager | None = None
        self._pool = pool
        self._board: MutableMapping[str, Any] = {} if board is None else board
        self.ready: Future[float] = Future()
        self._closing = False
        self._starter = threading.Thread(target=self._start, daemon=True)
        self._starter.start()

    def _start(self) -> None:
        """Start the worker and warm it up, beside the server, which answers meanwhile."""
        if self._pool is None:
            context = multiprocessing.get_context("spawn")
            self._manager = SyncManager(ctx=context)
            self._manager.start(_end_with_the_server)
            self._board = self._manager.dict()
            self._pool = ProcessPoolExecutor(1, context, initializer=_end_with_the_server)
        if not self._closing:
            self._pool.submit(_warm).add_done_callback(self._warmed)

    def _warmed(self, done: Future[float]) -> None:
        if done.cancelled() or done.exception() is not None:
            self.ready.set_exception(done.exception() or RuntimeError("the worker was stopped"))
        else:
            self.ready.set_result(done.result())

    def running(self, key: str) -> bool:
        """Tell whether a design is being routed."""
        return key in self._running

    def stop(self, key: str) -> None:
        """Ask a job to end with what it has."""
        self._board[f"stop {key}"] = True

    def route(
        self,
        key: str,
        design: Design,
        nets: list[str],
        fresh: bool,
        tell: Told,
        done: Callable[[RouteDone], None],
        failed: Callable[[Exception], None],
    ) -> bool:
        """Start routing; ``tell`` hears of progress, ``done`` gets the edit. Gives ``False`` when one is under way."""
        with self._lock:
            if key in self._running:
                return False
            self._running.add(key)

        def watch() -> None:
            try:
                self._starter.join()
                assert self._pool is not None
                self._board.pop(key, None)
                self._board.pop(f"stop {key}", None)
                if not self.ready.done():
                    tell(
                        {
                            "state": "preparing",
                            "says": "Preparing the router: its kernels are compiled once after installing.",
                        }
                    )
                future = self._pool.submit(_route, to_json(design), nets, fresh, self._board, key)
                while not future.done():
                    time.sleep(0.1)
                    if key in self._board:
                        settled, total, seconds = self._board[key]
                        tell({"state": "routing", "settled": settled, "total": total, "seconds": round(seconds, 1)})
                answer = future.result()
                edit = edit_from(answer["edit"])
                assert isinstance(edit, LayCopper)
                done(RouteDone(edit, answer["wanted"], answer["made"], answer["seconds"]))
            except Exception as error:
                failed(error)
            finally:
                self._running.discard(key)

        threading.Thread(target=watch, daemon=True).start()
        return True

    def close(self) -> None:
        """End the worker."""
        self._closing = True
        self._starter.join()
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)
        if self._manager is not None:
            self._manager.shutdown()
