"""Results computed from a design, kept by the content they depend on; no result is computed here."""

from __future__ import annotations

import functools
from collections import OrderedDict
from collections.abc import Callable
from threading import RLock
from typing import Any, Concatenate, Generic, ParamSpec, TypeVar

from vane_step.core.design.model import Design

P = ParamSpec("P")
R = TypeVar("R")
V = TypeVar("V")
_KEPT = 512
_cache: OrderedDict[tuple[Any, ...], Any] = OrderedDict()
# Held while shared geometry is worked on; also by callers who work on results outside of a derived function.
alone = RLock()


def derived(
    *sections: str,
) -> Callable[[Callable[Concatenate[Design, P], R]], Callable[Concatenate[Design, P], R]]:
    """Keep a function's results by the digests of the sections of the design it reads.

    Parameters
    ----------
    *sections
        Names of the collections of :class:`Design` the function reads. A function that reads a section it
        does not name gives stale answers, so name all of them.

    Notes
    -----
    The results are shared between callers and must not be changed by them. One thread computes at a time: the
    geometry library must not prepare one shared shape in two threads at once, and two callers that want the
    same result would only do the work twice.
    """

    def decorate(function: Callable[Concatenate[Design, P], R]) -> Callable[Concatenate[Design, P], R]:
        name = f"{function.__module__}.{function.__qualname__}"

        def kept(design: Design, /, *args: P.args, **kwargs: P.kwargs) -> R:
            key = (name, *(design.digest(s) for s in sections), args, tuple(sorted(kwargs.items())))
            with alone:
                if key in _cache:
                    _cache.move_to_end(key)
                    found: R = _cache[key]
                    return found
                result = _cache[key] = function(design, *args, **kwargs)
                while len(_cache) > _KEPT:
                    _cache.popitem(last=False)
                return result

        functools.update_wrapper(kept, function)
        return kept

    return decorate


class Kept(Generic[V]):
    """What was worked out of single things of a design, such as one part, by the marks of all it was worked out from.

    After an edit only what changed is worked out anew. Beyond ``most`` entries the older half is dropped.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: dict[Any, V] = {}
        forgettable(self._values)

    def get(self, key: Any) -> V | None:
        """Give what is kept under a key, or ``None``."""
        return self._values.get(key)

    def put(self, key: Any, value: V) -> V:
        """Keep a value and give it back."""
        with alone:
            if len(self._values) >= self._most:
                for old in list(self._values)[: self._most // 2]:
                    del self._values[old]
            self._values[key] = value
        return value


_stores: list[dict[Any, Any]] = []


def forgettable(store: dict[Any, Any]) -> None:
    """Let :func:`forget` empty a store as well."""
    _stores.append(store)


def forget() -> None:
    """Drop every kept result, so that a measurement starts cold."""
    with alone:
        _cache.clear()
        for store in _stores:
            store.clear()
