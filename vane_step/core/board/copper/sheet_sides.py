"""Which square cells of a sheet share a side, and how much of it is copper: the exact share, whatever the copper's
outline."""

from __future__ import annotations

from typing import Final

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

# What a shared side must have of copper to count, as a share.
LEAST_SHARE: Final = 0.02


def sides_of(
    copper: BaseGeometry, low: np.ndarray, cell: float, wide: int, tall: int
) -> tuple[np.ndarray, np.ndarray]:
    """Give the pairs of cells that share a side with copper on it, and its share of the side.

    Parameters
    ----------
    copper
        Polygons.
    low, cell
        Lower left corner of the first cell and the side of all.
    wide, tall
        How many there are; a cell is written as its row times ``wide`` and its column.

    Returns
    -------
    int array n x 2, float array n
        Pairs, and shares from 0 to 1.
    """
    rings = [(shapely.get_coordinates(r) - low) / cell for r in _rings(copper)]
    begin = np.concatenate([r[:-1] for r in rings])
    end = np.concatenate([r[1:] for r in rings])
    across = _covered(begin, end, wide - 1, tall)
    along = _covered(begin[:, ::-1], end[:, ::-1], tall - 1, wide)
    i, j = np.nonzero(across > LEAST_SHARE)
    pairs = np.column_stack([j * wide + i, j * wide + i + 1])
    j2, i2 = np.nonzero(along > LEAST_SHARE)
    more = np.column_stack([j2 * wide + i2, (j2 + 1) * wide + i2])
    return np.concatenate([pairs, more]), np.concatenate([across[i, j], along[j2, i2]])


def _rings(copper: BaseGeometry) -> list[BaseGeometry]:
    polygons = [p for p in shapely.get_parts(copper) if p.geom_type == "Polygon"]
    return [ring for p in polygons for ring in (p.exterior, *p.interiors)]


def _covered(begin: np.ndarray, end: np.ndarray, lines: int, count: int) -> np.ndarray:
    """Give how much of each cell's side lies in an area, as a share, for the lines x = 1, 2 … that cross it.

    Parameters
    ----------
    begin, end : float arrays, n x 2
        The edges of the area, in cells; every second crossing of a line goes in, the others out.
    """
    low, high = np.minimum(begin[:, 0], end[:, 0]), np.maximum(begin[:, 0], end[:, 0])
    first = np.clip(np.floor(low).astype(int) + 1, 1, lines + 1)
    # An edge counts at its higher end and not at its lower, so that a corner on a line is crossed once.
    last = np.clip(np.floor(high).astype(int), 0, lines)
    times = np.maximum(0, last - first + 1)
    edge = np.repeat(np.arange(len(low)), times)
    line = first[edge] + np.arange(len(edge)) - np.repeat(np.cumsum(times) - times, times)
    (x0, y0), (x1, y1) = begin[edge].T, end[edge].T
    at = y0 + (line - x0) / (x1 - x0) * (y1 - y0)
    order = np.lexsort((at, line))
    line, at = line[order], np.clip(at[order], 0.0, count)
    found = np.zeros((lines, count))
    into, out, row = at[::2], at[1::2], line[::2] - 1
    a = np.minimum(into.astype(int), count - 1)
    b = np.minimum(out.astype(int), count - 1)
    np.add.at(found, (row, a), a + 1 - into)
    np.add.at(found, (row, b), out - b)
    same = a == b
    np.add.at(found, (row[same], a[same]), -1.0)
    inner = np.zeros((lines, count + 1))
    apart = b > a
    np.add.at(inner, (row[apart], a[apart] + 1), 1.0)
    np.add.at(inner, (row[apart], b[apart]), -1.0)
    return np.clip(found + np.cumsum(inner, axis=1)[:, :-1], 0.0, 1.0)
