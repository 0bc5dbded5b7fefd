"""Who holds which place of the routing grid, and routing one net among them; bargaining between nets is elsewhere."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.grid import NetJob, Problem
from vane_step.core.route.search import BUCKETS, FAR, HISTORY, search, surround, trace

VIA_COST_MM = 3.0
WEIGHT = 1.15
HISTORY_STEP = 0.6
PRESSURE_FIRST = 3.0
# How far round the two ends a way is looked for at first: share of what they are apart, and steps.
ROUND_SHARE, ROUND_STEPS = 0.5, 60
# How far round copper of a net its planes are looked for, in steps.
PLANE_STEPS = (32, 120, 1 << 20)
HALF_DIAGONAL = 0.5 * 2**0.5
NO_LIMIT = 1e30
NO_END = 1 << 60
# Places settled round the goal before a search, and nodes it may expand; then the next.
LOOK_BACK = ((0, 3000), (4000, 30_000), (40_000, NO_END))

Window = tuple[int, int, int, int]
# A layer, cells near copper on it, and how far its edge is from each.
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
    """The paths of a net, and the number of links that stayed open."""

    job: NetJob
    paths: list[Path] = field(default_factory=list)
    failed: int = 0

    def groups(self) -> list[list[int | Path]]:
        """Give what is joined by now: terminals by number, and the paths between them; group by group."""
        elements: list[int | Path] = [*range(len(self.job.terminals)), *self.paths]
        at: dict[int | Path, int] = {e: k for k, e in enumerate(elements)}
        root = list(range(len(elements)))

        def find(k: int) -> int:
            while root[k] != k:
                root[k] = root[root[k]]
                k = root[k]
            return k

        for path in self.paths:
            for end in path.ends:
                a, b = find(at[path]), find(at[end])
                root[max(a, b)] = min(a, b)
        found: dict[int, list[int | Path]] = {}
        for k, element in enumerate(elements):
            found.setdefault(find(k), []).append(element)
        return list(found.values())

    def without(self, gone: set[Path]) -> Routed:
        """Give the net without some paths, and without those that lean on them."""
        while True:
            leaning = {p for p in self.paths if p not in gone and any(e in gone for e in p.ends)}
            if not leaning:
                break
            gone = gone | leaning
        return Routed(self.job, [p for p in self.paths if p not in gone], self.failed)


class Claims:
    """The state of one routing run: who holds which place, and at what price."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        lat = problem.lattice
        nodes = lat.plane * len(lat.layers)
        self.words = np.zeros((nodes, 4), dtype=np.int32)
        self.numbers = self.words.view(np.float32)
        self.wired = np.zeros((lat.plane, 2), dtype=np.int16)
        self.mark = np.zeros(lat.plane, dtype=np.int32)
        self.edge = np.zeros(lat.plane, dtype=np.float64)
        self.goal = np.zeros(nodes, dtype=np.int32)
        self.neck_zone = np.zeros(lat.plane, dtype=np.int32)
        # A count, so that what bars a place for a while leaves it barred where it is so for good.
        self.via_barred = (problem.via_barred != 0).astype(np.int16)
        self.head = np.full(BUCKETS, -1, dtype=np.int32)
        self.after = np.zeros(max(1 << 16, nodes), dtype=np.int32)
        self.item = np.zeros_like(self.after)
        self.spare = np.zeros(3, dtype=np.int64)
        self.back = np.zeros((nodes, 2), dtype=np.int32)
        self.left = self.back.view(np.float32)
        self.rim = np.zeros(5, dtype=np.int64)
        self.tag = 0
        self.hole_steps = min(FAR, int((problem.via_drill_mm + problem.hole_gap_mm) / lat.pitch) + 1)
        self.pressure = PRESSURE_FIRST
        self.reach = 1.0
        self.weight = WEIGHT
        self.jump = problem.jump
        self.halos: dict[str, list[Halo]] = {}

    def next_tag(self) -> int:
        """Give a number not used before, which makes old marks invalid."""
        self.tag += 1
        return self.tag

    # -- one net ------------------------------------------------------------------------------------------

    def route_net(self, net: Routed, hard: bool = False, most: float = NO_LIMIT) -> Routed:
        """Join what is apart of a net, nearest first; its own copper must not be held while this runs.

        Parameters
        ----------
        hard : bool
            Keep off what others hold, instead of paying for it.
        most : float
            What one link may cost, in steps.
        """
        job, result = net.job, Routed(net.job, list(net.paths))
        groups = net.groups()
        if len(groups) < 2:
            return result
        neck_tag = self._mark_necks(job)
        for path in net.paths:
            self._bar_vias(path, +1)
        if job.planed:
            return self._to_planes(result, groups, neck_tag, hard, most)
        group = np.zeros(len(job.terminals), dtype=np.int64)
        for k, elements in enumerate(groups):
            group[[e for e in elements if not isinstance(e, Path)]] = k
        # Prim's tree over the groups, begun at the outermost terminal.
        here = int(group[np.argmax(job.apart.sum(axis=0))])
        tree = _Front.of(job, groups[here])
        from_spot = np.where(group == here)[0][job.apart[group == here].argmin(axis=0)]
        far = job.apart[group == here].min(axis=0)
        far[group == here] = np.inf
        while np.isfinite(far).any():
            spot = int(np.argmin(far))
            k = int(group[spot])
            near = _Front.of(job, groups[k])
            ends = job.windows[int(from_spot[spot])], job.windows[spot]
            found = self._link(job, tree, near, self._round(ends, float(far[spot])), neck_tag, hard, most)
            far[group == k] = np.inf
            if found is None:
                result.failed += 1
                continue
            result.paths.append(found)
            self._bar_vias(found, +1)
            tree = tree.joined(near, found)
            mine = np.where(group == k)[0]
            apart = job.apart[mine]
            nearer = np.isfinite(far) & (apart.min(axis=0) < far)
            far[nearer] = apart.min(axis=0)[nearer]
            from_spot[nearer] = mine[apart.argmin(axis=0)][nearer]
        for path in result.paths:
            self._bar_vias(path, -1)
        return result

    def _to_planes(
        self, result: Routed, groups: list[list[int | Path]], neck_tag: int, hard: bool, most: float
    ) -> Routed:
        """Lead what is apart of a net to its planes, or to copper that is led there already, each the shortest way."""
        job = result.job
        last = len(job.terminals) - 1
        joined = next(g for g in groups if last in g)
        waiting = [g for g in groups if g is not joined]
        while waiting:
            left = []
            for elements in waiting:
                found = self._to_plane(job, elements, joined, neck_tag, hard, most)
                if found is None:
                    left.append(elements)
                    continue
                result.paths.append(found)
                self._bar_vias(found, +1)
                joined = [*joined, *elements, found]
            if len(left) == len(waiting):
                result.failed += len(left)
                break
            # Those without a way of their own may find one to a neighbour that has one now.
            waiting = left
        for path in result.paths:
            self._bar_vias(path, -1)
        return result

    def _to_plane(
        self, job: NetJob, elements: list[int | Path], joined: list[int | Path], neck_tag: int, hard: bool, most: float
    ) -> Path | None:
        near = _Front.of(job, elements)
        for reach in PLANE_STEPS:
            around = self._grown(near.window, reach)
            some = [self._within(e.nodes if isinstance(e, Path) else job.terminals[e], around) for e in joined]
            if not any(map(len, some)):
                continue
            at = np.repeat(np.arange(len(joined)), [len(n) for n in some])
            tree = _Front(joined, np.concatenate(some), at, around)
            found = self._link(job, tree, near, around, neck_tag, hard, most)
            if found is not None:
                return found
        return None

    def _grown(self, window: Window, by: int) -> Window:
        lat = self.problem.lattice
        x0, x1, y0, y1 = window
        return max(1, x0 - by), min(lat.w - 2, x1 + by), max(1, y0 - by), min(lat.h - 2, y1 + by)

    def _within(self, nodes: np.ndarray, window: Window) -> np.ndarray:
        lat = self.problem.lattice
        ys, xs = np.divmod(nodes % lat.plane, lat.w)
        inside: np.ndarray = nodes[(xs >= window[0]) & (xs <= window[1]) & (ys >= window[2]) & (ys <= window[3])]
        return inside

    def _mark_necks(self, job: NetJob) -> int:
        tag = self.next_tag()
        if job.neck != job.full and len(job.pads):
            lat = self.problem.lattice
            xs, ys = ((job.pads - (lat.x0, lat.y0)) / lat.pitch).T
            kernel.disc(self.neck_zone, tag, xs, ys, (job.neck_reach_mm - 0.1) / lat.pitch, lat.w, lat.h)
        return tag

    def _bar_vias(self, path: Path, delta: int) -> None:
        """Keep later vias of the same net off this path's vias by the hole-to-hole distance."""
        if len(path.vias):
            self._bar_spot(path.vias, delta)

    def _round(self, ends: tuple[Window, Window], apart: float) -> Window:
        """Give the part of the board in which a way between two ends is looked for at first."""
        lat = self.problem.lattice
        margin = int(self.reach * (ROUND_STEPS + ROUND_SHARE * apart))
        (a0, a1, b0, b1), (c0, c1, d0, d1) = ends
        return (
            max(1, min(a0, c0) - margin), min(lat.w - 2, max(a1, c1) + margin),
            max(1, min(b0, d0) - margin), min(lat.h - 2, max(b1, d1) + margin),
        )  # fmt: skip

    def _link(
        self, job: NetJob, tree: _Front, near: _Front, around: Window, neck_tag: int, hard: bool, most: float,
        tries: int = 5,
    ) -> Path | None:  # fmt: skip
        lat = self.problem.lattice
        if _spread(near.window) > _spread(tree.window):
            # The estimate aims at the goal's window: the smaller it is, the less has to be searched.
            tree, near = near, tree
        goal_tag = self.next_tag()
        self.goal[near.nodes] = goal_tag
        everywhere = (1, lat.w - 2, 1, lat.h - 2)
        end = -1
        for within in (around, everywhere) if most == NO_LIMIT else (everywhere,):
            end = self._search(job, tree, near, goal_tag, np.array(within), neck_tag, hard, most)
            if end >= 0:
                break
        if end < 0:
            return None
        nodes, how = trace(self.words, end, lat.w, lat.plane)
        found = self.path(job, nodes, how, (tree.holder(int(nodes[0])), near.holder(int(nodes[-1]))))
        if (close := self._too_close(found)) is not None:
            # A way that turned back to its own hole, which the steps counted since then did not show.
            if not tries:
                return None
            self._bar_spot(close, +1)
            found_again = self._link(job, tree, near, around, neck_tag, hard, most, tries - 1)
            self._bar_spot(close, -1)
            return found_again
        return found

    def _too_close(self, path: Path) -> np.ndarray | None:
        """Find a hole of a path that another one leaves no room for."""
        if len(path.vias) < 2 or len(path.wires):
            return None
        d = np.abs(path.vias[:, None, :] - path.vias[None, :, :])
        near = np.hypot(d[:, :, 0], d[:, :, 1]) < self._hole_reach()
        near[np.tril_indices(len(near))] = False
        return path.vias[[int(np.argwhere(near)[0][1])]] if near.any() else None

    def _hole_reach(self) -> float:
        return (self.problem.via_drill_mm + self.problem.hole_gap_mm) / self.problem.lattice.pitch + 0.02

    def _bar_spot(self, spots: np.ndarray, delta: int) -> None:
        lat = self.problem.lattice
        kernel.bar(self.via_barred, spots, self._hole_reach(), delta, lat.w, lat.h)

    def _search(
        self, job: NetJob, tree: _Front, near: _Front, goal_tag: int, within: np.ndarray, neck_tag: int, hard: bool,
        most: float,
    ) -> int:  # fmt: skip
        """Search straight away for a while, then with the goal's surroundings known, the wider the longer it takes."""
        lat, p = self.problem.lattice, self.problem
        held = p.held[job.full], p.held[job.neck], p.holed[job.via], self.via_barred, self.neck_zone, neck_tag
        via_cost, queue = VIA_COST_MM / lat.pitch, (self.head, self.after, self.item, self.spare)
        box, layers = np.array(near.window), kernel.layers_of(near.nodes, lat.plane)
        back_tag = 0
        end = -2
        for settle, limit in LOOK_BACK:
            if settle:
                back_tag = self.next_tag()
                more = surround(
                    self.back, self.left, *held, job.number, self.numbers, len(lat.layers), lat.w, lat.plane,
                    near.nodes, via_cost, self.pressure, hard, within, settle, back_tag, self.rim,
                    int(self.jump[3]) if self.jump[0] else 0, *queue,
                )  # fmt: skip
                if not more and not self.jump[0] and not (self.back[tree.nodes, 0] == 2 * back_tag + 1).any():
                    return -1
            end, _ = search(
                self.words, self.numbers, *held, p.wire_barred, self.wired, job.number, len(lat.layers), lat.w,
                lat.plane, tree.nodes, self.goal, goal_tag, box, layers, via_cost, self.pressure, hard, self.weight,
                self.jump, self.hole_steps, within, most, limit, self.back, self.left, back_tag and 2 * back_tag + 1,
                self.rim, self.next_tag(), *queue,
            )  # fmt: skip
            if end != -2:
                break
        return int(end)

    def path(self, job: NetJob, nodes: np.ndarray, how: np.ndarray, ends: tuple[int | Path, int | Path]) -> Path:
        """Make a path of nodes and how each was reached."""
        spot = np.minimum(np.searchsorted(job.terminal_nodes, nodes), len(job.terminal_nodes) - 1)
        # A track's end inside its own pad is no wider than the pad, which the owner maps guard already.
        free = job.terminal_nodes[spot] != nodes
        lat = self.problem.lattice
        lines, vias, wires, length, price, window = kernel.pieces(nodes, how, lat.w, lat.plane)
        # A wire's two holes are among the vias.
        holes = len(vias) - 2 * len(wires)
        cost = price + holes * VIA_COST_MM / lat.pitch + len(wires) * float(self.problem.jump[3])
        return Path(nodes, how, free, lines, vias, wires, length, cost, window, ends)

    # -- holding places -----------------------------------------------------------------------------------

    def hold(self, net: Routed) -> None:
        """Enter a net's copper in the counts of every class."""
        self.halos[net.job.name] = self._halos(net)
        self._enter(net.job, +1)

    def release(self, net: Routed) -> None:
        """Take a net's copper out of the counts again."""
        self._enter(net.job, -1)
        del self.halos[net.job.name]

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

    def _enter(self, job: NetJob, delta: int) -> None:
        lat, p = self.problem.lattice, self.problem
        for layer, cells, edge in self.halos[job.name]:
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

    def remember(self, nodes: np.ndarray) -> None:
        """Raise the price of places that were fought over, and a little of those beside them."""
        lat = self.problem.lattice
        self.numbers[nodes, HISTORY] += HISTORY_STEP
        for offset in (1, -1, lat.w, -lat.w, 2, -2, 2 * lat.w, -2 * lat.w):
            beside = nodes + offset
            self.numbers[beside[(beside >= 0) & (beside < len(self.numbers))], HISTORY] += HISTORY_STEP / 3


