"""Slots: long holes are judged exactly, kept off, written as routs, read back, and bored in rows by hand."""

from __future__ import annotations

import itertools
import math
import unittest
from collections.abc import Sequence

import shapely
from hypothesis import given, settings, strategies as st
from pydantic import ValidationError
from shapely.geometry import LineString, Point

from tests.support import board, codes, design, laid, part, track, via
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items, holes
from vane_step.core.design.model import Design, PadSpec, PartPlace
from vane_step.core.design.package import Package
from vane_step.core.etch.bores import bored
from vane_step.core.etch.drillplan import drill_plan
from vane_step.core.fab.drill import drill_file
from vane_step.core.fab.drillmap import ARC, drill_map, tools_of
from vane_step.core.fab.heading import heading_of
from vane_step.core.fab.readback import compare_drills
from vane_step.core.fab.reader import read_drill, read_gerber
from vane_step.core.fab.release import release
from vane_step.core.fab.strict import check_files
from vane_step.core.inspect.board_files import read_board
from vane_step.core.patterns.landpattern import finish_package
from vane_step.core.patterns.plans import from_plan, read_plan
from vane_step.core.quantity import nm
from vane_step.data.shipped import rule_set

STAMP = "2026-01-01T00:00:00Z"


def slotted(long: float, wide: float, ring: float = 0.3, shape: str = "round", bare: bool = False) -> Package:
    """Make a package of one slot along y, its pad as much larger as its ring, and a round pin."""
    more = 0.0 if bare else 2 * ring
    slot = PadSpec(
        number="1",
        x_nm=0,
        y_nm=0,
        width_nm=nm(wide + more),
        height_nm=nm(long + more),
        shape=shape,  # type: ignore[arg-type]
        layers="through",
        drill_nm=nm(wide),
        slot_nm=nm(long),
    )
    pin = PadSpec(
        number="2",
        x_nm=nm(4),
        y_nm=0,
        width_nm=nm(1.6),
        height_nm=nm(1.6),
        layers="through",
        drill_nm=nm(0.9),
    )
    return finish_package("OWN", [slot, pin], (3.0, 3.0), 2.0, source="test")


def with_slot(
    pack: Package, x: float, y: float, turn: float, side: str = "front", more: Sequence[str] = ()
) -> Design:
    """Put a part with that package on a board of 40 x 30 mm, a resistor beside it."""
    base = design([part("R1", "CHIP-2012M", 32, 24)])
    jack = base.parts["R1"].model_copy(
        update={
            "ref": "J1",
            "package": "OWN",
            "place": PartPlace(x_nm=nm(x), y_nm=nm(y), turn_deg=turn, side=side),  # type: ignore[arg-type]
        }
    )
    net = base.replaced(parts={**base.parts, "J1": jack}, packages={**base.packages, "OWN": pack})
    return Design.model_validate(
        {
            **net.model_dump(),
            "nets": {
                "A": {"name": "A", "pins": ["J1.1", "R1.1"]},
                "B": {"name": "B", "pins": ["J1.2", "R1.2"]},
            },
        }
    )


lengths = st.floats(1.2, 6.0).map(lambda v: round(v, 2))
turns = st.one_of(st.sampled_from([0.0, 90.0, 180.0, 270.0]), st.floats(0, 359).map(lambda v: round(v, 1)))


