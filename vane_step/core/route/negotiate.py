"""Routing all nets at once by negotiated congestion; who holds which place of the grid is in ``occupancy``.

Every net first takes its cheapest way, then the links that overlap are ripped up and routed again while the price
of shared places rises, until nothing overlaps (McMurchie and Ebeling, "PathFinder", 1995).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vane_step.core.route.connection_search import ConnectionSearch
from vane_step.core.route.jumper_reduction import fewer_wires, without_any
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.pairs import pair_up
from vane_step.core.route.path import Routed
from vane_step.core.route.polish import polish, take_corners_out
from vane_step.core.route.problem import NetJob, Problem
from vane_step.core.route.rip_up import (
    MAX_ROUNDS,
    PRESSURE_MOST,
    Progress,
    Work,
    afresh,
    left_open,
    restore,
    retry,
    rip_up,
    settle,
)

# What places held by others cost at first when links that stayed open are bargained for again, try after try.
ATTEMPTS = (3.0, 6.0, 12.0, 1.5, 24.0)
# Rounds in which only others give way to a net with open links.
GIVE_WAY_ROUNDS = 12


@dataclass(frozen=True)
class Blocked:
    """A net with links that found no way, and the nets whose tracks are in it; else what shuts it in, where known."""

    net: str
    links: int
    by: tuple[str, ...]
    reason: str = ""


def negotiate(problem: Problem, progress: Progress | None = None) -> tuple[list[Routed], int, list[Blocked]]:
    """Route all nets of a problem.

    Parameters
    ----------
    progress : callable, optional
        Called with links settled and links in all after each net; returning ``False`` stops the run, and what
        is free of overlaps by then is kept.

    Returns
    -------
    tuple of list of Routed, int, and list of Blocked
        One entry a net, without overlaps; the number of rounds it took; and why links stayed open. The same problem
        gives the same answer.
    """
    run = ConnectionSearch(Occupancy(problem))
    work = Work(sum(max(0, len(j.terminals) - 1) for j in problem.jobs), progress)
    jobs = sorted(problem.jobs, key=lambda j: (_size(j), j.name))
    routed: dict[str, Routed] = {}
    for job in jobs:
        routed[job.name] = run.route_net(Routed(job))
        run.occupancy.hold(routed[job.name])
        if not work.goes_on(0):
            break
    rounds = 1 + rip_up(run, routed, work, MAX_ROUNDS)
    settle(run, routed)
    twins: dict[str, str] = {}
    if not work.stopped:
        retry(run, routed)
        polish(run, routed, work)
        rounds += _complete(run, routed, work)
        fewer_wires(run, routed, work)
        without_any(run, routed, work)
        twins = pair_up(run, routed, work)
    take_corners_out(run, routed, twins)
    blocked = [] if work.stopped else [_blocked(run, routed, name) for name, r in routed.items() if r.failed]
    return [routed[j.name] for j in jobs if j.name in routed], rounds, blocked


def _complete(run: ConnectionSearch, routed: dict[str, Routed], work: Work) -> int:
    """Bargain again, from what is left now, for links that stayed open; keep it when fewer do.

    Every second time their nets begin from nothing, since what they have may be what shuts them in, and at first only
    the others give way.
    """
    rounds = 0
    for k, pressure in enumerate(ATTEMPTS):
        unfinished = [name for name, r in routed.items() if r.failed]
        if not unfinished or work.stopped:
            break
        before = dict(routed)
        afresh(run, pressure)
        for name in unfinished:
            run.occupancy.release(routed[name])
            kept = [] if k % 2 else routed[name].paths
            routed[name] = run.route_net(Routed(routed[name].job, kept))
            run.occupancy.hold(routed[name])
        if k % 2:
            rounds += rip_up(run, routed, work, GIVE_WAY_ROUNDS, set(unfinished))
        rounds += rip_up(run, routed, work, MAX_ROUNDS)
        settle(run, routed)
        retry(run, routed)
        if left_open(routed) >= left_open(before):
            restore(run, routed, before)
        else:
            polish(run, routed, work)
    return rounds


def _blocked(run: ConnectionSearch, routed: dict[str, Routed], name: str) -> Blocked:
    """Find out what is in the way of a net's open links: the tracks its cheapest way would have to cross."""
    net = routed[name]
    afresh(run, PRESSURE_MOST)
    run.occupancy.release(net)
    soft = run.route_net(Routed(net.job, net.paths))
    run.occupancy.hold(soft)
    lat = run.problem.lattice
    crossed = set()
    for nodes in run.occupancy.conflicts(soft).values():
        for other, found in routed.items():
            if other != name and any(_near(nodes, p.nodes, lat.w, lat.plane) for p in found.paths):
                crossed.add(other)
    run.occupancy.release(soft)
    run.occupancy.hold(net)
    return Blocked(name, net.failed, tuple(sorted(crossed)))


def _near(a: np.ndarray, b: np.ndarray, w: int, plane: int) -> bool:
    """Tell whether nodes of two paths on one layer come within a millimetre or so of each other."""
    ax, ay, bx, by = a % plane % w, a % plane // w, b % plane % w, b % plane // w
    close = (np.abs(ax[:, None] - bx[None, :]) < 8) & (np.abs(ay[:, None] - by[None, :]) < 8)
    return bool((close & (a[:, None] // plane == b[None, :] // plane)).any())


def _size(job: NetJob) -> float:
    spots = np.array(job.spots)
    return float(np.ptp(spots, axis=0).sum()) if len(spots) else 0.0
