"""The compiled annealing of an arrangement; what it is to weigh is set up in ``floor``.

Simulated annealing (Kirkpatrick, Gelatt, Vecchi 1983) as Sechen and Sangiovanni-Vincentelli (1985) place cells: parts
are shifted, turned and exchanged; overlaps are allowed and priced, dearer as it cools; the range of shifts follows the
share of moves that are taken.
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import math

import numpy as np
from numba import njit

LEVELS = 150
# How far parts may go at first when a given arrangement is only tidied, in mm.
WARM_SPAN = 6.0
# From this ratio of its sides on, a part has a long side.
LONG = 1.3
# What overlapping costs at first and in the end, in mm of link per mm² of overlap; and touching at all, in mm.
OVERLAP_FIRST, OVERLAP_LAST, TOUCH = 0.3, 12.0, 1.0


@njit(cache=True, nogil=True)
def _span(k, x, y, turn, net_start, net_pins, pin_part, pin_dx, pin_dy):
    """Give half the perimeter of the box round a net's pins."""
    x0 = y0 = 1e30
    x1 = y1 = -1e30
    for n in range(net_start[k], net_start[k + 1]):
        pin = net_pins[n]
        part = pin_part[pin]
        px, py = x[part] + pin_dx[pin, turn[part]], y[part] + pin_dy[pin, turn[part]]
        x0, x1, y0, y1 = min(x0, px), max(x1, px), min(y0, py), max(y1, py)
    return x1 - x0 + y1 - y0


@njit(cache=True, nogil=True, fastmath=True)
def _crowding(i, skip, now, sides):
    """Give the overlap of a part with all others, in mm², and how many it touches; ``skip`` is left out.

    Without branches, so that several parts are looked at in one step.
    """
    x0, y0, x1, y1 = now[0, i], now[1, i], now[2, i], now[3, i]
    mine = sides[i]
    area = 0.0
    count = 0.0
    for j in range(now.shape[1]):
        wide = min(x1, now[2, j]) - max(x0, now[0, j])
        tall = min(y1, now[3, j]) - max(y0, now[1, j])
        both = max(0.0, wide) * max(0.0, tall) * (1.0 if sides[j] & mine else 0.0)
        area += both
        count += 1.0 if both > 1e-5 else 0.0
    area -= (x1 - x0) * (y1 - y0)
    count -= 1.0
    if skip >= 0 and sides[skip] & mine:
        wide = min(x1, now[2, skip]) - max(x0, now[0, skip])
        tall = min(y1, now[3, skip]) - max(y0, now[1, skip])
        if wide > 0 and tall > 0:
            area -= wide * tall
            count -= 1.0 if wide * tall > 1e-5 else 0.0
    return area, count


@njit(cache=True, nogil=True)
def _outside(i, now, barred, table_of, cell, frame):
    """Give the area of a part off the board or in zones kept free, in mm², and its long side's gap to the edge."""
    x0, y0, x1, y1 = now[0, i], now[1, i], now[2, i], now[3, i]
    inner = max(0.0, min(x1, frame[2]) - max(x0, frame[0])) * max(0.0, min(y1, frame[3]) - max(y0, frame[1]))
    area = (x1 - x0) * (y1 - y0) - inner
    table = barred[table_of[i]]
    rows, columns = table.shape
    a = min(max(int((x0 - frame[0]) / cell + 0.5), 0), columns - 1)
    b = min(max(int((x1 - frame[0]) / cell + 0.5), 0), columns - 1)
    c = min(max(int((y0 - frame[1]) / cell + 0.5), 0), rows - 1)
    d = min(max(int((y1 - frame[1]) / cell + 0.5), 0), rows - 1)
    area += (table[d, b] - table[c, b] - table[d, a] + table[c, a]) * cell * cell
    edge = min(x0 - frame[0], frame[2] - x1)
    level = min(y0 - frame[1], frame[3] - y1)
    # What is plugged in comes over the long side.
    if x1 - x0 > LONG * (y1 - y0):
        edge = level
    elif y1 - y0 <= LONG * (x1 - x0):
        edge = min(edge, level)
    return area, max(0.0, edge)


