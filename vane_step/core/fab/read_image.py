"""The image of a Gerber file: its objects as shapes, united in their order; the commands are read elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby, pairwise

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.fab.read_apertures import quarter
from vane_step.core.fab.read_types import ReadObject


def united(
    objects: Sequence[ReadObject], shapes: Mapping[int, BaseGeometry], round_mm: Mapping[int, float]
) -> tuple[BaseGeometry, BaseGeometry]:
    """Give what is left dark of regions, and of all else."""
    filled: BaseGeometry = Polygon()
    rest: BaseGeometry = Polygon()
    for dark, some in groupby(objects, key=lambda o: o.dark):
        here = list(some)
        regions = shapely.disjoint_subset_union_all(
            drawn([o for o in here if o.kind == "region"], shapes, round_mm)
        )
        others = shapely.disjoint_subset_union_all(
            drawn([o for o in here if o.kind != "region"], shapes, round_mm)
        )
        if dark:
            filled, rest = filled.union(regions), rest.union(others)
        else:
            cleared = regions.union(others)
            filled, rest = filled.difference(cleared), rest.difference(cleared)
    return filled, rest


def drawn(
    objects: Sequence[ReadObject], shapes: Mapping[int, BaseGeometry], round_mm: Mapping[int, float]
) -> list[BaseGeometry]:
    """Give the shapes of some objects; all round lines are grown at once.

    Parameters
    ----------
    shapes
        Of apertures, by their place.
    round_mm
        The radii of those that are circles.
    """
    spines: dict[float, list[BaseGeometry]] = {}
    for aperture, points in _chains(objects, round_mm):
        spine = LineString(points) if len(set(points)) > 1 else Point(points[0])
        spines.setdefault(round_mm[aperture], []).append(spine)
    found: list[BaseGeometry] = []
    for radius, some in spines.items():
        found += shapely.buffer(np.array(some, dtype=object), radius, quad_segs=quarter(radius)).tolist()
    places: dict[int, dict[tuple[float, float], None]] = {}
    for o in objects:
        if o.kind == "flash":
            places.setdefault(o.aperture, {})[o.points[0]] = None
    for aperture, at in places.items():
        found += _laid(shapes[aperture], np.array(list(at)))
    for o in objects:
        if o.kind == "region":
            found.append(Polygon(o.points).buffer(0))
        elif o.kind == "line" and o.aperture not in round_mm:
            # What is drawn with another shape than a circle covers all the shape does on its way.
            both = [affinity.translate(shapes[o.aperture], *p) for p in o.points]
            found += [a.union(b).convex_hull for a, b in pairwise(both)]
    return found


def _laid(shape: BaseGeometry, at: np.ndarray) -> list[BaseGeometry]:
    """Lay a shape at many places (n x 2)."""
    if shape.geom_type != "Polygon" or shape.is_empty or len(shape.interiors):
        return [affinity.translate(shape, x, y) for x, y in at.tolist()]
    rings = shapely.get_coordinates(shape.exterior)[None] + at[:, None]
    laid: list[BaseGeometry] = shapely.polygons(shapely.linearrings(rings)).tolist()
    return laid


def _chains(
    objects: Sequence[ReadObject], round_mm: Mapping[int, float]
) -> Iterator[tuple[int, list[tuple[float, float]]]]:
    """Join lines of one aperture that begin where the one before ends: one shape instead of many that overlap."""
    last: tuple[int, list[tuple[float, float]]] | None = None
    for o in objects:
        if o.kind != "line" or o.aperture not in round_mm:
            continue
        if last is not None and last[0] == o.aperture and last[1][-1] == o.points[0]:
            last[1].extend(o.points[1:])
            continue
        if last is not None:
            yield last
        last = (o.aperture, list(o.points))
    if last is not None:
        yield last
