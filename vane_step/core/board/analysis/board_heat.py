"""What warms a board in a state: parts and copper put into the sheet of :mod:`heat_sheet`; what is too hot is judged in
``operation``."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from vane_step.core.board.analysis.copper_currents import net_currents
from vane_step.core.board.analysis.heat_sheet import HeatSheet, feet, heat_sheet
from vane_step.core.board.copper.flows import CopperCurrents
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design
from vane_step.core.network.readings import Reading, pulse_s
from vane_step.core.network.thermal import lies_elsewhere, own_k_w

# Parts that turn less into heat warm nothing, and nets that carry less.
LEAST_W: Final = 1e-3
LEAST_A: Final = 0.05
# The board under a part gets no warmer by it than this share of what the part itself does (rule of thumb): the rest of
# its heat leaves by its body.
UNDER_SHARE: Final = 0.75
# A piece of track gives its heat to places so far apart at most.
STEP_MM: Final = 0.7


@dataclass(frozen=True, eq=False)
class BoardHeat:
    """How warm a board gets in a state.

    Parameters
    ----------
    state
        Name of the state, with the time it lasts where that is not for ever.
    ambient_c
        The air around it.
    rise_k
        Of every cell of the sheet.
    parts_k
        Of the board under the pads of each part that is placed.
    parts_w, copper_w
        What parts and copper turn into heat.
    unplaced_w
        What parts turn into heat that lie nowhere yet: it is not in the picture.
    """

    state: str
    ambient_c: float
    sheet: HeatSheet
    rise_k: np.ndarray
    parts_k: Mapping[str, float]
    parts_w: float
    copper_w: float
    unplaced_w: float

    @property
    def hottest(self) -> tuple[float, float, float]:
        """The greatest rise, and where, in kelvin and millimetres."""
        k = int(np.argmax(self.rise_k))
        j, i = (int(axis[k]) for axis in np.nonzero(self.sheet.inside))
        x, y = self.sheet.low + (np.array([i, j]) + 0.5) * self.sheet.cell_mm
        return float(self.rise_k[k]), float(x), float(y)


def board_heat(design: Design, state: Reading) -> BoardHeat:
    """Work out how warm a board gets in a state, by what its parts put into it and by its copper."""
    sheet, under = heat_sheet(design), feet(design)
    heat = np.zeros(sheet.count)
    placed_w = unplaced_w = 0.0
    for ref, reading in state.parts.items():
        if reading.watts < LEAST_W or lies_elsewhere(design.parts[ref]):
            continue
        if ref not in under:
            unplaced_w += reading.watts
            continue
        cells, shares = under[ref]
        np.add.at(heat, cells, shares * reading.watts * into_board(design, ref))
        placed_w += reading.watts
    copper_w = 0.0
    for net in design.nets:
        found = net_currents(design, net, state)
        if found is not None and found.amps >= LEAST_A:
            copper_w += _put(sheet, heat, found.currents)
    seconds = pulse_of(design, state)
    rise = sheet.rise(heat, seconds)
    parts = {ref: float((rise[cells] * shares).sum()) for ref, (cells, shares) in under.items()}
    name = state.name if seconds is None else f"{state.name}, after {seconds:g} s"
    return BoardHeat(name, design.brief.ambient_c, sheet, rise, parts, placed_w, copper_w, unplaced_w)


@derived(*COPPER)
def into_board(design: Design, ref: str) -> float:
    """Give the share of a placed part's heat that goes into the board; the rest leaves by its body.

    All of it, unless the board under it would get warmer for that than :data:`UNDER_SHARE` of what the part's thermal
    resistance says of the part: on little copper a body gives off more than the board takes.
    """
    own = own_k_w(design.parts[ref])
    if own is None:
        return 1.0
    under = float(between_parts(design, (ref,))[0, 0])
    return min(1.0, UNDER_SHARE * own / under)


def _put(sheet: HeatSheet, heat: np.ndarray, flows: CopperCurrents) -> float:
    """Put what becomes heat in the copper of a net where it does, and give the sum."""
    points, watts = [np.zeros((0, 2))], [np.zeros(0)]
    for piece in flows.pieces:
        count = max(1, math.ceil(piece.length_mm / STEP_MM))
        at = (np.arange(count) + 0.5)[:, None] / count
        ends = np.array(piece.ends_mm)
        points.append(ends[:2] + (ends[2:] - ends[:2]) * at)
        watts.append(np.full(count, piece.watts / count))
    for flow in flows.sheets:
        points.append(flow.middles())
        watts.append(flow.watts)
    where, amount = np.concatenate(points), np.concatenate(watts)
    i, j = np.floor((where - sheet.low) / sheet.cell_mm).astype(int).T
    i, j = np.clip(i, 0, sheet.wide - 1), np.clip(j, 0, sheet.tall - 1)
    cells = sheet.number[j, i]
    np.add.at(heat, cells[cells >= 0], amount[cells >= 0])
    return float(amount[cells >= 0].sum())


def pulse_of(design: Design, state: Reading) -> float | None:
    """Give for how long what a state makes of heat lasts: the time of a load that pulses and makes most of it."""
    return pulse_s(design, state, max((abs(s.amps) for s in state.sources.values()), default=0.0))


def between_parts(design: Design, refs: tuple[str, ...], seconds: float | None = None) -> np.ndarray:
    """Give the rise under each of some placed parts for a watt in each, for ever or after a time: kelvin per watt,
    warmed x heated."""
    sheet, under = heat_sheet(design), feet(design)
    found = np.zeros((len(refs), len(refs)))
    for column, ref in enumerate(refs):
        heat = np.zeros(sheet.count)
        np.add.at(heat, *under[ref])
        rise = sheet.rise(heat, seconds)
        found[:, column] = [float((rise[under[r][0]] * under[r][1]).sum()) for r in refs]
    return found
