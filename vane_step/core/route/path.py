"""Ways through the routing grid and their nets; finding them is in ``seeker``, holding places in ``claims``."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.grid import NetJob, Problem

VIA_COST_MM = 3.0

Window = tuple[int, int, int, int]
# A layer, cells near copper on it, and how many classes of other copper mind at each; see ``kernel.halos``.
Halo = tuple[int, np.ndarray, np.ndarray]


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
    halos
        Where its copper is in the way of others; None until it is held.
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
    halos: list[Halo] | None = None


@dataclass
class Routed:
    """The paths of a net, the number of links that stayed open, and its surroundings once it was held."""

    job: NetJob
    paths: list[Path] = field(default_factory=list)
    failed: int = 0
    halos: list[Halo] | None = None

    def groups(self) -> list[list[int | Path]]:
        """Give what is joined by now: terminals by number, and the paths between them; group by group."""
        count = len(self.job.terminals)
        at = {path: k for k, path in enumerate(self.paths, count)}
        root = list(range(count + len(self.paths)))
        for path in self.paths:
            for end in path.ends:
                a, b = at[path], at[end] if isinstance(end, Path) else end
                while root[a] != a:
                    root[a] = a = root[root[a]]
                while root[b] != b:
                    root[b] = b = root[root[b]]
                root[max(a, b)] = min(a, b)
        found: dict[int, list[int | Path]] = {}
        for k, element in enumerate([*range(count), *self.paths]):
            # What it leads to comes before it, and has its root by now.
            root[k] = root[root[k]]
            found.setdefault(root[k], []).append(element)
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
    spot = np.minimum(np.searchsorted(job.terminal_nodes, nodes), len(job.terminal_nodes) - 1)
    # A track's end inside its own pad is no wider than the pad, which the owner maps guard already.
    free = job.terminal_nodes[spot] != nodes
    lat = problem.lattice
    lines, vias, wires, length, price, window = kernel.pieces(nodes, how, lat.w, lat.plane)
    # A wire's two holes are among the vias.
    holes = len(vias) - 2 * len(wires)
    cost = price + holes * VIA_COST_MM / lat.pitch + len(wires) * float(problem.jump[3])
    return Path(nodes, how, free, lines, vias, wires, length, cost, window, ends)


def cost(net: Routed) -> float:
    """Give what a net's paths cost together, in steps."""
    return sum(p.cost for p in net.paths)
