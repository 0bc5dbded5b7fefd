"""Routing all nets at once by negotiated congestion; setting the grid up and drawing tracks are elsewhere.

Every net first takes its cheapest way, then the nets that overlap are ripped up and routed again while the price
of shared places rises, until nothing overlaps (McMurchie and Ebeling, "PathFinder", 1995).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.grid import NetJob, Problem
from vane_step.core.route.straighten import straighten

MAX_ROUNDS = 70
VIA_COST_MM = 3.0
WEIGHT = 1.15
HISTORY_STEP = 0.6
PRESSURE_FIRST = 0.6
PRESSURE_GROWTH = 1.45
PRESSURE_MOST = 60.0
# Rip-ups without fewer overlapping nets before the stubborn ones are left open.
PATIENCE = 24

Progress = Callable[[int, int], bool]


@dataclass
class Pieces:
    """A net's copper in grid coordinates: straight pieces per layer, vias and wires."""

    lines: list[tuple[int, float, float, float, float, bool]]
    vias: list[tuple[float, float]]
    wires: list[tuple[float, float, float, float]]


@dataclass
class Path:
    """One way through the grid: nodes from tree to terminal, and how each was reached (see the kernel).

    ``free`` marks nodes outside the net's own pads; ``pieces`` is the copper the path stands for.
    """

    nodes: np.ndarray
    how: np.ndarray
    free: np.ndarray
    pieces: Pieces


@dataclass
class Routed:
    """The paths of a net, and the terminals that stayed open."""

    job: NetJob
    paths: list[Path] = field(default_factory=list)
    failed: list[int] = field(default_factory=list)