def cost(net: Routed) -> float:
    """Give what a net's paths cost together, in steps."""
    return sum(p.cost for p in net.paths)


@dataclass
class _Front:
    """Copper of a net that is joined already: its nodes, to which element each belongs, and its window."""

    elements: list[int | Path]
    nodes: np.ndarray
    of_element: np.ndarray
    window: Window

    @classmethod
    def of(cls, job: NetJob, elements: list[int | Path]) -> _Front:
        """Gather some elements of a net."""
        nodes = [e.nodes if isinstance(e, Path) else job.terminals[e] for e in elements]
        at = np.repeat(np.arange(len(elements)), [len(n) for n in nodes])
        windows = [e.window if isinstance(e, Path) else job.windows[e] for e in elements]
        return cls(list(elements), np.concatenate(nodes), at, _hull(windows))

    def joined(self, other: _Front, path: Path) -> _Front:
        """Give this copper with other copper and the path that leads there."""
        n, m = len(self.elements), len(self.elements) + len(other.elements)
        return _Front(
            [*self.elements, *other.elements, path],
            np.concatenate([self.nodes, other.nodes, path.nodes]),
            np.concatenate([self.of_element, other.of_element + n, np.full(len(path.nodes), m)]),
            _hull([self.window, other.window, path.window]),
        )

    def holder(self, node: int) -> int | Path:
        """Find the element a node belongs to; a terminal first."""
        holders = [self.elements[int(k)] for k in self.of_element[np.flatnonzero(self.nodes == node)]]
        return next((e for e in holders if not isinstance(e, Path)), holders[0])


def _hull(windows: list[Window]) -> Window:
    x0, x1, y0, y1 = zip(*windows, strict=True)
    return min(x0), max(x1), min(y0), max(y1)


def _spread(window: Window) -> int:
    return window[1] - window[0] + window[3] - window[2]
