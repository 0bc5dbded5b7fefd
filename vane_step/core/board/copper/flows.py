"""What flows in the copper of a net, as it is told: pieces of track, cells of pours, vias; it is worked out in
``copper_flow``."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class PieceFlow:
    """A straight piece of track between two places: its current, its width, its ends, and what becomes heat in it."""

    id: str
    layer: str
    amps: float
    width_mm: float
    ends_mm: tuple[float, float, float, float]
    watts: float

    @property
    def length_mm(self) -> float:
        """How long it is."""
        ax, ay, bx, by = self.ends_mm
        return math.hypot(bx - ax, by - ay)

    @property
    def x_mm(self) -> float:
        """Where its middle lies."""
        return (self.ends_mm[0] + self.ends_mm[2]) / 2

    @property
    def y_mm(self) -> float:
        """Where its middle lies."""
        return (self.ends_mm[1] + self.ends_mm[3]) / 2


@dataclass(frozen=True, eq=False)
class SheetFlow:
    """What flows in the pours of a layer, by cell.

    Parameters
    ----------
    cells
        Columns and rows, n x 2.
    a_mm
        Current across a millimetre in each.
    watts
        What becomes heat in each.
    """

    layer: str
    cell_mm: float
    low: tuple[float, float]
    cells: np.ndarray
    a_mm: np.ndarray
    watts: np.ndarray

    def middles(self) -> np.ndarray:
        """Give the middles of the cells in millimetres, n x 2."""
        found: np.ndarray = np.array(self.low) + (self.cells + 0.5) * self.cell_mm
        return found


@dataclass(frozen=True)
class CopperCurrents:
    """What flows in the copper of a net.

    Parameters
    ----------
    pieces
        Of tracks, by descending current.
    vias
        The greatest current through each via.
    volts
        At each pin, against the pin at the highest voltage: never above zero.
    watts
        What becomes heat in all of it.
    sheets
        What flows in pours, by layer.
    open_a
        Current that has no way in copper, because the net is not joined whole.
    """

    pieces: tuple[PieceFlow, ...]
    vias: Mapping[str, float]
    volts: Mapping[str, float]
    watts: float
    sheets: tuple[SheetFlow, ...]
    open_a: float

    @property
    def densest(self) -> tuple[float, str, float, float] | None:
        """The greatest current across a millimetre of a pour, its layer, and where."""
        found = None
        for sheet in self.sheets:
            k = int(np.argmax(sheet.a_mm))
            if found is None or sheet.a_mm[k] > found[0]:
                x, y = sheet.middles()[k].tolist()
                found = (float(sheet.a_mm[k]), sheet.layer, x, y)
        return found

    @property
    def drop_v(self) -> float:
        """The greatest voltage between two pins that carry current."""
        return max(self.volts.values(), default=0.0) - min(self.volts.values(), default=0.0)
