"""What copper joins: connected groups of a net and the open links left; whether gaps are wide enough is not here."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.board.copper.pour_fill import PouredCopper, pour_pieces
from vane_step.core.board.geometry.copper_table import (
    KIND,
    TOUCH_MM,
    Columns,
    board_columns,
    differing,
    touching_pairs,
)
from vane_step.core.board.geometry.shapes import LAYER_BIT, CopperItem
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design
from vane_step.core.memo import Kept


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
    counts the links a tree over each net's pins needs, by the circuit and not by what copper there is; ``links_made``
    those that copper makes. ``bare_pins`` are pins of placed parts that are on a net and have no copper at all: their
    package has no such pad, or it lies on a side without copper.
    """

    items: tuple[CopperItem, ...]
    labels: np.ndarray
    open_links: tuple[OpenLink, ...]
    links_total: int
    links_made: int
    unplaced: int
    bare_pins: tuple[str, ...]


@dataclass(frozen=True, slots=True, eq=False)
class NetCopper:
    """The copper of one net, and its places among all items; the same object as long as none of it changed."""

    items: tuple[CopperItem, ...]
    places: np.ndarray


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "texts")
def net_copper(design: Design) -> dict[str | None, NetCopper]:
    """Give the copper of every net, pours left out; under ``None`` what is on no net."""
    of = board_columns(design)
    past = _copper_of_nets.get(len(of.items))
    order = np.argsort(of.net, kind="stable")
    ends = np.searchsorted(of.net[order], np.arange(len(of.nets) + 1))
    moved: set[int] | None = None
    if past is not None:
        changed = differing(past[0].items, of.items)
        moved = (
            {*past[0].net[changed].tolist(), *of.net[changed].tolist()} if past[0].nets == of.nets else None
        )
    found = {}
    for name, k in of.nets.items():
        known = past[1].get(name) if past is not None and moved is not None and k not in moved else None
        if known is None:
            places = order[ends[k] : ends[k + 1]]
            known = NetCopper(tuple([of.items[i] for i in places.tolist()]), places)
        if known.items:
            found[name] = known
    return _copper_of_nets.put(len(of.items), (of, found))[1]


_copper_of_nets: Kept[tuple[Columns, dict[str | None, NetCopper]]] = Kept()


@derived(*COPPER)
def connectivity(design: Design) -> Connectivity:
    """Work out the groups of joined copper and the open links of a design.

    Two pieces are joined when they are of one net, share a layer and touch; a jumper's wire joins its two pads,
    a pour all copper of its net that it reaches.
    """
    of, a, b, _ = touching_pairs(design)
    if not of.items:
        bare, total = _by_the_circuit(design, of, np.zeros(0, dtype=int))
        return Connectivity((), np.zeros(0, dtype=int), (), total, 0, _unplaced(design), bare)
    pieces = [(pour, piece) for pour in pour_pieces(design) for piece in pour.pieces]
    extra = np.array([*_wires(of), *_poured(of, pieces)], dtype=int).reshape(-1, 2)
    count = len(of.items) + len(pieces)
    labels = _groups(count, np.concatenate([a, extra[:, 0]]), np.concatenate([b, extra[:, 1]]))[
        : len(of.items)
    ]
    pads = np.flatnonzero((of.kind == KIND["pad"]) & (of.net != of.nets.get(None, -1)))
    net, label = of.net[pads], labels[pads]
    # The group of each net's first pad; a net is open where another pad is in another group.
    first = np.zeros(len(of.nets), dtype=int)
    first[net[::-1]] = label[::-1]
    torn = np.zeros(len(of.nets), dtype=bool)
    torn[net[label != first[net]]] = True
    links: list[OpenLink] = []
    for name in sorted(name for name, k in of.nets.items() if name is not None and torn[k]):
        links += _links_of(name, pads[net == of.nets[name]].tolist(), of.items, labels)
    with_copper = int(np.maximum(np.bincount(net, minlength=1) - 1, 0).sum())
    bare, total = _by_the_circuit(design, of, pads)
    made = with_copper - len(links)
    return Connectivity(of.items, labels, tuple(links), total, made, _unplaced(design), bare)


def _by_the_circuit(design: Design, of: Columns, pads: np.ndarray) -> tuple[tuple[str, ...], int]:
    """Give the pins of placed parts that have no copper, and the links all nets need, waiting parts among them."""
    have: dict[str, int] = {}
    for k in pads.tolist():
        have[of.items[k].id] = have.get(of.items[k].id, 0) + 1
    bare: list[str] = []
    total = 0
    for net in design.nets.values():
        count = 0
        for pin in net.pins:
            # A pin may have several pads, each of which wants its copper.
            count += have.get(pin, 1)
            if pin not in have:
                part = design.parts.get(pin.partition(".")[0])
                if part is not None and part.place is not None:
                    bare.append(pin)
        total += max(0, count - 1)
    return tuple(bare), total


def _groups(count: int, a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Number the groups that pairs join among things 0 to count - 1, in the order of the first of each.

    Every thing points at a lesser one of its group; the greater of two roots is hung on the lesser, then all
    pointers are followed to their ends (Shiloach and Vishkin 1982, without their need for many processors).
    """
    root = np.arange(count)
    while True:
        low, high = np.minimum(root[a], root[b]), np.maximum(root[a], root[b])
        if (low == high).all():
            break
        np.minimum.at(root, high, low)
        while (further := root[root]).tobytes() != root.tobytes():
            root = further
    numbers = np.cumsum(root == np.arange(count)) - 1
    found: np.ndarray = numbers[root]
    return found


def _unplaced(design: Design) -> int:
    return sum(1 for p in design.parts.values() if p.place is None)


def _wires(of: Columns) -> list[tuple[int, int]]:
    first: dict[str, int] = {}
    pairs = []
    for i in np.flatnonzero(of.kind == KIND["jumper"]).tolist():
        name = of.items[i].id
        if name in first:
            pairs.append((first[name], i))
        else:
            first[name] = i
    return pairs


def _poured(of: Columns, poured: list[tuple[PouredCopper, Polygon]]) -> list[tuple[int, int]]:
    """Give pairs of an item and the piece of pour of its net (numbered after the items) that reaches it."""
    pairs = []
    for node, (pour, piece) in enumerate(poured, len(of.items)):
        mine = np.flatnonzero(
            (of.net == of.nets.get(pour.net, -1)) & (of.layers & 1 << LAYER_BIT[pour.layer] > 0)
        )
        shapely.prepare(piece)
        near = shapely.dwithin(piece, of.spines[mine], of.radius[mine] + TOUCH_MM)
        pairs += [(int(k), node) for k in mine[near]]
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
