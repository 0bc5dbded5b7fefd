"""Places for pin rows of a board that plugs into a breadboard, found before other parts; its holes are elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import shapely

from vane_step.core.board.geometry.breadboard import ACROSS, GROUP, OFF_NM, PITCH_NM, pin_rows, pins_nm, seat
from vane_step.core.board.geometry.shapes import courtyards, zone_shape
from vane_step.core.board.geometry.sides import sides_with_copper
from vane_step.core.board.placement.bodies import yard_in
from vane_step.core.board.placement.ground import usable
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Design, Part, PartPlace, Side

# Steps between the two lines of pins: never in one group of holes, and a hole left beside the board for every pin.
LINES_APART = range(max(ACROSS) - 2, ACROSS[GROUP] - GROUP, -1)


def plugged(design: Design, movable: set[str]) -> dict[str, PartPlace]:
    """Find places for the pin rows that may move, so that the board plugs into a breadboard.

    They lie in two lines along the board, as far apart as it allows with a hole left for every pin, those that are kept
    in place with them; on the underside where there is copper, so that the pins look down.

    Returns
    -------
    dict of str to PartPlace
        Nothing where the brief wants no such board, where no row may move, or where no two lines have room; the places
        there are where they do already.
    """
    rows = [p for p in pin_rows(design) if p.ref in movable and p.fitted]
    if not design.brief.breadboard or not rows:
        return {}
    now = {p.ref: p.place for p in rows if p.place is not None}
    if len(now) == len(rows) and _fits(design, movable, now):
        return now
    x0, y0, x1, y1 = usable(design).bounds
    for along in (0, 1) if x1 - x0 >= y1 - y0 else (1, 0):
        for apart in LINES_APART:
            for places in _in_lines(design, rows, along, apart):
                if _fits(design, movable, places):
                    return places
    return {}


def _in_lines(design: Design, rows: Sequence[Part], along: int, apart: int) -> Iterator[dict[str, PartPlace]]:
    """Lay rows end to end in two lines in the middle of the board: the longest first, each where less is taken."""
    frame = np.array(usable(design).bounds).reshape(2, 2)
    middle = frame.mean(axis=0) * 1e6
    lines: tuple[list[Part], list[Part]] = ([], [])
    taken = [0, 0]
    for part in sorted(rows, key=lambda p: -len(p.pins)):
        k = int(taken[1] < taken[0])
        lines[k].append(part)
        taken[k] += len(part.pins)
    begin = middle[along] - (max(taken) - 1) / 2 * PITCH_NM
    for above in (0, 1):
        places = {}
        for k, line in enumerate(lines):
            at = begin + (max(taken) - taken[k]) // 2 * PITCH_NM
            across = middle[1 - along] + (0.5 if k == above else -0.5) * apart * PITCH_NM
            for part in line:
                spot = (at, across) if along == 0 else (across, at)
                places[part.ref] = _laid(design, part, along, spot)
                at += len(part.pins) * PITCH_NM
        yield places


def _laid(design: Design, part: Part, along: int, first: tuple[float, float]) -> PartPlace:
    """Lay a row along an axis, its first pin at the lower end, there."""
    sides = sides_with_copper(design, design.packages[part.package])
    side: Side = "back" if "back" in sides and "front" in sides else "front"

    def rises(turn: int) -> float:
        pins = pins_nm(design, part, PartPlace(x_nm=0, y_nm=0, turn_deg=turn, side=side))
        return float((pins[-1] - pins[0])[along])

    turn = max((0, 90, 180, 270), key=rises)
    there = PartPlace(x_nm=0, y_nm=0, turn_deg=turn, side=side)
    x, y = np.array(first) - pins_nm(design, part, there)[0]
    return there.model_copy(update={"x_nm": round(float(x)), "y_nm": round(float(y))})


def _fits(design: Design, movable: set[str], places: dict[str, PartPlace]) -> bool:
    """Tell whether rows at some places, and those that stay, plug in, with nothing in their way that stays."""
    waiting = {r: None for r in movable if design.parts[r].place is not None and r not in places}
    after = apply(design, PlaceParts(places={**waiting, **places}))[0]
    seated = seat(after)
    if seated is None or seated.worst or not seated.free:
        return False
    if any(max(map(abs, off)) > OFF_NM for off in seated.off_nm.values()):
        return False
    boxes = {
        r: shapely.box(*yard_in(p, design.packages[design.parts[r].package].courtyard_nm))
        for r, p in places.items()
    }
    inside = shapely.box(*usable(design).bounds).buffer(0.01)
    others = [yard for r, yard in courtyards(after).items() if r not in places]
    others += [zone_shape(z) for z in design.board.zones if z.kind in ("hand", "clear")]
    pads = shapely.MultiPoint(
        [tuple(xy / 1e6) for r, p in places.items() for xy in pins_nm(design, design.parts[r], p)]
    )
    return (
        usable(design).covers(pads.buffer(0.8))
        and all(inside.covers(b) for b in boxes.values())
        and not any(b.intersection(o).area > 1e-4 for b in boxes.values() for o in others)
    )
