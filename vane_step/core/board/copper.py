"""What copper joins: connected groups of a net and the open links left; whether gaps are wide enough is not here."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.strtree import STRtree

from vane_step.core.board.geometry import CopperItem, copper_items
from vane_step.core.board.pour import pour_pieces
from vane_step.core.derive import Kept, derived
from vane_step.core.design.model import Design

TOUCH_MM = 1e-6
LAYER_BIT = {"front": 0, "in1": 1, "in2": 2, "back": 3}


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


@dataclass(frozen=True, slots=True)
class NetCopper:
    """The copper of one net: its items, their places among all items, and what tells whether any is another one.

    Whoever keeps something by ``identity`` has to hold the items as well, so that no other item gets the same.
    """

    items: tuple[CopperItem, ...]
    places: list[int]
    identity: tuple[int, ...]


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers")
def net_copper(design: Design) -> dict[str | None, NetCopper]:
    """Give the copper of every net, pours left out; under ``None`` what is on no net."""
    items = copper_items(design)
    places: dict[str | None, list[int]] = {}
    for k, item in enumerate(items):
        places.setdefault(item.net, []).append(k)
    found = {}
    for net, mine in places.items():
        some = tuple([items[k] for k in mine])
        found[net] = NetCopper(some, mine, tuple(map(id, some)))
    return found


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes")
def connectivity(design: Design) -> Connectivity:
    """Work out the groups of joined copper and the open links of a design.

    Two pieces are joined when they are of one net, share a layer and touch; a jumper's wire joins its two pads,
    a pour all copper of its net that it reaches.
    """
    items = copper_items(design)
    pours: dict[str, list[tuple[str, Polygon]]] = {}
    for pour in pour_pieces(design):
        pours.setdefault(pour.net, []).extend((pour.layer, piece) for piece in pour.pieces)
    links: list[OpenLink] = []
    places: list[int] = []
    labels: list[np.ndarray] = []
    total = 0
    count = 0
    nets = net_copper(design)
    for net in sorted(nets, key=lambda n: n or ""):
        joined = _joined(net, nets[net], pours.get(net or "", []))
        places += nets[net].places
        labels.append(joined.labels + count)
        count += joined.groups
        links += joined.links
        total += joined.wanted
    in_order = np.zeros(len(items), dtype=int)
    in_order[places] = np.concatenate(labels) if labels else 0
    return Connectivity(items, in_order, tuple(links), total, _unplaced(design))


@dataclass(frozen=True, slots=True)
class _Joined:
    """How the copper of one net hangs together; the pieces are held, so that no other gets their identity."""

    items: tuple[CopperItem, ...]
    labels: np.ndarray
    groups: int
    links: tuple[OpenLink, ...]
    wanted: int


_of_net: Kept[_Joined] = Kept(8_000)


def _joined(net: str | None, copper: NetCopper, poured: list[tuple[str, Polygon]]) -> _Joined:
    items, key = copper.items, (net, copper.identity)
    if not poured:
        found = _of_net.get(key)
        if found is not None:
            return found
    a, b = _touching_still(net, items)
    extra = _wires(items) + _poured(items, poured)
    labels = _groups(len(items) + len(poured), [*zip(a.tolist(), b.tolist(), strict=True), *extra])[: len(items)]
    pads = [k for k, item in enumerate(items) if item.kind == "pad"] if net else []
    links = _links_of(net, pads, items, labels) if net and pads else []
    result = _Joined(items, labels, int(labels.max()) + 1, tuple(links), max(0, len(pads) - 1))
    return result if poured else _of_net.put(key, result)


def _groups(count: int, pairs: list[tuple[int, int]]) -> np.ndarray:
    """Number the groups that pairs join among things 0 to count - 1 (union by path halving)."""
    root = list(range(count))
    for one, two in pairs:
        while root[one] != one:
            root[one] = one = root[root[one]]
        while root[two] != two:
            root[two] = two = root[root[two]]
        root[max(one, two)] = min(one, two)
    labels = [0] * count
    groups = 0
    # A root is the least of its group, so it is met, and numbered, first.
    for k in range(count):
        if root[k] == k:
            labels[k] = groups
            groups += 1
        else:
            labels[k] = labels[root[k]]
    return np.array(labels, dtype=int)


# Up to this many pieces all pairs are tried; a tree costs more than it saves.
_FEW = 40


def touching(items: tuple[CopperItem, ...]) -> tuple[np.ndarray, np.ndarray]:
    """Give index pairs of items, of whatever net, that share a layer and touch."""
    if len(items) <= _FEW:
        a, b = np.triu_indices(len(items), 1)
    else:
        radius = np.array([i.radius_mm for i in items])
        boxes = shapely.bounds([i.spine for i in items]) + np.column_stack([-radius, -radius, radius, radius])
        frames = shapely.box(*boxes.T)
        a, b = STRtree(frames).query(frames)
        a, b = a[a < b], b[a < b]
    return _that_touch(items, a, b)


def _that_touch(items: tuple[CopperItem, ...], a: np.ndarray, b: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Give those of some index pairs that share a layer and touch."""
    spines = np.array([i.spine for i in items], dtype=object)
    radius = np.array([i.radius_mm for i in items])
    mask = np.array([sum(1 << LAYER_BIT[x] for x in i.layers) for i in items])
    keep = mask[a] & mask[b] > 0
    a, b = a[keep], b[keep]
    near = shapely.distance(spines[a], spines[b]) - radius[a] - radius[b] <= TOUCH_MM
    return a[near], b[near]


