"""Copper that is too thin, in strips, necks and joints: the check, the fill and the files say the same."""

from __future__ import annotations

import math
import unittest
from unittest.mock import patch

import shapely
from hypothesis import given, settings, strategies as st

from tests.support import (
    board,
    codes,
    design,
    part,
    said,
    track,
)
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.model import (
    Design,
    Pour,
    Via,
)
from vane_step.core.fab.readback import read_back
from vane_step.core.fab.release import write_files
from vane_step.core.memo import forget
from vane_step.core.quantity import nm
from vane_step.data.shipped import rule_set


class Slivers(unittest.TestCase):
    """Copper of a pour between two tracks of others, held against the least width of the maker."""

    @settings(max_examples=12)
    @given(st.floats(0.02, 0.4))
    def test_strip(self, strip: float) -> None:
        """What is thinner than the maker holds is not filled; were it filled, it is told with its width."""
        apart = strip + 0.3 + 2 * 0.3
        tracks = {
            "T1": track("T1", "A", 0.3, (15, 15), (25, 15)),
            "T2": track("T2", "B", 0.3, (15, 15 + apart), (25, 15 + apart)),
        }
        pour = Pour(id="G-front", net="G", layer="front", clearance_nm=nm(0.3), min_width_nm=nm(0.05))
        tracks["T3"] = track("T3", "G", 0.3, (5, 5), (8, 5))
        d = design([], nets={"A": "", "B": "", "G": ""}, tracks=tracks, pours={"G-front": pour})
        least = d.board.rules.min_width_nm / 1e6
        between = shapely.Point(20, 15 + apart / 2)
        if abs(strip - least) > 0.01:
            filled = any(piece.covers(between) for piece in pour_pieces(d)[0].pieces)
            self.assertEqual((filled, codes(d)), (strip > least, []))
        rules = d.board.rules.model_copy(update={"min_width_nm": nm(0.02)})
        finer = pour_pieces(d.replaced(board=d.board.model_copy(update={"rules": rules})))
        with patch("vane_step.core.board.copper.pour_fill.pour_pieces", return_value=finer):
            forget()
            found = [f for f in check(d).findings if f.code == "sliver"]
        forget()
        if abs(strip - least) > 0.01 and strip > 0.06:
            self.assertEqual(len(found), int(strip < least))
            for one in found:
                # Gaps round the tracks are drawn by chords outside the true circles.
                self.assertAlmostEqual(one.reading or 0, strip, delta=0.008)


