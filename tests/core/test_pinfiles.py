"""Pins from files: BSDL and IBIS as vendors write them, tables as people paste them, and damage of every kind."""

from __future__ import annotations

import tracemalloc
import unittest

from hypothesis import given, settings, strategies as st

from tests.support import ROOT, design
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import AddPart, Join, apply
from vane_step.core.errors import InputError
from vane_step.core.parts.part import part_from
from vane_step.core.parts.pinfiles import fit, read_pins
from vane_step.core.parts.pinfiles.table import MAX_PINS, role_of_name
from vane_step.core.patterns.packages import package

BSDL = (ROOT / "tests" / "samples" / "tern32.bsd").read_text(encoding="utf-8")
IBIS = (ROOT / "tests" / "samples" / "wren8.ibs").read_text(encoding="utf-8")
TABLE = "pin;name;type\n1;RST;in\n2;PB3;i/o\n3;PB4;\n4;GND;\n5;PB0;out\n6;PB1;od\n7;PB2;nc\n8;VDD;power\n"


class Bsdl(unittest.TestCase):
    """IEEE 1149.1 descriptions."""

    def test_default_package(self) -> None:
        """The generic's default pin map: vectors in their order, modes and names to roles, scan rows passed over."""
        table = read_pins(BSDL, "tern32.bsd")
        pins = {p.number: (p.name, p.role) for p in table.pins}
        self.assertEqual((table.part, table.package, len(pins)), ("TERN32", "TQFP_32", 32))
        for number, wanted in {
            "12": ("PB0", "io"),
            "17": ("PB5", "io"),
            "22": ("PC7", "io"),
            "23": ("PC0", "io"),
            "7": ("OSC1", "input"),
            "8": ("OSC2", "output"),
            "18": ("TDO", "output"),
            "1": ("PD3", "io"),
            "4": ("VDD0", "supply-in"),
            "5": ("GND2", "ground"),
            "21": ("NC", "unconnected"),
            "20": ("AREF", "supply-in"),
            "29": ("TRST", "input"),
        }.items():
            self.assertEqual(pins[number], wanted)

    def test_other_package(self) -> None:
        """Another pin map by name, with lettered pads in their order; one the file lacks is refused with those it has."""
        table = read_pins(BSDL, "tern32.bsd", "bga_36")
        self.assertEqual((table.package, table.pins[0].number, table.pins[-1].number), ("BGA_36", "A1", "F2"))
        with self.assertRaises(InputError) as caught:
            read_pins(BSDL, "tern32.bsd", "QFN")
        self.assertIn("TQFP_32, BGA_36", caught.exception.allowed)

    def test_faults_name_the_line(self) -> None:
        """Where a statement goes wrong is told with its line."""
        for old, new, says in (
            ("OSC1      : in  bit", "OSC1      : sideways bit", "A port cannot be 'sideways'"),
            ("in  bit;", "in  byte;", "A port cannot be of type 'byte'"),
            ("0 to 5 )", "0 until 5 )", "A vector's range"),
            ("0 to 5 )", "0 to 2000000000 )", "too wide"),
            ("0 to 5 )", "0 to 9 )", "PB has 10 lines and 6 pins"),
            ("NC:21", "NC:20", "Pin 20 comes twice"),
            ('"NC:21"', "NC", "Here is 'NC' where a string belongs"),
            (" PD3 : 1 ,", " PD3 = 1 ,", "cannot be read from"),
            ("port (", "ports (", "no port list"),
            (";\n\n constant BGA", "\n\n constant BGA", ""),
        ):
            self.assertIn(old, BSDL, says)
            with self.subTest(says):
                try:
                    read_pins(BSDL.replace(old, new, 1), "x.bsd")
                    self.assertEqual(says, "")
                except InputError as error:
                    self.assertIn(says, error.line())
                    if "line" in error.where and "port list" not in says:
                        self.assertEqual(
                            error.where, f"x.bsd, line {BSDL[: BSDL.index(old) + 2].count(chr(10)) + 1}"
                        )


