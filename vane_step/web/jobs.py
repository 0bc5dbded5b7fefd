"""Long work outside the request, routing and arranging, in a worker process that can be stopped; no method is here."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from collections.abc import Callable, MutableMapping
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from multiprocessing.managers import SyncManager
from typing import Any

from vane_step.core.board.placement.placer import Arrangement
from vane_step.core.design.edits import LayCopper, edit_from
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.route.advice import LayerOffer, layer_offers

Told = Callable[[dict[str, Any]], None]


@dataclass(frozen=True)
class RouteDone:
    """What a routing job gave."""

    edit: LayCopper
    links_wanted: int
    links_made: int
    seconds: float
    why: str = ""


def _end_with_the_server() -> None:
    """Let a process of ours end when the server does, however that ends: a signal leaves it no time to say so."""

    def watch() -> None:
        server = multiprocessing.parent_process()
        if server is not None:
            server.join()
            os._exit(0)

    threading.Thread(target=watch, daemon=True).start()


def _warm() -> float:
    from vane_step.core.board.placement.placer import warm_up as warm_arranging
    from vane_step.core.route.router import warm_up

    begun = time.perf_counter()
    warm_up()
    warm_arranging()
    return time.perf_counter() - begun


def _telling(board: Any, key: str) -> Callable[[int, int], bool]:
    """Make a progress function that tells through the shared board, and hears from it whether to stop."""
    begun, last = time.perf_counter(), 0.0

    def progress(done: int, total: int) -> bool:
        nonlocal last
        now = time.perf_counter()
        if now - last > 0.15:
            last = now
            board[key] = (done, total, now - begun)
            return not board.get(f"stop {key}", False)
        return True

    return progress


def _arrange(text: str, tidy: bool, board: Any, key: str) -> list[Arrangement]:
    from vane_step.core.board.placement.placer import propose

    progress = _telling(board, key)
    if tidy:
        return propose(from_json(text), 1, tidy=True, progress=progress)
    return propose(from_json(text), 3, progress=progress)


def _advise(text: str, board: Any, key: str) -> list[LayerOffer]:
    return layer_offers(from_json(text), _telling(board, key))


def _route(text: str, nets: list[str], fresh: bool, board: Any, key: str) -> dict[str, Any]:
    """Route in the worker; progress and the wish to stop go through a shared board."""
    from vane_step.core.route.router import route

    begun = time.perf_counter()
    result = route(
        from_json(text), nets=set(nets) if nets else None, fresh=fresh, progress=_telling(board, key)
    )
    return {
        "edit": result.edit.model_dump(mode="json"),
        "wanted": result.links_wanted,
        "made": result.links_made,
        "why": result.why,
        "seconds": time.perf_counter() - begun,
    }


def _progress(tell: Told, of_what: str, told: tuple[int, int, float] | None) -> None:
    if told is None:
        tell({"state": "preparing", "says": "Preparing: the kernels are compiled once after installing."})
    elif told[1] == 0:
        tell({"state": "working", "says": "Working …"})
    else:
        settled, total, seconds = told
        tell(
            {
                "state": "working",
                "settled": settled,
                "total": total,
                "of": of_what,
                "seconds": round(seconds, 1),
            }
        )


class WorkerEnded(VaneStepError):
    """The process that does long work was ended from outside."""

    code = "worker-ended"


def _new_pool() -> Executor:
    return ProcessPoolExecutor(1, multiprocessing.get_context("spawn"), initializer=_end_with_the_server)


class Jobs:
    """Runs one job a design at a time.

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
            self._pool = _new_pool()
        if not self._closing:
            self._pool.submit(_warm).add_done_callback(self._warmed)

    def _renew(self, broken: Executor) -> None:
        """Start a worker in place of one that was ended from outside; of several that notice, the first does it."""
        with self._lock:
            if self._pool is broken and not self._closing:
                broken.shutdown(wait=False, cancel_futures=True)
                self._pool = _new_pool()
                self._pool.submit(_warm)

    def _warmed(self, done: Future[float]) -> None:
        if done.cancelled() or done.exception() is not None:
            self.ready.set_exception(done.exception() or RuntimeError("the worker was stopped"))
        else:
            self.ready.set_result(done.result())

    def failing(self) -> bool:
        """Tell whether the worker could not be started."""
        return self.ready.done() and self.ready.exception() is not None

    def running(self, key: str) -> bool:
        """Tell whether a design is being routed or arranged."""
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

        def settle(answer: dict[str, Any]) -> None:
            edit = edit_from(answer["edit"])
            assert isinstance(edit, LayCopper)
            done(RouteDone(edit, answer["wanted"], answer["made"], answer["seconds"], answer["why"]))

        work = partial(_route, to_json(design), nets, fresh)
        return self._begin(key, work, partial(_progress, tell, "connections tried"), settle, failed)

    def arrange(
        self,
        key: str,
        design: Design,
        tidy: bool,
        tell: Told,
        done: Callable[[list[Arrangement]], None],
        failed: Callable[[Exception], None],
    ) -> bool:
        """Start arranging; ``done`` gets the proposals. Gives ``False`` when a job is under way."""
        work = partial(_arrange, to_json(design), tidy)
        return self._begin(key, work, partial(_progress, tell, "arrangements made"), done, failed)

    def advise(
        self,
        key: str,
        design: Design,
        tell: Told,
        done: Callable[[list[LayerOffer]], None],
        failed: Callable[[Exception], None],
    ) -> bool:
        """Start routing on other numbers of layers; ``done`` gets what each gave. ``False`` when a job is under way."""
        work = partial(_advise, to_json(design))
        return self._begin(key, work, partial(_progress, tell, "boards routed"), done, failed)

    def _begin(
        self,
        key: str,
        work: Callable[[Any, str], Any],
        tell: Callable[[tuple[int, int, float] | None], None],
        settle: Callable[[Any], None],
        failed: Callable[[Exception], None],
    ) -> bool:
        with self._lock:
            if key in self._running:
                return False
            self._running.add(key)

        def watch() -> None:
            self._starter.join()
            pool = self._pool
            assert pool is not None
            try:
                self._board.pop(key, None)
                self._board.pop(f"stop {key}", None)
                tell(None if not self.ready.done() else (0, 0, 0.0))
                future = pool.submit(work, self._board, key)
                while not future.done():
                    time.sleep(0.1)
                    if key in self._board:
                        tell(self._board[key])
                settle(future.result())
            except BrokenExecutor:
                self._renew(pool)
                failed(
                    WorkerEnded(
                        "The worker was ended by the system, most likely for want of memory. Nothing was changed.",
                        next_step="It was started again: try again, or with a smaller board.",
                    )
                )
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
