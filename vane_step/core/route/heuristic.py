"""What a search knows of the way ahead, and what of that is kept for the next; kernels are in ``goal_distances``."""

from __future__ import annotations

from typing import Any

import numpy as np

from vane_step.core.route.blocks import BLOCK, UNKNOWN, mark_own
from vane_step.core.route.goal_distances import goal_distances, look_back
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.problem import NetJob

# How far from its pads a net's necks are minded block by block; farther off they are as wide as others see them.
NECK_MM = 1.2


class Heuristic:
    """Looks back from goals; costs of blocks are kept until what is held there changes, or its price does."""

    def __init__(self, occupancy: Occupancy) -> None:
        self.occupancy = occupancy
        lat = occupancy.problem.lattice
        blocks = len(occupancy.touched)
        self.back = np.zeros(2 * lat.plane * len(lat.layers), dtype=np.int32)
        self.left = self.back.view(np.float32)
        self.near = np.zeros(4, dtype=np.int64)
        self.ahead, self.costs = np.zeros(blocks, dtype=np.float32), np.zeros(3 * blocks, dtype=np.float32)
        self.known, self.fought = np.zeros(blocks, dtype=np.uint8), np.zeros(blocks, dtype=np.uint8)
        self.seeds = np.zeros(1 + blocks, dtype=np.int64)
        self.price = np.zeros(BLOCK * BLOCK, dtype=np.float32)
        self.kept: dict[tuple[int, int], tuple[np.ndarray, np.ndarray]] = {}
        self.own = np.zeros(blocks // len(lat.layers), dtype=np.int32)
        self.own_cost, self.own_stamp = (
            np.zeros(3 * blocks, dtype=np.float32),
            np.zeros(blocks, dtype=np.int32),
        )
        self.own_tag = 0
        self.prices: tuple[float, bool] | None = None
        self.begun: tuple[object, int] = (None, -1)
        self.since = 0

    def forget(self) -> None:
        """Take notice that no place has a history any more."""
        self.fought[:] = 0
        self.prices = None

    def begin(self, job: NetJob, tag: int, pressure: float, hard: bool) -> None:
        """Begin with a net, by a number not used before: its necks are its own, and prices may have changed."""
        if self.prices != (pressure, hard):
            self.prices = pressure, hard
            self.since = self.occupancy.tick()
        if self.begun[0] is job.windows and self.begun[1] == self.occupancy.clock:
            # The same net once more, with the same terminals, and nothing changed meanwhile.
            return
        self.begun = job.windows, self.occupancy.clock
        self.own_tag = tag
        windows = np.array(job.windows if job.neck != job.full else (), dtype=np.int64).reshape(-1, 4)
        grow = int(min(NECK_MM, job.neck_reach_mm) / self.occupancy.problem.lattice.pitch) + 1
        mark_own(self.own, tag, windows, grow, self.occupancy.bw, self.occupancy.bh)

    def look(
        self,
        job: NetJob,
        who: tuple[Any, ...],
        numbers: np.ndarray,
        via_barred: np.ndarray,
        goals: np.ndarray,
        sources: np.ndarray,
        start: np.ndarray,
        via_cost: float,
        leap: int,
        within: np.ndarray,
        most: float,
        settle: int,
        tag: int,
        queue: tuple[np.ndarray, ...],
    ) -> tuple[Any, ...] | None:
        """Find out what it costs to get to a goal; see ``look_back`` and ``goal_distances``.

        Returns
        -------
        tuple or None
            What :func:`search` wants to know of it; None when the goal is shut in for good, and no source with it.
        """
        c, p = self.occupancy, self.occupancy.problem
        held = c.held_by(job)
        self.ahead[:] = UNKNOWN
        self.known[:] = 0
        rim = look_back(
            self.back,
            self.left,
            c.grid,
            held,
            who,
            via_barred,
            numbers,
            goals,
            via_cost,
            within,
            settle,
            tag,
            float(min(leap or most, most)),
            self.near,
            self.ahead,
            self.seeds,
            queue,
        )
        if rim < 0 and not leap and not (self.back[2 * sources] == 2 * tag + 1).any():
            return None
        if (kind := (job.full, job.via)) not in self.kept:
            self.kept[kind] = np.zeros(3 * len(c.touched), dtype=np.float32), np.full(len(c.touched), -1)
        rest = goal_distances(
            c.grid,
            held,
            who,
            p.via_barred,
            self.fought,
            numbers,
            sources,
            start,
            via_cost,
            within,
            most,
            max(0.0, rim),
            self.ahead,
            self.seeds,
            self.known,
            self.costs,
            (*self.kept[kind], c.touched, self.since, c.clock),
            (self.own, self.own_tag, self.own_cost, self.own_stamp),
            self.price,
            queue,
        )
        return self.back, self.left, 2 * tag + 1, self.near, self.ahead, rest, start

    def nothing(self, start: np.ndarray) -> tuple[Any, ...]:
        """Give what :func:`search` wants to know when nothing was found out."""
        return self.back, self.left, 0, self.near, self.ahead, 0.0, start
