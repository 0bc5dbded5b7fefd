"""The one memory of results: what is kept by a key, what it weighs and what goes first; nothing is computed here."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from threading import Lock
from typing import Any, Final, Generic, TypeVar

from vane_step.core.weight import weight

V = TypeVar("V")
# Bytes of all that is kept, estimated.
MOST_BYTES: Final = 128 * 1024 * 1024
# What an entry takes beside its value: key, place in the table, place in the order (measured).
ENTRY_BYTES: Final = 250
# The first value of a kind is weighed; after it one in so many, which stands for the others. Kinds take turns, so that
# no one edit pays for all.
ONE_IN: Final = 64


class Memo:
    """Values by key; when together they take too much, those not asked for longest go.

    Threads may read and write it at the same time. Values are shared between callers and must not be changed by them.
    """

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self.most_bytes = most_bytes
        self.bytes = 0
        self._kept: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._weights: dict[Hashable, tuple[int, int]] = {}
        self._lock = Lock()

    def __len__(self) -> int:
        """Count what is kept."""
        return len(self._kept)

    def get(self, key: Hashable) -> Any | None:
        """Give the value kept under a key, or ``None``."""
        # Asked thousands of times after an edit: each step is one of the interpreter's own, so no lock is needed.
        try:
            self._kept.move_to_end(key)
            return self._kept[key][0]
        except KeyError:
            return None

    def put(self, key: Hashable, value: Any, like: Hashable) -> Any:
        """Keep a value under a key and give it back; values that are ``like`` each other weigh about the same."""
        turn, taken = self._weights.get(like, (len(self._weights), -1))
        if taken < 0 or turn % ONE_IN == 0:
            taken = weight(value) + ENTRY_BYTES
        with self._lock:
            self._weights[like] = turn + 1, taken
            self.bytes += taken - self._kept.get(key, (None, 0))[1]
            self._kept[key] = value, taken
            self._kept.move_to_end(key)
            while self.bytes > self.most_bytes and len(self._kept) > 1:
                self.bytes -= self._kept.popitem(last=False)[1][1]
        return value

    def clear(self) -> None:
        """Forget all."""
        with self._lock:
            self._kept.clear()
            self._weights.clear()
            self.bytes = 0


MEMO: Final = Memo()


class Kept(Generic[V]):
    """Values of one kind in the memo, by keys of their own.

    For what was worked out of single things, such as one part, by the marks of all it was worked out from: after an
    edit only what changed is worked out anew.
    """

    def get(self, key: Hashable) -> V | None:
        """Give what is kept under a key, or ``None``."""
        found: V | None = MEMO.get((self, key))
        return found

    def put(self, key: Hashable, value: V) -> V:
        """Keep a value and give it back."""
        MEMO.put((self, key), value, like=self)
        return value


def forget() -> None:
    """Drop every kept result, so that a measurement starts cold."""
    MEMO.clear()
