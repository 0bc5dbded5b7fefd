"""Routing all nets at once by negotiated congestion; who holds which place of the grid is in ``claims``.

Every net first takes its cheapest way, then the links that overlap are ripped up and routed again while the price
of shared places rises, until nothing overlaps (McMurchie and Ebeling, "PathFinder", 1995).
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass

import numpy as np

from vane_step.core.route.claims import Claims
from vane_step.core.route.grid import NetJob, Problem
from vane_step.core.route.path import Path, Routed, cost, make_path
from vane_step.core.route.seeker import NO_END, WEIGHT, Seeker
from vane_step.core.route.straighten import straighten

MAX_ROUNDS = 70
# By how much prices rise from round to round; more slowly on one layer, where haste makes wires.
PRESSURE_GROWTH, ONE_LAYER_GROWTH = 2.0, 1.3
PRESSURE_MOST = 60.0
# Nodes a search may expand to make a way cheaper that is good already.
ENOUGH = 80_000
# Detours of links, in steps, that are tried to be made shorter in the end: once, and once more.
DETOURS = (4.0, 24.0)
REACH_GROWTH = 1.15
# What places held by others cost at first when links that stayed open are bargained for again, try after try.
ATTEMPTS = (3.0, 6.0, 12.0, 1.5, 24.0)
# What crossing others costs a link laid again without its wire, and how much dearer wires are to those that give way
# than at first: one try after the other; rounds to give way in.
WIRELESS = ((5.0, 3), (2.5, 3), (1.5, 3))
WIRELESS_ROUNDS = 10
# With no more wires than these all is laid anew without any: what crossing others costs at first, and rounds for it.
FEW_WIRES = 4
ANEW, ANEW_ROUNDS = 1.5, 12
# Rounds in which only others give way to a net with open links.
GIVE_WAY_ROUNDS = 12
# Rip-ups without fewer overlapping nets before the stubborn ones are left open.
PATIENCE = 24
# After so many of them with no more than so many links left, a free way is taken however long it is.
STUBBORN, FEW_LINKS = 2, 12

Progress = Callable[[int, int], bool]


@dataclass(frozen=True)
class Blocked:
    """A net with links that found no way, and the nets whose tracks are in it; none when only fixed things are."""

    net: str
    links: int
    by: tuple[str, ...]


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
    run = Seeker(Claims(problem))
    work = _Work(sum(max(0, len(j.terminals) - 1) for j in problem.jobs), progress)
    jobs = sorted(problem.jobs, key=lambda j: (_size(j), j.name))
    routed: dict[str, Routed] = {}
    for job in jobs:
        routed[job.name] = run.route_net(Routed(job))
        run.claims.hold(routed[job.name])
        if not work.goes_on(0):
            break
    rounds = 1 + _bargain(run, routed, work, MAX_ROUNDS)
    _settle(run, routed)
    if not work.stopped:
        _retry(run, routed)
        _polish(run, routed, work)
        rounds += _complete(run, routed, work)
        _fewer_wires(run, routed, work)
        _without_any(run, routed, work)
    _straighten(run, routed)
    blocked = [] if work.stopped else [_blocked(run, routed, name) for name, r in routed.items() if r.failed]
    return [routed[j.name] for j in jobs if j.name in routed], rounds, blocked


@dataclass
class _Work:
    """Tells how far a run is, and whether it is to go on."""

    total: int
    progress: Progress | None
    stopped: bool = False

    def goes_on(self, settled: int) -> bool:
        """Tell how many links are settled, and hear whether to go on."""
        if self.progress and not self.stopped:
            self.stopped = not self.progress(settled, self.total)
        return not self.stopped


def _bargain(
    run: Seeker, routed: dict[str, Routed], work: _Work, most: int, stay: Collection[str] = (), wires: int | None = None
) -> int:  # fmt: skip
    """Rip up what overlaps and route it again at rising prices, until nothing does; gives the rounds it took.

    Nets that ``stay`` are not ripped up: only the others give way. With ``wires`` it ends when there are as many: they
    hardly ever go again.
    """
    rounds = since = 0
    growth = ONE_LAYER_GROWTH if run.problem.jump[0] else PRESSURE_GROWTH
    fewest = work.total + 1
    while not work.stopped:
        bad = {n: paths for n, r in routed.items() if n not in stay and (paths := run.claims.conflicts(r))}
        links = sum(len(paths) for paths in bad.values())
        if not bad or rounds >= most or since >= PATIENCE:
            break
        since = 0 if links < fewest else since + 1
        fewest = min(fewest, links)
        fought = {name: np.concatenate(list(paths.values())) for name, paths in bad.items()}
        for nodes in fought.values():
            run.remember(nodes)
        run.reach *= REACH_GROWTH
        run.pressure = min(PRESSURE_MOST, run.pressure * growth)
        for name in sorted(bad, key=lambda n: (-len(fought[n]), n)):
            paths = run.claims.conflicts(routed[name])
            if not paths:
                continue
            run.claims.release(routed[name])
            left = routed[name].without(set(paths))
            # Few who fight on and on: whoever has a free way takes it.
            free = run.route_net(left, hard=True) if since >= STUBBORN and links <= FEW_LINKS else None
            routed[name] = free if free and free.failed <= routed[name].failed else run.route_net(left)
            run.claims.hold(routed[name])
        work.goes_on(work.total - links)
        rounds += 1
        if wires is not None and _worth(routed)[0] >= wires:
            break
    return rounds


def _afresh(run: Seeker, pressure: float) -> None:
    """Forget what was fought over, and set the price of places that others hold."""
    run.forget()
    run.pressure, run.reach, run.weight, run.enough = pressure, 1.0, WEIGHT, NO_END


def _complete(run: Seeker, routed: dict[str, Routed], work: _Work) -> int:
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
        _afresh(run, pressure)
        for name in unfinished:
            run.claims.release(routed[name])
            kept = [] if k % 2 else routed[name].paths
            routed[name] = run.route_net(Routed(routed[name].job, kept))
            run.claims.hold(routed[name])
        if k % 2:
            rounds += _bargain(run, routed, work, GIVE_WAY_ROUNDS, set(unfinished))
        rounds += _bargain(run, routed, work, MAX_ROUNDS)
        _settle(run, routed)
        _retry(run, routed)
        if _left(routed) >= _left(before):
            _restore(run, routed, before)
        else:
            _polish(run, routed, work)
    return rounds


def _blocked(run: Seeker, routed: dict[str, Routed], name: str) -> Blocked:
    """Find out what is in the way of a net's open links: the tracks its cheapest way would have to cross."""
    net = routed[name]
    _afresh(run, PRESSURE_MOST)
    run.claims.release(net)
    soft = run.route_net(Routed(net.job, net.paths))
    run.claims.hold(soft)
    lat = run.problem.lattice
    crossed = set()
    for nodes in run.claims.conflicts(soft).values():
        for other, found in routed.items():
            if other != name and any(_near(nodes, p.nodes, lat.w, lat.plane) for p in found.paths):
                crossed.add(other)
    run.claims.release(soft)
    run.claims.hold(net)
    return Blocked(name, net.failed, tuple(sorted(crossed)))


