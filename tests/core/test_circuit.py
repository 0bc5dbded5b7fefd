"""The circuit: what the review finds, and that the drawn sheet can be read."""

from __future__ import annotations

import itertools
import json
import unittest
from typing import ClassVar

from tests.support import BEEPER, FROST, PANEL, ROOT, circuit, demo, design, part, pin_of, said
from vane_step.core.ask import ask
from vane_step.core.circuit.bearing import bears, pin_says
from vane_step.core.circuit.electrics import volts
from vane_step.core.circuit.rails import LOWER_SUPPLIES, named_volts
from vane_step.core.circuit.review import review
from vane_step.core.circuit.shorts import APART, DOES_NOTHING
from vane_step.core.design.edits import Edit, Join, PartPins, SetPin, apply
from vane_step.core.design.model import Design, Net, Part, role_of_net
from vane_step.core.errors import InputError
from vane_step.core.reasons.findings import reason_findings
from vane_step.data.shipped import resources


def found(d: Design) -> list[tuple[str, str]]:
    """List level and code of the review's findings."""
    return [(f.level, f.code) for f in review(d)]


class Review(unittest.TestCase):
    """Faults planted in a circuit that is right."""

    seen_kinds: ClassVar[set[tuple[str, tuple[str, ...]]]] = set()

    def test_correct_circuits_raise_nothing(self) -> None:
        """No demo circuit has a stop or a look."""
        for name in (FROST, BEEPER, PANEL):
            self.assertEqual([f for f in review(demo(name)) if f.level != "note"], [])

    def test_planted_faults(self) -> None:
        """Each fault is found at its place, with reading, limit and source."""
        frost = demo(FROST)
        cases: list[tuple[Edit, str, str, str]] = [
            (PartPins(pins=("U1.6",)), "stop", "open-pin", "U1.6"),
            (PartPins(pins=("U1.5",)), "stop", "open-pin", "U1.5"),
            (PartPins(pins=("U1.1",)), "look", "open-pin", "U1.1"),
            (PartPins(pins=("R9.1",)), "look", "open-pin", "R9.1"),
            (PartPins(pins=(pin_of("U1", "PUMP_ON"),)), "look", "lonely-net", "R9.1"),
            (Join(pins=(pin_of("U1", "TX"),), net="OSC2"), "stop", "outputs-fight", pin_of("U1", "TX")),
            (SetPin(pin="U3.2", role="passive"), "stop", "no-supply", "U1.6"),
            (Join(pins=("U1.21",), net="3V3"), "stop", "ground-astray", "U1.21"),
            (PartPins(pins=("C3.1", "C9.1", "C8.1", "C7.1", "C10.1")), "look", "decoupling", "U1.6"),
        ]
        for edit, level, code, pin in cases:
            with self.subTest(edit=edit):
                fresh = [f for f in review(apply(frost, edit)[0]) if f.code == code and f.level == level]
                self.assertTrue(any(pin in f.place.pins for f in fresh), found(apply(frost, edit)[0]))
                self.assertTrue(
                    all(f.source and f.reading is not None and f.limit is not None for f in fresh)
                )

    def test_seeded_faults(self) -> None:
        """Every fault of the set (tests/samples/faults.json, add to it) is found, at its parts, and was not there before."""
        faults = json.loads((ROOT / "tests" / "samples" / "faults.json").read_text(encoding="utf-8"))
        self.assertGreaterEqual(len(faults), 150)
        self.assertGreaterEqual(len({fault["design"] for fault in faults}), 10)
        for fault in faults:
            d = said(circuit(fault["design"]), *fault["say"])
            with self.subTest(fault["say"], code=fault["code"]):
                told = [*review(d), *reason_findings(d)]
                mine = [f for f in told if (f.code, f.level) == (fault["code"], fault["level"])]
                self.assertEqual([f for f in told if not f.as_listed()], [])
                self.assertTrue([f for f in mine if set(fault["refs"]) <= set(f.place.refs)], found(d))
                self.assertTrue(
                    all(
                        f.source and f.message and f.reading is not None and f.limit is not None for f in mine
                    )
                )

    def test_right_circuits_are_left_in_peace(self) -> None:
        """No demo, small circuit or right variation of one has a stop or a look (tests/samples/variations.json, add to it)."""
        variations = json.loads((ROOT / "tests" / "samples" / "variations.json").read_text(encoding="utf-8"))
        self.assertGreaterEqual(len(variations), 60)
        for one in variations:
            with self.subTest(one["design"], say=one["say"]):
                d = said(circuit(one["design"]), *one["say"])
                self.assertEqual([f.message for f in review(d) if f.level != "note"], [])

    def test_where_ground_is_changes_nothing(self) -> None:
        """Every part with a lower supply is judged by what lies across it: from ground as from both sides of it."""
        known = [
            (one, {p.name for p in one.pins}, one.params["supply_max_v"])
            for one in resources().catalogue.parts.values()
            if "supply_max_v" in one.params and {p.name for p in one.pins} & set(LOWER_SUPPLIES)
        ]
        self.assertTrue(known)
        for one, names, most in known:
            upper = next(p.name for p in one.pins if p.role == "supply-in")
            lower = next(n for n in LOWER_SUPPLIES if n in names)
            for share in (0.7, 1.3):
                half = round(share * most / 2, 2)
                for low, high in ((0.0, 2 * half), (-half, half)):
                    below = "GND" if low == 0 else "VNEG"
                    say = [f"add U9 {one.number}", f"join U9.{upper} VPOS", f"join U9.{lower} {below}"]
                    say += ["role VPOS supply", f"rail VPOS {high:g}V"]
                    say += [] if low == 0 else ["role VNEG supply", f"rail VNEG {low:g}V"]
                    with self.subTest(one.number, low=low, high=high):
                        told = {f.code for f in review(said(design([]), *say))}
                        self.assertEqual("supply-range" in told, share > 1)
                        self.assertNotIn("ground-astray", told)

    def test_voltages_of_names(self) -> None:
        """A rail's voltage is read with its sign, wherever it stands in the name; a name without one tells none."""
        for name, value in {
            "3V3": 3.3,
            "+12V": 12,
            "-35V": -35,
            "N12V": -12,
            "5V0_QUIET": 5,
            "PACK_16V8": 16.8,
            "VCC": None,
            "N1": None,
            "12VA": None,
            "V5": None,
        }.items():
            self.assertEqual(named_volts(name), value, name)
        self.assertEqual(
            [
                role_of_net(n)
                for n in ("-35V", "N5V", "+12V", "12V_IN", "V-RAW", "V_NEG", "VPOS", "N1", "SDA")
            ],
            ["supply"] * 7 + ["signal"] * 2,
        )

    def test_pins_that_must_be_apart(self) -> None:
        """Any two pins of a rectifier, both ends of what passes or switches, supply and ground: on one net they are told, apart they are not."""
        tried = 0
        for known in resources().catalogue.parts.values():
            names = [p.name.upper() for p in known.pins]
            for has, apart, level, _ in APART:
                if known.kind in DOES_NOTHING or not set(has) <= set(names):
                    continue
                if (known.category, has) in self.seen_kinds:
                    continue
                self.seen_kinds.add((known.category, has))
                own = said(design([]), f"add U1 {known.number}")
                for k, a in enumerate(apart):
                    for b in apart[k + 1 :]:
                        one, two = (f"U1.{known.pins[names.index(n)].number}" for n in (a, b))
                        tied = apply(own, Join(pins=(one, two), net="X"))[0]
                        told = [(f.level, f.place.pins) for f in review(tied) if f.code == "bridged-part"]
                        self.assertEqual(told, [(level, (one, two))], (known.number, a, b))
                        parted = apply(apply(own, Join(pins=(one,), net="X"))[0], Join(pins=(two,), net="Y"))[
                            0
                        ]
                        self.assertEqual([f for f in review(parted) if f.code == "bridged-part"], [])
                        tried += 1
        self.assertGreater(tried, 40)
        for text in ("quad op amp", "timer", "8 pin microcontroller", "linear regulator 5V"):
            own = said(design([]), f"add U1 {text}")
            pins = [p for p in own.parts["U1"].pins if p.role in ("supply-in", "ground")]
            tied = apply(own, Join(pins=tuple(f"U1.{p.number}" for p in pins), net="GND"))[0]
            self.assertIn(("stop", "bridged-part"), found(tied), text)

    def test_lights_on_either_side_of_ground(self) -> None:
        """An LED draws the same between ground and a rail below it as above; turned round it never lights, on either."""
        for volts_, turned in itertools.product((5, -5, 12, -12), (False, True)):
            rail = f"{volts_:+d}V"
            high, low = ("GND", rail) if volts_ < 0 else (rail, "GND")
            a, k = ("K", "A") if turned else ("A", "K")
            for near in (a, k):
                far = k if near == a else a
                ends = (high, low) if near == a else (low, high)
                one = said(
                    design([]),
                    "add LED1 red 3mm",
                    "add R1 1k",
                    f"join R1.1 {ends[0]}",
                    f"join R1.2 LED1.{near} X",
                )
                one = said(
                    one, f"join LED1.{far} {ends[1]}", "add J1 screw terminal 2 ways", f"join J1.1 {rail}"
                )
                told = {f.code for f in review(one)}
                self.assertEqual("backwards" in told, turned, (rail, near, told))
                self.assertNotIn("led-current", told, (rail, near))

    def test_polarity_by_what_is_connected(self) -> None:
        """At regulators and rectifiers a capacitor's plus end is judged without a word of the nets' names, behind fuses too."""
        cases = [
            (p.number, pin.name, 1 if p.params["vout_v"] > 0 else -1)
            for p in resources().catalogue.parts.values()
            if p.category in ("linear regulator", "negative regulator") and p.package == "TO-220-3"
            for pin in p.pins
            if pin.name in ("IN", "OUT")
        ]
        cases += [
            ("HB-D1-600", "+", 1),
            ("HB-D1-600", "-", -1),
            ("PID-0512", "OUT+", 1),
            ("PID-0512", "OUT-", -1),
        ]
        self.assertGreater(len({side for *_, side in cases}), 1)
        for number, pin, side in cases:
            base = said(design([]), f"add U1 {number}", "add C1 100uF 63V", "add F1 1A fuse")
            base = said(base, f"join U1.{pin} F1.1 NODE", "join F1.2 FAR")
            grounds = [p for p in base.parts["U1"].pins if p.role == "ground"]
            base = said(base, *(f"join U1.{p.number} GND" for p in grounds))
            for net, turned in itertools.product(("NODE", "FAR"), (False, True)):
                plus, minus = (net, "GND") if (side > 0) is not turned else ("GND", net)
                told = {f.code for f in review(said(base, f"join C1.+ {plus}", f"join C1.- {minus}"))}
                self.assertEqual("backwards" in told, turned, (number, pin, net))

    def test_signs_are_part_of_a_name(self) -> None:
        """Rails and pairs that differ by a sign are never offered as one net; spellings of one are."""
        for names, asked in (
            ("+35V -35V", False),
            ("USB_D+ USB_D-", False),
            ("IN+ IN-", False),
            ("+12V 12V", True),
            ("SPI-CLK spi_clk", True),
        ):
            one, two = names.split()
            d = design(
                [part("R1", "CHIP-1608M", 5, 5), part("R2", "CHIP-1608M", 9, 9)],
                {one: "R1.1 R2.1", two: "R1.2 R2.2"},
            )
            self.assertEqual("two-spellings" in {f.code for f in review(d)}, asked, names)

    def test_names_give_roles(self) -> None:
        """A net named afterwards is judged like one joined by that name."""
        d = said(circuit("linear 5 V"), "add R9 LMF-1K", "join R9.1 U1.IN", "part R9.1", "join R9.1 R9.2")
        net = d.net_of("R9.1")
        for name, role in (("GND2", "ground"), ("9V", "supply"), ("DATA", "signal")):
            d = said(d, f"rename {net} {name}")
            net = name
            self.assertEqual(d.nets[name].role, role)

    def test_swaps_go_by_the_names_of_pins(self) -> None:
        """A part whose pins lie otherwise keeps every connection by name, says what moves, and is refused where a name is missing."""
        d = circuit("linear 5 V")
        proposal = ask(d, "swap U1 AL-50L", resources())
        self.assertIn("IN from 1 to 3", proposal.says)
        after = said(d, "swap U1 AL-50L")
        for name in ("IN", "OUT", "GND"):
            was, now = (
                next(x.net_of(f"U1.{p.number}") for p in x.parts["U1"].pins if p.name == name)
                for x in (d, after)
            )
            self.assertEqual(was, now)
        with self.assertRaises(InputError):
            said(circuit("relay"), "swap Q1 AR-50T")

    def test_values_against_worked_numbers(self) -> None:
        """Pull-up limits, LED current and crystal load are those worked out on paper."""
        frost = demo(FROST)
        cases = {
            "value R7 470": ("pull-up", 470, 966.6667, "Ω"),
            "value R8 22k": ("pull-up", 22000, 11802.1952, "Ω"),
            "value R13 22": ("led-current", 63.6364, 20, "mA"),
            "value C11 47p": ("crystal-load", 47, 34, "pF"),
            "value C12 6p8": ("crystal-load", 6.8, 30, "pF"),
        }
        for sentence, wanted in cases.items():
            edit = ask(frost, sentence, resources()).edit
            assert edit is not None
            [f] = [f for f in review(apply(frost, edit)[0]) if f.code == wanted[0]]
            self.assertEqual((f.code, f.reading, f.limit, f.unit), wanted)

    def test_rails_by_name(self) -> None:
        """A rail's name tells its voltage, or does not."""
        for name, wanted in {
            "3V3": 3.3,
            "12V": 12.0,
            "5V_BUCK": 5.0,
            "+5V": 5.0,
            "1V8_CORE": 1.8,
            "VCC": None,
            "VBUS": None,
            "5VOLTS": None,
        }.items():
            self.assertEqual(volts(Net(name=name, role="supply")), wanted, name)

    def test_declared_open_pins_are_left_alone(self) -> None:
        """A pin marked unconnected is no fault; the same pin as an input is."""
        d = design([part("U1", "SOIC-8", 10, 10, roles={str(k): "unconnected" for k in range(1, 9)})])
        self.assertEqual(found(d), [])
        self.assertEqual(found(apply(d, SetPin(pin="U1.2", role="input"))[0]), [("look", "open-pin")])

    def test_empty(self) -> None:
        """A circuit of nothing has no findings, and a net of nothing has one."""
        self.assertEqual(found(design([])), [])
        self.assertEqual(found(design([], {"A": ""})), [("look", "lonely-net")])


