"""Values as people write them."""

from __future__ import annotations

import contextlib
import math
import unittest

from hypothesis import given, strategies as st

from vane_step.core.errors import InputError
from vane_step.core.quantity import E12, E24, format_value, mm, next_up, nm, parse_length_nm, parse_value


class Parsing(unittest.TestCase):
    """What people type becomes the number they mean."""

    def test_values(self) -> None:
        """Engineering notation, with the prefix as a decimal point or behind; upper and lower case differ."""
        for text, value in {
            "4k7": 4700,
            "0R05": 0.05,
            "22p": 22e-12,
            "100n": 100e-9,
            "4.7u": 4.7e-6,
            "4u7": 4.7e-6,
            "4µ7": 4.7e-6,
            "1M": 1e6,
            "1m": 1e-3,
            "1,5": 1.5,
            "2A": 2,
            "1,5 V": 1.5,
            "10 kHz": 1e4,
            "-3": -3,
            "0": 0,
            "2K2": 2200,
            "3V3": 3.3,
            "-35V": -35,
            "1e3": 1000,
            "500mA": 0.5,
            "500 mA": 0.5,
            "2.2Ah": 2.2,
            "30 °C": 30,
            "65K/W": 65,
            "1 %": 1,
            ".1uF": 1e-7,
        }.items():
            with self.subTest(text):
                self.assertTrue(math.isclose(parse_value(text), value, rel_tol=1e-12, abs_tol=1e-30))

    def test_lengths(self) -> None:
        """A bare number is millimetres; mil, inch, micrometres and ounces are understood."""
        for text, value in {
            "10mil": 254_000,
            "0.1in": 2_540_000,
            "1oz": 34_800,
            "35um": 35_000,
            "2": 2_000_000,
            "1,27 mm": 1_270_000,
            "-0.5": -500_000,
            "3cm": 30_000_000,
            '0.5"': 12_700_000,
        }.items():
            with self.subTest(text):
                self.assertEqual(parse_length_nm(text), value)

    def test_the_unit_asked_for(self) -> None:
        """Where a unit is asked for another is refused, and K is kelvin only where kelvin are asked for."""
        self.assertEqual(parse_value("10K", "rise", "K"), 10)
        self.assertEqual(parse_value("10K", "r", "Ω"), 10_000)
        for text, unit in (("5 mV", "A"), ("2A5", "V"), ("30 °C", "K"), ("1 %", "")):
            with self.subTest(text):
                if unit:
                    self.assertRaises(InputError, parse_value, text, "x", unit)
                else:
                    self.assertEqual(parse_value(text, "x", unit), 1)

    def test_refusals_name_the_field(self) -> None:
        """What is no value is refused, never guessed."""
        for text in (
            "",
            "k",
            "4k7k",
            "4.7k7",
            "1e99",
            "R",
            "800 mA x",
            "5 furlong",
            "1" * 400,
            "nan",
            "inf",
            "four",
            "4 7",
            "--1",
        ):
            with self.subTest(text), self.assertRaises(InputError) as caught:
                parse_value(text, "load")
            self.assertEqual(caught.exception.where, "load")
        for text in ("", "-", "mm", "1.2.3", "5 furlongs", "1k", "3m", "9" * 400):
            with self.subTest(text), self.assertRaises(InputError):
                parse_length_nm(text)

    @given(st.text(max_size=12))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        """No text makes the parsers fall over."""
        for parse in (parse_value, parse_length_nm):
            with contextlib.suppress(InputError):
                self.assertTrue(math.isfinite(parse(text)))


class Writing(unittest.TestCase):
    """Numbers become what people read."""

    @given(st.floats(min_value=1e-11, max_value=9e9))
    def test_round_trip(self, value: float) -> None:
        """A formatted value reads back within its three digits."""
        self.assertLess(abs(parse_value(format_value(value)) / value - 1), 0.006)

    def test_prefixes(self) -> None:
        """One to three digits stand before the point; zero and infinity have no prefix."""
        cases = {
            (0.0047, "A"): "4.7 mA",
            (0, "V"): "0 V",
            (1000, "Ω"): "1 kΩ",
            (2.2e-11, "F"): "22 pF",
            (math.inf, "s"): "inf s",
        }
        for (value, unit), text in cases.items():
            self.assertEqual(format_value(value, unit), text)

    @given(st.integers(-2_000_000_000, 2_000_000_000))
    def test_nanometres(self, value: int) -> None:
        """Millimetres and whole nanometres convert without loss over the size of any board."""
        self.assertEqual(nm(mm(value)), value)


class Series(unittest.TestCase):
    """The next preferred value is never below what is needed."""

    @given(st.floats(min_value=1e-3, max_value=1e8), st.sampled_from([E12, E24]))
    def test_next_up(self, value: float, series: tuple[int, ...]) -> None:
        """It is at least the value, less than one step above, and of the series."""
        found = next_up(value, series)
        self.assertGreaterEqual(found, value * (1 - 2e-6))
        self.assertLess(found, value * (1.26 if series is E12 else 1.16))
        decade = 10 ** (math.floor(math.log10(found) + 1e-9) - 1)
        self.assertIn(round(found / decade), series)

    def test_edges(self) -> None:
        """A value of the series is its own next; nothing is next to zero."""
        self.assertEqual(next_up(600), 620)
        self.assertEqual(next_up(620), 620)
        self.assertEqual(next_up(9.2), 10)
        for bad in (0, -1):
            with self.assertRaises(InputError):
                next_up(bad)