class Joints(unittest.TestCase):
    """Copper that hangs together by too little."""

    @settings(max_examples=40)
    @given(st.floats(-0.02, 0.25), st.sampled_from([0.2, 0.25, 0.4]), st.sampled_from(["rect", "round"]))
    def test_grazing_ends(self, into: float, wide: float, shape: str) -> None:
        """A track whose end reaches so far into a pad is joined by the chord it shares with it; the files tell the same."""
        d = design([part("R1", "CHIP-2012M", 10, 10), part("R2", "CHIP-2012M", 20, 10)], {"A": "R1.2 R2.1"})
        pack = d.packages["CHIP-2012M"]
        pads = tuple(
            p.model_copy(update={"shape": shape, "width_nm": nm(1.2), "height_nm": nm(1.2)})
            for p in pack.pads
        )
        d = d.replaced(packages={pack.name: pack.model_copy(update={"pads": pads})})
        ends = {i.id: i.shape() for i in copper_items(d)}
        right, left = ends["R1.2"].bounds[2], ends["R2.1"].bounds[0]
        # The right end lies in its pad, the left one reaches in by so much.
        end = right + wide / 2 - into
        d = d.replaced(tracks={"T1": track("T1", "A", wide, (end, 10), (left + 0.5, 10))})
        lens = shapely.Point(end, 10).buffer(wide / 2, quad_segs=64).intersection(ends["R1.2"])
        chord = 0.0 if lens.is_empty else lens.bounds[3] - lens.bounds[1]
        least = d.board.rules.min_width_nm / 1e6
        found = [f for f in check(d).findings if f.code == "thin-joint"]
        if into < 1e-3 or abs(chord - least) < 0.012:
            return
        self.assertEqual(len(found), int(chord < least), (chord, into))
        if found:
            # Circles have corners, 4 µm off at most; near its beginning a chord grows much faster than that.
            near = [2 * math.sqrt(max(0.0, (wide - x) * x)) for x in (max(0.0, into - 0.005), into + 0.005)]
            self.assertGreater(found[0].reading or 0, near[0] - 0.01)
            self.assertLess(found[0].reading or 0, near[1] + 0.01)
        files = write_files(d, "2026-11-26T00:00:00Z")
        self.assertEqual("file-thin" in {f.code for f in read_back(d, files).differences}, chord < least)

    @settings(max_examples=30)
    @given(st.floats(-0.02, 0.3), st.sampled_from(["rect", "round"]), st.sampled_from([0, 1.2]))
    def test_grazing_pours(self, into: float, shape: str, hatch: float) -> None:
        """A pour whose border reaches so far into a pad of its net holds it by enough, or is parted from it."""
        d = design([part("R1", "CHIP-2012M", 10, 10), part("R2", "CHIP-2012M", 10, 16)], {"A": "R1.2 R2.2"})
        pack = d.packages["CHIP-2012M"]
        size = {"shape": shape, "width_nm": nm(1.2), "height_nm": nm(1.2)}
        pads = tuple(p.model_copy(update=size) for p in pack.pads)
        d = d.replaced(packages={pack.name: pack.model_copy(update={"pads": pads})})
        top = next(i for i in copper_items(d) if i.id == "R1.2").shape().bounds[3]
        box = ((4.0, top - into), (16.0, top - into), (16.0, 19.0), (4.0, 19.0))
        pour = Pour(
            id="P1", net="A", layer="front", area=[(nm(x), nm(y)) for x, y in box], hatch_nm=nm(hatch)
        )
        d = d.replaced(pours={"P1": pour})
        found = {f.code for f in check(d).findings}
        self.assertFalse(found & {"thin-joint", "sliver", "clearance"})
        read = {f.code for f in read_back(d, write_files(d, "2026-11-26T00:00:00Z")).differences}
        self.assertFalse(read & {"file-thin", "file-short", "file-open"})
        # A straight side that touches a straight side hangs together by all of it; a round one by a point.
        off = into < -1e-3 or (shape == "round" and into < 1e-3)
        if off or into > 0.02:
            self.assertEqual("unrouted" in found, off)

    @settings(max_examples=40)
    @given(
        st.tuples(st.floats(0, 3), st.floats(-3, 3)),
        st.floats(0.3, 0.7),
        st.sampled_from([0, 1.2, 2.5]),
        st.tuples(st.floats(10.7, 14), st.floats(8, 14)),
        st.tuples(st.integers(-9, 9), st.integers(-9, 9)),
    )
    def test_tracks_and_vias_in_pours(
        self,
        way: tuple[float, float],
        wide: float,
        hatch: float,
        spot: tuple[float, float],
        off: tuple[int, int],
    ) -> None:
        """A track that leaves a pad through its spokes, and a via anywhere, hang on the pour by enough wherever all lies."""
        x, y = (v * 0.137 for v in off)
        rules = rule_set("standard-house").model_copy(update={"min_width_nm": nm(0.3)})
        d = design([part("R1", "CHIP-2012M", 10 + x, 10 + y)], {"A": "R1.2"}, board(rules=rules))
        pad = next(i for i in copper_items(d) if i.id == "R1.2")
        x0, y0 = pad.x_mm, pad.y_mm
        area = [(nm(a + x), nm(b + y)) for a, b in ((5, 5), (16, 5), (16, 16), (5, 16))]
        pour = Pour(id="P1", net="A", layer="front", area=area, hatch_nm=nm(hatch))
        via = Via(
            id="V1", net="A", x_nm=nm(spot[0] + x), y_nm=nm(spot[1] + y), pad_nm=nm(0.6), drill_nm=nm(0.3)
        )
        run = (x0, y0), (x0 + way[0], y0 + way[1])
        d = d.replaced(pours={"P1": pour}, vias={"V1": via}, tracks={"T1": track("T1", "A", wide, *run)})
        found = {f.code for f in check(d).findings}
        self.assertFalse(found & {"thin-joint", "sliver", "unrouted"})
        read = {f.code for f in read_back(d, write_files(d, "2026-11-26T00:00:00Z")).differences}
        self.assertFalse(read & {"file-thin", "file-short", "file-open"})

    def test_beside_a_better_one(self) -> None:
        """A track that grazes a pad it is joined to otherwise, by another piece or by a pour, is left alone."""
        d = design([part("R1", "CHIP-2012M", 10, 10)], {"A": "R1.2"})
        box_of = next(i for i in copper_items(d) if i.id == "R1.2").shape().bounds
        up = box_of[3] + 0.1
        d = d.replaced(tracks={"T1": track("T1", "A", 0.25, (11, 10), (13, 10), (13, up), (box_of[0], up))})
        self.assertEqual(codes(d), [])
        loose = d.replaced(tracks={"T1": track("T1", "A", 0.25, (13, up), (box_of[2] - 0.2, up))})
        self.assertEqual(codes(loose), [] if min(box_of[2] - box_of[0], 0.45) > 0.15 else ["thin-joint"])


