"""Ways through the routing grid and their nets; ``connection_search`` finds them, ``occupancy`` holds their places."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.problem import NetJob, Problem

VIA_COST_MM = 3.3

Window = tuple[int, int, int, int]
# Cells near copper, how many classes of other copper mind at each, and where each part of them ends: the layers one by
# one, what lies round all of them together, and what lies round wires; see ``kernel.halos``.
Halo = tuple[np.ndarray, np.ndarray, np.ndarray]


@dataclass(eq=False)
class Path:
    """One way through the grid, and the copper it stands for, in grid coordinates.

    Parameters
    ----------
    nodes, how
        From tree to goal, and how each node was reached (1 neck, 2 via, 4 wire).
    free
        Marks nodes outside the net's own pads.
    lines, vias, wires
        See :func:`kernel.pieces`.
    cost
        Length in steps, necks and corners priced as in the search, with the price of vias and wires.
    window
        First and last column and row.
    ends
        The elements it joins: terminals by number, and other paths.
    halos, blocks
        Where its copper is in the way of others, and the blocks (see ``blocks``) near it; None until it is held.
    """

    nodes: np.ndarray
    how: np.ndarray
    free: np.ndarray
    lines: np.ndarray
    vias: np.ndarray
    wires: np.ndarray
    length: float
    cost: float
    window: Window
    ends: tuple[int | Path, int | Path]
    halos: Halo | None = None
    blocks: np.ndarray | None = None


@dataclass
class Routed:
    """The paths of a net, and the number of links that stayed open.

    Once it was held also its surroundings, and the blocks (see ``blocks``) something changes in when it goes.
    """

    job: NetJob
    paths: list[Path] = field(default_factory=list)
    failed: int = 0
    halos: Halo | None = None
    blocks: np.ndarray | None = None

    def groups(self) -> list[list[int | Path]]:
        """Give what is joined by now: terminals by number, and the paths between them; group by group."""
        count = len(self.job.terminals)
        if not self.paths:
            return [[k] for k in range(count)]
        elements: list[int | Path] = [*range(count), *self.paths]
        at = {path: k for k, path in enumerate(self.paths, count)}
        links = [(at[p], at[e] if isinstance(e, Path) else e) for p in self.paths for e in p.ends]
        found: dict[int, list[int | Path]] = {}
        for element, first in zip(
            elements, kernel.grouped(len(elements), np.array(links)).tolist(), strict=True
        ):
            found.setdefault(first, []).append(element)
        return list(found.values())

    def without(self, gone: set[Path]) -> Routed:
        """Give the net without some paths, and without those that lean on them."""
        gone, found = set(gone), True
        while found:
            found = False
            for path in self.paths:
                if path not in gone and (path.ends[0] in gone or path.ends[1] in gone):
                    gone.add(path)
                    found = True
        return Routed(self.job, [p for p in self.paths if p not in gone], self.failed)


def make_path(
    problem: Problem, job: NetJob, nodes: np.ndarray, how: np.ndarray, ends: tuple[int | Path, int | Path]
) -> Path:
    """Make a path of nodes and how each was reached."""
    lat = problem.lattice
    # A track's end inside its own pad is no wider than the pad, which the owner maps guard already.
    lines, vias, wires, length, price, window, free = kernel.pieces(
        nodes, how, job.terminal_nodes, lat.w, lat.plane
    )
    # A wire's two holes are among the vias.
    holes = len(vias) - 2 * len(wires)
    cost = price + holes * VIA_COST_MM / lat.pitch + len(wires) * float(problem.jump[3])
    return Path(nodes, how, free, lines, vias, wires, length, cost, window, ends)


def cost(net: Routed) -> float:
    """Give what a net's paths cost together, in steps."""
    return sum(p.cost for p in net.paths)
