"""The check after an edit is the check of everything, and says the same from both sides of the board."""

from __future__ import annotations

import unittest

from hypothesis import given, settings, strategies as st

from tests.support import (
    FROST,
    demo,
    mirrored,
)
from vane_step.core.board.drc.check import check
from vane_step.core.design.edits import LayCopper, PlaceParts, SetItem, apply
from vane_step.core.design.model import (
    Design,
    MountingHole,
)
from vane_step.core.memo import forget
from vane_step.core.quantity import nm


class BothSides(unittest.TestCase):
    """A board turned over is judged alike."""

    def test_mirror_image(self) -> None:
        """Codes and readings of the demo board, clean and with faults, are those of its mirror image."""
        clean = demo(FROST)
        x = clean.parts["U1"].place
        assert x is not None
        faulty = apply(clean, PlaceParts(places={"U1": x.model_copy(update={"x_nm": x.x_nm + nm(0.3)})}))[0]
        for d in (clean, faulty):
            one, two = (
                sorted(
                    (f.code, round(f.reading or 0, 3))
                    for f in check(x).findings
                    if not f.code.startswith("legend")
                )
                for x in (d, mirrored(d))
            )
            self.assertEqual(one, two)
        self.assertGreater(check(faulty).stops, 5)


class AfterAnEdit(unittest.TestCase):
    """What is judged anew only near an edit is what judging everything anew finds."""

    @settings(max_examples=7)
    @given(
        st.lists(
            st.tuples(st.integers(0, 5), st.integers(0, 10**6), st.floats(-1.5, 1.5)), min_size=1, max_size=4
        )
    )
    def test_chains_of_edits(self, steps: list[tuple[int, int, float]]) -> None:
        """Parts moved, turned and taken off, tracks lifted and shifted, holes drilled: with pours and without."""
        for d in (demo(FROST), demo(FROST).replaced(pours={})):
            check(d)
            for kind, pick, by in steps:
                d = self.edited(d, kind, pick, by)
                near = check(d)
            forget()
            self.assertEqual(near, check(d))

    @staticmethod
    def edited(d: Design, kind: int, pick: int, by: float) -> Design:
        refs = [r for r, p in d.parts.items() if p.place]
        at = d.parts[refs[pick % len(refs)]].place
        track_id = sorted(d.tracks)[pick % len(d.tracks)]
        assert at is not None
        places = {
            0: at.model_copy(update={"x_nm": at.x_nm + nm(by), "locked": False}),
            1: at.model_copy(update={"turn_deg": (at.turn_deg + 90) % 360, "locked": False}),
            2: None,
        }
        if kind in places:
            changed = {
                refs[pick % len(refs)]: d.parts[refs[pick % len(refs)]].model_copy(
                    update={"place": places[kind]}
                )
            }
            return d.replaced(parts={**d.parts, **changed})
        if kind == 3:
            return apply(d, LayCopper(lift=(track_id,)))[0]
        if kind == 4:
            run = d.tracks[track_id]
            shifted = tuple((x, y + nm(by)) for x, y in run.points)
            return d.replaced(tracks={**d.tracks, track_id: run.model_copy(update={"points": shifted})})
        hole = MountingHole(id="H9", x_nm=at.x_nm, y_nm=at.y_nm + nm(by), drill_nm=nm(3), keepout_nm=nm(3))
        return apply(d, SetItem(hole=hole))[0]
