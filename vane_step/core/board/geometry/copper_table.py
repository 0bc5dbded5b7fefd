"""The copper of a board as columns of numbers, and which pieces lie near each other; judging them is elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from operator import is_not

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.geometry.shapes import LAYER_BIT, CopperItem, copper_items
from vane_step.core.derive import derived
from vane_step.core.design.model import Design
from vane_step.core.memo import Kept

KIND = {"pad": 0, "track": 1, "via": 2, "jumper": 3, "text": 4}
TOUCH_MM = 1e-6
LEAST_BRIDGE_MM = 0.08
# When more pieces than this share of all changed, all columns are written anew.
_MOST_CHANGED = 0.1
Pairs = tuple[np.ndarray, np.ndarray, np.ndarray]


@dataclass(frozen=True, slots=True, eq=False)
class Columns:
    """What is asked of every piece of copper, piece by piece in the order of ``items``.

    Parameters
    ----------
    spines, radius
        The shapes, see :class:`CopperItem`; objects, and mm.
    layers
        A bit for each layer, see ``LAYER_BIT``.
    net
        Number of the net in ``nets``; what is on no net has the number of ``None``.
    kind
        Number of the kind, see ``KIND``.
    boxes
        Bounds of the shapes (n x 4), in mm.
    """

    items: tuple[CopperItem, ...]
    spines: np.ndarray
    radius: np.ndarray
    layers: np.ndarray
    net: np.ndarray
    kind: np.ndarray
    boxes: np.ndarray
    nets: dict[str | None, int]

    def per_net(self, values: dict[str | None, float]) -> np.ndarray:
        """Give for each piece the value of its net."""
        of_number = np.array([values[net] for net in self.nets])
        found: np.ndarray = of_number[self.net]
        return found

    def near_box(self, box: Sequence[float], reach_mm: float) -> np.ndarray:
        """Give the places of the pieces whose boxes come within a reach of a box (x0, y0, x1, y1)."""
        x0, y0, x1, y1 = self.boxes.T
        near = (x0 <= box[2] + reach_mm) & (box[0] - reach_mm <= x1) & (y0 <= box[3] + reach_mm)
        return np.flatnonzero(near & (box[1] - reach_mm <= y1))


def columns(items: Sequence[CopperItem], nets: dict[str | None, int] | None = None) -> Columns:
    """Write some pieces of copper as columns; nets that have a number keep it."""
    nets = {} if nets is None else nets
    spines = np.array([i.spine for i in items], dtype=object)
    radius = np.array([i.radius_mm for i in items], dtype=np.float64)
    bits: dict[tuple[str, ...], int] = {}
    layers = np.array(
        [bits[i.layers] if i.layers in bits else bits.setdefault(i.layers, _bits(i.layers)) for i in items],
        dtype=int,
    )
    net = np.array([nets.setdefault(i.net, len(nets)) for i in items], dtype=int)
    kind = np.array([KIND[i.kind] for i in items], dtype=int)
    boxes = shapely.bounds(spines).reshape(-1, 4) + np.column_stack([-radius, -radius, radius, radius])
    return Columns(tuple(items), spines, radius, layers, net, kind, boxes, nets)


def _bits(layers: tuple[str, ...]) -> int:
    return sum(1 << LAYER_BIT[x] for x in layers)


_last: Kept[Columns] = Kept()


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "texts")
def board_columns(design: Design) -> Columns:
    """Give the copper of a design, pours left out, as columns.

    Where only some pieces differ from the last design of as many pieces, only they are written anew.
    """
    items = copper_items(design)
    past = _last.get(len(items))
    if past is not None and not past.nets.keys() <= {None, *design.nets}:
        past = None
    changed = differing(past.items, items) if past else []
    if past is None or len(changed) > _MOST_CHANGED * len(items):
        found = columns(items)
    else:
        found = _patched(past, items, changed)
    return _last.put(len(items), found)


def differing(before: tuple[CopperItem, ...], after: tuple[CopperItem, ...]) -> list[int]:
    """Give the places at which two lists of as many pieces hold different ones."""
    # The same two are asked for by all that follows an edit.
    known = _differing.get((id(before), id(after)))
    if known is None or known[0] is not before or known[1] is not after:
        flags = np.fromiter(map(is_not, before, after), dtype=bool, count=len(after))
        known = _differing.put((id(before), id(after)), (before, after, np.flatnonzero(flags).tolist()))
    return known[2]


_differing: Kept[tuple[tuple[CopperItem, ...], tuple[CopperItem, ...], list[int]]] = Kept()


def _patched(past: Columns, items: tuple[CopperItem, ...], changed: list[int]) -> Columns:
    fresh = columns([items[k] for k in changed], dict(past.nets))

    def written(old: np.ndarray, new: np.ndarray) -> np.ndarray:
        column = old.copy()
        column[changed] = new
        return column

    return Columns(
        items,
        written(past.spines, fresh.spines),
        written(past.radius, fresh.radius),
        written(past.layers, fresh.layers),
        written(past.net, fresh.net),
        written(past.kind, fresh.kind),
        written(past.boxes, fresh.boxes),
        fresh.nets,
    )


def near(of: Columns, reach_mm: float) -> Pairs:
    """Give all pairs of pieces, of whatever net, that share a layer and lie no farther apart than a reach.

    Returns
    -------
    tuple of arrays
        First and second place of each pair, the first less than the second, and their gap in mm, negative where
        they overlap.
    """
    half = reach_mm / 2
    frames = shapely.box(*(of.boxes + np.array([-half, -half, half, half])).T)
    a, b = STRtree(frames).query(frames)
    keep = a < b
    return _within(of, a[keep], b[keep], reach_mm)


def near_some(of: Columns, some: list[int], reach_mm: float) -> Pairs:
    """Give those pairs of :func:`near` in which one of some pieces takes part."""
    x0, y0, x1, y1 = of.boxes.T
    a0, b0, a1, b1 = (of.boxes[some] + np.array([-1, -1, 1, 1]) * reach_mm).T
    hit = (x0 <= a1[:, None]) & (a0[:, None] <= x1) & (y0 <= b1[:, None]) & (b0[:, None] <= y1)
    k, b = np.nonzero(hit)
    a = np.array(some, dtype=int)[k]
    mine = np.zeros(len(of.items), dtype=bool)
    mine[some] = True
    # Both of a pair may be among them: it is told once.
    keep = (a != b) & ((a < b) | ~mine[b])
    a, b = a[keep], b[keep]
    return _within(of, np.minimum(a, b), np.maximum(a, b), reach_mm)


def _within(of: Columns, a: np.ndarray, b: np.ndarray, reach_mm: float) -> Pairs:
    keep = of.layers[a] & of.layers[b] > 0
    a, b = a[keep], b[keep]
    gap = shapely.distance(of.spines[a], of.spines[b]) - of.radius[a] - of.radius[b]
    keep = gap <= reach_mm + TOUCH_MM
    return a[keep], b[keep], gap[keep]


def once_a_text(of: Columns, at: np.ndarray, other: np.ndarray, gap: np.ndarray) -> np.ndarray:
    """Of breaches by the many lines of a text with one thing, keep only the place of the least gap.

    Parameters
    ----------
    at : int array
        The piece of copper of each breach.
    other : int array
        What each is with.

    Returns
    -------
    int array
        Which breaches to tell, in their order.
    """
    least: dict[tuple[str, int], int] = {}
    keep = []
    for k, (item, it) in enumerate(zip(at.tolist(), other.tolist(), strict=True)):
        if of.items[item].kind != "text":
            keep.append(k)
            continue
        key = of.items[item].id, it
        if key not in least or gap[k] < gap[least[key]]:
            least[key] = k
    return np.array(sorted([*keep, *least.values()]), dtype=int)


def gap_of(design: Design, net: str | None) -> float:
    """Give the least gap the copper of a net keeps to that of others, in mm."""
    return max(design.board.rules.min_clearance_nm, design.rule_of(net).clearance_nm) / 1e6


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "texts")
def near_pairs(design: Design) -> Pairs:
    """Give the pairs :func:`near` each other of a design, as far apart as any rule relates two pieces."""
    of = board_columns(design)
    if not of.items:
        nothing = np.zeros(0, dtype=int)
        return nothing, nothing, np.zeros(0)
    bridge = 2 * max(0, design.board.rules.mask_margin_nm) / 1e6 + LEAST_BRIDGE_MM
    return near(of, max(bridge, *(gap_of(design, net) for net in of.nets)))


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "texts")
def touching_pairs(design: Design) -> tuple[Columns, np.ndarray, np.ndarray, np.ndarray]:
    """Give the pairs of pieces of one net that share a layer and touch, and the columns they count in.

    After an edit only pieces that changed are tried.

    Returns
    -------
    tuple
        The columns, first and second place of each pair, and how far apart the two are in mm, negative where they
        overlap: by so much less than both radii their spines are apart.
    """
    of = board_columns(design)
    past = _touched.get(len(of.items))
    if past is not None:
        before, *pairs = past
        changed = differing(before.items, of.items)
        if len(changed) <= _MOST_CHANGED * len(of.items):
            stale = np.zeros(len(of.items), dtype=bool)
            stale[changed] = True
            keep = ~(stale[pairs[0]] | stale[pairs[1]])
            fresh = _one_net(of, near_some(of, changed, TOUCH_MM))
            a, b, gap = (np.concatenate([old[keep], new]) for old, new in zip(pairs, fresh, strict=True))
            return _touched.put(len(of.items), (of, a, b, gap))
    return _touched.put(len(of.items), (of, *_one_net(of, near_pairs(design))))


_touched: Kept[tuple[Columns, np.ndarray, np.ndarray, np.ndarray]] = Kept()


def _one_net(of: Columns, pairs: Pairs) -> Pairs:
    """Give those of some pairs that are of one net and touch."""
    a, b, gap = pairs
    keep = (gap <= TOUCH_MM) & (of.net[a] == of.net[b])
    return a[keep], b[keep], gap[keep]
