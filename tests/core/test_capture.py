"""Capture at the speed of thought: runs, lists, matrices and repeated blocks, and how much there is to type."""

from __future__ import annotations

import unittest

from hypothesis import given, settings, strategies as st

from tests.support import BEEPER, BEEPER_TYPED, FROST, board, circuit, demo, design, part, said
from vane_step.core.ask import ask
from vane_step.core.ask.remedies import harmless
from vane_step.core.circuit.capture import connections, matrix, repeat_block
from vane_step.core.circuit.pins import counted
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import Together, apply
from vane_step.core.design.model import Design, natural
from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.finding import Finding, Remedy
from vane_step.core.sheet.sheet import sheet
from vane_step.data.shipped import catalogue, resources, rule_set


def done(d: Design, *sentences: str) -> Design:
    """Carry sentences out."""
    for text in sentences:
        edit = ask(d, text, resources()).edit
        assert edit is not None
        d = apply(d, edit)[0]
    return d


def wiring(d: Design) -> set[frozenset[str]]:
    """Give what is connected to what, whatever the nets are called."""
    return {frozenset(n.pins) for n in d.nets.values() if n.pins}


class Runs(unittest.TestCase):
    """Counting names."""

    def test_counted(self) -> None:
        """Runs go up or down, with or without the stem said again; anything else is one name."""
        for text, names in {
            "ROW0..4": ["ROW0", "ROW1", "ROW2", "ROW3", "ROW4"],
            "U1.PB2..PB0": ["U1.PB2", "U1.PB1", "U1.PB0"],
            "U1.9..11": ["U1.9", "U1.10", "U1.11"],
            "R7..7": ["R7"],
            "GND": ["GND"],
            "3V3": ["3V3"],
            "A..B": ["A..B"],
        }.items():
            self.assertEqual(counted(text), names)
        for text in ("ROW0..COL4", "R1..9999"):
            with self.assertRaises(InputError):
                counted(text)

    def test_join_and_add_in_runs(self) -> None:
        """Five pins to five nets and to five more pins in one sentence; six resistors with their values in another."""
        d = done(
            design([], on=board(80, 60)),
            "add U1 TQFP-32",
            "add J1 HDR-1x6",
            "pins U1 PB0..7",
            "join U1.PB0..4 J1.1..5 ROW0..4",
            "add R1..3 AXIAL-P762 1k 2k2 4k7",
        )
        self.assertEqual([d.nets[f"ROW{k}"].pins for k in (0, 4)], [("U1.1", "J1.1"), ("U1.5", "J1.5")])
        self.assertEqual([d.parts[f"R{k}"].value for k in (1, 2, 3)], ["1k", "2k2", "4k7"])
        self.assertEqual(
            {done(d, "add C1..4 CHIP-1608M 100n 16V").parts[f"C{k}"].value for k in range(1, 5)}, {"100n 16V"}
        )
        for text in ("join U1.PB0..4 ROW0..3", "join U1.PB0..9 X0..9", "pins J1 A B C D E F G"):
            with self.subTest(text), self.assertRaises(VaneStepError):
                ask(d, text, resources())

    def test_nets_know_rails_by_name(self) -> None:
        """A net made by joining is a ground or a supply when its name says so."""
        d = design([part("J1", "HDR-1x6", 10, 10)])
        d = done(d, "join J1.1 GND", "join J1.2 3V3", "join J1.3 VCC", "join J1.4 VALVE", "join J1.5 AGND")
        self.assertEqual(
            [d.nets[n].role for n in ("GND", "3V3", "VCC", "VALVE", "AGND")],
            ["ground", "supply", "supply", "signal", "ground"],
        )


class WholeCircuit(unittest.TestCase):
    """The Seedling Thirst Beeper, typed."""

    def test_under_two_minutes(self) -> None:
        """At five keys a second the whole circuit takes under two minutes, and it is the circuit of the demo design."""
        self.assertLess(sum(len(s) + 1 for s in BEEPER_TYPED) / 5, 120)
        empty = design([], on=board(44, 44, 1, rule_set("kitchen-table")))
        typed, wanted = done(empty, *BEEPER_TYPED), demo(BEEPER)
        self.assertEqual(wiring(typed), wiring(wanted))
        self.assertEqual(
            {r: (p.package, p.value, p.kind) for r, p in typed.parts.items()},
            {r: (p.package, p.value, p.kind) for r, p in wanted.parts.items()},
        )
        self.assertEqual([f.message for f in review(typed) if f.level == "stop"], [])


