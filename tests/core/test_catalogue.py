"""The catalogue: that its data hold together, and that a search finds what was asked for and nothing else."""

from __future__ import annotations

import re
import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import given, settings, strategies as st

from tests.support import design, said
from vane_step.core.catalogue.figures import PARAMETERS
from vane_step.core.catalogue.index import nothing_found
from vane_step.core.catalogue.plausible import faults
from vane_step.core.catalogue.search import read_search, tokens
from vane_step.core.catalogue.tables import read_catalogue, series_values
from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.patterns.packages import package
from vane_step.core.quantity import E24, parse_value, typed
from vane_step.data.shipped import catalogue, resources

SAMPLES = Path(__file__).parent.parent / "samples"
WORDS = [w for w in (SAMPLES / "words.txt").read_text(encoding="utf-8").splitlines() if not w.startswith("#")]


class Data(unittest.TestCase):
    """What ships."""

    def test_breadth(self) -> None:
        """At least 3,000 parts in 120 categories, none empty, each of some branch; an antenna's zone among them."""
        parts, tree = catalogue().parts.values(), catalogue().categories
        used = {p.category for p in parts}
        self.assertGreaterEqual(len(parts), 3000)
        self.assertGreaterEqual(len(tree), 120)
        self.assertEqual(used, set(tree))
        controllers = [p for p in parts if p.category == "controller"]
        sizes = {len(package(p.package).pads) for p in controllers}
        self.assertTrue({8, 64} <= sizes)
        self.assertTrue(any(package(p.package).keepout_nm for p in controllers), "no module with an antenna")

    def test_nothing_implausible(self) -> None:
        """Every part has its package, all its pins, the ratings of its kind, and figures that a body of its size can have."""
        self.assertEqual(faults(catalogue().parts.values(), catalogue().categories), [])
        for part in catalogue().parts.values():
            if part.category == "controller":
                roles = [p.role for p in part.pins]
                self.assertIn("supply-in", roles, part.number)
                self.assertIn("ground", roles, part.number)

    def test_the_checker_sees_slips(self) -> None:
        """A slip of each kind in a good part is told, so that the check of all parts means something."""
        have = catalogue().get
        fet, diode, chip = have("HX-60-30L"), have("HR-100-1"), have("QR-16-10K")
        swapped = tuple(
            p.model_copy(update={"name": n}) for p, n in zip(fet.pins, ("G", "S", "D"), strict=True)
        )
        for slip, says in (
            (replace(fet, pins=swapped), "lie G S D"),
            (replace(fet, pins=fet.pins[:2]), "lacks 3"),
            (replace(diode, package="DO-35-P762"), "0.8 mm"),
            (replace(diode, params={"if_a": 1.0}), "vr_v"),
            (replace(chip, params={**chip.params, "power_w": 2.0}), "gives off"),
            (replace(chip, params={"r_ohm": 1e4, "power_w": 0.1}), "vmax_v"),
            (replace(chip, package="CHIP-9999M"), "no package"),
            (replace(chip, package=""), "no package"),
            (
                replace(have("BE-100-25"), package="ELCO-P200-D4", params={"c_f": 1.0, "vmax_v": 25.0}),
                "holds",
            ),
            (replace(have("NC-60"), package="HDR-1x2"), "carry"),
            (replace(have("OA-2"), params={"supply_min_v": 5.0, "supply_max_v": 3.0}), "above its greatest"),
            (replace(have("OA-2"), params={}), "range of its supply"),
            (replace(have("AR-50"), params={**have("AR-50").params, "vin_min_v": 3.0}), "no converter"),
        ):
            with self.subTest(says):
                self.assertIn(says, " ".join(faults([slip], catalogue().categories)))

    def test_series(self) -> None:
        """Series members are values of the series, both ends included, and their spelling reads back."""
        self.assertEqual(series_values(1e3, 1e4)[:3], [1000, 1100, 1200])
        self.assertEqual(series_values(1e3, 1e4)[-1], 1e4)
        self.assertEqual(len(series_values(1, 9.1e6)), 7 * len(E24))
        for part in catalogue().parts.values():
            if part.kind == "resistor":
                self.assertAlmostEqual(
                    parse_value(part.value), part.params["r_ohm"], delta=1e-6 * part.params["r_ohm"]
                )
        for value, text in (
            (4700, "4k7"),
            (4.7, "4R7"),
            (1e-7, "100n"),
            (2.2e-11, "22p"),
            (1e6, "1M"),
            (0.05, "50m"),
        ):
            self.assertEqual(typed(value), text)

    def test_broken_files_are_refused(self) -> None:
        """A part that comes twice, an unknown parameter or a foreign field name the file."""
        good = {
            "category": "fuse",
            "kind": "fuse",
            "letters": "F",
            "columns": ["number", "package", "i_a"],
            "rows": [["A", "CHIP-1608M", 1]],
        }
        self.assertEqual(list(read_catalogue({"a.json": good}).parts), ["A"])
        for change, says in (
            ({"rows": [["A", "CHIP-1608M", 1]] * 2}, "twice"),
            ({"columns": ["number", "package", "colour_x"]}, "colour_x"),
            ({"price": 3}, "price"),
        ):
            with self.subTest(says), self.assertRaises(InputError) as caught:
                read_catalogue({"a.json": {**good, **change}})
            self.assertIn("a.json", caught.exception.line())
            self.assertIn(says, caught.exception.line())


