"""Routing all nets at once by negotiated congestion; who holds which place of the grid is in ``claims``.

Every net first takes its cheapest way, then the links that overlap are ripped up and routed again while the price
of shared places rises, until nothing overlaps (McMurchie and Ebeling, "PathFinder", 1995).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vane_step.core.route.claims import Claims, Path, Routed, cost
from vane_step.core.route.grid import NetJob, Problem
from vane_step.core.route.search import HISTORY
from vane_step.core.route.straighten import straighten

MAX_ROUNDS = 70
PRESSURE_GROWTH = 1.45
PRESSURE_MOST = 60.0
REACH_GROWTH = 1.15
# Rip-ups without fewer overlapping nets before the stubborn ones are left open.
PATIENCE = 24

Progress = Callable[[int, int], bool]


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
    run = Claims(problem)
    total = sum(max(0, len(j.terminals) - 1) for j in problem.jobs)
    jobs = sorted(problem.jobs, key=lambda j: (_size(j), j.name))
    routed: dict[str, Routed] = {}
    stopped = False
    for job in jobs:
        routed[job.name] = run.route_net(Routed(job))
        run.hold(routed[job.name])
        if progress and not progress(0, total):
            stopped = True
            break
    rounds = 1
    fewest, since = total + 1, 0
    while not stopped:
        bad = {name: paths for name, r in routed.items() if (paths := run.conflicts(r))}
        links = sum(len(paths) for paths in bad.values())
        if not bad or rounds >= MAX_ROUNDS or since >= PATIENCE:
            break
        since = 0 if links < fewest else since + 1
        fewest = min(fewest, links)
        fought = {name: np.concatenate(list(paths.values())) for name, paths in bad.items()}
        for nodes in fought.values():
            run.remember(nodes)
        run.reach *= REACH_GROWTH
        run.pressure = min(PRESSURE_MOST, run.pressure * PRESSURE_GROWTH)
        for name in sorted(bad, key=lambda n: (-len(fought[n]), n)):
            paths = run.conflicts(routed[name])
            if paths:
                run.release(routed[name])
                routed[name] = run.route_net(routed[name].without(set(paths)))
                run.hold(routed[name])
        if progress and not progress(total - links, total):
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


def _settle(run: Claims, routed: dict[str, Routed]) -> None:
    """Give up the links that still overlap, worst net first, until nothing does."""
    tried: set[str] = set()
    while True:
        bad = {name: paths for name, r in routed.items() if (paths := run.conflicts(r))}
        if not bad:
            return
        name = max(bad, key=lambda n: (sum(len(x) for x in bad[n].values()), n))
        run.release(routed[name])
        left = routed[name].without(set(bad[name]))
        left.failed = len(left.groups()) - 1
        routed[name] = left if name in tried else run.route_net(left, hard=True)
        tried.add(name)
        run.hold(routed[name])


def _retry(run: Claims, routed: dict[str, Routed]) -> None:
    """Try the nets with open links once more, now that others have moved."""
    for name, old in routed.items():
        if old.failed:
            run.release(old)
            again = run.route_net(old, hard=True)
            routed[name] = again if again.failed < old.failed else old
            run.hold(routed[name])


def _polish(run: Claims, routed: dict[str, Routed], progress: Progress | None, total: int) -> None:
    """Route every link once more by its cheapest free way, without history, and keep what got cheaper."""
    run.numbers[:, HISTORY] = 0
    run.weight = 1.0
    for name in sorted(routed, key=lambda n: (-cost(routed[n]), n)):
        net = routed[name]
        run.release(net)
        for path in sorted(net.paths, key=lambda p: -p.cost):
            if path not in net.paths or _direct(path, run.problem):
                continue
            left = net.without({path})
            again = run.route_net(left, hard=True, most=cost(net) - cost(left) - 0.01)
            if again.failed <= net.failed and cost(again) < cost(net) - 0.01:
                net = again
        routed[name] = net
        run.hold(net)
        if progress and not progress(total, total):
            return


def _direct(path: Path, problem: Problem) -> bool:
    """Tell whether a path is as short as its ends allow, so that nothing is left to gain."""
    if len(path.vias) or len(path.lines) > 2:
        return False
    ys, xs = np.divmod(path.nodes[[0, -1]] % problem.lattice.plane, problem.lattice.w)
    dx, dy = abs(int(xs[1] - xs[0])), abs(int(ys[1] - ys[0]))
    octile = max(dx, dy) + 0.41421356 * min(dx, dy)
    return path.length <= octile + 0.01


def _straighten(run: Claims, routed: dict[str, Routed]) -> None:
    """Take needless corners out of every net, one after the other."""
    for name in sorted(n for n, r in routed.items() if r.paths):
        net = routed[name]
        run.release(net)
        paths = [
            run.path(net.job, nodes, how, path.ends)
            for path, (nodes, how) in zip(net.paths, straighten(run, net), strict=True)
        ]
        routed[name] = Routed(net.job, paths, net.failed)
        run.hold(routed[name])
