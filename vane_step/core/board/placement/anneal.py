"""The compiled annealing of an arrangement; what it is to weigh is set up in ``cost_model``.

Simulated annealing (Kirkpatrick, Gelatt, Vecchi 1983) as Sechen and Sangiovanni-Vincentelli (1985) place cells: bodies
are shifted, turned and exchanged, and put along the board's edge where they belong to it; overlaps are allowed and
priced, dearer as it cools; the range of shifts follows the share of moves that are taken.
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import math

import numpy as np
from numba import njit

from vane_step.core.board.placement.standing import (
    HALF,
    NONE,
    SQUARE_MM,
    bins,
    count_of,
    crowding,
    edge_move,
    from_edge,
    outside,
    put,
    shift,
)

LEVELS = 150
# How far bodies may go at first when a given arrangement is only tidied, in mm.
WARM_SPAN = 6.0
# What overlapping costs at first and in the end, in mm of link per mm² of overlap; and touching at all, in mm.
OVERLAP_FIRST, OVERLAP_LAST, TOUCH = 0.3, 60.0, 1.0
# What overlapping costs where it is not allowed at all.
NEVER = 1e6


@njit(cache=True, nogil=True)
def _span(k, x, y, state, net_start, net_pins, pin_body, pin_dx, pin_dy):
    """Give half the perimeter of the box round a net's pins."""
    x0 = y0 = 1e30
    x1 = y1 = -1e30
    for n in range(net_start[k], net_start[k + 1]):
        pin = net_pins[n]
        body = pin_body[pin]
        px, py = x[body] + pin_dx[pin, state[body]], y[body] + pin_dy[pin, state[body]]
        x0, x1, y0, y1 = min(x0, px), max(x1, px), min(y0, py), max(y1, py)
    return x1 - x0 + y1 - y0


@njit(cache=True, nogil=True)
def _standing(
    i, skip, state, now, sides, grid, standing, mouth, barred, table_of, cell, frame, at_edge, dear
):
    """Give what a body's own place costs: its state, overlaps, what lies outside, and the way to its edge."""
    overlap, touching = crowding(i, skip, now, sides, grid)
    table = barred[table_of[i, 1 if sides[i] == 2 else 0]]
    slack = NONE if dear == NEVER else HALF
    out = outside(now[0, i], now[1, i], now[2, i], now[3, i], table, cell, frame, slack)
    price = dear * (overlap + 2.0 * out) + TOUCH * (touching + (out > 1e-3)) * dear + standing[i, state[i]]
    if at_edge[i] > 0:
        price += at_edge[i] * from_edge(i, now, mouth[i, state[i]], frame)
    return price


@njit(cache=True, nogil=True)
def _shyness(i, now, shy_start, shy_other, shy_price, shy_reach):
    """Give what it costs that a body is nearer to those it shuns than it should be, gap to gap."""
    total = 0.0
    for n in range(shy_start[i], shy_start[i + 1]):
        j = shy_other[n]
        wide = max(now[0, i] - now[2, j], now[0, j] - now[2, i], 0.0)
        tall = max(now[1, i] - now[3, j], now[1, j] - now[3, i], 0.0)
        total += shy_price[n] * max(0.0, shy_reach[n] - math.sqrt(wide * wide + tall * tall))
    return total


