"""How far readings may lie off: tolerances at their ends, by sensitivity and by samples; which they are the parts
tell."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vane_step.core.design.model import Design
from vane_step.core.network.probe import Probe
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import Solved, solve
from vane_step.core.solve.devices import Array


@dataclass(frozen=True)
class Span:
    """A reading with how far it may lie off: at the worst corner of all tolerances, and as the root of their
    squares."""

    nominal: float
    low: float
    high: float
    rss: float


@dataclass(frozen=True)
class Spread:
    """Spans of all nets in one state, what moves each most, and the tolerances that were varied."""

    nets: Mapping[str, Span]
    causes: Mapping[str, tuple[tuple[str, float], ...]]
    varied: Mapping[tuple[str, str], float]


def spread(design: Design, setting: Setting, base: Solved | None = None) -> Spread:
    """Vary each toleranced figure on its own to both ends; the worst case adds what each does (first order).

    Returns
    -------
    Spread
        For every net that something holds.
    """
    base = base or solve(design, setting)
    nets = [n for n, v in base.volts.items() if v is not None]
    nominal = np.array([base.volts[n] for n in nets], dtype=float)
    ups, downs, squares = np.zeros(len(nets)), np.zeros(len(nets)), np.zeros(len(nets))
    causes: dict[str, list[tuple[str, float]]] = {n: [] for n in nets}
    for (ref, key), share in base.build.varied.items():
        moved = []
        for sign in (1.0, -1.0):
            solved = solve(design, setting, start=base, deltas={(ref, key): sign * share}, plain=True)
            moved.append(
                np.array([solved.volts.get(n) or 0.0 for n in nets]) - nominal
                if solved.settled
                else 0 * nominal
            )
        high, low = np.maximum(*moved), np.minimum(*moved)
        ups += np.maximum(high, 0.0)
        downs += np.minimum(low, 0.0)
        squares += np.maximum(high, -low) ** 2
        for net, up, down in zip(nets, high, low, strict=True):
            if max(up, -down) > 1e-6:
                causes[net].append((ref, float(max(up, -down))))
    spans = {
        net: Span(float(v), float(v + down), float(v + up), float(np.sqrt(square)))
        for net, v, up, down, square in zip(nets, nominal, ups, downs, squares, strict=True)
    }
    told = {n: tuple(sorted(c, key=lambda e: -e[1])[:3]) for n, c in causes.items()}
    return Spread(spans, told, base.build.varied)


def samples(
    design: Design, setting: Setting, probes: Sequence[Probe], count: int, seed: int
) -> tuple[Array, int]:
    """Solve boards whose figures lie anywhere within their tolerances (Monte Carlo, evenly spread).

    Parameters
    ----------
    count, seed
        How many, and what the samples follow from: the same seed gives the same boards.

    Returns
    -------
    tuple
        A row for each sample with what the probes read, and how many did not settle (their rows are not numbers).
    """
    rng = random.Random(seed)
    base = solve(design, setting)
    rows, unsettled = [], 0
    for _ in range(count):
        deltas = {name: rng.uniform(-share, share) for name, share in base.build.varied.items()}
        solved = solve(design, setting, start=base, deltas=deltas, plain=True)
        unsettled += not solved.settled
        rows.append([p.of_reading(solved) if solved.settled else np.nan for p in probes])
    return np.array(rows), unsettled
