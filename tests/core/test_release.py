"""Releases: what is written reads back as the design, and any damage to any file is seen."""

from __future__ import annotations

import csv
import io
import json
import re
import unittest
import zipfile
from xml.etree import ElementTree

import shapely
from hypothesis import given, settings, strategies as st

from tests.support import (
    BEEPER,
    FROST,
    awkward,
    board,
    demo,
    design,
    part,
    said,
)
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import holes
from vane_step.core.design.edits import SetItem, apply
from vane_step.core.errors import StopsOpen
from vane_step.core.fab.reader import UnreadableFile, read_drill, read_gerber, read_netlist
from vane_step.core.fab.release import Release, release, write_files
from vane_step.core.judge import all_findings, waive
from vane_step.core.quantity import nm

STAMP = "2026-01-01T00:00:00Z"


class Offered(unittest.TestCase):
    """A release is given only for a board without stops, and names what was accepted."""

    def test_stops_refuse_by_name(self) -> None:
        """Open links, a short the designer made and a pin without a pad are named; none is called a fault of the program."""
        good = demo(FROST)
        self.assertTrue(release(good, STAMP).offered)
        short = said(
            good,
            "lift HORN",
            f"place R7 {good.parts['R8'].place.x_nm / 1e6} {good.parts['R8'].place.y_nm / 1e6}",
        )  # type: ignore[union-attr]
        pack = good.packages["CHIP-1608M"]
        no_pad = apply(good, SetItem(package=pack.model_copy(update={"pads": pack.pads[1:]})))[0]
        for bad, code in ((said(good, "lift HORN"), "unrouted"), (short, "short"), (no_pad, "no-copper")):
            made = release(bad, STAMP)
            self.assertIn(code, {f.code for f in made.stops})
            with self.assertRaises(StopsOpen) as caught:
                made.zipped()
            self.assertNotIn("fault of the program", caught.exception.line())
            self.assertIn("forbid", caught.exception.message)
        self.assertEqual(
            {
                p.rpartition(".")[2]
                for f in release(no_pad, STAMP).stops
                for p in f.place.pins
                if f.code == "no-copper"
            },
            {pack.pads[0].number},
        )

    def test_links_come_from_the_nets(self) -> None:
        """Whatever pads packages have, a design has the links its nets need; what has no copper stays open."""
        d = demo(BEEPER)
        wanted = sum(len(n.pins) - 1 for n in d.nets.values())
        self.assertEqual(figures(d)["links_total"], wanted)
        for name in {p.package for p in d.parts.values()}:
            pack = d.packages[name]
            if len(pack.pads) > 1:
                less = apply(d, SetItem(package=pack.model_copy(update={"pads": pack.pads[:1]})))[0]
                numbers = figures(less)
                self.assertEqual(numbers["links_total"], wanted, name)
                self.assertEqual(
                    numbers["links_open"] > 0, any(f.code == "no-copper" for f in check(less).findings), name
                )

    def test_accepted_findings_go_with_the_files(self) -> None:
        """A stop of the circuit that somebody accepted no longer forbids, and is named in the release with the reason."""
        d = said(demo(FROST), "remove D5")
        [stop] = [f for f in all_findings(d) if f.level == "stop" and f.place.step == "circuit"][:1]
        kept = apply(
            d, waive(d, stop.code, " ".join(stop.place.pins or stop.place.refs), "bench supply, agreed")
        )[0]
        self.assertNotIn(stop.key(), {f.key() for f in release(kept, STAMP).stops})
        rows = list(csv.DictReader(io.StringIO(release(kept, STAMP).files["frost-sentinel-accepted.csv"])))
        self.assertIn(("bench supply, agreed", stop.code), {(r["reason"], r["rule"]) for r in rows})

    def test_half_micrometres(self) -> None:
        """Pads on halves of a micrometre, wherever they lie and however turned, are no difference."""
        for k in range(60):
            x, y = 15.5 + 0.0005 * k, 35.5 + 0.0135 * k
            parts = [
                part("R1", "CHIP-2012M", x, y, turn=(0, 90, 180, 270)[k % 4]),
                part("U1", "SOT-23-5", 20 + 0.0005 * (k % 7), 12, side="back"),
            ]
            made = release(design(parts, {}, board(40, 40)), STAMP)
            self.assertEqual([f.message for f in made.read.differences], [], (x, y))

    def test_pours_in_holes_of_pours(self) -> None:
        """Pours of three nets one in the hole of the other, at any depth and in any order, are written as they are."""
        parts = [part("J1", "HDR-1x3", 6, 6), part("J2", "HDR-1x3", 25, 25)]
        nets = {"A": "J1.1 J2.1", "B": "J1.2 J2.2", "C": "J1.3 J2.3"}
        for order in ("ABC", "CBA", "BAC", "BCA"):
            d = design(parts, nets, board(50, 50))
            boxes = {"A": (), "B": ("box=10,10,34x34", "priority=1"), "C": ("box=20,20,14x14", "priority=2")}
            for name in order:
                d = said(d, " ".join(("pour", name, "back", *boxes[name])))
            self.assertEqual([f.message for f in release(d, STAMP).read.differences], [], order)


