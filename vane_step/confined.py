"""Work in a process of its own with limits on time, memory and output: what reads a user's files, and what takes long.

A file from outside may be made to hang or to grow in whoever reads it. So every reader runs in a child that is ended
when it passes its limits, and the one who asked is told in one line. What a child left behind ends with it, and it
holds nobody up: neither the lock on shared geometry nor the interpreter is shared with the server.
"""

from __future__ import annotations

import gc
import multiprocessing
import os
import pickle
import resource
import signal
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any, Final, TypeVar

from vane_step.core.errors import InputError, VaneStepError

R = TypeVar("R")


@dataclass(frozen=True)
class Limits:
    """What a reader may take: seconds of time, and bytes of memory beyond what the process has, and of its answer."""

    seconds: float = 4.0
    memory: int = 512 * 1024 * 1024
    answer: int = 64 * 1024 * 1024


USUAL: Final = Limits()
# What the readers need; loaded once in the process that all children are forked from.
PRELOAD: Final = [
    "vane_step.confined",
    "vane_step.core.exchange",
    "vane_step.core.fab.otherboard",
    "vane_step.core.fab.strict",
    "vane_step.core.inspect.look",
    "vane_step.core.parts.pinfiles",
    "vane_step.core.board.outline.importers",
    "vane_step.core.circuit.blocks",
    "vane_step.core.circuit.capture",
    "vane_step.core.patterns.landpattern",
    "vane_step.web.made",
    "scipy.spatial",
    "ezdxf",
    "svgelements",
    "PIL.Image",
]


class PassedLimit(Exception):
    """A child passed a limit and was ended; says which."""


class ChildFailed(Exception):
    """The work in a child failed with an exception that is none of ours; says which, and where."""

    def __init__(self, says: str, trace: str = "") -> None:
        super().__init__(says)
        self.trace = trace


class Stopped(Exception):
    """A child was ended because nobody wants its answer any more."""


def confined(function: Callable[..., R], *args: Any, limits: Limits = USUAL, where: str = "file") -> R:
    """Run a reader of what came from outside in a child of its own.

    Parameters
    ----------
    function : callable
        Named at the top of a module, so that the child finds it; ``args`` and its answer must be picklable.
    where : str
        What is read, for messages.

    Raises
    ------
    InputError
        What the reader raises, or that it passed a limit: which, and what can be done.
    """
    try:
        answer: R = apart(function, args, limits)
        return answer
    except PassedLimit as error:
        raise InputError(
            f"{error}.", where=where, next_step="Make it simpler or smaller, and import it again."
        ) from error
    except ChildFailed as error:
        raise InputError(
            f"It cannot be read: {error}.", where=where, next_step="Export it anew, or in another way."
        ) from error


def apart(
    function: Callable[..., Any], args: tuple[Any, ...], limits: Limits, stop: threading.Event | None = None
) -> Any:
    """Run a function in a child of its own and give its answer.

    Raises
    ------
    VaneStepError
        What the function raises.
    PassedLimit, ChildFailed, Stopped
        When it passed a limit, failed otherwise, or ``stop`` was set meanwhile.
    """
    context: Any = multiprocessing.get_context("forkserver" if _forkserver else "fork")
    mine, theirs = context.Pipe(duplex=False)
    child = context.Process(target=_child, args=(theirs, limits, function, args), daemon=True)
    try:
        child.start()
    finally:
        theirs.close()
    try:
        return _answer(mine, child, limits, stop)
    finally:
        mine.close()
        if child.is_alive():
            child.kill()
        child.join()
        child.close()


_forkserver = False


def serve_from_a_clean_process() -> None:
    """Fork children from a process that holds the readers and nothing else: for the server, which has threads."""
    global _forkserver
    multiprocessing.get_context("forkserver").set_forkserver_preload(PRELOAD)
    _forkserver = True


def _answer(
    pipe: Connection, child: multiprocessing.process.BaseProcess, limits: Limits, stop: threading.Event | None
) -> Any:
    memory = f"It asked for more than {limits.memory >> 20} MB of memory"
    # A little is given for starting the child.
    _await(pipe, limits.seconds + 0.5, f"It took longer than {limits.seconds:g} s and was stopped", stop)
    try:
        answer = pipe.recv_bytes(limits.answer)
    except (EOFError, OSError) as error:
        child.join(1.0)
        if child.exitcode == -signal.SIGXCPU:
            raise PassedLimit(f"It took longer than {limits.seconds:g} s and was stopped") from error
        raise PassedLimit(memory) from error
    kind, value = pickle.loads(answer)
    if kind == "memory":
        raise PassedLimit(memory)
    if kind == "answer":
        raise PassedLimit(f"What it holds is more than {limits.answer >> 20} MB")
    if kind == "fault":
        raise ChildFailed(*value)
    if isinstance(value, VaneStepError):
        raise value
    return value


def _await(pipe: Connection, seconds: float, late: str, stop: threading.Event | None) -> None:
    """Wait for an answer until it is late, or nobody wants it."""
    until = time.monotonic() + seconds
    while not pipe.poll(min(0.1, max(0.0, until - time.monotonic())) if stop is not None else seconds):
        if stop is not None and stop.is_set():
            raise Stopped
        if time.monotonic() >= until:
            raise PassedLimit(late)


def _child(pipe: Connection, limits: Limits, function: Callable[..., Any], args: tuple[Any, ...]) -> None:
    """Do the work within the limits and send what came of it; faults of readers are told and not raised."""
    gc.disable()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with open("/proc/self/statm", encoding="ascii") as told:
        have = int(told.read().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    resource.setrlimit(resource.RLIMIT_AS, (have + limits.memory, have + limits.memory))
    seconds = int(limits.seconds) + 1
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # Nothing a reader does writes a file of any size or starts a program.
    resource.setrlimit(resource.RLIMIT_FSIZE, (1 << 20, 1 << 20))
    # Hostile input makes numpy and others say much that nobody reads.
    quiet = os.open(os.devnull, os.O_WRONLY)
    os.dup2(quiet, 2)
    threading.stack_size(64 * 1024 * 1024)
    worker = threading.Thread(target=_work, args=(pipe, limits, function, args))
    try:
        worker.start()
    except (MemoryError, RuntimeError):
        threading.stack_size(0)
        _work(pipe, limits, function, args)
        return
    worker.join()


def _work(pipe: Connection, limits: Limits, function: Callable[..., Any], args: tuple[Any, ...]) -> None:
    try:
        answer = pickle.dumps(("value", function(*args)))
    except VaneStepError as error:
        answer = pickle.dumps(("value", error))
    except MemoryError:
        answer = pickle.dumps(("memory", None))
    except RecursionError:
        answer = pickle.dumps(("fault", ("it is nested too deeply",)))
    except Exception as error:
        # GEOS tells of no memory by an exception of its own.
        told = ("memory", None) if "bad_alloc" in str(error) or "memory" in str(error).lower() else None
        says = f"{type(error).__name__}: {str(error)[:200]}", traceback.format_exc()
        answer = pickle.dumps(told or ("fault", says))
    if len(answer) > limits.answer:
        answer = pickle.dumps(("answer", None))
    pipe.send_bytes(answer)
