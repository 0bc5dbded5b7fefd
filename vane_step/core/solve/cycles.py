"""A step-down or step-up converter followed cycle by cycle, exact between its switchings, where it is linear; which
parts it is made of is not known here.

Between switchings the coil and the capacitors with their series resistances are dx/dt = A x + b, solved by the
eigenvalues of A; the coil running empty and a ripple that reaches its threshold are found by Brent's method.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.optimize import brentq

from vane_step.core.errors import InputError
from vane_step.core.solve.devices import Array

# Times looked at in every interval.
LOOKS: Final = 7
# Of fixed frequency: how much of the mean's error a cycle corrects by duty. Slow enough for any output filter; how the
# real loop is compensated is not known.
TRIM: Final = 0.001
# It has settled when in a cycle the coil's current moves by less of its ripple, and the output of what it is.
STAYS_A, STAYS_V = 1e-4, 1e-5
MOST_CYCLES: Final = 60_000
# Steps towards what repeats itself.
NEWTON: Final = 12
# Shortest time off as a share of the cycle.
LEAST_OFF: Final = 0.05


@dataclass(frozen=True)
class PowerStage:
    """What the power stage is made of; resistances in ohms, all above zero.

    Parameters
    ----------
    source_v, source_ohm
        What feeds it, with what lies before its input capacitors.
    input_caps, output_caps
        Capacitance and series resistance of each.
    upper_ohm
        The switch while it is on.
    lower_v, lower_ohm
        What conducts while it is off: a diode's voltage, or zero and a switch's resistance.
    blocks
        Whether the current in the coil may not turn round (a diode).
    on_s
        The time on where it is constant; the frequency is fixed where it is none.
    limit_a
        At this current in the coil the switch opens.
    boosts
        Whether the coil lies at the input and what conducts while the switch is off leads to the output.
    """

    source_v: float
    source_ohm: float
    input_caps: tuple[tuple[float, float], ...]
    upper_ohm: float
    lower_v: float
    lower_ohm: float
    blocks: bool
    coil_h: float
    coil_ohm: float
    output_caps: tuple[tuple[float, float], ...]
    load_ohm: float
    set_v: float
    hertz: float
    on_s: float | None = None
    limit_a: float = np.inf
    boosts: bool = False


@dataclass(frozen=True, eq=False)
class Cycles:
    """What happened: at each time the current of the coil, the voltages of output, input and switching node."""

    seconds: Array
    coil_a: Array
    out_v: Array
    in_v: Array
    switch_v: Array
    input_cap_a: Array
    output_cap_a: Array
    begins: Array
    duty: float

    def last(self, count: int) -> slice:
        """Give the places of the last so many whole cycles."""
        first = self.begins[-min(count + 1, len(self.begins))]
        return slice(int(first), int(self.begins[-1]) + 1)


class _Stage:
    """One way the power stage conducts, as a linear system with its eigenvalues."""

    def __init__(self, rate: Callable[[Array], Array], size: int, empty: bool) -> None:
        self.empty = empty
        first = 1 if empty else 0
        zero = np.zeros(size)
        b = rate(zero)[first:]
        a = np.stack([rate(unit)[first:] - b for unit in np.eye(size)[first:]], axis=1)
        self.first = first
        self.values, self.vectors = np.linalg.eig(a)
        self.inverse = np.linalg.inv(self.vectors)
        self.rest = -np.linalg.solve(a, b)

    def at(self, x: Array, seconds: Array) -> Array:
        """Give the states at some times after a state: times x size."""
        share = self.inverse @ (x[self.first :] - self.rest)
        found = np.zeros((len(seconds), len(x)))
        moved = (np.exp(np.outer(seconds, self.values)) * share) @ self.vectors.T
        found[:, self.first :] = moved.real + self.rest
        return found


class _Run:
    def __init__(self, stage: PowerStage) -> None:
        self.p = stage
        ins, outs = np.array(stage.input_caps), np.array(stage.output_caps)
        self.ci, self.ri = ins[:, 0], ins[:, 1]
        self.co, self.ro = outs[:, 0], outs[:, 1]
        self.n_in = len(ins)
        size = 1 + len(ins) + len(outs)
        self.on = _Stage(lambda x: self.rate(x, "on"), size, False)
        self.off = _Stage(lambda x: self.rate(x, "off"), size, False)
        self.idle = _Stage(lambda x: self.rate(x, "idle"), size, True)

    def input(self, x: Array, drawn: Array) -> Array:
        """Give the voltage at the input, for states in rows."""
        held = 1 / self.p.source_ohm + (1 / self.ri).sum()
        charge = (x[..., 1 : 1 + self.n_in] / self.ri).sum(axis=-1)
        found: Array = (self.p.source_v / self.p.source_ohm + charge - drawn) / held
        return found

    def output(self, x: Array, how: str = "off") -> Array:
        """Give the voltage at the output; a coil at the input feeds it only while the switch is off."""
        held = 1 / self.p.load_ohm + (1 / self.ro).sum()
        fed = 0.0 if self.p.boosts and how == "on" else x[..., 0]
        found: Array = (fed + (x[..., 1 + self.n_in :] / self.ro).sum(axis=-1)) / held
        return found

    def rate(self, x: Array, how: str) -> Array:
        """Give the rate of change of a state."""
        amps = x[0]
        in_v = float(self.input(x, np.array(amps if how == "on" or self.p.boosts else 0.0)))
        out_v = float(self.output(x, how))
        drop = amps * self.p.coil_ohm
        # What the coil sees from its input's side and at its output's.
        high = in_v if how == "on" or self.p.boosts else 0.0
        low = 0.0 if how == "on" and self.p.boosts else out_v
        if how == "on":
            coil = high - amps * self.p.upper_ohm - drop - low
        else:
            coil = high - self.p.lower_v - amps * self.p.lower_ohm - drop - low
        found = np.empty_like(x)
        found[0] = 0.0 if how == "idle" else coil / self.p.coil_h
        found[1 : 1 + self.n_in] = (in_v - x[1 : 1 + self.n_in]) / (self.ri * self.ci)
        found[1 + self.n_in :] = (out_v - x[1 + self.n_in :]) / (self.ro * self.co)
        return found

    def until(
        self, how: _Stage, x: Array, most_s: float, beyond: Callable[[Array], Array] | None
    ) -> tuple[Array, Array, bool]:
        """Go on for a time or until what was below zero is not; gives times, states, and whether it came to that."""
        times = np.linspace(0.0, most_s, LOOKS)
        states = how.at(x, times)
        if beyond is None:
            return times, states, False
        values = beyond(states)
        past = values >= 0
        past[0] = False
        if not past.any():
            return times, states, False
        k = int(np.argmax(past))

        def value(at: float) -> float:
            return float(beyond(how.at(x, np.array([at])))[0])

        if values[k] == 0 or values[k - 1] >= 0:
            end = float(times[k] if values[k] == 0 else times[k - 1])
        else:
            end = float(brentq(value, float(times[k - 1]), float(times[k]), xtol=1e-15, rtol=1e-12))
        times = np.linspace(0.0, end, LOOKS)
        return times, how.at(x, times), True


def follow(stage: PowerStage, seconds: float, begin_a: float, settle_cycles: int = 2500) -> Cycles:
    """Follow a power stage for a time, after it has settled.

    Parameters
    ----------
    stage
        What it is made of.
    seconds
        For how long.
    begin_a
        About the mean current in the coil, to begin at.
    settle_cycles
        Cycles before the beginning at most, which are not told; fewer where the mean stays.

    Raises
    ------
    InputError
        When it would be too many cycles.
    """
    period = 1 / stage.hertz
    if seconds * stage.hertz > MOST_CYCLES:
        raise InputError(
            f"{seconds:g} s are {seconds * stage.hertz:.0f} cycles.",
            where="cycles",
            value=seconds,
            allowed=f"up to {MOST_CYCLES} cycles, {MOST_CYCLES * period:.3g} s",
        )
    run = _Run(stage)
    x = np.concatenate([[begin_a], np.full(len(run.ci), stage.source_v), np.full(len(run.co), stage.set_v)])
    duty = _steady_duty(stage)
    if stage.boosts:
        x[0] = begin_a / (1 - duty)
    if stage.blocks:
        # Where the coil runs empty its triangles bring less time on: their mean is the load's current.
        flux = 2 * stage.coil_h * stage.hertz * stage.set_v / stage.load_ohm
        if stage.boosts:
            empty = (flux * max(stage.set_v + stage.lower_v - stage.source_v, 0.0)) ** 0.5 / stage.source_v
        else:
            room = max(stage.source_v - stage.set_v, 1e-9)
            empty = (flux * (stage.set_v + stage.lower_v) / (room * (stage.source_v + stage.lower_v))) ** 0.5
        if empty < duty:
            duty, x[0] = empty, 0.0
    steady = _steady(run, x, duty, period) if stage.on_s is None else None
    if steady is not None:
        x, duty = steady
    else:
        x, duty = _run_in(run, x, duty, period, settle_cycles)
    told: list[tuple[float, Array, Array, str]] = []
    begins: list[int] = []
    at, count = 0.0, 0
    while at < seconds:
        begins.append(count)
        pieces, x, after, _ = _cycle(run, x, duty, period)
        # What stands still needs no trimming.
        duty = duty if steady is not None else after
        for times, states, how in pieces:
            told.append((at, times, states, how))
            at += float(times[-1])
            count += len(times)
    begins.append(count - 1)
    return _gathered(run, told, begins, duty)


def _run_in(run: _Run, x: Array, duty: float, period: float, most: int) -> tuple[Array, float]:
    """Let a stage run until it stays as it is, its duty trimmed in each cycle."""
    for _ in range(most):
        pieces, after, duty, mean = _cycle(run, x, duty, period)
        # In an oscillation coil and output do not stand still at the same time.
        coil = np.concatenate([states[:, 0] for _, states, _ in pieces])
        stays = abs(after[0] - x[0]) < STAYS_A * (np.ptp(coil) + 1e-9)
        stays = stays and abs(float(run.output(after) - run.output(x))) < STAYS_V * run.p.set_v
        x = after
        if stays and (run.p.on_s is not None or abs(mean - run.p.set_v) < 1e-3 * run.p.set_v):
            break
    return x, duty


def _steady(run: _Run, x: Array, duty: float, period: float) -> tuple[Array, float] | None:
    """Find the state and the duty after which a cycle ends as it began, its mean output what is held (Newton).

    None where that leads nowhere within a few steps: then the stage is let run in.
    """
    set_v = run.p.set_v
    scale = np.concatenate([[set_v / run.p.load_ohm + 1e-6], np.full(len(x) - 1, set_v), [1.0]])

    def off(y: Array) -> Array:
        _, end, _, mean = _cycle(run, y[:-1] * scale[:-1], float(np.clip(y[-1], 0.0, 1 - LEAST_OFF)), period)
        found: Array = np.concatenate([end / scale[:-1] - y[:-1], [(mean - set_v) / set_v]])
        return found

    y = np.concatenate([x, [duty]]) / scale
    here = off(y)
    for _ in range(NEWTON):
        if np.abs(here).max() < 1e-9:
            return y[:-1] * scale[:-1], float(y[-1])
        slopes = np.stack([(off(y + 1e-6 * unit) - here) / 1e-6 for unit in np.eye(len(y))], axis=1)
        try:
            step = np.linalg.solve(slopes, -here)
        except np.linalg.LinAlgError:
            return None
        for share in (1.0, 0.5, 0.25, 0.1, 0.02):
            there = y + share * step
            found = off(there)
            if np.abs(found).max() < np.abs(here).max():
                break
        else:
            return None
        y, here = there, found
    return (y[:-1] * scale[:-1], float(y[-1])) if np.abs(here).max() < 1e-7 else None


def _steady_duty(stage: PowerStage) -> float:
    """Give the share of the cycle the switch is on while current flows all the time, by the means of what it drops."""
    amps = stage.set_v / stage.load_ohm
    duty = 0.5
    if stage.boosts:
        for _ in range(20):
            coil = amps / (1 - duty)
            high = stage.source_v - coil * (stage.source_ohm + stage.coil_ohm + duty * stage.upper_ohm)
            duty = min(0.95, max(0.02, 1 - high / (stage.set_v + stage.lower_v + coil * stage.lower_ohm)))
        return duty
    low = stage.lower_v + amps * stage.lower_ohm
    for _ in range(20):
        high = stage.source_v - amps * (duty * stage.source_ohm + stage.upper_ohm)
        duty = min(0.98, (stage.set_v + amps * stage.coil_ohm + low) / max(high + low, 1e-9))
    return duty


def _cycle(
    run: _Run, x: Array, duty: float, period: float
) -> tuple[list[tuple[Array, Array, str]], Array, float, float]:
    """Follow one cycle; gives its pieces, its end, the next duty, and the mean of the output."""
    p = run.p
    on_s = p.on_s if p.on_s is not None else duty * period
    times, states, _ = run.until(
        run.on, x, on_s, (lambda s: s[:, 0] - p.limit_a) if np.isfinite(p.limit_a) else None
    )
    pieces = [(times, states, "on")]
    x = states[-1].copy()
    spent = float(times[-1])
    if p.on_s is None:
        left = max(period - spent, LEAST_OFF * period)
        pieces += _released(run, x, left)
    else:
        pieces += _released(run, x, LEAST_OFF * period)
        x = pieces[-1][1][-1].copy()
        if run.output(x) > p.set_v:
            pieces += _fallen(run, x, 40 * period)
    x = pieces[-1][1][-1].copy()
    whole = sum(float(t[-1]) for t, _, _ in pieces)
    mean = sum(float(np.trapezoid(run.output(s, how), t)) for t, s, how in pieces) / whole
    if p.on_s is None:
        duty = min(max(duty + TRIM * (p.set_v - mean) / p.source_v, 0.0), 1 - LEAST_OFF)
    return pieces, x, duty, mean


def _released(run: _Run, x: Array, most_s: float) -> list[tuple[Array, Array, str]]:
    """Follow the time off: down the coil's current, and empty from there on where it may not turn round."""
    if run.p.blocks and x[0] <= 0:
        x = np.concatenate([[0.0], x[1:]])
        times = np.linspace(0.0, most_s, LOOKS)
        return [(times, run.idle.at(x, times), "idle")]
    ends = (lambda s: -s[:, 0]) if run.p.blocks else None
    times, states, empty = run.until(run.off, x, most_s, ends)
    found = [(times, states, "off")]
    left = most_s - float(times[-1])
    if empty and left > 1e-12:
        x = states[-1].copy()
        x[0] = 0.0
        more = np.linspace(0.0, left, LOOKS)
        found.append((more, run.idle.at(x, more), "idle"))
    return found


