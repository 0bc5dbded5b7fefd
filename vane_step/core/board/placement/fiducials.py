"""Marks by which a placement machine finds a board: bare round copper in a mask opening, three on a side."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
import shapely

from vane_step.core.board.geometry.marks import NAME, marks_on
from vane_step.core.board.geometry.shapes import bare_holes, copper_items, courtyards, outline
from vane_step.core.design.edits import AddPart, Single
from vane_step.core.design.model import Design, Package, PadSpec, Part, PartPlace, Pin, Side
from vane_step.core.errors import EditRefused
from vane_step.core.parts.part import next_refs
from vane_step.core.quantity import nm

LETTERS: Final = "FD"
COPPER_MM: Final = 1.0
# The mask is open, and copper away, over twice the mark (IPC-7351).
CLEAR_MM: Final = 2.0
# From the edge, where machines hold the board.
INSET_MM: Final = 4.0
STEP_MM: Final = 0.5


def fiducial_package() -> Package:
    """Give the land pattern of a mark."""
    half = nm(CLEAR_MM / 2)
    return Package(
        name=NAME,
        title="fiducial, a mark for placement machines",
        pads=(
            PadSpec(
                number="1",
                x_nm=0,
                y_nm=0,
                width_nm=nm(COPPER_MM),
                height_nm=nm(COPPER_MM),
                shape="round",
                mask_nm=nm(CLEAR_MM),
                paste=False,
            ),
        ),
        body_nm=(nm(COPPER_MM), nm(COPPER_MM)),
        courtyard_nm=(-half, -half, half, half),
        keepout_nm=(-half, -half, half, half),
        source="IPC-7351",
        proved=("a mark: nothing is soldered to it",),
    )


def fiducials(design: Design, side: Side) -> list[Single]:
    """Add three marks to a side, as near to three corners as there is room, so that no turn of the board looks alike.

    Raises
    ------
    EditRefused
        When the side has marks already, or fewer than two find room.
    """
    if marks_on(design, side):
        raise EditRefused(
            f"The {side} has its marks already.", where=side, next_step="Move or remove them: FD1."
        )
    x0, y0, x1, y1 = outline(design).bounds
    free = _free_spots(design)
    corners = ((x0, y0), (x1, y0), (x0, y1))
    taken: list[tuple[float, float]] = []
    for corner in corners:
        far = [p for p in free if all(math.dist(p, t) > max(x1 - x0, y1 - y0) / 4 for t in taken)]
        if far:
            taken.append(min(far, key=lambda p: math.dist(p, corner)))
    if len(taken) < 2:
        raise EditRefused(
            f"There is no room for marks on the {side}.",
            where=side,
            value=len(taken),
            allowed=f"2 free places of {CLEAR_MM:g} mm, {INSET_MM:g} mm off the edge",
            next_step="Move parts, or put them on the rails of a panel.",
        )
    pack = fiducial_package()
    adds: list[Single] = []
    for ref, (x, y) in zip(next_refs(design, LETTERS, len(taken)), taken, strict=True):
        place = PartPlace(x_nm=nm(x), y_nm=nm(y), side=side, locked=True)
        pins = (Pin(number="1", role="unconnected"),)
        part = Part(ref=ref, package=NAME, pins=pins, place=place, fitted=False, block="Marks")
        adds.append(AddPart(part=part, package=pack))
    return adds


def _free_spots(design: Design) -> list[tuple[float, float]]:
    """Give the places of a lattice round which nothing lies within the clearance, on any layer."""
    x0, y0, x1, y1 = outline(design).bounds
    half = CLEAR_MM / 2
    xs, ys = (
        np.arange(low + INSET_MM, high - INSET_MM + 1e-9, STEP_MM) for low, high in ((x0, x1), (y0, y1))
    )
    if not len(xs) or not len(ys):
        return []
    spots = np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
    points = shapely.points(spots)
    gap = design.board.rules.min_clearance_nm / 1e6
    solid = [i.spine.buffer(i.radius_mm + gap) for i in copper_items(design)]
    solid += [h.shape(gap) for h in bare_holes(design)]
    solid += [*courtyards(design).values()]
    near = shapely.STRtree(np.array(solid, dtype=object)).query(
        shapely.box(*(spots - half).T, *(spots + half).T), predicate="intersects"
    )[0]
    free = shapely.contains(outline(design).buffer(-INSET_MM + 0.01, join_style="mitre"), points)
    free[near] = False
    return [(float(x), float(y)) for x, y in spots[free]]
