"""Which pin of a controller does what: an assignment that proves a demand can be met, by integer programming."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vane_step.core.controllers.demand import Signal
from vane_step.core.controllers.ports import ports
from vane_step.core.design.model import Pin, PinUse
from vane_step.core.errors import InputError

TIME_LIMIT_S = 2.0
UNMET = 1000.0
# A pin given away costs by what else it could have done, so that what is left over is useful; moving a pin costs more.
KEPT_BONUS = 0.5
# On a controller without debug lines a serial port is worth more on the pins its loader uses; less than a move costs.
LOADER_BONUS = 0.4


@dataclass(frozen=True)
class Assignment:
    """A solved assignment.

    Parameters
    ----------
    uses
        One entry for each signal that has a pin, in the order of the demand.
    missing
        Signals that no pin is left for.
    spare
        Pins that could do something and do nothing.
    gap
        How far, relative to the cost, the answer may be from the best one; 0 when it is proved best.
    wired
        Signals that a pin serves already, on a net of another name: a crystal, debug lines or USB.
    """

    uses: tuple[PinUse, ...]
    missing: tuple[Signal, ...]
    spare: tuple[str, ...]
    gap: float
    wired: tuple[tuple[Signal, str], ...] = ()

    @property
    def feasible(self) -> bool:
        """Whether every signal has a pin."""
        return not self.missing


def offers(pin: Pin, wanted: str) -> list[tuple[str, str]]:
    """List how a pin can serve a function: the function as the pin has it, and the peripheral it belongs to.

    ``UART.TX`` is served by ``UART1.TX`` of peripheral ``UART1``; ``GPIO`` by any pin of a port.
    """
    if wanted == "GPIO":
        free = any(f.startswith("INT") for f in pin.functions) and "RESET" not in pin.functions
        return [("GPIO", "")] if free else []
    kind, _, leg = wanted.partition(".")
    found = []
    for have in pin.functions:
        match = re.fullmatch(r"([A-Z][A-Z0-9]*?)(\d*[A-Z]?N?)(?:\.(\w+))?", have)
        if match and (match[3] or "") == leg and _stem(have) == kind:
            found.append((have, have.partition(".")[0] if leg else have))
    return found


def _stem(function: str) -> str:
    """Give the kind of a function: ``PWM1A`` is a ``PWM``, ``I2C0.SDA`` an ``I2C``."""
    head = function.partition(".")[0]
    if head.startswith("I2C"):
        return "I2C"
    return re.sub(r"\d.*$", "", head)


def assign(
    pins: tuple[Pin, ...],
    signals: tuple[Signal, ...],
    locked: tuple[PinUse, ...] = (),
    cost: Mapping[tuple[str, str], float] | None = None,
    now: Mapping[str, str] | None = None,
    time_limit_s: float = TIME_LIMIT_S,
) -> Assignment:
    """Assign pins to signals so that as many as possible are met, at least cost.

    Parameters
    ----------
    pins : tuple of Pin
        The controller's pins with their functions.
    signals : tuple of Signal
        What is wanted; the signals of one group share one peripheral.
    locked : tuple of PinUse
        Uses that must stay as they are.
    cost : mapping, optional
        Cost of a signal on a pin, by (signal name, pin number), such as crossings on the board.
    now : mapping, optional
        Present pin of a signal; staying there is preferred to moving at equal cost.

    Raises
    ------
    InputError
        When a lock names a pin or a function that cannot be.

    Notes
    -----
    Binary x[s, p, f] is 1 when signal s takes function f of pin p; binary y[g, i] when group g uses peripheral i.
    Each signal: sum x + slack = 1, slack at cost ``UNMET``. Each pin, and each function that exists once however
    many pins it reaches: sum x <= 1. Each peripheral: sum of y <= 1. Signals follow their group: the x of signal s
    at peripheral i equals y[g, i] less its slack. Solved by branch and cut (HiGHS, through scipy).
    """
    by_name = {s.name: s for s in signals}
    ways = ports(pins)
    loader = {p.number for w in ways for p in w.pins} if all(w.name != "DBG" for w in ways) else set()
    held = {u.demand: u for u in locked if u.demand in by_name}
    columns: list[tuple[str, str, str, str]] = []
    price: list[float] = []
    for s in signals:
        lock = held.get(s.name)
        mine = 0
        for pin in pins:
            if (lock and pin.number != lock.pin) or (s.tolerant and "5VT" not in pin.functions):
                continue
            for function, unit in offers(pin, s.function):
                if lock and function != lock.function:
                    continue
                columns.append((s.name, pin.number, function, unit))
                price.append(
                    _worth(pin, s, pin.number in loader)
                    + (cost or {}).get((s.name, pin.number), 0.0)
                    + (0.0 if (now or {}).get(s.name, pin.number) == pin.number else KEPT_BONUS)
                )
                mine += 1
        if lock and not mine:
            raise InputError(
                f"Pin {lock.pin} cannot do {lock.function} for {s.name}.",
                where=lock.pin,
                value=lock.function,
                next_step="Let this pin go.",
            )
    return _solve(pins, signals, columns, price, time_limit_s)


def _worth(pin: Pin, signal: Signal, of_loader: bool) -> float:
    """Price giving a pin to a signal: by what else it could do, and by what it does while the controller starts."""
    useful = sum(1 for f in pin.functions if not f.startswith(("INT", "5VT")))
    # Pins that are not left alone while the controller starts are given away last.
    busy = sum(1 for state in (pin.reset, pin.loader) if state not in ("", "open"))
    wanted = 0.3 + LOADER_BONUS if of_loader and signal.function.startswith("UART.") else 0.0
    return 0.1 * useful + 0.3 * busy - wanted


class _Rows:
    """The constraints of an assignment, a row each: what columns and slacks add up to, at least and at most."""

    def __init__(self, signals: tuple[Signal, ...], columns: list[tuple[str, str, str, str]]) -> None:
        self.entries: list[tuple[int, int, float]] = []
        self.low: list[float] = []
        self.high: list[float] = []
        grouped = {s.name: s.group for s in signals if "." in s.function}
        pairs = list(dict.fromkeys((grouped[n], unit) for n, _, _, unit in columns if n in grouped))
        count = len(columns)
        # One slack a signal, for one that is not met.
        self.slack = count + len(pairs)
        by: dict[tuple[str, str], list[tuple[int, float]]] = {}
        for k, (name, pin, function, unit) in enumerate(columns):
            for key in (("signal", name), ("pin", pin), ("function", function), (f"at {name}", unit)):
                by.setdefault(key, []).append((k, 1.0))
        for j, s in enumerate(signals):
            self._row([*by.get(("signal", s.name), []), (self.slack + j, 1.0)], 1, 1)
        for (what, name), terms in by.items():
            if what == "pin" or (what == "function" and name != "GPIO" and len(terms) > 1):
                self._row(terms, 0, 1)
        units: dict[str, list[tuple[int, float]]] = {}
        of_group: dict[str, list[tuple[int, float]]] = {}
        for k, (group, unit) in enumerate(pairs):
            units.setdefault(unit, []).append((count + k, 1.0))
            of_group.setdefault(group, []).append((count + k, 1.0))
            for s in signals:
                if s.group == group and s.name in grouped:
                    self._row([*by.get((f"at {s.name}", unit), []), (count + k, -1.0)], -1, 0)
        for terms in (*units.values(), *of_group.values()):
            self._row(terms, 0, 1)

    def _row(self, terms: list[tuple[int, float]], low: float, high: float) -> None:
        self.entries.extend((len(self.low), column, factor) for column, factor in terms)
        self.low.append(low)
        self.high.append(high)


def _solve(
    pins: tuple[Pin, ...],
    signals: tuple[Signal, ...],
    columns: list[tuple[str, str, str, str]],
    price: list[float],
    time_limit_s: float,
) -> Assignment:
    # Imported here: the solver takes a fifth of a second to load, and most starts never solve anything.
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import coo_array

    rows = _Rows(signals, columns)
    count, total = len(columns), rows.slack + len(signals)
    costs = np.zeros(total)
    costs[:count] = price
    costs[rows.slack :] = UNMET
    at, cols, values = zip(*rows.entries, strict=True) if rows.entries else ((), (), ())
    matrix = coo_array((values, (at, cols)), shape=(len(rows.low), total)).tocsr()
    result = milp(
        costs,
        constraints=LinearConstraint(matrix, rows.low, rows.high),
        integrality=np.ones(total),
        bounds=Bounds(0, 1),
        options={"time_limit": time_limit_s, "mip_rel_gap": 1e-6},
    )
    if result.x is None:
        raise InputError(
            "No assignment was found in time.",
            where="pins",
            value=f"{time_limit_s:g} s",
            next_step="Ask for fewer signals, or lock some pins.",
        )
    taken = {columns[k][0]: columns[k] for k in np.flatnonzero(result.x[:count] > 0.5)}
    gap = float(result.mip_gap) if result.mip_gap is not None else 0.0
    return _answer(pins, signals, taken, gap)


def _answer(
    pins: tuple[Pin, ...],
    signals: tuple[Signal, ...],
    taken: Mapping[str, tuple[str, str, str, str]],
    gap: float,
) -> Assignment:
    """Say which pin each signal took, what is missing and what is spare."""
    uses = tuple(
        PinUse(pin=taken[s.name][1], demand=s.name, function=taken[s.name][2])
        for s in signals
        if s.name in taken
    )
    missing = tuple(s for s in signals if s.name not in taken)
    busy = {u.pin for u in uses}
    spare = tuple(
        p.number for p in pins if p.role in ("io", "input") and p.functions and p.number not in busy
    )
    return Assignment(uses, missing, spare, gap)


def verify(pins: tuple[Pin, ...], signals: tuple[Signal, ...], uses: tuple[PinUse, ...]) -> list[str]:
    """Check an assignment by itself, without the solver: list what is wrong with it."""
    known = {p.number: p for p in pins}
    wanted = {s.name: s for s in signals}
    wrong = []
    for field in ("pin", "demand"):
        names = [getattr(u, field) for u in uses]
        wrong += [f"{field} {n} is used twice" for n in sorted({n for n in names if names.count(n) > 1})]
    single = [u.function for u in uses if u.function != "GPIO"]
    wrong += [f"{f} is used twice" for f in sorted({f for f in single if single.count(f) > 1})]
    unit_of: dict[str, str] = {}
    group_of: dict[str, str] = {}
    for use in uses:
        signal, pin = wanted.get(use.demand), known.get(use.pin)
        if signal is None or pin is None:
            wrong.append(f"{use.demand} on pin {use.pin} is not known")
            continue
        if use.function not in [f for f, _ in offers(pin, signal.function)]:
            wrong.append(f"pin {use.pin} has no {use.function} for {signal.function}")
        if signal.tolerant and "5VT" not in pin.functions:
            wrong.append(f"pin {use.pin} does not bear 5 V for {use.demand}")
        if "." in signal.function:
            unit = use.function.partition(".")[0]
            if unit_of.setdefault(signal.group, unit) != unit:
                wrong.append(f"{signal.group} is spread over {unit_of[signal.group]} and {unit}")
            if group_of.setdefault(unit, signal.group) != signal.group:
                wrong.append(f"{unit} serves {group_of[unit]} and {signal.group}")
    return wrong
