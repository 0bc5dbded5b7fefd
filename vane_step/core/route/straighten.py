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
    from vane_step.core.route.path import Path, Routed
    from vane_step.core.route.problem import Problem

MAX_PASSES = 4


def straighten(
    problem: Problem, routed: Routed, beside: np.ndarray | None = None
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Give the paths of a net, nodes and how each was reached, with fewer corners.

    The net's own copper must not be held while this runs. Ends, vias, wires, necks and places where another path
    of the net branches off stay where they are; no path gets longer. With ``beside``, a mark for every cell that lies
    beside another net, no stretch leaves its side.
    """
    held = problem.held[routed.job.full]
    lat = problem.lattice
    branches = np.array(sorted({int(p.nodes[k]) for p in routed.paths for k in (0, -1)}))
    away = np.zeros(lat.plane, dtype=np.bool_) if beside is None else ~beside
    return [_path(p, branches, held, away, routed.job.number, lat.w, lat.plane) for p in routed.paths]


def _path(
    path: Path, branches: np.ndarray, held: np.ndarray, away: np.ndarray, net: int, w: int, plane: int
) -> tuple[np.ndarray, np.ndarray]:
    """Straighten the stretches of full width on one layer between branches, and put the path together again."""
    nodes, how = path.nodes, path.how
    stays = branches[np.searchsorted(branches, nodes).clip(max=len(branches) - 1)] == nodes
    stays |= how > 0
    # A via or wire also holds the node it leaves from, and a neck the node where it widens.
    stays[:-1] |= how[1:] > 0
    stays[[0, -1]] = True
    cuts = np.flatnonzero(stays)
    new_nodes, new_how = [nodes[:1]], [how[:1]]
    for a, b in pairwise(cuts.tolist()):
        stretch = nodes[a : b + 1]
        if b - a > 2 and stretch[0] // plane == stretch[-1] // plane:
            # Across a branch the corner counts too: how the track comes there, and how it goes on.
            before = _between(new_nodes[-1][-2:] if len(new_nodes[-1]) > 1 else new_nodes[-2:], w)
            after = _between(nodes[b : b + 2], w)
            for _ in range(MAX_PASSES):
                shorter = without_stairs(stretch, held, away, net, w, before, after)
                if len(shorter) == len(stretch) and (shorter == stretch).all():
                    break
                stretch = shorter
            new_how.append(np.zeros(len(stretch) - 1, dtype=how.dtype))
        else:
            new_how.append(how[a + 1 : b + 1])
        new_nodes.append(stretch[1:])
    return np.concatenate(new_nodes), np.concatenate(new_how)


def _between(pair: np.ndarray | list[np.ndarray], w: int) -> int:
    """Give the direction of a step between the last two nodes given, -1 where there is none."""
    nodes = np.concatenate(pair)[-2:] if isinstance(pair, list) else pair
    if len(nodes) < 2 or abs(int(nodes[0] - nodes[1])) not in (1, w - 1, w, w + 1):
        return -1
    return int(_direction(nodes[0], nodes[1], w))


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
def _heading(dx, dy):  # type: ignore[no-untyped-def]
    """Give the direction of a straight or slanted run, 0 to 7 anticlockwise from east; -1 for none."""
    if dx == 0 and dy == 0:
        return -1
    if dx > 0:
        return 0 if dy == 0 else (1 if dy > 0 else 7)
    if dx < 0:
        return 4 if dy == 0 else (3 if dy > 0 else 5)
    return 2 if dy > 0 else 6


@njit(**OPTIONS)
def without_stairs(nodes, held, away, net, w, came, goes):  # type: ignore[no-untyped-def]
    """Replace stretches between corners by elbows where these are free and cost less, farthest first.

    What a stretch costs comes from sums along the path, and what an elbow costs from its two runs: its nodes are gone
    through only when it is worth it.

    Parameters
    ----------
    nodes : int64 array
        Neighbouring nodes of one layer; first and last stay.
    held : int16 array, nodes x 2
        Holders of the net's track class.
    away : bool array over cells
        An elbow has no more of these cells than what it replaces.
    came, goes : int
        Directions in which the first node is reached and the last one left, -1 for none.
    """
    n = len(nodes)
    way = np.empty(n, dtype=np.int64)
    # Length up to a node, and what the corners before it cost.
    length = np.zeros(n)
    bends = np.zeros(n + 1)
    outside = np.zeros(n, dtype=np.int64)
    plane = len(away)
    corners = [0]
    for k in range(n - 1):
        way[k] = _direction(nodes[k], nodes[k + 1], w)
        outside[k + 1] = outside[k] + away[nodes[k + 1] % plane]
        length[k + 1] = length[k] + (1.0 if way[k] % 2 == 0 else 1.41421356)
        bends[k + 1] = bends[k] + (_turn(way[k - 1], way[k]) if k else 0.0)
        if k and way[k - 1] != way[k]:
            corners.append(k)
    corners.append(n - 1)
    out = np.empty(n, dtype=nodes.dtype)
    out[0] = nodes[0]
    size = 1
    i = 0
    while i < len(corners) - 1:
        start = corners[i]
        before = _direction(out[size - 2], out[size - 1], w) if size > 1 else came
        taken = 0
        for j in range(len(corners) - 1, i, -1):
            end = corners[j]
            after = way[end] if end < n - 1 else goes
            dx, dy = nodes[end] % w - nodes[start] % w, nodes[end] // w - nodes[start] // w
            sx, sy = (1 if dx > 0 else (-1 if dx < 0 else 0)), (1 if dy > 0 else (-1 if dy < 0 else 0))
            slant = min(abs(dx), abs(dy))
            straight = max(abs(dx), abs(dy)) - slant
            if slant + straight > end - start:
                continue
            across = abs(dx) > abs(dy)
            step = sx if across else sy * w
            along = _heading(sx if across else 0, 0 if across else sy) if straight else -1
            aslant = _heading(sx, sy) if slant else -1
            best = length[end] - length[start] + _turn(before, way[start]) + _turn(way[end - 1], after) - 1e-6
            best += bends[end] - bends[start + 1]
            for slant_first in (False, True):
                first, last = (aslant, along) if slant_first else (along, aslant)
                if first < 0 or last < 0:
                    first = last = max(first, last)
                price = slant * 1.41421356 + straight
                price += _turn(before, first) + _turn(first, last) + _turn(last, after)
                if price >= best:
                    continue
                free = True
                spare = outside[end] - outside[start]
                here = nodes[start]
                for k in range(slant + straight + 1):
                    owner = held[here, 0]
                    if k > 0 and away[here % plane]:
                        spare -= 1
                    if (owner != 0 and owner != net) or held[here, 1] > 0 or spare < 0:
                        free = False
                        break
                    here += sx + sy * w if (k < slant if slant_first else k >= straight) else step
                if free:
                    best = price
                    here = nodes[start]
                    for k in range(slant + straight):
                        here += sx + sy * w if (k < slant if slant_first else k >= straight) else step
                        out[size + k] = here
                    taken = slant + straight
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
