"""The terminal: the same core, exit codes that can be relied on, and nothing written when the input is unusable."""

from __future__ import annotations

import contextlib
import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from PIL import Image

from tests.support import BEEPER, BOARDS, FROST, ROOT, demo, design
from vane_step.cli.app import main
from vane_step.core.board.geometry.filled_shapes import shape_of
from vane_step.core.catalogue.own import own_part
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.data.shipped import catalogue
from vane_step.store.designs import DesignStore

SHIPPED = ROOT / "vane_step" / "data" / "designs"


class Terminal(unittest.TestCase):
    """Commands run as a user runs them."""

    def setUp(self) -> None:
        """Make a folder to work in."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.here = Path(folder.name)

    def run_it(self, *words: object, code: int = 0) -> str:
        """Run a command in this process; give all it says, after checking the exit code and that no fault shows."""
        said = io.StringIO()
        with (
            mock.patch.object(sys, "argv", ["vane-step", *map(str, words)]),
            mock.patch.dict(os.environ, {"COLUMNS": "200"}),
            contextlib.chdir(self.here),
            contextlib.redirect_stdout(said),
            contextlib.redirect_stderr(said),
            self.assertRaises(SystemExit) as ended,
        ):
            main()
        self.assertEqual(ended.exception.code, code, said.getvalue())
        self.assertNotIn("fault of the program", said.getvalue())
        return said.getvalue()

    def run_apart(self, *words: object, code: int = 0) -> str:
        """Run a command in a process of its own, as a user does."""
        done = subprocess.run(
            [sys.executable, "-m", "vane_step", *map(str, words)],
            cwd=self.here,
            capture_output=True,
            text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT)},
            timeout=300,
        )
        self.assertEqual(done.returncode, code, done.stdout + done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return done.stdout + done.stderr

    def refused(self, *words: object, says: str) -> None:
        """Run a command on unusable input: exit 2, one line that says why, and no file written."""
        before = sorted(self.here.rglob("*"))
        said = self.run_it(*words, code=2)
        self.assertEqual(len(said.strip().splitlines()), 1, said)
        self.assertIn(says, said)
        self.assertEqual(sorted(self.here.rglob("*")), before)


class AtTheBench(Terminal):
    """The shelf from the terminal: what the pages keep, by the same words."""

    def setUp(self) -> None:
        """Put a design on a shelf."""
        super().setUp()
        store = DesignStore(self.here / "designs.sqlite3")
        self.id = store.add("beeper", demo(BEEPER)).id
        store.close()

    def bench(self, *words: object, code: int = 0) -> str:
        """Run a command of the bench on that shelf."""
        return self.run_it("bench", *words, "--data", self.here, code=code)

    def test_a_board_is_etched(self) -> None:
        """From bits and bath to a mended fault; what is asked for wrongly is refused with what there is."""
        self.bench("bits", "0.8", "1.0")
        self.bench("bits", "0.8", "--state", "broken")
        self.bench("printer", "Attic", "--across", "49.8")
        self.bench("fitting", "Mill", "--convention", "lower-left", "--turn", "SOT-23=90")
        self.assertIn("23.5 g", self.bench("bath", "Tub", "--volume", "500", "--strength", "400"))
        kept = json.loads(self.bench("things", "--json"))
        self.assertEqual(kept["bits_um"], {"800": "broken", "1000": "whole"})
        self.assertEqual(
            (kept["printers"][0]["across"], kept["houses"][0]["turns"]), (49.8, {"SOT-23": 90.0})
        )
        self.assertIn("clean:", self.bench("etch", self.id, "--copies", "2"))
        self.assertIn("ticked off: clean", self.bench("tick", self.id, 1, "clean"))
        self.assertIn("Allowed: print", self.bench("tick", self.id, 1, "dance", code=2))
        self.assertIn("Allowed: tub", self.bench("start", self.id, 1, "--bath", "pond", code=2))
        self.assertIn(
            "look from", self.bench("start", self.id, 1, "--bath", "tub", "--temperature", "40", "--moved")
        )
        self.assertIn("solder over it", self.bench("fault", self.id, 1, "back", 12, 20, "gap"))
        self.bench("stop", self.id, 1, "--seen", "clean")
        self.assertIn("mended", self.bench("mend", self.id, 1, 0))
        (run,) = json.loads(self.bench("etchings", self.id, "--json")).values()
        self.assertEqual((run["bath"], run["seen"], run["defects"][0]["mended"]), ("tub", "clean", True))
        told = self.bench("etchings", self.id)
        self.assertIn("min in tub; clean", told)
        self.assertGreater(json.loads(self.bench("things", "--json"))["baths"][0]["eaten_g"], 0)
        self.bench("bath", "tub", "--gone")
        self.bench("printer", "Attic", "--forget")
        self.assertIn("handed in", self.bench("things"))
        self.assertIn("no shelf", self.run_it("bench", "things", "--data", self.here / "nowhere", code=2))

    def test_a_board_is_ordered(self) -> None:
        """Houses are asked, an offer is taken, the boards come, are looked at and ordered again."""
        offers = self.bench("ask", self.id, "--set", "quantity=5")
        house, way = offers.split("\n")[0].split(":")[0].split()
        self.assertIn("Allowed:", self.bench("order", self.id, house, "pigeon", code=2))
        self.assertIn("order 1", self.bench("order", self.id, house, way))
        self.bench("change", self.id, 1, "received")
        self.bench("change", self.id, 1, "right", "--key", "count", "--reading", "5")
        self.bench("change", self.id, 1, "again")
        self.assertIn("Allowed: shipped", self.bench("change", self.id, 1, "eaten", code=2))
        told = json.loads(self.bench("orders", self.id, "--json"))
        self.assertEqual((told["1"]["checks"]["count"]["reading"], told["2"]["note"]), (5.0, "as order 1"))
        self.assertIn("count: right, 5", self.bench("orders", self.id))


class FromAFolder(Terminal):
    """From a folder to files for a maker."""

    def test_import_route_check_release_etch(self) -> None:
        """The whole way with reports: 100 % routed, no stop, a zip and a PDF."""
        self.run_apart("import", BOARDS / "smd2L_015_s1", "-o", "a.json", "--report", "import.json")
        said = self.run_it("route", "a.json", "-o", "b.json", "--report", "route.json")
        self.assertIn("62 of 62 connections routed, 0 stop", said)
        self.run_it("check", "b.json", "--report", "check.json")
        self.run_it("release", "b.json", "-o", "b.zip", "--report", "release.json")
        self.run_it("outline", "b.json", "-o", "c.json", "--like", "b.zip", "--report", "like.json")
        like = json.loads((self.here / "like.json").read_text())["figures"]
        b, c = (from_json((self.here / n).read_text()) for n in ("b.json", "c.json"))
        self.assertGreaterEqual(len(like["placed"]), 5)
        for ref in like["placed"]:
            was, now = b.parts[ref].place, c.parts[ref].place
            assert was is not None and now is not None
            self.assertEqual(now, was.model_copy(update={"locked": True}), ref)
        self.run_it("outline", "b.json", "-o", "c.json", "--size", "30x20", "--like", "b.zip", code=2)
        Image.new("L", (60, 40), 255).save(self.here / "blank.png")
        dark = Image.new("L", (60, 40), 255)
        dark.paste(0, (10, 10, 50, 30))
        dark.save(self.here / "bar.png")
        where = ("--width", "6", "--at", "10,10")
        self.run_it("picture", "b.json", "-o", "c.json", "--file", "bar.png", *where, "--report", "ink.json")
        (ink,) = from_json((self.here / "c.json").read_text()).texts.values()
        self.assertAlmostEqual(shape_of(ink).area, 18.0, delta=0.5)
        self.run_it("picture", "b.json", "-o", "d.json", "--file", "blank.png", *where, code=2)
        self.run_it("fill", "b.json", "-o", "c.json", "--net", "GND", "--report", "fill.json")
        (pour,) = json.loads((self.here / "fill.json").read_text())["figures"]["pours"]
        self.assertGreater(pour["area_mm2"], 300)
        offers = json.loads(self.run_it("advise", "b.json", "--json"))
        self.assertEqual([(o["layers"], o["links_open"]) for o in offers], [(2, 0), (4, 0)])
        self.assertGreater(offers[1]["over_ground"], offers[0]["over_ground"])
        ways = json.loads(self.run_it("paths", "c.json", "--json"))["nets"]
        self.assertTrue(all(0 <= w["share"] <= 1 and w["over_mm"] <= w["length_mm"] + 1e-6 for w in ways))
        said = self.run_it("etch", "b.json", "-o", "b.pdf", "--method", "toner", "--copies", "2", code=1)
        self.assertIn("etch-plating", said)
        self.run_apart(
            "etch",
            "b.json",
            "-o",
            "b.svg",
            "--method",
            "film",
            "--ruler",
            "49.9,50.1",
            code=1,
        )
        report = json.loads((self.here / "route.json").read_text())
        figures = report["figures"]
        self.assertEqual((figures["links_open"], figures["links_completed"], report["findings"]), (0, 62, []))
        self.assertEqual(
            set(figures) & {"vias", "jumpers", "track_length_mm", "seconds", "route_seconds"},
            {"vias", "jumpers", "track_length_mm", "seconds", "route_seconds"},
        )
        release = json.loads((self.here / "release.json").read_text())["figures"]
        self.assertEqual((release["read_shorts"], release["read_opens"]), (0, 0))
        with zipfile.ZipFile(self.here / "b.zip") as archive:
            self.assertIsNone(archive.testzip())
            self.assertEqual(sum(n.endswith(".gbr") for n in archive.namelist()), 11)
        self.assertTrue((self.here / "b.pdf").read_bytes().startswith(b"%PDF"))

    def test_solids_paper_panels_and_one_link(self) -> None:
        """Files of each kind from one demo; a panel is a design to check; one link is laid by its pins."""
        shutil.copy(SHIPPED / f"{FROST}.json", self.here / "a.json")
        for name, begins in (("a.glb", b"glTF"), ("a.stl", b""), ("a.pdf", b"%PDF")):
            self.run_it("paper" if name.endswith("pdf") else "solid", "a.json", "-o", name)
            self.assertTrue((self.here / name).read_bytes().startswith(begins))
        self.refused("solid", "a.json", "-o", "a.step", says=".glb, .stl")
        self.run_it("panel", "a.json", "-o", "p.json", "--within", "200x150", "--report", "panel.json")
        figures = json.loads((self.here / "panel.json").read_text())["figures"]
        self.assertEqual((figures["columns"], figures["rows"]), (2, 2))
        self.run_it("panel", "a.json", "-o", "p.zip", "--columns", "2", "--rows", "1")
        with zipfile.ZipFile(self.here / "p.zip") as archive:
            self.assertIn("frost-sentinel-2-up-profile.gbr", archive.namelist())
        self.run_it("say", "a.json", "lift PUMP_G", "-o", "b.json", code=1)
        self.run_it("route", "b.json", "-o", "c.json", "--link", "R9.2", "Q1.1", code=1)
        self.run_it("route", "b.json", "-o", "d.json", "--link", "R9.2", "R9.1", code=2)

    def test_open_links_are_exit_1(self) -> None:
        """A design with open links checks as 1; its report says where, and no release is written."""
        d = demo(BEEPER)
        cut = apply(d, LayCopper(lift=(next(iter(d.tracks)),)))[0]
        (self.here / "cut.json").write_text(to_json(cut))
        self.run_it("check", "cut.json", "--report", "r.json", code=1)
        [finding] = [
            f for f in json.loads((self.here / "r.json").read_text())["findings"] if f["level"] == "stop"
        ]
        self.assertEqual((finding["code"], finding["unit"], finding["limit"]), ("unrouted", "mm", 0.0))
        self.assertTrue(finding["where"]["net"] and finding["where"]["x_nm"])
        self.run_it("release", "cut.json", "-o", "cut.zip", code=1)
        self.assertFalse((self.here / "cut.zip").exists())
        self.run_it("route", "cut.json", "-o", "whole.json")
        self.run_it("release", "whole.json", "-o", "whole.zip")
        self.assertTrue((self.here / "whole.zip").exists())

    def test_outline_and_rules_stand_in_for_a_board_file(self) -> None:
        """Without board.json, size or a drawn outline, layers and rules are given; parts without a place are arranged."""
        folder = self.here / "bench"
        folder.mkdir()
        (folder / "parts.csv").write_text(
            "ref,value,package\nR1,10k,AXIAL-P1016\nR2,1k,AXIAL-P1016\nJ1,,HDR-1x2\n"
        )
        (folder / "nets.csv").write_text("net,ref,pin\nA,R1,1\nA,R2,1\nB,R2,2\nB,J1,1\nC,R1,2\nC,J1,2\n")
        self.run_it(
            "import",
            folder,
            "-o",
            "a.json",
            "--outline",
            "60x40",
            "--layers",
            "1",
            "--rules",
            "kitchen-table",
        )
        self.run_it("arrange", "a.json", "-o", "b.json", code=1)
        self.run_it(
            "arrange", "b.json", "-o", "b.json", "--all", "--count", "2", "--report", "b.report.json", code=1
        )
        scores = json.loads((self.here / "b.report.json").read_text())["figures"]["arrangements"]
        self.assertEqual(sorted(scores, key=lambda a: a["worth"]), scores)
        self.run_it("route", "b.json", "-o", "c.json")
        d = from_json((self.here / "c.json").read_text())
        self.assertEqual(
            (d.board.copper_layers, d.board.rules.name, {t.layer for t in d.tracks.values()}),
            (1, "kitchen-table", {"back"}),
        )
        (self.here / "o.svg").write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50"><circle cx="25" cy="25" r="25"/></svg>'
        )
        self.run_it("import", folder, "-o", "round.json", "--outline", "o.svg")
        xs = [x for x, _ in from_json((self.here / "round.json").read_text()).board.outline]
        self.assertAlmostEqual((max(xs) - min(xs)) / 1e6, 50, delta=0.02)
        self.refused("import", folder, "-o", "x.json", "--outline", "60", says="60x40")
        self.refused("import", folder, "-o", "x.json", "--layers", "4", says="does not make 4 layers")
        self.refused("import", folder, "-o", "x.json", "--rules", "nobody", says="kitchen-table")

    def test_calc_and_schema(self) -> None:
        """The trace calculation agrees with its check value, also as JSON; the schema is printed."""
        self.assertIn("0.781 mm", self.run_it("calc", "trace", "2A"))
        answers = json.loads(self.run_it("calc", "trace", "1A", "--json", "--width", "0.5mm"))
        self.assertAlmostEqual(answers[0]["needed_mm"], 0.30039, places=4)
        self.assertEqual([a["layer"] for a in answers], ["outer", "inner"])
        self.assertIn("vane-step-design", self.run_it("schema"))
        self.refused("calc", "trace", "99A", says="35 A")
        self.refused("calc", "trace", "two", says="not a value")

    def test_pins_of_a_real_part(self) -> None:
        """Pins from a BSDL file are shown and make a part that the review knows; a package they do not fit is refused."""
        samples = ROOT / "tests" / "samples"
        self.assertIn("TERN32 in TQFP_32: 32 pins", self.run_it("pins", samples / "tern32.bsd"))
        table = json.loads(self.run_it("pins", samples / "wren8.ibs", "--choice", "WREN-8P", "--json"))
        self.assertEqual([p["role"] for p in table["pins"]][3], "ground")
        self.refused("pins", samples / "wren8.ibs", says="WREN-8P, WREN-14")
        (self.here / "b.json").write_text(to_json(demo(BEEPER)))
        words = ("add", "b.json", "-o", "c.json", "--ref", "U9", "--pins", samples / "tern32.bsd")
        self.run_it(*words, "--package", "TQFP-32", code=1)
        part = from_json((self.here / "c.json").read_text()).parts["U9"]
        self.assertEqual((part.value, len(part.pins), part.pins[3].role), ("TERN32", 32, "supply-in"))
        (self.here / "c.json").unlink()
        self.refused(*words, "--package", "SOIC-8", says="no pad for 24 pins")
        self.refused(
            "add", "b.json", "-o", "c.json", "--ref", "U1", "--package", "SOIC-8", says="already in use"
        )

    def test_the_catalogue(self) -> None:
        """Found by words, by category and by parts of one's own, which sentences know, too; the tree lists all."""
        self.assertIn("PK-6", self.run_it("search", "push", "buttons"))
        rows = json.loads(self.run_it("search", "--category", "fuse", "--smallest", "--limit", "3", "--json"))
        self.assertEqual([r["package"] for r in rows], ["CHIP-1608M"] * 3)
        self.refused("search", "--category", "fuze", says="fuse holder")
        tree = json.loads(self.run_it("categories", "--json"))
        self.assertEqual(sum(r["parts"] for r in tree), len(catalogue().parts))
        mine = own_part(
            catalogue(),
            "MY-1",
            "odd button",
            "Push button",
            "BUTTON-4-6",
            "",
            "current 50mA, working voltage 24V",
            {},
        )
        (self.here / "own.json").write_text(mine.model_dump_json())
        self.assertIn("MY-1", self.run_it("search", "odd", "button", "--own", "own.json"))
        (self.here / "a.json").write_text(to_json(design([])))
        self.run_it("say", "a.json", "-o", "b.json", "add S1 MY-1", "--own", "own.json", code=1)
        self.assertEqual(from_json((self.here / "b.json").read_text()).parts["S1"].catalogue, "MY-1")
        (self.here / "own.json").write_text(mine.model_copy(update={"params": {}}).model_dump_json())
        self.refused("search", "odd", "--own", "own.json", says="cannot be right")

    def test_sentences_and_lists(self) -> None:
        """A circuit made by sentences and a connection list; a sentence that cannot be leaves no file."""
        folder = self.here / "bare"
        folder.mkdir()
        (folder / "parts.csv").write_text("ref,value,package\nJ1,,HDR-1x4\n")
        (folder / "nets.csv").write_text("net,ref,pin\nA,J1,1\n")
        self.run_it("import", folder, "-o", "a.json", "--outline", "60x40", code=0)
        self.run_it(
            "say", "a.json", "-o", "b.json", "add R1..3 CHIP-1608M 1k 2k2 4k7", "join R1.1 J1.2", code=1
        )
        (self.here / "list.txt").write_text("OUT: R1.9 J1.3\nGND J1.4 R2.1 R3.1\n")
        self.refused("connect", "b.json", "-o", "c.json", "--list", "list.txt", says="line 1")
        (self.here / "list.txt").write_text("OUT: R1..3.2 J1.3\nGND J1.4 R2.1 R3.1\n")
        self.run_it("connect", "b.json", "-o", "c.json", "--list", "list.txt", code=1)
        d = from_json((self.here / "c.json").read_text())
        self.assertEqual(
            (d.parts["R2"].value, len(d.nets["OUT"].pins), d.nets["GND"].role), ("2k2", 4, "ground")
        )
        self.refused("say", "b.json", "-o", "x.json", "fly R1", says="no verb")
        self.refused("say", "b.json", "-o", "x.json", "undo", says="does not change a design file")