def _near(a: np.ndarray, b: np.ndarray, w: int, plane: int) -> bool:
    """Tell whether nodes of two paths on one layer come within a millimetre or so of each other."""
    ax, ay, bx, by = a % plane % w, a % plane // w, b % plane % w, b % plane // w
    close = (np.abs(ax[:, None] - bx[None, :]) < 8) & (np.abs(ay[:, None] - by[None, :]) < 8)
    return bool((close & (a[:, None] // plane == b[None, :] // plane)).any())


def _left(routed: dict[str, Routed]) -> int:
    return sum(r.failed for r in routed.values())


def _restore(run: Seeker, routed: dict[str, Routed], before: dict[str, Routed]) -> None:
    for name, net in before.items():
        if routed[name] is not net:
            run.claims.release(routed[name])
            routed[name] = net
            run.claims.hold(net)


def _fewer_wires(run: Seeker, routed: dict[str, Routed], work: _Work) -> None:
    """Lay each link with a wire again without one, let what it crosses give way, and keep it if wires get fewer."""
    if not run.jump[0]:
        return
    for pressure, dearer in WIRELESS:
        tried: set[Path] = set()
        while not work.stopped:
            wired = [
                (len(p.nodes), n, p) for n, r in routed.items() for p in r.paths if len(p.wires) and p not in tried
            ]
            if not wired:
                break
            _, name, path = min(wired, key=lambda w: w[:2])
            tried.add(path)
            _without_wire(run, routed, name, path, pressure, dearer, work)
            work.goes_on(work.total)


def _without_any(run: Seeker, routed: dict[str, Routed], work: _Work) -> None:
    """Lay all nets anew without wires, where few are left, and keep it when every link is laid."""
    before = dict(routed)
    if work.stopped or not 0 < _worth(before)[0] <= FEW_WIRES:
        return
    for net in before.values():
        run.claims.release(net)
    _afresh(run, ANEW)
    jump, run.jump = run.jump, run.jump * 0
    for name, net in before.items():
        routed[name] = run.route_net(Routed(net.job))
        run.claims.hold(routed[name])
    _bargain(run, routed, work, ANEW_ROUNDS)
    _settle(run, routed)
    if _left(routed) > _left(before):
        _restore(run, routed, before)
    else:
        _polish(run, routed, work)
    run.jump = jump
    work.goes_on(work.total)


def _without_wire(
    run: Seeker, routed: dict[str, Routed], name: str, path: Path, pressure: float, dearer: int, work: _Work
) -> None:  # fmt: skip
    before = dict(routed)
    _afresh(run, pressure)
    run.claims.release(routed[name])
    jump, run.jump = run.jump, run.jump * 0
    routed[name] = run.route_net(routed[name].without({path}))
    run.jump = jump.copy()
    run.jump[3] *= dearer
    run.claims.hold(routed[name])
    _bargain(run, routed, work, WIRELESS_ROUNDS, wires=_worth(before)[0])
    run.jump = jump
    clean = not any(run.claims.conflicts(r) for r in routed.values())
    if not clean or _left(routed) > _left(before) or _worth(routed) >= _worth(before):
        _restore(run, routed, before)


def _worth(routed: dict[str, Routed]) -> tuple[int, float]:
    return sum(len(p.wires) for r in routed.values() for p in r.paths), sum(cost(r) for r in routed.values())


def _size(job: NetJob) -> float:
    spots = np.array(job.spots)
    return float(np.ptp(spots, axis=0).sum()) if len(spots) else 0.0


def _settle(run: Seeker, routed: dict[str, Routed]) -> None:
    """Give up the links that still overlap, worst net first, until nothing does."""
    tried: set[str] = set()
    while True:
        bad = {name: paths for name, r in routed.items() if (paths := run.claims.conflicts(r))}
        if not bad:
            return
        name = max(bad, key=lambda n: (sum(len(x) for x in bad[n].values()), n))
        run.claims.release(routed[name])
        left = routed[name].without(set(bad[name]))
        left.failed = len(left.groups()) - 1
        routed[name] = left if name in tried else run.route_net(left, hard=True)
        tried.add(name)
        run.claims.hold(routed[name])


def _retry(run: Seeker, routed: dict[str, Routed]) -> None:
    """Try the nets with open links once more, now that others have moved."""
    for name, old in routed.items():
        if old.failed:
            run.claims.release(old)
            again = run.route_net(old, hard=True)
            routed[name] = again if again.failed < old.failed else old
            run.claims.hold(routed[name])


def _polish(run: Seeker, routed: dict[str, Routed], work: _Work) -> None:
    """Route links with a detour once more by their cheapest free way, without history, and keep what got cheaper."""
    run.forget()
    run.weight, run.enough = 1.0, ENOUGH
    for least in DETOURS:
        for name in sorted(routed, key=lambda n: (-sum(_detour(p, run.problem) for p in routed[n].paths), n)):
            net = routed[name]
            longer = sorted((p for p in net.paths if _detour(p, run.problem) > least), key=lambda p: -p.cost)
            if not longer:
                continue
            run.claims.release(net)
            for path in longer:
                if path not in net.paths:
                    continue
                left = net.without({path})
                again = run.route_net(left, hard=True, most=cost(net) - cost(left) - 0.01)
                if again.failed <= net.failed and cost(again) < cost(net) - 0.01:
                    net = again
            routed[name] = net
            run.claims.hold(net)
            if not work.goes_on(work.total):
                return


def _detour(path: Path, problem: Problem) -> float:
    """Give what a path costs beyond the way its ends allow at best, in steps."""
    ys, xs = np.divmod(path.nodes[[0, -1]] % problem.lattice.plane, problem.lattice.w)
    dx, dy = abs(int(xs[1] - xs[0])), abs(int(ys[1] - ys[0]))
    return path.cost - max(dx, dy) - 0.41421356 * min(dx, dy)


def _straighten(run: Seeker, routed: dict[str, Routed]) -> None:
    """Take needless corners out of every net, one after the other."""
    for name in sorted(n for n, r in routed.items() if r.paths):
        net = routed[name]
        run.claims.release(net)
        paths = [
            make_path(run.problem, net.job, nodes, how, path.ends)
            for path, (nodes, how) in zip(net.paths, straighten(run.problem, net), strict=True)
        ]
        now: dict[int | Path, int | Path] = {**dict(zip(net.paths, paths, strict=True))}
        for path in paths:
            a, b = path.ends
            path.ends = now.get(a, a), now.get(b, b)
        routed[name] = Routed(net.job, paths, net.failed)
        run.claims.hold(routed[name])