class Lists(unittest.TestCase):
    """A connection list pasted."""

    def test_forms(self) -> None:
        """Colons, commas, spaces and runs; comments and empty lines; the whole list is one edit."""
        d = design(
            [part("U1", "SOIC-8", 10, 10), part("R1", "CHIP-1608M", 20, 10), part("J1", "HDR-1x4", 30, 10)]
        )
        text = "# from the bench\nPUMP: U1.1 R1.1\nOUT R1.2,J1.1   # to the door\n\nGND,U1,4\nROW: U1.5..7 J1.2..4\n"
        after, inverse = apply(d, connections(d, text))
        self.assertEqual(after.nets["PUMP"].pins, ("U1.1", "R1.1"))
        self.assertEqual(after.nets["GND"].pins, ("U1.4",))
        self.assertEqual(len(after.nets["ROW"].pins), 6)
        self.assertEqual(apply(after, inverse)[0], d)

    def test_own_list_back(self) -> None:
        """The connection list of the demo circuit, pasted over its bare parts, gives the circuit back."""
        d = demo(FROST)
        text = "\n".join(f"{n.name}: {' '.join(n.pins)}" for n in d.nets.values())
        bare = d.replaced(nets={}, tracks={}, vias={}, pours={})
        self.assertEqual(wiring(apply(bare, connections(bare, text))[0]), wiring(d))

    def test_faults_name_the_line(self) -> None:
        """Each fault with its line; nothing is changed."""
        d = design([part("R1", "CHIP-1608M", 20, 10)])
        for text, says in (
            ("", "no connection"),
            ("A R1.1\nB R1.9", "line 2: R1 has no pin 9"),
            ("A Q9.1", "line 1: There is no part Q9"),
            ("A", "line 1: There is no pin"),
            ("A;B R1", "line 1"),
        ):
            with self.subTest(says), self.assertRaises(InputError) as caught:
                connections(d, text)
            self.assertIn(says, caught.exception.line())

    @settings(max_examples=150)
    @given(st.text(alphabet="AR1.2:,; \n#GND\t..", max_size=60))
    def test_any_text(self, text: str) -> None:
        """Any text connects something or is refused."""
        d = design([part("R1", "CHIP-1608M", 20, 10), part("R2", "CHIP-1608M", 25, 10)])
        try:
            apply(d, connections(d, text))
        except VaneStepError as error:
            self.assertTrue(error.message)


class Matrices(unittest.TestCase):
    """Keys with a diode each."""

    def test_both_senses(self) -> None:
        """Every row and column pair has one way for the current, through one key and one diode, in the sense asked for."""
        for to_rows in (True, False):
            rows, columns = ["R0", "R1", "R2"], [f"K{k}" for k in range(5)]
            d = apply(
                design([], on=board(200, 200)),
                matrix(design([]), rows, columns, to_rows, "KEY-P650-D6", "DIODE-P762"),
            )[0]
            self.assertEqual(
                (
                    sum(p.kind == "switch" for p in d.parts.values()),
                    sum(p.kind == "diode" for p in d.parts.values()),
                ),
                (15, 15),
            )
            ways = set()
            for ref in (r for r, p in d.parts.items() if p.kind == "diode"):
                # Pin 1 of a diode is its cathode: current leaves there.
                out, into = d.net_of(f"{ref}.1"), d.net_of(f"{ref}.2")
                node = into if to_rows else out
                assert node is not None
                key = next(p.split(".")[0] for p in d.nets[node].pins if not p.startswith(ref + "."))
                other = next(n for k in (1, 2) if (n := d.net_of(f"{key}.{k}")) != node)
                ways.add((other, out) if to_rows else (into, other))
            wanted = {(c, r) if to_rows else (r, c) for r in rows for c in columns}
            self.assertEqual(ways, wanted)
            self.assertEqual([f for f in review(d) if f.level != "note"], [])
            self.assertEqual(len(sheet(d).zones), 3)

    def test_sentence_and_refusals(self) -> None:
        """One sentence makes 15 keys; doubled names, too many keys and an unknown sense are refused."""
        d = done(design([]), "matrix ROW0..2 COL0..4 to-columns")
        self.assertEqual((len(d.parts), len(d.nets["ROW0"].pins), len(d.nets["COL0"].pins)), (30, 5, 3))
        for text in ("matrix A B sideways", "matrix A A", "matrix R0..99 C0..99", "matrix A"):
            with self.subTest(text), self.assertRaises(InputError):
                ask(d, text, resources())