class Unusable(Terminal):
    """Exit code 2."""

    def test_files(self) -> None:
        """Missing, damaged, foreign and unreadable files, each with its name and reason."""
        shutil.copytree(BOARDS / "smd2L_015_s1", self.here / "bad")
        text = (self.here / "bad" / "nets.csv").read_text()
        (self.here / "bad" / "nets.csv").write_text(text.replace("N20,U1,1", "N20,U1,77", 1))
        (self.here / "half.json").write_text((SHIPPED / f"{FROST}.json").read_text()[:5000])
        (self.here / "other.json").write_text('{"format": "something"}')
        (self.here / "raw.json").write_bytes(b"\xff\xfe\x00")
        shutil.copy(SHIPPED / f"{BEEPER}.json", self.here / "good.json")
        self.refused("import", "bad", "-o", "x.json", says="nets.csv, line 2: U1 has no pin '77'")
        self.refused("import", "nowhere", "-o", "x.json", says="nowhere")
        self.refused("route", "half.json", "-o", "x.json", says="half.json, line")
        self.refused("check", "other.json", says="not a design file")
        self.refused("check", "raw.json", says="not UTF-8")
        self.refused("check", "missing.json", says="missing.json")
        self.assertIn("missing.json", self.run_apart("check", "missing.json", code=2))
        self.refused("etch", "good.json", "-o", "x.pdf", "--method", "stencil", says="toner, release, film")
        self.refused("etch", "good.json", "-o", "x.pdf", "--copies", "99", says="1 to 12")
        self.refused("etch", "good.json", "-o", "x.pdf", "--ruler", "20,50", says="45 to 55 mm")
        self.refused("etch", "good.json", "-o", "x.svg", "--sheet", "2", says="There is no sheet 2")
        self.refused("etch", "good.json", "-o", "x.png", "--dpi", "300", says="600, 1200")
        self.refused("bath", "good.json", "--school", "lemon", says="ferric, acid")
        self.refused("drilling", "good.json", "--tool", "teeth", says="press, hand")
        self.refused("route", "good.json", "-o", "x.json", "--net", "NOPE", says="no net NOPE")
        self.refused("release", "good.json", "-o", "nowhere/x.zip", says="cannot be written")
        self.refused("serve", "--host", "0.0.0.0", says="VANE_STEP_ACCESS_KEY")
