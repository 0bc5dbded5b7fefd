"""Packages from dimensions: every family against the method's own terms, mirrored answers refused, prints measured."""

from __future__ import annotations

import itertools
import math
import re
import unittest

import shapely
from hypothesis import given, settings, strategies as st

from tests.support import FROST, board, demo, design, part, said
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import keepouts
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.model import Brief, Package, Pour, Track
from vane_step.core.errors import EditRefused, InputError, VaneStepError
from vane_step.core.judge import all_findings
from vane_step.core.patterns.dimensions import from_dimensions, read_span
from vane_step.core.patterns.families import DIMENSIONED
from vane_step.core.patterns.landpattern import pad_shape
from vane_step.core.patterns.packages import package, package_examples
from vane_step.core.patterns.patternsheet import DIRECTIONS, SENSES, judged, measures, pattern_pdf, truth
from vane_step.core.patterns.skills import is_leadless, skill_misfits
from vane_step.core.route.router import route


def mirrored(pack: Package) -> Package:
    """Give a pattern as it would be, drawn from a view from below."""
    return pack.model_copy(update={"pads": tuple(p.model_copy(update={"x_nm": -p.x_nm}) for p in pack.pads)})


class Families(unittest.TestCase):
    """All fifteen."""

    def test_usual_values(self) -> None:
        """Each family makes a sound package of its usual values: pads apart, inside the courtyard, its drawing kept."""
        self.assertEqual(len(DIMENSIONED), 15)
        for name in DIMENSIONED:
            for kitchen in (False, True):
                with self.subTest(name, kitchen=kitchen):
                    p = from_dimensions(name, "", {}, kitchen)
                    shapes = [pad_shape(x) for x in p.pads]
                    self.assertGreaterEqual(
                        min(a.distance(b) for a, b in itertools.combinations(shapes, 2)), 0.15 - 1e-6
                    )
                    self.assertTrue(
                        shapely.box(*(v / 1e6 for v in p.courtyard_nm)).covers(
                            shapely.union_all(shapes).buffer(0.2)
                        )
                    )
                    self.assertTrue(p.drawing and p.source and measures(p))

    @settings(max_examples=60)
    @given(
        st.integers(2, 16),
        st.integers(0, 16),
        st.sampled_from([0.4, 0.5, 0.65, 0.8]),
        st.floats(0.2, 0.5),
        st.floats(0.0, 0.15),
        st.sampled_from([0.0, 0.3, 0.6, 0.75]),
    )
    def test_no_lead_of_any_size(
        self, left: int, below: int, pitch: float, foot: float, slack: float, thermal: float
    ) -> None:
        """Toes reach beyond the largest body, the thermal pad keeps its distance, and trimming is told."""
        d, e = max(below, 2) * pitch + 2.2, left * pitch + 2.2
        values = {
            "left": str(left),
            "below": str(below),
            "e": f"{pitch}",
            "D": f"{d:.3f}..{d + slack:.3f}",
            "E": f"{e:.3f}..{e + slack:.3f}",
            "T": f"{foot:.3f}",
            "W": f"{pitch * 0.45:.3f}",
            "D2": f"{d * thermal:.3f}",
            "E2": f"{e * thermal:.3f}",
        }
        p = from_dimensions("no-lead", "N", values)
        first = p.pads[0]
        self.assertGreaterEqual(-(first.x_nm - first.width_nm / 2) / 1e6 + 0.06, (d + slack) / 2 + 0.2)
        shapes = [pad_shape(x) for x in p.pads]
        gap = min(a.distance(b) for a, b in itertools.combinations(shapes, 2))
        self.assertGreaterEqual(gap, 0.15 - 1e-6)
        self.assertTrue(is_leadless(p))
        self.assertEqual(skill_misfits(p, Brief(no_leadless=True)) != [], True)

    def test_numbering(self) -> None:
        """Pin 1 is at the top left, the numbers run anticlockwise; a J-lead begins in the middle of the upper side."""
        quad = from_dimensions("no-lead", "", {})
        self.assertTrue(quad.pads[0].x_nm < 0 < quad.pads[0].y_nm)
        self.assertEqual(truth(quad), ("below", "anticlockwise"))
        j = from_dimensions("j-lead", "", {})
        self.assertEqual((j.pads[0].x_nm, j.pads[0].y_nm > 0, truth(j)), (0, True, ("left", "anticlockwise")))
        bga = {p.number: p for p in from_dimensions("ball-grid", "", {"rows": "10", "columns": "3"}).pads}
        self.assertNotIn("I1", bga)
        self.assertTrue(bga["A1"].x_nm < bga["A3"].x_nm and bga["A1"].y_nm > bga["J1"].y_nm > bga["K1"].y_nm)
        rings = from_dimensions("ball-grid", "", {"rows": "8", "columns": "8", "rings": "2"})
        self.assertEqual(len(rings.pads), 64 - 16)
        keyed = from_dimensions("header", "", {"rows": "2", "columns": "5", "key": "7"})
        self.assertEqual([p.number for p in keyed.pads], ["1", "2", "3", "4", "5", "6", "8", "9", "10"])

    def test_refusals(self) -> None:
        """Dimensions that make no part name themselves."""
        for family, values, says in (
            ("teapot", {}, "no family"),
            ("gull", {"pins": "7"}, "divide"),
            ("gull", {"pins": "many"}, "number of pins"),
            ("chip", {"L": "x"}, "length"),
            ("chip", {"L": "2..1"}, "least first"),
            ("chip", {"L": "1", "T": "0.6"}, "meet in the middle"),
            ("chip", {"colour": "1"}, "no dimension"),
            ("transistor", {"pins": "4"}, "3, 5, 6"),
            ("axial", {"e": "3"}, "bend inside"),
            ("header", {"rows": "3"}, "no such header"),
            ("ball-grid", {"rows": "40", "columns": "2"}, "20 rows"),
            ("module", {"antenna": "20"}, "antenna"),
            ("no-lead", {"W": "0.6"}, "wider than"),
        ):
            with self.subTest(family, values=values), self.assertRaises(InputError) as caught:
                from_dimensions(family, "X", values)
            self.assertIn(says, caught.exception.line())
        for text, low, high in (
            ("5.8..6.2", 5.8, 6.2),
            ("6±0.2", 5.8, 6.2),
            ("6+-0.2", 5.8, 6.2),
            ("0,5", 0.5, 0.5),
            ("10mil", 0.254, 0.254),
        ):
            span = read_span(text, "L")
            self.assertAlmostEqual(span.low, low)
            self.assertAlmostEqual(span.high, high)


