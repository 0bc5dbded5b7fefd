"""Openings of the solder mask as spines with a radius; what is printed or laid near them is judged elsewhere."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.geometry.copper_table import KIND, board_columns
from vane_step.core.board.geometry.shapes import ARC_SEGMENTS, WIDEN, bare_holes, spines_of
from vane_step.core.design.model import Design, Side


@dataclass(frozen=True, slots=True, eq=False)
class Openings:
    """Openings of the mask of a side: everything within ``radius`` (mm) of the spines."""

    spines: np.ndarray
    radius: np.ndarray

    def within(
        self, shapes: np.ndarray, reach_mm: float | np.ndarray
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Give the pairs of some shapes and an opening no farther apart than a reach, one for all or one for each.

        Returns
        -------
        tuple of arrays
            Places of shapes and of openings, and the gaps in mm.
        """
        around = np.broadcast_to(reach_mm, len(shapes))[:, None]
        mine = shapely.box(*_wider(shapely.bounds(self.spines), self.radius[:, None]).T)
        a, b = STRtree(mine).query(shapely.box(*_wider(shapely.bounds(shapes), around).T))
        gap = shapely.distance(shapes[a], self.spines[b]) - self.radius[b]
        keep = gap <= around[a, 0]
        return a[keep], b[keep], gap[keep]

    def grown(self, some: list[int], by_mm: float) -> np.ndarray:
        """Give the shapes of some openings, grown; circles are drawn outside the true circle."""
        found: np.ndarray = shapely.buffer(
            self.spines[some], (self.radius[some] + by_mm) * WIDEN, quad_segs=ARC_SEGMENTS
        )
        return found


def _wider(boxes: np.ndarray, by: np.ndarray) -> np.ndarray:
    wider: np.ndarray = boxes.reshape(-1, 4) + by * np.array([-1, -1, 1, 1])
    return wider


# Beyond so many boxes one round all of them asks less than each.
_MANY = 8


def openings_near(design: Design, side: Side, boxes: np.ndarray) -> Openings:
    """Give the openings of a side whose boxes overlap one of some boxes (n x 4, mm), and where boxes are many, more.

    These are pads and jumper holes grown by the maker's margin, and bare holes.
    """
    margin = design.board.rules.mask_margin_nm / 1e6
    if len(boxes) > _MANY:
        boxes = np.array([[*boxes[:, :2].min(axis=0), *boxes[:, 2:].max(axis=0)]])
    of = board_columns(design)
    some = np.flatnonzero((of.kind == KIND["pad"]) | (of.kind == KIND["jumper"]))
    some = some[overlaps(_wider(of.boxes[some], np.array([[max(0.0, margin)]])), boxes).any(axis=1)]
    spines, grow = [], []
    for item in [of.items[k] for k in some.tolist()]:
        if side in item.layers or item.drill_mm:
            # A mask that reaches over a pad leaves less than its spine.
            over = item.radius_mm + margin < 0
            spines.append(item.spine.buffer(margin, join_style="mitre") if over else item.spine)
            grow.append(0.0 if over else item.radius_mm + margin)
    bare = bare_holes(design)
    if bare:
        at = np.array([h.ends_mm for h in bare])
        low, high = np.minimum(at[:, :2], at[:, 2:]), np.maximum(at[:, :2], at[:, 2:])
        by = np.array([h.drill_mm / 2 + margin for h in bare])
        near = overlaps(_wider(np.hstack([low, high]), by[:, None]), boxes).any(axis=1)
        spines += spines_of(bare)[near].tolist()
        grow += by[near].tolist()
    return Openings(np.array(spines, dtype=object), np.array(grow))


def overlaps(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Tell for each two of two lists of boxes (x0, y0, x1, y1) whether they overlap."""
    hit: np.ndarray = (
        (a[:, None, 0] <= b[None, :, 2])
        & (b[None, :, 0] <= a[:, None, 2])
        & (a[:, None, 1] <= b[None, :, 3])
        & (b[None, :, 1] <= a[:, None, 3])
    )
    return hit
