"""The compiled look back from a goal: what it costs to get there, exactly near it, block by block farther off.

Arguments that always go together come as tuples, see ``blocks``.
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numpy as np
from numba import njit

from vane_step.core.route.blocks import BLOCK, SHIFT, UNKNOWN, price_of
from vane_step.core.route.buckets import (
    BARE,
    BUCKETS,
    COST,
    DIAGONAL,
    FINE,
    HISTORY,
    INSIDE,
    STEP_X,
    STEP_Y,
    TAG,
    U,
    factor_of,
    put,
    take,
)

MIDDLE = 0.5 * (BLOCK - 1)
# How much dearer than the nearest source blocks may be that are still looked at, in steps.
MARGIN = 60
# What is known of a block in one search: its costs are at hand, it is settled, a source lies in it.
PRICED, SETTLED, SOURCE = 1, 2, 4


@njit(**INSIDE)
def octile(x, y, box):
    """Give the octile distance of a place from a window of places."""
    dx = max(box[0] - x, 0, x - box[1])
    dy = max(box[2] - y, 0, y - box[3])
    return max(dx, dy) + 0.41421356 * min(dx, dy)


@njit(**INSIDE)
def ahead_of(x, y, layer, node, ahead, bw, bh):
    """Heuristic what it costs to get to the goal: as settled, or between the middles of the four blocks round a place.

    Where nothing is known it is at least what is left from the best of the blocks not settled.
    """
    back, left, back_tag, near, blocks, rest, start = ahead
    # Only near the goal is it worth the memory to ask whether a place was settled.
    if (
        x >= near[0]
        and x <= near[1]
        and y >= near[2]
        and y <= near[3]
        and back[U(2 * node + TAG)] == back_tag
    ):
        return left[U(2 * node + COST)]
    u = max(0.0, (x - MIDDLE) / BLOCK)
    v = max(0.0, (y - MIDDLE) / BLOCK)
    i, j = min(int(u), bw - 2), min(int(v), bh - 2)
    u, v = min(1.0, u - i), min(1.0, v - j)
    k = (layer * bh + j) * bw + i
    low = blocks[U(k)] * (1.0 - u) + blocks[U(k + 1)] * u
    high = blocks[U(k + bw)] * (1.0 - u) + blocks[U(k + bw + 1)] * u
    return min(low * (1.0 - v) + high * v, max(0.0, rest - octile(x, y, start)))


@njit(**BARE)
def look_back(
    back,
    left,
    grid,
    held,
    who,
    via_barred,
    numbers,
    goals,
    via_cost,
    within,
    limit,
    tag,
    far,
    near,
    ahead,
    seeds,
    queue,
):
    """Search back from a goal, place by place, for a while.

    The perimeter of Dillenburg and Nelson (1994): a goal shut in by tracks that are dear to cross would otherwise make
    the search flood all that is cheaper to reach. Corners and the distance of holes are left out, so that nothing is
    overestimated.

    Parameters
    ----------
    back, left : int32 and float32 views of one array, nodes x 2
        Tag and cost from here to the goal; places settled hold twice ``tag`` plus one.
    goals : int64 array
        Nodes to be reached.
    limit : int
        Places to settle.
    far : float
        Places that cost more are of no use: a wire leaps in from elsewhere for less, or the whole way may not cost it.
    near : int64 array
        Filled in: window of the places settled.
    ahead, seeds : float32 and int64 array
        Blocks with places settled are set to 0 and listed; the first entry of ``seeds`` counts them.
    others
        As in :func:`search`.

    Returns
    -------
    float
        What it costs at least from elsewhere, in steps; -1 when the goal is shut in for good, and only settled
        places reach it.
    """
    layers, w, plane, bw, bh = grid
    full, necks, holed = held
    net, neck_zone, neck_tag, pressure, hard = who
    head, after, item, spare = queue
    open_tag, closed_tag = 2 * tag, 2 * tag + 1
    spare[0], spare[1], spare[2] = -1, 0, 0
    room = len(item) - 64
    for goal in goals:
        if back[U(2 * goal + TAG)] != open_tag:
            back[U(2 * goal + TAG)] = open_tag
            left[U(2 * goal + COST)] = 0.0
            put(goal, 0.0, 0, head, after, item, spare)
    near[0], near[1], near[2], near[3] = w, 0, plane // w, 0
    seeds[0] = 0
    now = np.int64(0)
    settled = 0
    while spare[2] > 0 and spare[1] < room and settled < limit and now <= far * FINE:
        found, now = take(now, head, after, item, spare)
        node = np.int64(found)
        if back[U(2 * node + TAG)] != open_tag:
            continue
        back[U(2 * node + TAG)] = closed_tag
        settled += 1
        layer = node // plane
        cell = node - layer * plane
        y = cell // w
        x = cell - y * w
        near[0], near[1], near[2], near[3] = (
            min(near[0], x),
            max(near[1], x),
            min(near[2], y),
            max(near[3], y),
        )
        k = (layer * bh + (y >> SHIFT)) * bw + (x >> SHIFT)
        if ahead[U(k)] != 0.0:
            ahead[U(k)] = 0.0
            seeds[0] += 1
            seeds[U(seeds[0])] = k
        factor, _ = factor_of(full, necks, net, node, neck_zone, cell, neck_tag, pressure, hard)
        if factor < 0 or x < within[0] or y < within[2] or x > within[1] or y > within[3]:
            continue
        here = left[U(2 * node + COST)]
        factor *= 1.0 + numbers[U(4 * node + HISTORY)]
        for d in range(8):
            other = node + STEP_X[U(d)] + STEP_Y[U(d)] * w
            seen = back[U(2 * other + TAG)]
            total = here + (DIAGONAL if d & 1 else 1.0) * factor
            if seen == closed_tag or (seen == open_tag and total >= left[U(2 * other + COST)]):
                continue
            back[U(2 * other + TAG)] = open_tag
            left[U(2 * other + COST)] = total
            put(other, total, now, head, after, item, spare)
        if layers == 1 or via_barred[U(cell)] != 0:
            continue
        owner = holed[U(2 * cell)]
        crowd = holed[U(2 * cell + 1)]
        if not (owner == 0 or owner == net) or (hard and crowd > 0):
            continue
        for to in range(layers):
            other = to * plane + cell
            seen = back[U(2 * other + TAG)]
            past = numbers[U(4 * node + HISTORY)] + numbers[U(4 * other + HISTORY)]
            total = here + via_cost * (1.0 + 0.25 * past) * (1.0 + pressure * crowd)
            if seen == closed_tag or (seen == open_tag and total >= left[U(2 * other + COST)]):
                continue
            back[U(2 * other + TAG)] = open_tag
            left[U(2 * other + COST)] = total
            put(other, total, now, head, after, item, spare)
    more = spare[2] > 0
    for k in range(BUCKETS):
        head[k] = -1
    return now / FINE if more else -1.0


@njit(**BARE)
def goal_distances(
    grid,
    held,
    who,
    bars,
    fought,
    numbers,
    sources,
    start,
    via_cost,
    within,
    most,
    rim,
    ahead,
    seeds,
    known,
    costs,
    kept,
    own,
    price,
    queue,
):
    """Search back on block by block, from what :func:`look_back` settled to the nearest source and somewhat farther.

    Parameters
    ----------
    bars : int8 array over cells
        Where no via may be for good.
    fought : uint8 array over blocks
        Whether places of a block have a history.
    sources, start : int64 arrays
        Nodes of the net's tree, and its window.
    most : float
        What the whole way may cost, in steps.
    rim : float
        What it costs at least from outside the places settled.
    ahead : float32 array over blocks
        Filled in: what it costs from the middle of a block, ``UNKNOWN`` where that was not looked at.
    known : uint8 array over blocks
        All 0.
    costs : float32 array, blocks x 3
        Scratch.
    kept : tuple
        What is known of blocks, as nets see it that have nothing there: costs, the time each was worked out, the time
        each was last touched, the time from which on costs are right, the time now.
    own : tuple
        The same for blocks where the net may pass as a neck: which those are (blocks of one layer), the number that
        marks them, costs, and that number where they are worked out.
    price : float32 array, 64
        Scratch.

    Returns
    -------
    float
        What a way through blocks not settled costs at least, from source to goal, in steps.
    """
    layers, w, plane, bw, bh = grid
    head, after, item, spare = queue
    x_first, x_last = max(0, within[0] // BLOCK - 1), min(bw - 1, within[1] // BLOCK + 1)
    y_first, y_last = max(0, within[2] // BLOCK - 1), min(bh - 1, within[3] // BLOCK + 1)
    spare[0], spare[1], spare[2] = -1, 0, 0
    room = len(item) - 64
    first = np.int64(1) << 60
    for n in range(2 * seeds[0]):
        k = seeds[U(1 + n % seeds[0])]
        guess = rim + octile(k % bw * BLOCK + MIDDLE, k // bw % bh * BLOCK + MIDDLE, start)
        if n < seeds[0]:
            ahead[U(k)] = rim
            first = min(first, np.int64(guess * FINE))
        else:
            put(k, guess, first, head, after, item, spare)
    for source in sources:
        layer = source // plane
        cell = source - layer * plane
        known[U((layer * bh + (cell // w >> SHIFT)) * bw + (cell % w >> SHIFT))] = SOURCE
    now = first
    last = np.int64(min(most, UNKNOWN) * FINE)
    while spare[2] > 0 and spare[1] < room:
        found, now = take(now, head, after, item, spare)
        k = np.int64(found)
        if known[U(k)] & SETTLED:
            continue
        if now > last:
            break
        if known[U(k)] & SOURCE:
            last = min(last, now + MARGIN * FINE)
        known[U(k)] |= SETTLED
        if not known[U(k)] & PRICED:
            known[U(k)] |= PRICED
            price_of(k, costs, kept, own, price, grid, held, who, bars, fought, numbers)
        layer = k // (bw * bh)
        by = (k - layer * bw * bh) // bw
        bx = k - (layer * bh + by) * bw
        here = ahead[U(k)]
        east, north = costs[U(3 * k)], costs[U(3 * k + 1)]
        for d in range(8):
            nx, ny = bx + STEP_X[U(d)], by + STEP_Y[U(d)]
            other = k + STEP_X[U(d)] + STEP_Y[U(d)] * bw
            if nx < x_first or nx > x_last or ny < y_first or ny > y_last or known[U(other)] & SETTLED:
                continue
            if not known[U(other)] & PRICED:
                known[U(other)] |= PRICED
                price_of(other, costs, kept, own, price, grid, held, who, bars, fought, numbers)
            # From middle to middle: half of the one and half of the other.
            if d & 1:
                total = here + 0.70710678 * (
                    max(east, north) + max(costs[U(3 * other)], costs[U(3 * other + 1)])
                )
            elif d & 2:
                total = here + 0.5 * (north + costs[U(3 * other + 1)])
            else:
                total = here + 0.5 * (east + costs[U(3 * other)])
            if total < ahead[U(other)]:
                ahead[U(other)] = total
                guess = total + octile(nx * BLOCK + MIDDLE, ny * BLOCK + MIDDLE, start)
                put(other, guess, now, head, after, item, spare)
        if layers > 1 and costs[U(3 * k + 2)] < UNKNOWN:
            total = here + via_cost * costs[U(3 * k + 2)]
            for to in range(layers):
                other = (to * bh + by) * bw + bx
                if not known[U(other)] & SETTLED and total < ahead[U(other)]:
                    ahead[U(other)] = total
                    guess = total + octile(bx * BLOCK + MIDDLE, by * BLOCK + MIDDLE, start)
                    put(other, guess, now, head, after, item, spare)
    for k in range(BUCKETS):
        head[k] = -1
    return now / FINE
