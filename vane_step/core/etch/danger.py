"""Places of a board a bath endangers: its thinnest tracks go first, its widest bare areas are clear last."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import shapely
from shapely.geometry import Point
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Side
from vane_step.core.etch.picture import Ink, picture
from vane_step.core.etch.sheets import polygons

FEW: Final = 3
# Where the middle of an area is found to.
NEAR_MM: Final = 0.1
# Smaller bare circles clear with all others.
LEAST_MM: Final = 2.0


@dataclass(frozen=True)
class DangerPlace:
    """A place to watch: why, where, and the width of the track or of the bare circle, in millimetres."""

    why: str
    side: Side
    x_mm: float
    y_mm: float
    wide_mm: float
    net: str | None = None


@derived(*COPPER, "sources")
def danger_places(design: Design, ink: Ink) -> tuple[DangerPlace, ...]:
    """Give the thinnest track of each of the finest nets, and the largest circles without copper, of each side."""
    found: list[DangerPlace] = []
    sides: list[Side] = [s for s in ("front", "back") if s in design.board.layers]
    for side in sides:
        thin: dict[str, tuple[float, float, DangerPlace]] = {}
        for t in design.tracks.values():
            if t.layer != side:
                continue
            long, (xa, ya), (xb, yb) = max((math.dist(p, q), p, q) for p, q in pairwise(t.points))
            at = DangerPlace(
                "thinnest track", side, (xa + xb) / 2e6, (ya + yb) / 2e6, t.width_nm / 1e6, t.net
            )
            key = (at.wide_mm, -long, at)
            thin[t.net] = min(thin.get(t.net, key), key, key=lambda k: k[:2])
        found += [at for *_, at in sorted(thin.values(), key=lambda k: (*k[:2], k[2].net or ""))[:FEW]]
        bare = outline(design).difference(picture(design, side, ink).copper)
        for _ in range(FEW):
            circle = _largest(bare)
            if circle is None or circle[2] < LEAST_MM / 2:
                break
            x, y, radius = circle
            found.append(DangerPlace("widest bare area", side, x, y, 2 * radius))
            bare = bare.difference(Point(x, y).buffer(radius * 1.2))
    return tuple(found)


def _largest(area: BaseGeometry) -> tuple[float, float, float] | None:
    """Give middle and radius of the largest circle within an area; None where nothing is left."""
    best: tuple[float, float, float] | None = None
    for piece in sorted(polygons(area), key=lambda p: -p.area):
        # A circle is never larger than its piece.
        if best is not None and piece.area < math.pi * best[2] ** 2:
            break
        line = shapely.maximum_inscribed_circle(piece, tolerance=NEAR_MM)
        if best is None or line.length > best[2]:
            (x, y), radius = line.coords[0], line.length
            best = x, y, radius
    return best
