"""Makes and gives thousands of mutants, sums up what came of them, and keeps the ones that did harm as files."""

from __future__ import annotations

import os
import random
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path

from bench.hostile.mutate import mutant
from bench.hostile.page import Verdict, bring_all
from bench.hostile.seeds import READERS, Brought, seeds
from bench.hostile.terminal import run

_right: list[Brought] = []


def made(seed: int) -> Brought:
    """Give the mutant of a seed: readers by turns, so that each gets as many."""
    if not _right:
        _right.extend(seeds())
    chance = random.Random(seed)
    mine = [s for s in _right if s.reader == READERS[seed % len(READERS)]]
    return mutant(chance, chance.choice(mine), mine)


def at_terminal(seed: int) -> Verdict:
    """Give one mutant to the terminal."""
    return run(made(seed))


def many(count: int, seed: int, keep: Path | None = None) -> int:
    """Try so many mutants, half through the page and half at the terminal; print what came of it.

    Parameters
    ----------
    keep : Path, optional
        Folder for the files that did harm.

    Returns
    -------
    int
        How many passed a limit, or met a fault of the program.
    """
    begun = time.perf_counter()
    # Of each nine seeds, one a reader, whole nines go by turns to page and terminal.
    numbers = range(seed, seed + count)
    to_page = [n for n in numbers if n // len(READERS) % 2 == 0]
    to_terminal = [n for n in numbers if n // len(READERS) % 2]
    harm: list[tuple[int, str, Verdict]] = []
    verdicts, watch = bring_all([partial(made, n) for n in to_page], 3) if to_page else ([], None)
    harm += _told("page", to_page, verdicts)
    if watch:
        most = watch.server >> 20, watch.reader >> 20
        print(f"  memory: server at most {most[0]} MB, a reader at most {most[1]} MB more than it began with")
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        harm += _told("terminal", to_terminal, list(pool.map(at_terminal, to_terminal, chunksize=8)))
    for number, where, verdict in harm[:40]:
        given = made(number)
        print(
            f"  seed {number}, {where}, {given.reader} {[n for n, _ in given.files][:3]}: {verdict.wrong[:240]}"
        )
        if keep:
            (keep / str(number)).mkdir(parents=True, exist_ok=True)
            for name, data in given.files:
                (keep / str(number) / (name.replace("/", "_")[:100] or "x")).write_bytes(data)
    print(f"{count} mutants of files: {len(harm)} did harm; {time.perf_counter() - begun:.0f} s")
    return len(harm)


def _told(where: str, numbers: list[int], verdicts: list[Verdict]) -> list[tuple[int, str, Verdict]]:
    kinds = Counter(v.status for v in verdicts)
    slow = max(verdicts, key=lambda v: v.seconds, default=Verdict(0, 0.0))
    print(
        f"{where}: {len(verdicts)} mutants; answers {dict(sorted(kinds.items()))}; slowest {slow.seconds:.1f} s"
    )
    return [(n, where, v) for n, v in zip(numbers, verdicts, strict=True) if v.wrong]