# What touched of a net last time: its pieces, the place of each by identity, and the pairs.
_Past = tuple[tuple[CopperItem, ...], dict[int, int], np.ndarray, np.ndarray]
_past_of: Kept[_Past] = Kept(2_000)


def _touching_still(net: str | None, items: tuple[CopperItem, ...]) -> tuple[np.ndarray, np.ndarray]:
    """Give what :func:`touching` gives for a net's copper; only pieces that were not there last time are tried."""
    past = _past_of.get(net)
    fresh = [k for k, item in enumerate(items) if id(item) not in past[1]] if past else []
    if past is None or len(items) <= _FEW or len(fresh) > _FEW:
        a, b = touching(items)
    else:
        now = np.full(len(past[0]), -1)
        kept = [k for k, item in enumerate(items) if id(item) in past[1]]
        now[[past[1][id(items[k])] for k in kept]] = kept
        a, b = now[past[2]], now[past[3]]
        stay = (a >= 0) & (b >= 0)
        old, new = np.meshgrid(np.array(kept, dtype=int), np.array(fresh, dtype=int))
        some, others = np.triu_indices(len(fresh), 1)
        at = np.array(fresh, dtype=int)
        c, d = _that_touch(items, np.concatenate([old.ravel(), at[some]]), np.concatenate([new.ravel(), at[others]]))
        a, b = np.concatenate([a[stay], c]), np.concatenate([b[stay], d])
    _past_of.put(net, (items, {id(item): k for k, item in enumerate(items)}, a, b))
    return a, b


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


def _poured(items: tuple[CopperItem, ...], poured: list[tuple[str, Polygon]]) -> list[tuple[int, int]]:
    """Give pairs of an item and the piece of pour of its net (numbered after the items) that reaches it."""
    pairs = []
    for node, (layer, piece) in enumerate(poured, len(items)):
        mine = [k for k, item in enumerate(items) if layer in item.layers]
        if mine:
            shapely.prepare(piece)
            reach = np.array([items[k].radius_mm for k in mine]) + TOUCH_MM
            near = shapely.dwithin(piece, np.array([items[k].spine for k in mine], dtype=object), reach)
            pairs += [(mine[k], node) for k in np.flatnonzero(near)]
    return pairs


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
    a, b = touching(items)
    return [(items[i], items[j]) for i, j in zip(a, b, strict=True) if items[i].net != items[j].net]
