"""Compiled inner loops of the router: painting shapes on a grid and searching it; what they mean is in ``grid``.

Arrays: a *cell* is ``y * w + x``, a *node* ``layer * w * h + cell``. Lengths are in grid steps in the search and
in millimetres in the painting. Owner maps hold 0 (free), a net's number (only that net may pass) or -1 (nobody).

Search: A* (Hart, Nilsson, Raphael 1968) on the octilinear grid with the negotiated node costs of McMurchie and
Ebeling (1995): step * (1 + history) * (1 + pressure * present).
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit

OPTIONS: dict[str, Any] = {"cache": True, "nogil": True, "fastmath": False}
# Helpers of the search are copied into it: each call would count references to every array it is given.
INSIDE: dict[str, Any] = {**OPTIONS, "inline": "always"}
# Steps since the last hole are counted up to here.
FAR = 31


@njit(**OPTIONS)
def segment_distance(px, py, ax, ay, bx, by):
    """Give the distance of a point from a segment."""
    dx, dy = bx - ax, by - ay
    length = dx * dx + dy * dy
    t = 0.0
    if length > 0:
        t = ((px - ax) * dx + (py - ay) * dy) / length
        t = min(1.0, max(0.0, t))
    ex, ey = px - (ax + t * dx), py - (ay + t * dy)
    return math.sqrt(ex * ex + ey * ey)


@njit(**OPTIONS)
def shape_distance(px, py, s):
    """Give the distance of a point from a shape row ``[n, x1, y1, ... x4, y4]``: segment (2) or quad (4)."""
    n = int(s[0])
    if n == 2:
        return segment_distance(px, py, s[1], s[2], s[3], s[4])
    best = 1e30
    inside = True
    sign = 0.0
    for i in range(4):
        ax, ay = s[1 + 2 * i], s[2 + 2 * i]
        j = (i + 1) % 4
        bx, by = s[1 + 2 * j], s[2 + 2 * j]
        cross = (bx - ax) * (py - ay) - (by - ay) * (px - ax)
        if sign == 0.0:
            sign = cross
        elif cross * sign < 0:
            inside = False
        best = min(best, segment_distance(px, py, ax, ay, bx, by))
    return 0.0 if inside else best


@njit(**OPTIONS)
def shape_box(s, reach, x0, y0, pitch, w, h):
    """Give the grid window that holds a shape grown by ``reach``: first and last column, first and last row."""
    n = int(s[0])
    lx = hx = s[1]
    ly = hy = s[2]
    for i in range(1, n):
        lx, hx = min(lx, s[1 + 2 * i]), max(hx, s[1 + 2 * i])
        ly, hy = min(ly, s[2 + 2 * i]), max(hy, s[2 + 2 * i])
    i0 = max(0, math.ceil((lx - reach - x0) / pitch - 1e-9))
    i1 = min(w - 1, math.floor((hx + reach - x0) / pitch + 1e-9))
    j0 = max(0, math.ceil((ly - reach - y0) / pitch - 1e-9))
    j1 = min(h - 1, math.floor((hy + reach - y0) / pitch + 1e-9))
    return i0, i1, j0, j1


@njit(**OPTIONS)
def paint_owner(owner, shapes, reach, nets, x0, y0, pitch, w, h):
    """Mark cells nearer than ``reach[i]`` to ``shapes[i]`` as owned by ``nets[i]``, or nobody when two claim them."""
    for k in range(len(shapes)):
        s = shapes[k]
        i0, i1, j0, j1 = shape_box(s, reach[k], x0, y0, pitch, w, h)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                cell = j * w + i
                now = owner[cell]
                if now == -1 or now == nets[k]:
                    continue
                if shape_distance(x0 + i * pitch, y0 + j * pitch, s) < reach[k]:
                    owner[cell] = nets[k] if now == 0 else -1


@njit(**OPTIONS)
def cells_within(s, reach, x0, y0, pitch, w, h):
    """List the cells at most ``reach`` from a shape."""
    i0, i1, j0, j1 = shape_box(s, reach, x0, y0, pitch, w, h)
    found = np.empty(max(0, (i1 - i0 + 1) * (j1 - j0 + 1)), dtype=np.int64)
    n = 0
    for j in range(j0, j1 + 1):
        for i in range(i0, i1 + 1):
            if shape_distance(x0 + i * pitch, y0 + j * pitch, s) <= reach:
                found[n] = j * w + i
                n += 1
    return found[:n]


@njit(**OPTIONS)
def fill_rows(inside, xs, ys, x0, y0, pitch, w, h):
    """Set ``inside`` to 1 for cells inside a ring of points (even-odd rule, row by row)."""
    n = len(xs) - 1
    cross = np.empty(n, dtype=np.float64)
    for j in range(h):
        y = y0 + j * pitch
        m = 0
        for k in range(n):
            a, b = ys[k], ys[k + 1]
            if (a <= y) != (b <= y):
                cross[m] = xs[k] + (y - a) / (b - a) * (xs[k + 1] - xs[k])
                m += 1
        line = np.sort(cross[:m])
        for k in range(0, m - 1, 2):
            i0 = max(0, math.ceil((line[k] - x0) / pitch))
            i1 = min(w - 1, math.floor((line[k + 1] - x0) / pitch))
            for i in range(i0, i1 + 1):
                inside[j * w + i] = 1


@njit(**OPTIONS)
def stamp(counts, mark, tag, pieces, reach, delta, w, h):
    """Add ``delta`` once to every cell within ``reach[i]`` grid steps of piece ``i`` (rows of x1, y1, x2, y2).

    ``mark`` and ``tag`` make a cell count once for a whole net, however many pieces cover it.
    """
    for k in range(len(pieces)):
        ax, ay, bx, by = pieces[k, 0], pieces[k, 1], pieces[k, 2], pieces[k, 3]
        r = reach[k]
        steps = max(1, int(max(abs(bx - ax), abs(by - ay)) / 12))
        for part in range(steps):
            cx, cy = ax + (bx - ax) * part / steps, ay + (by - ay) * part / steps
            dx, dy = ax + (bx - ax) * (part + 1) / steps, ay + (by - ay) * (part + 1) / steps
            i0, i1 = max(0, math.ceil(min(cx, dx) - r)), min(w - 1, math.floor(max(cx, dx) + r))
            j0, j1 = max(0, math.ceil(min(cy, dy) - r)), min(h - 1, math.floor(max(cy, dy) + r))
            for j in range(j0, j1 + 1):
                for i in range(i0, i1 + 1):
                    cell = j * w + i
                    if mark[cell] != tag and segment_distance(i, j, cx, cy, dx, dy) < r - 1e-9:
                        mark[cell] = tag
                        counts[cell] += delta


@njit(**INSIDE)
def _push(heap, size, key, item):
    """Add an item to the heap: key in 1/256 of a step above the item's number, so that equal keys go by number."""
    entry = (np.int64(key * 256.0) << 32) | item
    i = size
    while i > 0:
        p = (i - 1) >> 1
        if heap[p] <= entry:
            break
        heap[i] = heap[p]
        i = p
    heap[i] = entry
    return size + 1


