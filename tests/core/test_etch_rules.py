"""Drilling, what a method can do, and boards made by hand, held against designs made for it."""

from __future__ import annotations

import itertools
import math
import random
import unittest

from tests.support import BEEPER, CIDER, FROST, board, demo, design, part, said, track, two_sided
from vane_step.core.ask.etching import all_widened, copper_left, with_widening
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items, holes
from vane_step.core.design.edits import apply
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.etch import artwork
from vane_step.core.etch.drillplan import (
    BITS_MM,
    drill_findings,
    drill_plan,
    drill_turns,
    short_way,
)
from vane_step.core.etch.etch_rules import etch_findings
from vane_step.core.etch.joints import both_sides
from vane_step.core.etch.methods import METHODS, method_of
from vane_step.core.etch.plan import art_plan
from vane_step.core.fab.release import release
from vane_step.core.route.router import route
from vane_step.data.shipped import resources


class Drills(unittest.TestCase):
    """The drill list."""

    def test_smallest_bit_that_is_not_under(self) -> None:
        """Every hole is in the list; the bit is the smallest at hand that is not too small, and the ring loses half the rest."""
        d = demo(BEEPER)
        rows = drill_plan(d)
        self.assertEqual(sum(r.count for r in rows), len(holes(d)))
        for r in rows:
            self.assertEqual(r.bit_mm, min(mm for mm in BITS_MM.values() if mm >= r.drill_mm - 1e-9))
            self.assertAlmostEqual(r.ring_loss_mm, (r.bit_mm - r.drill_mm) / 2, places=4)
        # Of drills said to be at hand one of those is taken, or it is told that there is none; a ring it eats is told.
        for drills, told in (
            ("0.8 1.0", []),
            ("0.9 1.2", []),
            ("0.8", ["etch-drill"]),
            ("1.6", ["etch-ring"]),
        ):
            mine = said(d, f"drills {drills}")
            have = [float(x) for x in drills.split()]
            for r in drill_plan(mine):
                fits = [x for x in have if x >= r.drill_mm - 0.006]
                self.assertEqual((r.at_hand, r.bit_mm), (bool(fits), min(fits, default=r.drill_mm)))
            self.assertEqual(sorted({f.code for f in drill_findings(mine)}), told, drills)
        large = design([part("J1", "TERM-2", 10, 10)])
        self.assertTrue(all(r.bit_mm >= r.drill_mm for r in drill_plan(large)))

    def test_order_and_way(self) -> None:
        """Every hole is bored once; presses go from large to small, hands from small to large; the way is short."""
        d = demo(FROST)
        for tool in ("press", "hand"):
            turns = drill_turns(drill_plan(d), d, tool)  # type: ignore[arg-type]
            self.assertEqual(
                sorted(p for t in turns for p in t.holes), sorted({(h.x_mm, h.y_mm) for h in holes(d)})
            )
            sizes = [t.bit_mm for t in turns]
            self.assertEqual(sizes, sorted(sizes, reverse=tool == "press"))
            for t in turns:
                self.assertTrue(
                    all(h.drill_mm <= t.bit_mm + 0.006 for h in holes(d) if (h.x_mm, h.y_mm) in t.holes)
                )
        rng = random.Random(5)
        for count in (1, 2, 7, 8):
            spots = [(rng.uniform(0, 50), rng.uniform(0, 50)) for _ in range(count)]
            way, long = short_way(spots, (0.0, 0.0))
            self.assertEqual(sorted(way), sorted(spots))
            best = min(
                sum(math.dist(p, q) for p, q in itertools.pairwise([(0.0, 0.0), *order]))
                for order in itertools.permutations(spots)
            )
            self.assertAlmostEqual(
                long, sum(math.dist(p, q) for p, q in itertools.pairwise([(0.0, 0.0), *way]))
            )
            self.assertLessEqual(long, 1.15 * best)


