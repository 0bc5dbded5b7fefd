"""Texts in copper: seen by every rule that sees copper, by routing and pours, in the files and on the artwork."""

from __future__ import annotations

import itertools
import unittest

import numpy as np
import shapely

from tests.support import BEEPER, board, demo, said
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.lettering import in_copper
from vane_step.core.board.geometry.shapes import copper_items, outline
from vane_step.core.board.silkscreen.legend import legend
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused
from vane_step.core.etch.picture import side_copper
from vane_step.core.fab.release import release
from vane_step.core.route.router import route


def letters(d: Design, layer: str) -> shapely.Geometry:
    """Give the area of all texts in copper on a layer."""
    return shapely.union_all([i.shape() for i in copper_items(d) if i.kind == "text" and layer in i.layers])


def two_pads() -> Design:
    """Make a board with two resistors to join, and words in copper across the way between them."""
    d = said(Design(name="words", board=board()), "outline 50x20", "add R1 R2 10k")
    return said(d, "join R1.2 R2.1 A", "join R1.1 GND", "join R2.2 GND", "place R1 8 10", "place R2 42 10")


class Lettering(unittest.TestCase):
    def test_rules_see_it(self) -> None:
        """A track over a text is a short, a text over the edge is told, one too small is told with the height it wants."""
        d = said(two_pads(), 'text "WWW" 25 10 3 copper')
        d = apply(d, route(d).edit)[0]
        clean = [
            f.code for f in check(d).findings if f.code in ("short", "clearance", "edge", "legend-height")
        ]
        self.assertEqual(clean, [])
        self.assertTrue(letters(d, "front").area > 5)
        over = said(d, "place R1 25 10")
        self.assertIn("short", {f.code for f in check(over).findings})
        off = said(d, "move text1 48 10")
        self.assertIn("copper-to-edge", {f.code for f in check(off).findings})
        small = said(d, 'text "B8" 25 16 0.8 copper')
        (found,) = [f for f in check(small).findings if f.code == "legend-height"]
        self.assertEqual(
            [
                f
                for f in check(said(d, f'text "B8" 25 16 {found.limit} copper')).findings
                if f.code == "legend-height"
            ],
            [],
        )

    def test_the_gap_in_letters(self) -> None:
        """From the least height on, no two lines of a letter that do not meet are nearer than the maker's gap."""
        d = said(two_pads(), 'text "BEHM8365A" 25 16 copper')
        gap = d.board.rules.min_clearance_nm / 1e6
        level = [
            i
            for i in copper_items(d)
            if i.kind == "text" and i.spine.length > 0.1 and i.spine.bounds[1] == i.spine.bounds[3]
        ]
        for one, two in itertools.combinations(level, 2):
            facing = min(one.spine.bounds[2], two.spine.bounds[2]) - max(
                one.spine.bounds[0], two.spine.bounds[0]
            )
            if facing > 1e-6 and abs(one.y_mm - two.y_mm) > 1e-6:
                self.assertGreaterEqual(abs(one.y_mm - two.y_mm) - one.width_mm, gap - 1e-6)

    def test_ways_round_it(self) -> None:
        """Tracks are routed round a text, and pours keep off it."""
        d = said(two_pads(), 'text "BAR" 25 10 6 copper', "pour GND front")
        done = apply(d, route(d).edit)[0]
        self.assertEqual([f.message for f in check(done).findings if f.level == "stop"], [])
        self.assertEqual(route(d).links_made, route(d).links_wanted)
        laid = [i.shape() for i in copper_items(done) if i.kind != "text" and "front" in i.layers]
        poured = [q for p in pour_pieces(done) if p.layer == "front" for q in p.pieces]
        self.assertTrue(poured)
        self.assertGreater(letters(done, "front").distance(shapely.union_all([*laid, *poured])), 0.15)

    def test_in_the_files(self) -> None:
        """A text in copper is in the copper files as what conducts nothing, read back whole, and not on the legend."""
        d = said(demo("1-frost-sentinel"), 'text "FS" 6 4 2 copper')
        (text,) = in_copper(d).values()
        x0, y0, x1, y1 = outline(d).bounds
        for x, y in itertools.product(np.arange(x0 + 3, x1 - 3, 1.0), np.arange(y0 + 2, y1 - 2, 1.0)):
            free = said(d, f"move {text.id} {x:g} {y:g}")
            if not check(free).stops:
                break
        made = release(free, "2026-11-29T12:00:00Z")
        self.assertEqual(made.read.differences, ())
        written = next(t for n, t in made.files.items() if "AperFunction,NonConductor" in t)
        self.assertIn("Copper,L1,Top", written)
        self.assertFalse([line for line in legend(free) if line.owner == text.id])

    def test_for_the_etcher(self) -> None:
        """On a board of one layer a text goes where the copper is, mirrored as seen from the front, and onto the artwork."""
        d = demo(BEEPER)
        _, _, x1, y1 = shapely.total_bounds([i.spine for i in copper_items(d)])
        lettered = said(d, f'text "L" {x1 + 20} {y1 + 20} 4 copper')
        (text,) = in_copper(lettered).values()
        self.assertEqual(text.side, "back")
        more = side_copper(lettered, "back").difference(side_copper(d, "back").buffer(1e-6))
        self.assertAlmostEqual(more.area, letters(lettered, "back").area, delta=0.01)
        # The upright of an L, seen from the front, stands at the right of its foot.
        upright = max(
            (i for i in copper_items(lettered) if i.kind == "text"), key=lambda i: i.spine.bounds[3]
        )
        foot = min((i for i in copper_items(lettered) if i.kind == "text"), key=lambda i: i.spine.bounds[3])
        self.assertGreater(upright.x_mm, foot.x_mm)
        with self.assertRaises(EditRefused):
            said(d, 'text "L" 10 10 4 front copper')


if __name__ == "__main__":
    unittest.main()
