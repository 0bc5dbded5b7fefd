"""Moves bodies apart until none overlaps another, however full the board is; what their links want is not asked here.

Guided local search (Voudouris and Tsang 1995) over the overlaps, as Egeblad, Nielsen and Odgaard (2007) pack: a body
goes along a line to where it overlaps least; where nothing gets better, the pair in each other's way most counts more.
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numpy as np
from numba import njit

from vane_step.core.board.placement.standing import NONE, count_of, on_edge, outside, put, suits

# Overlaps below it, in mm², are rounding.
NOTHING = 1e-7
# Places tried on a line beside those where two boxes meet, where the board is no rectangle.
GUESSES = 12
# States of a body tried at once, and how often a line is laid beside another body instead of anywhere.
STATES_TRIED, BESIDE = 3, 0.6


@njit(cache=True, nogil=True)
def _shared(i, j, now, sides):
    """Give the area two bodies both take up, in mm²."""
    if not sides[i] & sides[j]:
        return 0.0
    wide = min(now[2, i], now[2, j]) - max(now[0, i], now[0, j])
    tall = min(now[3, i], now[3, j]) - max(now[1, i], now[1, j])
    return wide * tall if wide > 0 and tall > 0 else 0.0


@njit(cache=True, nogil=True)
def _off(i, now, sides, barred, table_of, cell, frame):
    table = barred[table_of[i, 1 if sides[i] == 2 else 0]]
    return outside(now[0, i], now[1, i], now[2, i], now[3, i], table, cell, frame, NONE)


@njit(cache=True, nogil=True)
def _best_on_line(
    i, s, level, here, home, pull, axis, least, most, boxes, bits, now, sides, price, table, cell, frame, room
):
    """Find where on a line a body overlaps least, what counts more counting more, and is not far from where it belongs.

    Parameters
    ----------
    level, here : float
        Where the line lies, across ``axis``, and where on it the body is now.
    home, pull : float
        Where on it the body belongs, and what each mm from there costs, in mm² of overlap.
    axis : int
        0 for a line along x, 1 for one along y.
    least, most : float
        The part of the line that may be used.
    room : float64 array, 3 x n
        Scratch: from, to and weight of what lies by the line.

    Returns
    -------
    cost : float
        The overlap there.
    along : float
        Where that is.
    """
    other = 1 - axis
    low, high = level + boxes[i, s, other], level + boxes[i, s, other + 2]
    from_, to = boxes[i, s, axis], boxes[i, s, axis + 2]
    mine = bits[i, s]
    count = 0
    for j in range(now.shape[1]):
        if j == i or not sides[j] & mine:
            continue
        deep = min(high, now[other + 2, j]) - max(low, now[other, j])
        if deep > 1e-9 and now[axis + 2, j] > least + from_ and now[axis, j] < most + to:
            room[0, count], room[1, count] = now[axis, j], now[axis + 2, j]
            room[2, count] = deep * price[i, j]
            count += 1
    whole = table[-1, -1] == 0.0
    tries = 2 * count + 4 + (0 if whole else GUESSES)
    best, at, near = 1e30, here, 1e30
    for t in range(tries):
        if t < count:
            v = room[1, t] - from_
        elif t < 2 * count:
            v = room[0, t - count] - to
        elif t == 2 * count:
            v = here
        elif t == 2 * count + 1:
            v = least
        elif t == 2 * count + 2:
            v = most
        elif t == 2 * count + 3:
            v = home
        else:
            v = least + np.random.random() * (most - least)
        if v < least or v > most:
            continue
        cost = pull * abs(v - home)
        for k in range(count):
            long = min(v + to, room[1, k]) - max(v + from_, room[0, k])
            if long > 1e-9:
                cost += long * room[2, k]
        if not whole and cost <= best:
            x0, x1 = (v + from_, v + to) if axis == 0 else (low, high)
            y0, y1 = (v + from_, v + to) if axis == 1 else (low, high)
            cost += price[i, now.shape[1]] * outside(x0, y0, x1, y1, table, cell, frame, NONE)
        gap = abs(v - here)
        if cost < best - 1e-9 or (cost < best + 1e-9 and gap < near):
            best, at, near = cost, v, gap
    return best, at


@njit(cache=True, nogil=True)
def _cost(i, x, y, home_x, home_y, pull, now, sides, price, barred, table_of, cell, frame):
    """Give what a body costs where it is: overlaps as they count, what is off the board, and the way from home."""
    n = now.shape[1]
    cost = pull[i] * (abs(x[i] - home_x[i]) + abs(y[i] - home_y[i]))
    cost += price[i, n] * _off(i, now, sides, barred, table_of, cell, frame)
    for j in range(n):
        if j != i:
            cost += price[i, j] * _shared(i, j, now, sides)
    return cost


@njit(cache=True, nogil=True)
def _along_edges(
    i, least, x, y, state, home_x, home_y, pull, boxes, bits, mouth, choices, edges, now, sides, price, barred,
    table_of, cell, frame, room,
):  # fmt: skip
    """Find the best place of a body along the edges it suits, if it is better than ``least``: x, y and state."""
    to_x, to_y, to_s = x[i], y[i], state[i]
    for e in range(len(edges)):
        way = int(edges[e, 0])
        axis = 1 if way < 2 else 0
        for k in range(count_of(i, choices)):
            s = choices[i, k]
            low, high = edges[e, 2] - boxes[i, s, axis], edges[e, 3] - boxes[i, s, axis + 2]
            if not suits(i, s, way, boxes, mouth) or low > high:
                continue
            px, py = on_edge(i, s, edges[e], 0.0, boxes)
            level, here, home, off = (
                (px, y[i], home_y[i], home_x[i]) if axis == 1 else (py, x[i], home_x[i], home_y[i])
            )
            table = barred[table_of[i, 1 if bits[i, s] == 2 else 0]]
            found, at = _best_on_line(
                i, s, level, min(max(here, low), high), home, pull[i], axis, low, high, boxes, bits, now, sides, price,
                table, cell, frame, room,
            )  # fmt: skip
            found += pull[i] * abs(level - off)
            if found < least:
                least, to_s = found, s
                to_x, to_y = (level, at) if axis == 1 else (at, level)
    return to_x, to_y, to_s


@njit(cache=True, nogil=True)
def _along_lines(
    i, least, x, y, state, home_x, home_y, pull, boxes, bits, choices, now, sides, price, barred, table_of, cell,
    frame, room,
):  # fmt: skip
    """Find the best place of a body on some lines through it, beside others and anywhere, if better than ``least``."""
    to_x, to_y, to_s = x[i], y[i], state[i]
    kinds = count_of(i, choices)
    for turn in range(min(kinds, STATES_TRIED)):
        s = state[i] if turn == 0 else choices[i, np.random.randint(kinds)]
        table = barred[table_of[i, 1 if bits[i, s] == 2 else 0]]
        x0, x1 = frame[0] - boxes[i, s, 0], frame[2] - boxes[i, s, 2]
        y0, y1 = frame[1] - boxes[i, s, 1], frame[3] - boxes[i, s, 3]
        if x0 > x1 or y0 > y1:
            continue
        for line in range(4):
            axis = line % 2
            here, home, low, high = (x[i], home_x[i], x0, x1) if axis == 0 else (y[i], home_y[i], y0, y1)
            level, off, least_level, most_level = (
                (y[i], home_y[i], y0, y1) if axis == 0 else (x[i], home_x[i], x0, x1)
            )
            if line >= 2 and np.random.random() < BESIDE:
                j, far = np.random.randint(now.shape[1]), np.random.randint(2)
                level = now[1 - axis + 2 * far, j] - boxes[i, s, 1 - axis + 2 * (1 - far)]
            elif line >= 2:
                level = least_level + np.random.random() * (most_level - least_level)
            level = min(max(level, least_level), most_level)
            found, at = _best_on_line(
                i, s, level, min(max(here, low), high), home, pull[i], axis, low, high, boxes, bits, now, sides, price,
                table, cell, frame, room,
            )  # fmt: skip
            found += pull[i] * abs(level - off)
            if found < least:
                least, to_s = found, s
                to_x, to_y = (at, level) if axis == 0 else (level, at)
    return to_x, to_y, to_s


@njit(cache=True, nogil=True)
def _count_more(free, moves, stuck, over, now, sides, price, barred, table_of, cell, frame):
    """Where nothing gets better: let the pair that overlaps most, for how often it was told so, count more."""
    n = now.shape[1]
    worst, a, b = 0.0, -1, -1
    for i in free:
        if over[i] <= NOTHING:
            continue
        stuck[i] = False
        off = _off(i, now, sides, barred, table_of, cell, frame) / price[i, n]
        if off > worst:
            worst, a, b = off, i, n
        for j in range(n):
            if j != i and (j > i or not moves[j]):
                both = _shared(i, j, now, sides) / price[i, j]
                if both > worst:
                    worst, a, b = both, i, j
    if a >= 0:
        price[a, b] += 1.0
        if b < n:
            price[b, a] += 1.0


@njit(cache=True, nogil=True)
def _note(i, sign, over, stuck, now, sides):
    """Count a body's overlaps in or out; whoever it meets may try again. Gives what they add up to."""
    total = 0.0
    for j in range(now.shape[1]):
        if j != i:
            both = _shared(i, j, now, sides)
            if both > 0.0:
                over[j] += sign * both
                over[i] += sign * both
                total += sign * both
                stuck[j] = False
    return total


