"""What is milled between the boards of a panel and its rails: tabs, bores along them, and score lines instead."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Final

import numpy as np
import shapely
from shapely.geometry import LineString, Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.design.model import MountingHole, RuleSet
from vane_step.core.quantity import nm

TAB_MM, TAB_EVERY_MM = 3.0, 30.0
# Bores along both ends of a tab, so that it breaks clean.
BORE_MM, BORE_APART_MM = 0.5, 0.3
CRUMB_MM2: Final = 60.0


def milled(
    frame: Polygon, boards: list[Polygon], keep: BaseGeometry, gap_mm: float, rail_mm: float, rules: RuleSet
) -> tuple[list[Polygon], list[MountingHole]]:
    """Give what is milled away between boards and rails, and the bores along the tabs that stay.

    Parameters
    ----------
    keep : geometry
        Where no tab may stand: half holes on the edge of any board, parts that reach over it.
    """
    bore = max(BORE_MM, rules.min_drill_nm / 1e6)
    every = bore + max(BORE_APART_MM, rules.hole_to_hole_nm / 1e6)
    outer = [Polygon(b.exterior) for b in boards]
    around = shapely.union_all([b.buffer(gap_mm, join_style="mitre") for b in outer])
    waste = around.intersection(frame.buffer(-rail_mm + gap_mm, join_style="mitre"))
    waste = waste.difference(shapely.union_all(outer))
    tabs: list[Polygon] = []
    bores: list[MountingHole] = []
    for board in outer:
        for tab, ends in _tabs(board, gap_mm, bore, every, keep):
            tabs.append(tab)
            for spot in ends:
                if not any(math.dist(spot, (h.x_nm / 1e6, h.y_nm / 1e6)) < every - 1e-6 for h in bores):
                    name = f"B{len(bores) + 1}"
                    bores.append(MountingHole(id=name, x_nm=nm(spot[0]), y_nm=nm(spot[1]), drill_nm=nm(bore)))
    free = waste.difference(shapely.union_all(tabs))
    # What is narrower than the cutter stays.
    opened = free.buffer(-gap_mm / 4).buffer(gap_mm / 4, quad_segs=8)
    left = frame.difference(opened)
    # Crumbs that would hang on nothing are milled away as well.
    pieces = shapely.get_parts(left)
    rails = max(pieces, key=lambda p: p.area)
    crumbs = [p for p in pieces if not any(p.contains(b.representative_point()) for b in outer)]
    loose = [c.buffer(0.02, join_style="mitre") for c in crumbs if c is not rails and c.area < CRUMB_MM2]
    found = []
    for piece in shapely.get_parts(shapely.union_all([opened, *loose])):
        found += _without_islands(piece)
    return [p for p in found if p.area > 0.5], bores


def _without_islands(piece: Polygon) -> list[Polygon]:
    """Cut a ring into two so that each is a polygon without holes: a cut-out is one closed line."""
    if not piece.interiors:
        return [piece]
    x0, y0, x1, y1 = piece.bounds
    middle = Polygon(piece.interiors[0]).centroid.x
    halves = [piece.intersection(box(x0, y0, middle, y1)), piece.intersection(box(middle, y0, x1, y1))]
    parts = [p for half in halves for p in shapely.get_parts(half) if isinstance(p, Polygon)]
    return [q for p in parts for q in _without_islands(p)]


def _tabs(
    board: Polygon, gap: float, bore: float, every: float, keep: BaseGeometry
) -> list[tuple[Polygon, list[tuple[float, float]]]]:
    """Place tabs evenly on the straight sides of a board, or, where it has none that is long enough, round it.

    One that would lie where none may be moves along its share of the side to the nearest place that is free.
    """
    ring = shapely.geometry.polygon.orient(board).simplify(0.01).exterior
    spots: list[tuple[float, float, float, float]] = []
    for (ax, ay), (bx, by) in pairwise(ring.coords):
        length = math.dist((ax, ay), (bx, by))
        count = max(1, round(length / TAB_EVERY_MM)) if length >= 2.5 * TAB_MM else 0
        ux, uy = ((bx - ax) / length, (by - ay) / length) if length else (0.0, 0.0)
        for k in range(count):
            middle, half = (k + 0.5) * length / count, length / count / 2 - TAB_MM / 2
            tries = sorted([0.0, *np.arange(-half, half + 1e-9, 0.25).tolist()], key=abs)
            for off in tries:
                spot = ax + ux * (middle + off), ay + uy * (middle + off), ux, uy
                if not _bar(*spot, gap).intersects(keep):
                    spots.append(spot)
                    break
    if len(spots) < 2:
        count = max(4, round(ring.length / TAB_EVERY_MM))
        for k in range(count):
            # Along the diagonals, where round boards lie farthest from each other's tabs.
            at = (k + 0.5) * ring.length / count
            here, there = ring.interpolate(at), ring.interpolate((at + 0.1) % ring.length)
            spot = here.x, here.y, (there.x - here.x) / 0.1, (there.y - here.y) / 0.1
            if not _bar(*spot, gap).intersects(keep):
                spots.append(spot)
    return [_tab(x, y, ux, uy, gap, bore, every) for x, y, ux, uy in spots]


def _bar(x: float, y: float, ux: float, uy: float, gap: float) -> Polygon:
    """Give the tab at a place on an edge that runs in a direction: over the gap, to whatever is beyond."""
    foot = LineString(
        [(x - ux * TAB_MM / 2, y - uy * TAB_MM / 2), (x + ux * TAB_MM / 2, y + uy * TAB_MM / 2)]
    )
    return foot.buffer(gap + 0.05, cap_style="flat")


def _tab(
    x: float, y: float, ux: float, uy: float, gap: float, bore: float, every: float
) -> tuple[Polygon, list[tuple[float, float]]]:
    """Give a tab at a place on an edge that runs in a direction, and the middles of its bores."""
    row = math.floor((TAB_MM + every - bore) / every)
    along = [(j - (row - 1) / 2) * every for j in range(row)]
    # The bores lie just outside of the board's edge: of a tab broken off nothing stands out.
    bores = [(x + ux * t + uy * bore / 2, y + uy * t - ux * bore / 2) for t in along]
    return _bar(x, y, ux, uy, gap), bores
