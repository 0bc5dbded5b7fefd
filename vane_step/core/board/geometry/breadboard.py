"""Pin rows of a board that is to plug into a breadboard: which parts those are, and how their pins meet its holes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from vane_step.core.board.geometry.mouth import mouth_of
from vane_step.core.board.geometry.shapes import outline, place_points
from vane_step.core.circuit.bypass import is_connector
from vane_step.core.design.model import Design, Part, PartPlace, natural

# A breadboard: holes 2.54 mm apart, in columns of two groups of five that are joined, with three steps between groups.
PITCH_NM: Final = 2_540_000
GROUP: Final = 5
ACROSS: Final = (0, 1, 2, 3, 4, 7, 8, 9, 10, 11)
# What pins may be off the holes: half of what a contact gives to a side.
OFF_NM: Final = 100_000
# Bores of pins that go into contacts for 0.6 to 0.8 mm.
BORE_NM: Final = (700_000, 1_300_000)


def is_pin_row(design: Design, part: Part) -> bool:
    """Tell whether a part is an upright row of pins 2.54 mm apart: a plug with one or two lines of bored pads."""
    package = design.packages[part.package]
    pads = [p for p in package.pads if not p.bare_hole]
    if len(pads) < 2 or not is_connector(design, part) or mouth_of(package)[0]:
        return False
    if any(not BORE_NM[0] <= p.drill_nm <= BORE_NM[1] for p in pads):
        return False
    steps = np.array([(p.x_nm - pads[0].x_nm, p.y_nm - pads[0].y_nm) for p in pads]) / PITCH_NM
    return bool(np.abs(steps - steps.round()).max() < 0.01) and min(np.ptp(steps.round(), axis=0)) <= 1


def pin_rows(design: Design) -> tuple[Part, ...]:
    """Give the pin rows of a design in the order of their references, placed or not."""
    rows = [p for p in design.parts.values() if is_pin_row(design, p)]
    return tuple(sorted(rows, key=lambda p: natural(p.ref)))


def pins_nm(design: Design, part: Part, place: PartPlace) -> np.ndarray:
    """Give where the pins of a part lie at a place, pin by pin as its package lists them, ``(n, 2)``."""
    pads = [p for p in design.packages[part.package].pads if not p.bare_hole]
    return np.array(place_points(place, [(p.x_nm, p.y_nm) for p in pads])).reshape(-1, 2)


@dataclass(frozen=True)
class Seat:
    """How a board's pin rows meet a breadboard at the best place on it.

    Parameters
    ----------
    off_nm
        By how much each row is off the holes the first one is in, by reference: across and along.
    without
        Pins over no hole, as the rows are far apart or between the groups.
    shorted
        Pairs of pins of different nets in one group of holes.
    free
        Holes left for a wire in the group with the fewest, beside the board.
    """

    off_nm: Mapping[str, tuple[int, int]]
    without: tuple[str, ...] = ()
    shorted: tuple[tuple[str, str], ...] = ()
    free: int = 0

    @property
    def worst(self) -> int:
        """Count what keeps the board from working in a breadboard, apart from rows off the holes."""
        return len(self.without) + len(self.shorted)


def seat(design: Design) -> Seat | None:
    """Find how the placed pin rows of a design meet a breadboard, tried each way round and at each line of its holes.

    Returns
    -------
    Seat or None
        The place with the fewest pins in the way, then the most holes left; None without a placed row.
    """
    rows = [(p, p.place) for p in pin_rows(design) if p.place is not None and p.fitted]
    if not rows:
        return None
    at = {part.ref: pins_nm(design, part, place) for part, place in rows}
    first = at[rows[0][0].ref][0]
    net_of = {pin: n.name for n in design.nets.values() for pin in n.pins}
    off: dict[str, tuple[int, int]] = {}
    names: list[str] = []
    holes = []
    for part, _ in rows:
        steps = (at[part.ref] - first) / PITCH_NM
        holes.append(np.rint(steps).astype(int))
        x, y = np.rint((steps - holes[-1])[0] * PITCH_NM).astype(int).tolist()
        off[part.ref] = x, y
        names += [f"{part.ref}.{p.number}" for p in design.packages[part.package].pads if not p.bare_hole]
    spots = np.concatenate(holes)
    box = (np.array(outline(design).bounds).reshape(2, 2) * 1e6 - first) / PITCH_NM
    nets = [net_of.get(name, name) for name in names]
    return min(
        (
            _seated(off, names, nets, spots[:, along], spots[:, across], box[:, across], begin)
            for along, across in ((0, 1), (1, 0))
            for begin in ACROSS
        ),
        key=lambda s: (s.worst, -s.free),
    )


def _seated(
    off: Mapping[str, tuple[int, int]],
    names: list[str],
    nets: list[str],
    along: np.ndarray,
    across: np.ndarray,
    box: np.ndarray,
    begin: int,
) -> Seat:
    """Put the lowest line of pins into one line of holes, and tell what comes of it."""
    shift = begin - across.min()
    lines = across + shift
    low, high = box + shift
    without = tuple(n for n, line in zip(names, lines.tolist(), strict=True) if line not in ACROSS)
    groups: dict[tuple[int, bool], list[int]] = {}
    for k, (column, line) in enumerate(zip(along.tolist(), lines.tolist(), strict=True)):
        if line in ACROSS:
            groups.setdefault((column, line < GROUP), []).append(k)
    shorted = tuple(
        (names[ks[0]], names[k]) for ks in groups.values() for k in ks[1:] if nets[k] != nets[ks[0]]
    )
    open_to = Counter(line < GROUP for line in ACROSS if not low <= line <= high)
    return Seat(off, without, shorted, min((open_to[near] for _, near in groups), default=0))
