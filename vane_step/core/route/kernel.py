"""Compiled painting of shapes on the routing grid; what they mean is in ``grid``, the search in ``search``.

A *cell* is ``y * w + x``, a *node* ``layer * w * h + cell``. Lengths are in millimetres where fixed shapes are painted,
in grid steps for the tracks of a run. Owner maps hold 0 (free), a net's number (only that net may pass) or -1 (nobody).
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit

OPTIONS: dict[str, Any] = {"cache": True, "nogil": True, "fastmath": False}
# What a corner costs, in steps: 45 degrees, 90 degrees; sharper ones are not made.
TURN_45 = 0.15
TURN_90 = 0.6
NECK_FACTOR = 1.2


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
def _span(j, ax, ay, bx, by, ux, uy, length, r, round_r):
    """Give the first and last column of a row that come near a piece: its two round ends, and the strip between."""
    low, high = 1e30, -1e30
    p, q = j - ay, j - by
    if abs(p) <= round_r:
        c = math.sqrt(round_r * round_r - p * p)
        low, high = min(low, ax - c), max(high, ax + c)
    if abs(q) <= round_r:
        c = math.sqrt(round_r * round_r - q * q)
        low, high = min(low, bx - c), max(high, bx + c)
    if uy != 0.0:
        first, last = ax + (p * ux - r) / uy, ax + (p * ux + r) / uy
        first, last = min(first, last), max(first, last)
        if ux != 0.0:
            near, far = ax - p * uy / ux, ax + (length - p * uy) / ux
            first, last = max(first, min(near, far)), min(last, max(near, far))
        elif p * uy < 0.0 or p * uy > length:
            first, last = 1.0, 0.0
        if first <= last:
            low, high = min(low, first), max(high, last)
    return low, high


@njit(**OPTIONS)
def halos(mark, tag, pieces, layers, reach, hole_reach, sag, w, h):
    """List the cells near the copper of some pieces: layer by layer, and last round all of them together.

    Parameters
    ----------
    mark : int64 array over cells
        Scratch; ``tag`` and as many numbers after it as there are layers are not in use yet.
    pieces : float64 array, n x 6
        Layer (-1 for all), ends of the middle line and half width, in grid steps.
    reach, hole_reach : float64 arrays
        How near to the copper each class minds, ascending: on a layer, and round all pieces together.
    sag : float
        Half the longest step others take past an end: between two nodes as far from it as allowed, their copper
        comes nearer. Past the side of a piece it does not. Holes take no steps, but what minds a hole so near is to be
        minded by it as well: else one of two would give way for ever.

    Returns
    -------
    tuple of int32, uint16 and int64 array
        Every cell once for each layer, how many classes mind, and where each layer ends.
    """
    room = 64.0
    widest = max(reach[-1], hole_reach[-1])
    for k in range(len(pieces)):
        r = widest + pieces[k, 5] + sag + 2.0
        run = max(abs(pieces[k, 3] - pieces[k, 1]), abs(pieces[k, 4] - pieces[k, 2]))
        room += (run + 2.0 * r) * 3.0 * r * (2 if pieces[k, 0] >= 0 else layers + 1)
    found, levels = np.empty(int(room), dtype=np.int32), np.empty(int(room), dtype=np.uint16)
    ends = np.zeros(layers + 1, dtype=np.int64)
    n = 0
    for t in range(layers + 1):
        mine = reach if t < layers else hole_reach
        squares = np.empty(len(mine))
        marked, first = (tag + t) << 16, n
        for k in range(len(pieces)):
            if t < layers and pieces[k, 0] >= 0 and pieces[k, 0] != t:
                continue
            ax, ay, bx, by, half = pieces[k, 1], pieces[k, 2], pieces[k, 3], pieces[k, 4], pieces[k, 5]
            for m in range(len(mine)):
                squares[m] = (mine[m] + half - 1e-9) ** 2
            r = mine[-1] + half
            round_r = math.sqrt(r * r + sag * sag)
            length = math.sqrt((bx - ax) ** 2 + (by - ay) ** 2)
            ux, uy = ((bx - ax) / length, (by - ay) / length) if length > 0 else (0.0, 0.0)
            for j in range(
                max(0, math.ceil(min(ay, by) - round_r)), min(h - 1, math.floor(max(ay, by) + round_r)) + 1
            ):
                low, high = _span(j, ax, ay, bx, by, ux, uy, length, r, round_r)
                for i in range(max(0, math.ceil(low)), min(w - 1, math.floor(high)) + 1):
                    x, y = i - ax, j - ay
                    along = x * ux + y * uy
                    if along > 1e-9 and along < length - 1e-9:
                        square = (x * uy - y * ux) ** 2
                    elif along <= 1e-9:
                        square = x * x + y * y - sag * sag
                    else:
                        square = (i - bx) ** 2 + (j - by) ** 2 - sag * sag
                    level = 0
                    for m in range(len(mine) - 1, -1, -1):
                        if square >= squares[m]:
                            break
                        level += 1
                    if level == 0:
                        continue
                    cell = j * w + i
                    if mark[cell] < marked:
                        found[n] = cell
                        n += 1
                        mark[cell] = marked + level
                    elif mark[cell] < marked + level:
                        mark[cell] = marked + level
        for k in range(first, n):
            levels[k] = mark[found[k]] & 0xFFFF
        ends[t] = n
    return found[:n].copy(), levels[:n].copy(), ends


@njit(**OPTIONS)
def merge(mark, tag, cells, levels, ends):
    """Join halos, one after the other in ``cells`` and ``levels``; where a cell stands in several, the most counts.

    Parameters
    ----------
    mark : int64 array over cells
        Scratch; ``tag`` and as many numbers after it as ``ends`` has columns are not in use yet.
    ends : int64 array, halos x parts
        Where each part of a halo ends, counted from its beginning.

    Returns
    -------
    tuple of int32, uint16 and int64 array
        Every cell once for each part, how many classes mind, and where each part ends.
    """
    found, most = np.empty(len(cells), dtype=np.int32), np.empty(len(cells), dtype=np.uint16)
    parts = ends.shape[1]
    upto = np.empty(parts, dtype=np.int64)
    n = 0
    for t in range(parts):
        marked, first = (tag + t) << 16, n
        base = 0
        for k in range(len(ends)):
            for i in range(base + (ends[k, t - 1] if t > 0 else 0), base + ends[k, t]):
                cell = cells[i]
                if mark[cell] < marked:
                    found[n] = cell
                    n += 1
                    mark[cell] = marked + levels[i]
                elif mark[cell] < marked + levels[i]:
                    mark[cell] = marked + levels[i]
            base += ends[k, parts - 1]
        for k in range(first, n):
            most[k] = mark[found[k]] & 0xFFFF
        upto[t] = n
    return found[:n].copy(), most[:n].copy(), upto


@njit(**OPTIONS)
def enter(held, holed, wired, cells, levels, ends, needed, hole_needed, plane, delta):
    """Add ``delta`` to the count of every cell of a halo, for each class that minds copper so near.

    The parts of a halo are the layers, what lies round all of them together, and what lies round wires. ``needed`` and
    ``hole_needed`` tell how many classes mind at a cell before each class of tracks and of vias does.
    """
    layers, first = len(ends) - 2, 0
    for t in range(layers):
        for k in range(len(needed)):
            for i in range(first, ends[t]):
                if levels[i] >= needed[k]:
                    held[k, t * plane + cells[i], 1] += delta
        first = ends[t]
    for k in range(len(hole_needed)):
        for i in range(first, ends[layers]):
            if levels[i] >= hole_needed[k]:
                holed[k, cells[i], 1] += delta
    for i in range(ends[layers], ends[layers + 1]):
        wired[cells[i], 1] += delta


@njit(**OPTIONS)
def bar(counts, spots, reach, delta, w, h):
    """Add ``delta`` to the cells within ``reach`` steps of each spot."""
    for k in range(len(spots)):
        x, y = spots[k, 0], spots[k, 1]
        for j in range(max(0, math.ceil(y - reach)), min(h - 1, math.floor(y + reach)) + 1):
            for i in range(max(0, math.ceil(x - reach)), min(w - 1, math.floor(x + reach)) + 1):
                if (i - x) ** 2 + (j - y) ** 2 <= reach**2:
                    counts[j * w + i] += delta


@njit(**OPTIONS)
def too_close(spots, reach):
    """Find a spot that an earlier one is nearer to than ``reach``; -1 when there is none."""
    for i in range(1, len(spots)):
        for k in range(i):
            if math.hypot(spots[i, 0] - spots[k, 0], spots[i, 1] - spots[k, 1]) < reach:
                return i
    return -1


@njit(**OPTIONS)
def grouped(count, links):
    """Give for each of ``count`` things the first of those it is linked with, by links or links of links (n x 2)."""
    root = np.arange(count)
    for k in range(len(links)):
        a, b = links[k, 0], links[k, 1]
        while root[a] != a:
            root[a] = root[root[a]]
            a = root[a]
        while root[b] != b:
            root[b] = root[root[b]]
            b = root[b]
        root[max(a, b)] = min(a, b)
    for k in range(count):
        root[k] = root[root[k]]
    return root


@njit(**OPTIONS)
def layers_of(nodes, plane):
    """Give the layers of some nodes as a bit set."""
    bits = 0
    for node in nodes:
        bits |= 1 << (node // plane)
    return bits


@njit(**OPTIONS)
def pieces(nodes, how, pads, w, plane):
    """Cut a path into copper, in grid coordinates; ``pads`` are the nodes of the net's own terminals, in order.

    Returns
    -------
    tuple
        Straight pieces (layer, x1, y1, x2, y2, 1 for a neck), spots of vias and of the holes of wires, wires
        (x1, y1, x2, y2), the length of the straight pieces, the same with necks and corners priced as the search does,
        the first and last column and row, and which nodes lie outside the pads.
    """
    n = len(nodes)
    spots = np.searchsorted(pads, nodes)
    free = np.ones(n, dtype=np.bool_)
    for i in range(n):
        free[i] = spots[i] == len(pads) or pads[spots[i]] != nodes[i]
    lines = np.empty((n, 6))
    vias = np.empty((2 * n, 2))
    wires = np.empty((n, 4))
    a = b = c = 0
    length = price = 0.0
    px, py = nodes[0] % plane % w, nodes[0] % plane // w
    x0, x1, y0, y1 = px, px, py, py
    last_x = last_y = last_thin = 9
    for i in range(1, n):
        x, y = nodes[i] % plane % w, nodes[i] % plane // w
        x0, x1, y0, y1 = min(x0, x), max(x1, x), min(y0, y), max(y1, y)
        if how[i] & 6:
            last_x = 9
            if how[i] & 4:
                wires[c] = px, py, x, y
                c += 1
                vias[b] = px, py
                b += 1
            vias[b] = x, y
            b += 1
        else:
            dx, dy = x - px, y - py
            thin = (how[i] | how[i - 1]) & 1
            step = math.sqrt(dx * dx + dy * dy)
            length += step
            price += step * (NECK_FACTOR if how[i] & 1 else 1.0)
            if last_x != 9:
                along = dx * last_x + dy * last_y
                price += 0.0 if (dx == last_x and dy == last_y) else (TURN_45 if along > 0 else TURN_90)
            if dx == last_x and dy == last_y and thin == last_thin:
                lines[a - 1, 3], lines[a - 1, 4] = x, y
            else:
                lines[a] = nodes[i] // plane, px, py, x, y, thin
                a += 1
            last_x, last_y, last_thin = dx, dy, thin
        px, py = x, y
    if n == 1:
        lines[0] = nodes[0] // plane, px, py, px, py, how[0] & 1
        a = 1
    return lines[:a].copy(), vias[:b].copy(), wires[:c].copy(), length, price, (x0, x1, y0, y1), free


@njit(**OPTIONS)
def disc(mark, tag, xs, ys, reach, w, h):
    """Set ``mark`` to ``tag`` at the cells within ``reach`` steps of some points."""
    for k in range(len(xs)):
        i0, i1 = max(0, math.ceil(xs[k] - reach)), min(w - 1, math.floor(xs[k] + reach))
        j0, j1 = max(0, math.ceil(ys[k] - reach)), min(h - 1, math.floor(ys[k] + reach))
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                if (i - xs[k]) ** 2 + (j - ys[k]) ** 2 < (reach - 1e-9) ** 2:
                    mark[j * w + i] = tag


@njit(**OPTIONS)
def crowded(nodes, how, free, full, necks, holed, wired, w, plane):
    """Mark the nodes of a held path that other nets hold too (their counts include the path itself)."""
    bad = np.zeros(len(nodes), dtype=np.bool_)
    for i in range(len(nodes)):
        if free[i]:
            held = necks if how[i] & 1 else full
            if held[nodes[i], 1] > 1:
                bad[i] = True
        if how[i] & 6:
            for j in (i - 1, i):
                if holed[nodes[j] % plane, 1] > 1:
                    bad[j] = True
        if how[i] & 4:
            a, b = nodes[i - 1] % plane, nodes[i] % plane
            step = w if a % w == b % w else 1
            for cell in range(min(a, b), max(a, b) + 1, step):
                if wired[cell, 1] > 1:
                    bad[i] = True
    return bad
