"""Blocks: kept, used again, exchanged as files; and the minimum of every controller of the catalogue."""

from __future__ import annotations

import itertools
import json
import random
import unittest

from hypothesis import given, settings, strategies as st

from tests.support import FROST, board, demo, design, said
from vane_step.core.circuit.blocks import block_from, block_json, take_block, use_block
from vane_step.core.circuit.copies import added_refs, copied, set_in
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design, natural, split_pin
from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.reasons.calculations import reasons
from vane_step.core.reasons.minimum import minimum_block
from vane_step.data.shipped import blocks, catalogue

WANTED = (
    "Linear 3V3",
    "Buck 5V",
    "USB-C sink",
    "Reverse protection",
    "Diode-OR with jumper",
    "LED",
    "Low-side driver",
    "Low-side driver with flyback",
    "Relay",
    "Debounced button",
    "Divider to analogue pin",
    "Open-drain bus",
    "Sounder",
    "Sense resistor",
    "Key matrix 3 x 5",
    "Blinking timer",
    "Two-button light",
    "Jack to 5 V",
    "USB-C 5 V and data",
    "USB to serial",
    "Small loudspeaker amplifier",
    "Relay with NPN",
    "Fan dimmer",
)


def shape(design: Design, refs: set[str]) -> list[tuple[tuple[str, str], ...]]:
    """Give the connections among some parts by what the parts are, without their references and net names."""
    found = []
    for net in design.nets.values():
        ends = sorted(
            (design.parts[r].catalogue or design.parts[r].value, n)
            for r, n in map(split_pin, net.pins)
            if r in refs
        )
        if ends:
            found.append(tuple(ends))
    return sorted(found)


class Shipped(unittest.TestCase):
    """What the library brings."""

    def test_all_wanted_are_there_and_clean(self) -> None:
        """Every block works in an empty design: connected as it was, its values holding, nothing to stop or look at inside."""
        self.assertLessEqual(set(WANTED), set(blocks()))
        for name, saved in blocks().items():
            with self.subTest(name):
                d = apply(
                    Design(name="x", board=board()), use_block(Design(name="x", board=board()), saved, {})
                )[0]
                self.assertEqual(len(d.parts), len(saved.parts))
                self.assertEqual({r.state for r in reasons(d)} - {"holds"}, set())
                outside = ("lonely-net", "no-supply", "open-pin", "decoupling", "no-pull-up")
                self.assertEqual(
                    [f.message for f in review(d) if f.level != "note" and f.code not in outside], []
                )
                self.assertEqual(block_from(block_json(saved)), saved)

    def test_twice_in_a_full_design(self) -> None:
        """Used twice in a large design, a block gets fresh names, joins the rails, and disturbs nothing."""
        frost = demo(FROST)
        d = said(frost, "use LED LIGHT=TX", "use LED LIGHT=RX")
        new = set(d.parts) - set(frost.parts)
        self.assertEqual(len(new), 4)
        self.assertEqual({d.parts[r].block for r in new}, {"LED", "LED 2"})
        self.assertEqual(len(d.nets["TX"].pins), len(frost.nets["TX"].pins) + 1)
        self.assertEqual({c for c in d.calculations if c not in frost.calculations}, {"LAMP", "LAMP1"})
        for name, net in frost.nets.items():
            self.assertLessEqual(set(net.pins), set(d.nets[name].pins))
        self.assertEqual({r.state for r in reasons(d)}, {"holds"})

    def test_controller_minimum(self) -> None:
        """For every controller: each supply pin fed and decoupled, each ground grounded, reset and boot held, programmable."""
        for part in catalogue().parts.values():
            if part.category != "controller":
                continue
            with self.subTest(part.number):
                empty = Design(name="x", board=board())
                d = apply(empty, use_block(empty, minimum_block(catalogue(), part.number, empty), {}))[0]
                for pin in part.pins:
                    net = d.net_of(f"U1.{pin.number}")
                    if pin.role in ("supply-in", "ground"):
                        self.assertEqual(net, "3V3" if pin.role == "supply-in" else "GND")
                    if {"RESET", "BOOT"} & set(pin.functions):
                        self.assertIsNotNone(net)
                        self.assertTrue(any(p.startswith("R") for p in d.nets[net or ""].pins))
                caps = sum(1 for p, _ in d.pins_on("3V3") if p.kind.endswith("capacitor"))
                self.assertGreater(caps, sum(1 for p in part.pins if p.role == "supply-in"))
                found = [f for f in review(d) if f.level != "note" and f.code not in ("no-supply",)]
                self.assertEqual([f.message for f in found], [])
        with_crystal = said(Design(name="x", board=board()), "use controller OW-32T TQ-8")
        self.assertEqual(with_crystal.parts["Y1"].value, "8 MHz 20p")
        self.assertEqual({r.calculation.id: r.state for r in reasons(with_crystal)}, {"XLOAD": "holds"})


