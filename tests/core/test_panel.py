"""Panels: as many copies as fit, each as the board was, held together, free of breaches, and read back as one."""

from __future__ import annotations

import re
import unittest

import shapely
from shapely.affinity import rotate, translate
from shapely.geometry import Polygon

from tests.support import BEEPER, FROST, PANEL, board, demo, design, joined_nets, part, said
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import board_pieces, copper_items, outline
from vane_step.core.errors import VaneStepError
from vane_step.core.fab.panel import PanelPlan, copies_that_fit, layout, panel
from vane_step.core.fab.panelback import Repeated, read_back_panel
from vane_step.core.fab.reader import read_gerber
from vane_step.core.fab.release import panel_release, release, write_files
from vane_step.core.judge import stops
from vane_step.data.shipped import rule_set


class Panels(unittest.TestCase):
    def test_how_many_fit(self) -> None:
        """The worked value, and no better count by trying all."""
        self.assertEqual(copies_that_fit((40, 30), (160, 100), 2, 5), (4, 2, True))
        for size in ((80, 56), (23.5, 61), (161, 20)):
            c, r, turned = copies_that_fit(size, (160, 100), 2, 5)
            w, h = size[::-1] if turned else size
            if c:
                self.assertTrue(c * w + (c - 1) * 2 <= 150 and r * h + (r - 1) * 2 <= 90)
            best = max(
                a * b
                for w, h in (size, size[::-1])
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
                one = outline(d)
                if plan.turned:
                    one = rotate(one, 90, origin=(0, 0))
                x0, y0, _, _ = one.bounds
                one = translate(one, plan.rail_mm - x0, plan.rail_mm - y0)
                self.assertTrue(outline(made).buffer(0.01).covers(one.buffer(-0.3)))
                self.assertLess(one.difference(outline(made)).area, 1.5)
                rim = Polygon(one.exterior).buffer(plan.gap_mm * 0.45).difference(Polygon(one.exterior))
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
        files = panel_release(d, PanelPlan(2, 2, joint="score", rail_mm=5), "2026-11-26T00:00:00Z")
        self.assertTrue(files.offered, files.read.differences)
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

    def test_half_holes_are_left_whole(self) -> None:
        """No tab stands on a half hole, wherever the row lies; score lines and gaps over which two would touch are refused."""
        house = rule_set("standard-house")
        house = house.model_copy(update={"edge_drill_nm": 600_000})
        for at in (12.0, 15.0, 17.5):
            d = design([part("J1", "EDGE-8-P254", 0, 15)], {}, on=board(30, 30, rules=house))
            d = said(d, f"edge J1 left {at}")
            rows = [i for i in copper_items(d) if i.id.startswith("J1.")]
            self.assertEqual(len(rows), 8)
            made = panel(d, PanelPlan(2, 2, gap_mm=2.4))
            holes = [i for i in copper_items(made) if i.id.startswith("J1-")]
            free = shapely.union_all(
                [Polygon([(x / 1e6, y / 1e6) for x, y in c.points]) for c in made.board.cutouts]
            )
            for item in holes:
                # Half of each lies over what is milled away: no tab holds it.
                self.assertAlmostEqual(
                    item.shape().intersection(free).area / item.shape().area, 0.5, delta=0.06, msg=item.id
                )
            self.assertEqual(len(board_pieces(made)), 1)
            with self.assertRaisesRegex(VaneStepError, "tear the half holes"):
                panel(d, PanelPlan(2, 1, joint="score"))
        both = said(
            design(
                [part("J1", "EDGE-8-P254", 0, 15), part("J2", "EDGE-8-P254", 30, 15)],
                {},
                on=board(30, 30, rules=house),
            ),
            "edge J1 left 15",
            "edge J2 right 15",
        )
        reach = max(p.height_nm for p in both.packages["EDGE-8-P254"].pads) / 1e6
        with self.assertRaisesRegex(VaneStepError, "half holes of neighbouring"):
            panel(both, PanelPlan(2, 1, gap_mm=max(1.6, reach - 0.1)))
        self.assertEqual(len(board_pieces(panel(both, PanelPlan(2, 1, gap_mm=reach + 0.3)))), 1)

    def test_files_are_the_board_repeated(self) -> None:
        """Layers united by the reader are the board's, carried by other code; variants and extra lines come along."""
        d = said(demo(BEEPER), "variant quiet BZ1 out", 'extra E1 2 "8-way socket"')
        for plan in (PanelPlan(2, 2), PanelPlan(2, 1, turned=True, rail_mm=6)):
            made, one = panel_release(d, plan, "2026-11-26T00:00:00Z"), release(d, "2026-11-26T00:00:00Z")
            self.assertEqual((made.read.differences, made.stops), ((), one.stops))
            x0, y0, x1, y1 = outline(d).bounds
            for name, text in one.files.items():
                if name.endswith(".gbr") and not re.search("-(profile|components|drillmap)", name):
                    there = made.name + name.removeprefix(one.name)
                    image = read_gerber(text, name).image
                    if plan.turned:
                        image = translate(rotate(image, 90, origin=(0, 0)), y1, -x0)
                        size = y1 - y0, x1 - x0
                    else:
                        image, size = translate(image, -x0, -y0), (x1 - x0, y1 - y0)
                    steps = [
                        (
                            plan.rail_mm + c * (size[0] + plan.gap_mm),
                            plan.rail_mm + r * (size[1] + plan.gap_mm),
                        )
                        for r in range(plan.rows)
                        for c in range(plan.columns)
                    ]
                    wanted = shapely.union_all([translate(image, x, y) for x, y in steps])
                    apart = read_gerber(made.files[there], there).image.symmetric_difference(wanted)
                    bores = shapely.union_all(
                        [shapely.Point(h.x_nm / 1e6, h.y_nm / 1e6).buffer(0.6) for h in layout(d, plan).bores]
                    )
                    self.assertLess(apart.difference(bores).area, 1e-3, there)
            self.assertTrue(any(n.endswith("-quiet-parts.csv") for n in made.files))
            self.assertIn(
                f"{2 * plan.columns * plan.rows},",
                next(line for line in made.files[f"{made.name}-parts.csv"].splitlines() if "socket" in line),
            )

    def test_a_copy_that_differs_is_told(self) -> None:
        """An object left out, moved by a micrometre, of another size, turned clear, or of too many: each is found."""
        d, plan = demo(BEEPER), PanelPlan(2, 1)
        laid, whole, once = layout(d, plan), panel(d, plan), release(d, "2026-11-26T00:00:00Z")
        repeated = Repeated(d, laid.frame(whole.name), laid.copies)
        files = write_files(whole, "2026-11-26T00:00:00Z", repeated)
        self.assertTrue(read_back_panel(repeated, once, whole, files).agrees)
        name = next(n for n in files if "-copper-back" in n)
        lines = files[name].split("\n")
        flash = max(k for k, line in enumerate(lines) if line.endswith("D03*"))
        x, y = lines[flash][1:-4].split("Y")
        select = max(k for k, line in enumerate(lines[:flash]) if line.startswith("D"))
        other = next(line for line in lines if line.startswith("D1") and line != lines[select])
        for changed in (
            [*lines[:flash], *lines[flash + 1 :]],
            [*lines[:flash], f"X{int(x) + 1000}Y{y}D03*", *lines[flash + 1 :]],
            [*lines[:flash], lines[flash], lines[flash], *lines[flash + 1 :]],
            [*lines[:select], other, *lines[select + 1 :]],
            [*lines[:flash], "%LPC*%", *lines[flash:]],
        ):
            read = read_back_panel(repeated, once, whole, {**files, name: "\n".join(changed)})
            self.assertFalse(read.agrees)

    def test_two_by_two_stand_for_all(self) -> None:
        """What a panel of nine finds when all of it is judged is what its release is refused for, kind by kind."""
        for name, sentence in ((BEEPER, ""), (BEEPER, "shift J1 -4 0")):
            d = said(demo(name), *([sentence] if sentence else []))
            plan = PanelPlan(3, 3)
            everywhere = {f.code for f in check(panel(d, plan)).findings if f.level == "stop"}
            made = panel_release(d, plan, "2026-11-26T00:00:00Z")
            self.assertEqual(
                {f.code for f in made.stops} - {f.code for f in stops(d)},
                everywhere - {f.code for f in stops(d)},
            )
            self.assertEqual(bool(everywhere), bool(sentence))
