"""The compiled search for one way through the routing grid; painting the grid and bargaining for it are elsewhere.

A* (Hart, Nilsson, Raphael 1968) on the octilinear grid with the negotiated node costs of McMurchie and Ebeling (1995):
step * (1 + history) * (1 + pressure * present). Open nodes wait in buckets (Dial 1969), an eighth of a step wide. What
belongs to a node lies side by side in memory, since the search spends its time waiting for it:

- state, four 32-bit words: tag (twice the search's number; one more when closed), cost, how it was reached, history;
- holders, two 16-bit words per class: owner (0 free, a net's number, -1 nobody) and the count of nets that hold it.

``how`` packs, from the lowest bit: neck 1, via 2, wire 4; direction + 1 (4 bits, 15 a source); steps since the last
hole (5 bits, at most ``FAR``); the layer a via came from (4 bits); length of a wire in steps (15 bits).
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numpy as np
from numba import njit

from vane_step.core.route.buckets import (
    BARE,
    COST,
    DIAGONAL,
    FINE,
    HISTORY,
    INSIDE,
    NECK,
    STEP_X,
    STEP_Y,
    TAG,
    U,
    factor_of,
    put,
    take,
)
from vane_step.core.route.goal_distances import ahead_of, octile
from vane_step.core.route.kernel import OPTIONS, TURN_45, TURN_90

# How to go on after each direction (a source has none): straight first, then 45 and 90 degrees to both sides.
ONWARD = np.array([[(d + turn) % 8 for turn in (0, 1, 7, 2, 6, 3, 5, 4)] for d in range(8)])
HOW = 2
VIA, WIRE = 2, 4
SOURCE = 15
# Steps since the last hole are counted up to here.
FAR = 31


@njit(**INSIDE)
def _far(x, y, layer, node, box, goal_layers, via_cost, ahead, bw, bh):
    """Heuristic the rest of the way: as surveyed, or octile to the goal's window, and by a via to its layers."""
    far = octile(x, y, box)
    if not (goal_layers >> layer) & 1:
        far += via_cost
    if ahead[2]:
        far = max(far, ahead_of(x, y, layer, node, ahead, bw, bh))
    return far


@njit(**BARE)
def _leap(
    x,
    y,
    node,
    words,
    numbers,
    grid,
    held,
    who,
    via_barred,
    wire_barred,
    wired,
    box,
    goal_layers,
    via_cost,
    weight,
    jump,
    within,
    most,
    ahead,
    tag,
    now,
    queue,
):
    """Enter all places a wire jumper from a settled node leads to, on its lattice, along rows and columns."""
    _, w, _, bw, bh = grid
    full, necks, holed = held
    net, neck_zone, neck_tag, pressure, hard = who
    head, after, item, spare = queue
    west, east, north, south = within[0], within[1], within[2], within[3]
    open_tag = np.int32(2 * tag)
    closed_tag = np.int32(2 * tag + 1)
    here, crowd = numbers[U(4 * node + COST)], holed[U(2 * node + 1)]
    lattice = jump[0]
    for d in range(0, 8, 2):
        crossed = 0
        for k in range(1, jump[2] + 1):
            nx, ny = x + STEP_X[U(d)] * k, y + STEP_Y[U(d)] * k
            if nx < west or ny < north or nx > east or ny > south:
                break
            other = ny * w + nx
            if wire_barred[U(other)] != 0:
                break
            if wired[U(2 * other + 1)] > 0:
                if hard:
                    break
                crossed += 1
            if k < jump[1] or (k - jump[1]) % lattice != 0 or via_barred[U(other)] != 0:
                continue
            owner = holed[U(2 * other)]
            n = holed[U(2 * other + 1)]
            if (
                not (owner == 0 or owner == net)
                or (hard and n > 0)
                or words[U(4 * other + TAG)] == closed_tag
            ):
                continue
            factor, neck = factor_of(full, necks, net, other, neck_zone, other, neck_tag, pressure, hard)
            if factor < 0:
                continue
            total = here + (jump[3] + 0.5 * k) * (1.0 + pressure * (n + crowd) + 0.2 * pressure * crossed)
            if words[U(4 * other + TAG)] == open_tag and total >= numbers[U(4 * other + COST)]:
                continue
            far = _far(nx, ny, 0, other, box, goal_layers, via_cost, ahead, bw, bh)
            if total + far > most:
                continue
            words[U(4 * other + TAG)] = open_tag
            numbers[U(4 * other + COST)] = total
            words[U(4 * other + HOW)] = neck | WIRE | (d << 12) | (k << 16)
            put(other, total + far * weight, now, head, after, item, spare)