class OwnBlocks(unittest.TestCase):
    """Taken from a design."""

    def test_taken_and_used_is_the_same_circuit(self) -> None:
        """Every block of a real design, taken out and put into an empty one, is connected as it was."""
        d = demo(FROST)
        for name in dict.fromkeys(p.block for p in d.parts.values()):
            refs = {p.ref for p in d.parts.values() if p.block == name}
            with self.subTest(name):
                saved = take_block(d, refs, name, worked=("Frost Sentinel, revision A",))
                again = block_from(block_json(saved))
                empty = Design(name="x", board=board())
                after, back = apply(empty, use_block(empty, again, {}))
                self.assertEqual(shape(after, set(after.parts)), shape(d, refs))
                self.assertEqual(after.blocks[name].worked, ("Frost Sentinel, revision A",))
                self.assertEqual({r.state for r in reasons(after)} - {"holds"}, set())
                self.assertEqual(apply(after, back)[0], empty)

    def test_refusals(self) -> None:
        """Unknown ports, parts and blocks, and files that are none, say so and change nothing."""
        d = demo(FROST)
        with self.assertRaises(InputError):
            use_block(d, blocks()["LED"], {"NOPORT": "X"})
        with self.assertRaises(NotFound):
            take_block(d, ["R999"], "x")
        for text, error in (
            ("use Teapot", NotFound),
            ("use LED LIGHT", InputError),
            ("use controller R1", NotFound),
            ("use controller AR-33", InputError),
            ("use controller OW-8S TQ-8", InputError),
        ):
            with self.subTest(text), self.assertRaises(error):
                said(d, text)

    @settings(max_examples=80)
    @given(st.data())
    def test_hostile_files(self, data: st.DataObject) -> None:
        """A block file damaged anywhere is read, or refused in a sentence; never a crash."""
        good = json.loads(block_json(blocks()["LED"]))
        keys = st.sampled_from(sorted(good))
        junk = st.one_of(
            st.none(),
            st.integers(),
            st.text(max_size=5),
            st.lists(st.integers(), max_size=2),
            st.dictionaries(st.text(max_size=3), st.integers(), max_size=2),
        )
        for _ in range(data.draw(st.integers(1, 3))):
            key = data.draw(keys)
            if (
                isinstance(good.get(key), list)
                and good[key]
                and isinstance(good[key][0], dict)
                and data.draw(st.booleans())
            ):
                entry = data.draw(st.sampled_from(good[key]))
                entry[data.draw(st.sampled_from(sorted(entry)))] = data.draw(junk)
            else:
                good[key] = data.draw(junk)
        try:
            saved = block_from(json.dumps(good))
            empty = Design(name="x", board=board())
            apply(empty, use_block(empty, saved, {}))
        except VaneStepError as error:
            self.assertTrue(error.message)


class Copies(unittest.TestCase):
    """Parts copied within a design and to another."""

    def test_a_copy_is_connected_alike(self) -> None:
        """Among the copies connections are as among the originals, and to the rest by name alone; it is taken back."""
        d = demo(FROST)
        rng = random.Random(14)
        for _ in range(30):
            refs = sorted(rng.sample(sorted(d.parts), rng.randint(1, 12)), key=natural)
            pins = [f"{r}.{p.number}" for r in refs for p in d.parts[r].pins]
            for into in (d, design([])):
                edit = set_in(into, block_from(block_json(copied(d, refs))))
                after, back = apply(into, edit)
                fresh = dict(zip(refs, added_refs(edit), strict=True))
                self.assertFalse(set(fresh.values()) & set(into.parts))
                now = {p: after.net_of(f"{fresh[split_pin(p)[0]]}.{split_pin(p)[1]}") for p in pins}
                for one, two in itertools.combinations(pins, 2):
                    joined = d.net_of(one) is not None and d.net_of(one) == d.net_of(two)
                    self.assertEqual(now[one] is not None and now[one] == now[two], joined, (one, two))
                for pin in pins:
                    if now[pin] in into.nets:
                        self.assertEqual(now[pin], d.net_of(pin))
                self.assertEqual(apply(after, back)[0], into)

    def test_cut_and_set_in_is_the_same_circuit(self) -> None:
        """What is cut and set in again is connected as before, where its nets had names."""
        d = demo(FROST)
        saved = copied(d, ["R9", "R10", "Q1"])
        cut = said(d, "remove R9 R10 part=Q1")
        after = apply(cut, set_in(cut, saved))[0]
        self.assertEqual(
            {n: set(x.pins) for n, x in after.nets.items()}, {n: set(x.pins) for n, x in d.nets.items()}
        )

    def test_every_kit_is_right(self) -> None:
        """No block of the library has a fault of its own; what its ports still want is all that may be told."""
        wants = {"no-supply", "no-pull-up", "gate-floats", "open-pin"}
        for name, saved in blocks().items():
            d = apply(design([]), use_block(design([]), saved, {}))[0]
            with self.subTest(name):
                self.assertEqual(
                    [f.message for f in review(d) if f.level == "stop" and f.code not in wants], []
                )
