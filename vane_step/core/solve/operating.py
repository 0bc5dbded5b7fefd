"""The operating point of a circuit: all voltages and currents once nothing changes any more, with their certificate.

Newton's method with held-back junction steps; where that does not settle, the circuit is led there: leaks to ground
taken away by and by, laws eased, sources turned up, and last a relaxation in pseudo-time.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import numpy as np
from scipy.sparse.linalg import splu

from vane_step.core.solve.circuit import Circuit
from vane_step.core.solve.devices import Array
from vane_step.core.solve.islands import floating
from vane_step.core.solve.system import System

ROUNDS: Final = 40
TAMED: Final = 25
# A solution is taken when no sum of currents at a node is over this share of the largest current.
RESIDUAL_SHARE: Final = 1e-9
# Under this a sum of currents is rounding.
FLOOR_A: Final = 1e-11
# Ties a floating group to ground; nothing flows in it, and a weak one would drown in rounding beside large currents.
TIE_S: Final = 1.0
# The same where it is asked what holds a node: as good as nothing.
LOOSE_S: Final = 1e-12


@dataclass(frozen=True)
class OperatingPoint:
    """A solution, or the nearest to one that was found.

    Parameters
    ----------
    x
        Voltages of the nodes, ground first, then currents of the branches.
    amps
        Current out of each terminal into the elements on it.
    settled
        Whether it is a solution within :data:`RESIDUAL_SHARE`.
    way
        How it was found: ``direct``, ``eased``, ``leaking``, ``ramped`` or ``relaxed``.
    residual_a, largest_a
        Largest sum of currents at a node that should be zero, and the largest current of an element.
    balance_w
        Power all elements take in less what they give; zero but for rounding.
    moving
        Nodes that still moved most where it did not settle.
    floating
        Groups of nodes without a path to ground.
    """

    x: Array
    last: list[Array]
    amps: Array
    settled: bool
    way: str
    rounds: int
    residual_a: float
    largest_a: float
    balance_w: float
    moving: tuple[int, ...] = ()
    floating: tuple[tuple[int, ...], ...] = ()


@dataclass
class _Walk:
    """A guess on its way to the solution."""

    x: Array
    last: list[Array]
    rounds: int = 0
    moving: tuple[int, ...] = ()
    good: bool = False
    note: dict[str, float] = field(default_factory=dict)


def operating_point(
    circuit: Circuit,
    start: OperatingPoint | None = None,
    system: System | None = None,
    *,
    patient: bool = True,
) -> OperatingPoint:
    """Solve a circuit for direct current.

    Parameters
    ----------
    circuit
        What is solved; values of its latches may change.
    start
        A solution of a circuit of the same form to begin at.
    system
        Its equations where they are there already.
    patient
        Try the long ways, too, where the short ones lead nowhere.

    Returns
    -------
    OperatingPoint
        Never an exception for a circuit that does not settle: ``settled`` is false then, ``moving`` tells where.
    """
    system = system or System(circuit)
    islands = floating(circuit)
    ties = np.zeros(system.size)
    for group in islands:
        ties[group[0]] = TIE_S
    x, last = system.begin()
    if start is not None and len(start.x) == len(x):
        x, last = start.x.copy(), [a.copy() for a in start.last]
    walk, way, seen = _Walk(x, last), "direct", set()
    for _ in range(2 * len(circuit.latches) + 4):
        walk, way = _lead(system, walk, ties, patient)
        changes = system.latch_changes(walk.x) if walk.good else []
        if not changes:
            break
        for latch, value in changes:
            latch.value = value
        state = tuple(latch.value for latch in circuit.latches)
        if state in seen:
            walk.good, walk.moving = (
                False,
                tuple(system.place(r) for latch, _ in changes for r in latch.reads if r >= 0),
            )
            break
        seen.add(state)
    return _told(system, walk, way, islands, ties)


def _told(system: System, walk: _Walk, way: str, islands: list[list[int]], ties: Array) -> OperatingPoint:
    amps, largest = system.terminal_amps(walk.x, walk.last)
    residual = np.bincount(system.node_of, weights=amps, minlength=system.nodes)[1 : system.nodes]
    worst = float(np.abs(residual).max(initial=0.0))
    # Where next to nothing flows, rounding is all there is: some picoamperes are what blocking parts leak.
    good = walk.good and worst <= max(RESIDUAL_SHARE * largest, FLOOR_A)
    balance = float(amps @ walk.x[system.node_of])
    return OperatingPoint(
        walk.x,
        walk.last,
        amps,
        good,
        way,
        walk.rounds,
        worst,
        largest,
        balance,
        () if good else walk.moving,
        tuple(tuple(g) for g in islands),
    )


def _lead(system: System, walk: _Walk, ties: Array, patient: bool) -> tuple[_Walk, str]:
    """Find the solution by the first way that leads there."""
    found = _newton(system, walk, ties)
    if found.good:
        return found, "direct"
    rounds = found.rounds
    ways = (("leaking", _leaking), ("eased", _eased), ("ramped", _ramped), ("relaxed", _relaxed))
    for way, lead in ways if patient else ways[:1]:
        tried = lead(system, ties)
        rounds += tried.rounds
        if tried.good:
            tried.rounds = rounds
            return tried, way
        found = tried
    found.rounds = rounds
    return found, "none"


def _newton(
    system: System,
    walk: _Walk,
    ties: Array,
    *,
    ease: float = 1.0,
    strength: float = 1.0,
    leak: Array | None = None,
    towards: Array | None = None,
    rounds: int = ROUNDS,
) -> _Walk:
    """Iterate at one setting; ``leak`` is added to the diagonal and draws the unknowns ``towards`` what they were."""
    x, last = walk.x.copy(), walk.last
    diagonal = ties if leak is None else ties + leak
    base = np.zeros(system.size) if towards is None else towards
    moving: tuple[int, ...] = ()
    # A steady current may raise any voltage.
    bound = np.inf if system.circuit.currents else 1.2 * system.most_v + 2.0
    for k in range(1, rounds + 1):
        loaded = system.load(x, last, ease, strength)
        residual = loaded.residual + ties * x
        if leak is not None:
            residual = residual + leak * (x - base)
        step = system.step(system.jacobian(loaded, diagonal=diagonal), residual)
        if step is None:
            return _Walk(x, last, k, moving)
        x, last = x + step, loaded.last
        # Hardly anywhere are there more volts than the sources have: wild steps end there, at first.
        if k < TAMED:
            np.clip(x[: system.nodes], -bound, bound, out=x[: system.nodes])
            np.clip(x[system.nodes :], -system.most_a, system.most_a, out=x[system.nodes :])
        # What moves within rounding of its own voltage has settled.
        far = np.abs(step) > 1e-9 + 1e-9 * np.abs(x)
        # Currents of branches count only against the largest.
        far[system.nodes :] = np.abs(step[system.nodes :]) > 1e-12 + 1e-9 * np.abs(x[system.nodes :]).max(
            initial=0.0
        )
        if not far.any() and not loaded.held:
            return _Walk(x, last, k, (), True)
        worst = np.argsort(-np.abs(step[1 : system.nodes]))[:4] + 1
        moving = tuple(int(n) for n in worst if abs(step[n]) > 1e-6)
    return _Walk(x, last, rounds, moving)


def _fresh(system: System) -> _Walk:
    return _Walk(*system.begin())


def _along(system: System, ties: Array, settings: list[dict[str, object]]) -> _Walk:
    """Follow the solution from setting to setting; half-way stops are put in where it is lost."""
    walk, rounds = _fresh(system), 0
    for setting in settings:
        nxt = _newton(system, walk, ties, **setting)  # type: ignore[arg-type]
        rounds += nxt.rounds
        if not nxt.good and setting is settings[-1]:
            nxt.rounds = rounds
            return nxt
        walk = nxt
    walk.rounds = rounds
    return walk


def _eased(system: System, ties: Array) -> _Walk:
    return _along(system, ties, [{"ease": e} for e in (0.02, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 0.9, 1.0)])


def _leak(system: System, siemens: float) -> Array:
    leak = np.zeros(system.size)
    leak[1 : system.nodes] = siemens
    return leak


def _leaking(system: System, ties: Array) -> _Walk:
    steps: list[dict[str, object]] = [{"leak": _leak(system, 10.0**-k)} for k in (4, 6, 8, 10)]
    return _along(system, ties, [*steps, {}])


def _ramped(system: System, ties: Array) -> _Walk:
    return _along(system, ties, [{"strength": s} for s in (0.0, 0.02, 0.05, *np.linspace(0.1, 1.0, 19))])


def _relaxed(system: System, ties: Array) -> _Walk:
    """Let all nodes relax as if each had a capacitance, in steps that grow while they succeed."""
    walk, rounds, hold = _fresh(system), 0, 1.0
    for _ in range(150):
        leak = _leak(system, hold)
        leak[system.nodes :] = 0.0
        nxt = _newton(system, walk, ties, leak=leak, towards=walk.x, rounds=12)
        rounds += nxt.rounds
        if nxt.good:
            walk = nxt
            hold /= 3.0
            if hold < 1e-12:
                break
        else:
            hold *= 8.0
            if hold > 1e9:
                break
    found = _newton(system, walk, ties)
    found.rounds += rounds
    return found


def resistances(system: System, point: OperatingPoint, nodes: list[int]) -> list[float]:
    """Give the resistance between each of some nodes and ground at an operating point, for small changes.

    What nothing holds reads hundreds of megohms and more: only leaks of blocking parts are there.
    """
    if not nodes:
        return []
    ties = np.zeros(system.size)
    ties[1 : system.nodes] = 1e-15
    for group in point.floating:
        ties[group[0]] += TIE_S if group[0] in system.circuit.grounds else LOOSE_S
    matrix = system.jacobian(system.load(point.x, point.last), diagonal=ties)
    unit = np.zeros((system.size - 1, len(nodes)))
    for column, node in enumerate(nodes):
        if node:
            unit[node - 1, column] = 1.0
    try:
        found = np.linalg.solve(matrix, unit) if system.dense else splu(matrix).solve(unit)
    except (np.linalg.LinAlgError, RuntimeError):
        return [0.0] * len(nodes)
    return [abs(float(found[node - 1, column])) if node else 0.0 for column, node in enumerate(nodes)]
