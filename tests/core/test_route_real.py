"""Routing boards from exchange folders, and the demo boards afresh."""

from __future__ import annotations

import unittest

from tests.support import (
    BEEPER,
    FROST,
    demo,
    folder,
    joined_nets,
    laid,
    least_gap_breach,
    routed,
)
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import Design


class RealBoards(unittest.TestCase):
    """Boards from exchange folders."""

    def judge(self, d: Design) -> None:
        """Complete, no breach by the rule check, and none by drawn polygons."""
        self.assertEqual(figures(d)["links_open"], 0)
        self.assertEqual([f.message for f in check(d).findings if f.level == "stop"], [])
        self.assertGreaterEqual(least_gap_breach(d), -1e-5)
        if not d.jumpers:
            self.assertEqual({n for n, k in joined_nets(d).items() if k > 1}, set())

    def test_two_layers(self) -> None:
        """15 and 40 surface-mount parts are routed whole."""
        for name in ("smd2L_015_s1", "smd2L_040_s1"):
            with self.subTest(name):
                self.judge(routed(name))

    def test_one_layer(self) -> None:
        """40 through-hole parts on one layer: copper on the back, no vias, wires straight and of allowed length."""
        d = routed("th1L_040_s1")
        self.judge(d)
        self.assertEqual({t.layer for t in d.tracks.values()}, {"back"})
        self.assertFalse(d.vias)
        for j in d.jumpers.values():
            self.assertTrue(j.a[0] == j.b[0] or j.a[1] == j.b[1], "a wire is straight along a row or column")

    def test_same_input_same_copper(self) -> None:
        """Routing again gives the same bytes."""
        self.assertEqual(to_json(laid(folder("smd2L_015_s1"))), to_json(routed("smd2L_015_s1")))

    def test_demo_designs_route_afresh(self) -> None:
        """Lifted and laid anew, the demo boards come out whole and clean."""
        for name, jumpers in ((FROST, 0), (BEEPER, 2)):
            d = laid(demo(name), fresh=True)
            with self.subTest(name):
                self.judge(d.replaced(pours={}) if name == BEEPER else d)
                self.assertLessEqual(len(d.jumpers), jumpers)


if __name__ == "__main__":
    unittest.main()
