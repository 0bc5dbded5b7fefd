"""The most current each piece of a net's copper can carry, by what the pins beyond it can pass; how warm it gets is
judged in ``drc``.

A net's current that was said is its most anywhere. Where a piece of copper is the only way to some pins it carries no
more than those can pass: the track to a divider's resistor carries what stands across it over its ohms, however much
the net carries elsewhere. Around a loop nothing is known of the share of each way, so all of it counts.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
import shapely
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from vane_step.core.board.copper.connectivity import NetCopper
from vane_step.core.board.copper.pour_fill import PouredCopper
from vane_step.core.board.geometry.copper_table import TOUCH_MM
from vane_step.core.board.geometry.shapes import CopperItem

# Laws of heat have no answer at zero: a piece that leads nowhere counts as carrying this.
LEAST_A = 1e-3


class CutCurrents:
    """The copper of one net as pieces that touch, with what the pins at its pads can pass.

    Parameters
    ----------
    limits
        What pins can pass at most, see ``pin_limits``.
    pours
        The pours of the net.
    copper
        Its copper, whose pieces are asked for.
    claim_a
        The current said of the net.
    """

    def __init__(
        self, limits: Mapping[str, float], pours: Sequence[PouredCopper], copper: NetCopper, claim_a: float
    ) -> None:
        self.claim_a = claim_a
        self.items: Sequence[CopperItem] = copper.items
        self._places = {id(item): k for k, item in enumerate(self.items)}
        known = limits
        self._limit = np.array(
            [
                0.0
                if i.kind != "pad"
                else min(known.get(i.id, claim_a), claim_a)
                if i.id in known
                else math.inf
                for i in self.items
            ]
        )
        poured = [(p.layer, q) for p in pours for q in p.pieces]
        self.count = len(self.items) + len(poured)
        self._limit = np.concatenate([self._limit, np.zeros(len(poured))])
        spines = np.array([i.spine for i in self.items], dtype=object)
        radius = np.array([i.radius_mm for i in self.items])
        layers = [set(i.layers) for i in self.items]
        a, b = self._touching(spines, radius, layers)
        for node, (layer, piece) in enumerate(poured, len(self.items)):
            shapely.prepare(piece)
            near = np.flatnonzero(shapely.dwithin(piece, spines, radius + TOUCH_MM))
            mine = np.array([k for k in near.tolist() if layer in layers[k]], dtype=int)
            a, b = np.concatenate([a, mine]), np.concatenate([b, np.full(len(mine), node)])
        self._a, self._b = a, b
        self._pours = poured

    def _touching(
        self, spines: np.ndarray, radius: np.ndarray, layers: list[set[str]]
    ) -> tuple[np.ndarray, np.ndarray]:
        if not len(spines):
            return np.zeros(0, dtype=int), np.zeros(0, dtype=int)
        a, b = shapely.STRtree(spines).query(
            spines, predicate="dwithin", distance=2 * float(radius.max()) + TOUCH_MM
        )
        once = a < b
        a, b = a[once], b[once]
        near = shapely.dwithin(spines[a], spines[b], radius[a] + radius[b] + TOUCH_MM)
        a, b = a[near], b[near]
        same = np.array([bool(layers[i] & layers[k]) for i, k in zip(a, b, strict=True)], dtype=bool)
        wires: dict[str, int] = {}
        ends = [
            (wires[i.id], k)
            for k, i in enumerate(self.items)
            if i.kind == "jumper" and wires.setdefault(i.id, k) != k
        ]
        pairs = np.array(ends, dtype=int).reshape(-1, 2)
        return np.concatenate([a[same], pairs[:, 0]]), np.concatenate([b[same], pairs[:, 1]])

    def most_a(self, cut: Sequence[CopperItem]) -> float:
        """Give the most that can pass pieces that lie together, in amperes.

        Without them the net falls apart: no more passes than what all but one of the sides can take or give. Where it
        does not fall apart they are one of several ways, and the whole counts; so it does for one that leads nowhere
        but is not a track.
        """
        gone = np.zeros(self.count, dtype=bool)
        gone[[self._places[id(i)] for i in cut]] = True
        keep = ~(gone[self._a] | gone[self._b])
        ones = np.ones(int(keep.sum()), dtype=np.int8)
        graph = coo_array((ones, (self._a[keep], self._b[keep])), shape=(self.count, self.count))
        labels = connected_components(graph, directed=False)[1]
        beside = np.concatenate([self._b[gone[self._a]], self._a[gone[self._b]]])
        beside = np.unique(beside[~gone[beside]])
        sides = np.unique(labels[beside])
        if any(self._around(cut, beside[labels[beside] == side]) for side in sides):
            return self.claim_a
        if len(sides) < 2 and any(i.kind != "track" for i in cut):
            return self.claim_a
        sums = sorted(float(self._limit[(labels == side) & ~gone].sum()) for side in sides)
        return max(min(self.claim_a, sum(sums[:-1])), LEAST_A)

    def _around(self, cut: Sequence[CopperItem], beside: np.ndarray) -> bool:
        """Whether what hangs together beside a cut touches it in two places: then current has a way around it."""
        if len(beside) < 2:
            return False
        if any(i.kind != "track" for i in cut):
            layers = [set(self._layers_of(k)) for k in beside.tolist()]
            return not set.intersection(*layers)
        track = cut[0]
        shapes = [
            self.items[k].spine if k < len(self.items) else self._pours[k - len(self.items)][1]
            for k in beside.tolist()
        ]
        radius = [self.items[k].radius_mm if k < len(self.items) else 0.0 for k in beside.tolist()]
        reach = np.array(radius) + track.radius_mm + TOUCH_MM
        # Mostly all of it is at one end.
        for end in (0, -1):
            if shapely.dwithin(shapely.get_point(track.spine, end), shapes, reach).all():
                return False
        low, high = math.inf, 0.0
        for shape, far in zip(shapes, reach.tolist(), strict=True):
            within = track.spine.intersection(shape.buffer(far))
            for at in shapely.get_coordinates(within).tolist():
                along = float(track.spine.project(shapely.Point(at)))
                low, high = min(low, along), max(high, along)
        return high - low > 2 * float(reach.max()) + TOUCH_MM

    def _layers_of(self, k: int) -> tuple[str, ...]:
        return self.items[k].layers if k < len(self.items) else (self._pours[k - len(self.items)][0],)


def limits_on(limits: Mapping[str, float], copper: NetCopper) -> tuple[float | None, ...]:
    """Give what the pin of each pad of a net can pass at most, none where that is not known."""
    return tuple(limits.get(i.id) for i in copper.items if i.kind == "pad")


def cuts_of(
    limits: Mapping[str, float], pours: Sequence[PouredCopper], copper: NetCopper, claim_a: float
) -> CutCurrents | None:
    """Give what bounds the current in pieces of a net; none where nothing does."""
    if not any(a is not None and a < claim_a for a in limits_on(limits, copper)):
        return None
    return CutCurrents(limits, pours, copper, claim_a)
