"""Two sets of files of a board held against each other, by layer: what only one shows, holes only one bores."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.spatial import cKDTree
from shapely.affinity import translate
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.fab.copper_groups import polygons
from vane_step.core.inspect.board_files import BoardFiles, FileLayer

# Polygons that stand for one circle differ by up to this at the largest pads; holes by rounding of old formats.
SAME_MM: Final = 0.01
HOLE_MM: Final = 0.02


@dataclass(frozen=True)
class LayerDifference:
    """A layer of two boards: what only the first shows and only the second, with their areas and a place of the most.

    ``missing`` names the set that has no such layer.
    """

    role: str
    only_first: BaseGeometry
    only_second: BaseGeometry
    missing: str = ""

    @property
    def same(self) -> bool:
        """Whether nothing differs."""
        return not self.missing and self.only_first.is_empty and self.only_second.is_empty

    @property
    def area_mm2(self) -> float:
        """How much differs."""
        return float(self.only_first.area + self.only_second.area)

    @property
    def at(self) -> tuple[float, float] | None:
        """Where most of it is."""
        pieces = [*polygons(self.only_first), *polygons(self.only_second)]
        if not pieces:
            return None
        point = max(pieces, key=lambda p: float(p.area)).representative_point()
        return float(point.x), float(point.y)


@dataclass(frozen=True)
class HoleDifference:
    """A hole only one of two boards has, or has in another size or plating."""

    x_mm: float
    y_mm: float
    drill_mm: float
    plated: bool
    first: bool


@dataclass(frozen=True)
class Differences:
    """All that differs between two boards; ``moved_mm`` is how far the second was shifted to lie on the first."""

    layers: tuple[LayerDifference, ...]
    holes: tuple[HoleDifference, ...]
    moved_mm: tuple[float, float]

    @property
    def same(self) -> bool:
        """Whether both are the same board."""
        return not self.holes and all(x.same for x in self.layers)


def differences(first: BoardFiles, second: BoardFiles) -> Differences:
    """Hold two boards against each other, the second laid on the first by the corner of its outline.

    What differs by less than :data:`SAME_MM` along its edge does not count, so that two drawings of one circle are the
    same.
    """
    moved = _shift(first, second)
    mine = {(x.role.kind, x.role.side): x for x in first.layers}
    theirs = {(x.role.kind, x.role.side): x for x in second.layers}
    found = []
    for key in [*mine, *(k for k in theirs if k not in mine)]:
        if key[0] in ("other", "components", "outline"):
            continue
        one, two = mine.get(key), theirs.get(key)
        told = " ".join(key).strip()
        a, b = _image(one, (0.0, 0.0)), _image(two, moved)
        missing = "first" if one is None else "second" if two is None else ""
        if missing and (a.is_empty if one is not None else b.is_empty):
            continue
        found.append(LayerDifference(told, _left(a.difference(b)), _left(b.difference(a)), missing))
    a, b = first.outline, _moved(second.outline, moved)
    found.append(LayerDifference("outline", _left(a.difference(b)), _left(b.difference(a))))
    return Differences(tuple(found), tuple(_holes(first, second, moved)), moved)


def _shift(first: BoardFiles, second: BoardFiles) -> tuple[float, float]:
    boxes = [b.outline.bounds for b in (first, second) if not b.outline.is_empty]
    if len(boxes) < 2:
        return 0.0, 0.0
    return boxes[0][0] - boxes[1][0], boxes[0][1] - boxes[1][1]


def _moved(shape: BaseGeometry, by: tuple[float, float]) -> BaseGeometry:
    return translate(shape, *by) if any(by) else shape


def _image(layer: FileLayer | None, by: tuple[float, float]) -> BaseGeometry:
    return _moved(layer.read.image, by) if layer is not None else Polygon()


def _left(apart: BaseGeometry) -> BaseGeometry:
    """Give what is left of a difference once its thin rims are taken off, as wide as it was."""
    return apart.buffer(-SAME_MM / 2).buffer(SAME_MM / 2) if not apart.is_empty else apart


def _holes(first: BoardFiles, second: BoardFiles, moved: tuple[float, float]) -> list[HoleDifference]:
    mine = first.bores()
    theirs = [(x + moved[0], y + moved[1], size, plated) for x, y, size, plated in second.bores()]
    found = []
    for some, others, is_first in ((mine, theirs, True), (theirs, mine, False)):
        tree = cKDTree(np.array([h[:2] for h in others])) if others else None
        for x, y, size, plated in some:
            near = tree.query_ball_point((x, y), HOLE_MM) if tree is not None else []
            if not any(abs(others[k][2] - size) <= HOLE_MM and others[k][3] == plated for k in near):
                found.append(HoleDifference(x, y, size, plated, is_first))
    return found
