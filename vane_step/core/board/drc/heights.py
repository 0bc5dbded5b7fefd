"""How far parts reach out of the board on either side; what may be how tall is decided elsewhere."""

from __future__ import annotations

from typing import Final

from vane_step.core.design.model import Design, Part, Side
from vane_step.core.quantity import nm

# Ends of leads stand out of the other side by this much when they are cut after soldering (rule of thumb).
PIN_END_NM: Final = 1_500_000


def reach_nm(design: Design, part: Part, side: Side) -> int:
    """Give how far a placed part reaches out of a side of the board: its body, or the ends of its leads."""
    if part.place is None or not part.fitted:
        return 0
    package = design.packages[part.package]
    if part.place.side == side:
        return package.height_nm
    leaded = any(pad.drill_nm and not pad.bare_hole for pad in package.pads)
    return PIN_END_NM if leaded else 0


def tallest(design: Design, side: Side) -> tuple[int, str]:
    """Give how far parts reach out of a side, and the part that reaches farthest; 0 and no name without any."""
    return max(((reach_nm(design, part, side), part.ref) for part in design.parts.values()), default=(0, ""))


def stack_nm(design: Design) -> int:
    """Give the height of all together: what reaches out of the front, the board, and what reaches out of the back."""
    return tallest(design, "front")[0] + nm(design.board.rules.board_mm) + tallest(design, "back")[0]
