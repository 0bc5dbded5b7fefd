"""Heat in the board: the sheet against the fin equation and its own balance; warm neighbours and boards are told."""

from __future__ import annotations

import math
import unittest

import numpy as np

from tests.support import FROST, board, demo, said
from vane_step.core.ask.cooling import with_cooling
from vane_step.core.board.analysis.board_heat import between_parts, board_heat
from vane_step.core.board.analysis.heat_sheet import FACE_W_M2K, HeatSheet, feet
from vane_step.core.design.model import Design, Pour
from vane_step.core.errors import VaneStepError
from vane_step.core.judge import all_findings
from vane_step.core.network.readings import readings
from vane_step.core.operation.heat import heat_findings
from vane_step.data.shipped import demo_designs, resources


def strip() -> Design:
    """Make a strip of 80 x 20 mm, all of both its faces copper."""
    d = said(Design(name="strip", board=board(80, 20)), "add NH-1x1", "add NH-1x1", "join J1.1 J2.1 GND")
    d = said(d, "place J1 4 4", "place J2 76 16")
    rules = d.board.rules.model_copy(update={"copper_to_edge_nm": 0, "edge_clearance_nm": 0})
    pours = {x: Pour(id=x, net="GND", layer=x) for x in ("front", "back")}  # type: ignore[arg-type]
    return d.replaced(pours=pours, board=d.board.model_copy(update={"rules": rules}))


class Demos(unittest.TestCase):
    """What is shown as an example."""

    def test_nothing_presses(self) -> None:
        """No demo has a finding that stops it or should be looked at, in circuit, copper and heat."""
        for name, design in demo_designs().items():
            with self.subTest(name):
                self.assertEqual([f.message for f in all_findings(design) if f.level in ("stop", "look")], [])


class Cooling(unittest.TestCase):
    """What is offered against a part that gets too hot."""

    def regulator(self, feed: str, load: str) -> Design:
        """Make a regulator in TO-220 with a load."""
        return said(
            Design(name="x", board=board()),
            "add J1 NT-2",
            "add U1 AR-50T",
            "add C1..2 DC-20X-10U",
            "join J1.1 U1.IN C1.1 IN",
            "join U1.OUT C2.1 OUT",
            "join J1.2 U1.GND C1.2 C2.2 GND",
            f"source PACK IN GND {feed}",
            f"load LAMP OUT GND {load}",
        )

    def test_tried_before_it_is_offered(self) -> None:
        """The smallest sink that is enough; where none is, the converter with its pins; each cures when it is taken."""
        for feed, load, ask in (
            ("12V", "0.4A", "sink U1 IC-220"),
            ("24V", "0.3A", "sink U1 IH-38"),
            ("24V", "0.9A", "swap U1 PM-50"),
        ):
            d = self.regulator(feed, load)
            found = [f for f in with_cooling(d, all_findings(d), resources()) if f.code == "part-hot"]
            self.assertEqual([f.remedy and f.remedy.ask for f in found], [ask])
            self.assertNotIn("part-hot", {f.code for f in all_findings(said(d, ask))})

    def test_what_takes_no_sink(self) -> None:
        """A part without a face for one, and what is no sink, are refused with what would do."""
        d = self.regulator("12V", "0.4A")
        for sentence, words in (
            ("sink C1 IC-220", "no face"),
            ("sink U1 C1", "no heat sink"),
            ("sink U1 900", "no heat sink"),
        ):
            with self.assertRaisesRegex(VaneStepError, words):
                said(d, sentence)
        self.assertEqual(said(d, "sink U1 9K/W", "sink U1 none").parts, d.parts)


