"""Results kept by content: computed once, never stale, and safe when several pages ask at the same time."""

from __future__ import annotations

import threading
import unittest
from concurrent.futures import ThreadPoolExecutor

from tests.support import FROST, demo
from vane_step.core.ask import ask
from vane_step.core.board.check import check, figures
from vane_step.core.derive import derived, forget
from vane_step.core.design.edits import PlaceParts, SetValue, apply
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design
from vane_step.core.fab.release import release
from vane_step.core.judge import all_findings
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
                    d, PlaceParts(places={"R13": place.model_copy(update={"turn_deg": (place.turn_deg + 90) % 360})})
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
