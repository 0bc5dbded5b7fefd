"""Choosing controllers: assignments checked by code the solver does not share, and against trying everything."""

from __future__ import annotations

import itertools
import unittest

from hypothesis import given, settings, strategies as st

from tests.support import BEEPER, FROST, demo, said
from vane_step.core.board.placement.pin_escape import reach_mm
from vane_step.core.controllers.assign import Assignment, assign, offers, verify
from vane_step.core.controllers.choose import apply_assignment, candidates, lock_pin, solve_for
from vane_step.core.controllers.demand import Signal, read_demand
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Brief, Pin, PinUse
from vane_step.core.errors import InputError
from vane_step.data.shipped import catalogue

FUNCTIONS = (
    "ADC0",
    "ADC1",
    "PWM0A",
    "PWM0B",
    "UART0.TX",
    "UART0.RX",
    "UART1.TX",
    "UART1.RX",
    "I2C0.SDA",
    "I2C0.SCL",
    "INT0",
    "5VT",
)
FORTY = "12 adc\n8 pwm\n3 uart\n2 i2c\nspi\nusb\ndebug\nxtal\nFLOW: int 5v\nGATE: gpio"


def best_by_trying(pins: tuple[Pin, ...], signals: tuple[Signal, ...]) -> int:
    """Count how many signals can be met at most, by trying every choice for each of them."""
    choices = []
    for s in signals:
        fits = [
            (p.number, f)
            for p in pins
            for f, _ in offers(p, s.function)
            if not s.tolerant or "5VT" in p.functions
        ]
        choices.append([None, *fits])
    best = 0
    for pick in itertools.product(*choices):
        uses = tuple(
            PinUse(pin=c[0], demand=s.name, function=c[1]) for s, c in zip(signals, pick, strict=True) if c
        )
        if len(uses) > best and not verify(pins, signals, uses):
            best = len(uses)
    return best


class Solving(unittest.TestCase):
    """The solver."""

    @settings(max_examples=40)
    @given(
        st.lists(st.sets(st.sampled_from(FUNCTIONS), max_size=4), min_size=1, max_size=5),
        st.lists(
            st.sampled_from(["adc", "pwm", "uart", "i2c", "int", "A: int 5v"]),
            min_size=1,
            max_size=3,
            unique=True,
        ),
    )
    def test_as_many_as_can_be(self, pins: list[set[str]], wants: list[str]) -> None:
        """The assignment is sound, and meets as many signals as trying everything does."""
        made = tuple(
            Pin(number=str(k + 1), role="io", functions=tuple(sorted(f))) for k, f in enumerate(pins)
        )
        signals = read_demand("\n".join(wants)).signals
        solved = assign(made, signals)
        self.assertEqual(verify(made, signals, solved.uses), [])
        self.assertEqual(len(solved.uses), best_by_trying(made, signals))
        self.assertEqual(
            {u.demand for u in solved.uses} | {s.name for s in solved.missing}, {s.name for s in signals}
        )
        self.assertTrue({u.pin for u in solved.uses}.isdisjoint(solved.spare))

    def test_forty_demands(self) -> None:
        """Forty demands on the largest controller are proved best; seven controllers cannot."""
        pins, signals = catalogue().get("OP-64T").pins, read_demand(FORTY).signals
        self.assertGreaterEqual(len(signals), 38)
        solved = assign(pins, signals)
        self.assertTrue(solved.feasible)
        self.assertLessEqual(solved.gap, 1e-6)
        self.assertEqual(verify(pins, signals, solved.uses), [])
        small = assign(catalogue().get("OW-32T").pins, signals)
        self.assertIn("USB1_DP", {s.name for s in small.missing})

    def test_locks_and_costs(self) -> None:
        """A locked use stays; a cost moves a signal elsewhere without losing any; an impossible lock is refused."""
        pins, signals = catalogue().get("OW-32T").pins, read_demand("A: adc\nB: adc\nM: pwm").signals
        free = assign(pins, signals)
        by = {u.demand: u for u in free.uses}
        other = next(p.number for p in pins if p.number != by["A"].pin and offers(p, "ADC"))
        function = offers(next(p for p in pins if p.number == other), "ADC")[0][0]
        held = assign(pins, signals, (PinUse(pin=other, demand="A", function=function, locked=True),))
        self.assertEqual(next(u.pin for u in held.uses if u.demand == "A"), other)
        moved = assign(pins, signals, cost={("M", by["M"].pin): 50.0})
        self.assertNotEqual(next(u.pin for u in moved.uses if u.demand == "M"), by["M"].pin)
        self.assertTrue(moved.feasible and held.feasible)
        stays = assign(pins, signals, now={u.demand: u.pin for u in moved.uses})
        self.assertEqual({u.demand: u.pin for u in stays.uses}, {u.demand: u.pin for u in moved.uses})
        with self.assertRaises(InputError):
            assign(pins, signals, (PinUse(pin="5", demand="A", function="ADC0", locked=True),))

    def test_verify_finds_faults(self) -> None:
        """The independent check is no rubber stamp."""
        pins, signals = catalogue().get("OW-32T").pins, read_demand("A: adc\nGPS: uart\nF: int 5v").signals
        good = assign(pins, signals).uses
        bad = [
            (good[0].model_copy(update={"pin": good[1].pin}), *good[1:]),
            (good[0].model_copy(update={"function": "ADC9"}), *good[1:]),
            (*good, good[0]),
        ]
        for uses in bad:
            self.assertNotEqual(verify(pins, signals, tuple(uses)), [])
        tolerant = next(p.number for p in pins if "5VT" not in p.functions and offers(p, "INT"))
        spoilt = tuple(
            u.model_copy(
                update={
                    "pin": tolerant,
                    "function": offers(next(p for p in pins if p.number == tolerant), "INT")[0][0],
                }
            )
            if u.demand == "F"
            else u
            for u in good
        )
        self.assertTrue(any("5 V" in w for w in verify(pins, signals, spoilt)))


