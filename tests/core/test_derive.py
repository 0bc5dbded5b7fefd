"""Results kept by content: computed once, never stale, and safe when several pages ask at the same time."""

from __future__ import annotations

import threading
import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

import numpy as np
from shapely.geometry import Point

from tests.support import BEEPER, FROST, demo
from vane_step.core.ask import ask
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.derive import derived
from vane_step.core.design.edits import PlaceParts, SetValue, apply
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design
from vane_step.core.fab.release import release
from vane_step.core.judge import all_findings
from vane_step.core.lazy import lazy
from vane_step.core.memo import MEMO, forget
from vane_step.core.weight import weight
from vane_step.data.shipped import resources


class Keeping(unittest.TestCase):
    """What is kept, and for how long."""

    def test_by_content(self) -> None:
        """An edit elsewhere, an equal design read from a file and an undone edit find the same result; a change does not."""
        calls: list[int] = []

        @derived("parts")
        def counted(design: Design) -> int:
            calls.append(1)
            return len(design.parts)

        d = demo(FROST)
        renamed = d.replaced(name="Other")
        changed, inverse = apply(d, SetValue(ref="R9", value="1k"))
        for same in (d, renamed, from_json(to_json(d)), apply(changed, inverse)[0]):
            counted(same)
        self.assertEqual(len(calls), 1)
        counted(changed)
        self.assertEqual(len(calls), 2)
        forget()
        counted(d)
        self.assertEqual(len(calls), 3)

    def test_what_is_kept_has_a_size(self) -> None:
        """Results weigh about what they take; however many designs are looked at, what is kept stays in bounds."""
        d = demo(FROST)
        forget()
        check(d)
        for value, least, most in (
            (np.zeros((1000, 50)), 400_000, 401_000),
            (["x" * 100] * 1000, 100_000, 200_000),
            (copper_items(d), 10**5, 10**6),
            ([Point(0, 0).buffer(1, quad_segs=25)] * 100, 160_000, 400_000),
            ({k: (k, 0.5) for k in range(900)}, 30_000, 200_000),
        ):
            self.assertTrue(least < weight(value) < most, (weight(value), least, most))
        with mock.patch.object(MEMO, "most_bytes", 400_000):
            for k in range(3):
                moved = apply(
                    d, PlaceParts(places={"R9": {"x_nm": 20_000_000 + k * 1000, "y_nm": 9_000_000}})
                )[0]
                self.assertEqual(check(moved).figures["parts"], check(d).figures["parts"])
                taken = [size for _, size in MEMO._kept.values()]
                self.assertEqual(MEMO.bytes, sum(taken))
                self.assertLessEqual(MEMO.bytes, max(400_000, *taken))
        forget()

    def test_many_at_once_compute_once(self) -> None:
        """Eight threads that want one result get the same object from one computation."""
        calls: list[int] = []
        gate = threading.Barrier(8)

        @derived("name")
        def slow(design: Design) -> list[int]:
            calls.append(1)
            return [len(design.parts)]

        d = demo(FROST)

        def work(_: int) -> list[int]:
            gate.wait()
            return slow(d)

        with ThreadPoolExecutor(8) as pool:
            found = list(pool.map(work, range(8)))
        self.assertEqual(len(calls), 1)
        self.assertTrue(all(f is found[0] for f in found))

    def test_what_is_there_waits_for_nobody(self) -> None:
        """While one design is worked on, what is kept of another is given at once."""
        begun, go_on = threading.Event(), threading.Event()

        @derived("parts")
        def slow(design: Design) -> int:
            if design.name == "slow":
                begun.set()
                go_on.wait(10)
            return len(design.parts)

        d = demo(FROST)
        slow(d)
        other = apply(d, SetValue(ref="R9", value="1k"))[0].replaced(name="slow")
        with ThreadPoolExecutor(2) as pool:
            first = pool.submit(slow, other)
            begun.wait(10)
            try:
                self.assertEqual(pool.submit(slow, d).result(timeout=5), len(d.parts))
                self.assertFalse(first.done())
            finally:
                go_on.set()

    def test_never_stale(self) -> None:
        """After every kind of change, the kept findings are those computed afresh."""
        frost, beeper = demo(FROST), demo(BEEPER)
        for d, text in (
            (frost, "width PUMP 3A"),
            (frost, "rules four-layer-house 4"),
            (beeper, "lift VCC"),
            (beeper, "load LAMP VCC GND 5mA"),
            (beeper, "turn U1"),
            (beeper, "remove R1"),
            (beeper, "hole 20 20 3"),
            (beeper, 'text "X" 30 30'),
            (beeper, "pour GND back"),
            (beeper, "outline 70x56"),
            (beeper, "role GND signal"),
            (beeper, "source CELL VCC GND 3V 50ohm"),
        ):
            edit = ask(d, text, resources()).edit
            assert edit is not None
            changed = apply(d, edit)[0]
            kept = [f.key() for f in all_findings(changed)]
            forget()
            self.assertEqual(kept, [f.key() for f in all_findings(changed)], text)


class AtTheSameTime(unittest.TestCase):
    """Several pages of one design, each of which wants its part of the same new version."""

    def test_nobody_waits_in_a_circle(self) -> None:
        """One works on findings while another asks for the same geometry of another design: both come to their end."""
        frost, beeper = demo(FROST), demo(BEEPER)
        for _ in range(4):
            forget()
            with ThreadPoolExecutor(2) as pool:
                # The one holds the lock from the beginning, the other comes to it from within a property.
                jobs = [pool.submit(all_findings, frost), pool.submit(lambda: Layout(beeper).net_copper)]
                for job in jobs:
                    job.result(timeout=60)

    def test_a_property_waits_for_nobody(self) -> None:
        """While one thread works a property out, another gets that of another object."""
        started, go = threading.Event(), threading.Event()

        class Slow:
            def __init__(self, wait: bool) -> None:
                self.wait = wait

            @lazy
            def value(self) -> int:
                """Wait if told to."""
                if self.wait:
                    started.set()
                    go.wait(20)
                return 7

        with ThreadPoolExecutor(2) as pool:
            slow = pool.submit(lambda: Slow(True).value)
            self.assertTrue(started.wait(20))
            self.assertEqual(pool.submit(lambda: Slow(False).value).result(timeout=20), 7)
            go.set()
            self.assertEqual(slow.result(timeout=20), 7)

    def test_pages_in_parallel(self) -> None:
        """Findings, figures, release and proposals in parallel threads over twenty versions: no crash, and all agree."""
        d = demo(FROST)
        with ThreadPoolExecutor(6) as pool:
            for k in range(20):
                place = d.parts["R13"].place
                assert place is not None
                d = apply(
                    d,
                    PlaceParts(
                        places={"R13": place.model_copy(update={"turn_deg": (place.turn_deg + 90) % 360})}
                    ),
                )[0]
                asked = [
                    pool.submit(check, d),
                    pool.submit(all_findings, d),
                    pool.submit(figures, d),
                    pool.submit(ask, d, "place C8 by U1.6", resources()),
                    pool.submit(check, d),
                ]
                if k % 10 == 0:
                    asked.append(pool.submit(release, d, "2026-01-01T00:00:00Z"))
                done = [f.result() for f in asked]
                self.assertIs(done[0], done[4])
