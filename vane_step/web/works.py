"""Long work for a page in a child of its own, begun once, stopped when nobody wants it; no work itself is here.

A request begins the work or finds it, waits a moment and tells how long it has taken. Answers are kept by their input.
"""

from __future__ import annotations

import pickle
import secrets
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, Final

from vane_step.confined import ChildFailed, Limits, PassedLimit, Stopped, apart
from vane_step.core.errors import VaneStepError
from vane_step.web.log import log

LONG: Final = Limits(seconds=120.0, memory=1536 * 1024 * 1024, answer=128 * 1024 * 1024)
KEPT_BYTES: Final = 48 * 1024 * 1024
AT_ONCE: Final = 2


class WorkEnded(VaneStepError):
    """Long work was stopped, or passed a limit."""

    code = "work-ended"
    status = 409


class WorkFailed(VaneStepError):
    """Long work failed inside."""

    code = "work-failed"


class Work:
    """One piece of work: under way, or with its answer or error."""

    def __init__(self) -> None:
        self.begun = time.monotonic()
        self.done = threading.Event()
        self.stop = threading.Event()
        self.size = 0
        self._answer = b""
        self._error: VaneStepError | None = None

    def seconds(self) -> float:
        """Give how long ago it began."""
        return time.monotonic() - self.begun

    def finish(self, answer: Any = None, error: VaneStepError | None = None) -> None:
        """Keep the answer, packed, or the error."""
        self._answer, self._error = pickle.dumps(answer), error
        self.size = len(self._answer)
        self.done.set()

    def broke(self) -> bool:
        """Tell whether it ended without an answer of its own, so that asking again may help."""
        return isinstance(self._error, WorkEnded | WorkFailed)

    def answer(self) -> Any:
        """Give the answer, or raise the error."""
        if self._error is not None:
            raise self._error
        return pickle.loads(self._answer)


class Works:
    """All long work of the server. Of one kind for one design only the latest is wanted."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._turns = threading.BoundedSemaphore(AT_ONCE)
        self._works: OrderedDict[tuple[Hashable, Hashable], Work] = OrderedDict()

    def of(self, group: Hashable, key: Hashable, function: Callable[..., Any], *args: Any) -> Work:
        """Begin some work, or give what is under way or kept under the same key.

        Parameters
        ----------
        group : hashable
            Kind and design: other work of the group that is under way is stopped.
        key : hashable
            All that the answer depends on.
        """
        with self._lock:
            known = self._works.get((group, key))
            if known is not None and not known.stop.is_set() and not known.broke():
                self._works.move_to_end((group, key))
                return known
            for (other, _), work in self._works.items():
                if other == group and not work.done.is_set():
                    work.stop.set()
            begun = self._works[group, key] = Work()
        threading.Thread(target=self._run, args=((group, key), begun, function, args), daemon=True).start()
        return begun

    def stop(self, group: Hashable) -> None:
        """Stop what is under way of a group."""
        with self._lock:
            for (other, _), work in self._works.items():
                if other == group and not work.done.is_set():
                    work.stop.set()

    def close(self) -> None:
        """Stop all."""
        with self._lock:
            for work in self._works.values():
                work.stop.set()

    def _run(
        self, key: tuple[Hashable, Hashable], work: Work, function: Callable[..., Any], args: tuple[Any, ...]
    ) -> None:
        try:
            with self._turns:
                if work.stop.is_set():
                    raise Stopped
                work.finish(apart(function, args, LONG, work.stop))
        except Stopped:
            work.finish(
                error=WorkEnded("It was stopped. Nothing was changed.", next_step="Ask for it again.")
            )
        except VaneStepError as error:
            work.finish(error=error)
        except PassedLimit as error:
            work.finish(
                error=WorkEnded(f"{error}.", next_step="Make it smaller: fewer copies, or a simpler board.")
            )
        except ChildFailed as error:
            reference = secrets.token_hex(4)
            log.error("fault", reference=reference, work=str(key[0]), error=str(error), trace=error.trace)
            text = "Something failed inside the program; nothing was changed."
            work.finish(
                error=WorkFailed(
                    text, where=reference, next_step=f"Look for {reference} in the log, and report it."
                )
            )
        except Exception as error:
            log.error("fault", work=str(key[0]), error=repr(error), exc_info=error)
            work.finish(error=WorkFailed("The work could not be begun.", next_step="Ask for it again."))
        with self._lock:
            while len(self._works) > 1 and sum(w.size for w in self._works.values()) > KEPT_BYTES:
                self._works.popitem(last=False)