class Reader(unittest.TestCase):
    """The reader, against files written by hand from the standards."""

    def test_a_gerber_written_by_hand(self) -> None:
        """Inches, leading zeros left out, modal coordinates, macros, regions and clear polarity give the area on paper."""
        text = (
            "G04 by hand*\n%FSLAX24Y24*%\n%MOIN*%\n%TF.FileFunction,Copper,L1,Top*%\n%AMBAR*21,1,$1,$2,0,0,$3*%\n%ADD10C,0.1*%\n%ADD11R,0.2X0.1*%\n"
            "%ADD12BAR,0.2X0.1X90*%\nD10*\nX0Y0D02*\nX10000D01*\nD11*\nX20000Y20000D03*\nD12*\nX30000D03*\nG36*\nX50000Y0D02*\nX60000D01*\nY10000D01*\n"
            "X50000D01*\nY0D01*\nG37*\n%LPC*%\nG36*\nX52000Y2000D02*\nX54000D01*\nY4000D01*\nX52000D01*\nY2000D01*\nG37*\nM02*\n"
        )
        layer = read_gerber(text, "hand.gbr")
        square = (1 * 0.1 + 3.14159265 * 0.05**2 + 2 * 0.02 + 1.0 - 0.04) * 25.4**2
        self.assertAlmostEqual(layer.image.area, square, delta=0.01)
        self.assertTrue(
            layer.image.contains(shapely.Point(3 * 25.4, (2 + 0.09) * 25.4)), "the macro is turned"
        )

    def test_a_drill_file_by_hand(self) -> None:
        """Inch tools and places become millimetres; plating is read from the attribute."""
        text = (
            "M48\n; #@! TF.FileFunction,NonPlated,1,2,NPTH\nINCH\nT1C0.125\n%\nG05\nT1\nX1.0Y-0.5\nT0\nM30\n"
        )
        drill = read_drill(text, "hand.xnc")
        self.assertEqual((drill.plated, drill.holes), (False, [(25.4, -12.7, 3.175)]))

    def test_netlist_records(self) -> None:
        """Aliases are resolved and columns read by their place."""
        text = "C  x\nP  UNITS CUST 1\nP  NNAME1 A_LONG_NAME_INDEED\n"
        text += "327NNAME1           U1    -3           A01X+012340Y-005000X1000Y0500R000 S0\n317GND              VIA   -     D0300P A00X+000100Y+000200X0600Y0600R000 S0\n999\n"
        one, two = read_netlist(text, "hand.ipc")
        self.assertEqual(
            (one.net, one.ref, one.pin, one.x, one.y, one.access),
            ("A_LONG_NAME_INDEED", "U1", "3", 12.34, -5.0, 1),
        )
        self.assertEqual((two.hole, two.access), (0.3, 0))

    @settings(max_examples=150)
    @given(st.data())
    def test_damaged_files(self, data: st.DataObject) -> None:
        """Damage at any place gives an image or an unreadable file, never another error."""
        files = write_files(awkward(), STAMP)
        name = data.draw(st.sampled_from(sorted(n for n in files if n.endswith((".gbr", ".xnc", ".ipc")))))
        text = files[name]
        at, cut = data.draw(st.integers(0, len(text) - 1)), data.draw(st.integers(0, 30))
        put = data.draw(
            st.sampled_from(
                ["", "*", "%", "X", "D01*", "\n", "999999999999", "-", "G36*", "é", "%ADD10*%", "%AM*%", "T9"]
            )
        )
        read = {"gbr": read_gerber, "xnc": read_drill, "ipc": read_netlist}[name[-3:]]
        try:
            read(text[:at] + put + text[at + cut :], name)
        except UnreadableFile as error:
            self.assertIn(name, str(error))


