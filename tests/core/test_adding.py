"""Adding parts by words: counts, figures with units apart, what is said first."""

from __future__ import annotations

import math
import unittest

from hypothesis import given, settings, strategies as st

from tests.support import board, design, said
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.search import tokens
from vane_step.core.errors import InputError, NotFound
from vane_step.core.patterns.nicknames import nicknames
from vane_step.core.quantity import parse_value
from vane_step.data.shipped import catalogue


def part_of(text: str) -> CataloguePart:
    """Give the catalogue's part that is added by some words."""
    (part,) = said(design([]), f"add {text}").parts.values()
    return catalogue().parts[part.catalogue]


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
            ("7 segment display", 1, ""),
            ("2 input NAND gate", 1, ""),
            ("3 phase motor driver", 1, ""),
            ("3 axis accelerometer", 1, ""),
            ("3 terminal blocks", 3, ""),
            ("5 V regulator", 1, ""),
            ("3 mm LED", 1, ""),
        ):
            parts = said(design([]), f"add {text}").parts.values()
            self.assertEqual(len(parts), count, text)
            if kind:
                self.assertEqual({str(len(p.pins)) for p in parts}, {kind}, text)

    def test_how_many(self) -> None:
        """How many are wanted is said before or behind, as a figure or a word; a size by two numbers is no count."""
        two = said(design([]), "add C1 C2 1000uF 35V").parts.values()
        self.assertEqual([catalogue().parts[p.catalogue].params["c_f"] for p in two], [1e-3, 1e-3])
        for run in ("R6..9", "R6..R9", "R6-R9", "R6 R7 R8 R9"):
            self.assertEqual(list(said(design([]), f"add {run} 10k").parts), ["R6", "R7", "R8", "R9"], run)
        each = said(design([]), "add R1-R3 1k 2k2 4k7").parts.values()
        self.assertEqual([p.value for p in each], ["1k", "2k2", "4k7"])
        for form in ("4 100n", "four 100n", "4x 100n", "4 x 100n", "100n x 4", "100n x4", "100n 4 pcs"):
            parts = said(design([]), f"add {form}").parts.values()
            self.assertEqual([p.value for p in parts], ["100n"] * 4, form)
        for text, pins in (
            ("20 x 4 character display", 16),
            ("two 2 way screw terminals", 2),
            ("2x4 pin header", 8),
        ):
            parts = said(design([]), f"add {text}").parts.values()
            self.assertEqual({len(p.pins) for p in parts}, {pins}, text)
        with self.assertRaisesRegex(InputError, "transformer"):
            said(design([]), "add 2 x 12 V transformer")

    def test_a_sign_is_minded(self) -> None:
        """A voltage of one sign never brings a part of the other; without a sign both are found."""
        known = catalogue()
        fixed = {
            p.params["vout_v"] for p in known.parts.values() if "vout_v" in p.params and p.kind == "card"
        }
        self.assertGreater(len([v for v in fixed if v < 0]), 2)
        for volts in sorted({abs(v) for v in fixed}):
            for sign, form in ((1, "+{v:g}V"), (-1, "-{v:g}V"), (-1, "-{v:g} V")):
                answer = known.search(f"{form.format(v=volts)} regulator", 30)
                outputs = [f.part.params.get("vout_v") for f in answer.found if not answer.left_out]
                signs = {math.copysign(1, v) for v in outputs if v}
                self.assertLessEqual(signs, {sign}, (volts, form))
        self.assertEqual(part_of("-12 V regulator").params["vout_v"], -12)
        self.assertEqual(part_of("+12V regulator").params["vout_v"], 12)

    @settings(max_examples=30, deadline=None)
    @given(st.sampled_from([0.1, 0.2, 0.25, 0.5, 0.6, 0.63, 0.7, 1.0, 1.6, 2.0, 3.0, 4.5, 5.0, 10.0, 16.0]))
    def test_a_fuse_of_that_current(self, current_a: float) -> None:
        """A fuse is of the very current asked for, fast or slow as asked; where there is none the next ones are told."""
        for kind in ("fuse", "slow fuse", "fast fuse", "polyfuse", "blade fuse"):
            try:
                found = part_of(f"{current_a:g}A {kind}")
            except (InputError, NotFound) as error:
                self.assertTrue(error.allowed, kind)
                continue
            self.assertEqual(found.params["i_a"], current_a, kind)
            if kind.startswith(("slow", "fast", "blade")):
                self.assertIn(kind.split()[0], found.title)

    def test_what_some_say_is_theirs(self) -> None:
        """Of a category some members of which say a word of it, a search by that word finds no other member first."""
        known, tried = catalogue(), 0
        members: dict[str, list[CataloguePart]] = {}
        for p in known.parts.values():
            members.setdefault(p.category, []).append(p)
        for name, parts in members.items():
            about = known.categories[name]
            common = set(tokens(f"{name} {about.branch} {about.every}"))
            for word in set(tokens(about.words)) - common:
                say = [p for p in parts if any(t.startswith(word) for t in tokens(p.title))]
                bodies = {t for p in parts for t in tokens(nicknames(p.package))}
                if len(word) < 3 or not 0 < len(say) < len(parts) or any(t.startswith(word) for t in bodies):
                    continue
                tried += 1
                found = known.search(f"{word} {name}", 400).found
                wrong = [f.part.number for f in found if f.part.category == name and f.part not in say]
                self.assertEqual(wrong, [], (word, name))
        self.assertGreater(tried, 60)

    def test_shares_and_ways(self) -> None:
        """Per cent are a tolerance at most, ways those of the part and not its pins, channels at least so many."""
        for text, key, least, most in (
            ("10k 1%", "tolerance_pct", 0.0, 1.0),
            ("10k 0.1 %", "tolerance_pct", 0.0, 0.1),
            ("4 way DIP switch", "channels", 4, 4),
            ("DIP switch 8", "channels", 8, 8),
            ("8 channel ADC", "channels", 8, 8),
            ("dual optocoupler", "channels", 2, 2),
            ("16 MHz crystal 18pF", "cl_f", 18e-12, 18e-12),
        ):
            value = part_of(text).params[key]
            self.assertTrue(least * 0.999 <= value <= most * 1.001, (text, value))
        for text in ("optocoupler 4 channel", "three turn trimmer", "17 MHz crystal", "16 MHz crystal 11pF"):
            with self.assertRaises(InputError):
                part_of(text)

    def test_words_like_references(self) -> None:
        """What has the form of a reference and says what is wanted is no reference."""
        after = said(design([]), "add RS485 transceiver 3.3V")
        self.assertEqual([(p.ref, p.catalogue) for p in after.parts.values()], [("U1", "UR-3S")])
        with self.assertRaisesRegex(InputError, "m4"):
            said(design([]), "add M4 screw")
        self.assertEqual(list(said(design([]), "add M1 motor").parts), ["M1"])
        for text, says in (
            ("mounting hole", "Type: hole"),
            ("ground plane", "Type: pour"),
            ("QX317", "in words"),
        ):
            with self.assertRaises((InputError, NotFound)) as caught:
                said(design([]), f"add {text}")
            self.assertIn(says, caught.exception.next_step or "")

    def test_other_words_for_the_board(self) -> None:
        """A board is made of so many layers by the word alone; a package may be said before what is in it."""
        self.assertEqual(said(design([], on=board(40, 30, 2)), "layers 1").board.copper_layers, 1)
        self.assertEqual(
            {p.package for p in said(design([]), "add SMA schottky diode").parts.values()}, {"SMA"}
        )
        with self.assertRaisesRegex(InputError, "layers of copper"):
            said(design([]), "layers 3")
