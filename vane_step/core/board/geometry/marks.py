"""Marks by which a placement machine finds a board: which sides want them, and which have them; none is placed here."""

from __future__ import annotations

import math
from typing import Final

import numpy as np

from vane_step.core.design.model import Design, Package, Side

NAME: Final = "FIDUCIAL-10"
# Machines want marks where pads stand as close as this.
FINE_MM: Final = 0.5


def finest_mm(package: Package) -> float:
    """Give the least distance between the middles of two surface pads of a package."""
    flat = [(p.x_nm, p.y_nm) for p in package.pads if p.layers != "through"]
    if len(flat) < 4:
        return math.inf
    at = np.array(flat, dtype=np.float64) / 1e6
    apart = np.hypot(*(at[:, None, :] - at[None, :, :]).transpose(2, 0, 1))
    apart[apart == 0] = math.inf
    return float(apart.min())


def sides_with_fine_parts(design: Design) -> dict[Side, list[str]]:
    """Give the sides that have parts a machine needs marks for, and those parts."""
    fine = {n for n, p in design.packages.items() if finest_mm(p) <= FINE_MM + 1e-6}
    found: dict[Side, list[str]] = {}
    for part in design.parts.values():
        if part.place and part.fitted and part.package in fine:
            found.setdefault(part.place.side, []).append(part.ref)
    return found


def marks_on(design: Design, side: Side) -> int:
    """Count the marks of a side."""
    return sum(
        p.package == NAME and p.place is not None and p.place.side == side for p in design.parts.values()
    )
