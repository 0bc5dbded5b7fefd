"""Exchange folders: real ones read whole, damaged ones refused with file, line and reason."""

from __future__ import annotations

import csv
import io
import json
import unittest

from hypothesis import given, settings, strategies as st

from tests.support import BOARDS, board, folder, texts_of
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.exchange import read_exchange, read_packages

NAMES = sorted(p.name for p in BOARDS.iterdir() if p.is_dir())


class RealFolders(unittest.TestCase):
    """Ten folders, compared with their files by plain reading."""

    def test_every_part_pin_and_rule_arrives(self) -> None:
        """Parts, places, nets and rules are those of the files; lengths are exact to the nanometre."""
        for name in NAMES:
            texts, d = texts_of(name), folder(name)
            rows = {
                key: list(csv.DictReader(io.StringIO(texts[f"{key}.csv"])))
                for key in ("parts", "nets", "net_rules")
            }
            with self.subTest(name):
                self.assertEqual({r["ref"] for r in rows["parts"]}, set(d.parts))
                for r in rows["parts"]:
                    place = d.parts[r["ref"]].place
                    assert place is not None
                    self.assertEqual(
                        (place.x_nm, place.y_nm), (round(float(r["x"]) * 1e6), round(float(r["y"]) * 1e6))
                    )
                    self.assertEqual((place.turn_deg, place.side), (float(r["turn"]) % 360, r["side"]))
                self.assertEqual(
                    {(r["net"], f"{r['ref']}.{r['pin']}") for r in rows["nets"]},
                    {(n.name, p) for n in d.nets.values() for p in n.pins},
                )
                for r in rows["net_rules"]:
                    rule = d.nets[r["net"]].rule
                    assert rule is not None
                    self.assertEqual(rule.width_nm, round(float(r["width_mm"]) * 1e6))
                    self.assertEqual(
                        rule.neck_width_nm,
                        round(float(r["neck_width_mm"]) * 1e6) if r["neck_width_mm"] else None,
                    )
                data = json.loads(texts["board.json"])
                self.assertEqual(d.board.copper_layers, data["copper_layers"])
                self.assertEqual(len(d.board.outline), len(data["outline_mm"]))
                self.assertEqual(d.board.rules.edge_clearance_nm, round(data["edge_clearance_mm"] * 1e6))

    def test_own_packages_and_outline_stand_in(self) -> None:
        """Without board.json an outline takes its place, and packages may be the program's own."""
        texts = {
            "parts.csv": "ref,value,package\nR1,10k,CHIP-2012M\nU1,,SOIC-8\n",
            "nets.csv": "net,ref,pin\nA,R1,1\nA,U1,8\n",
        }
        d = read_exchange(texts, "bench", board())
        self.assertEqual((d.name, len(d.packages["SOIC-8"].pads), d.parts["R1"].place), ("bench", 8, None))
        self.assertEqual(d.nets["A"].pins, ("R1.1", "U1.8"))