class Negotiation:
    """The state of one routing run: who holds which place, and at what price."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        lat = problem.lattice
        nodes = lat.plane * len(lat.layers)
        self.occ = [np.zeros(nodes, dtype=np.int16) for _ in problem.classes]
        self.occ_via = [np.zeros(lat.plane, dtype=np.int16) for _ in problem.via_classes]
        self.occ_wire = np.zeros(lat.plane, dtype=np.int16)
        self.history = np.zeros(nodes, dtype=np.float32)
        self.mark = np.zeros(lat.plane, dtype=np.int32)
        self.tag = 0
        self.cost = np.zeros(nodes, dtype=np.float32)
        self.seen = np.zeros(nodes, dtype=np.int32)
        self.parent = np.zeros(nodes, dtype=np.int32)
        self.how = np.zeros(nodes, dtype=np.int16)
        self.goal = np.zeros(nodes, dtype=np.int32)
        self.neck_zone = np.zeros(lat.plane, dtype=np.int32)
        self.heap = np.zeros(max(1 << 16, nodes * 2), dtype=np.int64)
        self.via_barred = problem.via_barred.copy()
        self.pressure = PRESSURE_FIRST
        self.weight = WEIGHT

    def next_tag(self) -> int:
        """Give a number not used before, which makes old marks invalid."""
        self.tag += 1
        return self.tag

    # -- one net ------------------------------------------------------------------------------------------

    def route_net(self, job: NetJob, hard: bool = False) -> Routed:
        """Route a net along its tree; its own copper must not be stamped while it is routed."""
        result = Routed(job)
        neck_tag = self._mark_necks(job)
        tree = [job.terminals[job.order[0][0]]] if job.order else []
        barred: list[np.ndarray] = []
        for _, terminal in job.order:
            path = self._link(job, np.concatenate(tree), terminal, neck_tag, hard)
            tree.append(job.terminals[terminal])
            if path is None:
                result.failed.append(terminal)
                continue
            result.paths.append(path)
            tree.append(path.nodes)
            barred += self._bar_vias(path)
        for cells in barred:
            self.via_barred[cells] -= 1
        return result

    def _mark_necks(self, job: NetJob) -> int:
        tag = self.next_tag()
        if job.neck != job.full and len(job.pads):
            lat = self.problem.lattice
            spots = (job.pads - (lat.x0, lat.y0)) / lat.pitch
            rows = np.column_stack([spots, spots])
            reach = np.full(len(rows), (job.neck_reach_mm - 0.1) / lat.pitch)
            unused = np.zeros(lat.plane, dtype=np.int16)
            kernel.stamp(unused, self.neck_zone, tag, rows, reach, 0, lat.w, lat.h)
        return tag

    def _bar_vias(self, path: Path) -> list[np.ndarray]:
        """Keep later vias of the same net off this path's vias by the hole-to-hole distance."""
        lat = self.problem.lattice
        reach = (self.problem.via_drill_mm + self.problem.hole_gap_mm) / lat.pitch + 0.02
        found = []
        for i in np.flatnonzero(path.how & 6):
            for node in (path.nodes[i - 1], path.nodes[i]):
                cell = int(node) % lat.plane
                x, y = cell % lat.w, cell // lat.w
                row = np.array([2.0, x, y, x, y, 0, 0, 0, 0], dtype=np.float64)
                cells = kernel.cells_within(row, reach, 0.0, 0.0, 1.0, lat.w, lat.h)
                self.via_barred[cells] += 1
                found.append(cells)
        return found

    def _link(self, job: NetJob, sources: np.ndarray, terminal: int, neck_tag: int, hard: bool) -> Path | None:
        lat, p = self.problem.lattice, self.problem
        goals = job.terminals[terminal]
        tag = self.next_tag()
        self.goal[goals] = tag
        cells = goals % lat.plane
        xs, ys = cells % lat.w, cells // lat.w
        window = np.array([xs.min(), xs.max(), ys.min(), ys.max()], dtype=np.int64)
        bits = int(np.bitwise_or.reduce(1 << np.unique(goals // lat.plane)))
        hole_steps = min(kernel.FAR, int((p.via_drill_mm + p.hole_gap_mm) / lat.pitch) + 1)
        end, _ = kernel.search(
            p.fixed[job.full], p.fixed[job.neck], self.occ[job.full], self.occ[job.neck], p.fixed_via[job.via],
            self.occ_via[job.via], self.via_barred, self.history, self.neck_zone, neck_tag, p.wire_barred,
            self.occ_wire, job.number, len(lat.layers), lat.w, lat.h, sources, self.goal, tag, window, bits,
            VIA_COST_MM / lat.pitch, self.pressure, hard, self.weight, p.jump, hole_steps, self.cost, self.seen, tag,
            self.parent, self.how, self.heap,
        )  # fmt: skip
        if end < 0:
            return None
        nodes = [int(end)]
        while self.parent[nodes[-1]] >= 0:
            nodes.append(int(self.parent[nodes[-1]]))
        nodes.reverse()
        array = np.array(nodes, dtype=np.int64)
        return self.path(job, array, self.how[array] & 7)

    def path(self, job: NetJob, array: np.ndarray, how: np.ndarray) -> Path:
        """Make a path of nodes and how each was reached."""
        spot = np.minimum(np.searchsorted(job.terminal_nodes, array), len(job.terminal_nodes) - 1)
        # A track's end inside its own pad is no wider than the pad, which the owner maps guard already.
        free = job.terminal_nodes[spot] != array
        return Path(array, how, free, pieces_of(array, how, self.problem))

    # -- holding places -----------------------------------------------------------------------------------

    def hold(self, routed: Routed, delta: int) -> None:
        """Enter (+1) or remove (-1) a net's copper in the counts of every class."""
        lat, p, job = self.problem.lattice, self.problem, routed.job
        pieces = [x for path in routed.paths for x in path.pieces.lines]
        vias = [v for path in routed.paths for v in path.pieces.vias]
        wires = [v for path in routed.paths for v in path.pieces.wires]
        via_half = p.via_classes[job.via][0]
        halves = {False: job.width_mm / 2, True: job.neck_mm / 2}
        per_layer: list[tuple[np.ndarray, np.ndarray]] = []
        for layer in range(len(lat.layers)):
            ends = [r[1:5] for r in pieces if r[0] == layer] + [(x, y, x, y) for x, y in vias]
            halves_here = [halves[r[5]] for r in pieces if r[0] == layer] + [via_half] * len(vias)
            per_layer.append((np.array(ends, dtype=np.float64).reshape(-1, 4), np.array(halves_here)))
        for k, (half_k, gap_k) in enumerate(p.classes):
            for layer, (rows, half) in enumerate(per_layer):
                if len(rows):
                    reach = (half + half_k + max(gap_k, job.clearance_mm)) / lat.pitch
                    plane = self.occ[k][layer * lat.plane : (layer + 1) * lat.plane]
                    kernel.stamp(plane, self.mark, self.next_tag(), rows, reach, delta, lat.w, lat.h)
        rows = np.concatenate([r for r, _ in per_layer])
        half = np.concatenate([h for _, h in per_layer])
        if len(rows):
            for k, (half_k, gap_k) in enumerate(p.via_classes):
                reach = (half + half_k + max(gap_k, job.clearance_mm)) / lat.pitch
                kernel.stamp(self.occ_via[k], self.mark, self.next_tag(), rows, reach, delta, lat.w, lat.h)
        if wires:
            rows = np.array(wires)
            reach = np.full(len(rows), (2 * p.wire_half_mm + 0.5) / lat.pitch)
            kernel.stamp(self.occ_wire, self.mark, self.next_tag(), rows, reach, delta, lat.w, lat.h)

    def overlaps(self, routed: Routed) -> np.ndarray:
        """List the nodes of a held net that other nets hold too."""
        job, lat = routed.job, self.problem.lattice
        found = []
        for path in routed.paths:
            neck = (path.how & 1) == 1
            crowd = np.where(neck, self.occ[job.neck][path.nodes], self.occ[job.full][path.nodes])
            bad = (crowd > 1) & path.free
            for i in np.flatnonzero(path.how & 6):
                for j in (i - 1, i):
                    if self.occ_via[job.via][path.nodes[j] % lat.plane] > 1:
                        bad[j] = True
            for i in np.flatnonzero(path.how & 4):
                cells = _between(int(path.nodes[i - 1]) % lat.plane, int(path.nodes[i]) % lat.plane, lat.w)
                if (self.occ_wire[cells] > 1).any():
                    bad[i] = True
            found.append(path.nodes[bad])
        return np.concatenate(found) if found else np.zeros(0, dtype=np.int64)

    def remember(self, nodes: np.ndarray) -> None:
        """Raise the price of places that were fought over, and a little of those beside them."""
        lat = self.problem.lattice
        self.history[nodes] += HISTORY_STEP
        for offset in (1, -1, lat.w, -lat.w, 2, -2, 2 * lat.w, -2 * lat.w):
            beside = nodes + offset
            self.history[beside[(beside >= 0) & (beside < len(self.history))]] += HISTORY_STEP / 3


def _between(a: int, b: int, w: int) -> np.ndarray:
    step = w if a % w == b % w else 1
    return np.arange(min(a, b), max(a, b) + 1, step)


def pieces_of(nodes: np.ndarray, how: np.ndarray, problem: Problem) -> Pieces:
    """Cut a path into straight pieces of one layer and width, vias and wires, in grid coordinates."""
    lat = problem.lattice
    layer = nodes // lat.plane
    cell = nodes % lat.plane
    x, y = (cell % lat.w).astype(float), (cell // lat.w).astype(float)
    lines: list[tuple[int, float, float, float, float, bool]] = []
    vias: list[tuple[float, float]] = []
    wires: list[tuple[float, float, float, float]] = []
    for i in np.flatnonzero(how & 2):
        vias.append((x[i], y[i]))
    for i in np.flatnonzero(how & 4):
        wires.append((x[i - 1], y[i - 1], x[i], y[i]))
        vias += [(x[i - 1], y[i - 1]), (x[i], y[i])]
    if len(nodes) == 1:
        return Pieces([(int(layer[0]), x[0], y[0], x[0], y[0], bool(how[0] & 1))], vias, wires)
    thin = ((how[1:] | how[:-1]) & 1).astype(bool)
    move = np.column_stack([np.diff(x), np.diff(y), thin, (how[1:] & 6) > 0])
    cuts = np.flatnonzero((move[1:] != move[:-1]).any(axis=1)) + 1
    for start, end in zip([0, *cuts], [*cuts, len(nodes) - 1], strict=True):
        if not move[start, 3]:
            lines.append((int(layer[start]), x[start], y[start], x[end], y[end], bool(thin[start])))
    return Pieces(lines, vias, wires)


def negotiate(problem: Problem, progress: Progress | None = None) -> tuple[list[Routed], int]:
    """Route all nets of a problem.

    Parameters
    ----------
    progress : callable, optional
        Called with links settled and links in all after each net; returning ``False`` stops the run, and what
        is free of overlaps by then is kept.

    Returns
    -------
    tuple of list of Routed and int
        One entry a net, without overlaps; and the number of rounds it took. The same problem gives the same
        answer.
    """
    run = Negotiation(problem)
    total = sum(len(j.order) for j in problem.jobs)
    jobs = sorted(problem.jobs, key=lambda j: (_size(j), j.name))
    routed: dict[str, Routed] = {}
    stopped = False
    for job in jobs:
        routed[job.name] = run.route_net(job)
        run.hold(routed[job.name], +1)
        if progress and not progress(0, total):
            stopped = True
            break
    rounds = 1
    fewest, since = len(jobs) + 1, 0
    while not stopped:
        bad = {name: nodes for name, r in routed.items() if len(nodes := run.overlaps(r))}
        if not bad or rounds >= MAX_ROUNDS or since >= PATIENCE:
            break
        since = 0 if len(bad) < fewest else since + 1
        fewest = min(fewest, len(bad))
        for nodes in bad.values():
            run.remember(nodes)
        run.pressure = min(PRESSURE_MOST, run.pressure * PRESSURE_GROWTH)
        for name in sorted(bad, key=lambda n: (-len(bad[n]), n)):
            if not len(run.overlaps(routed[name])):
                continue
            run.hold(routed[name], -1)
            routed[name] = run.route_net(routed[name].job)
            run.hold(routed[name], +1)
        settled = total - sum(len(routed[n].job.order) for n in bad)
        if progress and not progress(settled, total):
            stopped = True
        rounds += 1
    _settle(run, routed)
    if not stopped:
        _retry(run, routed)
        _polish(run, routed, progress, total)
    _straighten(run, routed)
    return [routed[j.name] for j in jobs if j.name in routed], rounds


def _size(job: NetJob) -> float:
    spots = np.array(job.spots)
    return float(np.ptp(spots, axis=0).sum()) if len(spots) else 0.0


def _settle(run: Negotiation, routed: dict[str, Routed]) -> None:
    """Give up the links that still overlap, worst net first, until nothing does."""
    tried: set[str] = set()
    while True:
        bad = {n: len(nodes) for n, r in routed.items() if len(nodes := run.overlaps(r))}
        if not bad:
            return
        name = max(bad, key=lambda n: (bad[n], n))
        old = routed[name]
        run.hold(old, -1)
        if name in tried:
            routed[name] = Routed(old.job, [], [k for _, k in old.job.order])
            continue
        tried.add(name)
        routed[name] = run.route_net(old.job, hard=True)
        run.hold(routed[name], +1)


def _retry(run: Negotiation, routed: dict[str, Routed]) -> None:
    """Try the nets with open links once more, now that others have moved."""
    for name, old in routed.items():
        if old.failed:
            run.hold(old, -1)
            again = run.route_net(old.job, hard=True)
            routed[name] = again if len(again.failed) < len(old.failed) else old
            run.hold(routed[name], +1)


def _polish(run: Negotiation, routed: dict[str, Routed], progress: Progress | None, total: int) -> None:
    """Route every net once more by its cheapest free way, without history, and keep what got cheaper."""
    run.history[:] = 0
    run.weight = 1.0
    for name in sorted(routed, key=lambda n: (-_cost(routed[n], run.problem), n)):
        old = routed[name]
        run.hold(old, -1)
        again = run.route_net(old.job, hard=True)
        better = len(again.failed) < len(old.failed) or (
            len(again.failed) == len(old.failed) and _cost(again, run.problem) < _cost(old, run.problem) - 0.01
        )
        routed[name] = again if better else old
        run.hold(routed[name], +1)
        if progress and not progress(total, total):
            return


def _straighten(run: Negotiation, routed: dict[str, Routed]) -> None:
    """Take needless corners out of every net, one after the other."""
    for name in sorted(n for n, r in routed.items() if r.paths):
        net = routed[name]
        run.hold(net, -1)
        paths = [run.path(net.job, nodes, how) for nodes, how in straighten(run, net)]
        routed[name] = Routed(net.job, paths, net.failed)
        run.hold(routed[name], +1)


def _cost(routed: Routed, problem: Problem) -> float:
    total = 0.0
    for path in routed.paths:
        pieces = path.pieces
        total += sum(float(np.hypot(r[3] - r[1], r[4] - r[2])) for r in pieces.lines)
        total += len(pieces.vias) * VIA_COST_MM / problem.lattice.pitch
        total += len(pieces.wires) * float(problem.jump[3])
    return total
