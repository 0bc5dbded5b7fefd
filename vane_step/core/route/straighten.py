"""Takes needless corners out of routed paths, within the room each net has; choosing the way is elsewhere.

The search leaves stairs where several ways cost the same. Here every stretch between two corners is replaced by one
elbow (a straight and a slanted piece) where the elbow is free and costs less, length and corners counted as the
search counts them.
"""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from vane_step.core.route.kernel import OPTIONS, TURN_45, TURN_90

if TYPE_CHECKING:
    from vane_step.core.route.claims import Claims, Path, Routed

MAX_PASSES = 4


def straighten(run: Claims, routed: Routed) -> list[tuple[np.ndarray, np.ndarray]]:
    """Give the paths of a net, nodes and how each was reached, with fewer corners.

    The net's own copper must not be held while this runs. Ends, vias, wires, necks and places where another path
    of the net branches off stay where they are; no path gets longer.
    """
    held = run.problem.held[routed.job.full]
    lat = run.problem.lattice
    branches = np.unique(np.concatenate([p.nodes[[0, -1]] for p in routed.paths]))
    return [_path(p, branches, held, routed.job.number, lat.w, lat.plane) for p in routed.paths]


def _path(
    path: Path, branches: np.ndarray, held: np.ndarray, net: int, w: int, plane: int
) -> tuple[np.ndarray, np.ndarray]:
    """Straighten the stretches of full width on one layer between branches, and put the path together again."""
    nodes, how = path.nodes, path.how
    stays = np.isin(nodes, branches) | (how > 0)
    # A via or wire also holds the node it leaves from, and a neck the node where it widens.
    stays[:-1] |= how[1:] > 0
    stays[[0, -1]] = True
    cuts = np.flatnonzero(stays)
    new_nodes, new_how = [nodes[:1]], [how[:1]]
    for a, b in pairwise(cuts.tolist()):
        stretch = nodes[a : b + 1]
        if b - a > 2 and stretch[0] // plane == stretch[-1] // plane:
            for _ in range(MAX_PASSES):
                shorter = without_stairs(stretch, held, net, w)
                if len(shorter) == len(stretch) and (shorter == stretch).all():
                    break
                stretch = shorter
            new_how.append(np.zeros(len(stretch) - 1, dtype=how.dtype))
        else:
            new_how.append(how[a + 1 : b + 1])
        new_nodes.append(stretch[1:])
    return np.concatenate(new_nodes), np.concatenate(new_how)


@njit(**OPTIONS)
def _direction(a, b, w):  # type: ignore[no-untyped-def]
    """Give the direction of a step between neighbouring nodes, 0 to 7 anticlockwise from east."""
    dx = b % w - a % w
    dy = b // w - a // w
    if dx > 0:
        return 0 if dy == 0 else (1 if dy > 0 else 7)
    if dx < 0:
        return 4 if dy == 0 else (3 if dy > 0 else 5)
    return 2 if dy > 0 else 6


@njit(**OPTIONS)
def _turn(a, b):  # type: ignore[no-untyped-def]
    """Give what a change of direction costs; directions below 0 are none."""
    if a < 0 or b < 0:
        return 0.0
    bend = abs(a - b)
    bend = min(bend, 8 - bend)
    return 0.0 if bend == 0 else (TURN_45 if bend == 1 else (TURN_90 if bend == 2 else 1e9))


@njit(**OPTIONS)
def _elbow(start, end, slant_first, w, out):  # type: ignore[no-untyped-def]
    """Write the nodes of an elbow to ``out`` and give their number."""
    dx, dy = end % w - start % w, end // w - start // w
    sx, sy = (1 if dx > 0 else (-1 if dx < 0 else 0)), (1 if dy > 0 else (-1 if dy < 0 else 0))
    slant = min(abs(dx), abs(dy))
    straight = max(abs(dx), abs(dy)) - slant
    step = sx if abs(dx) > abs(dy) else sy * w
    out[0] = start
    for k in range(slant + straight):
        slanted = k < slant if slant_first else k >= straight
        out[k + 1] = out[k] + (sx + sy * w if slanted else step)
    return slant + straight + 1


@njit(**OPTIONS)
def _cost(nodes, first, last, before, after, w):  # type: ignore[no-untyped-def]
    """Give length and corners of nodes ``first`` to ``last``, with the directions of the steps around them."""
    total = 0.0
    came = before
    for k in range(first, last):
        d = _direction(nodes[k], nodes[k + 1], w)
        total += (1.0 if d % 2 == 0 else 1.41421356) + _turn(came, d)
        came = d
    return total + _turn(came, after)


@njit(**OPTIONS)
def without_stairs(nodes, held, net, w):  # type: ignore[no-untyped-def]
    """Replace stretches between corners by elbows where these are free and cost less, farthest first.

    Parameters
    ----------
    nodes : int64 array
        Neighbouring nodes of one layer; first and last stay.
    held : int16 array, nodes x 2
        Holders of the net's track class.
    """
    n = len(nodes)
    corners = [0]
    for k in range(1, n - 1):
        if _direction(nodes[k - 1], nodes[k], w) != _direction(nodes[k], nodes[k + 1], w):
            corners.append(k)
    corners.append(n - 1)
    out = np.empty(n, dtype=nodes.dtype)
    trial = np.empty(n + 1, dtype=nodes.dtype)
    out[0] = nodes[0]
    size = 1
    i = 0
    while i < len(corners) - 1:
        start = corners[i]
        before = _direction(out[size - 2], out[size - 1], w) if size > 1 else -1
        taken = 0
        for j in range(len(corners) - 1, i, -1):
            end = corners[j]
            after = _direction(nodes[end], nodes[end + 1], w) if end < n - 1 else -1
            best = _cost(nodes, start, end, before, after, w) - 1e-6
            for slant_first in (False, True):
                count = _elbow(nodes[start], nodes[end], slant_first, w, trial)
                if count > end - start + 1 or _cost(trial, 0, count - 1, before, after, w) >= best:
                    continue
                free = True
                for k in range(count):
                    owner = held[trial[k], 0]
                    if (owner != 0 and owner != net) or held[trial[k], 1] > 0:
                        free = False
                        break
                if free:
                    best = _cost(trial, 0, count - 1, before, after, w)
                    out[size : size + count - 1] = trial[1:count]
                    taken = count - 1
            if taken:
                size += taken
                i = j
                break
        if not taken:
            stop = corners[i + 1]
            out[size : size + stop - start] = nodes[start + 1 : stop + 1]
            size += stop - start
            i += 1
    return out[:size]
