"""Files held against their standards: those of every demo and panel keep them, and every rule of the checker can fail."""

from __future__ import annotations

import json
import re
import tempfile
import unittest
from pathlib import Path

from typer.testing import CliRunner

from tests.support import BEEPER, CIDER, FROST, demo, folder, laid
from vane_step.cli.app import app
from vane_step.core.errors import InputError
from vane_step.core.fab.panel import PanelPlan
from vane_step.core.fab.release import panel_release, release, write_files
from vane_step.core.fab.strict import check_archive, check_files
from vane_step.core.fab.tables import parts_list
from vane_step.data.shipped import demo_designs

STAMP = "2026-11-29T00:00:00Z"
FRONT = "frost-sentinel-copper-front.gbr"
PLATED = "frost-sentinel-plated.xnc"
JOB = "frost-sentinel-job.gbrjob"
# What is done to a file, and a word of what must be told of it: file, what is replaced (first time), by what, told.
FAULTS: tuple[tuple[str, str, str, str], ...] = (
    (FRONT, r"%TF.Part,Single\*%\n", "", "does not say its .Part"),
    (FRONT, r"Part,Single", "Part,Solo", ".Part"),
    (FRONT, r"%TF.FileFunction[^\n]*\n", "", ".FileFunction"),
    (FRONT, r"Copper,L1,Top", "Copper,Top", "unknown function"),
    (FRONT, r"Copper,L1,Top", "Copper,L1,Bot", "not Top"),
    (FRONT, r"Copper,L1,Top", "Copper,L3,Top", "numbered [2, 3]"),
    (FRONT, r"FilePolarity,Positive", "FilePolarity,Dark", "Positive or Negative"),
    (FRONT, r"CreationDate,2026-11-29T00:00:00Z", "CreationDate,29.11.2026", "ISO 8601"),
    (FRONT, r"ProjectId,([^,]*),[^,]*,", r"ProjectId,\1,,", "RFC 4122"),
    (FRONT, r"ProjectId,Frost", "ProjectId,Other", "differ in their .ProjectId"),
    (FRONT, r"MD5,[0-9a-f]{4}", "MD5,0000", ".MD5"),
    (FRONT, r"%FSLAX46Y46\*%", "%FSLAX24Y24*%", "Format"),
    (FRONT, r"%MOMM\*%\n", "", "before format and unit"),
    (FRONT, r"%ADD10C", "%ADD9C", "reserved"),
    (FRONT, r"%ADD11", "%ADD10", "defined twice"),
    (FRONT, r"\nD10\*", "\nD99*", "not defined"),
    (FRONT, r"AperFunction,ViaPad", "AperFunction,Via", "unknown"),
    (FRONT, r"%TO\.N,", "%TO.Net,", "Object attribute"),
    (FRONT, r"%TO\.P,[^*]*", "%TO.P,U1", "not of its form"),
    (FRONT, r"G01\*", "G74*", "deprecated"),
    (FRONT, r"M02\*\n", "", "no end"),
    (FRONT, r"M02\*\n", "M02*\nD10*\n", "follows the end"),
    (FRONT, r"D02\*", "D02", "no end|no command"),
    (PLATED, r"TF\.FileFunction", "TF.Function", "does not say its .FileFunction"),
    (PLATED, r"Plated,1,2,PTH", "Plated,1,4,PTH", "bores to layer 4 of 2"),
    (PLATED, r"AperFunction,ViaDrill", "AperFunction,Plated,PTH,ViaDrill", "Hole function"),
    (PLATED, r"METRIC\n", "", "unit"),
    (PLATED, r"\nT1\n", "\nT77\n", "Tool 77 is not defined"),
    (PLATED, r"M30\n", "", "M30"),
    (PLATED, r"G05", "G99", "no word of XNC"),
    (JOB, r'"GUID": "[^"]*"', '"GUID": ""', "identity"),
    (JOB, r'"LayerNumber": 2', '"LayerNumber": 4', "2 copper layers of 4"),
    (JOB, r"frost-sentinel-plated.xnc", "frost-sentinel-bored.xnc", "not listed"),
    (JOB, r'"X": [\d.]+', '"X": 0', "size"),
    (JOB, r"\{", "", "no JSON"),
)