@njit(cache=True, nogil=True)
def anneal(
    x,
    y,
    state,
    free,
    boxes,
    bits,
    mouth,
    choices,
    standing,
    at_edge,
    bound,
    edges,
    body_start,
    body_nets,
    net_start,
    net_pins,
    weight,
    pin_body,
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
    strict,
    shy_start,
    shy_other,
    shy_price,
    shy_reach,
):
    """Move bodies about until their links are short and none is in another's way.

    Parameters
    ----------
    x, y, state : float64, float64 and int64 arrays, n
        Places in mm and states, see ``bodies``; changed in place.
    free : int64 array
        Numbers of the bodies that may move.
    boxes : float64 array, n x 8 x 4
        For each state what a body needs round its origin (x0, y0, x1, y1), with the room wanted between bodies.
    bits, mouth, choices, standing : arrays, n x 8
        For each state the sides taken up, a bit each; the edge its mouth looks to, -1 without one; what the state
        costs. ``choices`` lists the states a body may take, -1 after the last.
    at_edge : float64 array, n
        What each mm from the board's edge costs.
    bound : bool array, n
        Whether a body lies on an edge in any case; it does when this begins.
    edges : float64 array, m x 4
        Straight edges: the direction out (left, right, bottom, top), where, from, to.
    body_start, body_nets
        For each body the nets it is on.
    net_start, net_pins, weight
        For each net its pins, and what a mm of it costs.
    pin_body, pin_dx, pin_dy
        For each pin its body, and where it is from the body's origin in each state.
    barred : float64 array, tables x rows x columns
        Summed area tables of what is off the board or kept free, in cells of ``cell`` mm from ``frame``'s corner;
        ``table_of``, n x 2, gives each body's on the front and on the back.
    frame : float64 array
        x0, y0, x1, y1 of the board within its edge clearance.
    lattice : float
        Places are multiples of it from the frame's corner.
    warm : float
        Temperature to begin with, in mm, so that what lies well stays about where it is; 0 to begin from anywhere.
    strict : bool
        Whether no overlap is allowed on the way; then the best that was met is kept.
    shy_start, shy_other, shy_price, shy_reach
        For each body those it shuns, what each mm costs it is too near, and how far it should be, box to box.

    Notes
    -----
    The same seed gives the same places.
    """
    np.random.seed(seed)
    nets = len(weight)
    now = np.empty(nets)
    for k in range(nets):
        now[k] = weight[k] * _span(k, x, y, state, net_start, net_pins, pin_body, pin_dx, pin_dy)
    fresh = np.empty(nets)
    stamp = np.zeros(nets, dtype=np.int64)
    touched = np.empty(nets, dtype=np.int64)
    boxed = np.empty((4, len(x)))
    sides = np.empty(len(x), dtype=np.int64)
    for i in range(len(x)):
        put(i, x, y, state, boxes, bits, boxed, sides)
    grid = bins(boxed, frame, SQUARE_MM)
    reach = max(frame[2] - frame[0], frame[3] - frame[1])
    least = 2.0 * lattice
    span = reach
    hot = 0.0
    temperature = max(warm, 0.1)
    cooling = (0.01 / temperature) ** (1.0 / LEVELS)
    if warm > 0:
        span = WARM_SPAN
    worth = best = 0.0
    bx, by, bs = x.copy(), y.copy(), state.copy()
    tick = 0
    per_level = max(1, moves // LEVELS)
    for level in range(1 if warm > 0 else 0, LEVELS + 1):
        dear = NEVER if strict else OVERLAP_FIRST * (OVERLAP_LAST / OVERLAP_FIRST) ** (level / LEVELS)
        taken = 0
        for _ in range(per_level):
            i = free[np.random.randint(len(free))]
            j = -1
            ox, oy, ot = x[i], y[i], state[i]
            px, py, pt = 0.0, 0.0, 0
            kind = np.random.random()
            if kind < 0.12 and len(free) > 1 and not bound[i]:
                j = free[np.random.randint(len(free))]
                if j == i or at_edge[i] != at_edge[j] or bound[i] or bound[j]:
                    continue
                px, py, pt = x[j], y[j], state[j]
            tick += 1
            before = _standing(
                i, j, state, boxed, sides, grid, standing, mouth, barred, table_of, cell, frame, at_edge, dear
            )
            before += _shyness(i, boxed, shy_start, shy_other, shy_price, shy_reach)
            if j >= 0:
                before += _standing(
                    j,
                    -1,
                    state,
                    boxed,
                    sides,
                    grid,
                    standing,
                    mouth,
                    barred,
                    table_of,
                    cell,
                    frame,
                    at_edge,
                    dear,
                )
                before += _shyness(j, boxed, shy_start, shy_other, shy_price, shy_reach)
                x[i], y[i], x[j], y[j] = px, py, ox, oy
            elif bound[i] or (at_edge[i] > 0 and len(edges) > 0 and kind < 0.8):
                if not edge_move(i, x, y, state, span, boxes, mouth, choices, edges):
                    continue
            elif kind < 0.3:
                state[i] = choices[i, np.random.randint(count_of(i, choices))]
            else:
                nx = ox + (2.0 * np.random.random() - 1.0) * span
                ny = oy + (2.0 * np.random.random() - 1.0) * span
                nx = frame[0] + round((nx - frame[0]) / lattice) * lattice
                ny = frame[1] + round((ny - frame[1]) / lattice) * lattice
                x[i] = min(max(nx, frame[0]), frame[2])
                y[i] = min(max(ny, frame[1]), frame[3])
            if j >= 0:
                shift(i, x, y, state, boxes, bits, boxed, sides, grid)
                shift(j, x, y, state, boxes, bits, boxed, sides, grid)
            else:
                # The grid follows only where the move is taken: a body never meets itself.
                put(i, x, y, state, boxes, bits, boxed, sides)
            delta = (
                _standing(
                    i,
                    j,
                    state,
                    boxed,
                    sides,
                    grid,
                    standing,
                    mouth,
                    barred,
                    table_of,
                    cell,
                    frame,
                    at_edge,
                    dear,
                )
                - before
            )
            delta += _shyness(i, boxed, shy_start, shy_other, shy_price, shy_reach)
            if j >= 0:
                delta += _standing(
                    j,
                    -1,
                    state,
                    boxed,
                    sides,
                    grid,
                    standing,
                    mouth,
                    barred,
                    table_of,
                    cell,
                    frame,
                    at_edge,
                    dear,
                )
                delta += _shyness(j, boxed, shy_start, shy_other, shy_price, shy_reach)
            count = 0
            for which in range(2 if j >= 0 else 1):
                body = i if which == 0 else j
                for n in range(body_start[body], body_start[body + 1]):
                    k = body_nets[n]
                    if stamp[k] == tick:
                        continue
                    stamp[k] = tick
                    fresh[k] = weight[k] * _span(
                        k, x, y, state, net_start, net_pins, pin_body, pin_dx, pin_dy
                    )
                    delta += fresh[k] - now[k]
                    touched[count] = k
                    count += 1
            if level == 0:
                hot += abs(delta)
            if level == 0 or delta <= 0 or np.random.random() < math.exp(-delta / temperature):
                taken += 1
                worth += delta
                if j < 0:
                    px, py, pt = x[i], y[i], state[i]
                    x[i], y[i], state[i] = ox, oy, ot
                    put(i, x, y, state, boxes, bits, boxed, sides)
                    x[i], y[i], state[i] = px, py, pt
                    shift(i, x, y, state, boxes, bits, boxed, sides, grid)
                for n in range(count):
                    now[touched[n]] = fresh[touched[n]]
            else:
                x[i], y[i], state[i] = ox, oy, ot
                if j < 0:
                    put(i, x, y, state, boxes, bits, boxed, sides)
                else:
                    shift(i, x, y, state, boxes, bits, boxed, sides, grid)
                    x[j], y[j], state[j] = px, py, pt
                    shift(j, x, y, state, boxes, bits, boxed, sides, grid)
        if level == 0:
            temperature = max(0.1, hot / per_level)
            cooling = (0.01 / temperature) ** (1.0 / LEVELS)
        else:
            temperature *= cooling
            span = min(reach, max(least, span * (0.56 + taken / per_level)))
        if strict and worth < best - 1e-9:
            best = worth
            bx[:], by[:], bs[:] = x, y, state
    if strict:
        x[:], y[:], state[:] = bx, by, bs
