"""The solver against what shares no code with it: pseudo-inverses, matrix exponentials, textbook values, its certificates."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings, strategies as st
from scipy.linalg import expm

from vane_step.core.solve.circuit import Circuit, Latch
from vane_step.core.solve.islands import floating
from vane_step.core.solve.laws import Amplified, Delivery, Intake, Linear, Shunt, SteadyCurrent, SteadyPower
from vane_step.core.solve.operating import OperatingPoint, operating_point, resistances
from vane_step.core.solve.response import response
from vane_step.core.solve.switching_laws import Logic, Selected, Steered, Switched
from vane_step.core.solve.system import System
from vane_step.core.solve.wave import wave


def solved(c: Circuit) -> OperatingPoint:
    """Solve a circuit that must come to rest, and hold it against its certificate."""
    point = operating_point(c)
    assert point.settled, (point.way, point.moving)
    assert point.residual_a <= max(1e-9 * point.largest_a, 1e-12)
    assert abs(point.balance_w) <= 1e-9 * max(point.largest_a * float(np.abs(point.x[: c.nodes]).max()), 1e-6)
    return point


class CheckValues(unittest.TestCase):
    """Values worked out by hand, to a thousandth."""

    def near(self, value: float, wanted: float, share: float = 1e-3) -> None:
        self.assertAlmostEqual(value, wanted, delta=share * abs(wanted))

    def test_passive(self) -> None:
        c = Circuit()
        top, out = c.inner(), c.inner()
        c.source(top, 0, 12.0)
        c.resistor(top, out, 75e3)
        c.resistor(out, 0, 22e3)
        self.near(solved(c).x[c.terminals[out]], 2.7216)
        c = Circuit()
        cell = c.inner()
        c.source(cell, 0, 12.6, 0.15)
        c.governed(cell, 0, (cell, 0), SteadyCurrent(3.0, 1.0))
        self.near(solved(c).x[c.terminals[cell]], 12.15)

    def test_power_from_a_battery(self) -> None:
        """Of two solutions the higher; where there is none, the load is at the low end."""
        for watts, wanted in ((2.0, 8.6049), (15.0, None)):
            c = Circuit()
            cell = c.inner()
            c.source(cell, 0, 9.0, 1.7)
            c.governed(cell, 0, (cell, 0), SteadyPower(watts, 3.0))
            volts = solved(c).x[c.terminals[cell]]
            if wanted is None:
                self.assertLess(volts, 3.0)
            else:
                self.near(volts, wanted)

    def test_junctions(self) -> None:
        c = Circuit()
        top, led = c.inner(), c.inner()
        c.source(top, 0, 5.0)
        c.resistor(top, led, 620.0)
        c.diode(led, 0, 2.0, 0.02, 2.0)
        point = solved(c)
        self.near(point.x[c.terminals[led]], 1.9279)
        self.near(-point.x[c.nodes], 0.0049551)
        c = Circuit()
        a, b, rail = c.inner(), c.inner(), c.inner()
        for end, volts in ((a, 5.0), (b, 4.9)):
            c.source(end, 0, volts)
            c.diode(end, rail, 0.45, 1.0, 1.1)
        c.resistor(rail, 0, 50.0)
        point = solved(c)
        self.near(point.x[c.terminals[rail]], 4.6186)
        self.near(-point.x[c.nodes], 0.089707)
        self.near(-point.x[c.nodes + 1], 0.0026644)

    def test_emitter_stage(self) -> None:
        c = Circuit()
        top, base, collector, emitter = (c.inner() for _ in range(4))
        c.source(top, 0, 12.0)
        for a, b, ohm in ((top, base, 47e3), (base, 0, 10e3), (top, collector, 2200.0), (emitter, 0, 470.0)):
            c.resistor(a, b, ohm)
        c.bipolar(collector, base, emitter, 150.0, 0.65, 3e-3)
        point = solved(c)
        self.near(point.x[c.terminals[collector]], 5.94, 0.02)
        self.near(point.x[c.terminals[emitter]], 1.304, 0.02)

    def test_regulators(self) -> None:
        c = Circuit()
        into, out = c.inner(), c.inner()
        c.source(into, 0, 12.0)
        b = c.governed(out, 0, (out, 0, out, 0, into, 0), Delivery(5.0, 1.0, 1.1))
        c.copy(into, 0, b, -1.0)
        c.current(into, 0, 0.005)
        c.resistor(out, 0, 5 / 0.15)
        point = solved(c)
        self.near(-point.x[c.nodes], 0.155)
        # A floating adjustable regulator.
        c = Circuit()
        into, out, adjust = (c.inner() for _ in range(3))
        c.source(into, 0, 12.0)
        b = c.governed(out, 0, (out, adjust, out, 0, into, 0), Delivery(1.25, 1.5, 2.0))
        c.copy(into, 0, b, -1.0)
        c.current(into, adjust, 50e-6)
        c.resistor(out, adjust, 220.0)
        c.resistor(adjust, 0, 360.0)
        self.near(solved(c).x[c.terminals[out]], 3.3135)

    def test_converter(self) -> None:
        c = Circuit()
        into, out = c.inner(), c.inner()
        c.source(into, 0, 12.6, 0.15)
        b = c.governed(out, 0, (out, 0, out, 0, into, 0), Delivery(5.0, 3.0, share=0.95, starts_v=4.5))
        c.governed(into, 0, (into, 0, out, 0, ~b), Intake(0.88, 0.0005, 4.5))
        c.resistor(out, 0, 5 / 1.5)
        point = solved(c)
        self.near(point.x[c.terminals[into]], 12.498)
        self.near(-point.x[c.nodes], 0.68245)

    def test_timer(self) -> None:
        """An astable timer with ideal switches: 0.693 (Ra + 2 Rb) C, found by its events."""
        c = Circuit()
        top, discharge, ramp = (c.inner() for _ in range(3))
        c.source(top, 0, 5.0)
        c.resistor(top, discharge, 1e3)
        c.resistor(discharge, ramp, 1e4)
        c.capacitor(ramp, 0, 1e-6)
        latch = Latch(
            (ramp, top), lambda r, q: 0.0 if r[0] > r[1] * 2 / 3 else 1.0 if r[0] < r[1] / 3 else q, 1.0
        )
        c.latches.append(latch)
        c.governed(
            discharge,
            0,
            (discharge,),
            lambda r, i, e: (
                i - (1e-9 if latch.value else 1e3) * r[0],
                (-(1e-9 if latch.value else 1e3),),
                1.0,
            ),
        )
        events = wave(c, 0.1, None, tolerance=1e-6).events
        period = events[-1] - events[-3]
        self.near(1 / period, 68.7)
        high = max(events[-1] - events[-2], events[-2] - events[-3]) / period
        self.near(high, 0.52381, 2e-3)

    def test_filter(self) -> None:
        c = Circuit()
        into, out = c.inner(), c.inner()
        source = c.source(into, 0, 0.0)
        c.inductor(into, out, 10e-6, 0.1)
        c.capacitor(out, 0, 10e-6)
        system = System(c)
        gain = response(system, operating_point(c, None, system), source, [250e3])[0, c.terminals[out]]
        self.near(20 * math.log10(abs(gain)), -47.81)

    def test_grid(self) -> None:
        c = Circuit()
        at = [[c.inner() for _ in range(4)] for _ in range(4)]
        for y in range(4):
            for x in range(4):
                if x < 3:
                    c.resistor(at[y][x], at[y][x + 1], 1.0)
                if y < 3:
                    c.resistor(at[y][x], at[y + 1][x], 1.0)
        c.conductor(at[3][3], 0)
        c.current(0, at[0][0], 1.0)
        self.near(solved(c).x[c.terminals[at[0][0]]], 1.8571)


@st.composite
def networks(draw: st.DrawFn) -> list[tuple[int, int, float]]:
    """Draw a connected network of resistors: a chain, and some across."""
    nodes = draw(st.integers(2, 9))
    # Ten million times apart the rounding of a volt, over the least resistance, is as much as the certificate allows.
    ohms = st.floats(1.0, 1e6)
    edges = [(k, k + 1, draw(ohms)) for k in range(nodes - 1)]
    for _ in range(draw(st.integers(0, 8))):
        a, b = draw(st.integers(0, nodes - 1)), draw(st.integers(0, nodes - 1))
        if a != b:
            edges.append((a, b, draw(ohms)))
    return edges


class Networks(unittest.TestCase):
    def made(self, edges: list[tuple[int, int, float]], into: int, out: int) -> tuple[Circuit, list[int]]:
        c = Circuit()
        nodes = max(max(a, b) for a, b, _ in edges) + 1
        at = [0 if k == out else c.inner() for k in range(nodes)]
        for a, b, ohm in edges:
            c.resistor(at[a], at[b], ohm)
        c.current(0, at[into], 1.0)
        return c, at

    @settings(max_examples=60, deadline=None)
    @given(networks(), st.data())
    def test_against_the_pseudo_inverse(
        self, edges: list[tuple[int, int, float]], data: st.DataObject
    ) -> None:
        """Resistance between two nodes is that of the Laplacian; the other way round it is the same; doubled it doubles."""
        nodes = max(max(a, b) for a, b, _ in edges) + 1
        into = data.draw(st.integers(0, nodes - 1))
        out = data.draw(st.integers(0, nodes - 1).filter(lambda k: k != into))
        laplacian = np.zeros((nodes, nodes))
        for a, b, ohm in edges:
            for p, m in ((a, b), (b, a)):
                laplacian[p, p] += 1 / ohm
                laplacian[p, m] -= 1 / ohm
        inverse = np.linalg.pinv(laplacian, rcond=1e-13)
        unit = np.zeros(nodes)
        unit[into], unit[out] = 1.0, -1.0
        wanted = float(unit @ inverse @ unit)
        c, at = self.made(edges, into, out)
        found = float(solved(c).x[c.terminals[at[into]]])
        self.assertAlmostEqual(found, wanted, delta=1e-6 * wanted)
        back, at_back = self.made(edges, out, into)
        self.assertAlmostEqual(float(solved(back).x[back.terminals[at_back[out]]]), found, delta=1e-8 * found)
        double, at_double = self.made([(a, b, 2 * ohm) for a, b, ohm in edges], into, out)
        self.assertAlmostEqual(
            float(solved(double).x[double.terminals[at_double[into]]]), 2 * found, delta=1e-8 * found
        )
        ohm = resistances(System(c), solved(c), [c.terminals[at[into]]])[0]
        self.assertAlmostEqual(ohm, found, delta=1e-4 * found)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 2**32 - 1))
    def test_random_circuits(self, seed: int) -> None:
        """Circuits of diodes, transistors, regulators and amplifiers hold their own certificate."""
        rng = np.random.default_rng(seed)
        c = Circuit()
        top = c.inner()
        c.source(top, 0, float(rng.uniform(3, 24)), float(rng.uniform(0, 1)))
        at = [0, top, *(c.inner() for _ in range(int(rng.integers(2, 7))))]

        def two() -> tuple[int, int]:
            a, b = rng.choice(len(at), 2, replace=False)
            return at[int(a)], at[int(b)]

        for node in at[2:]:
            c.resistor(at[int(rng.integers(0, 2))], node, float(10 ** rng.uniform(1, 5)))
        for _ in range(int(rng.integers(2, 9))):
            kind = int(rng.integers(0, 6))
            a, b = two()
            if kind == 0:
                c.diode(a, b, float(rng.uniform(0.4, 2.0)), 0.02, float(rng.uniform(1.0, 2.0)))
            elif kind == 1:
                c.bipolar(
                    a,
                    b,
                    at[int(rng.integers(0, len(at)))],
                    float(rng.uniform(40, 400)),
                    pnp=bool(rng.integers(2)),
                )
            elif kind == 2:
                c.fet(
                    a,
                    b,
                    at[int(rng.integers(0, len(at)))],
                    float(rng.uniform(0.6, 3)),
                    0.1,
                    5.0,
                    p_channel=bool(rng.integers(2)),
                )
            elif kind == 3:
                c.resistor(a, b, float(10 ** rng.uniform(1, 5)))
            elif kind == 4:
                c.governed(a, b, (a, b), SteadyCurrent(float(10 ** rng.uniform(-4, -2)), 1.0))
            else:
                c.governed(a, 0, (0, b, 0, top, a), Amplified(1e4, 0.0, 0.1, 0.1, 0.001, 0.02))
        point = operating_point(c)
        # An amplifier that drives itself, or two that drive one another, may have no state of rest; that is told.
        self.assertTrue(point.settled or point.moving or point.way == "none", (seed, point.way))
        if point.settled:
            self.assertLessEqual(point.residual_a, max(1e-9 * point.largest_a, 1e-12))
        if not any(hasattr(b, "law") and isinstance(b.law, Amplified) for b in c.branches):
            self.assertTrue(point.settled, (seed, point.way, point.moving))

    def test_floating(self) -> None:
        """What only a capacitor or a gate holds floats, and is told as one group."""
        c = Circuit()
        top, gate, other = (c.inner() for _ in range(3))
        c.source(top, 0, 5.0)
        c.fet(top, gate, 0, 1.0, 0.1, 5.0)
        c.capacitor(gate, top, 1e-9)
        c.resistor(gate, other, 1e3)
        self.assertEqual(floating(c), [[c.terminals[gate], c.terminals[other]]])
        self.assertTrue(operating_point(c).settled)


class Laws(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.integers(0, 2**32 - 1))
    def test_slopes(self, seed: int) -> None:
        """Every law's slopes are what small changes of its reads do."""
        rng = np.random.default_rng(seed)
        laws = (
            (SteadyPower(2.0, 1.0), 2),
            (SteadyCurrent(0.1, 1.0), 2),
            (Delivery(5.0, 1.0, 1.1, 0.95, 0.1, 4.0, 0.01, 0.02), 6),
            (Delivery(5.0, 1.0, 1.1, way=-1.0, enable_v=1.2), 8),
            (Intake(0.88, 0.005, 4.0), 5),
            (Shunt(2.5, 0.1), 4),
            (Linear((1.0, -2.0, 0.5), 3.0), 3),
            (Switched(3.0, 0.1, either_way=True), 4),
            (Logic(8, 2, 25.0), 5),
            (Logic(6, 2, 25.0, open_drain=True), 5),
            (Steered(2.0), 4),
            (Steered(2.0, (True, False), "up"), 6),
            (Steered(2.0, (False,), "down", inverted=True), 5),
            (Selected((True, False, False), 80.0), 7),
        )
        law, count = laws[int(rng.integers(len(laws)))]
        reads, amps = list(rng.uniform(-1, 12, count)), float(rng.uniform(-1, 1))
        ease, h = float(rng.choice([0.6, 1.0])), 1e-6
        _, by_reads, by_amps = law(reads, amps, ease)
        for k in range(count + 1):
            moved = [
                law([r + s * h * (j == k) for j, r in enumerate(reads)], amps + s * h * (k == count), ease)[0]
                for s in (1, -1)
            ]
            slope = (moved[0] - moved[1]) / (2 * h)
            told = by_reads[k] if k < count else by_amps
            # Near a corner, which is a tenth of a millivolt wide, the difference quotient is coarse.
            self.assertLessEqual(
                abs(slope - told), 0.05 * (abs(slope) + abs(told)) + 2e-3, (type(law).__name__, k, reads)
            )