@njit(**BARE)
def search(
    words,
    numbers,
    grid,
    held,
    who,
    via_barred,
    wire_barred,
    wired,
    sources,
    goal,
    goal_tag,
    box,
    goal_layers,
    via_cost,
    weight,
    jump,
    hole_steps,
    within,
    most,
    limit,
    ahead,
    tag,
    queue,
):
    """Find the cheapest way from any source node to any goal node.

    Parameters
    ----------
    words, numbers : int32 and float32 views of one array, nodes x 4
        The states, see above.
    grid, held, who
        See ``goal_distances``. Cells near the net's pads hold its number in the neck zone: there it may pass as a neck.
    sources : int64 array
        Nodes of the net's tree, entered at cost 0.
    goal : int32 array over nodes
        Goal nodes hold ``goal_tag``; ``box`` is their window (x0, x1, y0, y1), ``goal_layers`` a bit set.
    jump : int64 array
        Lattice, least and greatest length of wire jumpers and their price in steps; lattice 0 for none.
    hole_steps : int
        Steps that must lie between two holes of one path.
    within : int64 array
        First and last column and row the way may use; sources outside are not started from.
    most : float
        What the way may cost at most, in steps.
    limit : int
        Nodes to expand before giving up.
    ahead : tuple
        What ``goal_distances`` found out: places settled (two views of one array), the tag that marks them (0 to go
        without), their window, the map of blocks, what is left elsewhere, and the window of the sources.
    queue : tuple
        Buckets, all empty (-1) and left so; the pool of their entries; free entry, entries used, entries waiting.

    Returns
    -------
    tuple of int
        Goal node, -1 when there is no way, -2 at the limit; and the number of
        nodes expanded. :func:`trace` leads back to the source.
    """
    layers, w, plane, bw, bh = grid
    full, necks, holed = held
    net, neck_zone, neck_tag, pressure, hard = who
    head, after, item, spare = queue
    open_tag = np.int32(2 * tag)
    closed_tag = np.int32(2 * tag + 1)
    spare[0], spare[1], spare[2] = -1, 0, 0
    room = len(item) - 64
    per_row = 1.0 / w
    west, east, north, south = within[0], within[1], within[2], within[3]
    now = np.int64(1) << 60
    for source in sources:
        cell = source % plane
        far = _far(cell % w, cell // w, source // plane, source, box, goal_layers, via_cost, ahead, bw, bh)
        now = min(now, np.int64(far * weight * FINE))
    for source in sources:
        cell = source % plane
        x, y = cell % w, cell // w
        if x < west or y < north or x > east or y > south or words[U(4 * source + TAG)] == open_tag:
            continue
        far = _far(x, y, source // plane, source, box, goal_layers, via_cost, ahead, bw, bh)
        if far > most:
            continue
        factor, neck = factor_of(full, necks, net, source, neck_zone, cell, neck_tag, pressure, False)
        if factor < 0:
            neck = NECK  # Inside its own pad a track may always be as thin as its neck.
        words[U(4 * source + TAG)] = open_tag
        numbers[U(4 * source + COST)] = 0.0
        words[U(4 * source + HOW)] = neck | (SOURCE << 3) | (FAR << 7)
        put(source, far * weight, now, head, after, item, spare)
    expanded = 0
    end = np.int64(-1)
    while spare[2] > 0 and spare[1] < room:
        found, now = take(now, head, after, item, spare)
        leaping = found < 0
        node = np.int64(-1 - found if leaping else found)
        if not leaping:
            if words[U(4 * node + TAG)] != open_tag:
                continue
            expanded += 1
            if expanded > limit:
                end = np.int64(-2)
                break
        layer = 0
        cell = node
        while cell >= plane:
            layer += 1
            cell -= plane
        y = np.int64(cell * per_row)
        x = cell - y * w
        if x >= w:
            y, x = y + 1, x - w
        elif x < 0:
            y, x = y - 1, x + w
        if leaping:
            _leap(
                x,
                y,
                node,
                words,
                numbers,
                grid,
                held,
                who,
                via_barred,
                wire_barred,
                wired,
                box,
                goal_layers,
                via_cost,
                weight,
                jump,
                within,
                most,
                ahead,
                tag,
                now,
                queue,
            )
            continue
        # Only near the goal is it worth the memory to ask whether this is it.
        if x >= box[0] and x <= box[1] and y >= box[2] and y <= box[3] and goal[U(node)] == goal_tag:
            end = node
            break
        words[U(4 * node + TAG)] = closed_tag
        here = numbers[U(4 * node + COST)]
        how = words[U(4 * node + HOW)]
        came = ((how >> 3) & 15) - 1
        since = (how >> 7) & 31
        onward = min(since + 1, FAR) << 7
        after_source = came < 0 or came >= 8
        for turned in range(8 if after_source else 5):
            d = turned if after_source else ONWARD[came, turned]
            turn = 0.0 if after_source or turned == 0 else (TURN_45 if turned < 3 else TURN_90)
            move = STEP_X[U(d)] + STEP_Y[U(d)] * w
            other = node + move
            known = words[U(4 * other + TAG)]
            if known == closed_tag:
                continue
            nx, ny = x + STEP_X[U(d)], y + STEP_Y[U(d)]
            if nx < west or ny < north or nx > east or ny > south:
                continue
            step = DIAGONAL if d & 1 else 1.0
            if known == open_tag and here + step + turn >= numbers[U(4 * other + COST)]:
                continue
            factor, neck = factor_of(
                full, necks, net, other, neck_zone, cell + move, neck_tag, pressure, hard
            )
            if factor < 0:
                continue
            total = here + step * (1.0 + numbers[U(4 * other + HISTORY)]) * factor + turn
            if known == open_tag and total >= numbers[U(4 * other + COST)]:
                continue
            far = _far(nx, ny, layer, other, box, goal_layers, via_cost, ahead, bw, bh)
            if total + far > most:
                continue
            words[U(4 * other + TAG)] = open_tag
            numbers[U(4 * other + COST)] = total
            words[U(4 * other + HOW)] = neck | ((d + 1) << 3) | onward
            put(other, total + far * weight, now, head, after, item, spare)
        if since < hole_steps or via_barred[U(cell)] != 0:
            continue
        owner = holed[U(2 * cell)]
        crowd = holed[U(2 * cell + 1)]
        if not (owner == 0 or owner == net) or (hard and crowd > 0):
            continue
        if layers > 1:
            for to in range(layers):
                other = to * plane + cell
                if to == layer or words[U(4 * other + TAG)] == closed_tag:
                    continue
                factor, neck = factor_of(full, necks, net, other, neck_zone, cell, neck_tag, pressure, hard)
                if factor < 0:
                    continue
                past = numbers[U(4 * node + HISTORY)] + numbers[U(4 * other + HISTORY)]
                total = here + via_cost * (1.0 + 0.25 * past) * (1.0 + pressure * crowd)
                if words[U(4 * other + TAG)] == open_tag and total >= numbers[U(4 * other + COST)]:
                    continue
                far = _far(x, y, to, other, box, goal_layers, via_cost, ahead, bw, bh)
                if total + far > most:
                    continue
                words[U(4 * other + TAG)] = open_tag
                numbers[U(4 * other + COST)] = total
                words[U(4 * other + HOW)] = neck | VIA | (layer << 12)
                put(other, total + far * weight, now, head, after, item, spare)
        if jump[0] != 0 and x % jump[0] == 0 and y % jump[0] == 0:
            # A wire is dear: it is not asked where it leads before its price is due.
            far = octile(x, y, box)
            length = min(max(far, jump[1]), jump[2])
            due = here + jump[3] + 0.5 * length + max(0.0, far - length)
            if due <= most:
                put(-1 - node, due * weight, now, head, after, item, spare)
    if spare[2] > 0:
        head[:] = -1
    return end, expanded


@njit(**OPTIONS)
def trace(words, end, w, plane):
    """Follow a way back from its end: its nodes from source to end, and how each was reached (its lowest 3 bits)."""
    count = 0
    nodes = np.empty(1024, dtype=np.int64)
    node = np.int64(end)
    while True:
        if count == len(nodes):
            longer = np.empty(2 * count, dtype=np.int64)
            longer[:count] = nodes
            nodes = longer
        nodes[count] = node
        count += 1
        how = words[4 * node + HOW]
        direction = (how >> 3) & 15
        if how & VIA:
            node = ((how >> 12) & 15) * plane + node % plane
        elif how & WIRE:
            direction = (how >> 12) & 15
            node -= (STEP_X[direction] + STEP_Y[direction] * w) * (how >> 16)
        elif direction == SOURCE:
            break
        else:
            node -= STEP_X[direction - 1] + STEP_Y[direction - 1] * w
    nodes = nodes[:count][::-1].copy()
    marks = np.empty(count, dtype=np.int16)
    for k in range(count):
        marks[k] = words[4 * nodes[k] + HOW] & 7
    return nodes, marks
