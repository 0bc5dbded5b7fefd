"""Shorter ways and fewer corners for nets that are routed; who gives way to whom is in ``rip_up``."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from vane_step.core.route.connection_search import ConnectionSearch
from vane_step.core.route.pairs import beside
from vane_step.core.route.path import Path, Routed, cost, make_path
from vane_step.core.route.problem import Problem
from vane_step.core.route.rip_up import Work
from vane_step.core.route.straighten import straighten

# Nodes a search may expand to make a way cheaper that is good already.
ENOUGH = 25_000
# Detours of links, in steps, that are tried to be made shorter in the end: once, and once more.
DETOURS = (4.0, 24.0)


def polish(run: ConnectionSearch, routed: dict[str, Routed], work: Work) -> None:
    """Route links with a detour once more by their cheapest free way, without history, and keep what got cheaper."""
    run.forget()
    run.weight, run.enough = 1.0, ENOUGH
    for least in DETOURS:
        for name in sorted(routed, key=lambda n: (-sum(_detour(p, run.problem) for p in routed[n].paths), n)):
            net = routed[name]
            longer = sorted((p for p in net.paths if _detour(p, run.problem) > least), key=lambda p: -p.cost)
            if not longer:
                continue
            run.occupancy.release(net)
            for path in longer:
                if path not in net.paths:
                    continue
                left = net.without({path})
                again = run.route_net(left, hard=True, most=cost(net) - cost(left) - 0.01)
                if again.failed <= net.failed and cost(again) < cost(net) - 0.01:
                    net = again
            routed[name] = net
            run.occupancy.hold(net)
            if not work.goes_on(work.total):
                return


def _detour(path: Path, problem: Problem) -> float:
    """Give what a path costs beyond the way its ends allow at best, in steps."""
    ys, xs = np.divmod(path.nodes[[0, -1]] % problem.lattice.plane, problem.lattice.w)
    dx, dy = abs(int(xs[1] - xs[0])), abs(int(ys[1] - ys[0]))
    return path.cost - max(dx, dy) - 0.41421356 * min(dx, dy)


def take_corners_out(run: ConnectionSearch, routed: dict[str, Routed], twins: Mapping[str, str]) -> None:
    """Take needless corners out of every net, one after the other; those with a twin stay beside it."""
    for name in sorted(n for n, r in routed.items() if r.paths):
        net = routed[name]
        run.occupancy.release(net)
        near = beside(run, routed[twins[name]].paths) if name in twins else None
        paths = [
            make_path(run.problem, net.job, nodes, how, path.ends)
            for path, (nodes, how) in zip(net.paths, straighten(run.problem, net, near), strict=True)
        ]
        now: dict[int | Path, int | Path] = {**dict(zip(net.paths, paths, strict=True))}
        for path in paths:
            a, b = path.ends
            path.ends = now.get(a, a), now.get(b, b)
        routed[name] = Routed(net.job, paths, net.failed)
        run.occupancy.hold(routed[name])
