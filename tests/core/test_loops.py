"""Loops: inductances against integrals worked out here, areas against hand-placed pads."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.support import CIDER, FROST, demo, said
from vane_step.core.board.loops import loops, over_plane_nh, rectangle_nh, via_nh
from vane_step.core.board.score import scoreboard


def flux_nh(w: float, h: float, a: float) -> float:
    """Integrate the field of four thin wires over the inside of their rectangle, and add the wires' own (mm, nH)."""

    def side(length: float, far: float) -> float:
        # The field of a straight wire, from its surface to the opposite wire, along its length: Biot and Savart.
        y = np.geomspace(a, far, 1000)
        x = np.linspace(0, length, 500)
        field = (
            x[None, :] / np.hypot(x[None, :], y[:, None])
            + (length - x[None, :]) / np.hypot(length - x[None, :], y[:, None])
        ) / y[:, None]
        inner = np.trapezoid(field, x, axis=1)
        return float(np.trapezoid(inner, y)) * 0.1

    return 2 * side(w, h - a) + 2 * side(h, w - a)


class Formulas(unittest.TestCase):
    @settings(deadline=None, max_examples=8)
    @given(st.floats(2, 20), st.floats(2, 20), st.floats(0.05, 0.2))
    def test_rectangle(self, w: float, h: float, a: float) -> None:
        """The flux through the rectangle over the current, to some percent of the thin wires' sum."""
        self.assertAlmostEqual(rectangle_nh(w, h, a), flux_nh(w, h, a), delta=0.06 * flux_nh(w, h, a))

    def test_over_a_plane_and_vias(self) -> None:
        """Near a plane a wide track nears its plates' h over w; a thin one its image's logarithm; both meet at w = h."""
        self.assertAlmostEqual(over_plane_nh(10, 40, 0.2), 4e-7 * math.pi * 0.2 / 40 * 10 * 1e6, delta=0.03)
        self.assertAlmostEqual(over_plane_nh(10, 0.02, 1.0), 2 * math.log(8 / 0.02), delta=0.01)
        self.assertAlmostEqual(over_plane_nh(10, 1, 1), over_plane_nh(10, 1.0001, 1), delta=0.05)
        self.assertAlmostEqual(via_nh(1.6, 0.3), 1.3, delta=0.05)


class OnBoards(unittest.TestCase):
    def test_switching_loop(self) -> None:
        """The stage of the demo is its switcher with its input capacitor; moved away, the loop grows and the score tells."""
        d = demo(FROST)
        stage = next(x for x in loops(d) if x.kind == "switching")
        self.assertEqual(stage.refs, ("U2", "C1"))
        far = said(d, "shift C1 -3 -6")
        grown = next(x for x in loops(far) if x.kind == "switching")
        self.assertGreater(grown.area_mm2, stage.area_mm2 + 3)
        figures = {f.name: f.value for f in scoreboard(far)}
        self.assertAlmostEqual(figures["switching loop"], grown.area_mm2)

    def test_a_plane_makes_loops_small(self) -> None:
        """On four layers with planes all bypass loops have one below and less inductance than without."""
        d = demo(CIDER)
        bypass = [x for x in loops(d) if x.kind == "bypass"]
        self.assertGreater(len(bypass), 10)
        self.assertTrue(all(x.over_plane for x in bypass))
        without = {x.refs: x for x in loops(d.replaced(pours={}))}
        for x in bypass:
            self.assertLess(x.inductance_nh or 0, without[x.refs].inductance_nh or 0)
