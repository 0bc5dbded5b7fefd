"""Equal rectangles packed into a larger one, each either way round; what they are is not known here.

The rectangle is cut into up to five blocks of rectangles that lie alike (a first-order pattern: four round a hole and
the hole itself), filled by plain grids, or into two that are cut again: the five-block heuristic for the manufacturer's
pallet loading problem (Morabito and Morales, 1998) over the lengths that sums of the two sides give.
"""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass
from typing import Final

import numpy as np

# So deep blocks are cut again.
DEPTH: Final = 2
# So many places along a side a cut is tried at.
MOST_SUMS: Final = 18
_STEPS: Final = 1000


@dataclass(frozen=True)
class Spot:
    """The lower left corner of one rectangle, in millimetres, and whether it lies turned by a quarter."""

    x_mm: float
    y_mm: float
    turned: bool = False


def packed(size: tuple[float, float], room: tuple[float, float], gap_mm: float) -> list[Spot]:
    """Pack as many rectangles as found into a room, ``gap_mm`` between any two.

    Parameters
    ----------
    size, room : (float, float)
        Across and up, in millimetres.

    Returns
    -------
    list of Spot
        From the lower left, row by row. None overlap and none reaches out of the room.
    """
    # A gap belongs to each rectangle's far sides; the room has one gap more.
    a, b = (math.ceil(round((s + gap_mm) * _STEPS, 3)) for s in size)
    wide, tall = (math.floor(round((s + gap_mm) * _STEPS, 3)) for s in room)
    found = _filled(wide, tall, a, b, DEPTH)
    spots = [Spot(x / _STEPS, y / _STEPS, turned) for x, y, turned in found]
    return sorted(spots, key=lambda s: (s.y_mm, s.x_mm))


@functools.lru_cache(maxsize=20_000)
def _filled(wide: int, tall: int, a: int, b: int, depth: int) -> tuple[tuple[int, int, bool], ...]:
    plain, turned = (wide // a) * (tall // b), (wide // b) * (tall // a)
    if not plain and not turned:
        return ()
    best = _grid(wide, tall, a, b, False) if plain >= turned else _grid(wide, tall, b, a, True)
    most = wide * tall // (a * b)
    if depth == 0 or len(best) == most:
        return best
    xs, ys = _sums(wide, a, b), _sums(tall, a, b)
    for x in xs:
        left, right = _filled(x, tall, a, b, depth - 1), _filled(wide - x, tall, a, b, depth - 1)
        if len(left) + len(right) > len(best):
            best = left + _shifted(right, x, 0)
    for y in ys:
        below, above = _filled(wide, y, a, b, depth - 1), _filled(wide, tall - y, a, b, depth - 1)
        if len(below) + len(above) > len(best):
            best = below + _shifted(above, 0, y)
    if len(best) < most and depth == DEPTH and xs and ys:
        best = max(best, _pinwheel(wide, tall, a, b, xs, ys), key=len)
    return best


def _sums(length: int, a: int, b: int) -> list[int]:
    """Give the lengths within one that sums of both sides make (raster points); plain multiples where they are many."""
    found = {i * a + j * b for i in range(length // a + 1) for j in range((length - i * a) // b + 1)}
    if len(found) > MOST_SUMS:
        found = {i * side for side in (a, b) for i in range(length // side + 1)}
    some = sorted(s for s in found if 0 < s < length)
    return some[:: max(1, math.ceil(len(some) / MOST_SUMS))]


def _grid(wide: int, tall: int, a: int, b: int, turned: bool) -> tuple[tuple[int, int, bool], ...]:
    return tuple((i * a, j * b, turned) for j in range(tall // b) for i in range(wide // a))


def _shifted(some: tuple[tuple[int, int, bool], ...], dx: int, dy: int) -> tuple[tuple[int, int, bool], ...]:
    return tuple((x + dx, y + dy, t) for x, y, t in some)


def _pinwheel(
    wide: int, tall: int, a: int, b: int, xs: list[int], ys: list[int]
) -> tuple[tuple[int, int, bool], ...]:
    """Fill four blocks round a hole by plain grids: widths x1 below and x2 above, heights y1 left and y2 right.

    All cuts are counted at once. Blocks of a sense that overlap are those where both steps go the same way.
    """
    x1, y1, x2, y2 = np.meshgrid(xs, ys, xs, ys, indexing="ij")
    apart = ((x1 >= x2) & (y1 <= y2)) | ((x1 <= x2) & (y1 >= y2))
    count = np.zeros(x1.shape, dtype=np.int64)
    for w, h in (
        (x1, y1),
        (wide - x1, y2),
        (wide - x2, tall - y2),
        (x2, tall - y1),
        (abs(x1 - x2), abs(y1 - y2)),
    ):
        count += np.maximum((w // a) * (h // b), (w // b) * (h // a))
    count[~apart] = 0
    k = int(count.argmax())
    p, q, r, s = (int(v.ravel()[k]) for v in (x1, y1, x2, y2))
    hole = (min(p, r), min(q, s), abs(p - r), abs(q - s))
    blocks = ((0, 0, p, q), (p, 0, wide - p, s), (r, s, wide - r, tall - s), (0, q, r, tall - q), hole)
    found: tuple[tuple[int, int, bool], ...] = ()
    for x, y, w, h in blocks:
        found += _shifted(_filled(w, h, a, b, 0), x, y)
    return found
