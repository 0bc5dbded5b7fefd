"""Fewer wire jumpers on boards of one layer: links laid again without theirs, while others give way."""

from __future__ import annotations

from vane_step.core.route.connection_search import ConnectionSearch
from vane_step.core.route.path import Path, Routed
from vane_step.core.route.polish import polish
from vane_step.core.route.rip_up import Work, afresh, left_open, restore, rip_up, settle, worth

# What crossing others costs a link laid again without its wire, and how much dearer wires are to those that give way
# than at first: one try after the other; rounds to give way in.
WIRELESS = ((3.0, 3), (2.0, 3))
WIRELESS_ROUNDS = 10
# With no more wires than these all is laid anew without any: what crossing others costs at first, and rounds for it.
FEW_WIRES = 4
ANEW, ANEW_ROUNDS = 1.5, 6


def fewer_wires(run: ConnectionSearch, routed: dict[str, Routed], work: Work) -> None:
    """Lay each link with a wire again without one, let what it crosses give way, and keep it if wires get fewer."""
    if not run.jump[0]:
        return
    for pressure, dearer in WIRELESS:
        tried: set[Path] = set()
        while not work.stopped:
            wired = [
                (len(p.nodes), n, p)
                for n, r in routed.items()
                for p in r.paths
                if len(p.wires) and p not in tried
            ]
            if not wired:
                break
            _, name, path = min(wired, key=lambda w: w[:2])
            tried.add(path)
            _without_wire(run, routed, name, path, pressure, dearer, work)
            work.goes_on(work.total)


def without_any(run: ConnectionSearch, routed: dict[str, Routed], work: Work) -> None:
    """Lay all nets anew without wires, where few are left, and keep it when every link is laid."""
    before = dict(routed)
    if work.stopped or not 0 < worth(before)[0] <= FEW_WIRES:
        return
    for net in before.values():
        run.occupancy.release(net)
    afresh(run, ANEW)
    jump, run.jump = run.jump, run.jump * 0
    for name, net in before.items():
        routed[name] = run.route_net(Routed(net.job))
        run.occupancy.hold(routed[name])
    rip_up(run, routed, work, ANEW_ROUNDS)
    settle(run, routed)
    if left_open(routed) > left_open(before):
        restore(run, routed, before)
    else:
        polish(run, routed, work)
    run.jump = jump
    work.goes_on(work.total)


def _without_wire(
    run: ConnectionSearch,
    routed: dict[str, Routed],
    name: str,
    path: Path,
    pressure: float,
    dearer: int,
    work: Work,
) -> None:
    before = dict(routed)
    afresh(run, pressure)
    run.occupancy.release(routed[name])
    jump, run.jump = run.jump, run.jump * 0
    routed[name] = run.route_net(routed[name].without({path}))
    run.jump = jump.copy()
    run.jump[3] *= dearer
    run.occupancy.hold(routed[name])
    rip_up(run, routed, work, WIRELESS_ROUNDS, wires=worth(before)[0])
    run.jump = jump
    clean = not any(run.occupancy.conflicts(r) for r in routed.values())
    if not clean or left_open(routed) > left_open(before) or worth(routed) >= worth(before):
        restore(run, routed, before)
