"""Which side of a package belongs to the board's edge, and how it stands there; where on a board is in ``edge``."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np

from vane_step.core.design.model import Package
from vane_step.core.errors import NotFound
from vane_step.core.patterns.packages import package as made

# Directions out of a board, as the arranging counts them.
EDGES: Final = ("left", "right", "bottom", "top")
OUTWARDS: Final[dict[str, tuple[int, int]]] = {
    "left": (-1, 0),
    "right": (1, 0),
    "bottom": (0, -1),
    "top": (0, 1),
}
QUARTERS: Final[tuple[tuple[int, int], ...]] = ((1, 0), (0, 1), (-1, 0), (0, -1))
# By so much, in mm, a body has to stand out from its pins to one side for that to be taken for its mouth.
STANDS_OUT_MM = 1.0


def mouth_of(package: Package) -> tuple[str, float]:
    """Give the side of a package that belongs to the board's edge, and how far it stands over it in mm.

    What the package says counts; then what the family of its name says, for packages kept before families said it.
    Empty for packages that may lie anywhere, such as upright headers.
    """
    if package.mouth:
        return package.mouth, package.mouth_over_nm / 1e6
    family = _family(package.name)
    if family is not None and family.mouth and len(family.pads) == len(package.pads):
        return family.mouth, family.mouth_over_nm / 1e6
    return "", 0.0


def guessed_mouth(package: Package) -> str:
    """Guess the side a plug enters of a package that does not say: where its body stands out from its pins by 1 mm."""
    pads = [p for p in package.pads if not p.bare_hole]
    middle = (
        np.array([(p.x_nm, p.y_nm) for p in pads]).reshape(-1, 2).mean(axis=0) / 1e6 if pads else np.zeros(2)
    )
    axis = int(np.argmax(np.abs(middle)))
    if abs(middle[axis]) < STANDS_OUT_MM:
        return ""
    return (("right", "left"), ("top", "bottom"))[axis][int(middle[axis] > 0)]


@lru_cache(maxsize=512)
def _family(name: str) -> Package | None:
    try:
        return made(name)
    except NotFound:
        return None


def mouth_at(side: str, turn: int, back: bool) -> str:
    """Give the edge a mouth looks to when its package is turned by quarters; one on the back is mirrored first."""
    x, y = OUTWARDS[side]
    if back:
        x = -x
    c, s = QUARTERS[turn % 4]
    seen = (x * c - y * s, x * s + y * c)
    return next(name for name, out in OUTWARDS.items() if out == seen)


def flush_mm(package: Package, side: str, over_mm: float, clearance_mm: float) -> float:
    """Tell how far the board's edge lies from the origin of a package whose side belongs to it.

    The body ends there, or stands over it as far as its family wants; but copper and bare holes stay the clearance
    away from the edge.
    """
    out = np.array(OUTWARDS[side])
    body = abs(float(np.array(package.body_nm) @ out)) / 2e6
    reach = [
        float(np.array([p.x_nm, p.y_nm]) @ out) + abs(float(np.array([p.width_nm, p.height_nm]) @ out)) / 2
        for p in package.pads
        if not p.on_edge
    ]
    copper = max(reach, default=-np.inf) / 1e6 + clearance_mm
    return max(body - over_mm, copper)