class Ours(unittest.TestCase):
    def test_every_release_keeps_them(self) -> None:
        """No demo's file breaks its standard or leaves advice aside, nor a panel's, nor a board's of odd names."""
        for name, design in demo_designs().items():
            self.assertEqual(check_files(write_files(design, STAMP)), [], name)
        etched = panel_release(demo(BEEPER), PanelPlan(2, 1), STAMP)
        self.assertEqual(check_files(etched.files), [])
        self.assertIn("%TF.Part,Array*%", next(t for n, t in etched.files.items() if n.endswith(".gbr")))
        odd = demo(BEEPER).replaced(name="Grüße, 100 % *neu*")
        self.assertEqual(check_files(write_files(odd, STAMP)), [])

    def test_what_they_say(self) -> None:
        """One layer is layer 1 below, its holes are of components; vias and wires are told; parts lie where they do."""
        files = release(demo(BEEPER), STAMP).files
        copper = next(t for n, t in files.items() if "copper" in n)
        holes = files["seedling-thirst-beeper-unplated.xnc"]
        self.assertIn("FileFunction,Copper,L1,Bot*", copper)
        self.assertIn("NonPlated,1,1,NPTH,Drill", holes)
        self.assertIn("TA.AperFunction,ComponentDrill", holes)
        wired = parts_list(laid(folder("th1L_015_s1")))
        self.assertIn("wire jumper, 0.8 mm", wired)
        d = demo(FROST)
        shown = write_files(d, STAMP)
        self.assertIn("; #@! TA.AperFunction,ViaDrill\n", shown[PLATED])
        place = d.parts["U1"].place
        assert place is not None
        told = shown["frost-sentinel-components-front.gbr"]
        self.assertIn(f"%TO.C,U1*%\n%TO.CRot,{place.turn_deg % 360:g}*%", told)
        self.assertIn(f"X{place.x_nm}Y{place.y_nm}D03*", told)
        stack = json.loads(write_files(demo(CIDER), STAMP)["cider-press-logger-job.gbrjob"])[
            "MaterialStackup"
        ]
        self.assertEqual(sum(s["Type"] == "Copper" for s in stack), 4)

    def test_every_rule_can_fail(self) -> None:
        """Each fault put into a file is told of that file, and a right one of nothing."""
        files = write_files(demo(FROST), STAMP)
        for name, what, instead, told in FAULTS:
            with self.subTest(told, file=name):
                changed = re.sub(what, instead, files[name], count=1)
                self.assertNotEqual(changed, files[name])
                found = check_files({**files, name: changed})
                self.assertTrue(
                    any(re.search(f"({told})", b.message) or told in b.message for b in found),
                    [b.message for b in found],
                )

    def test_from_anywhere(self) -> None:
        """Files somebody brings: a zip with a folder, an old writer's file line by line, what is none at all."""
        old = "G04 by hand*\n%FSLAX24Y24*%\n%MOIN*%\n%ADD10C,0.1*%\nG54D10*\nX0Y0D02*\nG01X100Y0D01*\nM02*\n"
        names, found = check_archive({"old.gbr": old.encode()})
        self.assertEqual(names, ["old.gbr"])
        self.assertTrue({2, 5}.issubset({b.line for b in found}), found)
        with self.assertRaisesRegex(InputError, "no Gerber or drill file"):
            check_archive({"letter.txt": b"Dear sirs"})
        made = release(demo(FROST), STAMP)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "f.zip"
            path.write_bytes(made.zipped())
            answer = CliRunner().invoke(app, ["strict", str(path)])
            self.assertEqual((answer.exit_code, "0 breaches" in answer.output), (0, True), answer.output)
            (Path(folder) / "old.gbr").write_text(old)
            answer = CliRunner().invoke(app, ["strict", str(Path(folder) / "old.gbr")])
            self.assertEqual(answer.exit_code, 1)