@njit(cache=True, nogil=True)
def _standing(i, skip, now, sides, barred, table_of, cell, frame, at_edge, dear):
    """Give what a part's own place costs: overlaps, what lies outside, and the way to the edge where it belongs."""
    overlap, touching = _crowding(i, skip, now, sides)
    out, edge = _outside(i, now, barred, table_of, cell, frame)
    return dear * (overlap + 2.0 * out) + TOUCH * (touching + (out > 1e-3)) * dear + at_edge[i] * edge


@njit(cache=True, nogil=True)
def _shyness(i, now, shy_start, shy_other, shy_price, shy_reach):
    """Give what it costs that a part is nearer to those it shuns than it should be, gap to gap."""
    total = 0.0
    for n in range(shy_start[i], shy_start[i + 1]):
        j = shy_other[n]
        wide = max(now[0, i] - now[2, j], now[0, j] - now[2, i], 0.0)
        tall = max(now[1, i] - now[3, j], now[1, j] - now[3, i], 0.0)
        total += shy_price[n] * max(0.0, shy_reach[n] - math.sqrt(wide * wide + tall * tall))
    return total


@njit(cache=True, nogil=True)
def _box(i, x, y, turn, boxes, now):
    for k in range(4):
        now[k, i] = (x[i] if k % 2 == 0 else y[i]) + boxes[i, turn[i], k]


