"""Compiled map of blocks: what it costs to cross each; looking back over it from a goal is in ``goal_distances``.

A *block* is ``BLOCK`` x ``BLOCK`` cells of one layer, numbered row by row and layer by layer. Arguments that always go
together come as tuples:

- ``grid``: layers, cells a row, cells a layer, blocks a row, rows of blocks;
- ``held``: holders of the track classes of full width and of the neck (nodes x 2), and of the via class (cells x 2);
- ``who``: the net's number, ``neck_zone`` over cells and the number that marks the net's there, what a place costs by
  how many hold it, and whether those that others hold are barred instead;
- ``queue``: see ``buckets``.
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numpy as np
from numba import njit

from vane_step.core.route.buckets import BARE, DIAGONAL, HISTORY, U, factor_of
from vane_step.core.route.kernel import OPTIONS

# Cells along a block, and the binary logarithm of it.
BLOCK, SHIFT = 8, 3
# What a barred place costs, times a free one: dear, but there may be a way round that the block does not show.
BARRED = 3.0
UNKNOWN = np.float32(1e9)


@njit(**BARE)
def price_of(k, costs, kept, own, price, grid, held, who, bars, fought, numbers):
    """Copy what a block costs to cross, worked out anew where that is out of date."""
    _, _, _, bw, bh = grid
    cost, stamp, touched, since, clock = kept
    own_blocks, own_tag, own_cost, own_stamp = own
    if own_blocks[U(k % (bw * bh))] == own_tag:
        if own_stamp[U(k)] != own_tag:
            own_stamp[U(k)] = own_tag
            _cross(k, own_cost, price, grid, held, who, bars, fought, numbers, True)
        for i in range(3):
            costs[U(3 * k + i)] = own_cost[U(3 * k + i)]
        return
    if stamp[U(k)] < touched[U(k)] or stamp[U(k)] < since:
        stamp[U(k)] = clock
        _cross(k, cost, price, grid, held, who, bars, fought, numbers, False)
    for i in range(3):
        costs[U(3 * k + i)] = cost[U(3 * k + i)]


@njit(**BARE)
def _cross(block, cost, price, grid, held, who, bars, fought, numbers, own):
    """Work out what it costs to go through a block from west to east, from south to north, and to another layer."""
    layers, w, plane, bw, bh = grid
    full, necks, holed = held
    net, neck_zone, neck_tag, pressure, hard = who
    layer = block // (bw * bh)
    by = (block - layer * bw * bh) // bw
    bx = block - (layer * bh + by) * bw
    x0, y0 = bx * BLOCK, by * BLOCK
    columns, rows = min(BLOCK, w - x0), min(BLOCK, plane // w - y0)
    barred, one, none = np.float32(BARRED), np.float32(1.0), np.float32(0.0)
    rise = barred if hard else np.float32(pressure)
    if columns < BLOCK or rows < BLOCK:
        for i in range(BLOCK * BLOCK):
            price[U(i)] = barred
    for j in range(rows):
        cell = (y0 + j) * w + x0
        node = layer * plane + cell
        for i in range(columns):
            f = one + rise * np.float32(full[U(2 * (node + i) + 1)])
            price[U(BLOCK * j + i)] = f if full[U(2 * (node + i))] == 0 else barred
        if own:
            for i in range(columns):
                f2, _ = factor_of(full, necks, net, node + i, neck_zone, cell + i, neck_tag, pressure, hard)
                price[U(BLOCK * j + i)] = barred if f2 < 0 else np.float32(f2)
        if fought[U(block)] != 0:
            for i in range(columns):
                price[U(BLOCK * j + i)] *= one + numbers[U(4 * (node + i) + HISTORY)]
    total = none
    for i in range(BLOCK * BLOCK):
        total += price[U(i)]
    if total == BLOCK * BLOCK:
        cost[U(3 * block)], cost[U(3 * block + 1)] = BLOCK, BLOCK
    else:
        cost[U(3 * block)] = _through(price, 1, BLOCK)
        cost[U(3 * block + 1)] = _through(price, BLOCK, 1)
    nowhere = np.int64(1 << 30)
    fewest = nowhere
    if layers > 1:
        # Every other row will do: where one via has room, the next place mostly has too.
        for j in range(block & 1, rows, 2):
            cell = (y0 + j) * w + x0
            for i in range(columns):
                n = np.int64(holed[U(2 * (cell + i) + 1)])
                fewest = min(
                    fewest, n if (bars[U(cell + i)] == 0) & (holed[U(2 * (cell + i))] == 0) else nowhere
                )
    cost[U(3 * block + 2)] = (
        UNKNOWN if fewest == nowhere or (hard and fewest > 0) else np.float32(1.0 + pressure * fewest)
    )


@njit(**BARE)
def _through(price, along, across):
    """Give the cost of the cheapest way through a block that never turns back; written out, to run in registers."""
    diagonal = np.float32(DIAGONAL)
    a = b = c = d = e = f = g = h = np.float32(0.0)
    for s in range(BLOCK):
        k = along * s
        p = price[U(k)]
        na = min(a + p, b + diagonal * p)
        p = price[U(k + across)]
        nb = min(b + p, min(a, c) + diagonal * p)
        p = price[U(k + 2 * across)]
        nc = min(c + p, min(b, d) + diagonal * p)
        p = price[U(k + 3 * across)]
        nd = min(d + p, min(c, e) + diagonal * p)
        p = price[U(k + 4 * across)]
        ne = min(e + p, min(d, f) + diagonal * p)
        p = price[U(k + 5 * across)]
        nf = min(f + p, min(e, g) + diagonal * p)
        p = price[U(k + 6 * across)]
        ng = min(g + p, min(f, h) + diagonal * p)
        p = price[U(k + 7 * across)]
        h = min(h + p, g + diagonal * p)
        a, b, c, d, e, f, g = na, nb, nc, nd, ne, nf, ng
    return min(min(min(a, b), min(c, d)), min(min(e, f), min(g, h)))


@njit(**OPTIONS)
def mark_own(own, tag, windows, grow, bw, bh):
    """Set ``own`` to ``tag`` at the blocks within ``grow`` steps of some windows."""
    for n in range(len(windows)):
        for by in range(
            max(0, windows[n, 2] - grow) // BLOCK, min(bh - 1, (windows[n, 3] + grow) // BLOCK) + 1
        ):
            for bx in range(
                max(0, windows[n, 0] - grow) // BLOCK, min(bw - 1, (windows[n, 1] + grow) // BLOCK) + 1
            ):
                own[by * bw + bx] = tag


@njit(**OPTIONS)
def near_path(nodes, how, reach, grid):
    """List the blocks within ``reach`` steps of a path, each once for every run of nodes that come near it."""
    layers, w, plane, bw, bh = grid
    found = np.empty(64, dtype=np.int32)
    count = 0
    last = np.full((layers, 4), -1)
    for n in range(len(nodes)):
        layer = nodes[n] // plane
        cell = nodes[n] - layer * plane
        y = cell // w
        x = cell - y * w
        hole = how[n] & 6 or (n + 1 < len(nodes) and how[n + 1] & 6)
        x0, x1 = max(0, x - reach) // BLOCK, min(bw - 1, (x + reach) // BLOCK)
        y0, y1 = max(0, y - reach) // BLOCK, min(bh - 1, (y + reach) // BLOCK)
        for to in range(layers):
            if to != layer and not hole:
                continue
            box = last[to]
            if box[0] == x0 and box[1] == x1 and box[2] == y0 and box[3] == y1:
                continue
            box[0], box[1], box[2], box[3] = x0, x1, y0, y1
            for by in range(y0, y1 + 1):
                for bx in range(x0, x1 + 1):
                    if count == len(found):
                        longer = np.empty(2 * count, dtype=np.int32)
                        longer[:count] = found
                        found = longer
                    found[count] = (to * bh + by) * bw + bx
                    count += 1
    return found[:count].copy()


@njit(**OPTIONS)
def remember(numbers, nodes, step, fought, grid):
    """Raise the history of some nodes by ``step``, and of those up to two beside them by a third of it."""
    layers, w, plane, bw, bh = grid
    for node in nodes:
        numbers[4 * node + HISTORY] += step
        for beside in (
            node + 1,
            node - 1,
            node + w,
            node - w,
            node + 2,
            node - 2,
            node + 2 * w,
            node - 2 * w,
        ):
            if beside < 0 or beside >= layers * plane:
                continue
            numbers[4 * beside + HISTORY] += step / 3
            layer = beside // plane
            cell = beside - layer * plane
            fought[(layer * bh + cell // w // BLOCK) * bw + cell % w // BLOCK] = 1