class Rules(unittest.TestCase):
    """What is too fine for a method, and what would cure it."""

    def test_method_and_width(self) -> None:
        """Tracks, gaps and rings are held against the method: a look below comfort, a stop below what is possible."""
        wide = two_sided()
        self.assertEqual([f.code for f in etch_findings(wide, art_plan({"method": "pen"}))], ["etch-pad"])
        for width, method, level in (
            (0.25, "toner", "look"),
            (0.15, "toner", "stop"),
            (0.15, "film", "look"),
        ):
            fine = wide.replaced(tracks={"T1": track("T1", "A", width, (5, 5), (15, 5))})
            (told,) = (f for f in etch_findings(fine, art_plan({"method": method})) if f.code == "etch-width")
            self.assertEqual((told.level, told.reading), (level, width))
            self.assertTrue(told.as_listed())
        for apart, level in ((0.25, "look"), (0.1, "stop"), (0.31, None)):
            close = wide.replaced(
                tracks={
                    "T1": track("T1", "A", 0.8, (5, 5), (15, 5)),
                    "T3": track("T3", "B", 0.8, (5, 5.8 + apart), (15, 5.8 + apart)),
                }
            )
            told = [f for f in etch_findings(close, art_plan({})) if f.code == "etch-gap"]
            self.assertEqual([f.level for f in told], [level] if level else [])
            self.assertTrue(all(abs((f.reading or 0) - apart) < 1e-6 for f in told))
        # The sheet itself joins them where what is added for the bath closes the gap.
        tight = wide.replaced(
            tracks={
                "T1": track("T1", "A", 0.8, (5, 5), (15, 5)),
                "T3": track("T3", "B", 0.8, (5, 5.83), (15, 5.83)),
            }
        )
        codes = {f.code for f in etch_findings(tight, art_plan({"factor": "1"}))}
        self.assertIn("etch-joined", codes)
        self.assertIn("sheet-margin", {f.code for f in etch_findings(wide, art_plan({"margin": "3"}))})
        with self.assertRaises(InputError):
            method_of("stencil")

    def test_remedies_are_tried(self) -> None:
        """Widening is offered where it makes nothing worse, one net or all; copper is left standing where that helps."""
        d = demo(BEEPER)
        plan = art_plan({"method": "pen"})
        found = with_widening(d, etch_findings(d, plan), resources())
        offered = [f for f in found if f.code == "etch-width" and f.remedy]
        self.assertGreater(len(offered), 3)
        before = {f.code for f in check(d).findings}
        for f in offered[:3]:
            assert f.remedy is not None
            after = said(d, f.remedy.ask)
            self.assertLessEqual({f.code for f in check(after).findings}, before)
            self.assertGreater(
                min(t.width_nm for t in after.tracks.values() if t.net == f.place.net) / 1e6, f.reading or 0
            )
        every = all_widened(d, found, resources())
        assert every is not None
        wider = said(d, every.ask)
        fine = [
            sum(
                math.dist(p, q)
                for t in x.tracks.values()
                for p, q in itertools.pairwise(t.points)
                if t.width_nm < 800_000
            )
            for x in (d, wider)
        ]
        self.assertLess(fine[1], 0.6 * fine[0])
        pour = copper_left(d, art_plan({}), resources())
        assert pour is not None
        self.assertGreater(pour[2], 0.1)
        self.assertLessEqual({f.code for f in check(said(d, pour[1])).findings}, before)
        self.assertIsNone(copper_left(said(d, pour[1]), art_plan({}), resources()))

    def test_rules_follow_the_method(self) -> None:
        """The kitchen table's rules take the method's figures; a board for a house keeps its own; twice is refused."""
        d = demo(BEEPER)
        for name, m in METHODS.items():
            made = said(d, f"method {name}")
            rules = made.board.rules
            self.assertEqual(made.brief.method, name)
            self.assertEqual(
                (rules.min_width_nm, rules.min_clearance_nm),
                (round(m.track_mm[1] * 1e6), round(m.gap_mm[1] * 1e6)),
            )
            self.assertTrue(rules.etched and rules.jumper)
            with self.assertRaises(EditRefused):
                said(made, f"method {name}")
        ordered = said(demo(FROST), "method film")
        self.assertEqual(ordered.board.rules, demo(FROST).board.rules)


class ByHand(unittest.TestCase):
    """Boards with two sides and no plated hole."""

    def test_no_track_ends_where_no_iron_reaches(self) -> None:
        """A board etched on two sides is routed so that leads under bodies are joined on the other side only; the rest is listed."""
        d = said(
            design([], on=board(60, 45)),
            "rules kitchen-table 2",
            "add J1..2 NT-3",
            "add C1..2 BE-100-25",
            "add R1..3 LMF-10K",
            "add Q1 FN-45",
            "join J1.1 C1.1 R1.1 12V",
            "join J1.2 C1.2 J2.3 GND",
            "join R1.2 Q1.B",
            "join Q1.C R2.1 J2.1",
            "join R2.2 12V",
            "join Q1.E R3.1 C2.1",
            "join R3.2 C2.2 GND",
            "join J2.2 J1.3",
            "arrange",
        )
        d = apply(d, route(d).edit)[0]
        made = release(d, "2026-01-01T00:00:00Z")
        self.assertEqual((made.stops, made.read.differences), ((), ()))
        self.assertIn("front", {t.layer for t in d.tracks.values()})
        under = {
            f"{p.ref}.{pad.number}"
            for p in d.parts.values()
            for pad in d.packages[p.package].pads
            if abs(pad.x_nm) < d.packages[p.package].body_nm[0] / 2
            and abs(pad.y_nm) < d.packages[p.package].body_nm[1] / 2
        }
        self.assertTrue({"J1.1", "C1.1"} <= under)
        ends = [
            (p, t.net) for t in d.tracks.values() if t.layer == "front" for p in (t.points[0], t.points[-1])
        ]
        for item in copper_items(d):
            if item.kind == "pad" and item.id in under:
                self.assertFalse(
                    [n for (x, y), n in ends if math.hypot(x / 1e6 - item.x_mm, y / 1e6 - item.y_mm) < 0.3],
                    item.id,
                )
        joints = both_sides(d)
        self.assertFalse(set(joints.pins) & under)
        self.assertEqual({id for id, _, _ in joints.vias}, set(d.vias))
        self.assertIn(
            "Solder on both sides", " ".join(artwork.drill_page(d)) if joints.pins else "Solder on both sides"
        )

    def test_a_board_made_for_plating_is_told(self) -> None:
        """Etched at home, boards for a house lose what joined them through plated holes; a leg that is reached is a joint."""
        told = {
            name: {f.code for f in etch_findings(demo(name), art_plan({"method": "pen"}))}
            & {"etch-plating", "etch-layers"}
            for name in (FROST, BEEPER, CIDER)
        }
        self.assertEqual(
            told, {FROST: {"etch-plating"}, BEEPER: set(), CIDER: {"etch-plating", "etch-layers"}}
        )
        d = design(
            [part("C1", "ELCO-P250-D6", 10, 10), part("C2", "ELCO-P250-D6", 10, 20)],
            {"A": "C1.2 C2.2"},
            board(),
        )
        spots = [(i.x_mm, i.y_mm) for i in copper_items(d) if i.net == "A"]
        for layer, codes in (("front", {"etch-plating"}), ("back", set())):
            laid = d.replaced(tracks={"T1": track("T1", "A", 0.8, *spots, layer=layer)})
            self.assertEqual({f.code for f in etch_findings(laid, art_plan({})) if f.level == "stop"}, codes)
