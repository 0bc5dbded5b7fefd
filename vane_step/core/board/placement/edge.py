"""Where parts lie that sit on an edge of the board: mouths flush and outwards, rows along it; no verb is here."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from vane_step.core.board.geometry.mouth import EDGES, OUTWARDS, flush_mm, mouth_at
from vane_step.core.board.geometry.shapes import courtyards, outline, place_points
from vane_step.core.board.geometry.sides import home_side
from vane_step.core.board.placement.bodies import is_through, mouth_side, yard_in
from vane_step.core.design.model import Design, Part, PartPlace, Side
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.quantity import nm

# How far from each other places along an edge are tried; overlaps of courtyards below so much are rounding.
ALONG_MM, TOUCHING_MM2 = 0.5, 1e-4


def place_on_edge(design: Design, part: Part, edge: str, along_mm: float | None, side: Side) -> PartPlace:
    """Find the place of a part on an edge.

    What has a mouth looks out with it and is flush, or stands over the edge as far as its family wants; of others the
    row of pins runs along the edge and the body is flush. Copper stays its clearance away from the edge in any case.

    Parameters
    ----------
    edge : str
        One of ``left``, ``right``, ``top``, ``bottom``.
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
    package = design.packages[part.package]
    mouth, over = mouth_side(design, part)
    turn = _turn(design, part, edge, mouth, side)
    local = next(s for s in EDGES if mouth_at(s, turn // 90, side == "back") == edge)
    gap = design.board.rules.edge_clearance_nm / 1e6
    inwards = flush_mm(package, local, over if local == mouth else 0.0, gap)
    out = OUTWARDS[edge]
    end = {"left": left, "right": right, "bottom": bottom, "top": top}[edge]
    spot = (end - out[0] * inwards, along) if upright else (along, end - out[1] * inwards)
    return PartPlace(x_nm=nm(spot[0]), y_nm=nm(spot[1]), turn_deg=float(turn), side=side)


def free_on_edge(design: Design, part: Part, edge: str, side: Side) -> tuple[PartPlace, tuple[str, ...]]:
    """Find the place on an edge nearest to its middle where a part lies on no other, and off its corners.

    Returns
    -------
    PartPlace and tuple of str
        The middle where there is no such place, with the parts it lies on there.
    """
    x0, y0, x1, y1 = outline(design).bounds
    low, high = (y0, y1) if edge in ("left", "right") else (x0, x1)
    through = is_through(design.packages[part.package])
    others = {
        ref: yard
        for ref, yard in courtyards(design).items()
        if ref != part.ref
        and (
            through
            or design.parts[ref].place.side == side  # type: ignore[union-attr]
            or is_through(design.packages[design.parts[ref].package])
        )
    }
    middle = (low + high) / 2
    steps = int((high - low) / 2 / ALONG_MM)
    first: tuple[PartPlace, tuple[str, ...]] | None = None
    for k in sorted(range(-steps, steps + 1), key=abs):
        place = place_on_edge(design, part, edge, middle + k * ALONG_MM, side)
        yard = shapely.box(*yard_in(place, design.packages[part.package].courtyard_nm))
        under = tuple(r for r, y in others.items() if y.intersection(yard).area > TOUCHING_MM2)
        ends = yard.bounds[1::2] if edge in ("left", "right") else yard.bounds[::2]
        first = first or (place, under)
        if not under and low <= ends[0] and ends[1] <= high:
            return place, ()
    assert first is not None
    return first


def _turn(design: Design, part: Part, edge: str, mouth: str, side: Side) -> int:
    """Give the quarter turn, in degrees, at which a part suits an edge."""
    back = side == "back"
    turns = (0, 90, 180, 270)
    if mouth:
        return next(t for t in turns if mouth_at(mouth, t // 90, back) == edge)
    package = design.packages[part.package]
    pads = [(p.x_nm, p.y_nm) for p in package.pads if not p.bare_hole] or [(0, 0)]
    along = 1 if edge in ("left", "right") else 0

    def worth(turn: int) -> tuple[bool, float, bool]:
        place = PartPlace(x_nm=0, y_nm=0, turn_deg=turn, side=side)
        spread = np.ptp(np.array(place_points(place, pads)), axis=0)
        box = yard_in(place, package.courtyard_nm)
        long = (box[2] - box[0], box[3] - box[1])
        # The row of pins runs along the edge, else the long side does; the upper end to the left or top.
        return (
            bool(spread[along] >= spread[1 - along] - 1e3),
            round(long[along] - long[1 - along], 3),
            turn < 180,
        )

    return max(turns, key=worth)


def row_on_edge(
    design: Design, parts: Sequence[Part], edge: str, along_mm: tuple[float, float] | None = None
) -> dict[str, PartPlace]:
    """Put several parts on an edge in the order they are named, with equal gaps between them.

    Parameters
    ----------
    along_mm : tuple of float, optional
        From where to where along the edge they lie; the edge between its rounded ends when left out.

    Returns
    -------
    dict of str to PartPlace
        From left to right on the top and bottom edges, from top to bottom on the others.

    Raises
    ------
    EditRefused
        When they are longer than the edge, with both lengths.
    """
    upright = edge in ("left", "right")
    x0, y0, x1, y1 = outline(design).bounds
    round_mm = design.board.corner_radius_nm / 1e6
    low, high = along_mm or ((y0 + round_mm, y1 - round_mm) if upright else (x0 + round_mm, x1 - round_mm))
    spans = []
    for part in parts:
        place = place_on_edge(design, part, edge, (low + high) / 2, home_side(design, part))
        flat = place.model_copy(update={"x_nm": 0, "y_nm": 0})
        box = yard_in(flat, design.packages[part.package].courtyard_nm)
        spans.append((box[1], box[3]) if upright else (box[0], box[2]))
    taken = sum(b - a for a, b in spans)
    gap = (high - low - taken) / (len(parts) + 1)
    if gap < 0:
        raise EditRefused(
            f"{len(parts)} parts take up {taken:.1f} mm; the {edge} edge has {high - low:.1f} mm.",
            where="edge",
            value=round(taken, 1),
            allowed=f"{high - low:.1f} mm at most",
            next_step="Put some on another edge, or enlarge the outline.",
        )
    found = {}
    at = high - gap if upright else low + gap
    for part, (a, b) in zip(parts, spans, strict=True):
        along = at - b if upright else at - a
        found[part.ref] = place_on_edge(design, part, edge, round(along, 3), home_side(design, part))
        at += -(b - a) - gap if upright else b - a + gap
    return found