@njit(cache=True, nogil=True)
def _left(free, moves, now, sides, barred, table_of, cell, frame):
    """Give the area that overlaps or is off the board, in mm², rounding left out."""
    left = 0.0
    for i in free:
        off = _off(i, now, sides, barred, table_of, cell, frame)
        left += off if off > NOTHING else 0.0
        for j in range(now.shape[1]):
            if j != i and (not moves[j] or j < i):
                both = _shared(i, j, now, sides)
                left += both if both > NOTHING else 0.0
    return left


@njit(cache=True, nogil=True)
def pack(
    x,
    y,
    state,
    free,
    boxes,
    bits,
    mouth,
    choices,
    at_edge,
    edges,
    pull,
    barred,
    table_of,
    cell,
    frame,
    steps,
    seed,
):
    """Move bodies until no two overlap and all lie on the board; those that belong to an edge keep to one.

    Parameters
    ----------
    x, y, state
        Changed in place: what overlaps least of all that was met. The other arrays are those of ``anneal``.
    pull : float64 array, n
        What each mm from where it is now costs a body, in mm² of overlap.
    steps : int
        How often a body is tried elsewhere, at most.

    Returns
    -------
    float
        The area still overlapping or off the board, in mm²; 0 when there is none.
    """
    np.random.seed(seed)
    n = len(x)
    now, sides = np.empty((4, n)), np.empty(n, dtype=np.int64)
    moves, stuck = np.zeros(n, dtype=np.bool_), np.zeros(n, dtype=np.bool_)
    for i in range(n):
        put(i, x, y, state, boxes, bits, now, sides)
    moves[free] = True
    price, over = np.ones((n, n + 1)), np.zeros(n)
    for i in free:
        over[i] = _off(i, now, sides, barred, table_of, cell, frame)
        for j in range(n):
            if j != i:
                over[i] += _shared(i, j, now, sides)
    best = total = _left(free, moves, now, sides, barred, table_of, cell, frame)
    home_x, home_y = x.copy(), y.copy()
    bx, by, bs = x.copy(), y.copy(), state.copy()
    room, busy = np.empty((3, n)), np.empty(n, dtype=np.int64)
    for _ in range(steps):
        count = bad = 0
        for i in free:
            if over[i] > 10 * NOTHING:
                bad += 1
                if not stuck[i]:
                    busy[count] = i
                    count += 1
        if bad == 0:
            break
        if count == 0:
            _count_more(free, moves, stuck, over, now, sides, price, barred, table_of, cell, frame)
            continue
        i = busy[np.random.randint(count)]
        least = (
            _cost(i, x, y, home_x, home_y, pull, now, sides, price, barred, table_of, cell, frame) - NOTHING
        )
        if at_edge[i] > 0 and len(edges) > 0:
            to_x, to_y, to_s = _along_edges(
                i, least, x, y, state, home_x, home_y, pull, boxes, bits, mouth, choices, edges, now, sides, price,
                barred, table_of, cell, frame, room,
            )  # fmt: skip
        else:
            to_x, to_y, to_s = _along_lines(
                i, least, x, y, state, home_x, home_y, pull, boxes, bits, choices, now, sides, price, barred,
                table_of, cell, frame, room,
            )  # fmt: skip
        if to_x == x[i] and to_y == y[i] and to_s == state[i]:
            stuck[i] = True
            continue
        total += _note(i, -1.0, over, stuck, now, sides) - max(0.0, over[i])
        x[i], y[i], state[i] = to_x, to_y, to_s
        put(i, x, y, state, boxes, bits, now, sides)
        over[i] = _off(i, now, sides, barred, table_of, cell, frame)
        total += over[i] + _note(i, 1.0, over, stuck, now, sides)
        if total < best - 1e-9:
            best = total
            bx[:], by[:], bs[:] = x, y, state
    # Counted anew, so that no rounding adds up.
    left = _left(free, moves, now, sides, barred, table_of, cell, frame)
    if left > best:
        x[:], y[:], state[:] = bx, by, bs
        for i in range(n):
            put(i, x, y, state, boxes, bits, now, sides)
        left = _left(free, moves, now, sides, barred, table_of, cell, frame)
    return left
