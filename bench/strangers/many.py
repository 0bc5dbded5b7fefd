"""Tries many designs nobody prepared, over all cores, and prints the smallest failing case of each kind as sentences."""

from __future__ import annotations

import os
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context

from bench.strangers.trial import kind_of, smallest, stranger


@dataclass(frozen=True)
class Outcome:
    """What came of one trial, to be sent from one process to another."""

    seed: int
    whole: bool
    faults: list[str]
    said: list[str]
    state: str
    taken: int
    refused: int
    slowest: tuple[float, str]


def attempt(seed: int, whole: bool) -> Outcome:
    """Try one design."""
    trial = stranger(seed, whole)
    return Outcome(
        seed,
        whole,
        trial.faults,
        trial.said,
        trial.state,
        trial.taken.total(),
        trial.refused.total(),
        trial.slowest,
    )


def many(count: int, seed: int, whole: bool) -> list[Outcome]:
    """Try so many designs, counted from a seed; prints what was found, and gives the outcomes."""
    begun = time.perf_counter()
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        found = list(pool.map(attempt, range(seed, seed + count), [whole] * count, chunksize=4))
    states = Counter(o.state for o in found)
    taken, refused = sum(o.taken for o in found), sum(o.refused for o in found)
    slow = max(found, key=lambda o: o.slowest[0])
    kind = "whole" if whole else "without routing"
    print(
        f"{count} strangers' designs {kind}: {sum(1 for o in found if o.faults)} failing; {taken} sentences taken, {refused} refused; "
        f"{dict(states)}; slowest answer {slow.slowest[0]:.2f} s ({slow.slowest[1][:40]}, seed {slow.seed}); "
        f"{time.perf_counter() - begun:.0f} s"
    )
    for outcome in (o for o in found if o.faults):
        print(f"  seed {outcome.seed}: {outcome.faults[0]}", flush=True)
    told: set[str] = set()
    for outcome in (o for o in found if o.faults):
        if kind_of(outcome.faults[0]) in told:
            continue
        told.add(kind_of(outcome.faults[0]))
        print(f"\n{outcome.faults[0]} (seed {outcome.seed}); the smallest case:")
        for text in smallest(stranger(outcome.seed, whole), whole):
            print(f"  {text}")
    return found
