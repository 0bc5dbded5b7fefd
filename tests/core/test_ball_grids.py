"""Ball grids: led out to the last ball where the rules let it, with vias filled in pads where the maker does it."""

from __future__ import annotations

import unittest

from bench.ball_grids import ball_design
from tests.support import board, design, least_gap_breach, part, said
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.filled_vias import bored_pads
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.ballgrid import grid_of
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.fab.release import release
from vane_step.core.order.board_price import price_step
from vane_step.core.patterns.packages import package
from vane_step.core.route.router import route
from vane_step.data.shipped import rule_set

STAMP = "2026-11-29T00:00:00Z"


def under(d: Design, **rules: object) -> Design:
    """Put a design under rules that differ a little."""
    changed = d.board.rules.model_copy(update=rules)
    return d.replaced(board=d.board.model_copy(update={"rules": changed}))


class LedOut(unittest.TestCase):
    """Every ball on a net of its own."""

    def test_filled_vias_in_pads(self) -> None:
        """42 balls of 0.4 mm: all out by vias in pads; price, order files and a note say so, and no look does."""
        d = under(ball_design(6, 7, 0.4, 0.25, "fine-line-house"), via_pad_nm=250_000)
        done = apply(d, route(d).edit)[0]
        found = check(done)
        self.assertEqual((found.figures["links_open"], found.stops), (0, 0))
        self.assertGreaterEqual(least_gap_breach(done), -1e-5)
        self.assertGreaterEqual(len(bored_pads(done)), 8)
        told = {f.code: f for f in found.findings}
        self.assertNotIn("via-in-pad", told)
        self.assertEqual(
            (told["filled-vias"].level, told["filled-vias"].reading), ("note", len(bored_pads(done)))
        )
        box = outline(done).bounds
        with_fill, without = price_step(done, box, fills=True), price_step(done, box)
        assert with_fill is not None and without is not None
        self.assertAlmostEqual(with_fill.each - without.each, 62 / 5)
        made = release(done, STAMP)
        self.assertEqual(made.read.differences, ())
        drills = next(t for n, t in made.files.items() if n.endswith("-plated.xnc"))
        self.assertIn("ViaDrill,VII", drills)
        self.assertIn("via-in-pad", {f.code for f in check(under(done, fills_vias=False)).findings})

    def test_dogbones(self) -> None:
        """100 balls of 0.8 mm on four layers, no via in a pad; the usual gap gave way by itself as far as it must."""
        for supplies in (36, 0):
            d = ball_design(10, 10, 0.8, 0.45, "four-layer-house", supplies)
            gap = d.rule_of("GND").clearance_nm
            self.assertTrue(d.board.rules.min_clearance_nm <= gap < d.board.rules.default_clearance_nm)
            done = apply(d, route(d).edit)[0]
            found = check(done)
            self.assertEqual(
                (found.figures["links_open"], [f.message for f in found.findings]), (0, []), supplies
            )
            self.assertGreaterEqual(least_gap_breach(done), -1e-5)
            self.assertEqual(bored_pads(done), {})

    def test_the_true_reason(self) -> None:
        """Where a pitch cannot be left by the rules, the narrow place, what is wanted and the maker's finest are told."""
        d = ball_design(5, 5, 0.5, 0.3, "four-layer-house")
        result = route(d)
        self.assertLess(result.links_made, result.links_wanted)
        inner = next(b for b in result.blocked if b.net == "B_C3")
        self.assertRegex(
            inner.reason, r"shut in at U1\.C3: 0\.25 mm between U1\.\w\d and U1\.\w\d, 0\.\d+ mm is wanted"
        )
        self.assertIn("0.375 mm the finest", inner.reason)
        self.assertIn("no via 0.5 mm wide", inner.reason)


class Grids(unittest.TestCase):
    """What is a grid, and what is none."""

    def test_which_packages(self) -> None:
        """Rows, rings and headers are none; grids with balls left out are."""
        for name in ("QFN-32", "TQFP-64", "SOIC-16", "HDR-2x10", "USBC-16", "CHIP-1608M"):
            self.assertIsNone(grid_of(package(name)), name)
        d = said(
            design([part("R1", "CHIP-1608M", 5, 5)], on=board(rules=rule_set("fine-line-house"), layers=4)),
            "pattern MOTE ball-grid rows=6 columns=7 e=0.4 b=0.22..0.28 D=2.8 E=2.4 without=C3/D3/A1",
        )
        grid = grid_of(d.packages["MOTE"])
        assert grid is not None
        self.assertEqual((grid.pitch_nm, len(grid.pads)), (400_000, 39))
        with self.assertRaisesRegex(InputError, "no pad Z9"):
            said(d, "pattern MOTE2 ball-grid rows=6 columns=7 without=Z9")


if __name__ == "__main__":
    unittest.main()
