"""Adding parts by words: counts, figures with units apart, what is said first."""

from __future__ import annotations

import unittest

from hypothesis import given, settings, strategies as st

from tests.support import board, design, said
from vane_step.core.errors import InputError, NotFound
from vane_step.core.quantity import parse_value


class Figures(unittest.TestCase):
    """A number is a count only where it counts parts."""

    @settings(max_examples=40)
    @given(
        st.sampled_from(["1", "10", "22", "47", "100", "470"]),
        st.sampled_from([("n", "F"), ("u", "F"), ("", "ohm"), ("k", "ohm"), ("k", "Ω"), ("u", "H")]),
        st.sampled_from(["{n} {p}{u}", "{n}{p} {u}", "{n}{p}{u}", "3 {n} {p}{u}", "3 {n}{p}{u}"]),
    )
    def test_units_apart(self, number: str, unit: tuple[str, str], form: str) -> None:
        """However far a unit stands from its number, parts of that value are added, as many as are asked for."""
        prefix, name = unit
        text = form.format(n=number, p=prefix, u=name)
        wanted = float(number) * {"n": 1e-9, "u": 1e-6, "": 1.0, "k": 1e3}[prefix]
        count = 3 if form.startswith("3 ") else 1
        try:
            after = said(design([]), f"add {text}")
        except NotFound:
            return
        self.assertEqual(len(after.parts), count, text)
        for part in after.parts.values():
            self.assertAlmostEqual(parse_value(part.value) / wanted, 1.0, 6, text)

    def test_what_a_part_has_some_of(self) -> None:
        """Pins, ways and digits before a name are the part's; a count stands before them."""
        for text, count, kind in (
            ("8 pin microcontroller", 1, "8"),
            ("2 way screw terminal", 1, "2"),
            ("3 2 way screw terminal", 3, "2"),
            ("2 4 digit display", 2, "12"),
            ("2 push button", 2, ""),
            ("5 V regulator", 1, ""),
            ("3 mm LED", 1, ""),
        ):
            parts = said(design([]), f"add {text}").parts.values()
            self.assertEqual(len(parts), count, text)
            if kind:
                self.assertEqual({str(len(p.pins)) for p in parts}, {kind}, text)

    def test_other_words_for_the_board(self) -> None:
        """A board is made of so many layers by the word alone; a package may be said before what is in it."""
        self.assertEqual(said(design([], on=board(40, 30, 2)), "layers 1").board.copper_layers, 1)
        self.assertEqual(
            {p.package for p in said(design([]), "add SMA schottky diode").parts.values()}, {"SMA"}
        )
        with self.assertRaisesRegex(InputError, "layers of copper"):
            said(design([]), "layers 3")
