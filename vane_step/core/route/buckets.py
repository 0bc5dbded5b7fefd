"""The buckets a search keeps what it has yet to expand in, and the price of a node; the searches are elsewhere.

The *queue* is a tuple of four arrays: for each bucket the first entry of its list, -1 when it is empty; for each entry
the next; for each entry its node; and the first entry that is free again, the number ever used, the number waiting.
"""

# Arguments are numpy arrays whose shape and dtype the docstrings give; numba infers the types.
# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import numpy as np
from numba import njit

from vane_step.core.route.kernel import NECK_FACTOR, OPTIONS

# Without the run time that counts references to arrays: the counting would cost more than the search.
BARE = {**OPTIONS, "_nrt": False}
INSIDE = {**BARE, "inline": "always"}
# Places in arrays are told as unsigned numbers: what has a sign might count from the end, and would be asked each time.
U = np.uint64
# The eight directions, anticlockwise from east.
STEP_X = np.array([1, 1, 0, -1, -1, -1, 0, 1])
STEP_Y = np.array([0, 1, 1, 1, 0, -1, -1, -1])
# Words of a state that all searches share; see ``search``.
TAG, COST, HISTORY = 0, 1, 3
NECK = 1
# Buckets an eighth of a step wide; dearer steps than all of them together hold are priced as that.
FINE = 8
BUCKETS = 1 << 16
DIAGONAL = 1.41421356


@njit(**INSIDE)
def factor_of(full, necks, net, node, neck_zone, cell, neck_tag, pressure, hard):
    """Give the factor a node costs a net, and whether it has to be passed as a neck; -1 when it is barred."""
    best = -1.0
    neck = 0
    owner = full[U(2 * node)]
    if owner == 0 or owner == net:
        n = full[U(2 * node + 1)]
        if n == 0:
            best = 1.0
        elif not hard:
            best = 1.0 + pressure * n
    if best != 1.0 and neck_zone[U(cell)] == neck_tag:
        owner = necks[U(2 * node)]
        if owner == 0 or owner == net:
            n = necks[U(2 * node + 1)]
            if n == 0 or not hard:
                price = (1.0 + pressure * n) * NECK_FACTOR
                if best < 0 or price < best:
                    best = price
                    neck = NECK
    return best, neck


@njit(**INSIDE)
def put(node, key, now, head, after, item, spare):
    """Put a node into the bucket of its key (in steps), never behind the bucket being emptied."""
    bucket = np.int64(key * FINE)
    if bucket < now:
        bucket = now
    elif bucket >= now + BUCKETS:
        bucket = now + BUCKETS - 1
    slot = bucket & (BUCKETS - 1)
    entry = spare[0]
    if entry >= 0:
        spare[0] = after[U(entry)]
    else:
        entry = spare[1]
        spare[1] += 1
    item[U(entry)] = node
    after[U(entry)] = head[U(slot)]
    head[U(slot)] = entry
    spare[2] += 1


@njit(**INSIDE)
def take(now, head, after, item, spare):
    """Take a node out of the first bucket that holds one; gives the node and that bucket."""
    entry = head[U(now & (BUCKETS - 1))]
    while entry < 0:
        now += 1
        entry = head[U(now & (BUCKETS - 1))]
    head[U(now & (BUCKETS - 1))] = after[U(entry)]
    after[U(entry)] = spare[0]
    spare[0] = entry
    spare[2] -= 1
    return item[U(entry)], now
