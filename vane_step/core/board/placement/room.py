"""What is missing when parts find no room: how much, where, and what was tried that would do."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vane_step.core.board.geometry.shapes import courtyards
from vane_step.core.board.placement.bodies import is_through
from vane_step.core.board.placement.floor import Floor
from vane_step.core.board.placement.ground import usable
from vane_step.core.design.model import Design, natural
from vane_step.core.errors import EditRefused

# A larger outline is tried in these steps, each side by as much.
GROWN = (1.04, 1.08, 1.12, 1.18, 1.25, 1.35, 1.5, 1.75, 2.0, 2.5, 3.0)
Fits = Callable[[Design, set[str]], bool]


def too_long(design: Design, movable: set[str]) -> EditRefused | None:
    """Tell of the part whose pads reach farther than the board, however it is turned by quarters; None without one."""
    x0, y0, x1, y1 = usable(design).bounds
    wide, tall = x1 - x0, y1 - y0
    for ref in sorted(movable, key=natural):
        pads = [
            p for p in design.packages[design.parts[ref].package].pads if not p.on_edge and not p.bare_hole
        ]
        if not pads:
            continue
        middle, half = (
            np.array([(p.x_nm, p.y_nm) for p in pads]),
            np.array([(p.width_nm, p.height_nm) for p in pads]),
        )
        w, h = (((middle + half / 2).max(axis=0) - (middle - half / 2).min(axis=0)) / 1e6).tolist()
        if not (w <= wide and h <= tall) and not (h <= wide and w <= tall):
            return EditRefused(
                f"The pads of {ref} reach {max(w, h):.1f} x {min(w, h):.1f} mm, the board has room for copper on "
                f"{wide:.1f} x {tall:.1f} mm: it fits neither way.",
                where=ref,
                value=round(max(w, h), 2),
                allowed=f"{max(wide, tall):.1f} mm",
                next_step="Enlarge the outline, or choose a shorter part.",
            )
    return None


def no_room(design: Design, movable: set[str], ground: Floor, fits: Fits) -> EditRefused:
    """Tell what is missing for some parts, from how they lie where they overlap least.

    Parameters
    ----------
    ground : Floor
        The problem, with the bodies where they overlap least.
    fits : callable
        Tells whether the parts find room on a board; asked for outlines somewhat larger.
    """
    have, want = areas(design, movable, len({s // 4 for b in ground.bodies for s in b.states}) > 1)
    both = len({s // 4 for b in ground.bodies for s in b.states}) > 1
    where = "on both sides" if both else "on its side"
    worst = _worst(ground)
    if want > have:
        text = (
            f"The parts take up {want:.0f} mm² with their courtyards; {have:.0f} mm² are free {where}: "
            f"{want - have:.0f} mm² are missing."
        )
    else:
        refs, area, x, y = worst
        text = (
            f"{want:.0f} mm² of courtyards find no room in {have:.0f} mm² that are free {where}: at best "
            f"{area:.1f} mm² of {refs} are in the way of others, near {x:.0f}, {y:.0f} mm."
        )
    return EditRefused(
        text, where=worst[0], value=round(want, 1), next_step=_next_step(design, movable, fits)
    )


def areas(design: Design, movable: set[str], both: bool) -> tuple[float, float]:
    """Give the area that is free for some parts, and what they take up, in mm²; what goes through counts twice."""
    sides = 2 if both else 1
    have, want = usable(design).area * sides, 0.0
    for ref, part in design.parts.items():
        package = design.packages[part.package]
        x0, y0, x1, y1 = package.courtyard_nm
        area = (x1 - x0) * (y1 - y0) / 1e12 * (sides if is_through(package) else 1)
        if ref in movable:
            want += area
        elif ref in courtyards(design):
            have -= area
    return have, want


def _worst(ground: Floor) -> tuple[str, float, float, float]:
    """Name the body most in the way, with the area it shares with others and where it lies."""
    n = np.arange(len(ground.bodies))
    state = ground.state
    spots = np.column_stack([ground.x, ground.y, ground.x, ground.y]) + ground.boxes[n, state]
    bits = ground.bits[n, state]
    found = ("board", 0.0, 0.0, 0.0)
    for i in ground.free:
        wide = np.minimum(spots[i, 2], spots[:, 2]) - np.maximum(spots[i, 0], spots[:, 0])
        tall = np.minimum(spots[i, 3], spots[:, 3]) - np.maximum(spots[i, 1], spots[:, 1])
        both = np.clip(wide, 0, None) * np.clip(tall, 0, None) * (bits & bits[i] > 0)
        area = float(both.sum() - both[i])
        if area >= found[1]:
            found = (ground.bodies[i].refs[0], area, float(ground.x[i]), float(ground.y[i]))
    return found


def _next_step(design: Design, movable: set[str], fits: Fits) -> str:
    """Name an outline that was tried and does, or else what may be done."""
    if not design.board.cutouts and len(design.board.outline) == 4:
        points = np.array(design.board.outline, dtype=np.float64)
        low = points.min(axis=0)
        for grown in GROWN:
            size = np.ceil((points.max(axis=0) - low) * grown / 5e5) * 5e5
            outline = tuple(
                (int(x), int(y)) for x, y in low + (points - low) / (points.max(axis=0) - low) * size
            )
            board = design.board.model_copy(update={"outline": outline})
            if fits(design.replaced(board=board), movable):
                wide, tall = size / 1e6
                return f"On {wide:g} x {tall:g} mm they find room (tried): enlarge the outline, or place parts by hand."
    return "Enlarge the outline, put parts on the other side, or place the largest by hand and lock it."