class Files(unittest.TestCase):
    """The files themselves."""

    def test_zip(self) -> None:
        """The same design gives the same bytes; every file of the list is in it and the job file names the layers."""
        made = release(demo(FROST), STAMP)
        self.assertEqual(made.zipped(), Release(made.name, made.files, made.read).zipped())
        with zipfile.ZipFile(io.BytesIO(made.zipped())) as archive:
            self.assertEqual(set(archive.namelist()), set(made.files))
            job = json.loads(archive.read("frost-sentinel-job.gbrjob"))
        named = {f["Path"] for f in job["FilesAttributes"]}
        self.assertEqual(named, {n for n in made.files if n.endswith((".gbr", ".xnc"))})
        self.assertEqual(
            (job["GeneralSpecs"]["LayerNumber"], job["GeneralSpecs"]["Size"]), (2, {"X": 80.0, "Y": 56.0})
        )

    def test_tables(self) -> None:
        """Every part is in the parts list once, and in the placement file where the design has it."""
        d = demo(FROST)
        files = release(d, STAMP).files
        rows = list(csv.DictReader(io.StringIO(files["frost-sentinel-parts.csv"])))
        listed = [r for row in rows for r in row["references"].split()]
        self.assertEqual(sorted(listed), sorted(d.parts))
        self.assertEqual(sum(int(row["count"]) for row in rows), len(d.parts))
        for row in csv.DictReader(io.StringIO(files["frost-sentinel-placement.csv"])):
            place = d.parts[row["ref"]].place
            assert place is not None
            self.assertEqual((nm(float(row["x_mm"])), nm(float(row["y_mm"]))), (place.x_nm, place.y_nm))

    def test_what_is_not_fitted_is_in_no_list(self) -> None:
        """As drawn and in each variant, parts list and placement hold what is fitted, with order numbers and extra lines."""
        d = said(
            demo(FROST),
            "fit R7 no",
            "fit LED1 no in quiet",
            "fit R7 yes in quiet",
            "variant Q",
            "variant q",
            'extra SOCKET 2 "=32-way socket" number=SK-32 for=U2',
        )
        files = write_files(d, STAMP)
        for name, gone in (("", {"R7"}), ("-quiet", {"LED1"}), ("-q", {"R7"}), ("-q-2", {"R7"})):
            rows = list(csv.DictReader(io.StringIO(files[f"frost-sentinel{name}-parts.csv"])))
            extra = rows.pop()
            self.assertEqual(
                (extra["count"], extra["number"], extra["value"]), ("2", "SK-32", "'=32-way socket")
            )
            self.assertEqual(
                {r for row in rows for r in row["references"].split()}, set(d.parts) - gone, name
            )
            self.assertEqual(
                {d.parts[row["references"].split()[0]].catalogue for row in rows},
                {row["number"] for row in rows},
            )
            placed = list(csv.DictReader(io.StringIO(files[f"frost-sentinel{name}-placement.csv"])))
            self.assertEqual({row["ref"] for row in placed}, set(d.parts) - gone, name)
            self.assertLessEqual({row["mounting"] for row in placed}, {"surface", "through", "both"})
            drawn = ElementTree.fromstring(files[f"frost-sentinel{name}-assembly.svg"])
            dashed = [e for e in drawn.iter("{http://www.w3.org/2000/svg}path") if e.get("stroke-dasharray")]
            named = {e[-1].tail for e in drawn.iter("{http://www.w3.org/2000/svg}text") if len(e)}
            self.assertEqual((len(dashed), named), (len(gone), set(d.parts)), name)

    def test_gerber_is_within_the_format(self) -> None:
        """Each file states format and unit once, ends once, and only uses apertures it defined."""
        for name, text in write_files(awkward(), STAMP).items():
            if name.endswith(".gbr"):
                self.assertEqual(
                    (text.count("%FSLAX46Y46*%"), text.count("%MOMM*%"), text.count("M02*")), (1, 1, 1), name
                )
                defined = set(re.findall(r"%ADD(\d+)", text))
                self.assertLessEqual(set(re.findall(r"^D(\d{2,})\*$", text, re.M)), defined, name)
                self.assertTrue(text.isascii(), f"{name}: letters beyond ASCII are escaped")

    def test_every_hole_is_drilled_once(self) -> None:
        """Plated and unplated files together hold the holes of the design, none twice."""
        d = awkward()
        drills = release(d, STAMP).read.drills.values()
        spots = [h for x in drills for h in x.holes]
        self.assertEqual(len(spots), len(set(spots)))
        self.assertEqual(len(spots), len(holes(d)))