class Repeating(unittest.TestCase):
    """A block several times."""

    def test_lights(self) -> None:
        """Repeated twice, a block's parts and own nets are there three times, grounds are shared, roles come along."""
        d = demo(BEEPER)
        after = apply(d, repeat_block(d, "Light", 2))[0]
        self.assertEqual(set(after.parts) - set(d.parts), {"LED2", "LED3", "R7", "R8"})
        self.assertEqual(after.nets["LIGHT_A2"].pins, ("LED2.2", "R7.2"))
        self.assertEqual(set(after.nets["GND"].pins) - set(d.nets["GND"].pins), {"LED2.1", "LED3.1"})
        self.assertEqual(after.parts["R8"].value, d.parts["R3"].value)
        self.assertEqual(
            {p.block for r, p in after.parts.items() if r in ("LED2", "LED3")}, {"Light 2", "Light 3"}
        )
        self.assertIsNone(after.parts["LED2"].place)

    def test_names_count_on(self) -> None:
        """ROW0 goes on to ROW1; a name in use is passed over; unknown blocks and silly numbers are refused."""
        d = design(
            [part("R1", "CHIP-1608M", 5, 5, block="Arm"), part("J1", "HDR-1x4", 15, 5)],
            {"ROW0": "R1.1 J1.1", "ROW1": "J1.2", "END": "R1.2"},
        )
        after = apply(d, repeat_block(d, "Arm", 1))[0]
        self.assertEqual((after.nets["ROW2"].pins, after.nets["END2"].pins), (("R2.1",), ("R2.2",)))
        with self.assertRaises(NotFound):
            repeat_block(d, "Leg", 1)
        for times in (0, 65):
            with self.assertRaises(InputError):
                repeat_block(d, "Arm", times)

    def test_all_or_nothing(self) -> None:
        """Several edits as one: when one does not fit, none happens."""
        d = design([part("R1", "CHIP-1608M", 5, 5)])
        good, bad = (
            ask(d, "join R1.1 A", resources()).edit,
            ask(design([part("R2", "CHIP-1608M", 5, 5)]), "join R2.1 A", resources()).edit,
        )
        with self.assertRaises(VaneStepError):
            apply(d, Together(edits=(good, bad)))  # type: ignore[arg-type]
        self.assertFalse(d.nets)


class Repeated(unittest.TestCase):
    """A copy is and does what its original does."""

    def test_copies_judge_like_their_original(self) -> None:
        """Pins keep functions and states, pairs their signs, values their reasons; buses stay shared when said; no block is mixed."""
        d = said(
            design([]),
            "add U1 OP-20T",
            "block U1 Cell",
            "join U1.1 BUS0",
            "join U1.2 TAP_P",
            "join U1.3 TAP_N",
            "add R1 QR-16-1K",
            "block R1 Cell",
            "join R1.1 TAP_P",
            "join R1.2 BUS0",
            "calc LED led supply_v=5 current_a=5m r_ohm=R1",
            "repeat Cell 2 sharing BUS*",
            "repeat Cell 2 sharing BUS*",
        )
        self.assertEqual(
            sorted({p.block for p in d.parts.values()}, key=natural),
            ["Cell", "Cell 2", "Cell 3", "Cell 4", "Cell 5"],
        )
        for k in range(2, 6):
            self.assertEqual(d.parts[f"U{k}"].pins, d.parts["U1"].pins)
            self.assertEqual((d.net_of(f"U{k}.1"), d.net_of(f"R{k}.2")), ("BUS0", "BUS0"))
            p, n = d.net_of(f"U{k}.2"), d.net_of(f"U{k}.3")
            assert p is not None and n is not None
            self.assertTrue(p.endswith("_P") and n.endswith("_N") and p[:-1] == n[:-1], (p, n))
        self.assertEqual({c.sets["r_ohm"] for c in d.calculations.values()}, {"R1", "R2", "R3", "R4", "R5"})


class Remedies(unittest.TestCase):
    """What is offered was tried, and made nothing worse."""

    def test_harmful_ones_are_withheld(self) -> None:
        """A merge of two rails, what is refused and what cures nothing are not offered; a merge of two spellings is."""
        d = said(
            circuit("split supply"),
            "add R5 LMF-1K",
            "join R5.1 OUT",
            "join R5.2 GND",
            "add R6 LMF-1K",
            "join R6.1 O_UT",
            "join R6.2 GND",
        )
        shorts = Finding(
            level="look",
            code="two-spellings",
            message="",
            source="",
            remedy=Remedy(label="", ask="merge -12V +12V"),
        )
        nothing = shorts.model_copy(update={"remedy": Remedy(label="", ask="swap R5 NOTHING")})
        moves = shorts.model_copy(update={"remedy": Remedy(label="", ask="place R5 5 5")})
        [spelt] = [f for f in review(d) if f.code == "two-spellings"]
        idle = spelt.model_copy(update={"remedy": Remedy(label="", ask="pin R5.1 X supply-out")})
        kept = [f.remedy is not None for f in harmless(d, [shorts, idle, nothing, moves, spelt], resources())]
        self.assertEqual(kept, [False, False, False, True, True])

    def test_the_same_package_is_no_likeness(self) -> None:
        """For a part nobody chose only one of its value, or of its very number, is offered."""
        d = said(design([]), "add U1 SOIC-16 UB-16", "add U2 SIP-3 switch", "add R1 CHIP-1608M 10k")
        self.assertEqual(
            [[p.number for p in catalogue().like(d.parts[r])][:1] for r in ("U1", "U2", "R1")],
            [[], [], ["QR-16-10K"]],
        )
