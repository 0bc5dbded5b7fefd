"""How voltages and currents go on in time: steps as long as their error allows, and events found where they happen.

Each step is half a trapezoidal step and half one of the second backward difference, with one matrix for both (Bank,
Coughran, Fichtner, Grosse, Rose, Smith 1985): of second order, and it damps what is stiff. The error is judged by the
charges and fluxes that are stored. After a start from nothing and after every event a short backward Euler step makes
all consistent.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from vane_step.core.errors import InputError
from vane_step.core.solve.circuit import Circuit
from vane_step.core.solve.devices import Array
from vane_step.core.solve.operating import OperatingPoint
from vane_step.core.solve.system import System

GAMMA: Final = 2 - np.sqrt(2)
HALF: Final = GAMMA / 2
ERROR: Final = abs(-3 * GAMMA**2 + 4 * GAMMA - 2) / (12 * (2 - GAMMA))
MOST_STEPS: Final = 400_000


@dataclass(frozen=True)
class Wave:
    """Unknowns over time: rows of ``x`` belong to ``seconds``; ``rate`` is how fast they change."""

    seconds: Array
    x: Array
    rate: Array
    events: tuple[float, ...]
    steps: int
    refused: int


@dataclass
class _State:
    x: Array
    last: list[Array]
    f: Array


def wave(
    circuit: Circuit,
    until_s: float,
    start: OperatingPoint | None,
    *,
    breaks: Sequence[float] = (),
    tolerance: float = 2e-5,
    longest_s: float | None = None,
    system: System | None = None,
    most_steps: int = MOST_STEPS,
) -> Wave:
    """Follow a circuit through time.

    Parameters
    ----------
    circuit
        With sources that may follow time, and latches that may change.
    until_s
        How long.
    start
        The operating point it begins at; from nothing, all capacitors empty, without one.
    breaks
        Times at which sources jump or turn; steps end there.
    tolerance
        Error of a step as a share of the largest charge or flux of its kind so far.

    most_steps
        After how many steps it is given up.

    Raises
    ------
    InputError
        When steps become so short or so many that the time would not be reached, with the time it came to.
    """
    run = _Run(circuit, system or System(circuit), until_s, tolerance, longest_s, most_steps)
    return run.go(start, sorted({b for b in breaks if 0 < b < until_s} | {until_s}))


class _Run:
    def __init__(
        self,
        circuit: Circuit,
        system: System,
        until_s: float,
        tolerance: float,
        longest_s: float | None,
        most_steps: int,
    ) -> None:
        self.circuit, self.system, self.until = circuit, system, until_s
        self.tolerance, self.most_steps = tolerance, most_steps
        self.longest = min(longest_s or until_s / 50, until_s / 20)
        self.shortest = until_s * 1e-12
        self.q = system.storing_full if system.dense else system.storing
        self.stores = system.stores
        self.most = np.zeros(system.size)
        self.kept: list[tuple[float, Array, Array]] = []
        self.events: list[float] = []
        self.steps = self.refused = 0
        self.leak = np.zeros(system.size)
        self.leak[1 : system.nodes] = 1e-13

    def go(self, start: OperatingPoint | None, stops: list[float]) -> Wave:
        """Step from zero to the end, past each stop."""
        x, last = self.system.begin()
        if start is not None:
            x, last = start.x.copy(), start.last
        state = _State(x, last, np.zeros_like(x))
        t, h = 0.0, self.longest * 1e-3
        fresh = True
        if start is not None:
            self.keep(0.0, x, np.zeros_like(x))
        while t < self.until * (1 - 1e-12):
            stop = next(s for s in stops if s > t * (1 + 1e-12))
            if fresh:
                state, t = self.settle(state, t, stop)
                fresh, h = False, min(h, self.longest * 1e-3)
                continue
            h = min(h, self.longest)
            # Neither beyond the next stop nor so near before it that a sliver would be left.
            whole = stop - t
            h = whole if h > 0.9 * whole else min(h, 0.5 * whole) if 2 * h > whole else h
            tried = self.step(state, t, h)
            if tried is None:
                h = self.shorter(t, h, 0.25)
                continue
            nxt, error, rate = tried
            if error > 1.0:
                h = self.shorter(t, h, max(0.2, 0.9 * error ** (-1 / 3)))
                continue
            changes = self.system.latch_changes(nxt.x)
            if changes and h > max(1e-7 * self.until, 4e-12):
                # Come nearer to the event before it is let happen.
                h = self.shorter(t, h, 0.5)
                continue
            t, state = t + h, nxt
            self.keep(t, state.x, rate)
            if self.steps > self.most_steps:
                raise InputError(
                    f"The wave form has {self.steps} steps at {t:.3g} s of {self.until:.3g} s.",
                    where="wave",
                    value=self.steps,
                    allowed=f"up to {self.most_steps} steps",
                    next_step=f"Ask for {t:.2g} s or less.",
                )
            if changes:
                self.events.append(t)
                for latch, value in changes:
                    latch.value = value
                fresh = True
            elif abs(t - stop) <= 1e-12 * self.until and stop < self.until:
                fresh = True
            h *= min(4.0, 0.9 * max(error, 1e-6) ** (-1 / 3))
        return Wave(
            np.array([k[0] for k in self.kept]),
            np.array([k[1] for k in self.kept]),
            np.array([k[2] for k in self.kept]),
            tuple(self.events),
            self.steps,
            self.refused,
        )

    def shorter(self, t: float, h: float, by: float) -> float:
        """Give a shorter step; refuse where none is short enough."""
        self.refused += 1
        if h * by < self.shortest or self.refused + self.steps > 2 * self.most_steps:
            raise InputError(
                f"The wave form stops at {t:.3g} s: steps of {h:.2g} s are still too long.",
                where="wave",
                value=h,
                allowed=f"at least {self.shortest:.2g} s",
                next_step="Ask for a shorter time, or look at the operating point first.",
            )
        return h * by

    def keep(self, t: float, x: Array, rate: Array) -> None:
        """Keep what was found at a time."""
        self.kept.append((t, x, rate))
        self.steps += 1
        self.most = np.maximum(self.most, np.abs(self.q @ x))

    def settle(self, state: _State, t: float, stop: float) -> tuple[_State, float]:
        """Take one very short backward step: what jumps has jumped after it."""
        h = min(self.until * 1e-9, (stop - t) * 1e-3)
        found = self.implicit(state.x, state.last, self.q @ state.x, h, t + h)
        if found is None:
            found = self.implicit(state.x, state.last, self.q @ state.x, h * 1e-3, t + h)
        if found is None:
            self.shorter(t, self.shortest, 0.5)
            raise AssertionError
        self.keep(t + h, found.x, np.zeros_like(found.x) if not self.kept else (found.x - state.x) / h)
        return found, t + h

    def implicit(
        self, x: Array, last: list[Array], stored: Array, weight: float, time_s: float
    ) -> _State | None:
        """Solve ``Q x + weight·F(x) = stored`` by Newton's method."""
        x = x.copy()
        system = self.system
        # In very short steps the rounding of what is stored is all that still moves.
        noise = 1e-15 * float(np.abs(stored).max(initial=0.0)) / weight
        for k in range(25):
            loaded = system.load(x, last, time_s=time_s)
            f = loaded.residual + self.leak * x
            residual = f + (self.q @ x - stored) / weight
            step = system.step(system.jacobian(loaded, storing=1 / weight, diagonal=self.leak), residual)
            if step is None:
                return None
            x, last = x + step, loaded.last
            size = np.abs(step)
            volts = size[1 : system.nodes].max(initial=0.0)
            amps = size[system.nodes :].max(initial=0.0)
            most = np.abs(x[system.nodes :]).max(initial=0.0)
            if k and not loaded.held and volts < 1e-7 + noise and amps < 1e-9 + 1e-7 * most:
                end = system.load(x, last, time_s=time_s)
                return _State(x, end.last, end.residual + self.leak * x)
        return None

    def step(self, state: _State, t: float, h: float) -> tuple[_State, float, Array] | None:
        """Take one step; gives the state, its error against what is allowed, and the rate of change."""
        stored = self.q @ state.x
        before = np.where(self.stores, state.f, 0.0)
        middle = self.implicit(state.x, state.last, stored - HALF * h * before, HALF * h, t + GAMMA * h)
        if middle is None:
            return None
        mixed = (self.q @ middle.x - (1 - GAMMA) ** 2 * stored) / (GAMMA * (2 - GAMMA))
        end = self.implicit(middle.x, middle.last, mixed, HALF * h, t + h)
        if end is None:
            return None
        f0, f1, f2 = before, np.where(self.stores, middle.f, 0.0), np.where(self.stores, end.f, 0.0)
        error = 2 * ERROR * h * np.abs(f0 / GAMMA - f1 / (GAMMA * (1 - GAMMA)) + f2 / (1 - GAMMA))
        kinds = (slice(1, self.system.nodes), slice(self.system.nodes, None))
        worst = 0.0
        for kind in kinds:
            scale = self.most[kind].max(initial=0.0)
            worst = max(worst, float(error[kind].max(initial=0.0)) / (self.tolerance * scale + 1e-18))
        return end, worst, (end.x - middle.x) / ((1 - GAMMA) * h)