@njit(**INSIDE)
def _pop(heap, size):
    """Take the first entry off the heap; gives the heap's new size."""
    size -= 1
    entry = heap[size]
    i = 0
    while True:
        c = 2 * i + 1
        if c >= size:
            break
        if c + 1 < size and heap[c + 1] < heap[c]:
            c += 1
        if entry <= heap[c]:
            break
        heap[i] = heap[c]
        i = c
    heap[i] = entry
    return size


@njit(**INSIDE)
def _present(fixed_full, fixed_neck, occ_full, occ_neck, net, node, neck_zone, cell, neck_tag, pressure, hard):
    """Give the factor a node costs a net, and whether it has to be passed as a neck; -1 when it is barred."""
    best = -1.0
    neck = 0
    owner = fixed_full[node]
    if owner == 0 or owner == net:
        n = occ_full[node]
        if n == 0:
            return 1.0, 0
        if not hard:
            best = 1.0 + pressure * n
    if neck_zone[cell] == neck_tag:
        owner = fixed_neck[node]
        if owner == 0 or owner == net:
            n = occ_neck[node]
            if n == 0 or not hard:
                cost = (1.0 + pressure * n) * 1.2
                if best < 0 or cost < best:
                    best, neck = cost, 1
    return best, neck


@njit(**INSIDE)
def _offer(
    other, x, y, layer, total, mark, node, box, goal_layers, via_cost, weight, cost, seen, seen_tag, parent, how,
    heap, size,
):  # fmt: skip
    """Put a node on the heap when this way to it is the cheapest so far; gives the new size of the heap.

    The estimate is the octile distance to the window of the goal, and a via when the goal is on other layers.
    """
    if seen[other] == seen_tag and total >= cost[other]:
        return size
    seen[other] = seen_tag
    cost[other] = total
    parent[other] = node
    how[other] = mark
    dx, dy = max(box[0] - x, 0, x - box[1]), max(box[2] - y, 0, y - box[3])
    far = max(dx, dy) + 0.41421356 * min(dx, dy)
    if not (goal_layers >> layer) & 1:
        far += via_cost
    return _push(heap, size, total + far * weight, other)


