"""Results computed from a design, kept by the content they depend on; no result is computed here."""

from __future__ import annotations

import functools
import itertools
from collections import OrderedDict
from collections.abc import Callable, Sequence
from operator import is_not
from threading import RLock
from typing import Any, Concatenate, Generic, ParamSpec, TypeVar

from vane_step.core.design.model import Design, Package, Part

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


class PerPart(Generic[V]):
    """What is worked out of each placed part and its package; after an edit only for parts that are other objects.

    Parameters
    ----------
    work
        Gives the value of each of some placed parts of a design, in their order; many at once, so that calls into
        the geometry library are few.
    """

    def __init__(self, work: Callable[[Design, list[Part]], Sequence[V]]) -> None:
        self._work = work
        # Part and package are held, so that no other object gets their identity.
        self._known: Kept[tuple[Part, Package, Any, V]] = Kept(8_000)
        self._last: Kept[tuple[dict[str, Part], dict[str, Package], Any, dict[str, V]]] = Kept(16)

    def of(self, design: Design, context: Any = None) -> dict[str, V]:
        """Give the value of every placed part by its reference; ``context`` is all else the work reads."""
        parts, packages = design.parts, design.packages
        last = self._last.get(len(parts))
        if last is not None and last[1] is packages and last[2] == context and list(last[0]) == list(parts):
            moved = list(itertools.compress(parts, map(is_not, last[0].values(), parts.values())))
            if all((last[0][ref].place is None) == (parts[ref].place is None) for ref in moved):
                found = dict(last[3])
                self._work_out(design, context, [parts[ref] for ref in moved if parts[ref].place], found)
                self._last.put(len(parts), (parts, packages, context, found))
                return found
        placed = [part for part in parts.values() if part.place is not None]
        found = dict.fromkeys([part.ref for part in placed])  # type: ignore[assignment]
        self._work_out(design, context, placed, found)
        self._last.put(len(parts), (parts, packages, context, found))
        return found

    def _work_out(self, design: Design, context: Any, parts: list[Part], found: dict[str, V]) -> None:
        fresh = []
        for part in parts:
            known = self._known.get(id(part))
            if known is not None and known[1] is design.packages[part.package] and known[2] == context:
                found[part.ref] = known[3]
            else:
                fresh.append(part)
        for part, value in zip(fresh, self._work(design, fresh) if fresh else (), strict=True):
            found[part.ref] = value
            self._known.put(id(part), (part, design.packages[part.package], context, value))


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
