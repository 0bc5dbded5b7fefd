"""What is laid on a board as exact shapes: tracks piece by piece, vias, jumpers, texts; pads are in ``shapes``."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.lettering import copper_lines, in_copper, layer_of, line_mm
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Jumper, Track, Via
from vane_step.core.memo import Kept

ARC_SEGMENTS = 16
# A polygon with 4n corners drawn round a circle must be this much larger to contain it.
WIDEN = 1 / math.cos(math.pi / (4 * ARC_SEGMENTS))


@dataclass(frozen=True, slots=True)
class CopperItem:
    """One piece of copper.

    Parameters
    ----------
    kind
        ``pad``, ``track``, ``via``, ``jumper`` or ``text``.
    id
        Pin name of a pad, id of anything else; pieces of one track share its id.
    layers
        Names of the copper layers it lies on.
    spine, radius_mm
        The shape: everything within ``radius_mm`` of ``spine``.
    drill_mm
        Plated hole in its middle, 0 without.
    slot_mm
        How far the middle line of a slotted hole reaches from the middle, along x and y.
    """

    kind: str
    id: str
    net: str | None
    layers: tuple[str, ...]
    spine: BaseGeometry
    radius_mm: float
    drill_mm: float
    x_mm: float
    y_mm: float
    width_mm: float
    slot_mm: tuple[float, float] = (0.0, 0.0)

    @property
    def ring_mm(self) -> float:
        """How wide the copper round its hole is where it is narrowest."""
        dx, dy = self.slot_mm
        if not dx and not dy:
            return (self.width_mm - self.drill_mm) / 2
        # Pads are convex: along the middle line of the slot its end lies nearest to their rim.
        end = Point(self.x_mm + dx, self.y_mm + dy)
        rim = self.spine.boundary if self.radius_mm == 0 else self.spine
        deep = abs(self.radius_mm - float(rim.distance(end)))
        return min(deep, self.width_mm / 2) - self.drill_mm / 2

    def shape(self, grow_mm: float = 0.0) -> BaseGeometry:
        """Give the outline, grown; circles are drawn outside the true circle so that nothing is lost."""
        r = self.radius_mm + grow_mm
        if r <= 0:
            return self.spine
        return self.spine.buffer(r * WIDEN, quad_segs=ARC_SEGMENTS)


_of_track: Kept[tuple[CopperItem, ...]] = Kept()


@derived("board", "tracks", "vias", "jumpers")
def laid_items(design: Design) -> tuple[CopperItem, ...]:
    """List the tracks, piece by piece, the vias and the jumpers."""
    layers = design.board.layers
    known = {t.id: _of_track.get(t.mark()) for t in design.tracks.values()}
    fresh = [design.tracks[name] for name, pieces in known.items() if pieces is None]
    for track, pieces in zip(fresh, _tracks(fresh), strict=True):
        known[track.id] = _of_track.put(track.mark(), pieces)
    items = [item for pieces in known.values() if pieces for item in pieces]
    for via in design.vias.values():
        key = (via.mark(), layers)
        items += _of_track.get(key) or _of_track.put(key, (_via(via, layers),))
    for jumper in design.jumpers.values():
        key = (jumper.mark(), layers)
        items += _of_track.get(key) or _of_track.put(key, _jumper(jumper, layers))
    return tuple(items)


def _tracks(tracks: list[Track]) -> list[tuple[CopperItem, ...]]:
    """Give the pieces of some tracks."""
    runs = [pair for t in tracks for pair in pairwise(t.points)]
    ends = np.array(runs, dtype=np.float64).reshape(-1, 2, 2) / 1e6
    pieces = zip(shapely.linestrings(ends), ends.mean(axis=1).tolist(), strict=True)
    found = []
    for track in tracks:
        width, on = track.width_nm / 1e6, (track.layer,)
        mine = itertools.islice(pieces, len(track.points) - 1)
        made = [
            CopperItem("track", track.id, track.net, on, line, width / 2, 0.0, x, y, width)
            for line, (x, y) in mine
        ]
        found.append(tuple(made))
    return found


@derived("board", "texts")
def letters(design: Design) -> tuple[CopperItem, ...]:
    """List the lines of the texts in copper, piece by piece."""
    found: list[CopperItem] = []
    for text in in_copper(design).values():
        width, on = line_mm(text, design.board.rules), (layer_of(text),)
        for a, b in (pair for line in copper_lines(text, width) for pair in pairwise(line)):
            x, y = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
            found.append(
                CopperItem("text", text.id, None, on, LineString([a, b]), width / 2, 0.0, x, y, width)
            )
    return tuple(found)


def _via(via: Via, layers: tuple[str, ...]) -> CopperItem:
    x, y, pad = via.x_nm / 1e6, via.y_nm / 1e6, via.pad_nm / 1e6
    return CopperItem("via", via.id, via.net, layers, Point(x, y), pad / 2, via.drill_nm / 1e6, x, y, pad)


def _jumper(jumper: Jumper, layers: tuple[str, ...]) -> tuple[CopperItem, ...]:
    pad, drill = jumper.pad_nm / 1e6, jumper.drill_nm / 1e6
    spots = [(x / 1e6, y / 1e6) for x, y in (jumper.a, jumper.b)]
    return tuple(
        CopperItem("jumper", jumper.id, jumper.net, layers, Point(x, y), pad / 2, drill, x, y, pad)
        for x, y in spots
    )
