"""Loops: inductances against integrals worked out here, areas against hand-placed pads."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings, strategies as st

from tests.support import CIDER, FROST, demo, design, part, said
from vane_step.core.board.analysis.current_loops import loops, over_plane_nh, rectangle_nh, via_nh
from vane_step.core.board.analysis.score import scoreboard
from vane_step.core.board.geometry.shapes import copper_items


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
    @settings(max_examples=8)
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

    def test_lines_and_diodes(self) -> None:
        """Four pads in a line enclose what two tracks beside each other do; a diode outside is part of its stage's loop."""
        d = design(
            [part("U1", "SOIC-8", 20, 15), part("C1", "CHIP-1608M", 12, 15)],
            {"VCC": "U1.1 C1.2", "GND": "U1.4 C1.1"},
        )
        roles = {"VCC": "supply", "GND": "ground"}
        d = d.replaced(nets={k: n.model_copy(update={"role": roles[k]}) for k, n in d.nets.items()})
        pads = {i.id: i for i in copper_items(d)}
        flat = said(d, f"place C1 {pads['U1.1'].x_mm:.4f} {pads['U1.1'].y_mm + 4:.4f} 270")
        [loop] = [x for x in loops(flat) if x.kind == "bypass"]
        four = [i for i in copper_items(flat) if i.id in loop.pins]
        reach = max(math.dist((a.x_mm, a.y_mm), (b.x_mm, b.y_mm)) for a in four for b in four)
        rule = flat.rule_of("VCC")
        self.assertGreaterEqual(loop.area_mm2, reach * (rule.width_nm + rule.clearance_nm) / 1e6 - 1e-6)
        buck = {"VIN": "U1.2 C1.2", "SW": "U1.1 D1.1", "GND": "U1.6 C1.1 D1.2"}
        parts = [
            part("U1", "SOIC-8", 20, 15),
            part("C1", "CHIP-1608M", 13, 15),
            part("D1", "SOD-123", 14, 20),
        ]
        stage = design(parts, buck)
        roles = {"VIN": "supply", "GND": "ground", "SW": "switching"}
        kinds = {"C1": "capacitor", "D1": "diode"}
        stage = stage.replaced(
            nets={k: n.model_copy(update={"role": roles[k]}) for k, n in stage.nets.items()},
            parts={r: p.model_copy(update={"kind": kinds.get(r, p.kind)}) for r, p in stage.parts.items()},
        )
        near, far = (
            next(x for x in loops(said(stage, *s)) if x.kind == "switching") for s in ([], ["shift D1 -2 4"])
        )
        self.assertEqual(near.refs, ("U1", "C1", "D1"))
        self.assertGreater(far.area_mm2, near.area_mm2 + 5)

    def test_a_plane_makes_loops_small(self) -> None:
        """On four layers with planes all bypass loops have one below and less inductance than without."""
        d = demo(CIDER)
        bypass = [x for x in loops(d) if x.kind == "bypass"]
        self.assertGreater(len(bypass), 10)
        self.assertTrue(all(x.over_plane for x in bypass))
        without = {x.refs: x for x in loops(d.replaced(pours={}))}
        for x in bypass:
            self.assertLess(x.inductance_nh or 0, without[x.refs].inductance_nh or 0)
