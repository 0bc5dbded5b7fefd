"""Which narrow pieces of a net are necks: wide enough for one, and all of them near pads; their heat is not here."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from operator import is_not

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.shapes import CopperItem
from vane_step.core.design.model import NetRule
from vane_step.core.memo import Kept

TOLERANCE_MM = 1e-6
# Parts a piece is cut into where no one pad reaches all of it.
PARTS = 64


@dataclass(frozen=True, slots=True, eq=False)
class _Necks:
    """Which pieces of a net were necks, and what that was worked out from."""

    rule: NetRule
    pieces: list[CopperItem]
    pads: list[CopperItem]
    found: list[bool]


_necks_of: Kept[_Necks] = Kept()


def necks_among(rule: NetRule, pieces: list[CopperItem], pads: list[CopperItem]) -> list[bool]:
    """Tell for each piece of a net whether it is thin and a legal neck outside of wide tracks, see :func:`is_neck`.

    Where pads moved since the net was last asked for, only pieces near them are judged anew.
    """
    if not pads or not pieces or rule.neck_width_nm is None or rule.neck_length_nm is None:
        return [False] * len(pieces)
    low, high = rule.neck_width_nm / 1e6 - TOLERANCE_MM, rule.width_nm / 1e6 - TOLERANCE_MM
    thin = [k for k, p in enumerate(pieces) if low <= p.width_mm < high]
    found = [False] * len(pieces)
    past = _necks_of.get(pieces[0].net)
    if past is not None and past.rule == rule and len(past.pads) == len(pads) and _same(past.pieces, pieces):
        moved = [pad for two in zip(past.pads, pads, strict=True) if two[0] is not two[1] for pad in two]
        found = list(past.found)
        thin = [thin[k] for k in _near_pads(rule, [pieces[k] for k in thin], moved)]
    wide = [p for p in pieces if p.width_mm >= high]
    for k, neck in zip(thin, _judged(rule, [pieces[k] for k in thin], pads), strict=True):
        found[k] = neck or _beyond_wide(rule, pieces[k], wide, pads)
    return _necks_of.put(pieces[0].net, _Necks(rule, pieces, pads, found)).found


def _same(some: list[CopperItem], others: list[CopperItem]) -> bool:
    return len(some) == len(others) and not any(map(is_not, some, others))


def _near_pads(rule: NetRule, pieces: list[CopperItem], pads: list[CopperItem]) -> list[int]:
    """Give the places of those pieces that come near enough to one of some pads to be its neck."""
    reach = (rule.neck_length_nm or 0) / 1e6 + TOLERANCE_MM
    lines = np.array([p.spine for p in pieces], dtype=object)
    near = np.zeros(len(pieces), dtype=bool)
    for pad in pads:
        near |= shapely.dwithin(lines, pad.spine, reach + pad.radius_mm)
    found: list[int] = np.flatnonzero(near).tolist()
    return found


def bare_of(spine: BaseGeometry, wide: Iterable[CopperItem], layer: str) -> BaseGeometry:
    """Give what of a line lies outside of tracks as wide as their rule: within them it is no narrow place."""
    near = [w.shape() for w in wide if layer in w.layers and w.spine.dwithin(spine, w.radius_mm)]
    return spine.difference(shapely.union_all(near)) if near else spine


def _beyond_wide(rule: NetRule, piece: CopperItem, wide: list[CopperItem], pads: list[CopperItem]) -> bool:
    """Tell whether what of a thin piece lies outside of wide tracks is near pads."""
    bare = bare_of(piece.spine, wide, piece.layers[0])
    if bare is piece.spine:
        return False
    parts = [g for g in shapely.get_parts(bare).tolist() if g.length > TOLERANCE_MM]
    return all(is_neck(rule, replace(piece, spine=part), pads) for part in parts)


def _judged(rule: NetRule, thin: list[CopperItem], pads: list[CopperItem]) -> list[bool]:
    """Tell for each of some thin pieces whether all of it is near pads; most lie near one, all asked at once."""
    if not thin:
        return []
    reach = (rule.neck_length_nm or 0) / 1e6 + TOLERANCE_MM
    round_it = np.array([p.radius_mm for p in pads])
    spines = np.array([p.spine for p in pads], dtype=object)
    lines = np.array([p.spine for p in thin], dtype=object)
    k, pad = shapely.STRtree(spines).query(lines, predicate="dwithin", distance=reach + round_it.max())
    # What is straight is within reach of a convex pad when both its ends are.
    ends = [shapely.distance(shapely.get_point(lines[k], n), spines[pad]) for n in (0, -1)]
    first, last = (end - round_it[pad] <= reach for end in ends)
    one, some = np.zeros(len(thin), dtype=bool), np.zeros((2, len(thin)), dtype=bool)
    one[k[first & last]] = True
    some[0, k[first]] = some[1, k[last]] = True
    for i in np.flatnonzero(some.all(axis=0) & ~one).tolist():
        one[i] = is_neck(rule, thin[i], [pads[n] for n in pad[k == i]])
    found: list[bool] = one.tolist()
    return found


def is_neck(rule: NetRule, piece: CopperItem, pads: Iterable[CopperItem]) -> bool:
    """Tell whether a thin piece is a legal neck: wide enough, and all of it near pads of its net."""
    if rule.neck_width_nm is None or rule.neck_length_nm is None:
        return False
    if piece.width_mm < rule.neck_width_nm / 1e6 - TOLERANCE_MM:
        return False
    return covered(piece, list(pads), rule.neck_length_nm / 1e6 + TOLERANCE_MM)


def covered(piece: CopperItem, pads: list[CopperItem], reach: float) -> bool:
    """Tell whether each point of a piece is within reach of some pad: each of its parts within reach of one."""
    if not pads:
        return False
    spines, radius = np.array([p.spine for p in pads], dtype=object), np.array([p.radius_mm for p in pads])
    a, b = np.array(piece.spine.coords)[[0, -1]]
    # What is straight is within reach of a convex pad when both its ends are.
    points = shapely.points(a + (b - a) * np.linspace(0, 1, PARTS + 1)[:, None])
    ends = shapely.distance(spines[:, None], points[[0, -1]]) - radius[:, None] <= reach
    if ends.all(axis=1).any():
        return True
    if not ends.any(axis=0).all():
        return False
    near = shapely.distance(spines[:, None], points) - radius[:, None] <= reach
    return bool((near[:, :-1] & near[:, 1:]).any(axis=0).all())