class Judged(unittest.TestCase):
    """What a slot is near to is measured from its whole length."""

    @settings(max_examples=40)
    @given(lengths, st.floats(0.8, 1.1), turns, st.sampled_from(["front", "back"]), st.floats(0.05, 0.5))
    def test_copper_beside_a_bare_slot(
        self, long: float, wide: float, turn: float, side: str, gap: float
    ) -> None:
        """A track past the end of a bare slot is too near exactly when it is nearer than the maker allows."""
        wide, gap = round(wide, 3), round(gap, 3)
        d = with_slot(slotted(long, wide, bare=True), 18, 14, turn, side)
        (slot,) = [h for h in holes(d) if h.slotted]
        dx, dy = slot.slot_mm
        self.assertAlmostEqual(math.hypot(dx, dy), (long - wide) / 2, 6)
        far = (wide / 2 + gap + 0.1) / math.hypot(dx, dy)
        end = (slot.x_mm + dx + dx * far, slot.y_mm + dy + dy * far)
        across = (-dy / math.hypot(dx, dy) * 0.4, dx / math.hypot(dx, dy) * 0.4)
        line = track(
            "T1", "B", 0.2, (end[0] - across[0], end[1] - across[1]), (end[0] + across[0], end[1] + across[1])
        )
        told = "copper-to-hole" in codes(d.replaced(tracks={"T1": line}))
        limit = d.board.rules.hole_to_copper_nm / 1e6
        if abs(gap - limit) > 0.002:
            self.assertEqual(told, gap < limit)

    @settings(max_examples=40)
    @given(lengths, st.floats(0.8, 1.1), turns, st.sampled_from(["round", "rect"]), st.floats(0.03, 0.5))
    def test_ring(self, long: float, wide: float, turn: float, shape: str, ring: float) -> None:
        """The ring of a slot is the least distance between its rim and the pad's, as drawn shapes have it."""
        d = with_slot(slotted(long, round(wide, 3), round(ring, 3), shape), 18, 14, turn)
        item = next(i for i in copper_items(d) if i.id == "J1.1")
        hole = next(h for h in holes(d) if h.slotted)
        drawn = item.shape().boundary.distance(hole.shape())
        self.assertAlmostEqual(item.ring_mm, drawn, delta=0.004)
        self.assertEqual("ring" in codes(d), item.ring_mm < d.board.rules.min_ring_nm / 1e6 - 1e-4)

    def test_holes_beside_a_slot(self) -> None:
        """A via near the end of a slot is told, though the slot's middle is far from it."""
        d = with_slot(slotted(6.0, 1.0), 18, 14, 0)
        near = d.replaced(vias={"V1": via("V1", "A", 18, 14 + 3.0 + 0.3)})
        far = d.replaced(vias={"V1": via("V1", "A", 18, 14 + 3.0 + 0.9)})
        self.assertIn("hole-to-hole", codes(near))
        self.assertNotIn("hole-to-hole", codes(far))

    def test_too_narrow_to_mill(self) -> None:
        """A maker's narrowest slot holds for slots of parts; whoever etches by hand files them."""
        for wide, told in ((0.7, True), (0.85, False)):
            d = with_slot(slotted(3.0, wide), 18, 14, 30)
            self.assertEqual("slot" in codes(d), told, wide)
            by_hand = d.replaced(board=d.board.model_copy(update={"rules": rule_set("kitchen-table")}))
            self.assertNotIn("slot", codes(by_hand))

    def test_refused(self) -> None:
        """A slot longer than its pad, shorter than it is wide, or in a surface pad is no pad."""
        good = slotted(3.0, 1.0).pads[0]
        for change in ({"slot_nm": nm(9)}, {"slot_nm": nm(0.5)}, {"layers": "front"}, {"on_edge": True}):
            with self.assertRaises(ValidationError):
                PadSpec.model_validate({**good.model_dump(), **change})


