"""How the current of signals spreads in ground copper on its way back; what of it may run where is in ``way_back``.

The copper of a net is a mesh of square cells on each layer: between two cells flows what their common side leaves of
copper, so that a cut wider than a cell parts them and a track carries by its width (finite volumes; sheets of one
resistance). It is the distribution of slow currents; fast ones keep closer under their tracks.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from scipy.sparse import coo_matrix, csgraph, diags
from scipy.sparse.linalg import splu
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.copper.sheet_sides import sides_of
from vane_step.core.board.geometry.shapes import copper_items, outline
from vane_step.core.design.model import Design

# Side of a cell, in mm: less than a track and its gaps; and cells in all at most, which makes them larger.
CELL_MM, MOST_CELLS = 0.5, 100_000
# What joins two layers at a via or a pin, as so many squares of copper side by side.
BORE_SQUARES = 50.0


class GroundFlow:
    """The copper of one net as a mesh, and the currents in it between pins.

    Parameters
    ----------
    net : str
        The net whose copper it is, usually a ground.
    """

    def __init__(self, design: Design, net: str) -> None:
        x0, y0, x1, y1 = outline(design).bounds
        layers = design.board.layers
        self.cell = max(CELL_MM, float(np.sqrt((x1 - x0) * (y1 - y0) * len(layers) / MOST_CELLS)))
        self.low = np.array([x0, y0])
        self.wide, self.tall = (int(np.ceil(v / self.cell)) + 1 for v in (x1 - x0, y1 - y0))
        self.layers = layers
        mine = [i for i in copper_items(design) if i.net == net]
        ends: list[np.ndarray] = []
        share: list[np.ndarray] = []
        for k, layer in enumerate(layers):
            shapes: list[BaseGeometry] = [i.shape() for i in mine if layer in i.layers]
            shapes += [q for p in pour_pieces(design) if p.net == net and p.layer == layer for q in p.pieces]
            if shapes:
                found, part = self._sides(shapely.disjoint_subset_union_all(shapes), k)
                ends.append(found)
                share.append(part)
        at = {i.id: self._nodes(i.x_mm, i.y_mm, i.layers) for i in mine if i.kind == "pad"}
        # Those off the board, or without copper on their side, take no part.
        self.pins = {name: nodes for name, nodes in at.items() if len(nodes)}
        for item in mine:
            on = self._nodes(item.x_mm, item.y_mm, item.layers)
            if item.drill_mm and len(on) > 1:
                ends.append(np.column_stack([on[:-1], on[1:]]))
                share.append(np.full(len(on) - 1, BORE_SQUARES))
        self.ends = np.concatenate(ends) if ends else np.zeros((0, 2), dtype=np.int64)
        self.share = np.concatenate(share) if share else np.zeros(0)
        size = self.wide * self.tall * len(layers)
        both = np.concatenate([self.ends, self.ends[:, ::-1]])
        meets = coo_matrix((np.tile(self.share, 2), both.T), shape=(size, size)).tocsr()
        self.piece = csgraph.connected_components(meets, directed=False)[1]
        self._meets = meets
        self._kept: dict[int, np.ndarray] = {}
        self._solvers: dict[int, tuple[np.ndarray, object]] = {}

    def _sides(self, copper: BaseGeometry, k: int) -> tuple[np.ndarray, np.ndarray]:
        """Give the pairs of cells of a layer that share a side with copper on it, and its share of the side."""
        pairs, share = sides_of(copper, self.low, self.cell, self.wide, self.tall)
        return k * self.wide * self.tall + pairs, share

    def _nodes(self, x_mm: float, y_mm: float, layers: Sequence[str]) -> np.ndarray:
        """Give the cells of a place, one a layer; none off the board."""
        i, j = np.floor((np.array([x_mm, y_mm]) - self.low) / self.cell).astype(int).tolist()
        if not (0 <= i < self.wide and 0 <= j < self.tall):
            return np.zeros(0, dtype=np.int64)
        at = j * self.wide + i
        return np.array([at + self.layers.index(x) * self.wide * self.tall for x in layers], dtype=np.int64)

    def between(self, a: str, b: str) -> np.ndarray | None:
        """Give what flows between the cells of each of ``ends`` when a current of 1 goes from pin to pin.

        Returns
        -------
        float array or None
            None where the pins are not joined in copper on the board, or lie in one cell.
        """
        if a not in self.pins or b not in self.pins:
            return None
        one, two = int(self.pins[a][0]), int(self.pins[b][0])
        if self.piece[one] != self.piece[two] or one == two:
            return None
        volts = self._volts(one) - self._volts(two)
        flow: np.ndarray = (volts[self.ends[:, 0]] - volts[self.ends[:, 1]]) * self.share
        return flow

    def _volts(self, node: int) -> np.ndarray:
        """Give the voltages when a current of 1 enters at a node and leaves at the first of its piece of copper."""
        if node not in self._kept:
            piece = int(self.piece[node])
            if piece not in self._solvers:
                mine = np.flatnonzero(self.piece == piece)[1:]
                some = self._meets[mine][:, mine]
                total = np.asarray(self._meets[mine].sum(axis=1)).ravel()
                self._solvers[piece] = mine, splu((diags(total) - some).tocsc())
            mine, solver = self._solvers[piece]
            volts, into = np.zeros(len(self.piece)), np.zeros(len(mine))
            at = np.searchsorted(mine, node)
            if at < len(mine) and mine[at] == node:
                into[at] = 1.0
                volts[mine] = solver.solve(into)  # type: ignore[attr-defined]
            self._kept[node] = volts
        return self._kept[node]

    def inside(self, area: BaseGeometry) -> np.ndarray:
        """Tell of every cell, on every layer, whether its middle lies in an area."""
        xs = self.low[0] + (np.arange(self.wide) + 0.5) * self.cell
        ys = self.low[1] + (np.arange(self.tall) + 0.5) * self.cell
        x, y = np.meshgrid(xs, ys)
        return np.tile(shapely.contains_xy(area, x.ravel(), y.ravel()), len(self.layers))
