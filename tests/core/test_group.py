"""Several parts at once: lines, even gaps, shifts, and routed blocks that come again as they were."""

from __future__ import annotations

import unittest
from itertools import pairwise

from tests.support import FROST, board, demo, design, joined_nets, said
from vane_step.core.ask.group import some_parts
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import courtyards
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.quantity import nm
from vane_step.core.route.router import route


class Together(unittest.TestCase):
    """Parts of the demo board."""

    def test_chosen_by_more_than_a_name(self) -> None:
        """By run, net, block, kind, package and all; what stands for nothing is told."""
        d = demo(FROST)
        self.assertEqual(some_parts(d, ["R3..1"]), ["R3", "R2", "R1"])
        self.assertEqual(some_parts(d, ["net=SDA"]), ["J5", "R7", "U1"])
        self.assertEqual(some_parts(d, ["block=Pump driver", "R1"]), ["D5", "J6", "Q1", "R1", "R9", "R10"])
        self.assertEqual(len(some_parts(d, ["kind=led"])), 2)
        self.assertEqual(set(some_parts(d, ["all"])), set(d.parts))
        for wrong in (["R99"], ["net=NONE"], ["block=None"], ["colour=red"]):
            with self.assertRaises(VaneStepError):
                some_parts(d, wrong)

    def test_lines_and_gaps(self) -> None:
        """Sides of courtyards meet one line; gaps come out equal, or as said; a shift moves all alike and undoes."""
        d = demo(FROST)
        refs = ["R15", "C9", "U1", "R16"]
        for line, k in (("left", 0), ("bottom", 1), ("right", 2), ("top", 3)):
            yards = courtyards(said(d, f"align {' '.join(refs)} {line}"))
            self.assertEqual(
                {round(yards[r].bounds[k], 6) for r in refs}, {round(courtyards(d)["R15"].bounds[k], 6)}
            )
        level = said(d, f"align {' '.join(refs)} level")
        self.assertEqual(len({level.parts[r].place.y_nm for r in refs}), 1)  # type: ignore[union-attr]
        for sentence, gap in ((f"space {' '.join(refs)} up 0.8", 0.8), ("space R7 J5 C14 up", None)):
            after = said(d, sentence)
            some = sorted(
                (courtyards(after)[r].bounds for r in sentence.split()[1:-1] if r in d.parts),
                key=lambda b: b[1],
            )
            gaps = [b[1] - a[3] for a, b in pairwise(some)]
            self.assertTrue(all(abs(g - (gap if gap is not None else gaps[0])) < 2e-6 for g in gaps), gaps)
        moved = said(d, "shift R15 R16 1.5 -0.5")
        self.assertEqual(said(moved, "shift R15 R16 -1.5 0.5").parts, d.parts)
        self.assertTrue(said(d, "lock kind=led").parts["LED1"].place.locked)  # type: ignore[union-attr]
        for sentence in ("align R15 R16 askew", "space U1 C9 R6 up", "space R1 R2 along", "shift R1 x 0"):
            with self.assertRaises(VaneStepError):
                said(d, sentence)

    def test_a_routed_block_again(self) -> None:
        """Three copies a step apart: places and copper moved alike, joined as the first, no rule broken."""
        d = Design(name="lights", board=board(40, 40))
        d = said(d, 'use "LED" LIGHT=LAMP0', "place R1 6 6", "place LED1 12 6 180")
        d = apply(d, route(d).edit)[0]
        self.assertTrue(d.tracks)
        after = said(d, "repeat LED 3 0 6")
        self.assertEqual((len(after.parts), len(after.tracks)), (4 * len(d.parts), 4 * len(d.tracks)))
        self.assertEqual(
            [f.message for f in check(after).findings if f.level == "stop" and f.code != "unrouted"], []
        )
        inner = next(iter(d.tracks.values())).net
        twins = [n for n in after.nets if n.rstrip("0123456789") == inner.rstrip("0123456789") and n != inner]
        groups = joined_nets(after)
        self.assertEqual(
            {groups[n] for n in twins if n in groups and any(t.net == n for t in after.tracks.values())}, {1}
        )
        first = {t.points for t in d.tracks.values()}
        for k in (1, 2, 3):
            self.assertLessEqual(
                {tuple((x, y + k * nm(6)) for x, y in points) for points in first},
                {t.points for t in after.tracks.values()},
            )
        with self.assertRaises(VaneStepError):
            said(said(d, "place R1 off"), "repeat LED 2 0 6")
        field = said(d, "repeat LED 4x4 9 -6")
        spots = {
            (p.place.x_nm, p.place.y_nm) for p in field.parts.values() if p.place and p.package == "LED-1608M"
        }
        self.assertEqual(spots, {(nm(12 + 9 * c), nm(6 + 6 * r)) for c in range(4) for r in range(4)})

    def test_a_grid(self) -> None:
        """Parts in their order, rows from above, at the pitch that is said; too many for the grid are refused."""
        d = said(design([], {}), "add S1..6 push button", "grid S1..6 3x2 12 10 at 5 40")
        at = [(p.place.x_nm / 1e6, p.place.y_nm / 1e6) for p in d.parts.values() if p.place]
        self.assertEqual(at, [(5, 40), (17, 40), (29, 40), (5, 30), (17, 30), (29, 30)])
        self.assertEqual(said(d, "grid S1..6 3x2 12 10"), d)
        for wrong in ("grid S1..6 2x2 10", "grid S1..6 3x2", "grid S1..6 3x2 1 2 3", "grid S1..6 10"):
            with self.assertRaises(VaneStepError):
                said(d, wrong)
