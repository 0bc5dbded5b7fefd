"""Places for pin rows of a board that plugs into a breadboard, found before other parts; its holes are elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import product

import numpy as np
import shapely

from vane_step.core.board.geometry.breadboard import ACROSS, GROUP, OFF_NM, PITCH_NM, pin_rows, pins_nm, seat
from vane_step.core.board.geometry.shapes import courtyards, zone_shape
from vane_step.core.board.geometry.sides import sides_with_copper
from vane_step.core.board.placement.bodies import yard_in
from vane_step.core.board.placement.ground import usable
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Design, Part, PartPlace, Side, natural

# Steps between the two lines of pins: never in one group of holes, and a hole left beside the board for every pin.
LINES_APART = range(max(ACROSS) - 2, ACROSS[GROUP] - GROUP, -1)

# Of so many rows each is tried both ways round.
MOST_TURNED = 4


def plugging(design: Design, movable: set[str]) -> set[str]:
    """Name the rows that may move of a board that is to plug into a breadboard."""
    if not design.brief.breadboard:
        return set()
    return {p.ref for p in pin_rows(design) if p.ref in movable and p.fitted}


def plugged(design: Design, movable: set[str], wished: Mapping[str, PartPlace]) -> dict[str, PartPlace]:
    """Find places for pin rows, so that the board plugs into a breadboard.

    They lie in two lines along the board, as far apart as it allows with a hole left for every pin, those that are kept
    in place with them; on the underside where there is copper, so that the pins look down.

    Parameters
    ----------
    wished : dict of str to PartPlace
        Where each would lie best: of the ways to lay them, the one nearest to that.

    Returns
    -------
    dict of str to PartPlace
        Nothing where no two lines have room; the places there are where they do already.
    """
    rows = plugging(design, movable)
    now = {r: place for r in rows if (place := design.parts[r].place) is not None}
    if len(now) == len(rows) and _fits(design, now, movable, 1):
        return now
    # Better on the holes without one left over for a lead than off them.
    for free in (1, 0):
        for ways in _ways(design, rows, movable):
            fitting = [w for w in ways if _fits(design, w, movable, free)]
            if fitting:
                return min(fitting, key=lambda w: _away(design, w, wished))
    return {}


def _ways(design: Design, rows: set[str], movable: set[str]) -> Iterator[Iterator[dict[str, PartPlace]]]:
    """Give ways to lay rows, the best distance between lines first: beside one that stays, else along the board."""
    stays = next((p for p in pin_rows(design) if p.ref not in movable and p.place), None)
    if stays is not None and stays.place is not None:
        pins = pins_nm(design, stays, stays.place)
        for apart in LINES_APART:
            yield _beside(design, rows, pins, apart)
        return
    x0, y0, x1, y1 = usable(design).bounds
    for along in (0, 1) if x1 - x0 >= y1 - y0 else (1, 0):
        for apart in LINES_APART:
            yield _in_lines(design, rows, along, apart)


def _away(design: Design, places: Mapping[str, PartPlace], wished: Mapping[str, PartPlace]) -> float:
    """Sum up how far the pins of rows are from where they are wished."""
    return sum(
        float(np.hypot(*(pins_nm(design, part, place) - pins_nm(design, part, wished[r])).T).sum())
        for r, place in places.items()
        for part in [design.parts[r]]
        if r in wished
    )


def _in_lines(design: Design, rows: set[str], along: int, apart: int) -> Iterator[dict[str, PartPlace]]:
    """Lay rows in two lines in the middle of the board, each way round: the longest first, where less is taken."""
    middle = np.array(usable(design).bounds).reshape(2, 2).mean(axis=0) * 1e6
    lines: tuple[list[str], list[str]] = ([], [])
    taken = [0, 0]
    for ref in sorted(rows, key=lambda r: (-len(design.parts[r].pins), natural(r))):
        k = int(taken[1] < taken[0])
        lines[k].append(ref)
        taken[k] += len(design.parts[ref].pins)
    begin = middle[along] - (max(taken) - 1) / 2 * PITCH_NM
    for above, back in product((0, 1), _turns(rows)):
        places: dict[str, PartPlace] = {}
        for k, line in enumerate(lines):
            across = middle[1 - along] + (0.5 if k == above else -0.5) * apart * PITCH_NM
            at = begin + (max(taken) - taken[k]) // 2 * PITCH_NM
            places |= _line(design, line, back, along, at, across)
        yield places


def _beside(design: Design, rows: set[str], pins: np.ndarray, apart: int) -> Iterator[dict[str, PartPlace]]:
    """Lay rows end to end in one line beside a row that stays, on either side of it and each way round."""
    along = int(np.ptp(pins[:, 1]) > np.ptp(pins[:, 0]))
    line = sorted(rows, key=natural)
    count = sum(len(design.parts[r].pins) for r in line)
    first = pins[0]
    steps = np.rint((pins[:, along].mean() - first[along]) / PITCH_NM - (count - 1) / 2)
    for side, back in product((1, -1), _turns(rows)):
        across = first[1 - along] + side * apart * PITCH_NM
        yield _line(design, line, back, along, first[along] + steps * PITCH_NM, across)


def _turns(rows: set[str]) -> Iterator[dict[str, bool]]:
    """Give the ways round rows may lie, each to be turned or not; of many none is."""
    refs = sorted(rows)
    ways = product((False, True), repeat=len(refs)) if len(refs) <= MOST_TURNED else [(False,) * len(refs)]
    return (dict(zip(refs, way, strict=True)) for way in ways)


def _line(
    design: Design, refs: list[str], back: Mapping[str, bool], along: int, at: float, across: float
) -> dict[str, PartPlace]:
    """Lay rows end to end from a place on along an axis."""
    places = {}
    for ref in refs:
        spot = (at, across) if along == 0 else (across, at)
        places[ref] = _laid(design, design.parts[ref], along, spot, back[ref])
        at += len(design.parts[ref].pins) * PITCH_NM
    return places


def _laid(design: Design, part: Part, along: int, first: tuple[float, float], turned: bool) -> PartPlace:
    """Lay a row along an axis with its lowest pin there: its first, or when turned its last."""
    sides = sides_with_copper(design, design.packages[part.package])
    side: Side = "back" if "back" in sides and "front" in sides else "front"

    def rises(turn: int) -> float:
        pins = pins_nm(design, part, PartPlace(x_nm=0, y_nm=0, turn_deg=turn, side=side))
        return float((pins[-1] - pins[0])[along])

    turn = (min if turned else max)((0, 90, 180, 270), key=rises)
    there = PartPlace(x_nm=0, y_nm=0, turn_deg=turn, side=side)
    x, y = np.array(first) - pins_nm(design, part, there)[-1 if turned else 0]
    return there.model_copy(update={"x_nm": round(float(x)), "y_nm": round(float(y))})


def _fits(design: Design, places: Mapping[str, PartPlace], movable: set[str], free: int) -> bool:
    """Tell whether rows at some places, and those that stay, plug in with holes left, and nothing is in their way."""
    after = apply(design, PlaceParts(places=dict(places)))[0]
    seated = seat(after)
    if seated is None or seated.worst or seated.free < free:
        return False
    if any(max(map(abs, off)) > OFF_NM for off in seated.off_nm.values()):
        return False
    boxes = {
        r: shapely.box(*yard_in(p, design.packages[design.parts[r].package].courtyard_nm))
        for r, p in places.items()
    }
    inside = shapely.box(*usable(design).bounds).buffer(0.01)
    others = [yard for r, yard in courtyards(after).items() if r not in movable]
    others += [zone_shape(z) for z in design.board.zones if z.kind in ("hand", "clear")]
    pads = shapely.MultiPoint(
        [tuple(xy / 1e6) for r, p in places.items() for xy in pins_nm(design, design.parts[r], p)]
    )
    return (
        usable(design).covers(pads.buffer(0.8))
        and all(inside.covers(b) for b in boxes.values())
        and not any(b.intersection(o).area > 1e-4 for b in boxes.values() for o in others)
    )