class Waves(unittest.TestCase):
    @settings(max_examples=12, deadline=None)
    @given(st.floats(0.05, 5), st.floats(1e-6, 1e-4), st.floats(1e-7, 1e-5))
    def test_against_the_matrix_exponential(self, ohm: float, henry: float, farad: float) -> None:
        """A step through coil and capacitor goes as the exponential of its matrix says."""
        c = Circuit()
        into, out = c.inner(), c.inner()
        c.source(into, 0, 1.0)
        coil = c.inductor(into, out, henry, ohm)
        c.capacitor(out, 0, farad)
        until = 6 * math.sqrt(henry * farad) * 2
        found = wave(c, until, None)
        a = np.array([[-ohm / henry, -1 / henry], [1 / farad, 0.0]])
        b = np.array([1 / henry, 0.0])
        for k in range(0, len(found.seconds), 9):
            wanted = np.linalg.solve(a, (expm(a * found.seconds[k]) - np.eye(2)) @ b)
            self.assertAlmostEqual(found.x[k, c.terminals[out]], wanted[1], delta=4e-3)
            impedance = math.sqrt(henry / farad)
            self.assertAlmostEqual(found.x[k, c.nodes + coil] * impedance, wanted[0] * impedance, delta=4e-3)

    def test_a_rectifier(self) -> None:
        """It holds the peak less a diode, and what it draws in a cycle is what its load takes."""
        c = Circuit()
        into, out = c.inner(), c.inner()
        source = c.source(into, 0, 0.0, wave=lambda t: 12 * math.sin(2 * math.pi * 50 * t))
        c.diode(into, out, 0.7, 1.0, 1.8)
        c.capacitor(out, 0, 1e-3, 0.05)
        c.resistor(out, 0, 100.0)
        found = wave(c, 0.2, None)
        late = found.seconds > 0.1
        t, x = found.seconds[late], found.x[late]
        given = np.trapezoid(-x[:, c.nodes + source], t) / (t[-1] - t[0])
        taken = np.trapezoid(x[:, c.terminals[out]] / 100, t) / (t[-1] - t[0])
        self.assertAlmostEqual(given, taken, delta=0.02 * taken)
        self.assertTrue(9.0 < x[:, c.terminals[out]].min() < x[:, c.terminals[out]].max() < 11.6)
