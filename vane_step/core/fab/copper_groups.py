"""Pieces of copper as files show them, joined through holes: what hangs together; nothing is compared here."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from shapely.geometry import Point
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.fab.read_types import ReadLayer


class CopperGroups:
    """Union-find over the copper polygons of all layers: what holes and wires join is one."""

    def __init__(self, layers: Sequence[ReadLayer]) -> None:
        self.pieces: list[list[BaseGeometry]] = [polygons(x.image) for x in layers]
        self.trees = [STRtree(p) for p in self.pieces]
        self.offset = np.cumsum([0, *(len(p) for p in self.pieces)])
        self.parent = list(range(int(self.offset[-1])))

    def find(self, node: int) -> int:
        """Give the node that stands for a piece's group."""
        while self.parent[node] != node:
            self.parent[node] = self.parent[self.parent[node]]
            node = self.parent[node]
        return node

    def at(self, layer: int, x: float, y: float) -> int | None:
        """Give the piece at a point of a layer."""
        hits = self.trees[layer].query(Point(x, y), predicate="intersects")
        return int(self.offset[layer] + hits[0]) if len(hits) else None

    def join(self, nodes: list[int]) -> None:
        """Make the groups of some pieces one."""
        for node in nodes[1:]:
            self.parent[self.find(node)] = self.find(nodes[0])


def polygons(shape: BaseGeometry) -> list[BaseGeometry]:
    """Give the pieces of a shape that is one or several."""
    return [p for p in getattr(shape, "geoms", [shape]) if not p.is_empty]
