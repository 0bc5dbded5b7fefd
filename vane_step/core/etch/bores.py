"""Where a bit is set to make the holes of a board by hand: slots are bored in a row; which bits is in ``drillplan``."""

from __future__ import annotations

from dataclasses import replace

from vane_step.core.board.geometry.shapes import Hole, holes
from vane_step.core.derive import derived
from vane_step.core.design.model import Design

# Between two holes of a row a wall this part of the bit is left, so that the second does not slip into the first.
WALL_SHARE = 0.1


def row_of(hole: Hole) -> tuple[Hole, ...]:
    """Give the round holes a slot is begun with: at both ends, and as many between as keep their walls.

    Where not even two fit it is one in the middle, which is filed to both ends.
    """
    if not hole.slotted:
        return (hole,)
    ax, ay, bx, by = hole.ends_mm
    long = ((bx - ax) ** 2 + (by - ay) ** 2) ** 0.5
    steps = int(long / (hole.drill_mm * (1 + WALL_SHARE)) + 1e-9)
    if steps < 1:
        return (replace(hole, slot_mm=(0.0, 0.0)),)
    return tuple(
        replace(hole, x_mm=ax + (bx - ax) * k / steps, y_mm=ay + (by - ay) * k / steps, slot_mm=(0.0, 0.0))
        for k in range(steps + 1)
    )


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes")
def bored(design: Design) -> tuple[Hole, ...]:
    """List the round holes that are bored by hand, those of slots in rows."""
    return tuple(b for h in holes(design) for b in row_of(h))