class Ways(unittest.TestCase):
    """A supply without a source is told with a way on, however many connectors could bring it."""

    def test_every_door_is_named(self) -> None:
        """One connector pin becomes a remedy that works; of several each is named, and saying it of one ends the stop."""
        for count in (1, 2, 3):
            parts = [part("U1", "SOIC-8", 20, 20, roles={"8": "supply-in", "4": "ground"})]
            parts += [part(f"J{k}", "HDR-1x2", 5, 5 + 6 * k, kind="card") for k in range(1, count + 1)]
            on = {"VP": "U1.8 " + " ".join(f"J{k}.1" for k in range(1, count + 1)), "GND": "U1.4 J1.2"}
            d = said(design(parts, on), "role VP supply", "role GND ground")
            with self.subTest(count):
                found = next(f for f in review(d) if f.code == "no-supply")
                for k in range(1, count + 1):
                    self.assertIn(f"J{k}.1", found.remedy.ask if found.remedy else found.message)
                after = said(d, found.remedy.ask if found.remedy else "pin J1.1 VP supply-out")
                self.assertNotIn("no-supply", [f.code for f in review(after)])


class Pins(unittest.TestCase):
    """What a pin says of itself."""

    def test_every_pin_says_what_it_bears(self) -> None:
        """No pin of any part or design is without an answer; supplies tell their range, and each tells its net."""
        for name in (FROST, PANEL):
            d = demo(name)
            for ref, one in d.parts.items():
                for pin in one.pins:
                    says = pin_says(d, f"{ref}.{pin.number}")
                    net = d.net_of(f"{ref}.{pin.number}")
                    self.assertIn(f"on {net}" if net else "open", says)
                    if pin.role == "supply-in" and "supply_max_v" in one.params:
                        self.assertIn(f"to {one.params['supply_max_v']:g} V", says)
        for known in resources().catalogue.parts.values():
            for pin in known.pins:
                self.assertTrue(all(bears(Part(ref="U1", package="X", params=known.params), pin)))


