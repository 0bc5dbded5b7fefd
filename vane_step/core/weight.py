"""How much memory a kept result takes, estimated; what is kept and when it goes is decided in ``derive``."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import islice
from typing import Any, Final

import numpy as np
import shapely
from pydantic import BaseModel
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

# Of a long collection so many stand for all; of those inside others of others so many.
SAMPLED: Final = 5
SAMPLED_DEEP: Final = 2
DEEPEST: Final = 5
# A pointer in a tuple, the head of a small object, a geometry without its points, a point of it, and an entry of the
# document such as a part with its pins, in bytes (measured).
POINTER, HEAD, GEOMETRY, POINT, MODEL = 8, 56, 320, 24, 1500


def weight(value: Any, depth: int = 0) -> int:
    """Estimate the bytes a value takes: of a long collection some elements stand for all.

    Parts of the document are counted at what one takes, though several results may hold the same: a store that holds
    parts of designs nobody looks at any more keeps them alive.

    >>> weight((0.0,) * 1000) < 40_000 < weight(np.zeros(10_000))
    True
    """
    if value is None or isinstance(value, bool | int | float | type):
        return HEAD // 2
    if isinstance(value, BaseModel):
        return MODEL
    if isinstance(value, str | bytes):
        return HEAD + len(value)
    if isinstance(value, np.ndarray):
        if value.dtype != object:
            return HEAD + value.nbytes
        return HEAD + _of_many(value.ravel().tolist(), depth)
    if isinstance(value, BaseGeometry):
        return GEOMETRY + POINT * int(shapely.get_num_coordinates(value))
    if depth > DEEPEST:
        return HEAD
    if isinstance(value, STRtree):
        return HEAD + 3 * POINTER * len(value) + _of_many(value.geometries, depth)
    if isinstance(value, Mapping):
        return (
            HEAD + 2 * POINTER * len(value) + _of_many(value.values(), depth) + _of_many(value.keys(), depth)
        )
    if isinstance(value, tuple | list | set | frozenset):
        return HEAD + POINTER * len(value) + _of_many(value, depth)
    fields = getattr(value, "__dict__", None)
    if fields is None:
        slots = getattr(type(value), "__slots__", ())
        fields = {name: getattr(value, name, None) for name in ([slots] if isinstance(slots, str) else slots)}
    return HEAD + sum(POINTER + weight(v, depth + 1) for v in fields.values())


def _of_many(values: Any, depth: int) -> int:
    count = len(values)
    if not count:
        return 0
    # Evenly spread, so that neither the first nor the last stand for all.
    some = list(islice(values, 0, None, max(1, count // (SAMPLED if depth < 2 else SAMPLED_DEEP))))
    return sum(weight(v, depth + 1) for v in some) * count // len(some)
