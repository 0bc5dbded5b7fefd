"""Curves laid out for drawing: a panel for each unit over a common axis, ticks at round values; in units of a drawing,
y down."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from vane_step.core.network.sweeps import Curve
from vane_step.core.quantity import format_value

LEFT, RIGHT, TOP, BELOW, GAP = 74.0, 30.0, 10.0, 34.0, 16.0
WIDTH, PANEL_H = 760.0, 190.0
# Ticks on an axis, about, and points a cursor can stand on at most.
TICKS, MOST_STOPS = 5, 600
# A curve that moves less than this share of its value is drawn as flat.
FLAT: Final = 1e-6
# Units that take no prefix.
PLAIN: Final = ("°C", "%", "dB", "°")


@dataclass(frozen=True)
class Tick:
    """A mark on an axis: where, and what it stands for."""

    at: float
    label: str


@dataclass(frozen=True)
class Trace:
    """A curve of a panel: its name, its line, its colour's number."""

    label: str
    path: str
    number: int


@dataclass(frozen=True)
class Panel:
    """What has one unit, over the common axis."""

    unit: str
    top: float
    height: float
    ticks: tuple[Tick, ...]
    traces: tuple[Trace, ...]


@dataclass(frozen=True)
class Plot:
    """A drawing of curves.

    Parameters
    ----------
    left, right
        Where the common axis begins and ends.
    ticks
        Of the common axis.
    stops
        Where a cursor can stand: its place, the value of the axis, the value of each curve, as they are read.
    """

    title: str
    width: float
    height: float
    left: float
    right: float
    panels: tuple[Panel, ...]
    ticks: tuple[Tick, ...]
    stops: tuple[tuple[float, str, tuple[str, ...]], ...]
    labels: tuple[str, ...]


def round_step(span: float, count: int = TICKS) -> float:
    """Give a step of 1, 2 or 5 of a power of ten that divides a span into about so many parts."""
    raw = span / count
    power = 10.0 ** math.floor(math.log10(raw))
    return next(k * power for k in (1.0, 2.0, 5.0, 10.0) if k * power >= raw * (1 - 1e-9))


def ticks_of(low: float, high: float) -> list[float]:
    """Give round values from one end of an axis to the other."""
    if high <= low:
        return [low]
    step = round_step(high - low)
    first = math.ceil(low / step - 1e-9)
    return [k * step for k in range(first, math.floor(high / step + 1e-9) + 1)]


def span_of(values: np.ndarray) -> tuple[float, float]:
    """Give the ends of an axis that shows all of some values, round ones where they move."""
    known = values[np.isfinite(values)]
    if not len(known):
        return 0.0, 1.0
    low, high = float(known.min()), float(known.max())
    if high - low <= FLAT * max(abs(low), abs(high), 1e-12):
        room = max(abs(high) * 0.1, 1e-9)
        return low - room, high + room
    # Near zero an axis begins there, and what is but a trace beyond it is not shown.
    low = 0.0 if -0.01 * high < low < 0.3 * high else low
    high = 0.0 if 0.3 * low < high < -0.01 * low else high
    step = round_step(high - low)
    return math.floor(low / step + 1e-9) * step, math.ceil(high / step - 1e-9) * step


def plot_of(curve: Curve, log: bool = False) -> Plot:
    """Lay a curve out: a panel for each unit, in the order in which they come."""
    units = list(dict.fromkeys(curve.units))
    x = np.log10(curve.x) if log else np.asarray(curve.x, dtype=float)
    low, high = float(x.min()), float(x.max())
    low = 0.0 if not log and 0 < low < 0.01 * high else low
    wide, span = WIDTH - LEFT - RIGHT, high - low or 1.0
    at = LEFT + (x - low) / span * wide
    panels = [_panel(curve, unit, TOP + row * (PANEL_H + GAP), at) for row, unit in enumerate(units)]
    marks = [float(k) for k in range(math.ceil(low), math.floor(high) + 1)] if log else ticks_of(low, high)
    below = [
        Tick(
            LEFT + (v - low) / span * wide,
            format_value(10**v, curve.unit) if log else _said(v, curve.unit, span),
        )
        for v in marks
    ]
    return Plot(
        curve.title,
        WIDTH,
        TOP + len(units) * (PANEL_H + GAP) - GAP + BELOW,
        LEFT,
        WIDTH - RIGHT,
        tuple(panels),
        tuple(below),
        _stops(curve, at),
        tuple(curve.labels),
    )


def _panel(curve: Curve, unit: str, top: float, at: np.ndarray) -> Panel:
    mine = [k for k, u in enumerate(curve.units) if u == unit]
    bottom, upper = span_of(curve.y[:, mine])

    def heights(values: np.ndarray) -> np.ndarray:
        found: np.ndarray = top + PANEL_H - (values - bottom) / (upper - bottom) * PANEL_H
        return found

    traces = [Trace(curve.labels[k], _path(at, heights(curve.y[:, k])), k % 6) for k in mine]
    values = ticks_of(bottom, upper)
    places = heights(np.array(values)).tolist()
    ticks = [Tick(y, _said(v, unit, upper - bottom)) for v, y in zip(values, places, strict=True)]
    return Panel(unit, top, PANEL_H, tuple(ticks), tuple(traces))


def _said(value: float, unit: str, span: float) -> str:
    """Write a value of an axis with as many digits as tell neighbours apart."""
    if abs(value) < 1e-9 * span:
        return f"0 {unit}".strip()
    digits = max(3, min(7, math.ceil(math.log10(abs(value) / span)) + 2))
    return f"{float(f'{value:.{digits}g}'):g} {unit}" if unit in PLAIN else format_value(value, unit, digits)


def _path(x: np.ndarray, y: np.ndarray) -> str:
    """Write a line; where many points fall on one place across, only its ends, highest and lowest stay."""
    known = np.isfinite(y)
    column = np.round(x * 2).astype(int)
    words: list[str] = []
    pen = "M"
    for first, last in _runs(column):
        here = [k for k in range(first, last) if known[k]]
        if not here:
            pen = "M"
            continue
        kept = {here[0], min(here, key=lambda k: y[k]), max(here, key=lambda k: y[k]), here[-1]}
        for k in sorted(kept):
            words.append(f"{pen}{x[k]:.1f} {y[k]:.1f}")
            pen = "L"
    return "".join(words)


def _runs(column: np.ndarray) -> list[tuple[int, int]]:
    ends = np.flatnonzero(np.diff(column)) + 1
    edges = [0, *ends.tolist(), len(column)]
    return list(itertools.pairwise(edges))


def _stops(curve: Curve, at: np.ndarray) -> tuple[tuple[float, str, tuple[str, ...]], ...]:
    """Give places for a cursor, evenly over the width."""
    count = len(curve.x)
    chosen = np.arange(count)
    if count > MOST_STOPS:
        wanted = np.linspace(at[0], at[-1], MOST_STOPS)
        chosen = np.unique(np.searchsorted(at, wanted).clip(0, count - 1))
    return tuple(
        (
            round(float(at[k]), 1),
            _read(float(curve.x[k]), curve.unit),
            tuple(_read(float(v), u) for v, u in zip(curve.y[k], curve.units, strict=True)),
        )
        for k in chosen.tolist()
    )


def _read(value: float, unit: str) -> str:
    if not math.isfinite(value):
        return "—"
    return f"{value:.4g} {unit}" if unit in PLAIN else format_value(value, unit, 4)