class Buses(unittest.TestCase):
    """A net called a bus, or pins called as those of one, are judged as lines that are only pulled low."""

    def test_pull_ups(self) -> None:
        """Without one, too strong, too weak, right; a driven net and one plain pin are left alone."""
        for ohms, name, role, other, wanted in (
            ("", "A", "bus", "io", "no-pull-up"),
            ("", "SDA", "signal", "io", "no-pull-up"),
            ("47", "A", "bus", "io", "pull-up"),
            ("10M", "A", "bus", "io", "pull-up"),
            ("4k7", "A", "bus", "io", ""),
            ("", "A", "signal", "io", ""),
            ("", "A", "bus", "output", ""),
        ):
            with self.subTest(ohms=ohms, name=name, role=role, other=other):
                parts = [
                    part("U1", "SOIC-8", 10, 10),
                    part("U2", "SOIC-8", 30, 10),
                    part("J1", "HDR-1x2", 5, 20),
                ]
                nets = {"LINE": "U1.1 U2.1", "3V3": "J1.1 U1.8 U2.8"}
                if ohms:
                    parts.append(part("R1", "CHIP-1608M", 20, 20, value=ohms, kind="resistor"))
                    nets = {"LINE": "U1.1 U2.1 R1.1", "3V3": "J1.1 U1.8 U2.8 R1.2"}
                words = (
                    f"pin U1.1 {name} io",
                    f"pin U2.1 {name} {other}",
                    f"role LINE {role}",
                    "role 3V3 supply",
                )
                told = {c for _, c in found(said(design(parts, nets), *words)) if "pull-up" in c}
                self.assertEqual(told, {wanted} - {""})
