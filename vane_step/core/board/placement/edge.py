"""Where a part lies that is to sit on an edge of the board: its mouth flush, its pins along it; no verb is here."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.board.geometry.shapes import bodies, copper_items, outline
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Design, Part, PartPlace, Side, split_pin
from vane_step.core.errors import InputError
from vane_step.core.quantity import nm

# The turn at which a half-hole part's outside faces an edge.
TURNS = {"bottom": 0.0, "right": 90.0, "top": 180.0, "left": 270.0}
OUTWARDS = {"bottom": (0.0, -1.0), "right": (1.0, 0.0), "top": (0.0, 1.0), "left": (-1.0, 0.0)}


def place_on_edge(design: Design, part: Part, edge: str, along_mm: float | None, side: Side) -> PartPlace:
    """Find the place of a part on an edge.

    Parts with half holes lie with those on the edge. Of others the row of pins runs along the edge, the side of the
    body that stands farther out from the pins faces it and is flush, or as near as their copper may come to the edge.

    Parameters
    ----------
    edge : str
        ``left``, ``right``, ``top`` or ``bottom``.
    along_mm : float, optional
        Where along the edge; its middle when left out.

    Raises
    ------
    InputError
        When the board has no edge there.
    """
    x0, y0, x1, y1 = outline(design).bounds
    upright = edge in ("left", "right")
    low, high = (y0, y1) if upright else (x0, x1)
    along = (low + high) / 2 if along_mm is None else along_mm
    # Where the board really ends there, which need not be where it is widest.
    ray = shapely.LineString(
        [(x0 - 1, along), (x1 + 1, along)] if upright else [(along, y0 - 1), (along, y1 + 1)]
    )
    cut = outline(design).intersection(ray)
    if cut.is_empty:
        raise InputError(
            "There is no board there.", where="edge", value=along, allowed=f"{low:g} to {high:g} mm"
        )
    left, bottom, right, top = cut.bounds
    spot = {"left": (left, along), "right": (right, along), "bottom": (along, bottom), "top": (along, top)}[
        edge
    ]
    if any(pad.on_edge for pad in design.packages[part.package].pads):
        return PartPlace(x_nm=nm(spot[0]), y_nm=nm(spot[1]), turn_deg=TURNS[edge], side=side)
    best: tuple[tuple[float, ...], PartPlace] | None = None
    for turn in (TURNS[edge], *(t for t in TURNS.values() if t != TURNS[edge])):
        place = PartPlace(x_nm=nm(spot[0]), y_nm=nm(spot[1]), turn_deg=turn, side=side)
        worth, shift = _worth(design, part, place, edge)
        if best is None or worth > best[0]:
            moved = {"x_nm": place.x_nm + nm(shift[0]), "y_nm": place.y_nm + nm(shift[1])}
            best = worth, place.model_copy(update=moved)
    assert best is not None
    return best[1]


def _worth(
    design: Design, part: Part, place: PartPlace, edge: str
) -> tuple[tuple[float, ...], tuple[float, float]]:
    """Tell how well a turn suits an edge, and how far the part has to be shifted to be flush with it.

    Rows along the edge come before all; then bodies that stand out from their pins towards it.
    """
    after = apply(design, PlaceParts(places={part.ref: place}))[0]
    body = bodies(after)[part.ref]
    pads = [i for i in copper_items(after) if i.kind == "pad" and split_pin(i.id)[0] == part.ref]
    out = np.array(OUTWARDS[edge])
    spot = np.array([place.x_nm, place.y_nm]) / 1e6
    middles = np.array([(i.x_mm, i.y_mm) for i in pads]).reshape(-1, 2)
    across = np.abs(out)
    spread = np.ptp(middles, axis=0) if len(middles) else np.zeros(2)
    row_along = float(spread @ (1 - across) >= spread @ across - 1e-6)
    centre = np.array(body.centroid.coords[0])
    stands_out = float((centre - middles.mean(axis=0)) @ out) if len(middles) else 0.0
    keep = design.board.rules.edge_clearance_nm / 1e6
    copper = max((_farthest(i.shape(), out) for i in pads), default=-np.inf) + keep
    shift = -max(_farthest(body, out), copper) + float(spot @ out)
    return (row_along, round(stands_out, 3)), (float(out[0] * shift), float(out[1] * shift))


def _farthest(shape: Polygon, out: np.ndarray) -> float:
    """Give how far a shape reaches in a direction."""
    return float((np.array(shape.exterior.coords)[:, :2] @ out).max())