class Made(unittest.TestCase):
    """Slots reach the maker's files, and the hands of who drills at home."""

    @settings(max_examples=12)
    @given(lengths, turns, st.sampled_from(["front", "back"]), st.booleans())
    def test_files(self, long: float, turn: float, side: str, bare: bool) -> None:
        """A routed board with a slot reads back as it is, by the standards, whoever looks at its files."""
        d = laid(with_slot(slotted(long, 0.9, bare=bare), 18, 14, turn, side))
        made = release(d, STAMP)
        self.assertEqual([f.message for f in made.read.differences], [])
        self.assertEqual([str(f) for f in check_files(made.files)], [])
        board = read_board({n: t.encode() if isinstance(t, str) else t for n, t in made.files.items()})
        (slot,) = [h for h in holes(d) if h.slotted]
        (read,) = [(s, x.plated) for x in board.drills for s in x.read.slots]
        ends = sorted([slot.ends_mm[:2], slot.ends_mm[2:]])
        self.assertEqual(read[1], not bare)
        for (x, y), (a, b) in zip(sorted([read[0][:2], read[0][2:4]]), ends, strict=True):
            self.assertLess(math.hypot(x - a, y - b), 2e-6)

    def test_missing_slots_are_seen(self) -> None:
        """A slot turned into a hole, moved or narrowed in the file is found when it is read back."""
        d = laid(with_slot(slotted(3.0, 1.0), 18, 14, 30))
        text = drill_file(d, True, heading_of(d, STAMP))
        self.assertEqual(len(read_drill(text, "x.xnc").slots), 1)
        self.assertIn("PTH,Mixed", text)
        for old, new in (("M15\n", ""), ("C1.000000", "C1.100000"), ("G01X", "G01X1")):
            bad = text.replace(old, new, 1)
            self.assertNotEqual(bad, text)
            found = list(compare_drills(d, {"x.xnc": read_drill(bad, "x.xnc")}, {}))
            self.assertTrue(found, old)

    @settings(max_examples=60)
    @given(lengths, st.floats(0.8, 1.1), turns)
    def test_bored_in_rows(self, long: float, wide: float, turn: float) -> None:
        """The holes of a row lie in the slot, reach both its ends where there are two, and keep walls between them."""
        d = with_slot(slotted(long, round(wide, 3)), 18, 14, turn)
        slot = next(h for h in holes(d) if h.slotted)
        row = [h for h in bored(d) if h.id == slot.id]
        self.assertFalse(any(h.slotted for h in row))
        grown = slot.shape(1e-6, 64)
        self.assertTrue(all(grown.covers(h.shape(-1e-4)) for h in row))
        for a, b in itertools.pairwise(row):
            self.assertGreaterEqual(math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm), 1.099 * slot.drill_mm)
        if len(row) > 1:
            self.assertAlmostEqual(LineString([(h.x_mm, h.y_mm) for h in row]).length, slot.spine.length, 6)
        rows = {r.drill_mm: r for r in drill_plan(d)}
        self.assertEqual(rows[slot.drill_mm].slots, 1)
        self.assertEqual(rows[slot.drill_mm].count, len(row))

    def test_drill_map(self) -> None:
        """The map draws every hole and slot once at its size and place, and its list counts all of them."""
        d = laid(with_slot(slotted(3.0, 1.0), 18, 14, 30))
        text = drill_map(d, heading_of(d, STAMP)).text()
        self.assertEqual(check_files({"x-drillmap.gbr": text}), [])
        read = read_gerber(text, "x.gbr", imaged=False)
        drawn = shapely.union_all(shapely.linestrings([*read.lines]))
        for hole in holes(d):
            rim = hole.shape(quad_segs=ARC).exterior
            self.assertLess(drawn.distance(Point(rim.coords[0])), 2e-6)
            self.assertTrue(drawn.buffer(1e-4).covers(rim), hole.id)
        tools = tools_of(d)
        self.assertEqual(sum(count for _, count in tools.values()), len(holes(d)))
        self.assertEqual(sum(slots for _, _, slots in tools), 1)

    def test_plan_line(self) -> None:
        """A line of a plan makes slots for flat leads; that of the catalogue's jack is within a maker's rules."""
        pack = from_plan(read_plan("X | x | 9x14 | 11 | 0 | 1@0,0:2.4x0.8s 2@0,-6:0.8x2.4s"))
        self.assertEqual([p.slot_half_nm for p in pack.pads], [(nm(0.8), 0), (0, nm(0.8))])
        d = design(
            [part("J1", "JACK-DC-F", 20, 15), part("R1", "CHIP-2012M", 32, 24)],
            {"A": "J1.1 R1.1", "B": "J1.2 R1.2"},
        )
        done = laid(d)
        self.assertEqual(check(done).stops, 0)
        self.assertEqual(len([h for h in holes(done) if h.slotted]), 3)
        self.assertTrue(
            all(i.shape().covers(Point(i.x_mm, i.y_mm)) for i in copper_items(done) if any(i.slot_mm))
        )
        self.assertEqual(board().copper_layers, 2)