class Sheet(unittest.TestCase):
    """The sheet of copper and glass."""

    def test_a_strip_is_a_fin(self) -> None:
        """Heated across its middle a strip is as warm there and at its ends as the fin equation says, within 2 %."""
        sheet = HeatSheet(strip())
        picture = np.zeros((sheet.tall, sheet.wide))
        middle = sheet.wide // 2
        picture[:, middle - 1 : middle + 1] = 0.5 / (2 * sheet.tall)
        rise = sheet.rows(sheet.rise(picture[sheet.inside]))
        spread = 0.3 * 1.6e-3 + 2 * 390 * 35e-6
        bend = math.sqrt(2 * FACE_W_M2K / spread)
        reach = bend * 0.04
        at_middle = 0.25 / (math.tanh(reach) * bend * spread * 0.02)
        self.assertAlmostEqual(at_middle, 21.21, delta=0.01)
        self.assertAlmostEqual(float(rise[:, middle].mean()), at_middle, delta=0.02 * at_middle)
        self.assertAlmostEqual(float(rise[:, 0].mean()), at_middle / math.cosh(reach), delta=0.02 * 12.99)

    def test_for_a_time(self) -> None:
        """After a moment all heat is still where it was put, after an hour it is as if for ever, and between less."""
        sheet = HeatSheet(strip())
        heat = np.zeros(sheet.count)
        heat[sheet.count // 2] = 0.5
        ever = sheet.rise(heat)
        short, longer = sheet.rise(heat, 0.01), sheet.rise(heat, 20.0)
        self.assertAlmostEqual(float((short * sheet.holds_j_k).sum()), 0.005, delta=1e-6)
        self.assertTrue((short <= longer + 1e-12).all() and (longer <= ever + 1e-9).all())
        np.testing.assert_allclose(sheet.rise(heat, 1e5), ever, rtol=0.02)

    def test_what_goes_in_comes_out(self) -> None:
        """All heat leaves at the faces, a part warms another as much as that warms it, and two at once add up."""
        d = demo(FROST)
        sheet, under = HeatSheet(d), feet(d)
        refs = ("D1", "U3", "Q1", "LED1")
        each = between_parts(d, refs)
        np.testing.assert_allclose(each, each.T, rtol=1e-9)
        self.assertTrue((each.max(axis=0) == np.diag(each)).all())
        heat = np.zeros(sheet.count)
        for ref, watts in zip(refs, (0.4, 0.2, 0.1, 0.05), strict=True):
            np.add.at(heat, under[ref][0], under[ref][1] * watts)
        rise = sheet.rise(heat)
        area = (sheet.cell_mm / 1000) ** 2 * sheet.share[sheet.inside]
        self.assertAlmostEqual(float((2 * FACE_W_M2K * area * rise).sum()), 0.75, places=9)
        at = [float((rise[under[r][0]] * under[r][1]).sum()) for r in refs]
        np.testing.assert_allclose(at, each @ np.array([0.4, 0.2, 0.1, 0.05]), rtol=1e-9)


def warm(apart_mm: float, heater: str) -> Design:
    """Make a board with a regulator that gets warm by itself and a resistor that heats the board beside it."""
    d = said(Design(name="warm", board=board(60, 40)), "add NH-1x2", f"add R {heater}", "add AR-50")
    u = next(p for p in d.parts.values() if p.ref.startswith("U"))
    names = {p.name.upper(): f"{u.ref}.{p.number}" for p in reversed(u.pins)}
    into, out = names["IN"], names["OUT"]
    d = said(d, f"join J1.1 R1.1 {into} VIN", f"join J1.2 R1.2 {names['GND']} GND", f"join {out} 5V0")
    d = said(d, "source B VIN GND 12V", "load L 5V0 GND 110mA", "place J1 50 20", "place R1 20 20")
    return said(d, f"place {u.ref} {20 + apart_mm} 20")


class Findings(unittest.TestCase):
    """What is told of warmth."""

    def test_copper_is_part_of_it(self) -> None:
        """The heat of a state is that of its parts and of its copper; a demo in its worst state stays within limits."""
        d = demo(FROST)
        state = max(
            (r for r in readings(d).all if r.settled), key=lambda r: sum(p.watts for p in r.parts.values())
        )
        heat = board_heat(d, state)
        placed = sum(p.watts for p in state.parts.values())
        self.assertAlmostEqual(heat.parts_w, placed, delta=0.05)
        self.assertGreater(heat.copper_w, 0.02)
        self.assertEqual(heat_findings(d), ())

    def test_a_warm_neighbour(self) -> None:
        """A regulator that is well by itself is too hot beside a heater, and well again away from it."""
        told = [{f.code for f in all_findings(warm(*how))} for how in ((8, "15k"), (8, "75"), (30, "15k"))]
        hot = [bool(codes & {"part-warmed", "board-hot"}) for codes in told]
        self.assertEqual(hot, [False, True, False])
