"""Where on a board bodies may lie: what is usable, its straight edges, what zones bar; costs are in ``cost_model``."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.board.analysis.separation import loud_parts
from vane_step.core.board.geometry.shapes import outline, zone_shape
from vane_step.core.board.placement.bodies import Body
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Zone

CELL_MM = 0.25
# For a first look whether something large has room at all.
ROUGH_MM = 0.5
# The shortest straight piece of the outline, in mm, that counts as an edge things are plugged in over.
LEAST_EDGE_MM = 3.0


@derived("board", "holes")
def usable(design: Design) -> Polygon:
    """Give the part of the board, in mm, where copper may be and no hole's free zone is."""
    gap = design.board.rules.edge_clearance_nm / 1e6
    board = outline(design).buffer(-gap, join_style="mitre")
    for hole in design.holes.values():
        reach = max(hole.keepout_nm, hole.drill_nm) / 1e6
        board = board.difference(shapely.Point(hole.x_nm / 1e6, hole.y_nm / 1e6).buffer(reach))
    return board


def room_for(design: Design, wide_mm: float, tall_mm: float) -> bool:
    """Tell whether a box of a size, turned by quarters, lies anywhere on the usable board, whatever else is there.

    On a raster of half a millimetre, by sums over boxes; a box larger by less than a cell each way may pass.
    """
    board = usable(design)
    if board.is_empty:
        return False
    x0, y0, x1, y1 = board.bounds
    xs, ys = np.arange(x0 + ROUGH_MM / 2, x1, ROUGH_MM), np.arange(y0 + ROUGH_MM / 2, y1, ROUGH_MM)
    shapely.prepare(board)
    inside = shapely.contains_xy(board, *(m.ravel() for m in np.meshgrid(xs, ys))).reshape(len(ys), len(xs))
    sums = np.zeros((len(ys) + 1, len(xs) + 1), dtype=np.int64)
    sums[1:, 1:] = inside.cumsum(axis=0).cumsum(axis=1)
    for w, h in ((wide_mm, tall_mm), (tall_mm, wide_mm)):
        # A cell less each way: the box need not lie on the raster.
        across, up = (max(1, int(v / ROUGH_MM) - 1) for v in (w, h))
        if across <= len(xs) and up <= len(ys):
            full = sums[up:, across:] - sums[:-up, across:] - sums[up:, :-across] + sums[:-up, :-across]
            if (full == across * up).any():
                return True
    return False


def straight_edges(board: Polygon) -> np.ndarray:
    """Give the straight edges things are plugged in over: number of the direction out, where, from, to."""
    found = []
    rings = [p.exterior for p in getattr(board, "geoms", [board])]
    for ring in rings:
        corners = np.array(shapely.orient_polygons(shapely.Polygon(ring)).exterior.coords)
        for (x0, y0), (x1, y1) in itertools.pairwise(corners):
            if math.hypot(x1 - x0, y1 - y0) < LEAST_EDGE_MM:
                continue
            # Anticlockwise, the board lies to the left of the way.
            if abs(x1 - x0) < 1e-6:
                found.append((1 if y1 > y0 else 0, x0, min(y0, y1), max(y0, y1)))
            elif abs(y1 - y0) < 1e-6:
                found.append((2 if x1 > x0 else 3, y0, min(x0, x1), max(x0, x1)))
    return np.array(found, dtype=np.float64).reshape(-1, 4)


def barred_zones(design: Design, bodies: Sequence[Body]) -> tuple[list[tuple[Zone, ...]], np.ndarray]:
    """Give the sets of zones that bar some body, and which of them bars each on the front and on the back.

    Zones kept for hands and clear of copper bar all, low ones the tall of their side, quiet ones the loud.
    """
    loud = loud_parts(design)
    sets: dict[tuple[Zone, ...], int] = {}
    which = []
    for body in bodies:
        tall = max(design.packages[design.parts[r].package].height_nm for r in body.refs)
        for side in ("front", "back"):
            bars = tuple(
                z
                for z in design.board.zones
                if z.kind in ("hand", "clear")
                or (z.kind == "low" and z.side in (side, "both") and tall > z.tall_nm)
                or (z.kind == "quiet" and not loud.isdisjoint(body.refs))
            )
            which.append(sets.setdefault(bars, len(sets)))
    return list(sets), np.array(which, dtype=np.int64).reshape(-1, 2)


def barred(design: Design, board: Polygon, frame: np.ndarray, zones: tuple[Zone, ...]) -> np.ndarray:
    """Give the summed area table of cells that lie off the usable board or in zones, wholly or in part."""
    for zone in zones:
        board = board.difference(zone_shape(zone))
    columns = math.ceil((frame[2] - frame[0]) / CELL_MM - 1e-6)
    rows = math.ceil((frame[3] - frame[1]) / CELL_MM - 1e-6)
    x, y = np.meshgrid(frame[0] + np.arange(columns) * CELL_MM, frame[1] + np.arange(rows) * CELL_MM)
    grown = board.buffer(1e-6, join_style="mitre")
    shapely.prepare(grown)
    # The last cells reach over the frame, where nothing is put anyway.
    cells = shapely.box(x, y, np.minimum(x + CELL_MM, frame[2]), np.minimum(y + CELL_MM, frame[3]))
    table = np.zeros((rows + 1, columns + 1))
    table[1:, 1:] = (~shapely.covers(grown, cells)).cumsum(axis=0).cumsum(axis=1)
    return table
