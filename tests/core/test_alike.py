"""States that differ only in which of equal switches is which: told apart where they must be, solved once where not."""

from __future__ import annotations

import itertools
from unittest import TestCase

from tests.support import board, said
from vane_step.core.design.model import Design
from vane_step.core.network.alike import alike_axes, rows_by_symmetry
from vane_step.core.network.readings import readings
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import solve
from vane_step.core.network.states import axes_of, gathered, states_of

WAYS = 7


def lamps(odd: str = "") -> Design:
    """A row of seven switches, each lighting a lamp of its own from one shared resistor; one may have another value."""
    sentences = ["add J1 NT-2", "add S1 PD-8", "add R9 QR-16-100R", "join J1.1 R9.1 5V"]
    for k in range(1, WAYS + 1):
        sentences += [
            f"add R{k} QR-16-{odd if odd and k == 3 else '470R'}",
            f"join R9.2 S1.{k} FED",
            f"join S1.{17 - k} R{k}.1 N{k}",
            f"join R{k}.2 J1.2 GND",
        ]
    return said(Design(name="lamps", board=board()), *sentences, "source PLUG J1.1 J1.2 5V")


class Alike(TestCase):
    """Groups of what may change places, and the states that stand for all."""

    def test_all_states_are_stood_for(self) -> None:
        """All positions one by one read what the few read: each part at its worst, each state up to an exchange."""
        d = lamps()
        found = states_of(d)
        self.assertEqual(found.product, 2**WAYS * 2)
        self.assertEqual([g[:2] for g in found.alike], [("S1.1", "S1.2")])
        self.assertEqual(len(found.alike[0]), WAYS)
        few = [r for r in readings(d).all if r.setting.positions["S1"].count("8") == 0]
        self.assertEqual(len(few), WAYS * (WAYS - 1) + 2)
        worst: dict[str, float] = {}
        seen = {tuple(sorted(round(p.watts, 9) for p in r.parts.values())) for r in few}
        for row in itertools.product(("off", "on"), repeat=WAYS):
            at = gathered({f"S1.{k + 1}": v for k, v in enumerate(row)})
            solved = solve(d, Setting("", frozenset({"PLUG"}), at))
            self.assertIn(tuple(sorted(round(p.watts, 9) for p in solved.parts.values())), seen, row)
            for ref, part in solved.parts.items():
                worst[ref] = max(worst.get(ref, 0.0), part.watts)
        for ref, watts in worst.items():
            self.assertAlmostEqual(max(r.parts[ref].watts for r in few), watts, places=9, msg=ref)

    def test_what_is_not_alike_stays_apart(self) -> None:
        """Another value, another level said of a pin, another net at one end: that way is in no group."""
        for d, out in (
            (lamps("1K"), "S1.3"),
            (said(lamps(), "load MORE N2 GND 1mA"), "S1.2"),
            (said(lamps(), "add C1 100n", "join C1.1 N6", "join C1.2 GND"), "S1.6"),
        ):
            [group] = states_of(d).alike
            self.assertEqual((len(group), out in group), (WAYS - 1, False), out)

    def test_pins_of_a_controller(self) -> None:
        """An address set on pins of a controller is alike where its pins are; one pin that firmware drives is not."""
        sentences = ["add J1 NT-2", "add U1 OP-20T", "add S1 PD-4"]
        d = said(Design(name="address", board=board()), *sentences)
        io = [
            p
            for p in d.parts["U1"].pins
            if (p.reset, p.loader, "5VT" in p.functions) == ("open", "open", False)
        ]
        io = io[:4]
        for k, pin in enumerate(io):
            d = said(d, f"join U1.{pin.name} S1.{k + 1} A{k}", f"join S1.{8 - k} J1.2 GND")
        names = [a.name for a in axes_of(d)[0]]
        self.assertEqual(
            [[names[k] for k in g] for g in alike_axes(d, names)], [[f"S1.{k}" for k in range(1, 5)]]
        )
        self.assertEqual(alike_axes(said(d, f"drives U1.{io[2].name} high"), names), [])

    def test_rows(self) -> None:
        """Every row of a product is one of the few with a group permuted, whatever groups there are."""
        values = [("a", "b"), ("x", "y", "z"), ("a", "b"), ("a", "b"), ("a", "b"), ("u",)]
        groups = [[0, 2, 3, 4]]
        few = set(rows_by_symmetry(values, groups))
        for row in itertools.product(*values):
            moved = []
            for order in itertools.permutations(groups[0]):
                other = list(row)
                for k, j in zip(groups[0], order, strict=True):
                    other[k] = row[j]
                moved.append(tuple(other))
            self.assertTrue(few & set(moved), row)
        self.assertLess(len(few), 2**4 * 3)
