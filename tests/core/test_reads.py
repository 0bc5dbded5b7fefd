"""What derived results read of a design, held against what they say they read."""

from __future__ import annotations

import inspect
import sys
import unittest
from collections import defaultdict
from collections.abc import Callable
from functools import partial
from typing import Any
from unittest import mock

from tests.support import BEEPER, FROST, demo, said
from vane_step.core import derive
from vane_step.core.board.analysis.score import scoreboard
from vane_step.core.design.model import Design
from vane_step.core.etch import artwork
from vane_step.core.etch.danger import danger_places
from vane_step.core.etch.picture import Ink
from vane_step.core.etch.plan import art_plan
from vane_step.core.fab.release import release
from vane_step.core.judge import all_findings
from vane_step.core.memo import forget


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
                    partial(artwork.sheets, plan=art_plan({"pads": "large", "method": "pen"})),
                    partial(danger_places, ink=Ink()),
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


if __name__ == "__main__":
    unittest.main()
