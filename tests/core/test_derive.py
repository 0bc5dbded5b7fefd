"""Results kept by content: computed once, never stale, and safe when several pages ask at the same time."""

from __future__ import annotations

import inspect
import sys
import threading
import unittest
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any
from unittest import mock

import numpy as np
from shapely.geometry import Point

from tests.support import BEEPER, FROST, demo, said
from vane_step.core import derive
from vane_step.core.ask import ask
from vane_step.core.board.analysis.score import scoreboard
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.derive import derived
from vane_step.core.design.edits import PlaceParts, SetValue, apply
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design
from vane_step.core.fab.release import release
from vane_step.core.judge import all_findings
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
            for k in range(6):
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
        d = demo(FROST)
        place = d.parts["C8"].place
        assert place is not None
        for text in (
            "lift PUMP",
            "width PUMP 3A",
            "hole 20 20 3",
            'text "X" 30 30',
            "pour GND front",
            "rules four-layer-house 4",
            "outline 70x56",
            "role GND signal",
            "turn U1",
            "move H1 9 9",
            "remove ground",
        ):
            edit = ask(d, text, resources()).edit
            assert edit is not None
            changed = apply(d, edit)[0]
            kept = [f.key() for f in all_findings(changed)]
            forget()
            self.assertEqual(kept, [f.key() for f in all_findings(changed)], text)


def alone() -> list[Callable[[Design], Any]]:
    """Give every derived function that asks for nothing but a design."""
    found = []
    for name in derive.DERIVED:
        module, _, own = name.rpartition(".")
        function = getattr(sys.modules.get(module), own, None)
        if function is None:
            continue
        wanted = [p for p in inspect.signature(function).parameters.values() if p.default is p.empty]
        if len(wanted) == 1:
            found.append(function)
    return found


# What is read of a section that no answer hangs on.
# Openings of the mask are sought in the table of all copper, among pads and jumpers alone.
HARMLESS = {n: {"tracks"} for n in ("legend.prints", "designators.references", "designators._rooms")}


class Reads(unittest.TestCase):
    """What derived results read is what they say they read, or an answer could be that of another design."""

    def test_nothing_is_read_unsaid(self) -> None:
        """Worked out anew for designs of all kinds, no derived function reads a section it does not name."""
        reads: dict[str, set[str]] = defaultdict(set)
        whole: list[Design] = []
        plain, digest = Design.__getattribute__, Design.digest

        def note(section: str, within: list[str]) -> None:
            for name in within:
                reads[name].add(section)

        def attribute(self: Design, name: str) -> Any:
            value = plain(self, name)
            # What a function puts in the place of a section is its own.
            if name in Design.model_fields and whole and value is plain(whole[0], name):
                note(name, derive.at_work)
            return value

        def digested(self: Design, section: str) -> str:
            if plain(self, section) is plain(whole[0], section):
                note(section, derive.at_work)
            return digest(self, section)

        def known(method: Callable[..., Any], *sections: str) -> Callable[..., Any]:
            def asked(self: Design, *args: Any) -> Any:
                for section in sections:
                    note(section, derive.at_work)
                return method(self, *args)

            return asked

        with (
            mock.patch.object(Design, "__getattribute__", attribute),
            mock.patch.object(Design, "digest", digested),
            mock.patch.object(Design, "net_of", known(Design.net_of, "nets")),
            mock.patch.object(Design, "pins_on", known(Design.pins_on, "nets", "parts")),
        ):
            etched = said(demo(BEEPER), "pour GND back hatch=1.5", "hole 5 5 2", "cutout 12 12 2x2")
            for one, every in ((etched, True), (demo(FROST), False)):
                whole[:] = [one]
                for work in (
                    *(alone() if every else ()),
                    all_findings,
                    scoreboard,
                    partial(release, stamp="2026-11-28T00:00:00Z"),
                ):
                    forget()
                    work(one)
        forget()
        ours = {name for name in derive.DERIVED if name.startswith("vane_step.core.")}
        self.assertEqual(ours - reads.keys(), set())
        for name, found in sorted(reads.items()):
            with self.subTest(name):
                harmless = HARMLESS.get(".".join(name.split(".")[-2:]), set())
                self.assertLessEqual(found, {*derive.DERIVED[name], *harmless})


class AtTheSameTime(unittest.TestCase):
    """Several pages of one design, each of which wants its part of the same new version."""

    def test_pages_in_parallel(self) -> None:
        """Findings, figures, release and proposals in parallel threads over fifty versions: no crash, and all agree."""
        d = demo(FROST)
        with ThreadPoolExecutor(6) as pool:
            for k in range(50):
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
                if k % 25 == 0:
                    asked.append(pool.submit(release, d, "2026-01-01T00:00:00Z"))
                done = [f.result() for f in asked]
                self.assertIs(done[0], done[4])
