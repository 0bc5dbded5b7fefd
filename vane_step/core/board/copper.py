"""What copper joins: connected groups of a net and the open links left; whether gaps are wide enough is not here."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.geometry import CopperItem, copper_items
from vane_step.core.board.pour import pour_pieces
from vane_step.core.derive import derived
from vane_step.core.design.model import Design

TOUCH_MM = 1e-6


@dataclass(frozen=True, slots=True)
class OpenLink:
    """A connection not yet made in copper, between the two nearest pads of two groups of a net."""

    net: str
    a: str
    b: str
    a_mm: tuple[float, float]
    b_mm: tuple[float, float]

    @property
    def length_mm(self) -> float:
        """Straight distance of the two pads."""
        return float(np.hypot(self.a_mm[0] - self.b_mm[0], self.a_mm[1] - self.b_mm[1]))


@dataclass(frozen=True)
class Connectivity:
    """How the copper of a design hangs together.

    ``labels[i]`` is the group of ``items[i]``; items of different nets are never in one group. ``links_total``
    counts the links a tree over each net's pads needs.
    """

    items: tuple[CopperItem, ...]
    labels: np.ndarray
    open_links: tuple[OpenLink, ...]
    links_total: int
    unplaced: int


def _touching(items: tuple[CopperItem, ...], same_net: bool = True) -> tuple[np.ndarray, np.ndarray]:
    """Give index pairs of items that share a layer and touch."""
    spines = np.array([i.spine for i in items], dtype=object)
    radius = np.array([i.radius_mm for i in items])
    nets = {n: k for k, n in enumerate({i.net for i in items})}
    net = np.array([nets[i.net] for i in items])
    mask = np.array([sum(1 << LAYER_BIT[x] for x in i.layers) for i in items])
    boxes = shapely.bounds(spines) + np.column_stack([-radius, -radius, radius, radius])
    frames = shapely.box(*boxes.T)
    a, b = STRtree(frames).query(frames)
    keep = (a < b) & (mask[a] & mask[b] > 0)
    if same_net:
        keep &= net[a] == net[b]
    a, b = a[keep], b[keep]
    gap = shapely.distance(spines[a], spines[b]) - radius[a] - radius[b]
    near = gap <= TOUCH_MM
    return a[near], b[near]


LAYER_BIT = {"front": 0, "in1": 1, "in2": 2, "back": 3}


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes")
def connectivity(design: Design) -> Connectivity:
    """Work out the groups of joined copper and the open links of a design.

    Two pieces are joined when they are of one net, share a layer and touch; a jumper's wire joins its two pads,
    a pour all copper of its net that it reaches.
    """
    items = copper_items(design)
    if not items:
        return Connectivity(items, np.zeros(0, dtype=int), (), 0, _unplaced(design))
    a, b = _touching(items)
    extra = _wires(items) + _poured(design, items)
    count = len(items) + _pour_count(design)
    rows = np.concatenate([a, np.array([e[0] for e in extra], dtype=int)])
    cols = np.concatenate([b, np.array([e[1] for e in extra], dtype=int)])
    # Here, since loading it takes a quarter of a second that refusals have no use for.
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    graph = coo_array((np.ones(len(rows), dtype=np.int8), (rows, cols)), shape=(count, count))
    labels = connected_components(graph, directed=False)[1]
    links, total = _open_links(items, labels)
    return Connectivity(items, labels[: len(items)], links, total, _unplaced(design))


def _unplaced(design: Design) -> int:
    return sum(1 for p in design.parts.values() if p.place is None)


def _wires(items: tuple[CopperItem, ...]) -> list[tuple[int, int]]:
    first: dict[str, int] = {}
    pairs = []
    for i, item in enumerate(items):
        if item.kind == "jumper":
            if item.id in first:
                pairs.append((first[item.id], i))
            else:
                first[item.id] = i
    return pairs


def _pour_count(design: Design) -> int:
    return sum(len(p.pieces) for p in pour_pieces(design))


def _poured(design: Design, items: tuple[CopperItem, ...]) -> list[tuple[int, int]]:
    """Give pairs of an item and the pour piece (numbered after the items) that reaches it."""
    pairs = []
    node = len(items)
    for pour in pour_pieces(design):
        mine = [i for i, item in enumerate(items) if item.net == pour.net and pour.layer in item.layers]
        spines = np.array([items[i].spine for i in mine], dtype=object)
        radius = np.array([items[i].radius_mm for i in mine])
        for piece in pour.pieces:
            shapely.prepare(piece)
            if mine:
                near = shapely.dwithin(piece, spines, radius + TOUCH_MM)
                pairs += [(mine[k], node) for k in np.flatnonzero(near)]
            node += 1
    return pairs


def _open_links(items: tuple[CopperItem, ...], labels: np.ndarray) -> tuple[tuple[OpenLink, ...], int]:
    pads: dict[str, list[int]] = {}
    for i, item in enumerate(items):
        if item.kind == "pad" and item.net:
            pads.setdefault(item.net, []).append(i)
    links: list[OpenLink] = []
    total = 0
    for net, mine in sorted(pads.items()):
        total += len(mine) - 1
        links += _links_of(net, mine, items, labels)
    return tuple(links), total


def _links_of(net: str, mine: list[int], items: tuple[CopperItem, ...], labels: np.ndarray) -> list[OpenLink]:
    """Join the groups of one net by the shortest links between pads (Prim's tree over groups)."""
    group = labels[mine]
    if len(set(group.tolist())) <= 1:
        return []
    at = np.array([(items[i].x_mm, items[i].y_mm) for i in mine])
    inside = group == group[0]
    best = np.full(len(mine), np.inf)
    source = np.zeros(len(mine), dtype=int)
    fresh = np.flatnonzero(inside)
    links: list[OpenLink] = []
    while True:
        for k in fresh:
            d = np.hypot(*(at - at[k]).T)
            closer = d < best
            best[closer] = d[closer]
            source[closer] = k
        if inside.all():
            return links
        nearest = int(np.argmin(np.where(inside, np.inf, best)))
        one, two = items[mine[int(source[nearest])]], items[mine[nearest]]
        links.append(OpenLink(net, one.id, two.id, (one.x_mm, one.y_mm), (two.x_mm, two.y_mm)))
        fresh = np.flatnonzero(group == group[nearest])
        inside = inside | (group == group[nearest])


def shorts(design: Design) -> list[tuple[CopperItem, CopperItem]]:
    """List pairs of touching copper of different nets."""
    items = copper_items(design)
    if not items:
        return []
    a, b = _touching(items, same_net=False)
    return [(items[i], items[j]) for i, j in zip(a, b, strict=True) if items[i].net != items[j].net]
