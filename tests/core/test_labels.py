"""Labels on the legend: right, clear of all else, and told where the circuit changed under them."""

from __future__ import annotations

import itertools
import math
import unittest

from hypothesis import given, settings, strategies as st
from shapely.geometry import Point

from tests.support import FROST, board, demo, design, part, said
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.board.geometry.strokefont import text_lines
from vane_step.core.board.silkscreen.designators import as_printed
from vane_step.core.patterns.packages import package


class Labels(unittest.TestCase):
    """Names at pins and values beside parts, printed in one act."""

    @given(
        st.sampled_from(["HDR-1x6", "HDR-2x5", "TERM-3"]),
        st.sampled_from([0, 90, 180, 270]),
        st.sampled_from(["front", "back"]),
    )
    @settings(max_examples=12, deadline=None)
    def test_they_are_right_and_clear(self, pack: str, turn: int, side: str) -> None:
        """Each name lies beside its own pin, on no pad and no other text; a net renamed since is told and mended."""
        count = len(package(pack).pads)
        nets = {f"SIGNAL{k}": f"J1.{k + 1} J2.{k + 1}" for k in range(count)}
        d = design(
            [part("J1", pack, 20, 15, turn, side=side), part("J2", pack, 60, 40, 90)], nets, board(80, 60)
        )
        done = said(d, "names J1")
        self.assertEqual({t.text for t in done.texts.values()}, set(nets))
        pads = {i.id: (i.x_mm, i.y_mm) for i in copper_items(done) if i.id.startswith("J1.")}
        boxes = []
        for label in done.texts.values():
            at = label.x_nm / 1e6, label.y_nm / 1e6
            printed = as_printed(label).box(0.0)
            near = min(pads, key=lambda p: 100 * printed.distance(Point(pads[p])) + math.dist(pads[p], at))
            self.assertEqual(done.net_of(near), label.text)
            boxes.append(printed)
        for one, other in itertools.combinations(boxes, 2):
            self.assertFalse(one.intersects(other))
        self.assertEqual({f.code for f in check(done).findings} - {"unrouted"}, set())
        stale = said(done, "rename SIGNAL0 OTHER")
        told = [f for f in check(stale).findings if f.code == "stale-label"]
        self.assertEqual([f.remedy.ask for f in told if f.remedy], ["names J1"])
        again = said(stale, "names J1")
        self.assertNotIn("stale-label", {f.code for f in check(again).findings})
        self.assertEqual(said(again, "names J1 off").texts, {})

    def test_values_and_turned_texts(self) -> None:
        """Values go where no reference is lost; a text turns by itself or as it is printed."""
        d = demo(FROST)
        done = said(d, "values R7 R8 R13 C4", 'text "UP" 40 28 turn=90', "turn text1 30")
        self.assertEqual({done.texts[f"{r}-value"].text for r in ("R7", "R8")}, {"3k6"})
        self.assertEqual(done.texts["text1"].turn_deg, 120)
        for small, capital in (("10m", "10M"), ("4k7", "4K7")):
            self.assertNotEqual(text_lines(small, 0, 0, 1), text_lines(capital, 0, 0, 1))
        self.assertEqual(text_lines("Mimi", 0, 0, 1), text_lines("MIMI", 0, 0, 1))
        before, after = ([f.message for f in check(x).findings if f.code == "unprinted"] for x in (d, done))
        self.assertEqual(before, after)


if __name__ == "__main__":
    unittest.main()
