"""What every measurement shares: the run that collects rows, the time some work takes, the boards it works on."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from vane_step.core.design.model import Design
from vane_step.core.exchange import FILES, read_exchange
from vane_step.core.memo import forget

ROOT = Path(__file__).parent.parent
BOARDS = ROOT / "tests" / "boards"


class Run:
    """Collects rows of what was measured, the budget it is held against and the baseline."""

    def __init__(self, leeway: float = 1.0) -> None:
        self.rows: list[dict[str, Any]] = []
        # A time may pass its budget by this factor before it fails a run; a count or a distance never may.
        self.leeway = leeway

    def row(
        self, what: str, reading: float, unit: str, limit: float | None, baseline: str, more: str = ""
    ) -> None:
        """Add a row and print it; a reading above its limit is missed."""
        missed = limit is not None and reading > limit * (self.leeway if unit in ("s", "ms") else 1.0)
        self.rows.append(
            {
                "what": what,
                "reading": reading,
                "unit": unit,
                "limit": limit,
                "baseline": baseline,
                "more": more,
                "missed": missed,
            }
        )
        bound = "" if limit is None else f"  at most {limit:g} {unit}"
        print(
            f"{'MISSED ' if missed else ''}{what}: {reading:.4g} {unit}{bound}  | baseline {baseline}  | {more}",
            flush=True,
        )


def seconds_of(work: Callable[[], Any], times: int = 5) -> float:
    """Give the median time of some work, every time with nothing kept from before."""
    taken = []
    for _ in range(times):
        forget()
        begun = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begun)
    return statistics.median(taken)


def folder(name: str) -> Design:
    """Import an exchange folder."""
    texts = {
        f: (BOARDS / name / f).read_text(encoding="utf-8") for f in FILES if (BOARDS / name / f).is_file()
    }
    return read_exchange(texts, name)