class Questions(unittest.TestCase):
    """The two questions that catch a mirrored pattern."""

    def test_every_mirrored_pattern_is_caught(self) -> None:
        """Answered from a true drawing, every package passes as it is and none of those with a sense passes mirrored."""
        for name in package_examples():
            p = package(name)
            right = truth(p)
            if right is None:
                self.assertLessEqual(len({q.number for q in p.pads}), 2, name)
                continue
            with self.subTest(name):
                self.assertIn("as in the drawing", judged(p, *right).checked)
                wrong = mirrored(p)
                flat = (
                    abs(shapely.Polygon([(q.x_nm, q.y_nm) for q in p.pads]).area) < 1e9
                    if len(p.pads) > 2
                    else True
                )
                if truth(wrong) != right:
                    with self.assertRaises(EditRefused):
                        judged(wrong, *right)
                else:
                    self.assertTrue(flat and right[0] in ("above", "below"), "mirroring goes unseen")
                for pin2, sense in itertools.product(DIRECTIONS, SENSES):
                    if (pin2, sense) != right:
                        with self.assertRaises(EditRefused):
                            judged(p, pin2, sense)

    def test_findings_until_checked(self) -> None:
        """An unproved pattern of a board ready to order is a look, a checked one a note, a proved one nothing."""
        d = demo(FROST)
        self.assertNotIn("unproved-pattern", {f.code for f in all_findings(d)})
        d = said(d, "pattern SOT-23 transistor", "swap R16 QR-16-22K")
        mine = [f for f in all_findings(d) if f.code == "unproved-pattern"]
        self.assertEqual([(f.level, f.place.refs) for f in mine], [("look", ("Q1",))])
        right = truth(d.packages["SOT-23"])
        assert right is not None
        checked = said(d, f"checked SOT-23 {right[0]} {right[1]}")
        self.assertEqual([f.level for f in all_findings(checked) if f.code == "unproved-pattern"], ["note"])
        proved = said(d, 'proved SOT-23 "bench board, 2026-11-20"')
        self.assertEqual([f for f in all_findings(proved) if f.code == "unproved-pattern"], [])
        for text in (
            "checked SOT-23 above sideways",
            "checked NOPE below clockwise",
            "proved NOPE x",
            "pattern X gull pins=9",
        ):
            with self.subTest(text), self.assertRaises(VaneStepError):
                said(d, text)

    def test_print_at_true_size(self) -> None:
        """Measured from the bytes of the PDF, the pads are where the pattern has them and the ruler is 50 mm."""
        for name in ("SOIC-8", "QFN-32", "HDR-1x6", "MODULE-32"):
            p = package(name)
            text = pattern_pdf([p]).decode("latin-1")
            unit = 72 / 25.4
            rects = [
                [float(v) / unit for v in m.split()]
                for m in re.findall(r"n ([\d.]+ [\d.]+ [\d.]+ [\d.]+) re f", text)
            ]
            square = [q for q in p.pads if q.shape == "rect"]
            self.assertEqual(len(rects), len(square))
            for (x, y, w, h), (x2, y2, _, _), one, two in zip(
                rects, rects[1:], square, square[1:], strict=False
            ):
                self.assertAlmostEqual(w, one.width_nm / 1e6, delta=0.01)
                self.assertAlmostEqual(h, one.height_nm / 1e6, delta=0.01)
                dx = (two.x_nm - two.width_nm / 2 - one.x_nm + one.width_nm / 2) / 1e6
                dy = (two.y_nm - two.height_nm / 2 - one.y_nm + one.height_nm / 2) / 1e6
                self.assertAlmostEqual(math.hypot(x2 - x - dx, y2 - y - dy), 0, delta=0.02)
            a, b = re.findall(r"n ([\d.]+) ([\d.]+) m ([\d.]+) ([\d.]+) l S", text)[0][0::2]
            self.assertAlmostEqual((float(b) - float(a)) / unit, 50, delta=0.01)


