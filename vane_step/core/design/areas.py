"""When points enclose an area, cut-outs, and what outline and cut-outs leave of a board; no meaning of any area.

All shapes are shapely geometry in millimetres.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Annotated, Final

import shapely
from pydantic import AfterValidator, Field, model_validator
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.design.base import Frozen, Name, PointNm, SizeNm

LEAST_AREA_MM2: Final = 0.0001
MAX_BOARD_MM: Final = 1000.0
LEAST_BOARD_MM2: Final = 1.0
# Slots are drawn as lines with round ends; as many chords to the quarter as the profile file has.
ROUND_SEGMENTS: Final = 32


def ring_mm(points: Iterable[PointNm]) -> Polygon:
    """Give the area points in nanometres enclose, in millimetres; the points need not enclose any."""
    return Polygon([(x / 1e6, y / 1e6) for x, y in points])


def ring_fault(points: Sequence[PointNm]) -> str:
    """Say why points enclose no area, or nothing when they do.

    >>> ring_fault(((0, 0), (9_000_000, 9_000_000), (9_000_000, 0), (0, 9_000_000)))
    'it crosses or touches itself at 4.50, 4.50 mm'
    """
    if len(set(points)) < 3:
        return "it has fewer than three different points"
    shape = ring_mm(points)
    if not shape.is_valid:
        # GEOS names the place in brackets: "Self-intersection[4.5 4.5]".
        x, y = shapely.is_valid_reason(shape).rpartition("[")[2].rstrip("]").split()[:2]
        return f"it crosses or touches itself at {float(x):.2f}, {float(y):.2f} mm"
    if shape.area < LEAST_AREA_MM2:
        return f"its area is {shape.area:.2g} mm², at least {LEAST_AREA_MM2:g} mm² are needed"
    return ""


def _enclosing(points: tuple[PointNm, ...]) -> tuple[PointNm, ...]:
    fault = ring_fault(points)
    if fault:
        raise ValueError(f"this encloses no area: {fault}")
    return points


# Points that enclose an area without crossing themselves.
Ring = Annotated[tuple[PointNm, ...], AfterValidator(_enclosing)]


class Cutout(Frozen):
    """An opening milled into the board: a polygon, or a slot of a width along a line of points."""

    id: Name
    points: tuple[PointNm, ...] = Field(min_length=2, max_length=2000)
    width_nm: SizeNm = 0

    @model_validator(mode="after")
    def _has_a_size(self) -> Cutout:
        if self.width_nm == 0:
            fault = ring_fault(self.points)
            if fault:
                raise ValueError(f"cut-out {self.id} has no width and encloses no area: {fault}")
        elif len(set(self.points)) < 2:
            raise ValueError(f"slot {self.id} begins and ends at one point; drill a hole instead")
        return self


def opening(cutout: Cutout) -> Polygon:
    """Give the shape of a cut-out; the ends of slots are round."""
    if not cutout.width_nm:
        return ring_mm(cutout.points)
    line = LineString([(x / 1e6, y / 1e6) for x, y in cutout.points])
    return line.buffer(cutout.width_nm / 2e6, quad_segs=ROUND_SEGMENTS)


def board_left(
    outline: Sequence[PointNm], corner_radius_nm: int, cutouts: Iterable[Cutout]
) -> tuple[Polygon, ...]:
    """Give the pieces that outline, rounded corners and cut-outs leave, largest first; none when nothing is left."""
    shape: BaseGeometry = ring_mm(outline)
    radius = corner_radius_nm / 1e6
    if radius:
        shape = shape.buffer(-radius, join_style="mitre").buffer(radius, quad_segs=ROUND_SEGMENTS)
    openings = [opening(c) for c in cutouts]
    if openings:
        shape = shape.difference(shapely.union_all(openings))
    pieces = [p for p in getattr(shape, "geoms", [shape]) if isinstance(p, Polygon) and not p.is_empty]
    return tuple(sorted(pieces, key=lambda p: -p.area))


def board_fault(outline: Sequence[PointNm], corner_radius_nm: int, cutouts: Sequence[Cutout]) -> str:
    """Say why outline, corners and cut-outs make no board, or nothing when they do."""
    fault = ring_fault(outline)
    if fault:
        return f"the outline encloses no area: {fault}"
    x0, y0, x1, y1 = ring_mm(outline).bounds
    if max(x1 - x0, y1 - y0) > MAX_BOARD_MM:
        return f"the outline is {x1 - x0:g} x {y1 - y0:g} mm, at most {MAX_BOARD_MM:g} mm a side are taken"
    whole = board_left(outline, corner_radius_nm, ())
    if not whole:
        return f"corners rounded by {corner_radius_nm / 1e6:g} mm leave nothing of the outline"
    left = board_left(outline, corner_radius_nm, cutouts) if cutouts else whole
    area = left[0].area if left else 0.0
    if area < LEAST_BOARD_MM2:
        names = ", ".join(c.id for c in cutouts[:6]) or "the outline"
        return f"{names} would leave {area:.3g} mm² of the board, at least {LEAST_BOARD_MM2:g} mm² are needed"
    return ""
