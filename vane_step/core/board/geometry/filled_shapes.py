"""Shapes printed on the legend as solid ink: fields to write on, and pictures; letters are in ``strokefont``.

A shape is filled with lines of the legend's width, side by side, so that it is printed, checked and shown as all the
rest of the legend is.
"""

from __future__ import annotations

import functools

import numpy as np
import shapely
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.design.model import Design, LegendText, PointNm, Side

# Neighbouring lines overlap by this share of their width.
OVERLAP = 0.15
KEEP_MM = 0.01

Ring = list[tuple[float, float]]


def ink(
    design: Design, name: str, rings: tuple[tuple[PointNm, ...], ...], at: PointNm, side: Side
) -> LegendText:
    """Make a shape to be printed on the legend, with a free id."""
    k = 1
    while f"ink{k}" in design.texts:
        k += 1
    ys = [y for ring in rings for _, y in ring]
    return LegendText(
        id=f"ink{k}",
        text=name[:80],
        x_nm=at[0],
        y_nm=at[1],
        height_nm=max(ys) - min(ys),
        side=side,
        shape=rings,
    )


@functools.lru_cache(maxsize=24)
def shape_of(text: LegendText) -> BaseGeometry:
    """Give the area a shape covers on the board, in millimetres; rings within rings are holes, and so on."""
    area: BaseGeometry = Polygon()
    for ring in text.shape:
        area = area.symmetric_difference(Polygon(np.array(ring) / 1e6).buffer(0))
    area = shapely.affinity.rotate(area, text.turn_deg, origin=(0, 0))
    if text.side == "back":
        area = shapely.affinity.scale(area, -1, 1, origin=(0, 0))
    return shapely.affinity.translate(area, text.x_nm / 1e6, text.y_nm / 1e6)


@functools.lru_cache(maxsize=24)
def fill_lines(text: LegendText, width_mm: float) -> tuple[tuple[tuple[float, float], ...], ...]:
    """Draw a shape as lines of a width: round its edge, and across what is within.

    Returns
    -------
    tuple of polylines in millimetres
        Their ink lies within the shape. What is narrower than a line is left out, since it could not be printed.
    """
    inner = shape_of(text).buffer(-width_mm / 2, quad_segs=4)
    if inner.is_empty:
        return ()
    drawn: list[tuple[tuple[float, float], ...]] = []
    for polygon in shapely.get_parts(inner):
        drawn += [tuple(ring.simplify(KEEP_MM).coords) for ring in (polygon.exterior, *polygon.interiors)]
    x0, y0, x1, y1 = inner.bounds
    step = width_mm * (1 - OVERLAP)
    for y in np.arange(y0 + step, y1, step):
        across = inner.intersection(LineString([(x0 - 1, y), (x1 + 1, y)]))
        drawn += [
            tuple(p.coords) for p in shapely.get_parts(across) if p.geom_type == "LineString" and p.length > 0
        ]
    return tuple(drawn)
