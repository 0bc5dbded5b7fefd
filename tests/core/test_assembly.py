"""The stencil by closed forms, and placement files in every convention, read back as a house reads them."""

from __future__ import annotations

import csv
import io
import math
import unittest

import pypdfium2

from tests.support import BEEPER, CIDER, FROST, PANEL, board, demo, design, part, said
from vane_step.core.board.geometry.shapes import bodies, copper_items
from vane_step.core.errors import InputError
from vane_step.core.fab.assembly import assembly_sides
from vane_step.core.fab.assembly_files import assembly_pdf
from vane_step.core.fab.conventions import CONVENTIONS, convention_of, placement_as, proved
from vane_step.core.fab.reader import read_gerber
from vane_step.core.fab.release import release
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
from vane_step.core.judge import stops
from vane_step.core.order.sources import sources_of
from vane_step.data.shipped import catalogue

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


class Drawings(unittest.TestCase):
    """What is put on the board by hand, on paper."""

    def test_pdf(self) -> None:
        """Every fitted part is named on a page of its side and in the list; pages are A4; variants leave parts out."""
        d = demo(FROST)
        for variant in ("", *d.variants):
            pages = list(pypdfium2.PdfDocument(assembly_pdf(d, variant)))
            texts = [p.get_textpage().get_text_range() for p in pages]
            self.assertTrue(all(sorted(round(v) for v in p.get_size()) == [595, 842] for p in pages))
            drawn, listed = texts[0].split(), " ".join(texts[1:]).split()
            out = {p.ref for side in assembly_sides(d, variant) for p in side.parts if not p.fitted}
            self.assertLessEqual(set(d.parts), set(drawn))
            self.assertEqual(set(d.parts) - set(listed), out)

    def test_polarity(self) -> None:
        """Each diode has its K outside its body, at its cathode; what may be put in either way has no mark."""
        for name in (FROST, CIDER, PANEL):
            d = demo(name)
            pads = {i.id: i for i in copper_items(d) if i.kind == "pad"}
            for side in assembly_sides(d):
                for drawn in side.parts:
                    pins = d.parts[drawn.ref].pins
                    if {p.name for p in pins} >= {"A", "K"} and len(pins) == 2:
                        ((spot, letter),) = drawn.ends
                        ways = {p.name: pads[f"{drawn.ref}.{p.number}"] for p in pins}
                        x0 = min(x for x, _ in d.board.outline) / 1e6
                        x1 = max(x for x, _ in d.board.outline) / 1e6
                        y0 = min(y for _, y in d.board.outline) / 1e6
                        here = (spot[0] + x0 if side.side == "front" else x1 - spot[0], spot[1] + y0)
                        far = {n: math.dist(here, (i.x_mm, i.y_mm)) for n, i in ways.items()}
                        self.assertLess(far["K"], far["A"], drawn.ref)
                        body = bodies(d)[drawn.ref].bounds
                        inside = body[0] < here[0] < body[2] and body[1] < here[1] < body[3]
                        self.assertEqual((letter, inside), ("K", False), drawn.ref)
                    elif d.parts[drawn.ref].kind == "resistor":
                        self.assertEqual((drawn.ends, drawn.pin1 is None), ((), len(pins) == 2))

    def test_hidden(self) -> None:
        """What lies under a higher part is told to come before it."""
        d = design(
            [part("U1", "DIP-28", 20, 15), part("R1", "CHIP-1608M", 20, 15), part("R2", "CHIP-1608M", 5, 5)],
            on=board(),
        )
        (side,) = assembly_sides(d)
        self.assertEqual(side.hidden, (("U1", ("R1",)),))
        self.assertIn(
            "before U1, which covers them: R1",
            pypdfium2.PdfDocument(assembly_pdf(d))[0].get_textpage().get_text_range(),
        )


class Sources(unittest.TestCase):
    """Makers, and parts that could take the places of others."""

    def test_what_stands_in(self) -> None:
        """Each part of a demo can be exchanged for each that is named beside it, and no stop comes of it."""
        d = demo(FROST)
        tried = 0
        for source in sources_of(d, catalogue()):
            refs = [r for r, p in d.parts.items() if p.catalogue == source.number]
            for number, _ in source.others:
                tried += 1
                swapped = said(d, f"swap {' '.join(refs)} {number}")
                self.assertEqual([f.message for f in stops(swapped)], [f.message for f in stops(d)], number)
                self.assertEqual({swapped.parts[r].package for r in refs}, {d.parts[r].package for r in refs})
        self.assertGreater(tried, 5)

    def test_files(self) -> None:
        """Makers and alternates stand in the list of parts, and makers in the component layers, by the standard."""
        d = demo(FROST)
        found = {s.number: s for s in sources_of(d, catalogue())}
        made = release(d, STAMP, tuple(found.values()))
        self.assertTrue(made.offered)
        rows = list(csv.DictReader(io.StringIO(made.files["frost-sentinel-parts.csv"])))
        for row in rows:
            source = found.get(row["number"])
            self.assertEqual(
                (row["maker"], row["alternates"]), (source.maker, source.told()) if source else ("", "")
            )
        layer = made.files["frost-sentinel-components-front.gbr"]
        self.assertEqual(layer.count("TO.CMfr,"), layer.count("TO.CMPN,"))