@njit(cache=True, nogil=True)
def anneal(
    x,
    y,
    turn,
    free,
    boxes,
    sides,
    at_edge,
    part_start,
    part_nets,
    net_start,
    net_pins,
    weight,
    pin_part,
    pin_dx,
    pin_dy,
    barred,
    table_of,
    cell,
    frame,
    lattice,
    moves,
    seed,
    warm,
    shy_start,
    shy_other,
    shy_price,
    shy_reach,
):
    """Move parts about until their links are short and none is in another's way.

    Parameters
    ----------
    x, y, turn : float64, float64 and int64 arrays, n
        Places in mm and quarter turns; changed in place.
    free : int64 array
        Numbers of the parts that may move.
    boxes : float64 array, n x 4 x 4
        For each turn what a part needs round its origin (x0, y0, x1, y1), with the room wanted between parts.
    shy_start, shy_other, shy_price, shy_reach
        For each part those it shuns, what each mm costs it is too near, and how far it should be, box to box.
    sides : int64 array, n
        Bit set of the sides a part takes up.
    at_edge : float64 array, n
        What each mm from the board's edge costs.
    part_start, part_nets
        For each part the nets it is on.
    net_start, net_pins, weight
        For each net its pins, and what a mm of it costs.
    pin_part, pin_dx, pin_dy
        For each pin its part, and where it is from the part's origin at each turn.
    barred : float64 array, tables x rows x columns
        Summed area tables of what is off the board or kept free, in cells of ``cell`` mm from ``frame``'s corner;
        ``table_of`` gives each part's.
    frame : float64 array
        x0, y0, x1, y1 of the board.
    lattice : float
        Places are multiples of it from the frame's corner.
    warm : float
        Temperature to begin with, in mm, so that what lies well stays about where it is; 0 to begin from anywhere.

    Returns
    -------
    float
        The weighted length of the links in the end. The same seed gives the same places.
    """
    np.random.seed(seed)
    nets = len(weight)
    now = np.empty(nets)
    for k in range(nets):
        now[k] = weight[k] * _span(k, x, y, turn, net_start, net_pins, pin_part, pin_dx, pin_dy)
    fresh = np.empty(nets)
    stamp = np.zeros(nets, dtype=np.int64)
    touched = np.empty(nets, dtype=np.int64)
    boxed = np.empty((4, len(x)))
    for i in range(len(x)):
        _box(i, x, y, turn, boxes, boxed)
    reach = max(frame[2] - frame[0], frame[3] - frame[1])
    least = 2.0 * lattice
    span = reach
    hot = 0.0
    temperature = max(warm, 0.1)
    cooling = (0.01 / temperature) ** (1.0 / LEVELS)
    if warm > 0:
        span = WARM_SPAN
    tick = 0
    per_level = max(1, moves // LEVELS)
    for level in range(1 if warm > 0 else 0, LEVELS + 1):
        dear = OVERLAP_FIRST * (OVERLAP_LAST / OVERLAP_FIRST) ** (level / LEVELS)
        taken = 0
        for _ in range(per_level):
            i = free[np.random.randint(len(free))]
            j = -1
            ox, oy, ot = x[i], y[i], turn[i]
            px, py, pt = 0.0, 0.0, 0
            kind = np.random.random()
            if kind < 0.12 and len(free) > 1:
                j = free[np.random.randint(len(free))]
                if j == i or at_edge[i] != at_edge[j]:
                    continue
                px, py, pt = x[j], y[j], turn[j]
            tick += 1
            before = _standing(i, j, boxed, sides, barred, table_of, cell, frame, at_edge, dear)
            before += _shyness(i, boxed, shy_start, shy_other, shy_price, shy_reach)
            if j >= 0:
                before += _standing(j, -1, boxed, sides, barred, table_of, cell, frame, at_edge, dear)
                before += _shyness(j, boxed, shy_start, shy_other, shy_price, shy_reach)
                x[i], y[i], x[j], y[j] = px, py, ox, oy
            elif kind < 0.3:
                turn[i] = (ot + 1 + np.random.randint(3)) % 4
            else:
                nx = ox + (2.0 * np.random.random() - 1.0) * span
                ny = oy + (2.0 * np.random.random() - 1.0) * span
                nx = frame[0] + round((nx - frame[0]) / lattice) * lattice
                ny = frame[1] + round((ny - frame[1]) / lattice) * lattice
                x[i] = min(max(nx, frame[0]), frame[2])
                y[i] = min(max(ny, frame[1]), frame[3])
            _box(i, x, y, turn, boxes, boxed)
            if j >= 0:
                _box(j, x, y, turn, boxes, boxed)
            delta = _standing(i, j, boxed, sides, barred, table_of, cell, frame, at_edge, dear) - before
            delta += _shyness(i, boxed, shy_start, shy_other, shy_price, shy_reach)
            if j >= 0:
                delta += _standing(j, -1, boxed, sides, barred, table_of, cell, frame, at_edge, dear)
                delta += _shyness(j, boxed, shy_start, shy_other, shy_price, shy_reach)
            count = 0
            for which in range(2 if j >= 0 else 1):
                part = i if which == 0 else j
                for n in range(part_start[part], part_start[part + 1]):
                    k = part_nets[n]
                    if stamp[k] == tick:
                        continue
                    stamp[k] = tick
                    fresh[k] = weight[k] * _span(k, x, y, turn, net_start, net_pins, pin_part, pin_dx, pin_dy)
                    delta += fresh[k] - now[k]
                    touched[count] = k
                    count += 1
            if level == 0:
                hot += abs(delta)
            if level == 0 or delta <= 0 or np.random.random() < math.exp(-delta / temperature):
                taken += 1
                for n in range(count):
                    now[touched[n]] = fresh[touched[n]]
            else:
                x[i], y[i], turn[i] = ox, oy, ot
                _box(i, x, y, turn, boxes, boxed)
                if j >= 0:
                    x[j], y[j], turn[j] = px, py, pt
                    _box(j, x, y, turn, boxes, boxed)
        if level == 0:
            temperature = max(0.1, hot / per_level)
            cooling = (0.01 / temperature) ** (1.0 / LEVELS)
        else:
            temperature *= cooling
            span = min(reach, max(least, span * (0.56 + taken / per_level)))
    return now.sum()
