"""Connecting pins: what was not named keeps its company, nets become one only when that is said, and leave no ghosts."""

from __future__ import annotations

import unittest

from hypothesis import given, settings, strategies as st

from tests.support import FROST, board, demo, design, said
from vane_step.core.ask import ask
from vane_step.core.circuit.capture import connections
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design, pin_name
from vane_step.core.errors import EditRefused, InputError, VaneStepError
from vane_step.data.shipped import resources

FROST_DESIGN = demo(FROST)
PINS = [pin_name(p.ref, pin.number) for p in FROST_DESIGN.parts.values() for pin in p.pins]


def company(d: Design) -> dict[str, frozenset[str]]:
    """Give the pins each connected pin is on a net with."""
    return {pin: frozenset(net.pins) for net in d.nets.values() for pin in net.pins}


class Joining(unittest.TestCase):
    """The verbs join, connect, wire, disconnect and rest."""

    @settings(max_examples=60)
    @given(st.lists(st.sampled_from(PINS), min_size=2, max_size=3, unique=True))
    def test_nothing_is_torn(self, pins: list[str]) -> None:
        """Whatever pins are joined: nobody else loses company; where nets have names the user is asked, and each answer works."""
        before = company(FROST_DESIGN)
        text = f"join {' '.join(pins)}"
        try:
            after = apply(FROST_DESIGN, ask(FROST_DESIGN, text, resources()).edit)[0]  # type: ignore[arg-type]
        except EditRefused as error:
            self.assertTrue(error.choices)
            for choice in error.choices:
                edit = ask(FROST_DESIGN, choice, resources()).edit
                assert edit is not None
                now = company(apply(FROST_DESIGN, edit)[0])
                if choice.endswith(" only"):
                    moved = set(choice.split()[1:-2])
                    for pin in before.keys() - moved:
                        self.assertEqual(now[pin] - moved, before[pin] - moved)
                else:
                    for pin, friends in before.items():
                        self.assertLessEqual(friends, now[pin])
            return
        now = company(after)
        self.assertEqual(len({now[p] for p in pins}), 1)
        for pin, friends in before.items():
            self.assertLessEqual(friends, now[pin])
        self.assertFalse(
            [n for n, net in after.nets.items() if not net.pins and FROST_DESIGN.nets.get(n) is None]
        )

    def test_naming_leaves_no_ghost(self) -> None:
        """Two pins joined and then called by a name: one net, and its pins are all on it; a net ends with its last pin."""
        d = said(design([]), "add R1..3 1k", "join R1.1 R2.1", "join R2.1 R3.1", "join R1.1 VOUT")
        self.assertEqual({n: len(net.pins) for n, net in d.nets.items()}, {"VOUT": 3})
        d = said(d, "join R1.2 R2.2", "join R2.2 VOUT")
        self.assertEqual({n: len(net.pins) for n, net in d.nets.items()}, {"VOUT": 5})
        d = said(d, "disconnect R1.1 R1.2 R2.1 R2.2 R3.1")
        self.assertEqual(list(d.nets), [])

    def test_the_net_may_stand_anywhere(self) -> None:
        """A net named first or between its pins is meant as if it came last; two nets are told apart from pins."""
        d = said(Design(name="j", board=board()), "add R1..3 1k 0805", "join R1.1 5V", "join R2.1 X")
        wanted = said(d, "join R3.1 R3.2 5V").nets["5V"].pins
        for text in ("join 5V R3.1 R3.2", "join R3.1 5V R3.2"):
            self.assertEqual(said(d, text).nets["5V"].pins, wanted)
        for text in ("join 5V X", "join R3.1 5V X R3.2", "join R3.1 5V X"):
            with self.assertRaisesRegex(InputError, "both nets"):
                ask(d, text, resources())

    def test_a_part_is_no_net(self) -> None:
        """Who names a part where a pin or a net goes is asked for the pin; of one pin it is meant; a net is known however it is written."""
        d = said(design([]), "add R1 1k", "add F1 1A fuse", "add TP1 test point", "join R1.2 GND")
        for text in ("join R1.1 F1", "connect R1.1 to f1", "net F1 R1.1", "add R2 1k at GND F1"):
            with self.assertRaisesRegex(InputError, "F1 is a part"):
                ask(d, text, resources())
        self.assertEqual(
            set(said(d, "join R1.1 TP1").nets[said(d, "join R1.1 TP1").net_of("R1.1") or ""].pins),
            {"R1.1", "TP1.1"},
        )
        self.assertEqual(said(d, "join F1.1 gnd").net_of("F1.1"), "GND")

    def test_roles_of_pins(self) -> None:
        """A role said of a pin is its role, by either verb, and never its name; its pins are told."""
        d = said(design([]), "add J1 screw terminal 2 ways", "join J1.1 VIN")
        for text in ("role J1.1 supply-out", "pin J1.1 supply-out", "role J1.1 source"):
            try:
                pin = said(d, text).parts["J1"].pin("1")
            except InputError:
                self.assertIn("source", text)
                continue
            self.assertEqual((pin.role, pin.name) if pin else None, ("supply-out", ""), text)
        told = ask(d, "pins J1", resources())
        self.assertIsNone(told.edit)
        self.assertIn("1 on VIN, 2", told.says)

    def test_added_in_its_place(self) -> None:
        """A part is added between two places in one sentence; runs of parts, of pins and of nets go one to one."""
        d = said(
            design([]), "add timer", "add J1 screw terminal 2", "join J1.1 U1.VDD 5V", "join J1.2 U1.GND GND"
        )
        d = said(d, "add R1 10k between 5V and U1.DISCH", "add C1 100n at U1.CTRL GND", "add LED1 red at GND")
        self.assertEqual((d.net_of("R1.1"), d.net_of("R1.2")), ("5V", d.net_of("U1.7")))
        self.assertEqual((d.net_of("C1.1"), d.net_of("C1.2")), (d.net_of("U1.5"), "GND"))
        self.assertEqual(d.net_of("LED1.1"), "GND")
        with self.assertRaises(VaneStepError):
            ask(d, "add R2 1k at 5V GND U1.3", resources())
        d = said(d, "add R11..13 1k", "join R11..13.1 A1..3", "value R11..13 2k2")
        self.assertEqual([d.net_of(f"R{k}.1") for k in (11, 12, 13)], ["A1", "A2", "A3"])
        self.assertEqual({d.parts[f"R{k}"].catalogue for k in (11, 12, 13)}, {"QR-16-2P2K"})
        d = apply(d, connections(d, "B1..3 R11..13.2"))[0]
        self.assertEqual(d.net_of("R13.2"), "B3")

    def test_supplies_are_not_offered_as_one(self) -> None:
        """A pin of one supply put on another may move; making both one net is not a button."""
        d = said(design([]), "add R1..4 1k", "join R1.1 R2.1 5V", "join R3.1 R4.1 12V")
        with self.assertRaises(EditRefused) as told:
            ask(d, "join R1.1 12V", resources())
        self.assertEqual(told.exception.choices, ["join R1.1 12V only"])
        self.assertIn("shorts", told.exception.line())

    def test_findings_ripen(self) -> None:
        """Parts just added are one quiet line; one that is being connected says all its open pins in one, the worst first."""
        d = said(design([]), "add timer", "add R1..4 1k", "add LED1 red")
        open_pins = [f for f in review(d) if f.code == "open-pin"]
        self.assertEqual([(f.level, f.message[:18]) for f in open_pins], [("note", "Not connected yet:")])
        d = said(d, "join U1.OUT R1.1")
        mine = [f for f in review(d) if f.code == "open-pin" and f.place.refs == ("U1",)]
        self.assertEqual([f.level for f in mine], ["stop"])
        self.assertIn("7 open pins: Ground pin GND, Supply pin VDD", mine[0].message)
        d = said(d, "rest U1")
        self.assertFalse([f for f in review(d) if f.code == "open-pin" and "U1" in f.place.refs])


if __name__ == "__main__":
    unittest.main()