class Demands(unittest.TestCase):
    """What people write."""

    def test_forms(self) -> None:
        """Counts, names, lines with names of their own, limits."""
        d = read_demand(
            "2 adc, SENSE: adc\nGPS: uart # the receiver\nSDA/SCL: i2c\nflash 32k\nsupply 3.0..3.6, package TQFP\nprice 3"
        )
        self.assertEqual(
            [s.name for s in d.signals], ["ADC1", "ADC2", "SENSE", "GPS_TX", "GPS_RX", "SDA", "SCL"]
        )
        self.assertEqual((d.flash_b, d.supply_v, d.package, d.price), (32768, (3.0, 3.6), "TQFP", 3))

    def test_refusals(self) -> None:
        """A wish that is none names its line; a name wanted twice is told."""
        for text, says in (
            ("adc\n3 wings", "line 2"),
            ("A: adc\nA: pwm", "wanted twice"),
            ("A/B/C: i2c", "2 lines"),
            ("999 adc", "many pins"),
            ("flash much", "memory"),
        ):
            with self.subTest(text), self.assertRaises(InputError) as caught:
                read_demand(text)
            self.assertIn(says, caught.exception.line())

    def test_candidates(self) -> None:
        """Those that fit come first, each with its proof; what is missing is said of the others."""
        demand = read_demand("SENSE: adc\nPUMP: pwm\nBUS: i2c\nflash 20k\nsupply 5")
        found = candidates(
            catalogue(), demand, Brief(no_leadless=True), {"OW-28D": (9.0, 3), "OW-32T": (2.0, 3)}
        )
        self.assertEqual(found[0].part.number, "OW-32T")
        fits = [c.feasible for c in found]
        self.assertEqual(fits, sorted(fits, reverse=True))
        for c in found:
            self.assertEqual(verify(c.part.pins, demand.signals, c.assignment.uses), [])
            self.assertTrue(c.feasible or c.lacks or c.assignment.missing)
        small = next(c for c in found if c.part.number == "OW-8S")
        self.assertIn("program memory 8192 B, at least 20480", small.lacks)
        leaded = candidates(catalogue(), demand, Brief(through_hole_only=True))
        self.assertTrue(all("DIP" in c.part.package for c in leaded if c.feasible))


class InTheCircuit(unittest.TestCase):
    """Assignments become nets."""

    def test_demos_hold_their_proof(self) -> None:
        """The uses written into the demo designs are sound, and each demand's net has its pin."""
        for name in (FROST, BEEPER):
            d = demo(name)
            signals = read_demand(d.brief.demands).signals
            self.assertEqual(verify(d.parts["U1"].pins, signals, d.parts["U1"].uses), [])
            self.assertEqual(len(d.parts["U1"].uses), len(signals))
            for use in d.parts["U1"].uses:
                self.assertEqual(d.net_of(f"U1.{use.pin}"), use.demand)

    def test_moving_pins(self) -> None:
        """A new cost moves pins; the nets keep all that hangs on them, a kept pin stays, and undo brings all back."""
        d = demo(FROST)
        use = {u.demand: u for u in d.parts["U1"].uses}
        d = apply(d, lock_pin(d, "U1", use["HORN"].pin, True))[0]
        demand = read_demand(d.brief.demands)
        cost = {(n, use[n].pin): 90.0 for n in ("PUMP_ON", "HORN", "AIR_TEMP")}
        solved: Assignment = solve_for(d, "U1", demand, cost)
        after, back = apply(d, apply_assignment(d, "U1", solved))
        now = {u.demand: u.pin for u in after.parts["U1"].uses}
        self.assertEqual(now["HORN"], use["HORN"].pin)
        self.assertNotEqual(now["PUMP_ON"], use["PUMP_ON"].pin)
        self.assertTrue(next(u for u in after.parts["U1"].uses if u.demand == "HORN").locked)
        for name in ("PUMP_ON", "AIR_TEMP", "SDA"):
            rest = {p for p in d.nets[name].pins if not p.startswith("U1.")}
            self.assertEqual({p for p in after.nets[name].pins if not p.startswith("U1.")}, rest)
            self.assertIn(f"U1.{now[name]}", after.nets[name].pins)
        self.assertEqual(apply(after, back)[0], d)

    def test_pins_nearer_on_the_board(self) -> None:
        """Assigned by the board, the ways get shorter, kept pins stay, the proof holds, and the same again changes nothing."""
        d = demo(FROST)
        pump = next(u.pin for u in d.parts["U1"].uses if u.demand == "PUMP_ON")
        kept = said(d, f"lock U1.{pump}")
        after = said(kept, "assign U1 nearer")
        self.assertLess(reach_mm(after, "U1"), reach_mm(d, "U1") - 5)
        self.assertEqual(next(u.pin for u in after.parts["U1"].uses if u.demand == "PUMP_ON"), pump)
        signals = read_demand(d.brief.demands).signals
        self.assertEqual(verify(after.parts["U1"].pins, signals, after.parts["U1"].uses), [])
        self.assertAlmostEqual(reach_mm(said(after, "assign U1 nearer"), "U1"), reach_mm(after, "U1"))
        free = said(d, "assign U1 nearer")
        self.assertLessEqual(reach_mm(free, "U1"), reach_mm(after, "U1") + 1e-6)
