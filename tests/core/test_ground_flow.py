"""Currents in ground copper: what enters at a pin leaves at the other, a strip shares them by its width; quiet zones."""

from __future__ import annotations

import unittest

import numpy as np

from tests.support import FROST, board, demo, said
from vane_step.core.board.analysis.ground_flow import GroundFlow
from vane_step.core.board.analysis.way_back import way_back_findings
from vane_step.core.board.geometry.shapes import zone_shape
from vane_step.core.design.model import Design


def strip(*more: str) -> Design:
    """Make a long board with a plug at either end, a signal between them, and ground poured on the back."""
    d = said(Design(name="strip", board=board()), "outline 80x20", "add NH-1x2", "add NH-1x2")
    d = said(d, "join J1.1 J2.1 CLK", "join J1.2 J2.2 GND", "place J1 4 10 90", "place J2 76 10 90")
    return said(d, "pour GND back", *more)


def through(d: Design, zone: int = 0) -> float:
    """Give the share of the current from plug to plug that enters a zone."""
    flow = GroundFlow(d, "GND")
    current = flow.between("J1.2", "J2.2")
    assert current is not None
    enters = flow.inside(zone_shape(d.board.zones[zone]))[flow.ends].astype(int) @ np.array([-1, 1])
    return float(np.maximum(current * enters, 0).sum())


class GroundFlows(unittest.TestCase):
    def test_no_current_is_lost(self) -> None:
        """In every cell as much comes in as goes out, but at the two pins."""
        d = demo(FROST)
        flow = GroundFlow(d, "GND")
        pins = sorted(flow.pins)
        current = flow.between(pins[0], pins[-1])
        assert current is not None
        left = np.zeros(len(flow.piece))
        np.subtract.at(left, flow.ends[:, 0], current)
        np.add.at(left, flow.ends[:, 1], current)
        ends = [int(flow.pins[p][0]) for p in (pins[0], pins[-1])]
        np.testing.assert_allclose(left[ends], [-1.0, 1.0], atol=1e-6)
        left[ends] = 0.0
        self.assertLess(float(np.abs(left).max()), 1e-6)

    def test_a_strip(self) -> None:
        """Half of it carries half of the current, all of it all, and what a cut leaves carries what it leaves."""
        self.assertAlmostEqual(through(strip("zone quiet 35 0 10x10")), 0.5, delta=0.02)
        self.assertAlmostEqual(through(strip("zone quiet 35 15 10x5")), 0.25, delta=0.02)
        self.assertAlmostEqual(through(strip("zone quiet 35 0 10x20")), 1.0, delta=0.01)
        self.assertAlmostEqual(
            through(strip("zone quiet 35 0 10x10", "clear GND-back 40 2 2x16")), 0.5, delta=0.02
        )
        cut = strip("zone quiet 40.5 0 1x10", "zone quiet 40.5 10 1x10", "clear GND-back 40 0 2x10")
        self.assertAlmostEqual(through(cut, 0), 0.0, delta=1e-6)
        self.assertAlmostEqual(through(cut, 1), 1.0, delta=1e-6)

    def test_quiet_zones(self) -> None:
        """A signal's current through a zone is told with its share; a cut round the zone keeps it out; its own may run."""
        (found,) = way_back_findings(strip("zone quiet 35 0 10x10"))
        self.assertEqual((found.code, found.place.net), ("quiet-return", "CLK"))
        self.assertAlmostEqual(found.reading or 0, 50, delta=2)
        kept = strip(
            "zone quiet 35 0 10x10",
            *(f"clear GND-back {box}" for box in ("33.6 0 1x11", "45.4 0 1x11", "33.6 10.2 9x1")),
        )
        self.assertEqual(way_back_findings(kept), ())
        self.assertEqual(way_back_findings(strip("zone quiet 35 0 10x1")), ())
        self.assertEqual(way_back_findings(strip("zone quiet 0 0 10x20")), ())
        self.assertEqual(way_back_findings(strip()), ())

    def test_odd_boards(self) -> None:
        """Pads without copper on their side, pads off the board, no ground copper at all: nothing is made up of them."""
        odd = said(
            strip("zone quiet 35 0 10x10"), "rules kitchen-table", "add R1 10k CHIP-1608M", "join R1.1 CLK"
        )
        odd = said(odd, "join R1.2 GND", "place R1 20 10")
        self.assertLessEqual({f.place.net for f in way_back_findings(odd)}, {"CLK"})
        off = said(strip("zone quiet 35 0 10x10"), "place J1 -3 -4 90")
        self.assertIsNone(GroundFlow(off, "GND").between("J1.2", "J2.2"))
        self.assertEqual(way_back_findings(off), ())
        bare = said(strip("zone quiet 35 0 10x10"), "remove GND-back")
        self.assertEqual(way_back_findings(bare), ())


if __name__ == "__main__":
    unittest.main()
