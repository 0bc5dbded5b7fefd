"""Where a body stands while parts are arranged: its box, whom it meets, and the edge it lies on; compiled.

How arrangements are weighed is in ``anneal``, how bodies are moved apart in ``packing``.
"""

# Arguments are numpy arrays whose shape and dtype the docstring of ``anneal`` gives; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import math

import numpy as np
from numba import njit

# From this ratio of its sides on, a body has a long side.
LONG = 1.3
# Shares of a cell's width that count as covering it, see ``outside``.
HALF, NONE = 0.5, 1e-6
# Side of the squares whose bodies are listed, in mm.
SQUARE_MM = 4.0


@njit(cache=True, nogil=True)
def bins(now, frame, pitch):
    """Give a grid of lists of the bodies that reach into each square: lists, lengths, corner, squares a mm, size."""
    columns = max(1, math.ceil((frame[2] - frame[0]) / pitch))
    rows = max(1, math.ceil((frame[3] - frame[1]) / pitch))
    lists = np.empty((columns * rows, now.shape[1]), dtype=np.int32)
    fill = np.zeros(columns * rows, dtype=np.int64)
    grid = (lists, fill, frame[0], frame[1], 1.0 / pitch, columns, rows)
    for i in range(now.shape[1]):
        _enter(i, now, grid)
    return grid


@njit(cache=True, nogil=True)
def _square(v, start, pitch, count):
    return min(max(int((v - start) * pitch), 0), count - 1)


@njit(cache=True, nogil=True)
def _enter(i, now, grid):
    lists, fill, gx, gy, pitch, columns, rows = grid
    for r in range(_square(now[1, i], gy, pitch, rows), _square(now[3, i], gy, pitch, rows) + 1):
        for c in range(_square(now[0, i], gx, pitch, columns), _square(now[2, i], gx, pitch, columns) + 1):
            k = r * columns + c
            lists[k, fill[k]] = i
            fill[k] += 1


@njit(cache=True, nogil=True)
def _leave(i, now, grid):
    lists, fill, gx, gy, pitch, columns, rows = grid
    for r in range(_square(now[1, i], gy, pitch, rows), _square(now[3, i], gy, pitch, rows) + 1):
        for c in range(_square(now[0, i], gx, pitch, columns), _square(now[2, i], gx, pitch, columns) + 1):
            k = r * columns + c
            last = fill[k] - 1
            for n in range(last + 1):
                if lists[k, n] == i:
                    lists[k, n] = lists[k, last]
                    break
            fill[k] = last


@njit(cache=True, nogil=True)
def crowding(i, skip, now, sides, grid):
    """Give the overlap of a body with all others, in mm², and how many it touches; ``skip`` is left out."""
    lists, fill, gx, gy, pitch, columns, rows = grid
    x0, y0, x1, y1 = now[0, i], now[1, i], now[2, i], now[3, i]
    mine = sides[i]
    area = 0.0
    count = 0
    for r in range(_square(y0, gy, pitch, rows), _square(y1, gy, pitch, rows) + 1):
        for c in range(_square(x0, gx, pitch, columns), _square(x1, gx, pitch, columns) + 1):
            k = r * columns + c
            for n in range(fill[k]):
                j = lists[k, n]
                if j in (i, skip) or not sides[j] & mine:
                    continue
                left, low = max(x0, now[0, j]), max(y0, now[1, j])
                wide, tall = min(x1, now[2, j]) - left, min(y1, now[3, j]) - low
                # What two bodies share counts in the one square its corner lies in.
                mine_here = _square(left, gx, pitch, columns) == c and _square(low, gy, pitch, rows) == r
                if wide > 0 and tall > 0 and mine_here:
                    area += wide * tall
                    count += 1 if wide * tall > 1e-5 else 0
    return area, count