@njit(**OPTIONS)
def search(
    fixed_full, fixed_neck, occ_full, occ_neck, fixed_via, occ_via, via_barred, history, neck_zone, neck_tag,
    wire_barred, occ_wire, net, layers, w, h, sources, goal, goal_tag, box, goal_layers, via_cost, pressure,
    hard, weight, jump, hole_steps, cost, seen, seen_tag, parent, how, heap,
):  # fmt: skip
    """Find the cheapest way from any source node to any goal node.

    Parameters
    ----------
    fixed_*, occ_* : int16 arrays over nodes (via: over cells)
        Owner maps and counts of other nets for the net's full width, its neck and its vias.
    sources : int64 array
        Nodes of the net's tree, entered at cost 0.
    goal : int32 array over nodes
        Goal nodes hold ``goal_tag``; ``box`` is their window (x0, x1, y0, y1), ``goal_layers`` a bit set.
    hard : bool
        Bar nodes that other nets hold, instead of pricing them.
    jump : int64 array
        Lattice, least and greatest length of wire jumpers and their price in steps; lattice 0 for none.
    hole_steps : int
        Steps that must lie between two holes of one path.
    cost, seen, parent, how, heap
        Scratch arrays, reused between calls through ``seen_tag``.

    Returns
    -------
    tuple of int
        Goal node, or -1; and the number of nodes expanded. ``parent`` leads back to a source (-1); ``how`` holds
        1 for a neck, 2 for a via, 4 for a jumper on the step that reached a node, the direction (1 to 8) in the four
        bits above, and then the steps since the last hole, at most :data:`FAR`.
    """
    plane = w * h
    size = 0
    limit = len(heap) - 24
    for source in sources:
        cell = source % plane
        x, y = cell % w, cell // w
        factor, neck = _present(
            fixed_full, fixed_neck, occ_full, occ_neck, net, source, neck_zone, cell, neck_tag, pressure, False
        )
        # Inside its own pad a track may always be as thin as its neck.
        mark = (1 if factor < 0 else neck) | (FAR << 7)
        size = _offer(
            source, x, y, source // plane, 0.0, mark, -1, box, goal_layers, via_cost, weight, cost, seen, seen_tag,
            parent, how, heap, size,
        )  # fmt: skip
    expanded = 0
    while size > 0 and size < limit:
        node = heap[0] & 0xFFFFFFFF
        size = _pop(heap, size)
        if cost[node] < 0:
            continue
        layer = node // plane
        cell = node - layer * plane
        y = cell // w
        x = cell - y * w
        here = cost[node]
        if goal[node] == goal_tag:
            return node, expanded
        expanded += 1
        came = ((how[node] >> 3) & 15) - 1
        since = how[node] >> 7
        cost[node] = -1.0 - here
        for d in range(8):
            turn = 0.0
            if came >= 0:
                bend = abs(d - came)
                bend = min(bend, 8 - bend)
                if bend > 2:
                    continue
                turn = 0.0 if bend == 0 else (0.15 if bend == 1 else 0.6)
            nx = x + (1 if d in (0, 1, 7) else (-1 if d in (3, 4, 5) else 0))
            ny = y + (1 if d in (1, 2, 3) else (-1 if d in (5, 6, 7) else 0))
            if nx < 0 or ny < 0 or nx >= w or ny >= h:
                continue
            other = layer * plane + ny * w + nx
            known = seen[other] == seen_tag
            if known and cost[other] < 0:
                continue
            factor, neck = _present(
                fixed_full, fixed_neck, occ_full, occ_neck, net, other, neck_zone, ny * w + nx, neck_tag, pressure, hard
            )  # fmt: skip
            if factor < 0:
                continue
            step = 1.0 if d % 2 == 0 else 1.41421356
            total = here + step * (1.0 + history[other]) * factor + turn
            size = _offer(
                other, nx, ny, layer, total, neck | ((d + 1) << 3) | (min(since + 1, FAR) << 7), node, box,
                goal_layers, via_cost, weight, cost, seen, seen_tag, parent, how, heap, size,
            )  # fmt: skip
        if layers > 1 and via_barred[cell] == 0:
            owner = fixed_via[cell]
            n = occ_via[cell]
            free = (owner == 0 or owner == net) and not (hard and n > 0)
            if free and since >= hole_steps:
                for to in range(layers):
                    if to == layer:
                        continue
                    other = to * plane + cell
                    known = seen[other] == seen_tag
                    if known and cost[other] < 0:
                        continue
                    factor, neck = _present(
                        fixed_full, fixed_neck, occ_full, occ_neck, net, other, neck_zone, cell, neck_tag, pressure,
                        hard,
                    )  # fmt: skip
                    if factor < 0:
                        continue
                    total = here + via_cost * (1.0 + 0.25 * (history[node] + history[other])) * (1.0 + pressure * n)
                    size = _offer(
                        other, x, y, to, total, neck | 2, node, box, goal_layers, via_cost, weight, cost, seen,
                        seen_tag, parent, how, heap, size,
                    )  # fmt: skip
        lattice = jump[0]
        if lattice > 0 and x % lattice == 0 and y % lattice == 0 and via_barred[cell] == 0:
            owner = fixed_via[cell]
            n0 = occ_via[cell]
            free = (owner == 0 or owner == net) and not (hard and n0 > 0)
            if free and since >= hole_steps:
                for d in range(4):
                    sx = 1 if d == 0 else (-1 if d == 1 else 0)
                    sy = 1 if d == 2 else (-1 if d == 3 else 0)
                    crossed = 0
                    for k in range(1, jump[2] + 1):
                        nx, ny = x + sx * k, y + sy * k
                        if nx < 0 or ny < 0 or nx >= w or ny >= h:
                            break
                        other = ny * w + nx
                        if wire_barred[other] != 0:
                            break
                        if occ_wire[other] > 0:
                            if hard:
                                break
                            crossed += 1
                        if k < jump[1] or (k - jump[1]) % lattice != 0 or via_barred[other] != 0:
                            continue
                        owner = fixed_via[other]
                        n = occ_via[other]
                        if not (owner == 0 or owner == net) or (hard and n > 0):
                            continue
                        known = seen[other] == seen_tag
                        if known and cost[other] < 0:
                            continue
                        factor, neck = _present(
                            fixed_full, fixed_neck, occ_full, occ_neck, net, other, neck_zone, other, neck_tag,
                            pressure, hard,
                        )  # fmt: skip
                        if factor < 0:
                            continue
                        total = here + (jump[3] + 0.5 * k) * (1.0 + pressure * (n + n0) + 0.2 * pressure * crossed)
                        size = _offer(
                            other, nx, ny, 0, total, neck | 4, node, box, goal_layers, via_cost, weight, cost, seen,
                            seen_tag, parent, how, heap, size,
                        )  # fmt: skip
    return -1, expanded