def _fallen(run: _Run, x: Array, most_s: float) -> list[tuple[Array, Array, str]]:
    """Follow the time off until the output has fallen to what is held."""
    found = []
    if x[0] > 0 or not run.p.blocks:

        def ends(s: Array) -> Array:
            low = run.p.set_v - run.output(s)
            found_low: Array = np.maximum(low, -s[:, 0]) if run.p.blocks else low
            return found_low

        # In short steps, so that a threshold between two looks is not passed by.
        span = 2 / run.p.hertz
        for _ in range(20):
            times, states, ended = run.until(run.off, x, span, ends)
            found.append((times, states, "off"))
            x = states[-1].copy()
            if ended:
                break
    if run.p.blocks and run.output(x) > run.p.set_v * (1 + 1e-12):
        x[0] = 0.0
        times, states, _ = run.until(run.idle, x, most_s, lambda s: run.p.set_v - run.output(s))
        found.append((times, states, "idle"))
    return found


def _gathered(
    run: _Run, told: list[tuple[float, Array, Array, str]], begins: list[int], duty: float
) -> Cycles:
    p = run.p
    seconds = np.concatenate([at + times for at, times, _, _ in told])
    states = np.concatenate([s for _, _, s, _ in told])
    how = np.concatenate([np.full(len(t), w) for _, t, _, w in told])
    on, idle = how == "on", how == "idle"
    amps = states[:, 0]
    out_v = np.where(on, run.output(states, "on"), run.output(states))
    drawn = amps if p.boosts else np.where(on, amps, 0.0)
    in_v = run.input(states, drawn)
    if p.boosts:
        off_v = out_v + p.lower_v + amps * p.lower_ohm
        switch = np.where(on, amps * p.upper_ohm, np.where(idle, in_v, off_v))
    else:
        off_v = -p.lower_v - amps * p.lower_ohm
        switch = np.where(on, in_v - amps * p.upper_ohm, np.where(idle, out_v, off_v))
    inner = states[:, 1 : 1 + run.n_in]
    outer = states[:, 1 + run.n_in :]
    input_a = ((in_v[:, None] - inner) / run.ri).sum(axis=1)
    output_a = ((out_v[:, None] - outer) / run.ro).sum(axis=1)
    return Cycles(seconds, amps, out_v, in_v, switch, input_a, output_a, np.array(begins), duty)
