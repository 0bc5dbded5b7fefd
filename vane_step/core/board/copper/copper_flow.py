"""The copper of one net as resistances, and what flows in each piece, via and cell of it; which currents is not its
affair.

Tracks are resistances between the places where anything joins them, vias their barrels, wire jumpers their wire, pours
sheets of square cells between which flows what their common side leaves of copper (finite volumes), all in one sparse
solve. Where a track runs within a pour of its net it is the pour's copper.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from typing import Final

import numpy as np
import shapely
from scipy.sparse import coo_matrix, csc_matrix, csgraph
from scipy.sparse.linalg import SuperLU, splu
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.copper.connectivity import net_copper
from vane_step.core.board.copper.flows import CopperCurrents, PieceFlow, SheetFlow
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.copper.sheet_sides import sides_of
from vane_step.core.board.geometry.laid import CopperItem
from vane_step.core.design.model import Design
from vane_step.core.power.trace import resistance_ohm, via_barrel_mm2

# Resistivity of copper in ohm mm at 20 °C, as `core.power.trace` has it, and of the wire of jumpers.
RHO_OHM_MM: Final = 1.724e-5
# Cells of a pour: their side, and how many at most, which makes them larger.
CELL_MM, MOST_CELLS = 0.3, 45_000
# How far from a well its cell's pressure stands, in sides of the cell (Peaceman 1978).
WELL_SHARE: Final = 0.2
EDGE_SHARE: Final = 0.4
TOUCH_MM: Final = 1e-4
# Plating of vias where the maker tells none (rule of thumb: 18 to 25 µm).
PLATING_UM: Final = 20.0


class CopperNet:
    """The copper of a net, ready to be solved for any currents at its pins.

    Parameters
    ----------
    celsius
        Temperature of the copper.
    most_cells
        How many cells its pours are made of at most.
    """

    def __init__(self, design: Design, net: str, celsius: float = 20.0, most_cells: int = MOST_CELLS) -> None:
        self.design, self.net, self.celsius = design, net, celsius
        self.most_cells = most_cells
        copper = net_copper(design).get(net)
        items = copper.items if copper is not None else ()
        self.items = [i for i in items if i.kind in ("pad", "via", "jumper", "track")]
        self._parent: list[int] = []
        self.a: list[int] = []
        self.b: list[int] = []
        self.g: list[float] = []
        self.track_rows: list[tuple[int, CopperItem, tuple[float, float, float, float]]] = []
        self.via_rows: list[tuple[int, str]] = []
        self.sheet_rows: list[tuple[str, int, int, float]] = []
        self.pads: dict[str, int] = {}
        self._sheets = self._poured()
        self._grips()
        self._tracks()
        self._wires()
        self._solver()

    # Nodes are joined by union-find: what touches is one.
    def _node(self) -> int:
        self._parent.append(len(self._parent))
        return len(self._parent) - 1

    def _root(self, k: int) -> int:
        while self._parent[k] != k:
            self._parent[k] = self._parent[self._parent[k]]
            k = self._parent[k]
        return k

    def _join(self, a: int, b: int) -> None:
        self._parent[self._root(a)] = self._root(b)

    def _resistor(self, a: int, b: int, ohm: float) -> int:
        self.a.append(a)
        self.b.append(b)
        self.g.append(1.0 / max(ohm, 1e-9))
        return len(self.g) - 1

    def _thickness_um(self, layer: str) -> float:
        rules = self.design.board.rules
        return rules.inner_copper_um if layer.startswith("in") else rules.copper_um

    def _square_ohm(self, layer: str) -> float:
        return resistance_ohm(1.0, 1.0, self._thickness_um(layer), self.celsius)

    def _poured(self) -> dict[str, tuple[BaseGeometry, float, np.ndarray, dict[tuple[int, int], int]]]:
        """Make the cells of the net's pours: by layer their copper, their side, their corner and their nodes."""
        found: dict[str, tuple[BaseGeometry, float, np.ndarray, dict[tuple[int, int], int]]] = {}
        copper_of: dict[str, BaseGeometry] = {}
        for layer in self.design.board.layers:
            shapes = [
                q
                for p in pour_pieces(self.design)
                if p.net == self.net and p.layer == layer
                for q in p.pieces
            ]
            if shapes:
                copper_of[layer] = shapely.disjoint_subset_union_all(shapes)
        side = max(CELL_MM, math.sqrt(sum(c.area for c in copper_of.values()) / self.most_cells))
        for name, copper in copper_of.items():
            shapely.prepare(copper)
            low = np.array(copper.bounds[:2]) - side / 2
            nx, ny = (math.ceil((h - lo) / side) + 1 for lo, h in zip(low, copper.bounds[2:], strict=True))
            pairs, share = sides_of(copper, low, side, nx, ny)
            cells, ends = np.unique(pairs, return_inverse=True)
            base = len(self._parent)
            self._parent.extend(range(base, base + len(cells)))
            ends = ends.reshape(pairs.shape) + base
            first = len(self.g)
            self.a += ends[:, 0].tolist()
            self.b += ends[:, 1].tolist()
            self.g += (share / self._square_ohm(name)).tolist()
            self.sheet_rows.append((name, first, len(self.g), side))
            found[name] = (
                copper,
                side,
                low,
                dict(
                    zip(
                        zip((cells % nx).tolist(), (cells // nx).tolist(), strict=True),
                        range(base, base + len(cells)),
                        strict=True,
                    )
                ),
            )
        return found

    def _touch_sheet(
        self, node: int, item: BaseGeometry, radius: float, layer: str, x: float, y: float
    ) -> None:
        """Join a node to the cells of a pour its shape covers; where it covers none, to the nearest as a well."""
        sheet = self._sheets.get(layer)
        if sheet is None:
            return
        copper, side, low, cells = sheet
        if not copper.intersects(item.buffer(TOUCH_MM)):
            return
        x0, y0, x1, y1 = item.bounds
        i0, j0 = np.floor((np.array([x0, y0]) - low) / side).astype(int)
        i1, j1 = np.floor((np.array([x1, y1]) - low) / side).astype(int)
        # A contact held at the centres of cells acts as one that is smaller by some of a cell (measured on round ones).
        grown = item.buffer(EDGE_SHARE * side)
        columns, rows = np.meshgrid(np.arange(i0 - 1, i1 + 2), np.arange(j0 - 1, j1 + 2))
        middles = low + (np.column_stack([columns.ravel(), rows.ravel()]) + 0.5) * side
        inside = shapely.contains_xy(grown, middles[:, 0], middles[:, 1])
        covered = False
        for i, j in zip(columns.ravel()[inside].tolist(), rows.ravel()[inside].tolist(), strict=True):
            if (cell := cells.get((i, j))) is not None:
                self._join(cell, node)
                covered = True
        if covered:
            return
        i, j = np.floor((np.array([x, y]) - low) / side).astype(int).tolist()
        near = min(
            (
                (abs(i - u) + abs(j - v), cell)
                for u in range(i - 2, i + 3)
                for v in range(j - 2, j + 3)
                if (cell := cells.get((u, v))) is not None
            ),
            default=None,
        )
        if near is not None:
            ohm = (
                self._square_ohm(layer)
                / (2 * math.pi)
                * max(math.log(WELL_SHARE * side / max(radius, 1e-3)), 0.01)
            )
            self._resistor(node, near[1], ohm)

    def _grips(self) -> None:
        """Give pads and vias their nodes: a soldered pin is one through all layers, a via has one a layer."""
        self.at: dict[int, dict[str, int]] = {}
        layers = self.design.board.layers
        for k, item in enumerate(self.items):
            if item.kind == "pad":
                node = self._node()
                self.pads[item.id] = node
                self.at[k] = dict.fromkeys(item.layers, node)
            elif item.kind == "via":
                self.at[k] = {layer: self._node() for layer in item.layers}
                self.pads[item.id] = self.at[k][item.layers[0]]
                area = via_barrel_mm2(item.drill_mm, PLATING_UM)
                here = [x for x in layers if x in item.layers]
                for upper, lower in itertools.pairwise(here):
                    deep = self.design.board.rules.board_mm
                    ohm = RHO_OHM_MM * deep / max(len(layers) - 1, 1) / area
                    row = self._resistor(self.at[k][upper], self.at[k][lower], ohm)
                    self.via_rows.append((row, item.id))
            elif item.kind == "jumper":
                self.at[k] = dict.fromkeys(item.layers, self._node())
            for layer, node in self.at.get(k, {}).items():
                if layer in self._sheets:
                    radius = max(item.width_mm, item.drill_mm) / 2
                    self._touch_sheet(node, item.shape(), radius, layer, item.x_mm, item.y_mm)

    def _tracks(self) -> None:
        """Cut every track at the places where something joins it, and put the pieces in as resistances."""
        tracks = [(k, i) for k, i in enumerate(self.items) if i.kind == "track"]
        if not tracks:
            return
        tree = STRtree(np.array([i.spine for i in self.items], dtype=object))
        widest = max(i.radius_mm for i in self.items)
        stations: dict[int, list[tuple[float, int]]] = {k: [] for k, _ in tracks}
        for k, track in tracks:
            layer = track.layers[0]
            for other in tree.query(
                track.spine, predicate="dwithin", distance=track.radius_mm + widest
            ).tolist():
                item = self.items[other]
                if other == k or layer not in item.layers or (item.kind == "track" and other < k):
                    continue
                if track.spine.distance(item.spine) > track.radius_mm + item.radius_mm + TOUCH_MM:
                    continue
                if item.kind == "track":
                    one, two = shapely.shortest_line(track.spine, item.spine).coords
                    node = self._node()
                    stations[k].append((track.spine.project(Point(one)), node))
                    stations[other].append((item.spine.project(Point(two)), node))
                else:
                    near = shapely.shortest_line(track.spine, item.spine).coords[0]
                    stations[k].append((track.spine.project(Point(near)), self.at[other][layer]))
        for k, track in tracks:
            self._cut(track, stations[k])

    def _cut(self, track: CopperItem, stations: list[tuple[float, int]]) -> None:
        layer = track.layers[0]
        sheet = self._sheets.get(layer)
        marks = sorted(stations)
        # Places within a hundredth of a millimetre are one.
        places: list[tuple[float, int]] = []
        for at, node in marks:
            if places and at - places[-1][0] < 0.01:
                self._join(node, places[-1][1])
            else:
                places.append((at, node))
        if sheet is not None:
            # Where it runs in the pour its copper is the pour's: only what lies outside is a piece of its own.
            whole = sheet[0].contains(track.spine)
            apart = not whole and not sheet[0].intersects(track.spine)
            about = None if whole or apart else shapely.clip_by_rect(sheet[0], *track.spine.buffer(1).bounds)
            inside = track.spine if about is None else track.spine.intersection(about)
            inside = LineString() if apart else inside
            for part in shapely.get_parts(inside):
                if part.length < TOUCH_MM:
                    continue
                ends = sorted(track.spine.project(Point(part.coords[n])) for n in (0, -1))
                for at in ends:
                    node = self._node()
                    x, y = track.spine.interpolate(at).coords[0]
                    self._touch_sheet(node, Point(x, y).buffer(track.radius_mm), track.radius_mm, layer, x, y)
                    places.append((at, node))
            places.sort()
        um = self._thickness_um(layer)
        for (at, a), (to, b) in itertools.pairwise(places):
            if to - at < 1e-6:
                self._join(a, b)
                continue
            middle = track.spine.interpolate((at + to) / 2)
            if sheet is not None and sheet[0].contains(middle):
                continue
            row = self._resistor(a, b, resistance_ohm(to - at, track.width_mm, um, self.celsius))
            ends = [c for d in (at, to) for c in track.spine.interpolate(d).coords[0]]
            self.track_rows.append((row, track, (ends[0], ends[1], ends[2], ends[3])))

    def _wires(self) -> None:
        """Join the two holes of each wire jumper by its wire."""
        for jumper in self.design.jumpers.values():
            if jumper.net != self.net:
                continue
            ends = [k for k, i in enumerate(self.items) if i.kind == "jumper" and i.id == jumper.id]
            if len(ends) == 2:
                nodes = [next(iter(self.at[k].values())) for k in ends]
                length = math.dist(jumper.a, jumper.b) / 1e6
                area = math.pi * (jumper.wire_nm / 2e6) ** 2
                self._resistor(nodes[0], nodes[1], RHO_OHM_MM * length / area)

    def _solver(self) -> None:
        roots = np.array(self._parent, dtype=np.int64)
        while True:
            higher = roots[roots]
            if (higher == roots).all():
                break
            roots = higher
        kept, self.number = np.unique(roots, return_inverse=True)
        self.size = len(kept)
        a, b = (
            self.number[np.array(side, dtype=np.int64)] if side else np.zeros(0, dtype=np.int64)
            for side in (self.a, self.b)
        )
        g = np.array(self.g)
        self._ends, self._conductance = (a, b), g
        apart = a != b
        rows = np.concatenate([a[apart], b[apart], a[apart], b[apart]])
        columns = np.concatenate([b[apart], a[apart], a[apart], b[apart]])
        values = np.concatenate([-g[apart], -g[apart], g[apart], g[apart]])
        self.matrix = coo_matrix((values, (rows, columns)), shape=(self.size, self.size)).tocsc()
        self.piece = (
            csgraph.connected_components(self.matrix, directed=False)[1]
            if self.size
            else np.zeros(0, dtype=np.int64)
        )
        self._factors: dict[int, tuple[np.ndarray, SuperLU]] = {}

    def resistance(self, a: str, b: str) -> float | None:
        """Give the resistance between two pins; none where no copper joins them."""
        found = self.solve({a: -1.0, b: 1.0})
        return None if found.open_a > 1e-9 else found.volts[a] - found.volts[b]

    def solve(self, into: Mapping[str, float]) -> CopperCurrents:
        """Give what flows when the pins take these currents out of the copper (negative: they give).

        What the pins of a joined piece of copper do not take of each other has no way and is told as ``open_a``.
        """
        injected = np.zeros(self.size)
        for pin, amps in into.items():
            if pin in self.pads:
                injected[self.number[self.pads[pin]]] -= amps
        volts = np.zeros(self.size)
        open_a = sum(abs(a) for p, a in into.items() if p not in self.pads)
        for piece in np.unique(self.piece[np.flatnonzero(injected)]).tolist():
            mine = np.flatnonzero(self.piece == piece)
            rest = float(injected[mine].sum())
            most = int(mine[np.argmax(np.abs(injected[mine]))])
            # What is missing to a sum of zero is within rounding, or has no way.
            if abs(rest) > 1e-6 * float(np.abs(injected[mine]).max()):
                open_a += abs(rest)
            injected[most] -= rest
            if len(mine) < 2:
                continue
            if piece not in self._factors:
                self._factors[piece] = (mine[1:], factor(self.matrix[mine[1:]][:, mine[1:]].tocsc()))
            free, solved = self._factors[piece]
            volts[free] = solved.solve(injected[free])
        return self._told(volts, into, open_a)

    def cells(self) -> list[tuple[str, float, np.ndarray, np.ndarray]]:
        """Give the cells of the pours: by layer their side, their unknowns, and their middles in millimetres."""
        found = []
        for layer, (_, side, low, nodes) in self._sheets.items():
            unknowns = self.number[np.array(list(nodes.values()), dtype=np.int64)]
            found.append((layer, side, unknowns, low + (np.array(list(nodes)) + 0.5) * side))
        return found

    def _told(self, volts: np.ndarray, into: Mapping[str, float], open_a: float) -> CopperCurrents:
        a, b = self._ends
        flow = (volts[a] - volts[b]) * self._conductance
        heat = flow * (volts[a] - volts[b])
        pieces = [
            PieceFlow(t.id, t.layers[0], abs(float(flow[row])), t.width_mm, ends, float(heat[row]))
            for row, t, ends in self.track_rows
        ]
        vias: dict[str, float] = {}
        for row, id in self.via_rows:
            vias[id] = max(vias.get(id, 0.0), abs(float(flow[row])))
        at = {p: float(volts[self.number[self.pads[p]]]) for p in into if p in self.pads}
        top = max(at.values(), default=0.0)
        sheets = [self._sheet(row, flow, heat) for row in self.sheet_rows if row[2] > row[1]]
        return CopperCurrents(
            tuple(sorted(pieces, key=lambda p: -p.amps)),
            vias,
            {p: v - top for p, v in at.items()},
            float(heat.sum()),
            tuple(sheets),
            open_a,
        )

    def _sheet(self, row: tuple[str, int, int, float], flow: np.ndarray, heat: np.ndarray) -> SheetFlow:
        """Give what flows in the cells of a layer: along and across from both its sides, its share of their heat."""
        layer, first, last, side = row
        _, _, low, nodes = self._sheets[layer]
        base = min(nodes.values())
        cells = np.array(list(nodes))
        one, two = (np.array(ends[first:last], dtype=np.int64) - base for ends in (self.a, self.b))
        amps, watts = flow[first:last], heat[first:last]
        across = cells[one, 0] != cells[two, 0]
        through = np.zeros((len(cells), 2))
        warm = np.zeros(len(cells))
        for end in (one, two):
            np.add.at(through[:, 0], end[across], amps[across] / 2)
            np.add.at(through[:, 1], end[~across], amps[~across] / 2)
            np.add.at(warm, end, watts / 2)
        return SheetFlow(
            layer, side, (float(low[0]), float(low[1])), cells, np.hypot(*through.T) / side, warm
        )


def factor(matrix: csc_matrix) -> SuperLU:
    """Factor a symmetric matrix: ordered as such it fills in less than half as much."""
    return splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
