"""The stencil by closed forms, and placement files in every convention, read back as a house reads them."""

from __future__ import annotations

import math
import unittest

from tests.support import BEEPER, CIDER, FROST, demo, said
from vane_step.core.errors import InputError
from vane_step.core.fab.conventions import CONVENTIONS, convention_of, placement_as, proved
from vane_step.core.fab.reader import read_gerber
from vane_step.core.fab.stencil import (
    FOILS_UM,
    LEAST_RATIO,
    area_ratio,
    best_foil_um,
    foil_of,
    stencil,
    stencil_file,
    stencil_findings,
)
from vane_step.core.fab.strict import check_files

STAMP = "2026-11-30T00:00:00Z"


class Stencils(unittest.TestCase):
    """Openings, their walls, their paste."""

    def test_area_ratio(self) -> None:
        """A rectangle, a circle and a capsule by their closed forms; thinner foils let go more."""
        self.assertAlmostEqual(area_ratio(0.5, 1.0, False, 0.12), 0.5 / (3.0 * 0.12))
        self.assertAlmostEqual(area_ratio(0.4, 0.4, True, 0.1), 0.4 / (4 * 0.1))
        capsule = (math.pi * 0.09 + 0.6 * 0.6) / ((math.pi * 0.6 + 1.2) * 0.12)
        self.assertAlmostEqual(area_ratio(1.2, 0.6, True, 0.12), capsule)
        for name in (FROST, CIDER):
            d = demo(name)
            worst = [min(o.ratio for o in stencil(d, "front", f)) for f in FOILS_UM]
            self.assertEqual(worst, sorted(worst, reverse=True))
            best = best_foil_um(d)
            self.assertEqual(list(stencil_findings(d, "front", best)), [])
            thick = [f for f in FOILS_UM if f > best]
            if thick:
                (told,) = stencil_findings(d, "front", thick[-1])
                self.assertTrue(told.as_listed() and (told.reading or 1) < LEAST_RATIO)
        self.assertEqual(stencil(demo(BEEPER), "front"), ())
        for wrong in ("110um", "thick"):
            with self.assertRaises(InputError):
                foil_of(wrong)

    def test_openings_lie_on_their_pads(self) -> None:
        """Read back from the file every opening lies on a paste pad of a fitted part, and none is larger than it; the frame is round it."""
        d = said(demo(FROST), "fit C9 no")
        text = stencil_file(d, "front", STAMP, 120, "260 x 330")
        read = read_gerber(text, "stencil.gbr")
        plain = stencil(d, "front", 120)
        self.assertEqual(len(read.flashes), len(plain))
        self.assertFalse([f for f in read.flashes if f.attributes["P"][0] == "C9"])
        by = {(p.ref, x.number): x for p in d.parts.values() for x in d.packages[p.package].pads}
        for o in plain:
            ref, _, number = o.pin.rpartition(".")
            pad = by[ref, number]
            self.assertLessEqual(o.width_mm, pad.width_nm / 1e6 + 1e-9)
            self.assertLessEqual(o.height_mm, pad.height_nm / 1e6 + 1e-9)
            self.assertAlmostEqual(
                o.paste_mm3 / 0.12, o.width_mm * o.height_mm, delta=0.22 * o.width_mm * o.height_mm
            )
        self.assertEqual([b for b in check_files({"stencil.gbr": text}) if b.grade == "error"], [])
        with self.assertRaises(InputError):
            stencil_file(d, "front", STAMP, 120, "10 x 10")


class Placements(unittest.TestCase):
    """Whoever counts how."""

    def test_pin_one_lies_on_pin_one(self) -> None:
        """In every convention, on both sides and at any turn, a part put down as the file says has its pin 1 where the board has it."""
        d = said(demo(FROST), "flip R13 U2 Q1", "turn U1 90", "turn R2 180", "turn R3 270")
        odd = {p.place.turn_deg % 360 for p in d.parts.values() if p.place}
        self.assertGreater(len(odd), 2)
        texts = set()
        for convention in CONVENTIONS.values():
            text = placement_as(d, convention)
            texts.add(text)
            rows = proved(d, text, convention)
            self.assertGreater(len(rows), 40)
            self.assertEqual([r.ref for r in rows if not r.agrees], [], convention.name)
            # A file of one convention read in another puts parts wrong: the proof can fail.
            for other in CONVENTIONS.values():
                if other is not convention:
                    self.assertTrue(
                        any(not r.agrees for r in proved(d, text, other)), (convention.name, other.name)
                    )
            # A table that says a package lies otherwise turns that package alone.
            name = d.parts["U1"].package
            table = {name: 90.0}
            self.assertTrue(
                all(r.agrees for r in proved(d, placement_as(d, convention, table), convention, table))
            )
            wrong = [r.package for r in proved(d, placement_as(d, convention, {name: 45.0}), convention)]
            self.assertIn(name, wrong)
        self.assertEqual(len(texts), len(CONVENTIONS))
        with self.assertRaises(InputError):
            convention_of("sideways")
