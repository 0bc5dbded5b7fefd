"""Boards that plug into a breadboard: pin rows held against a breadboard made hole by hole, and arranged to fit one."""

from __future__ import annotations

import itertools
import unittest

from hypothesis import given, settings, strategies as st

from tests.support import board, said
from vane_step.core.board.geometry.breadboard import pins_nm, seat
from vane_step.core.board.placement.placer import arrange, propose
from vane_step.core.brief.seating import seating_findings
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design, natural

STEP = 2_540_000


def rows_of(pins: tuple[int, ...], size: str = "60x36") -> Design:
    """Make a board with pin rows of so many pins, every pin on a net of its own but the first, which are ground."""
    d = said(Design(name="stick", board=board()), f"outline {size}")
    for k, count in enumerate(pins):
        d = said(d, f"add NH-1x{count}")
        d = said(d, f"join J{k + 1}.1 GND", *(f"join J{k + 1}.{n} S{k}N{n}" for n in range(2, count + 1)))
    return d


class Holes:
    """A breadboard, hole by hole: which pins go in together with which, at every place it has for them."""

    def __init__(self, d: Design) -> None:
        self.spots = []
        for part in sorted(d.parts.values(), key=lambda p: natural(p.ref)):
            if part.place and part.ref.startswith("J"):
                for pad, (x, y) in zip(part.pins, pins_nm(d, part, part.place).tolist(), strict=True):
                    self.spots.append((x, y, d.net_of(f"{part.ref}.{pad.number}")))

    def faults(self, upright: bool, line: int) -> int:
        """Count pins over no hole, and those that share a group of holes with one of another net that came before."""
        spots = [(y, x, n) if upright else (x, y, n) for x, y, n in self.spots]
        low = min(y for _, y, _ in spots)
        groups: dict[tuple[int, str], str | None] = {}
        faults = 0
        for x, y, net in spots:
            hole = line + round((y - low) / STEP)
            half = "near" if 0 <= hole <= 4 else "far" if 7 <= hole <= 11 else ""
            key = round((x - spots[0][0]) / STEP), half
            faults += not half or groups.setdefault(key, net) != net
        return faults

    def least(self) -> int:
        """Give the fewest faults of all places."""
        lines = (0, 1, 2, 3, 4, 7, 8, 9, 10, 11)
        return min(self.faults(u, k) for u, k in itertools.product((False, True), lines))


class Breadboards(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.integers(2, 9), st.integers(0, 9), st.integers(0, 14), st.sampled_from((0, 90, 180, 270))
            ),
            min_size=1,
            max_size=3,
        ),
        st.booleans(),
    )
    def test_every_place(self, rows: list[tuple[int, int, int, int]], back: bool) -> None:
        """The best place found has as many pins in the way as trying a breadboard hole by hole gives."""
        d = rows_of(tuple(r[0] for r in rows))
        for k, (count, x, y, turn) in enumerate(rows, 1):
            # Rows of an even number of pins have their middle between two pins.
            half = 0.0 if count % 2 else 1.27
            dx, dy = (half, 0.0) if turn in (90, 270) else (0.0, half)
            d = said(d, f"place J{k} {20 + 2.54 * x + dx} {2.54 * y + dy} {turn}", *((f"flip J{k}",) * back))
        seated = seat(d)
        assert seated
        self.assertTrue(all(max(map(abs, o)) < 1000 for o in seated.off_nm.values()))
        self.assertEqual(seated.worst, Holes(d).least())

    def test_arranged(self) -> None:
        """Rows are laid where they plug in, with a hole beside the board for every pin, and what else there is round them."""
        for pins in ((8, 8), (12, 12), (10, 6, 4), (5,)):
            with self.subTest(pins=pins):
                d = said(rows_of(pins, "40x26"), "brief breadboard yes", "add 6 resistor 10k")
                d = said(d, *(f"join R{k}.1 J1.{1 + k % 4}" for k in range(1, 7)), "join R1.2 R2.2 R3.2")
                for edit in (arrange(d), propose(d, 1)[0].edit):
                    after = apply(d, edit)[0]
                    self.assertTrue(all(p.place for p in after.parts.values()))
                    self.assertEqual(seating_findings(after), ())
                    seated = seat(after)
                    assert seated
                    self.assertEqual((seated.worst, Holes(after).least()), (0, 0))

    def test_beside_one_that_stays(self) -> None:
        """A row that is kept in place, or lies there already, sets the holes for the others."""
        d = said(rows_of((8, 6), "40x24"), "brief breadboard yes", "place J1 20.3 21.9 90", "flip J1")
        for kept in (said(d, "lock J1"), d):
            after = apply(kept, arrange(kept))[0]
            self.assertEqual(seating_findings(after), ())
            self.assertEqual(after.parts["J1"].place, kept.parts["J1"].place)
        wide = said(rows_of((8, 6), "40x30"), "brief breadboard yes", "place J1 20.3 27.6 90", "flip J1")
        told = seating_findings(apply(wide, arrange(wide))[0])
        self.assertEqual(
            [(f.reading, f.unit) for f in told], [(0, "holes")], "no hole is left beside so wide a board"
        )

    def test_off_the_holes(self) -> None:
        """A row shifted off the holes is told by how far, and what is offered cures it."""
        d = said(rows_of((8, 8), "40x26"), "brief breadboard yes")
        d = said(apply(d, arrange(d))[0], "shift J2 0.9 -0.3")
        (found,) = seating_findings(d)
        self.assertAlmostEqual(found.reading or 0, 0.9, places=3)
        assert found.remedy
        self.assertEqual(seating_findings(said(d, found.remedy.ask)), ())
        near = said(d, "place J1 20 13", "place J2 20 15.54")
        self.assertEqual([f.reading for f in seating_findings(near)], [7])
        self.assertIn("joins", seating_findings(near)[0].message)


if __name__ == "__main__":
    unittest.main()
