"""What is left of the board itself between bare holes, cut-outs and its edge, and what a cutter can mill."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Final

import shapely
from shapely.geometry import Polygon

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach
from vane_step.core.board.geometry.shapes import (
    board_pieces,
    opening,
)
from vane_step.core.board.geometry.thinness import necks
from vane_step.core.derive import derived
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding

# Narrower bridges of board material break while they are milled or handled.
LEAST_WEB_MM: Final = 1.0
MILLING: Final = "rule of thumb: milling"


def material_findings(laid: Layout) -> Iterator[Finding]:
    """Hold bare holes against the edge of the board and of its cut-outs, and bridges between those against breaking."""
    board = laid.outline
    least = laid.rules.hole_to_hole_nm / 1e6
    for hole in laid.bare_holes:
        middle, half = hole.spine, hole.drill_mm / 2
        inside = float(board.boundary.distance(middle)) * (1 if board.covers(middle) else -1)
        wall, place = inside - half, at(hole.x_mm, hole.y_mm)
        if wall < -TOLERANCE_MM:
            out = inside < -half
            text = f"Hole {hole.id} lies {'outside of the board' if out else 'across the edge of the board'}"
            yield breach(laid, "hole-over-edge", text, wall, 0.0, place, origin="the outline")
        elif wall < least - TOLERANCE_MM:
            text = f"The wall between hole {hole.id} and the edge is too thin to hold"
            yield breach(laid, "thin-wall", text, wall, least, place, "look")
    for wide, x, y in _bridges(laid.design):
        text = "The board hangs together by a bridge that breaks easily"
        yield breach(laid, "thin-bridge", text, wide, LEAST_WEB_MM, at(x, y), "look", origin=MILLING)


@derived("board")
def _bridges(design: Design) -> tuple[tuple[float, float, float], ...]:
    """Give width and middle of each place where board material between edges is too narrow."""
    return tuple(
        (neck.width_mm, *neck.across.centroid.coords[0])
        for piece in board_pieces(design)
        if isinstance(piece, Polygon)
        for neck in necks(piece, LEAST_WEB_MM)
    )


def cutout_findings(laid: Layout) -> Iterable[Finding]:
    """Hold cut-outs against the milling cutter, and tell when they part the board."""
    least = laid.rules.min_slot_nm / 1e6
    for cutout in laid.design.board.cutouts:
        shape = opening(cutout)
        # Nearly all are wide enough, and whether a cutter fits is found much sooner than the widest that does.
        if not cutout.width_nm and not shape.buffer(-least / 2).is_empty:
            continue
        x, y = shape.representative_point().coords[0]
        round_in_it = 2 * float(shapely.maximum_inscribed_circle(shape, tolerance=1e-3).length)
        wide = cutout.width_nm / 1e6 or round_in_it + 2e-3
        if wide < least - TOLERANCE_MM:
            text = f"Cut-out {cutout.id} is too narrow to be milled"
            yield breach(laid, "slot", text, wide, least, at(x, y))
    yield from parted_findings(laid)


def parted_findings(laid: Layout) -> Iterable[Finding]:
    """Tell of pieces that cut-outs part from the board."""
    for piece in laid.pieces[1:]:
        x, y = piece.representative_point().coords[0]
        text = f"The cut-outs part the board: {piece.area:.1f} mm² fall off"
        yield breach(laid, "parted", text, piece.area, 0.0, at(x, y), unit="mm²", origin="the outline")
