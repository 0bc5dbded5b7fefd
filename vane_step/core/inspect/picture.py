"""Files of a board as a page draws them: rings in whole micrometres by layer, with the net each hangs together with."""

from __future__ import annotations

from typing import Any

import numpy as np
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from vane_step.core.fab.copper_groups import polygons
from vane_step.core.inspect.board_files import BoardFiles
from vane_step.core.inspect.differences import Differences


def picture(board: BoardFiles) -> dict[str, Any]:
    """Give all a viewer needs, y up: layers with their polygons, holes, outline, the box of all, names of nets.

    Returns
    -------
    dict
        ``layers``: name, kind, side, ``shapes`` (each a list of rings, a ring a flat list of x and y in micrometres,
        the outer one first) and, of copper, ``nets`` (a number for each shape); ``holes``: x, y, size, plated;
        ``box``: x0, y0, x1, y1 in micrometres.
    """
    layers = []
    boxes = [x.read.image.bounds for x in board.layers if not x.read.image.is_empty]
    for layer in board.layers:
        pieces = polygons(layer.read.image)
        one: dict[str, Any] = {
            "name": layer.name,
            "kind": layer.role.kind,
            "side": layer.role.side,
            "shapes": [rings(p) for p in pieces],
        }
        if layer.role.kind == "copper":
            one["nets"] = [board.nets.get((layer.name, k), -1) for k in range(len(pieces))]
        layers.append(one)
    low = np.min([b[:2] for b in boxes], axis=0) if boxes else np.zeros(2)
    high = np.max([b[2:] for b in boxes], axis=0) if boxes else np.ones(2)
    if not board.outline.is_empty:
        low, high = np.array(board.outline.bounds[:2]), np.array(board.outline.bounds[2:])
    return {
        "layers": layers,
        "holes": [[_um(x), _um(y), _um(size), plated] for x, y, size, plated in board.holes()],
        "slots": [
            rings(LineString([slot[:2], slot[2:4]]).buffer(slot[4] / 2))
            for d in board.drills
            for slot in d.read.slots
        ],
        "outline": [rings(p) for p in polygons(board.outline)],
        "box": [_um(v) for v in (*low, *high)],
        "nets": {str(k): name for k, name in board.names.items()},
    }


def difference_picture(found: Differences) -> list[dict[str, Any]]:
    """Give what differs as two more layers for the viewer, by the layer it is on."""
    return [
        {
            "role": x.role,
            "first": [rings(p) for p in polygons(x.only_first)],
            "second": [rings(p) for p in polygons(x.only_second)],
        }
        for x in found.layers
        if not x.same
    ]


def rings(shape: BaseGeometry) -> list[list[int]]:
    """Write a polygon as flat rings in whole micrometres; what is no polygon as nothing."""
    if shape.geom_type != "Polygon" or shape.is_empty:
        return []
    return [
        np.rint(np.asarray(ring.coords)[:-1, :2] * 1000).astype(int).ravel().tolist()
        for ring in (shape.exterior, *shape.interiors)
    ]


def _um(mm: float) -> int:
    return round(mm * 1000)