class Refusals(unittest.TestCase):
    """One line that names file, line and reason."""

    def test_table(self) -> None:
        """Each kind of fault, and what is said of it."""
        texts = texts_of("smd2L_015_s1")
        for file, old, new, says in (
            ("parts.csv", "ref,value", "reference,value", "parts.csv, line 1: Column ref is missing"),
            ("parts.csv", "P1,", "U1,", "parts.csv, line 3: U1 comes twice"),
            ("parts.csv", "qfp-32-1", "qfp-99", "parts.csv, line 2: There is no package 'qfp-99'"),
            ("parts.csv", "24.0", "24.0mm", "parts.csv, line 2: x is '24.0mm', which is no number"),
            ("parts.csv", "24.0", "nan", "parts.csv, line 2: x is 'nan'"),
            ("parts.csv", "0,front", "0,top", "parts.csv, line 2: Side is 'top'"),
            ("parts.csv", "0,front\n", "0\n", "parts.csv, line 2: This line has 6 fields, the header 7"),
            ("nets.csv", "N20,U1,1", "N20,U7,1", "nets.csv, line 2: There is no part 'U7'"),
            ("nets.csv", "N20,U1,1", "N20,U1,99", "nets.csv, line 2: U1 has no pin '99'"),
            ("nets.csv", "N20,J5,3", "N21,U1,1", "nets.csv, line 3: U1.1 is already on net N20"),
            ("nets.csv", "N20,U1,1", "N 20,U1,1", "nets.csv: net 'N 20'"),
            ("net_rules.csv", "GND,0.4", "GND,wide", "net_rules.csv, line 2: width_mm is 'wide'"),
            ("net_rules.csv", "GND,0.4", "GND,-0.4", "net_rules.csv, line 2"),
            ("net_rules.csv", "GND,0.4", "EARTH,0.4", "net_rules.csv, line 2: There is no net 'EARTH'"),
            ("board.json", '"copper_layers": 2', '"copper_layers": 3', "copper_layers"),
            ("board.json", '"outline_mm"', '"outline_inch"', "board.json: "),
            ("packages.json", '"shape": "rect"', '"shape": "star"', "packages.json: "),
        ):
            self.assertIn(old, texts[file], says)
            with self.subTest(says), self.assertRaises(InputError) as caught:
                read_exchange({**texts, file: texts[file].replace(old, new, 1)}, "folder")
            line = caught.exception.line()
            self.assertIn(says, line)
            self.assertNotIn("\n", line)

    def test_missing_files(self) -> None:
        """A folder without parts, nets or board says which."""
        texts = texts_of("smd2L_015_s1")
        for gone in ("parts.csv", "nets.csv", "board.json"):
            with self.subTest(gone), self.assertRaises(InputError) as caught:
                read_exchange({k: v for k, v in texts.items() if k != gone}, "folder")
            self.assertIn(gone, caught.exception.line())

    @settings(max_examples=120)
    @given(st.data())
    def test_damaged_anywhere(self, data: st.DataObject) -> None:
        """Damage at any place is read or refused with one line; never anything else."""
        texts = texts_of("smd2L_015_s1")
        file = data.draw(st.sampled_from(sorted(texts)))
        text = texts[file]
        at, cut = data.draw(st.integers(0, len(text) - 1)), data.draw(st.integers(0, 30))
        put = data.draw(
            st.sampled_from(["", ",", '"', "\n", "}", "nan", "1e400", "-", "\x00", "é", "[", "'; --"])
        )
        try:
            read_exchange({**texts, file: text[:at] + put + text[at + cut :]}, "folder")
        except VaneStepError as error:
            self.assertNotIn("\n", error.line())


class Packages(unittest.TestCase):
    """Packages of one's own, by JSON."""

    def test_courtyard_legend_and_pin_one_are_computed(self) -> None:
        """A user gives pads and a body; the rest follows."""
        pad = {
            "number": "1",
            "x_mm": -1,
            "y_mm": 0,
            "width_mm": 0.8,
            "height_mm": 1.2,
            "shape": "rect",
            "layers": "front",
        }
        text = json.dumps(
            {
                "packages": [
                    {"name": "MINE-2", "pads": [pad, {**pad, "number": "2", "x_mm": 1}], "body_mm": [2, 1.25]}
                ]
            }
        )
        found = read_packages(text)["MINE-2"]
        x0, y0, x1, y1 = found.courtyard_nm
        self.assertLessEqual((x0, y0), (-1_400_000, -600_000))
        self.assertGreaterEqual((x1, y1), (1_400_000, 600_000))
        self.assertEqual(found.pin1_nm, (-1_000_000, 0))

    def test_refusals(self) -> None:
        """Nonsense sizes, a through pad without a drill and doubled names are refused by name."""
        pad = {
            "number": "1",
            "x_mm": 0,
            "y_mm": 0,
            "width_mm": 1,
            "height_mm": 1,
            "shape": "round",
            "layers": "through",
            "drill_mm": 0,
        }
        good = {**pad, "drill_mm": 0.6}
        cases = (
            [{"name": "A", "pads": [pad], "body_mm": [1, 1]}],
            [{"name": "A", "pads": [], "body_mm": [1, 1]}],
            [{"name": "A", "pads": [{**good, "width_mm": -1}], "body_mm": [1, 1]}],
            [{"name": "A", "pads": [{**good, "x_mm": 1e9}], "body_mm": [1, 1]}],
            [{"name": "A", "pads": [good], "body_mm": [1, 1]}] * 2,
            [{"name": "A", "pads": [good]}],
            [7],
            [{"name": "A B", "pads": [good], "body_mm": [1, 1]}],
        )
        for case in cases:
            with self.subTest(case), self.assertRaises(InputError):
                read_packages(json.dumps({"packages": case}))
        for text in ("", "[]", '{"packages": 3}', "nope"):
            with self.assertRaises(InputError):
                read_packages(text)
