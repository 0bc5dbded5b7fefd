"""Joints of laid copper that hold by less than the maker's least width, such as a track that only grazes a pad.

Two pieces that overlap by a hair count as joined in the circuit and are etched apart on the board. Only pairs that
overlap by little are looked at; what they hang together by is measured on all copper of their net near them, pours too,
so that a joint beside a better one is left alone.
"""

from __future__ import annotations

from collections.abc import Iterator
from operator import is_not

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import at, breach, named, sentence
from vane_step.core.board.geometry.copper_table import Columns
from vane_step.core.board.geometry.shapes import LAYER_BIT, CopperItem
from vane_step.core.board.geometry.thinness import necks
from vane_step.core.finding import Finding
from vane_step.core.memo import Kept

# A lens that two circles of this share of the least width share is wider than the least width (chord of a circle).
DEEP_ENOUGH = 0.75
# Spines no farther apart than this touch.
TINY_MM = 1e-9
# Widths are read to this.
READ_MM = 0.001


def joint_findings(laid: Layout) -> Iterator[Finding]:
    """Find joints narrower than the maker's least width, once for each two pieces."""
    least = laid.rules.min_width_nm / 1e6
    of, a, b, gap = laid.touching
    if not len(a):
        return
    # Of a track whose spine reaches into a rectangle all its width is in it.
    flat = (of.radius[a] == 0) | (of.radius[b] == 0)
    apart = gap + of.radius[a] + of.radius[b]
    shallow = np.where(flat, apart > TINY_MM, -gap < DEEP_ENOUGH * least)
    bits = of.layers[a[shallow]] & of.layers[b[shallow]] & ~_between(of, a, b, shallow)
    some = np.flatnonzero(bits)
    rows = np.flatnonzero(shallow)[some]
    for i, j, on in zip(a[rows].tolist(), b[rows].tolist(), bits[some].tolist(), strict=True):
        for layer in [name for name, bit in LAYER_BIT.items() if on >> bit & 1]:
            one, two = of.items[i], of.items[j]
            thin = _thinnest(laid, of, (i, j), layer, least)
            if thin is not None:
                wide, x, y = thin
                text = sentence(f"{named(one)} and {named(two)} hang together by too little")
                yield breach(laid, "thin-joint", text, wide, least, at(x, y, two))
                break


def _between(of: Columns, a: np.ndarray, b: np.ndarray, shallow: np.ndarray) -> np.ndarray:
    """Give for each shallow pair the layers of the pieces that both hold on to: a bend's outer pieces meet as well."""
    count = len(of.items)
    source, goal = np.concatenate([a[~shallow], b[~shallow]]), np.concatenate([b[~shallow], a[~shallow]])
    order = np.argsort(source, kind="stable")
    source, goal = source[order], goal[order]
    known = np.sort(source * count + goal)
    if not len(known):
        return np.zeros(np.count_nonzero(shallow), dtype=int)
    first, second = a[shallow], b[shallow]
    starts, ends = np.searchsorted(source, first), np.searchsorted(source, first, side="right")
    # One row for each shallow pair and each piece its first holds on to.
    pair = np.repeat(np.arange(len(first)), ends - starts)
    middle = goal[np.arange(len(pair)) - np.repeat(np.cumsum(ends - starts) - ends, ends - starts)]
    asked = middle * count + second[pair]
    both = known[np.minimum(np.searchsorted(known, asked), len(known) - 1)] == asked
    found = np.zeros(len(first), dtype=int)
    np.bitwise_or.at(found, pair[both], of.layers[middle[both]])
    return found


def _thinnest(
    laid: Layout, of: Columns, pair: tuple[int, int], layer: str, least: float
) -> tuple[float, float, float] | None:
    """Measure what two pieces hang together by, among all copper of their net about their joint."""
    one, two = (of.items[k] for k in pair)
    # Where they meet lies in what their boxes share; copper about it is looked at four least widths far.
    (x0, y0, *_), (*_, x1, y1) = of.boxes[list(pair)].max(axis=0), of.boxes[list(pair)].min(axis=0)
    near = [of.items[k] for k in of.near_box((x0, y0, x1, y1), 4 * least).tolist()]
    held = [i for i in near if i.net == one.net and layer in i.layers]
    poured = [p for pour in laid.poured if (pour.net, pour.layer) == (one.net, layer) for p in pour.pieces]
    # What did not change is the same object: a joint is measured anew only where copper near it did.
    key, objects = (id(one), id(two), layer, least), [*held, *poured]
    past = _of_joint.get(key)
    if past is None or len(past[0]) != len(objects) or any(map(is_not, past[0], objects)):
        past = _of_joint.put(key, (objects, _narrowest(one.shape(), two.shape(), held, poured, least)))
    return past[1]


# Of each joint what it was measured among, held so that no other object gets its identity, and its width.
_of_joint: Kept[tuple[list[object], tuple[float, float, float] | None]] = Kept()


def _narrowest(
    one: BaseGeometry, two: BaseGeometry, held: list[CopperItem], poured: list[Polygon], least: float
) -> tuple[float, float, float] | None:
    """Measure the narrowest place about the joint of two shapes that copper would fall apart at."""
    meet = one.intersection(two)
    if meet.is_empty:
        return None
    x0, y0, x1, y1 = meet.bounds
    window = shapely.box(x0 - 4 * least, y0 - 4 * least, x1 + 4 * least, y1 + 4 * least)
    whole = shapely.union_all([s.intersection(window) for s in (*(i.shape() for i in held), *poured)])
    about = meet.buffer(least / 2)

    def parting(width: float) -> list[tuple[float, float, float]]:
        return [
            (neck.width_mm, *neck.across.centroid.coords[0])
            for piece in shapely.get_parts(whole)
            if isinstance(piece, Polygon)
            for neck in necks(piece, width)
            if neck.parts and neck.across.intersects(about)
        ]

    found = min(parting(least), default=None)
    if found is None or found[0] < least:
        return found
    # Across what two discs share may be longer than the neck is wide: its width is that of the widest disc to pass.
    low, high = 0.0, least
    while high - low > READ_MM:
        middle = (low + high) / 2
        low, high = (low, middle) if parting(middle) else (middle, high)
    return low, found[1], found[2]