class Search(unittest.TestCase):
    """Words and figures."""

    def test_words_people_use(self) -> None:
        """Of the words newcomers type, 95 of 100 find the right kind first, and those of the list all do."""
        missed = []
        for line in WORDS:
            text, _, kinds = line.partition(" = ")
            found = catalogue().search(text, 1, fold=True).found
            if not found or found[0].part.category not in kinds.split(" | "):
                missed.append((text, found and found[0].part.category))
        self.assertGreaterEqual(len(WORDS), 150)
        self.assertEqual(missed, [])

    def test_writings(self) -> None:
        """A value in any writing is the same value; a plural, other case or a blank more change nothing."""
        for writings in (
            ("100n", "100nF", ".1uF", "0.1 uF", "0,1uF", "100 NF"),
            ("2k2", "2.2k", "2.2 kohm", "2K2", "2200R"),
            ("3V3 regulator", "3.3V regulator", "3.3 volt regulators"),
            ("crystal 16MHz", "16 MHz crystals", "16mhz Crystal", "16M crystal"),
            ("1/4W 10k", "0.25W 10k", "0.25 watt 10 k"),
            ("resistor 10k 0805", "10k 2012M resistor"),
        ):
            firsts = [[f.part.number for f in catalogue().search(text, 5).found] for text in writings]
            with self.subTest(writings[0]):
                self.assertTrue(firsts[0])
                self.assertEqual([f[0] for f in firsts], [firsts[0][0]] * len(firsts))

    def test_table(self) -> None:
        """The best find of what people at the bench type."""
        for text, first in {
            "schottky 40 V 2 A": "HK-40-2",
            "resistor 10k 1608": "QR-16-10K",
            "4k7 axial": "LMF-4P7K",
            "100n 2012": "DC-20X-100N",
            "fet n-channel rds<0.03 30V": "HN-30-5",
            "crystal 16 MHz xsmd": "TS-16",
            "linear regulator 5V 1A to-220": "AR-50T",
            "header 2x5": "NH-2x5",
            "led green 2012": "GL-20G",
            "HN-60-3": "HN-60-3",
        }.items():
            with self.subTest(text):
                self.assertEqual(catalogue().search(text).found[0].part.number, first)
        self.assertEqual(catalogue().search("4k7", leaded=True).found[0].part.number, "LMF-4P7K")
        folded = catalogue().search("chip resistor", fold=True).found
        series = [f.part.series for f in folded if f.part.series]
        self.assertEqual(len(set(series)), len(series))
        self.assertGreater(folded[0].values, 100)

    def test_near_misses(self) -> None:
        """A word mistyped is read as the near one and says so; what no part has beside the rest is left out and named."""
        answer = catalogue().search("capasitor 100n")
        self.assertEqual(answer.read_as, (("capasitor", "capacitor"),))
        self.assertEqual(answer.found[0].part.kind, "capacitor")
        answer = catalogue().search("timer 12345")
        self.assertEqual((answer.left_out, answer.found[0].part.category), (("12345",), "timer"))
        self.assertEqual(catalogue().search("qwertzuiop").found, ())
        self.assertIn("relay", catalogue().index.near("relley"))

    @given(st.sampled_from([10.0, 20.0, 40.0, 60.0]), st.sampled_from([0.1, 1.0, 2.5, 5.0]))
    def test_every_find_meets_the_figures(self, volts: float, amps: float) -> None:
        """Whatever is found bears the voltage and the current asked for, and nothing that does is left out."""
        answer = catalogue().search(f"schottky {volts:g} V {amps:g} A", 1000)
        found = {f.part.number for f in answer.found if f.part.category == "schottky diode"}
        wanted = {
            p.number
            for p in catalogue().parts.values()
            if p.category == "schottky diode" and p.params["vr_v"] >= volts and p.params["if_a"] >= amps
        }
        self.assertEqual(found, wanted)

    @settings(max_examples=150)
    @given(st.text(max_size=60))
    def test_any_text(self, text: str) -> None:
        """Any text finds something, nothing, or says why not."""
        try:
            answer = catalogue().search(text)
        except VaneStepError as error:
            self.assertTrue(error.message)
        else:
            self.assertLessEqual(len(answer.found), answer.count)
            self.assertEqual(answer.count, sum(n for _, n in answer.categories))
            if not answer.left_out:
                for hit in answer.found:
                    for wish in read_search(text).wishes:
                        self.assertIsNotNone(wish.misfit(hit.part.params))

    def test_refusals(self) -> None:
        """An unknown parameter lists those there are; an unknown number those that begin alike."""
        with self.assertRaises(InputError) as unknown:
            catalogue().search("fet weight<3")
        self.assertIn("rds_ohm", unknown.exception.allowed)
        with self.assertRaises(NotFound) as number:
            catalogue().get("QR-16-11X")
        self.assertIn("QR-", number.exception.allowed)
        self.assertTrue(all(re.fullmatch(r"[a-z0-9_]+", k) and p.title for k, p in PARAMETERS.items()))

    def test_what_belongs_to_a_part(self) -> None:
        """A socket has the ways of its part, a heat sink its body; what has a place of its own is refused."""
        sizes = set()
        for found in resources().catalogue.parts.values():
            if not re.fullmatch(r"DIP-(8|14|16|18|20|28|28N|40)", found.package) or found.package in sizes:
                continue
            sizes.add(found.package)
            d = said(design([]), f"add U1 {found.number}", "add socket for U1")
            (extra,) = d.extras.values()
            socket = resources().catalogue.get(extra.catalogue)
            self.assertEqual((extra.about, socket.params["ways"]), ("U1", len(d.parts["U1"].pins)))
            self.assertEqual("narrow" in socket.title, found.package.endswith("N"))
        self.assertGreaterEqual(len(sizes), 5)
        d = said(design([]), "add U1 AR-50T", "add heat sink for U1", "add U2 OW-14S")
        self.assertIn("TO-220", next(iter(d.extras.values())).title)
        for sentence in ("add socket for U2", "add resistor for U1"):
            with self.assertRaises(InputError):
                said(d, sentence)


