"""Panels: as many copies as fit, each as the board was, held together, free of breaches, and read back as one."""

from __future__ import annotations

import unittest

import shapely
from shapely.affinity import rotate, translate
from shapely.geometry import Polygon

from tests.support import BEEPER, FROST, PANEL, demo, joined_nets, said
from vane_step.core.board.check import check
from vane_step.core.board.geometry import board_pieces, copper_items, outline
from vane_step.core.errors import VaneStepError
from vane_step.core.fab.panel import PanelPlan, copies_that_fit, panel
from vane_step.core.fab.release import release


class Panels(unittest.TestCase):
    def test_how_many_fit(self) -> None:
        """The worked value, and no better count by trying all."""
        self.assertEqual(copies_that_fit((40, 30), (160, 100), 2, 5), (4, 2, True))
        for board in ((80, 56), (23.5, 61), (161, 20)):
            c, r, turned = copies_that_fit(board, (160, 100), 2, 5)
            w, h = board[::-1] if turned else board
            if c:
                self.assertTrue(c * w + (c - 1) * 2 <= 150 and r * h + (r - 1) * 2 <= 90)
            best = max(
                a * b
                for w, h in (board, board[::-1])
                for a in range(8)
                for b in range(8)
                if (a == 0 or a * w + (a - 1) * 2 <= 150) and (b == 0 or b * h + (b - 1) * 2 <= 90)
            )
            self.assertEqual(c * r, best)

    def test_boards_of_any_shape_with_tabs(self) -> None:
        """Round, rounded, turned, cut like a weathercock: one piece, clean, each copy joined as its board was."""
        for name, plan in (
            (BEEPER, PanelPlan(2, 2)),
            (FROST, PanelPlan(2, 1, turned=True)),
            (PANEL, PanelPlan(1, 2, gap_mm=3, rail_mm=6)),
        ):
            with self.subTest(name):
                d = demo(name)
                made = panel(d, plan)
                self.assertEqual(len(board_pieces(made)), 1)
                found = check(made)
                self.assertEqual([f.message for f in found.findings if f.level == "stop"], [])
                self.assertEqual(
                    found.figures["links_total"], plan.columns * plan.rows * check(d).figures["links_total"]
                )
                if not made.jumpers:
                    self.assertEqual(set(joined_nets(made).values()), {1})
                # Each copy is the board whole; round it all is milled but for the tabs.
                board = outline(d)
                if plan.turned:
                    board = rotate(board, 90, origin=(0, 0))
                x0, y0, _, _ = board.bounds
                board = translate(board, plan.rail_mm - x0, plan.rail_mm - y0)
                self.assertTrue(outline(made).buffer(0.01).covers(board.buffer(-0.3)))
                self.assertLess(board.difference(outline(made)).area, 1.5)
                rim = Polygon(board.exterior).buffer(plan.gap_mm * 0.45).difference(Polygon(board.exterior))
                self.assertLess(outline(made).intersection(rim).area, 0.3 * rim.area)

    def test_scored_edge_to_edge(self) -> None:
        """Rectangles lie edge to edge, copper keeps off the lines, the lines are in the files; other shapes are refused."""
        d = said(demo(FROST), "outline 80x56")
        made = panel(d, PanelPlan(2, 2, joint="score", rail_mm=5))
        self.assertEqual(outline(made).bounds, (0, 0, 170, 122))
        self.assertEqual(len(made.board.scores), 6)
        lines = shapely.MultiLineString([[(x / 1e6, y / 1e6) for x, y in line] for line in made.board.scores])
        least = min(lines.distance(i.spine) - i.radius_mm for i in copper_items(made))
        self.assertGreaterEqual(least, d.board.rules.edge_clearance_nm / 1e6 - 1e-6)
        files = release(made, "2026-11-26T00:00:00Z")
        self.assertTrue(files.offered)
        score = next(x for n, x in files.read.layers.items() if n.endswith("-score.gbr"))
        self.assertEqual((score.function[0], len(score.lines)), ("Vcut", 6))
        for wrong in (
            PanelPlan(2, 2, joint="score"),
            PanelPlan(0, 2),
            PanelPlan(2, 2, gap_mm=0.5),
            PanelPlan(2, 1, rail_mm=0),
        ):
            with self.assertRaises(VaneStepError):
                panel(demo(FROST), wrong)
        with self.assertRaises(VaneStepError):
            panel(made, PanelPlan(2, 1))
        self.assertTrue(Polygon(outline(made).exterior).is_valid)