class Ibis(unittest.TestCase):
    """ANSI/EIA-656 files."""

    def test_component(self) -> None:
        """Pins with reserved and named models, a selector's first choice, model types from far below, comments of both kinds."""
        table = read_pins(IBIS, "wren8.ibs", "wren-8p")
        roles = [(p.number, p.name, p.role) for p in table.pins]
        self.assertEqual(roles[:3], [("1", "RST", "io"), ("2", "PB3", "io"), ("3", "PB4", "io")])
        self.assertEqual(
            roles[3:],
            [
                ("4", "GND", "ground"),
                ("5", "PB0", "io"),
                ("6", "PB1", "open-drain"),
                ("7", "PB2", "io"),
                ("8", "VDD", "supply-in"),
            ],
        )
        other = read_pins(IBIS, "wren8.ibs", "WREN-14")
        self.assertEqual([(p.name, p.role) for p in other.pins], [("CLK", "input"), ("DATA", "unconnected")])

    def test_which_component(self) -> None:
        """A file with several asks which; one it does not have is refused with those it has."""
        for choice in ("", "ROOK"):
            with self.assertRaises(InputError) as caught:
                read_pins(IBIS, "wren8.ibs", choice)
            self.assertEqual(caught.exception.allowed, "WREN-8P, WREN-14")
        with self.assertRaises(InputError) as caught:
            read_pins(IBIS.replace("3 PB4 ioport", "3 PB4"), "wren8.ibs", "WREN-8P")
        self.assertIn("wren8.ibs, line 19", caught.exception.line())


class Tables(unittest.TestCase):
    """What people paste."""

    def test_separators_titles_and_spoken_roles(self) -> None:
        """Semicolons, commas, tabs and spaces; columns in any order; roles as people say them, or from the name."""
        wanted = [(p.number, p.name, p.role) for p in read_pins(TABLE, "t.csv").pins]
        self.assertEqual(wanted[3], ("4", "GND", "ground"))
        self.assertEqual(
            [r for _, _, r in wanted],
            ["input", "io", "passive", "ground", "output", "open-drain", "unconnected", "supply-in"],
        )
        for text in (
            TABLE.replace(";", ","),
            TABLE.replace(";", "\t"),
            "\ufeff" + TABLE,
            "\n".join(TABLE.splitlines()[1:]),
        ):
            self.assertEqual([(p.number, p.name, p.role) for p in read_pins(text, "t.csv").pins], wanted)
        swapped = "name,role,number\n" + "\n".join(f"{n},{r},{k}" for k, n, r in wanted)
        self.assertEqual([(p.number, p.name, p.role) for p in read_pins(swapped, "t.csv").pins], wanted)
        self.assertEqual([p.name for p in read_pins("1 VDD\n2 GND\n", "t").pins], ["VDD", "GND"])

    def test_faults(self) -> None:
        """Doubled numbers, missing names, unknown roles and too many pins, each with its line or number."""
        for text, says in (
            ("", "nothing"),
            ("1,A\n1,B", "Pin 1 comes twice: A and B"),
            ("1,A\n2", "line 2: A pin has a number and a name"),
            ("1,A,loud", "line 1: 'loud' is no role"),
            ('1,"A', "line 1"),
            ("\n".join(f"{k},P{k}" for k in range(MAX_PINS + 1)), "too many pins"),
            ("a b,C", "pin 'a b'"),
            (",A", "pin ''"),
        ):
            with self.subTest(says), self.assertRaises(InputError) as caught:
                read_pins(text, "t.csv")
            self.assertIn(says, caught.exception.line())

    def test_names_tell_their_role(self) -> None:
        """Supply, ground and free pins are known by name; others are not guessed."""
        for name, role in {
            "VCC": "supply-in",
            "VDD_2": "supply-in",
            "DVDD": "supply-in",
            "VSS": "ground",
            "AGND": "ground",
            "EPAD": "ground",
            "N.C.": "unconnected",
            "NC3": "unconnected",
            "PB3": None,
            "RESET": None,
            "VALVE": None,
        }.items():
            self.assertEqual(role_of_name(name), role, name)


