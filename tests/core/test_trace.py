"""Current and copper: published check values, and laws that must hold everywhere."""

from __future__ import annotations

import math
import unittest
from typing import Literal

from hypothesis import given, strategies as st

from vane_step.core.errors import InputError
from vane_step.core.power import trace

currents = st.floats(min_value=0.01, max_value=35)
rises = st.floats(min_value=1, max_value=100)
layers = st.sampled_from(["outer", "inner"])
Layer = Literal["outer", "inner"]


class CheckValues(unittest.TestCase):
    """Values worked out by others, to 0.1 %."""

    def near(self, value: float, wanted: float) -> None:
        """Compare to 0.1 %."""
        self.assertTrue(math.isclose(value, wanted, rel_tol=1e-3), f"{value} is not {wanted}")

    def test_width(self) -> None:
        """IPC-2221: width for a current, on both kinds of layer, and back."""
        self.near(trace.width_mm(1, 10, 35, "outer"), 0.30039)
        self.near(trace.width_mm(2, 10, 35, "outer"), 0.78144)
        self.near(trace.width_mm(1, 10, 35, "inner"), 0.78144)
        self.near(trace.current_a(0.5, 10, 35, "outer"), 1.4469)
        self.near(trace.rise_k(0.5, 2, 35, "outer"), 20.871)

    def test_resistance(self) -> None:
        """Resistance at 20 and at 60 degrees."""
        self.near(trace.resistance_ohm(50, 0.5, 35), 0.049257)
        self.near(trace.resistance_ohm(100, 0.25, 35, 60), 0.228)

    def test_fusing_and_vias(self) -> None:
        """Onderdonk, and the barrel of a via."""
        self.near(trace.fusing_a(0.5, 35, 1, 25), 5.0526)
        self.near(trace.via_barrel_mm2(0.3, 20), 0.020106)
        self.near(trace.via_current_a(0.3, 20, 10), 1.6001)


class Laws(unittest.TestCase):
    """What must hold for any values."""

    @given(currents, rises, layers)
    def test_inverses(self, current: float, rise: float, layer: Layer) -> None:
        """Width, current and rise are inverse to one another."""
        width = trace.width_mm(current, rise, 35, layer)
        self.assertTrue(math.isclose(trace.current_a(width, rise, 35, layer), current, rel_tol=1e-9))
        self.assertTrue(math.isclose(trace.rise_k(width, current, 35, layer), rise, rel_tol=1e-9))

    @given(currents, rises)
    def test_inner_layers_need_more(self, current: float, rise: float) -> None:
        """An inner layer needs 2 ** (1 / 0.725) times the width of an outer one."""
        ratio = trace.width_mm(current, rise, 35, "inner") / trace.width_mm(current, rise, 35, "outer")
        self.assertTrue(math.isclose(ratio, 2 ** (1 / 0.725), rel_tol=1e-9))

    @given(currents, rises, layers, st.floats(min_value=0.1, max_value=10))
    def test_answer_hangs_together(self, current: float, rise: float, layer: Layer, width: float) -> None:
        """Drop is R I, heat R I squared, and the rise passes its limit exactly when the width is short."""
        a = trace.trace(current, rise, 35, layer, width=width)
        self.assertTrue(math.isclose(a.drop_v * current, a.power_w, rel_tol=1e-9))
        self.assertTrue(math.isclose(a.resistance_ohm * current, a.drop_v, rel_tol=1e-9))
        if not math.isclose(a.width_mm, a.needed_mm, rel_tol=1e-9):
            self.assertEqual(a.rise_k > rise, a.width_mm < a.needed_mm)

    def test_outside_the_chart(self) -> None:
        """Beyond what the chart covers there is no answer; zero, negative and not-a-number are refused."""
        for current, rise in ((0, 10), (-1, 10), (35.1, 10), (1, 0), (1, 101), (math.nan, 10), (1, math.nan)):
            with self.subTest(current=current, rise=rise), self.assertRaises(InputError):
                trace.trace(current, rise, 35, "outer")
        for call in (
            lambda: trace.resistance_ohm(0, 1, 35),
            lambda: trace.fusing_a(1, 0, 1),
            lambda: trace.width_mm(1, 10, -35, "outer"),
        ):
            with self.assertRaises(InputError):
                call()
