"""Joining one net among what others hold, by one search after the other; what is held is in ``occupancy``."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from itertools import accumulate
from typing import Any

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.blocks import remember
from vane_step.core.route.buckets import BUCKETS, HISTORY
from vane_step.core.route.heuristic import Heuristic
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.path import VIA_COST_MM, Path, Routed, Window, make_path
from vane_step.core.route.problem import Lattice, NetJob
from vane_step.core.route.search import FAR, search, trace

# How far round the two ends a way is looked for at first: share of what they are apart, and steps.
ROUND_SHARE, ROUND_STEPS = 0.5, 60
# How far round copper of a net its planes are looked for, in steps.
PLANE_STEPS = (32, 120, 1 << 20)
WEIGHT = 1.0
PRESSURE_FIRST = 1.5
NO_LIMIT = 1e30
SIDES = np.array([1, -1, 1, -1])
NO_END = 1 << 60
HISTORY_STEP = 0.6
# Places settled round the goal before a search, and nodes it may expand; then the next.
LOOK_BACK: tuple[tuple[int, int], ...] = ((0, 1000), (3000, 100_000), (40_000, NO_END))


class ConnectionSearch:
    """One who looks for ways: what they ask for places held by others, and memory of places fought over."""

    def __init__(self, occupancy: Occupancy) -> None:
        self.occupancy = occupancy
        self.problem = problem = occupancy.problem
        self.pressure = PRESSURE_FIRST
        self.reach = 1.0
        self.weight = WEIGHT
        self.enough = NO_END
        self.looks = LOOK_BACK
        self.jump = problem.jump
        lat = problem.lattice
        nodes = lat.plane * len(lat.layers)
        self.words = np.zeros(4 * nodes, dtype=np.int32)
        self.numbers = self.words.view(np.float32)
        self.goal = np.zeros(nodes, dtype=np.int32)
        self.neck_zone = np.zeros(lat.plane, dtype=np.int32)
        # A count, so that what bars a place for a while leaves it barred where it is so for good.
        self.via_barred = (problem.via_barred != 0).astype(np.int16)
        self.head = np.full(BUCKETS, -1, dtype=np.int32)
        self.after = np.zeros(max(1 << 16, nodes), dtype=np.int32)
        self.item = np.zeros_like(self.after)
        self.spare = np.zeros(3, dtype=np.int64)
        self.heuristic = Heuristic(occupancy)
        self.tag = 0
        # The net whose necks are marked, and by which number.
        self.marked: tuple[NetJob, int] | None = None
        self.hole_steps = min(FAR, int((problem.via_drill_mm + problem.hole_gap_mm) / lat.pitch) + 1)

    def next_tag(self) -> int:
        """Give a number not used before, which makes old marks invalid."""
        self.tag += 1
        return self.tag

    def remember(self, nodes: np.ndarray) -> None:
        """Raise the price of places that were fought over, and a little of those beside them."""
        remember(self.numbers, nodes, HISTORY_STEP, self.heuristic.fought, self.occupancy.grid)
        self.heuristic.prices = None

    def keep_to(self, cells: np.ndarray, dearer: float) -> None:
        """Raise the price of every place but some cells (a mark each) by a share, until :meth:`forget`."""
        history = self.numbers[HISTORY::4].reshape(-1, self.problem.lattice.plane)
        history[:, ~cells] = dearer
        self.heuristic.fought[:] = 1
        self.heuristic.prices = None

    def forget(self) -> None:
        """Take back what :meth:`remember` raised."""
        self.numbers[HISTORY::4] = 0
        self.heuristic.forget()

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
        self.heuristic.begin(job, self.next_tag(), self.pressure, hard)
        self._bar_vias(net.paths, +1)
        if job.planed:
            return self._to_planes(result, groups, neck_tag, hard, most)
        group = np.zeros(len(job.terminals), dtype=np.int64)
        for k, elements in enumerate(groups):
            group[[e for e in elements if not isinstance(e, Path)]] = k
        # Prim's tree over the groups, begun at the outermost terminal.
        k = int(group[job.outermost])
        tree = _Copper.of(job, groups[k])
        far, from_spot = _nearest(job, np.flatnonzero(group == k))
        far[group == k] = np.inf
        for _ in range(len(groups) - 1):
            spot = int(far.argmin())
            k = int(group[spot])
            near = _Copper.of(job, groups[k])
            ends = job.windows[int(from_spot[spot])], job.windows[spot]
            found = self._link(job, tree, near, self._round(ends, float(far[spot])), neck_tag, hard, most)
            far[group == k] = np.inf
            if found is None:
                result.failed += 1
                continue
            result.paths.append(found)
            self._bar_vias([found], +1)
            tree = tree.joined(near, found)
            apart, spots = _nearest(job, np.flatnonzero(group == k))
            nearer = (apart < far) & (far < np.inf)
            far[nearer], from_spot[nearer] = apart[nearer], spots[nearer]
        self._bar_vias(result.paths, -1)
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
                self._bar_vias([found], +1)
                joined = [*joined, *elements, found]
            if len(left) == len(waiting):
                result.failed += len(left)
                break
            # Those without a way of their own may find one to a neighbour that has one now.
            waiting = left
        self._bar_vias(result.paths, -1)
        return result

    def _to_plane(
        self,
        job: NetJob,
        elements: list[int | Path],
        joined: list[int | Path],
        neck_tag: int,
        hard: bool,
        most: float,
    ) -> Path | None:
        near = _Copper.of(job, elements)
        whole = _Copper.of(job, joined)
        for reach in PLANE_STEPS:
            around = self._grown(near.window, reach)
            found = self._link(job, whole, near, around, neck_tag, hard, most, only=True)
            if found is not None:
                return found
        return None

    def _grown(self, window: Window, by: int) -> Window:
        lat = self.problem.lattice
        x0, x1, y0, y1 = window
        return max(1, x0 - by), min(lat.w - 2, x1 + by), max(1, y0 - by), min(lat.h - 2, y1 + by)

    def _mark_necks(self, job: NetJob) -> int:
        if self.marked is not None and self.marked[0] is job:
            return self.marked[1]
        tag = self.next_tag()
        self.neck_zone[job.neck_cells] = tag
        self.marked = job, tag
        return tag

    def _bar_vias(self, paths: list[Path], delta: int) -> None:
        """Keep later vias of the same net off the vias of these paths by the hole-to-hole distance."""
        spots = [p.vias for p in paths if len(p.vias)]
        if spots:
            self._bar_spots(np.concatenate(spots), delta)

    def _round(self, ends: tuple[Window, Window], apart: float) -> Window:
        """Give the part of the board in which a way between two ends is looked for at first."""
        lat = self.problem.lattice
        margin = int(self.reach * (ROUND_STEPS + ROUND_SHARE * apart))
        (a0, a1, b0, b1), (c0, c1, d0, d1) = ends
        return (
            max(1, min(a0, c0) - margin),
            min(lat.w - 2, max(a1, c1) + margin),
            max(1, min(b0, d0) - margin),
            min(lat.h - 2, max(b1, d1) + margin),
        )

    def _link(
        self,
        job: NetJob,
        tree: _Copper,
        near: _Copper,
        around: Window,
        neck_tag: int,
        hard: bool,
        most: float,
        only: bool = False,
        tries: int = 5,
    ) -> Path | None:
        """Join two groups of a net, within some part of the board at first, and only there if so asked."""
        lat = self.problem.lattice
        if _spread(near.window) > _spread(tree.window):
            # The estimate aims at the goal's window: the smaller it is, the less has to be searched.
            tree, near = near, tree
        if most < NO_LIMIT:
            # Steps of wires cost half.
            around = self._grown(near.window, int(2 * most if self.problem.jump[0] else most) + 2)
            only = True
        everywhere = (1, lat.w - 2, 1, lat.h - 2)
        end = -1
        for within in (around,) if only else (around, everywhere):
            start, goal = tree.within(job, within, lat), near.within(job, within, lat)
            if len(start.nodes) and len(goal.nodes):
                end = self._search(job, start, goal, np.array(within), neck_tag, hard, most)
            if end >= 0:
                break
        if end < 0:
            return None
        nodes, how = trace(self.words, end, lat.w, lat.plane)
        found = make_path(
            self.problem, job, nodes, how, (start.holder(int(nodes[0])), goal.holder(int(nodes[-1])))
        )
        if (k := kernel.too_close(found.vias, self._hole_reach())) >= 0 and not len(found.wires):
            # A way that turned back to its own hole, which the steps counted since then did not show.
            if not tries:
                return None
            close = found.vias[k : k + 1]
            self._bar_spots(close, +1)
            found_again = self._link(job, tree, near, around, neck_tag, hard, most, only, tries - 1)
            self._bar_spots(close, -1)
            return found_again
        return found

    def _hole_reach(self) -> float:
        return (self.problem.via_drill_mm + self.problem.hole_gap_mm) / self.problem.lattice.pitch + 0.02

    def _bar_spots(self, spots: np.ndarray, delta: int) -> None:
        lat = self.problem.lattice
        kernel.bar(self.via_barred, spots, self._hole_reach(), delta, lat.w, lat.h)

    def _search(
        self,
        job: NetJob,
        tree: _Front,
        near: _Front,
        within: np.ndarray,
        neck_tag: int,
        hard: bool,
        most: float,
    ) -> int:
        """Search straight away for a while, then with the goal's surroundings known, the wider the longer it takes."""
        lat, p = self.problem.lattice, self.problem
        who = job.number, self.neck_zone, neck_tag, self.pressure, hard
        via_cost, queue = VIA_COST_MM / lat.pitch, (self.head, self.after, self.item, self.spare)
        goal_tag = self.next_tag()
        self.goal[near.nodes] = goal_tag
        box, layers = np.array(near.window), kernel.layers_of(near.nodes, lat.plane)
        end, start = -2, np.array(tree.window)
        for settle, limit in self.looks:
            ahead: tuple[Any, ...] | None = self.heuristic.nothing(start)
            if settle:
                ahead = self.heuristic.look(
                    job,
                    who,
                    self.numbers,
                    self.via_barred,
                    near.nodes,
                    tree.nodes,
                    start,
                    via_cost,
                    int(self.jump[3]) if self.jump[0] else 0,
                    within,
                    most,
                    settle,
                    self.next_tag(),
                    queue,
                )
            if ahead is None:
                return -1
            end, _ = search(
                self.words,
                self.numbers,
                self.occupancy.grid,
                self.occupancy.held_by(job),
                who,
                self.via_barred,
                p.wire_barred,
                self.occupancy.wired.ravel(),
                tree.nodes,
                self.goal,
                goal_tag,
                box,
                layers,
                via_cost,
                self.weight,
                self.jump,
                self.hole_steps,
                within,
                most,
                min(limit, self.enough),
                ahead,
                self.next_tag(),
                queue,
            )
            if end != -2:
                break
        return int(end)


