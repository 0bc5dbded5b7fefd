"""How the time of some work is taken on a machine that others use as well; what is measured is in the other modules."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from typing import Final, TypeVar

from vane_step.core.memo import forget

T = TypeVar("T")
# Work that takes longer is done once.
LONG_S: Final = 5.0


def least_of(work: Callable[[], T]) -> tuple[float, T]:
    """Give the time of some work, nothing kept from before, and its result; of short work the least of three times.

    Others use the machine as well: the least time is the one they took least from.
    """
    least = math.inf
    for _ in range(3):
        forget()
        begun = time.perf_counter()
        result = work()
        took = time.perf_counter() - begun
        least = min(least, took)
        if took > LONG_S:
            break
    return least, result
