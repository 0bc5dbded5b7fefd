"""The catalogue: that its data hold together, and that a search finds what was asked for and nothing else."""

from __future__ import annotations

import re
import unittest

from hypothesis import given, settings, strategies as st

from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.parts.catalogue import read_catalogue, series_values, typed
from vane_step.core.parts.packages import package
from vane_step.core.parts.parameters import PARAMETERS
from vane_step.core.parts.search import read_search
from vane_step.core.quantity import E24, parse_value
from vane_step.data.shipped import catalogue


class Data(unittest.TestCase):
    """What ships."""

    def test_enough_and_varied(self) -> None:
        """There are over 120 parts that are no members of a series, and every kind the brief of the catalogue names."""
        parts = catalogue().parts.values()
        single = [p for p in parts if p.category not in ("resistor", "ceramic capacitor")]
        self.assertGreater(len(single), 120)
        controllers = [p for p in parts if p.category == "controller"]
        sizes = {len(package(p.package).pads) for p in controllers}
        self.assertGreaterEqual(len({p.title for p in controllers}), 6)
        self.assertTrue({8, 64} <= sizes)
        self.assertTrue(any(package(p.package).keepout_nm for p in controllers), "no module with an antenna")
        for word in (
            "diode",
            "LED",
            "FET",
            "linear regulator",
            "adjustable",
            "buck",
            "crystal",
            "connector",
            "switch",
            "relay",
            "sounder",
            "sensor",
            "logic",
        ):
            self.assertTrue(any(word in p.category for p in parts), word)

    def test_pins_fit_packages(self) -> None:
        """Every pin has a pad; polarised two-pin parts name both; supplies of controllers have their grounds."""
        for part in catalogue().parts.values():
            with self.subTest(part.number):
                pads = {p.number for p in package(part.package).pads}
                self.assertLessEqual({p.number for p in part.pins}, pads)
                self.assertEqual(len({p.number for p in part.pins}), len(part.pins))
                if part.category == "controller":
                    self.assertEqual({p.number for p in part.pins}, pads)
                    roles = [p.role for p in part.pins]
                    self.assertIn("supply-in", roles)
                    self.assertIn("ground", roles)
                self.assertEqual(part.part("X1").catalogue, part.number)

    def test_series(self) -> None:
        """Series members are values of the series, both ends included, and their spelling reads back."""
        self.assertEqual(series_values(1e3, 1e4)[:3], [1000, 1100, 1200])
        self.assertEqual(series_values(1e3, 1e4)[-1], 1e4)
        self.assertEqual(len(series_values(1, 9.1e6)), 7 * len(E24))
        for part in catalogue().parts.values():
            if part.category == "resistor":
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
                self.assertEqual(catalogue().search(text)[0].part.number, first)
        self.assertEqual(catalogue().search("schottky 400 V 50 A"), [])

    @given(st.sampled_from([10.0, 20.0, 40.0, 60.0]), st.sampled_from([0.1, 1.0, 2.5, 5.0]))
    def test_every_find_meets_the_figures(self, volts: float, amps: float) -> None:
        """Whatever is found bears the voltage and the current asked for, and nothing that does is left out."""
        found = {f.part.number for f in catalogue().search(f"schottky {volts:g} V {amps:g} A", 1000)}
        wanted = {
            p.number
            for p in catalogue().parts.values()
            if p.title == "schottky" and p.params["vr_v"] >= volts and p.params["if_a"] >= amps
        }
        self.assertEqual(found, wanted)

    @settings(max_examples=150)
    @given(st.text(max_size=60))
    def test_any_text(self, text: str) -> None:
        """Any text finds something, nothing, or says why not."""
        try:
            found = catalogue().search(text)
        except VaneStepError as error:
            self.assertTrue(error.message)
        else:
            words, wishes = read_search(text)
            for hit in found:
                self.assertTrue(all(w in hit.part.words for w in words))
                self.assertTrue(all(w.misfit(hit.part.params) is not None for w in wishes))

    def test_refusals(self) -> None:
        """An unknown parameter lists those there are; an unknown number those that begin alike."""
        with self.assertRaises(InputError) as unknown:
            catalogue().search("fet weight<3")
        self.assertIn("rds_ohm", unknown.exception.allowed)
        with self.assertRaises(NotFound) as number:
            catalogue().get("QR-16-11X")
        self.assertIn("QR-", number.exception.allowed)
        self.assertTrue(all(re.fullmatch(r"[a-z0-9_]+", k) and p.title for k, p in PARAMETERS.items()))
