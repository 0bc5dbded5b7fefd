"""Arcs of Gerber and drill files as points along them; which arc a file means is told to it."""

from __future__ import annotations

import math

# A chord stays this near to its arc, in millimetres; an arc has so many at most.
CHORD_MM, MOST_CHORDS = 0.0005, 2000
Spot = tuple[float, float]


def arc_points(start: Spot, end: Spot, centre: Spot, clockwise: bool, whole: bool) -> list[Spot]:
    """Give points along an arc, both ends among them; the radius runs evenly from that of the start to that of the end.

    Parameters
    ----------
    whole
        Whether an arc that ends where it begins is a full turn, not nothing.
    """
    first, last = (math.atan2(p[1] - centre[1], p[0] - centre[0]) for p in (start, end))
    radii = math.dist(start, centre), math.dist(end, centre)
    sweep = last - first
    if clockwise:
        sweep = -((-sweep) % (2 * math.pi))
    else:
        sweep %= 2 * math.pi
    if math.dist(start, end) < 1e-9:
        sweep = (-2 * math.pi if clockwise else 2 * math.pi) if whole else 0.0
    radius = max(*radii, 1e-9)
    step = 2 * math.acos(max(0.0, 1 - CHORD_MM / radius)) if radius > CHORD_MM else math.pi / 4
    count = min(MOST_CHORDS, max(1, math.ceil(abs(sweep) / step)))
    points = [start]
    for k in range(1, count):
        share = k / count
        at, r = first + sweep * share, radii[0] + (radii[1] - radii[0]) * share
        points.append((centre[0] + r * math.cos(at), centre[1] + r * math.sin(at)))
    return [*points, end]


def quarter_centre(start: Spot, end: Spot, i: float, j: float, clockwise: bool) -> Spot | None:
    """Give the centre of an arc of at most a quarter turn, whose distances are given without their signs."""
    best: tuple[float, Spot] | None = None
    for sx in (1, -1):
        for sy in (1, -1):
            centre = (start[0] + sx * abs(i), start[1] + sy * abs(j))
            first, last = (math.atan2(p[1] - centre[1], p[0] - centre[0]) for p in (start, end))
            sweep = (first - last) % (2 * math.pi) if clockwise else (last - first) % (2 * math.pi)
            if sweep <= math.pi / 2 + 1e-3 or sweep >= 2 * math.pi - 1e-6:
                off = abs(math.dist(start, centre) - math.dist(end, centre))
                if best is None or off < best[0] - 1e-12:
                    best = (off, centre)
    return best[1] if best is not None else None