class Fitting(unittest.TestCase):
    """Pins and package."""

    def test_into_a_circuit(self) -> None:
        """A part made of a file is reviewed as soon as a pin of it is connected: its open supply and ground pins are a stop."""
        pack = package("TQFP-32")
        d = apply(
            design([]), AddPart(part=part_from("U9", pack, table=read_pins(BSDL, "tern32.bsd")), package=pack)
        )[0]
        self.assertEqual(d.parts["U9"].value, "TERN32")
        self.assertEqual([f.level for f in review(d) if "U9" in f.place.refs], ["note"])
        d = apply(d, Join(pins=("U9.1",), net="A"))[0]
        mine = [f for f in review(d) if f.level == "stop"]
        self.assertLessEqual({"U9.3", "U9.4", "U9.5", "U9.6", "U9.20"}, set(mine[0].place.pins))
        self.assertIn("Supply pin", mine[0].message)

    def test_pins_without_a_pad_and_pads_without_a_pin(self) -> None:
        """A pin the package has no pad for is refused; a pad the file does not name stays as an open pin."""
        with self.assertRaises(InputError) as caught:
            fit(read_pins(BSDL, "tern32.bsd"), package("SOIC-8"))
        self.assertIn("no pad for 24 pins: 9, 10", caught.exception.line())
        short = read_pins("1,A\n2,B", "t.csv")
        self.assertEqual([p.name for p in fit(short, package("SOT-23"))], ["A", "B", ""])
        with self.assertRaises(InputError):
            part_from("U 9", package("SOT-23"))


class Damage(unittest.TestCase):
    """No crash, no hang, no flood, whatever comes in."""

    @settings(max_examples=300)
    @given(st.data())
    def test_damaged_anywhere(self, data: st.DataObject) -> None:
        """A file damaged at any place is read or refused in one line within a second."""
        text = data.draw(st.sampled_from([BSDL, IBIS, TABLE]))
        for _ in range(data.draw(st.integers(1, 3))):
            at, cut = data.draw(st.integers(0, len(text))), data.draw(st.integers(0, 200))
            put = data.draw(
                st.sampled_from(
                    [
                        "",
                        '"',
                        "&",
                        "(",
                        ")",
                        ":",
                        ",",
                        ";",
                        "[Pin]",
                        "[",
                        "--",
                        "|",
                        "\x00",
                        "é",
                        "999999999999",
                        "entity x is",
                        "\n",
                        "[Comment Char] |_char",
                    ]
                )
            )
            text = text[:at] + put + text[at + cut :]
        try:
            read_pins(text, "x", data.draw(st.sampled_from(["", "WREN-8P", "BGA_36"])))
        except InputError as error:
            self.assertNotIn("\n", error.line())

    def test_corpus(self) -> None:
        """Large and hostile files are done with in a second and in bounded memory."""
        corpus = {
            "long line": "entity X is\n" + "-" * 2_000_000,
            "deep brackets": "entity X is port " + "(" * 500_000,
            "no end of string": 'entity X is port (A: in bit); constant P: PIN_MAP_STRING := "'
            + "A:1," * 200_000,
            "many strings": 'entity X is port (A: in bit); constant P: PIN_MAP_STRING := "A:1"'
            + ' & ","' * 100_000
            + ";",
            "many keywords": "[Component] X\n" + "[Pin]\n" * 200_000,
            "many pins": "[Component] X\n[Pin]\n" + "".join(f"{k} S{k} M\n" for k in range(200_000)),
            "spaces": "1" + " " * 1_000_000,
            "commas": "," * 1_000_000,
            "only dashes": "entity X is\n" + '"--' * 300_000,
            "wide vectors": "entity X is port ("
            + "".join(f"A{k}: in bit_vector(0 to 5999);" for k in range(400))
            + ");",
            "nulls": "\x00" * 1_000_000,
            "one bracket": "[Component] X\n" + "[" * 1_000_000,
        }
        for what, text in corpus.items():
            with self.subTest(what):
                tracemalloc.start()
                with self.assertRaises(InputError):
                    read_pins(text, "x")
                self.assertLess(tracemalloc.get_traced_memory()[1], 30 * len(text) + 50_000_000)
                tracemalloc.stop()
