"""The image of a Gerber file: its objects as shapes, united in their order; the commands are read elsewhere."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import groupby, pairwise

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.fab.read_apertures import SEGMENTS
from vane_step.core.fab.read_types import ReadObject


def united(
    objects: Sequence[ReadObject], shapes: Mapping[int, BaseGeometry], round_mm: Mapping[int, float]
) -> tuple[BaseGeometry, BaseGeometry]:
    """Give what is left dark of regions, and of all else."""
    filled: BaseGeometry = Polygon()
    rest: BaseGeometry = Polygon()
    for dark, some in groupby(objects, key=lambda o: o.dark):
        here = list(some)
        regions = shapely.union_all(drawn([o for o in here if o.kind == "region"], shapes, round_mm))
        others = shapely.union_all(drawn([o for o in here if o.kind != "region"], shapes, round_mm))
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
    lines = [o for o in objects if o.kind == "line" and o.aperture in round_mm]
    spines = [LineString(o.points) if len(set(o.points)) > 1 else Point(o.points[0]) for o in lines]
    reach = [round_mm[o.aperture] for o in lines]
    found = list(shapely.buffer(np.array(spines, dtype=object), reach, quad_segs=SEGMENTS)) if lines else []
    for o in objects:
        if o.kind == "flash":
            found.append(affinity.translate(shapes[o.aperture], *o.points[0]))
        elif o.kind == "region":
            found.append(Polygon(o.points).buffer(0))
        elif o.aperture not in round_mm:
            # What is drawn with another shape than a circle covers all the shape does on its way.
            both = [affinity.translate(shapes[o.aperture], *p) for p in o.points]
            found += [a.union(b).convex_hull for a, b in pairwise(both)]
    return found
