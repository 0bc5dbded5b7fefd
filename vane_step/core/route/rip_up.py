"""What every stage of routing all nets is made of: ripping up at rising prices, taking back, what a result is worth."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass

import numpy as np

from vane_step.core.route.connection_search import NO_END, WEIGHT, ConnectionSearch
from vane_step.core.route.path import Routed, cost

MAX_ROUNDS = 70
# By how much prices rise from round to round; more slowly on one layer, where haste makes wires.
PRESSURE_GROWTH, ONE_LAYER_GROWTH = 2.0, 1.3
PRESSURE_MOST = 60.0
REACH_GROWTH = 1.15
# Rip-ups without fewer overlapping nets before the stubborn ones are left open.
PATIENCE = 24
# After so many of them with no more than so many links left, a free way is taken however long it is.
STUBBORN, FEW_LINKS = 2, 12

Progress = Callable[[int, int], bool]


@dataclass
class Work:
    """Tells how far a run is, and whether it is to go on."""

    total: int
    progress: Progress | None
    stopped: bool = False

    def goes_on(self, settled: int) -> bool:
        """Tell how many links are settled, and hear whether to go on."""
        if self.progress and not self.stopped:
            self.stopped = not self.progress(settled, self.total)
        return not self.stopped


def rip_up(
    run: ConnectionSearch,
    routed: dict[str, Routed],
    work: Work,
    most: int,
    stay: Collection[str] = (),
    wires: int | None = None,
) -> int:
    """Rip up what overlaps and route it again at rising prices, until nothing does; gives the rounds it took.

    Nets that ``stay`` are not ripped up: only the others give way. With ``wires`` it ends when there are as many: they
    hardly ever go again.
    """
    rounds = since = 0
    growth = ONE_LAYER_GROWTH if run.problem.jump[0] else PRESSURE_GROWTH
    fewest = work.total + 1
    due: dict[str, int] = {}
    pause: dict[str, int] = {}
    while not work.stopped:
        bad = {n: paths for n, r in routed.items() if n not in stay and (paths := run.occupancy.conflicts(r))}
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
            paths = run.occupancy.conflicts(routed[name])
            if not paths:
                continue
            run.occupancy.release(routed[name])
            left = routed[name].without(set(paths))
            # Few who fight on and on: whoever has a free way takes it; who has none asks the more seldom.
            free = None
            if since >= STUBBORN and links <= FEW_LINKS and rounds >= due.get(name, 0):
                free = run.route_net(left, hard=True)
                if free.failed > routed[name].failed:
                    free, pause[name] = None, 2 * pause.get(name, 1)
                    due[name] = rounds + pause[name]
            routed[name] = free or run.route_net(left)
            run.occupancy.hold(routed[name])
        work.goes_on(work.total - links)
        rounds += 1
        if wires is not None and worth(routed)[0] >= wires:
            break
    return rounds


def afresh(run: ConnectionSearch, pressure: float) -> None:
    """Forget what was fought over, and set the price of places that others hold."""
    run.forget()
    run.pressure, run.reach, run.weight, run.enough = pressure, 1.0, WEIGHT, NO_END


def left_open(routed: dict[str, Routed]) -> int:
    """Count the links without a way."""
    return sum(r.failed for r in routed.values())


def restore(run: ConnectionSearch, routed: dict[str, Routed], before: dict[str, Routed]) -> None:
    """Go back to what was routed before."""
    for name, net in before.items():
        if routed[name] is not net:
            run.occupancy.release(routed[name])
            routed[name] = net
            run.occupancy.hold(net)


def worth(routed: dict[str, Routed]) -> tuple[int, float]:
    """Give the wires of all nets and what their ways cost in steps; the less, the better."""
    return sum(len(p.wires) for r in routed.values() for p in r.paths), sum(cost(r) for r in routed.values())


def settle(run: ConnectionSearch, routed: dict[str, Routed]) -> None:
    """Give up the links that still overlap, worst net first, until nothing does."""
    tried: set[str] = set()
    while True:
        bad = {name: paths for name, r in routed.items() if (paths := run.occupancy.conflicts(r))}
        if not bad:
            return
        name = max(bad, key=lambda n: (sum(len(x) for x in bad[n].values()), n))
        run.occupancy.release(routed[name])
        left = routed[name].without(set(bad[name]))
        left.failed = len(left.groups()) - 1
        routed[name] = left if name in tried else run.route_net(left, hard=True)
        tried.add(name)
        run.occupancy.hold(routed[name])


def retry(run: ConnectionSearch, routed: dict[str, Routed]) -> None:
    """Try the nets with open links once more, now that others have moved."""
    for name, old in routed.items():
        if old.failed:
            run.occupancy.release(old)
            again = run.route_net(old, hard=True)
            routed[name] = again if again.failed < old.failed else old
            run.occupancy.hold(routed[name])