class InTheFiles(unittest.TestCase):
    """The read-back measures widths by itself, and lets pass what nothing hangs on."""

    def thin(self, d: Design, **other: str) -> int:
        """Count the thin places the files show."""
        files = write_files(d, "2026-11-26T00:00:00Z")
        for name, text in other.items():
            key = next(k for k in files if name in k)
            files[key] = files[key].replace("M02*", f"{text}\nM02*")
        return int(read_back(d, files).readings["thin_places"])

    def test_widths(self) -> None:
        """A thin track, a narrow bridge in a pour and a grazing end are told; a graze beside a wide way, and thin pads, are not."""
        pads = [part("R1", "CHIP-2012M", 10, 10), part("R2", "CHIP-2012M", 20, 10)]
        d = design(pads, {"A": "R1.2 R2.1"})
        at = {i.id: (i.x_mm, i.y_mm) for i in copper_items(d)}
        (x0, y0), end = at["R1.2"], at["R2.1"]
        for wide, count in ((0.2, 0), (0.12, 1)):
            self.assertEqual(
                self.thin(d.replaced(tracks={"T1": track("T1", "A", wide, (x0, y0), end)})), count
            )
        # A second track leaves the first and comes back to within a hair of the pad.
        edge = next(i for i in copper_items(d) if i.id == "R1.2").shape().bounds
        out = track("T1", "A", 0.2, (x0, y0), (x0 + 3, y0))
        back = track(
            "T2", "A", 0.2, (x0 + 3, y0), (edge[2] + 0.095, edge[3] + 1), (edge[2] + 0.095, edge[1] + 0.5)
        )
        both = d.replaced(tracks={"T1": out, "T2": back})
        self.assertEqual(
            ([f.code for f in check(both).findings if f.code == "thin-joint"], self.thin(both)), ([], 0)
        )
        poured = said(design([part("J1", "HDR-1x2", 10, 10)], {"A": "J1.1"}), "pour A back")
        for gap, thin in ((0.2, False), (0.08, True)):
            spots = "".join(f"X{nm(20 + k * (1 + gap))}Y{nm(20)}D03*\n" for k in (0, 1))
            holes = f"%ADD99C,1.0*%\n%LPC*%\nD99*\n{spots}%LPD*%"
            self.assertEqual(self.thin(poured, **{"copper-back": holes}) > 0, thin)
        fine = design(
            [part("U1", "TSSOP-20", 20, 15)],
            {},
            board(rules=rule_set("standard-house").model_copy(update={"min_width_nm": nm(0.45)})),
        )
        self.assertIn("thin-pad", codes(fine))
        self.assertEqual(self.thin(fine), 0)
