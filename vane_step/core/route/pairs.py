"""Nets that belong together laid side by side, others giving way to them; which do is told by the problem."""

from __future__ import annotations

import numpy as np

from vane_step.core.route import kernel
from vane_step.core.route.connection_search import ConnectionSearch
from vane_step.core.route.path import Path, Routed
from vane_step.core.route.rip_up import Work, afresh, left_open, restore, rip_up, worth

# Middle lines this near lie side by side, on whatever layers; the readings of the board allow somewhat more.
BESIDE_MM = 1.25
# How much dearer places are away from the other net, as a share of their price.
AWAY = 1.0
# What places held by others cost, and rounds for them to give way in.
PRESSURE, ROUNDS = 3.0, 12
# What a step beside the other is worth, in steps.
WORTH = 1.0


def pair_up(run: ConnectionSearch, routed: dict[str, Routed], work: Work) -> dict[str, str]:
    """Lead one net of each pair along the other, then the other along the one, and keep what is worth its length.

    Each is tried as the one that leads. Every link stays laid; what a step beside the other is worth pays for detours,
    of the pair and of those that give way. Gives for each net that is laid so the other of its pair.
    """
    laid: dict[str, str] = {}
    for pair in run.problem.pairs:
        if work.stopped or any(name not in routed or not routed[name].paths for name in pair):
            continue
        before = best = dict(routed)
        price = _price(run, routed, pair)
        for lead, follow in (pair, pair[::-1]):
            restore(run, routed, before)
            for one, other in ((follow, lead), (lead, follow)):
                _lay_along(run, routed, one, other)
                rip_up(run, routed, work, ROUNDS, stay=pair)
            clean = not any(run.occupancy.conflicts(r) for r in routed.values())
            if clean and left_open(routed) <= left_open(before) and _price(run, routed, pair) < price - 0.01:
                price, best = _price(run, routed, pair), dict(routed)
        restore(run, routed, best)
        if best is not before:
            laid.update((pair, pair[::-1]))
    return laid


def _lay_along(run: ConnectionSearch, routed: dict[str, Routed], name: str, other: str) -> None:
    """Route a net anew, with every place away from another net dearer."""
    afresh(run, PRESSURE)
    run.occupancy.release(routed[name])
    run.keep_to(beside(run, routed[other].paths), AWAY)
    routed[name] = run.route_net(Routed(routed[name].job))
    run.forget()
    run.occupancy.hold(routed[name])


def beside(run: ConnectionSearch, paths: list[Path]) -> np.ndarray:
    """Mark the cells beside some paths, on whatever layer these are."""
    lat = run.problem.lattice
    near = np.zeros(lat.plane, dtype=np.int32)
    for path in paths:
        ys, xs = np.divmod(path.nodes % lat.plane, lat.w)
        kernel.disc(
            near, 1, xs.astype(np.float64), ys.astype(np.float64), BESIDE_MM / lat.pitch, lat.w, lat.h
        )
    found: np.ndarray = near == 1
    return found


def _price(run: ConnectionSearch, routed: dict[str, Routed], pair: tuple[str, str]) -> float:
    """Give what all ways cost, less what it is worth that the two of a pair lie side by side."""
    plane = run.problem.lattice.plane
    steps = 0
    for name, other in (pair, pair[::-1]):
        near = beside(run, routed[other].paths)
        steps += sum(int(near[path.nodes % plane].sum()) for path in routed[name].paths)
    return worth(routed)[1] - WORTH * steps
