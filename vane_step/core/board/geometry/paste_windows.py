"""Openings of the stencil: one as large as its pad, or over a thermal pad panes with room for vias between them."""

from __future__ import annotations

import math
from typing import Final

from vane_step.core.design.model import Package, PadSpec

# A pad under the middle of a body is thermal from this side on, any pad from this area on.
LEAST_SIDE_MM: Final = 1.5
LARGE_MM2: Final = 30.0
LEAST_OTHERS: Final = 8
# Panes stand so far apart from middle to middle; bars between them are this share of it, and hold a via's hole.
PANE_MM: Final = 1.05
BAR_SHARE: Final = 0.26
LEAST_BAR_MM: Final = 0.24

# An opening relative to its pad's middle, in the pad's own directions: middle, width and height, in nanometres.
Opening = tuple[int, int, int, int]


def is_thermal(package: Package, pad: PadSpec) -> bool:
    """Tell whether a pad carries heat away: it lies under the middle of a body with pins round it, or is very large."""
    wide, tall = pad.width_nm / 1e6, pad.height_nm / 1e6
    if pad.layers == "through" or pad.shape != "rect" or min(wide, tall) < LEAST_SIDE_MM:
        return False
    middle = abs(pad.x_nm) <= pad.width_nm / 4 and abs(pad.y_nm) <= pad.height_nm / 4
    return wide * tall >= LARGE_MM2 or (middle and len(package.pads) > LEAST_OTHERS)


def _divided(side_nm: int) -> tuple[int, float, float]:
    """Give how many panes go along a side, their pitch and their size, in nanometres."""
    count = max(2, round(side_nm / 1e6 / PANE_MM))
    pitch = side_nm / count
    return count, pitch, pitch - max(pitch * BAR_SHARE, LEAST_BAR_MM * 1e6)


def openings(package: Package, pad: PadSpec) -> tuple[Opening, ...]:
    """Give the stencil openings over a pad: itself, or panes over about half of a thermal pad (IPC-7525, IPC-7093)."""
    if not is_thermal(package, pad):
        return ((0, 0, pad.width_nm, pad.height_nm),)
    (across, step_x, wide), (up, step_y, tall) = _divided(pad.width_nm), _divided(pad.height_nm)
    return tuple(
        (round((i - (across - 1) / 2) * step_x), round((k - (up - 1) / 2) * step_y), int(wide), int(tall))
        for k in range(up)
        for i in range(across)
    )


def crossings(pad: PadSpec) -> tuple[tuple[int, int], ...]:
    """Give the places between the panes of a thermal pad where four of them meet, relative to the package, in nm."""
    (across, step_x, _), (up, step_y, _) = _divided(pad.width_nm), _divided(pad.height_nm)
    return tuple(
        (pad.x_nm + round((i + 1 - across / 2) * step_x), pad.y_nm + round((k + 1 - up / 2) * step_y))
        for k in range(up - 1)
        for i in range(across - 1)
    )


# How far a hole between two panes of paste may reach into them.
OFF_NM: Final = 20_000


def apart_nm(package: Package, pad: PadSpec, x_nm: float, y_nm: float) -> float:
    """Give how far a point, relative to the package, lies from the nearest opening of a pad; 0 within one."""
    dx, dy = x_nm - pad.x_nm, y_nm - pad.y_nm
    return min(
        math.hypot(max(0.0, abs(dx - x) - w / 2), max(0.0, abs(dy - y) - h / 2))
        for x, y, w, h in openings(package, pad)
    )