@njit(cache=True, nogil=True)
def outside(x0, y0, x1, y1, table, cell, frame, slack):
    """Give the area of a box off the board or in zones kept free, in mm².

    Cells the box covers by less than ``slack`` of their width are left out: ``HALF`` of it, or next to ``NONE``.
    """
    inner = max(0.0, min(x1, frame[2]) - max(x0, frame[0])) * max(0.0, min(y1, frame[3]) - max(y0, frame[1]))
    area = (x1 - x0) * (y1 - y0) - inner
    rows, columns = table.shape
    a = min(max(int((x0 - frame[0]) / cell + slack), 0), columns - 1)
    b = min(max(int((x1 - frame[0]) / cell + 1.0 - slack), 0), columns - 1)
    c = min(max(int((y0 - frame[1]) / cell + slack), 0), rows - 1)
    d = min(max(int((y1 - frame[1]) / cell + 1.0 - slack), 0), rows - 1)
    area += (table[d, b] - table[c, b] - table[d, a] + table[c, a]) * cell * cell
    return max(0.0, area)


@njit(cache=True, nogil=True)
def from_edge(i, now, mouth, frame):
    """Give how far a body is from the edge it belongs to: at its mouth, or else along its long side."""
    x0, y0, x1, y1 = now[0, i], now[1, i], now[2, i], now[3, i]
    if mouth == 0:
        return abs(x0 - frame[0])
    if mouth == 1:
        return abs(frame[2] - x1)
    if mouth == 2:
        return abs(y0 - frame[1])
    if mouth == 3:
        return abs(frame[3] - y1)
    edge = min(x0 - frame[0], frame[2] - x1)
    level = min(y0 - frame[1], frame[3] - y1)
    # What is plugged in comes over the long side.
    if x1 - x0 > LONG * (y1 - y0):
        edge = level
    elif y1 - y0 <= LONG * (x1 - x0):
        edge = min(edge, level)
    return max(0.0, edge)


@njit(cache=True, nogil=True)
def put(i, x, y, state, boxes, bits, now, sides):
    """Note the box a body takes up where it is put, and its sides."""
    s = state[i]
    sides[i] = bits[i, s]
    for k in range(4):
        now[k, i] = (x[i] if k % 2 == 0 else y[i]) + boxes[i, s, k]


@njit(cache=True, nogil=True)
def shift(i, x, y, state, boxes, bits, now, sides, grid):
    """Note the box a body takes up where it is put, also in the grid."""
    _leave(i, now, grid)
    put(i, x, y, state, boxes, bits, now, sides)
    _enter(i, now, grid)


@njit(cache=True, nogil=True)
def count_of(i, choices):
    """Tell how many states a body has."""
    count = 0
    while count < choices.shape[1] and choices[i, count] >= 0:
        count += 1
    return count


@njit(cache=True, nogil=True)
def suits(i, state, way, boxes, mouth):
    """Tell whether a body may lie on an edge in a state: its mouth outwards, or its long side along it."""
    if mouth[i, state] >= 0:
        return mouth[i, state] == way
    wide = boxes[i, state, 2] - boxes[i, state, 0]
    tall = boxes[i, state, 3] - boxes[i, state, 1]
    return tall * LONG >= wide if way < 2 else wide * LONG >= tall


@njit(cache=True, nogil=True)
def on_edge(i, state, edge, along, boxes):
    """Give the place of a body that ends at an edge, as far along it."""
    way, where = int(edge[0]), edge[1]
    if way < 2:
        return where - boxes[i, state, 0 if way == 0 else 2], along
    return along, where - boxes[i, state, 1 if way == 2 else 3]


@njit(cache=True, nogil=True)
def edge_move(i, x, y, state, span, boxes, mouth, choices, edges):
    """Put a body on an edge it suits: a little along the one it is on, or anywhere on another."""
    edge = edges[np.random.randint(len(edges))]
    way = int(edge[0])
    count = count_of(i, choices)
    first = np.random.randint(count)
    for k in range(count):
        s = choices[i, (first + k) % count]
        if not suits(i, s, way, boxes, mouth):
            continue
        low, high = boxes[i, s, 1 if way < 2 else 0], boxes[i, s, 3 if way < 2 else 2]
        least, most = edge[2] - low, edge[3] - high
        if least > most:
            return False
        along = y[i] if way < 2 else x[i]
        if s == state[i] and np.random.random() < 0.7:
            along += (2.0 * np.random.random() - 1.0) * span
        else:
            along = least + np.random.random() * (most - least)
        x[i], y[i] = on_edge(i, s, edge, min(max(along, least), most), boxes)
        state[i] = s
        return True
    return False
