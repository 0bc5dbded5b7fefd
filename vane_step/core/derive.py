"""Results computed from a design, kept by the content they depend on; no result is computed here."""

from __future__ import annotations

import functools
import itertools
from collections import OrderedDict
from collections.abc import Callable, Sequence
from operator import is_not
from threading import RLock
from typing import Any, ClassVar, Concatenate, Final, Generic, ParamSpec, TypeVar

from vane_step.core.design.model import SINGLES, Design, Package, Part
from vane_step.core.weight import weight

P = ParamSpec("P")
R = TypeVar("R")
V = TypeVar("V")
# Bytes of results of whole designs, and of what is worked out of single things; both estimated.
RESULTS_BYTES: Final = 64 * 1024 * 1024
PIECES_BYTES: Final = 64 * 1024 * 1024
_cache: OrderedDict[tuple[Any, ...], tuple[Any, int]] = OrderedDict()
_bytes_kept = 0
# The first result of a kind is weighed; after it one in so many, which stands for the others. Kinds take turns, so that
# no one edit pays for all.
ONE_IN: Final = 16
_weights: dict[tuple[Any, ...], tuple[int, int]] = {}
# The sections each derived function says it reads, by its name; and the names of those at work, the innermost last.
DERIVED: Final[dict[str, tuple[str, ...]]] = {}
at_work: Final[list[str]] = []
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
        DERIVED[name] = sections

        def kept(design: Design, /, *args: P.args, **kwargs: P.kwargs) -> R:
            key = (name, *(design.digest(s) for s in sections), args, tuple(sorted(kwargs.items())))
            # What is there is given at once, also while another design is being worked on.
            found = _cache.get(key)
            if found is not None:
                _asked_for(key)
                return found[0]  # type: ignore[no-any-return]
            with alone:
                if key in _cache:
                    return _cache[key][0]  # type: ignore[no-any-return]
                at_work.append(name)
                try:
                    result = function(design, *args, **kwargs)
                finally:
                    at_work.pop()
                things = sum(len(getattr(design, s)) for s in sections if s not in SINGLES)
                _keep(key, result, (name, args, things.bit_length()))
                return result

        functools.update_wrapper(kept, function)
        return kept

    return decorate


def _asked_for(key: tuple[Any, ...]) -> None:
    """Note that a result was asked for, unless another thread is at work: what is asked for often is noted often."""
    if alone.acquire(blocking=False):
        try:
            if key in _cache:
                _cache.move_to_end(key)
        finally:
            alone.release()


def _keep(key: tuple[Any, ...], result: Any, like: tuple[Any, ...]) -> None:
    """Keep a result; those not asked for longest go when all together are too large.

    One function's results for designs of about one size are ``like`` each other and weigh about the same.
    """
    global _bytes_kept
    turn, taken = _weights.get(like, (0, 0))
    if like not in _weights:
        turn, taken = len(_weights), weight(result)
    elif turn % ONE_IN == 0:
        taken = weight(result)
    _weights[like] = turn + 1, taken
    _cache[key] = result, taken
    _bytes_kept += taken
    while _bytes_kept > RESULTS_BYTES and len(_cache) > 1:
        _bytes_kept -= _cache.popitem(last=False)[1][1]


class Kept(Generic[V]):
    """What was worked out of single things of a design, such as one part, by the marks of all it was worked out from.

    After an edit only what changed is worked out anew. Beyond ``most`` entries the older half is dropped, and so it is
    in the largest store when all stores together are too large.
    """

    stores: ClassVar[list[Kept[Any]]] = []

    def __init__(self, most: int) -> None:
        self._most = most
        self._values: dict[Any, V] = {}
        # Of some of the values put: how many were weighed, and what they weigh together.
        self._puts, self._weighed, self._weight = len(Kept.stores), 0, 0
        forgettable(self._values)
        Kept.stores.append(self)

    def size(self) -> int:
        """Estimate the bytes of all values, by those that were weighed."""
        return len(self._values) * self._weight // max(1, self._weighed)

    def _halve(self) -> None:
        for old in list(self._values)[: max(1, len(self._values) // 2)]:
            del self._values[old]

    def get(self, key: Any) -> V | None:
        """Give what is kept under a key, or ``None``."""
        return self._values.get(key)

    def put(self, key: Any, value: V) -> V:
        """Keep a value and give it back."""
        with alone:
            if len(self._values) >= self._most:
                self._halve()
            self._values[key] = value
            if not self._weighed or self._puts % ONE_IN == 0:
                self._weighed, self._weight = self._weighed + 1, self._weight + weight(value)
                while sum(store.size() for store in Kept.stores) > PIECES_BYTES:
                    max(Kept.stores, key=Kept.size)._halve()
            self._puts += 1
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
    global _bytes_kept
    with alone:
        _cache.clear()
        _weights.clear()
        _bytes_kept = 0
        for store in _stores:
            store.clear()
