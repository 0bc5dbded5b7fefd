"""Who holds which place of the routing grid, and at what price; ways are found in ``connection_search``."""

from __future__ import annotations

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.blocks import BLOCK, near_path
from vane_step.core.route.path import Halo, Path, Routed
from vane_step.core.route.problem import NetJob, Problem

HALF_DIAGONAL = 0.5 * 2**0.5
# How near to copper each class of others minds it, in steps, ascending; and the level of a halo each class needs.
Minds = tuple[np.ndarray, np.ndarray]


class Occupancy:
    """Who holds which place, class of track by class of track; counted in the problem's own arrays."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        self.wired = np.zeros((problem.lattice.plane, 2), dtype=np.int16)
        self.mark = np.zeros(problem.lattice.plane, dtype=np.int64)
        self.minds: dict[float, tuple[Minds, Minds]] = {}
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

    def next_tag(self, many: int = 1) -> int:
        """Give the first of so many numbers not used before, which makes old marks invalid."""
        self.tag += many
        return self.tag - many + 1

    def hold(self, net: Routed) -> None:
        """Enter a net's copper in the counts of every class."""
        self._enter(net, +1)

    def release(self, net: Routed) -> None:
        """Take a net's copper out of the counts again."""
        self._enter(net, -1)

    def _halos(self, net: Routed) -> Halo:
        """Give the surroundings of a net's copper, every cell once however many paths come near."""
        for path in net.paths:
            # Many a path is never held, so its surroundings are worked out only now.
            if path.halos is None:
                path.halos = self._path_halos(net.job, path.lines, path.vias, path.wires)
        halos = [path.halos for path in net.paths if path.halos is not None]
        if len(halos) == 1:
            return halos[0]
        parts = len(self.problem.lattice.layers) + 2
        if not halos:
            return np.zeros(0, dtype=np.int32), np.zeros(0, dtype=np.uint16), np.zeros(parts, dtype=np.int64)
        cells, levels, ends = (np.concatenate(column) for column in zip(*halos, strict=True))
        found: Halo = kernel.merge(self.mark, self.next_tag(parts), cells, levels, ends.reshape(-1, parts))
        return found

    def _path_halos(self, job: NetJob, lines: np.ndarray, vias: np.ndarray, wires: np.ndarray) -> Halo:
        """Give the surroundings of a path's copper: on each layer, of all layers together, and of its wires."""
        lat, p = self.problem.lattice, self.problem
        rows = np.empty((len(lines) + len(vias), 6))
        rows[: len(lines), :5] = lines[:, :5]
        rows[: len(lines), 5] = np.where(lines[:, 5] > 0, job.neck_mm, job.width_mm) / 2 / lat.pitch
        rows[len(lines) :, 0] = -1
        rows[len(lines) :, 1:3] = rows[len(lines) :, 3:5] = vias
        rows[len(lines) :, 5] = p.via_classes[job.via][0] / lat.pitch
        (reach, _), (hole_reach, _) = self._minded(job)
        cells, levels, ends = self._halo(rows, len(lat.layers), reach, hole_reach)
        if len(wires):
            rows = np.column_stack([np.full(len(wires), -1.0), wires, np.zeros(len(wires))])
            near = np.array([(2 * p.wire_half_mm + 0.5) / lat.pitch])
            more, of_wires, _ = self._halo(rows, 0, near, near)
            cells, levels = np.concatenate([cells, more]), np.concatenate([levels, of_wires])
        return cells, levels, np.append(ends, len(cells))

    def _halo(self, rows: np.ndarray, layers: int, reach: np.ndarray, hole_reach: np.ndarray) -> Halo:
        lat = self.problem.lattice
        tag = self.next_tag(layers + 1)
        found: Halo = kernel.halos(
            self.mark, tag, rows, layers, reach, hole_reach, HALF_DIAGONAL, lat.w, lat.h
        )
        return found

    def _minded(self, job: NetJob) -> tuple[Minds, Minds]:
        """Give for tracks and for holes how near to a net's copper each class minds, and at what level of a halo."""
        if job.clearance_mm not in self.minds:
            p, pitch = self.problem, self.problem.lattice.pitch
            both = []
            for classes in (p.classes, p.via_classes):
                reach = np.array([(half + max(gap, job.clearance_mm)) / pitch for half, gap in classes])
                order = np.sort(reach)
                both.append((order, len(order) - np.searchsorted(order, reach)))
            self.minds[job.clearance_mm] = both[0], both[1]
        return self.minds[job.clearance_mm]

    def _enter(self, net: Routed, delta: int) -> None:
        lat, p = self.problem.lattice, self.problem
        job = net.job
        if net.halos is None:
            net.halos = self._halos(net)
        (reach, needed), (hole_reach, hole_needed) = self._minded(job)
        if net.blocks is None:
            wide = max(job.width_mm / 2, p.via_classes[job.via][0]) / lat.pitch
            far = int(wide + max(reach[-1], hole_reach[-1])) + 2
            for path in net.paths:
                if path.blocks is None:
                    path.blocks = near_path(path.nodes, path.how, far, self.grid)
            net.blocks = np.concatenate(
                [np.zeros(0, dtype=np.int32), *(p.blocks for p in net.paths if p.blocks is not None)]
            )
        self.touched[net.blocks] = self.tick()
        kernel.enter(p.held, p.holed, self.wired, *net.halos, needed, hole_needed, lat.plane, delta)

    def conflicts(self, net: Routed) -> dict[Path, np.ndarray]:
        """Give the paths of a held net that overlap others, with the nodes where they do."""
        job, p, lat = net.job, self.problem, self.problem.lattice
        found = {}
        for path in net.paths:
            bad = kernel.crowded(
                path.nodes,
                path.how,
                path.free,
                p.held[job.full],
                p.held[job.neck],
                p.holed[job.via],
                self.wired,
                lat.w,
                lat.plane,
            )
            if bad.any():
                found[path] = path.nodes[bad]
        return found
