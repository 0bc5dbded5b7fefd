"""Who holds which place of the routing grid, and at what price; finding ways is in ``seeker``, bargaining elsewhere."""

from __future__ import annotations

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.blocks import BLOCK, touch
from vane_step.core.route.grid import NetJob, Problem
from vane_step.core.route.path import Halo, Path, Routed

HALF_DIAGONAL = 0.5 * 2**0.5


class Claims:
    """Who holds which place, class of track by class of track; counted in the problem's own arrays."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        self.wired = np.zeros((problem.lattice.plane, 2), dtype=np.int16)
        self.mark = np.zeros(problem.lattice.plane, dtype=np.int32)
        self.edge = np.zeros(problem.lattice.plane, dtype=np.float64)
        self.tag = 0
        lat = problem.lattice
        self.bw, self.bh = (max(2, -(-n // BLOCK)) for n in (lat.w, lat.h))
        self.grid = len(lat.layers), lat.w, lat.plane, self.bw, self.bh
        # When what is held in a block last changed, by a clock that counts changes.
        self.touched = np.zeros(self.bw * self.bh * len(lat.layers), dtype=np.int64)
        self.clock = 0

    def tick(self) -> int:
        """Let the clock go on, and give the time."""
        self.clock += 1
        return self.clock

    def held_by(self, job: NetJob) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Give the holders of the classes of a net's full width, of its neck and of its vias."""
        p = self.problem
        return p.held[job.full].ravel(), p.held[job.neck].ravel(), p.holed[job.via].ravel()

    def next_tag(self) -> int:
        """Give a number not used before, which makes old marks invalid."""
        self.tag += 1
        return self.tag

    def hold(self, net: Routed) -> None:
        """Enter a net's copper in the counts of every class."""
        self._enter(net, +1)

    def release(self, net: Routed) -> None:
        """Take a net's copper out of the counts again."""
        self._enter(net, -1)

    def _halos(self, net: Routed) -> list[Halo]:
        """Give the surroundings of a net's copper, every cell once however many paths come near."""
        found = []
        halos: list[Halo] = []
        for path in net.paths:
            # Many a path is never held, so its surroundings are worked out only now.
            if path.halos is None:
                path.halos = self._path_halos(net.job, path.lines, path.vias, path.wires)
            halos += path.halos
        for layer in sorted({h[0] for h in halos}):
            mine = [h for h in halos if h[0] == layer]
            if len(mine) == 1:
                found += mine
                continue
            cells, edge = np.concatenate([h[1] for h in mine]), np.concatenate([h[2] for h in mine])
            found.append((layer, *kernel.merge(self.edge, self.mark, self.next_tag(), cells, edge)))
        return found

    def _path_halos(self, job: NetJob, lines: np.ndarray, vias: np.ndarray, wires: np.ndarray) -> list[Halo]:
        """Give the surroundings of a path's copper: per layer, of all layers together (-1) and of its wires (-2)."""
        lat, p = self.problem.lattice, self.problem
        rows = np.concatenate([lines[:, 1:5], np.column_stack([vias, vias])])
        layer = np.concatenate([lines[:, 0], np.full(len(vias), -1.0)])
        half = np.full(len(rows), p.via_classes[job.via][0])
        half[: len(lines)] = np.where(lines[:, 5] > 0, job.neck_mm / 2, job.width_mm / 2)
        reach = max(h + max(gap, job.clearance_mm) for h, gap in p.classes) / lat.pitch
        reach_via = max(h + max(gap, job.clearance_mm) for h, gap in p.via_classes) / lat.pitch
        wanted = [(k, (layer == k) | (layer < 0), reach) for k in range(len(lat.layers))]
        found = []
        for k, pick, far in [*wanted, (-1, np.ones(len(rows), dtype=bool), reach_via)]:
            if pick.any():
                sag = HALF_DIAGONAL if k >= 0 else 0.0  # Holes take no steps.
                found.append((k, *self._halo(rows[pick], half[pick] / lat.pitch, far, sag)))
        if len(wires):
            found.append((-2, *self._halo(wires, np.zeros(len(wires)), (2 * p.wire_half_mm + 0.5) / lat.pitch, 0.0)))
        return found

    def _halo(self, rows: np.ndarray, half: np.ndarray, reach: float, sag: float) -> tuple[np.ndarray, np.ndarray]:
        lat = self.problem.lattice
        cells, edge = kernel.halo(self.edge, self.mark, self.next_tag(), rows, half, reach, sag, lat.w, lat.h)
        return cells, edge

    def _enter(self, net: Routed, delta: int) -> None:
        lat, p = self.problem.lattice, self.problem
        job = net.job
        if net.halos is None:
            net.halos = self._halos(net)
        widest = max(job.width_mm / 2, p.via_classes[job.via][0])
        reach = widest + max(h + max(gap, job.clearance_mm) for h, gap in [*p.classes, *p.via_classes])
        now = self.tick()
        for path in net.paths:
            touch(self.touched, now, path.nodes, path.how, int(reach / lat.pitch) + 2, self.grid)
        for layer, cells, edge in net.halos:
            if layer == -2:
                kernel.enter(self.wired, 0, cells, edge, np.inf, delta)
            elif layer == -1:
                for k, (half, gap) in enumerate(p.via_classes):
                    kernel.enter(p.holed[k], 0, cells, edge, (half + max(gap, job.clearance_mm)) / lat.pitch, delta)
            else:
                for k, (half, gap) in enumerate(p.classes):
                    reach = (half + max(gap, job.clearance_mm)) / lat.pitch
                    kernel.enter(p.held[k], layer * lat.plane, cells, edge, reach, delta)

    def conflicts(self, net: Routed) -> dict[Path, np.ndarray]:
        """Give the paths of a held net that overlap others, with the nodes where they do."""
        job, p, lat = net.job, self.problem, self.problem.lattice
        found = {}
        for path in net.paths:
            bad = kernel.crowded(
                path.nodes, path.how, path.free, p.held[job.full], p.held[job.neck], p.holed[job.via], self.wired,
                lat.w, lat.plane,
            )  # fmt: skip
            if bad.any():
                found[path] = path.nodes[bad]
        return found