class Telling(unittest.TestCase):
    """Words that tell members of a kind apart."""

    def test_a_type_is_its_own(self) -> None:
        """What some members of a category name, a size or a type, finds none of those that are of another."""
        known = catalogue()
        tried = 0
        for name, category in known.categories.items():
            members = [p for p in known.parts.values() if p.category == name]
            for word in {w for w in tokens(category.words) if any(map(str.isdigit, w)) and not w.isdigit()}:
                own = {p.number for p in members if any(w.startswith(word) for w in tokens(p.title))}
                if not own or len(own) == len(members):
                    continue
                found = [f.part for f in known.search(f"{word} {name}", 12).found]
                tried += 1
                self.assertLessEqual({p.number for p in found if p.category == name}, own, (name, word))
        self.assertGreater(tried, 8)

    def test_names_people_use(self) -> None:
        """Connectors, cells and displays by the names on their boxes."""
        for text, number in (
            ("DB25", "NZ-25F"),
            ("RJ11", "NL-6"),
            ("AAA holder", "NN-A3"),
            ("18650 holder", "NN-18"),
            ("Y1 capacitor", "BY1-100P"),
            ("20x4 display", "FL-204"),
            ("M2.5 screw", "IM-M2R5-5"),
            ("6.35 mm jack", "NA-63"),
            ("32 kHz crystal", "TQ-32K"),
            ("four digit display", "FL-4RC"),
            ("4 digit display", "FL-4RC"),
        ):
            self.assertEqual(catalogue().search(text, 1).found[0].part.number, number, text)
        self.assertEqual(
            nothing_found("0.2 ohm", catalogue().index.near("0.2 ohm")).allowed, "197 mΩ, 220 mΩ"
        )