class Antenna(unittest.TestCase):
    """A module's zone stays free of copper."""

    def test_tracks_and_pours_keep_out(self) -> None:
        """Routing goes round the zone, a pour leaves it, and copper laid into it is a stop, on either side and turned."""
        for turn, side in ((0, "front"), (90, "front"), (180, "back")):
            with self.subTest(turn=turn, side=side):
                m = part("U1", "MODULE-32", 30, 30, turn, side=side)
                r = [
                    part(f"R{k}", "CHIP-2012M", x, y)
                    for k, (x, y) in enumerate(((4, 55), (56, 55), (4, 5), (56, 5)), 1)
                ]
                nets = {
                    "A": "R1.2 R2.1",
                    "B": "R3.2 R4.1",
                    "C": "R1.1 R3.1",
                    "D": "R2.2 R4.2",
                    "GND": "U1.1 U1.32",
                }
                d = design([m, *r], nets, board(60, 60))
                d = d.replaced(pours={"g": Pour(id="g", net="GND", layer="back")})
                done = apply(d, route(d).edit)[0]
                [zone] = keepouts(done).values()
                self.assertGreater(zone.area, 100)
                self.assertEqual([f.message for f in check(done).findings if f.level == "stop"], [])
                middle = zone.centroid
                bad = said(done, "lift all")
                points = tuple((round((middle.x + k) * 1e6), round(middle.y * 1e6)) for k in (-1, 1))
                bad = apply(
                    bad,
                    LayCopper(
                        tracks=(Track(id="t1", net="A", layer="front", width_nm=250_000, points=points),)
                    ),
                )[0]
                self.assertIn(("stop", "keep-out"), {(f.level, f.code) for f in check(bad).findings})
