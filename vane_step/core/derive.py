"""Results computed from a design, kept by the content they depend on; no result is computed here."""

from __future__ import annotations

import functools
import itertools
from collections.abc import Callable, Sequence
from operator import is_not
from threading import RLock
from typing import Any, Concatenate, Final, Generic, ParamSpec, TypeVar

from vane_step.core.design.model import SINGLES, Design, Package, Part
from vane_step.core.memo import MEMO, Kept

P = ParamSpec("P")
R = TypeVar("R")
V = TypeVar("V")
# The sections that copper follows from, pours and letters in copper among it.
COPPER: Final = (
    "parts",
    "packages",
    "nets",
    "board",
    "tracks",
    "vias",
    "jumpers",
    "pours",
    "holes",
    "texts",
)
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
            found = MEMO.get(key)
            if found is not None:
                return found[0]  # type: ignore[no-any-return]
            with alone:
                found = MEMO.get(key)
                if found is not None:
                    return found[0]  # type: ignore[no-any-return]
                at_work.append(name)
                try:
                    result = function(design, *args, **kwargs)
                finally:
                    at_work.pop()
                things = sum(len(getattr(design, s)) for s in sections if s not in SINGLES)
                # One function's results for designs of about one size weigh about the same.
                MEMO.put(key, (result,), like=(name, args, things.bit_length()))
                return result

        functools.update_wrapper(kept, function)
        return kept

    return decorate


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
        self._known: Kept[tuple[Part, Package, Any, V]] = Kept()
        self._last: Kept[tuple[dict[str, Part], dict[str, Package], Any, dict[str, V]]] = Kept()

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