def _nearest(job: NetJob, spots: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Give how far every terminal is from the nearest of some, and which that is."""
    if len(spots) == 1:
        return job.apart[spots[0]].copy(), np.full(len(job.apart), spots[0])
    apart = job.apart[spots]
    return apart.min(axis=0), spots[apart.argmin(axis=0)]


@dataclass
class _Copper:
    """Copper of a net that is joined already: its elements, how far each reaches, and the window of all.

    How far an element ``reaches`` is its window with the last column and row negative, so that the least is farthest.
    """

    elements: list[int | Path]
    reaches: np.ndarray
    window: Window

    @classmethod
    def of(cls, job: NetJob, elements: list[int | Path]) -> _Copper:
        """Gather some elements of a net."""
        windows = [e.window if isinstance(e, Path) else job.windows[e] for e in elements]
        if len(windows) == 1:
            return cls(elements, np.array(windows) * SIDES, windows[0])
        reaches = np.array(windows) * SIDES
        return cls(elements, reaches, _hull(reaches))

    def joined(self, other: _Copper, path: Path) -> _Copper:
        """Give this copper with other copper and the path that leads there."""
        reaches = np.concatenate([self.reaches, other.reaches, [path.window] * SIDES])
        return _Copper([*self.elements, *other.elements, path], reaches, _hull(reaches))

    def within(self, job: NetJob, around: Window, lat: Lattice) -> _Front:
        """Give the nodes of the elements that reach into a part of the board; of planes only those inside it."""
        if len(self.elements) == 1 and not job.planed:
            (e,) = self.elements
            return _Front(self.elements, [e.nodes if isinstance(e, Path) else job.terminals[e]], self.window)
        x0, x1, y0, y1 = around
        at = np.flatnonzero((self.reaches <= (x1, -x0, y1, -y0)).all(axis=1))
        if not len(at):
            return _Front([], [np.zeros(0, dtype=np.int64)], around)
        elements = [self.elements[k] for k in at.tolist()]
        window = _hull(self.reaches[at])
        nodes = [e.nodes if isinstance(e, Path) else job.terminals[e] for e in elements]
        planes = len(job.terminals) - 1 if job.planed else -1
        if planes in elements:
            k = elements.index(planes)
            ys, xs = np.divmod(nodes[k] % lat.plane, lat.w)
            nodes[k] = nodes[k][(xs >= x0) & (xs <= x1) & (ys >= y0) & (ys <= y1)]
            window = around
        return _Front(elements, nodes, window)


class _Front:
    """Nodes of copper a search starts from or aims at, the elements they belong to, and their window."""

    def __init__(self, elements: list[int | Path], nodes: list[np.ndarray], window: Window) -> None:
        self.elements = elements
        self.counts = [len(n) for n in nodes]
        self.nodes = nodes[0] if len(nodes) == 1 else np.concatenate(nodes)
        self.window = window

    def holder(self, node: int) -> int | Path:
        """Find the element a node belongs to; a terminal first."""
        if len(self.elements) == 1:
            return self.elements[0]
        ends = list(accumulate(self.counts))
        holders = [self.elements[bisect_right(ends, k)] for k in np.flatnonzero(self.nodes == node).tolist()]
        terminals: list[int | Path] = [e for e in holders if not isinstance(e, Path)]
        return (terminals or holders)[0]


def _hull(reaches: np.ndarray) -> Window:
    x0, x1, y0, y1 = reaches.min(axis=0).tolist()
    return x0, -x1, y0, -y1


def _spread(window: Window) -> int:
    return window[1] - window[0] + window[3] - window[2]
