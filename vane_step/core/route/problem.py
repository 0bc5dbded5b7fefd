"""What the router is given: the lattice, its jobs and what each cell is owned by; setting it up is in ``grid``."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass, field

import numpy as np
from shapely.geometry import Polygon

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.ballgrid import BallGrid, grid_of
from vane_step.core.design.model import Design, Layer

PITCHES_MM = (0.125, 0.127)
# Where tracks with their gaps, and pads, are at least so wide, nodes twice as far apart resolve them: a quarter of the
# nodes, a third of the time, no more wire jumpers (measured on boards of one layer, docs/long-runs.md).
COARSE_MM, COARSE_FROM_MM = (0.25, 0.254), 0.6
# What is tried for boards with ball grids, whose pitches are multiples of most of these.
FINE_MM = (0.125, 0.1, 0.08, 0.0625, 0.05, 0.04, 0.025)


MAX_CELLS = 12_000_000


# A wire costs as much as a detour of this length.
WIRE_COST_MM = 50.0


# Half width and gap of tracks in millimetres; the net a class belongs to, "" for a class nets share; and the numbers of
# the quiet zones it may not cross.
TrackClass = tuple[float, float, str, tuple[int, ...]]


# A quiet zone, and the nets that have a pad in it.
QuietZone = tuple[Polygon, set[str | None]]


@dataclass(frozen=True)
class Lattice:
    """Where the grid lies: origin and pitch in millimetres, columns, rows and copper layers."""

    x0: float
    y0: float
    pitch: float
    w: int
    h: int
    layers: tuple[Layer, ...]

    @property
    def plane(self) -> int:
        """Cells of one layer."""
        return self.w * self.h

    def xy(self, cell: int) -> tuple[float, float]:
        """Give a cell's place in millimetres."""
        return self.x0 + (cell % self.w) * self.pitch, self.y0 + (cell // self.w) * self.pitch


@dataclass
class NetJob:
    """A net to route: its numbers in the class tables, and the groups of copper that must become one.

    ``terminals`` are the nodes of each group, ``windows`` their first and last column and row, ``apart`` the octile
    distances between their middles in steps, ``outermost`` the one farthest from all others. It may be as thin as a
    neck on ``neck_cells``, near its pads. Of a net that is
    ``planed`` the last terminal are its planes, and what they reach already is no terminal of its own.
    """

    number: int
    name: str
    full: int
    neck: int
    via: int
    width_mm: float
    neck_mm: float
    clearance_mm: float
    neck_reach_mm: float
    terminals: list[np.ndarray]
    spots: list[tuple[float, float]]
    neck_cells: np.ndarray = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    apart: np.ndarray = field(default_factory=lambda: np.zeros((0, 0)))
    windows: list[tuple[int, int, int, int]] = field(default_factory=list)
    outermost: int = 0
    terminal_nodes: np.ndarray = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    planed: bool = False


@dataclass
class Problem:
    """Everything the negotiation needs.

    ``held[k]`` are holders (see ``search``) of a track class (nodes x 2), ``holed[k]`` of a via class (cells x 2);
    counts are still 0. ``classes`` and ``via_classes`` give half width and clearance in millimetres. ``pairs`` are nets
    that are to lie side by side.
    """

    lattice: Lattice
    jobs: list[NetJob]
    classes: list[tuple[float, float]]
    via_classes: list[tuple[float, float]]
    held: np.ndarray
    holed: np.ndarray
    via_barred: np.ndarray
    wire_barred: np.ndarray
    jump: np.ndarray
    wire_half_mm: float
    via_drill_mm: float
    hole_gap_mm: float
    pairs: list[tuple[str, str]] = field(default_factory=list)


def choose_lattice(design: Design, fine: bool = False) -> Lattice:
    """Choose pitch and origin so that most pads lie on the grid; equal counts take the finer common pitch.

    A board of wide tracks and pads takes a coarser one, unless a ``fine`` one is asked for. With a ball grid on the
    board its pads count alone, and the pitch is the coarsest at which what passes between them by the exact rules
    passes on the lattice too.
    """
    pads = [i for i in connectivity(design).items if i.kind == "pad"]
    x_lo, y_lo, x_hi, y_hi = outline(design).bounds
    grids = _grids(design)
    if grids:
        pads = [i for i in pads if i.id.partition(".")[0] in grids]
    most = math.sqrt((x_hi - x_lo) * (y_hi - y_lo) * design.board.copper_layers / MAX_CELLS)
    best: tuple[int, float, float, float] | None = None
    pitches = _pitches(design, list(grids.values()), most)
    for pitch in COARSE_MM if not (grids or fine) and is_coarse(design) else pitches:
        phases = []
        hits = 0
        for axis, low in (("x_mm", x_lo), ("y_mm", y_lo)):
            rest = Counter(round((getattr(p, axis) - low) % pitch, 3) % round(pitch, 3) for p in pads)
            phase, n = rest.most_common(1)[0] if rest else (0.0, 0)
            phases.append(phase)
            hits += n
        if best is None or hits > best[0]:
            best = (hits, pitch, phases[0], phases[1])
    assert best is not None
    _, pitch, px, py = best
    w = int((x_hi - x_lo - px) / pitch) + 1
    h = int((y_hi - y_lo - py) / pitch) + 1
    return Lattice(x_lo + px, y_lo + py, pitch, w, h, design.board.layers)


def is_coarse(design: Design) -> bool:
    """Tell whether all tracks with their gaps, and all pads, are wide enough for the coarser grid."""
    rules = {design.rule_of(net) for net in design.nets}
    pads = {
        min(pad.width_nm, pad.height_nm)
        for name in {p.package for p in design.parts.values() if p.place}
        for pad in design.packages[name].pads
    }
    wide = [r.width_nm + r.clearance_nm for r in rules]
    return min([*wide, *pads], default=0) >= COARSE_FROM_MM * 1e6


def _grids(design: Design) -> dict[str, BallGrid]:
    """Give the grids of pads of the placed parts."""
    known = {name: grid for name, p in design.packages.items() if (grid := grid_of(p))}
    return {p.ref: known[p.package] for p in design.parts.values() if p.place and p.package in known}


def _pitches(design: Design, grids: list[BallGrid], most_mm: float) -> tuple[float, ...]:
    """Give the pitches to choose from: the usual ones, or the coarsest that resolves all ball grids."""
    if not grids:
        return PITCHES_MM
    fine = [p for p in FINE_MM if p > most_mm]
    rules, gap = design.board.rules, design.rule_of(None).clearance_nm
    needs: set[tuple[float, float]] = set()
    for grid in grids:
        half = grid.pitch_nm / 2e6
        reach = grid.land_nm / 2e6 + gap / 1e6
        needs.add((half, reach + (grid.width_nm(rules, gap) or rules.min_width_nm) / 2e6))
        needs.add((half, (reach + rules.via_pad_nm / 2e6) / math.sqrt(2)))
    # What the finest cannot do no pitch can.
    needs = {need for need in needs if fine and _passes(*need, fine[-1])}
    return next(((pitch,) for pitch in fine if all(_passes(*need, pitch) for need in needs)), PITCHES_MM)


def _passes(half_mm: float, reach_mm: float, pitch_mm: float) -> bool:
    """Tell whether a row of nodes lies far enough from pads on the lattice, in whose midst something just passes.

    A straight step between two free nodes may come nearer to a pad than both, so the nodes keep a little more off.
    """
    node = round(half_mm / pitch_mm) * pitch_mm
    free = min(node, 2 * half_mm - node)
    return math.sqrt(reach_mm**2 + (pitch_mm / 2) ** 2) <= free + 1e-9
