"""How heat spreads in a board and leaves it: a sheet of copper and glass, cooled by air at both faces; what heats it is
given.

Finite volumes on square cells: each conducts by what of it is copper on each layer (390 W/mK, taken from the real
shapes) and by its glass (0.3 W/mK), and gives off heat at both faces in proportion to its rise. Layers are as warm as
each other at one place: their glass is thin.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Final

import numpy as np
import shapely
from PIL import Image, ImageDraw
from scipy.sparse import coo_matrix, csc_matrix, diags
from scipy.sparse.linalg import SuperLU, splu
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import copper_items, outline
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design

# What copper and glass conduct in W/mK, and what a face gives off to still air in W/m²K (rule of thumb: 5 to 15).
COPPER_W_MK: Final = 390.0
GLASS_W_MK: Final = 0.3
FACE_W_M2K: Final = 10.0
# What a cubic metre of each takes up by a kelvin, in joules: 8,960 kg/m³ of 385 J/kgK, 1,850 of 1,100; and in how many
# steps a time is followed.
COPPER_J_M3K: Final = 3.45e6
GLASS_J_M3K: Final = 2.04e6
STEPS: Final = 16
# Side of a cell, how many there are at most, and how many looks along each side tell how much of it is copper.
CELL_MM, MOST_CELLS = 1.0, 20_000
LOOKS: Final = 5


class HeatSheet:
    """A board as cells that conduct heat, ready for any heat put into them.

    Parameters
    ----------
    design
        The design.

    Attributes
    ----------
    cell_mm, low
        Side of the cells, and the lower left corner of the first.
    wide, tall
        Columns and rows.
    inside
        Which cells are board: bool, tall x wide.
    """

    def __init__(self, design: Design) -> None:
        board = outline(design)
        x0, y0, x1, y1 = board.bounds
        area = (x1 - x0) * (y1 - y0)
        self.cell_mm = max(CELL_MM, math.sqrt(area / MOST_CELLS))
        self.low = np.array([x0, y0])
        self.wide = max(1, math.ceil((x1 - x0) / self.cell_mm - 1e-9))
        self.tall = max(1, math.ceil((y1 - y0) / self.cell_mm - 1e-9))
        # How much of each cell is board: cells at its edge conduct and give off less.
        self.share = self._drawn([board])
        self.inside = self.share > 0.2
        sheet = GLASS_W_MK * design.board.rules.board_mm / 1000 * self.share
        holds = GLASS_J_M3K * design.board.rules.board_mm / 1000 * self.share
        for layer, shapes in _copper(design).items():
            rules = design.board.rules
            um = rules.inner_copper_um if layer.startswith("in") else rules.copper_um
            covered = um * 1e-6 * np.minimum(self._drawn(shapes), self.share)
            sheet, holds = sheet + COPPER_W_MK * covered, holds + COPPER_J_M3K * covered
        self.sheet_w_k = sheet
        self.holds_j_k = (holds * (self.cell_mm / 1000) ** 2)[self.inside]
        self.number = np.where(self.inside, np.cumsum(self.inside).reshape(self.inside.shape) - 1, -1)
        self.matrix = self._matrix()
        self._factors: dict[float | None, SuperLU] = {}

    def _drawn(self, shapes: list[Polygon]) -> np.ndarray:
        """Give what share of each cell lies in some polygons, by looking at some places of each."""
        scale = LOOKS / self.cell_mm
        image = Image.new("L", (self.wide * LOOKS, self.tall * LOOKS))
        pen = ImageDraw.Draw(image)
        for shape in shapes:
            for ring, colour in ((shape.exterior, 255), *((hole, 0) for hole in shape.interiors)):
                points = (shapely.get_coordinates(ring) - self.low) * scale - 0.5
                pen.polygon([tuple(p) for p in points.tolist()], fill=colour)
        looked = np.asarray(image, dtype=np.float64) / 255
        share: np.ndarray = looked.reshape(self.tall, LOOKS, self.wide, LOOKS).mean(axis=(1, 3))
        return share

    def _matrix(self) -> csc_matrix:
        k, n = self.sheet_w_k, self.number
        rows, columns, values = [], [], []
        for here, there, one, other in (
            (n[:, :-1], n[:, 1:], k[:, :-1], k[:, 1:]),
            (n[:-1], n[1:], k[:-1], k[1:]),
        ):
            both = (here >= 0) & (there >= 0)
            a, b, g = here[both], there[both], 2 * one[both] * other[both] / (one[both] + other[both])
            rows += [a, b, a, b]
            columns += [b, a, a, b]
            values += [-g, -g, g, g]
        count = int(self.inside.sum())
        # Off its faces; where a cell is only partly board, off that part.
        faces = 2 * FACE_W_M2K * (self.cell_mm / 1000) ** 2 * self.share[self.inside]
        every = np.arange(count)
        return coo_matrix(
            (
                np.concatenate([*values, faces]),
                (np.concatenate([*rows, every]), np.concatenate([*columns, every])),
            ),
            shape=(count, count),
        ).tocsc()

    def _factor(self, seconds: float | None) -> SuperLU:
        """Give the equations ready to be solved, of rest or of a step of a time; kept."""
        known = self._factors.get(seconds)
        if known is None:
            more = diags(self.holds_j_k * STEPS / seconds) if seconds is not None else 0 * self.matrix
            known = splu(
                (self.matrix + more).tocsc(),
                permc_spec="MMD_AT_PLUS_A",
                diag_pivot_thresh=0.0,
                options={"SymmetricMode": True},
            )
            self._factors[seconds] = known
        return known

    def cells_at(self, shape: BaseGeometry) -> np.ndarray:
        """Give the cells whose middles a shape covers, as numbers; the nearest of the board where it covers none."""
        x0, y0, x1, y1 = (np.array(shape.bounds) - np.tile(self.low, 2)) / self.cell_mm
        i = np.arange(max(math.floor(x0), 0), min(math.ceil(x1), self.wide))
        j = np.arange(max(math.floor(y0), 0), min(math.ceil(y1), self.tall))
        columns, rows = (axis.ravel() for axis in np.meshgrid(i, j))
        x, y = (self.low[0] + (columns + 0.5) * self.cell_mm, self.low[1] + (rows + 0.5) * self.cell_mm)
        held = shapely.contains_xy(shape, x, y) & self.inside[rows, columns]
        found: np.ndarray = self.number[rows[held], columns[held]]
        return found if len(found) else self.cell_near(shape.centroid.x, shape.centroid.y)

    def cell_near(self, x_mm: float, y_mm: float) -> np.ndarray:
        """Give the cell of the board that is nearest to a place, as a number in an array of one."""
        j, i = np.nonzero(self.inside)
        away = (self.low[0] + (i + 0.5) * self.cell_mm - x_mm) ** 2
        away = away + (self.low[1] + (j + 0.5) * self.cell_mm - y_mm) ** 2
        return np.array([int(np.argmin(away))])

    def rise(self, watts: np.ndarray, seconds: float | None = None) -> np.ndarray:
        """Give the rise above the air of every cell, in kelvin, for the heat put into each, in watts.

        For ever, or after ``seconds`` of it on a board as warm as the air (backward steps of time).
        """
        factor = self._factor(seconds)
        if seconds is None:
            found: np.ndarray = factor.solve(watts)
            return found
        found = np.zeros(self.count)
        for _ in range(STEPS):
            found = factor.solve(watts + self.holds_j_k * STEPS / seconds * found)
        return found

    def rows(self, values: np.ndarray) -> np.ndarray:
        """Give values of the cells as a picture, tall x wide, nothing (NaN) where there is no board."""
        picture = np.full(self.inside.shape, np.nan)
        picture[self.inside] = values
        return picture

    @property
    def count(self) -> int:
        """Number of cells."""
        return int(self.inside.sum())


def _copper(design: Design) -> dict[str, list[Polygon]]:
    """Give the copper of each layer as polygons, pours first: what lies in their gaps is drawn over them."""
    found: dict[str, list[Polygon]] = {layer: [] for layer in design.board.layers}
    for poured in pour_pieces(design):
        found[poured.layer] += poured.pieces
    # What lies in a gap of another piece after it.
    found = {layer: sorted(pieces, key=lambda p: -p.area) for layer, pieces in found.items()}
    items = [i for i in copper_items(design) if i.kind != "text"]
    spines = np.array([i.spine for i in items], dtype=object)
    shapes = shapely.buffer(spines, np.array([max(i.radius_mm, 1e-4) for i in items]), quad_segs=4)
    for item, shape in zip(items, shapes, strict=True):
        for layer in item.layers:
            found[layer] += [p for p in shapely.get_parts(shape).tolist() if isinstance(p, Polygon)]
    return found


@derived(*COPPER)
def heat_sheet(design: Design) -> HeatSheet:
    """Give the sheet of a board, kept until its copper or outline changes."""
    return HeatSheet(design)


@derived(*COPPER)
def feet(design: Design) -> Mapping[str, tuple[np.ndarray, np.ndarray]]:
    """Give for every placed part the cells its heat goes into and comes from, with their shares: those under its pads,
    by their area."""
    sheet = heat_sheet(design)
    pads: dict[str, list[BaseGeometry]] = {}
    for item in copper_items(design):
        if item.kind == "pad":
            pads.setdefault(item.id.partition(".")[0], []).append(item.shape())
    found = {}
    for ref, shapes in pads.items():
        cells, shares = [], []
        whole = sum(s.area for s in shapes)
        for shape in shapes:
            under = sheet.cells_at(shape)
            cells.append(under)
            shares.append(np.full(len(under), shape.area / whole / len(under)))
        found[ref] = (np.concatenate(cells), np.concatenate(shares))
    return found
