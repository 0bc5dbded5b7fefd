"""The rule check: exact at the limit, the same from both sides of the board, and no fault goes unseen."""

from __future__ import annotations

import math
import unittest
from unittest.mock import patch

import shapely
from hypothesis import given, settings, strategies as st

from tests.support import (
    BEEPER,
    FROST,
    board,
    demo,
    design,
    drawn_copper,
    joined_nets,
    mirrored,
    part,
    routed,
    said,
    track,
    two_tracks,
    via,
)
from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.derive import forget
from vane_step.core.design.edits import LayCopper, PlaceParts, SetItem, apply
from vane_step.core.design.model import (
    CurrentNeed,
    Design,
    Jumper,
    LegendText,
    MountingHole,
    Net,
    NetRule,
    PartPlace,
    Pour,
)
from vane_step.core.fab.readback import read_back
from vane_step.core.fab.release import write_files
from vane_step.core.judge import all_findings
from vane_step.core.power.spacing import spacing_mm
from vane_step.core.quantity import nm
from vane_step.data.shipped import rule_set

# Tests of gaps lay copper that leads nowhere.
LOOSE = ("unrouted", "loose-end", "loose-via")


def codes(d: Design, leave_out: tuple[str, ...] = LOOSE) -> list[str]:
    """List the codes of findings."""
    return [f.code for f in check(d).findings if f.code not in leave_out]


class Exactness(unittest.TestCase):
    """A gap that equals the limit passes; one nanometre less does not count, two do."""

    @given(st.floats(0, 360), st.booleans(), st.floats(0.15, 0.6))
    def test_gap_at_the_limit(self, angle: float, bend: bool, rule: float) -> None:
        """Whatever the angle, the limit is met to rounding, and the reading is the gap."""
        self.assertEqual(codes(two_tracks(rule + 4e-6, rule, angle, bend)), [])
        tight = [
            f for f in check(two_tracks(rule - 1e-4, rule, angle, bend)).findings if f.code == "clearance"
        ]
        self.assertEqual(len(tight), 1)
        self.assertAlmostEqual(tight[0].reading or 0, rule - 1e-4, delta=4e-6)
        self.assertAlmostEqual(tight[0].limit or 0, rule, delta=1e-6)

    def test_touching_is_a_short(self) -> None:
        """Touching and overlapping copper is called a short, not a small gap."""
        for gap in (0.0, -0.1):
            self.assertEqual(codes(two_tracks(gap)), ["short"])

    def test_round_ends_are_round(self) -> None:
        """Two capsule ends at a slant are judged by the true circle, where polygons would err."""
        d = two_tracks(5)
        gap = 0.2
        far = 0.2 + 0.15 + gap
        for shortfall, found in ((-1e-5, []), (1e-4, ["clearance"])):
            x, y = 25 + (far - shortfall) * math.cos(0.4), 15 + (far - shortfall) * math.sin(0.4)
            moved = d.replaced(tracks={**d.tracks, "T2": track("T2", "B", 0.3, (x, y), (x + 3, y + 3))})
            self.assertEqual(codes(moved), found)

    def test_edge_and_hole(self) -> None:
        """Copper to edge and hole to hole are exact as well."""
        edge, holes = 0.3, 0.25
        for off, found in ((0, []), (1e-4, ["copper-to-edge"])):
            d = design(
                [],
                on=board(),
                nets={"A": ""},
                tracks={"T1": track("T1", "A", 0.4, (5, 0.2 + edge - off), (9, 5))},
            )
            self.assertEqual(codes(d), found)
        for off, found in ((0, []), (1e-4, ["hole-to-hole"])):
            vias = {"V1": via("V1", "A", 5, 5), "V2": via("V2", "A", 5 + 0.3 + holes - off, 5)}
            self.assertEqual(codes(design([], nets={"A": ""}, vias=vias)), found)


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
        with patch("vane_step.core.board.drc.pours.pour_pieces", return_value=finer):
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


class Material(unittest.TestCase):
    """Holes and cut-outs against the edge of the board."""

    @settings(max_examples=60)
    @given(st.floats(-4.0, 4.0), st.floats(0.3, 4.0), st.booleans())
    def test_holes(self, inside: float, wide: float, at_cutout: bool) -> None:
        """A hole so far within an edge: on the board, with a thin wall, across the edge, or outside of it."""
        d = said(design([], {}), "cutout 15 10 10x10") if at_cutout else design([], {})
        x = 15 - inside if at_cutout else inside
        d = d.replaced(holes={"H1": MountingHole(id="H1", x_nm=nm(x), y_nm=nm(15), drill_nm=nm(wide))})
        wall = inside - nm(wide) / 2e6
        least = d.board.rules.hole_to_hole_nm / 1e6
        if min(abs(wall), abs(wall - least)) < 2e-6:
            return
        found = [f for f in check(d).findings if f.code in ("hole-over-edge", "thin-wall")]
        wanted = ["hole-over-edge"] if wall < 0 else ["thin-wall"] if wall < least else []
        self.assertEqual([f.code for f in found], wanted)
        if found:
            self.assertAlmostEqual(found[0].reading or 0, wall, places=5)

    def test_bridges(self) -> None:
        """A cut-out close to the edge, or to another one, leaves a bridge; farther off it does not."""
        for gap, wanted in ((0.9, ["thin-bridge"]), (1.1, [])):
            self.assertEqual(codes(said(design([], {}), f"cutout {gap} 10 10x10")), wanted)
            self.assertEqual(
                codes(said(design([], {}), "cutout 10 5 5x10", f"cutout {15 + gap} 5 5x10")), wanted
            )


class Creepage(unittest.TestCase):
    """Spacing by the voltage between nets."""

    def test_table(self) -> None:
        """Values read from IPC-2221B, table 6-1, by hand; more volts never want less."""
        for volts, inner, bare, coated, lead in (
            (12, 0.05, 0.1, 0.05, 0.13),
            (48, 0.1, 0.6, 0.13, 0.4),
            (100, 0.1, 0.6, 0.13, 0.5),
            (325, 0.25, 2.5, 0.8, 1.5),
            (600, 0.5, 3.0, 1.105, 1.805),
        ):
            self.assertEqual(
                [round(spacing_mm(volts, s), 3) for s in ("inner", "bare", "coated", "lead")],
                [inner, bare, coated, lead],
            )  # type: ignore[arg-type]
        for surface in ("inner", "bare", "coated", "lead"):
            found = [spacing_mm(v, surface) for v in range(0, 900, 7)]  # type: ignore[arg-type]
            self.assertEqual(found, sorted(found))

    @settings(max_examples=40)
    @given(
        st.sampled_from([(12, ""), (48, "look"), (100, "stop"), (325, "stop")]),
        st.floats(0.2, 2.0),
        st.booleans(),
    )
    def test_pads_and_pours(self, rail: tuple[int, str], gap: float, poured: bool) -> None:
        """Two pads, or a track and a pour, so far apart: told exactly where the table wants more."""
        volts, level = rail
        parts = [
            part("J1", "CHIP-2012M", 10, 10),
            part("J2", "CHIP-2012M", 20, 10),
            part("J3", "HDR-1x2", 30, 20),
        ]
        d = said(design(parts, {"HV": "J1.2", "LOW": "J2.1 J3.1"}), f"rail HV {volts}V")
        at_ = {i.id: i.shape().bounds for i in copper_items(d)}
        shift = at_["J2.1"][0] - at_["J1.2"][2] - gap
        place = d.parts["J2"].place
        assert place is not None
        there = place.model_copy(update={"x_nm": place.x_nm - nm(shift)})
        d = apply(d, PlaceParts(places={"J2": there}))[0]
        wanted, surface = nm(gap) / 1e6, "lead"
        if poured:
            d = d.replaced(
                pours={"P1": Pour(id="P1", net="LOW", layer="back", clearance_nm=nm(gap))},
                tracks={"T1": track("T1", "HV", 0.3, (15, 25), (25, 25), layer="back")},
            )
            d = apply(d, PlaceParts(places={"J2": place}))[0]
            surface = "coated"
        found = [f for f in check(d).findings if f.code == "creepage"]
        least = spacing_mm(volts, surface)  # type: ignore[arg-type]
        if abs(wanted - least) > 0.01:
            self.assertEqual([f.level for f in found], [level] if level and wanted < least else [])
        if found:
            self.assertAlmostEqual(found[0].reading or 0, wanted, delta=0.01)


class SeededFaults(unittest.TestCase):
    """Each rule broken once on a clean board: the finding names rule, reading, limit, source and place."""

    def base(self) -> Design:
        """Give a clean board with two parts."""
        return design(
            [part("R1", "CHIP-2012M", 10, 10), part("R2", "CHIP-2012M", 20, 10)],
            {"A": "R1.2 R2.1", "B": "R1.1", "C": "R2.2"},
        )

    def test_table(self) -> None:
        """Every code is found where it was planted, and nothing else is."""
        d = self.base()
        rules = d.board.rules
        hot = Net(
            name="A",
            pins=d.nets["A"].pins,
            rule=NetRule(width_nm=nm(0.25), clearance_nm=nm(0.2), current=CurrentNeed(current_a=3)),
        )
        across = track("T1", "A", 0.25, (11, 10), (19, 10))
        jumper = Jumper(
            id="W1",
            net="A",
            a=(nm(5), nm(20)),
            b=(nm(15), nm(20)),
            pad_nm=nm(1.8),
            drill_nm=nm(0.8),
            wire_nm=nm(0.7),
        )
        planted = {
            "width": d.replaced(tracks={"T1": track("T1", "A", 0.1, (11, 10), (19, 10))}),
            "net-width": d.replaced(tracks={"T1": track("T1", "A", 0.2, (11, 10), (19, 10))}),
            "track-current": d.replaced(nets={**d.nets, "A": hot}, tracks={"T1": across}),
            "ring": d.replaced(vias={"V1": via("V1", "A", 15, 15, 0.5, 0.3)}),
            "drill": d.replaced(vias={"V1": via("V1", "A", 15, 15, 0.6, 0.2)}),
            "courtyard": apply(d, PlaceParts(places={"R2": PartPlace(x_nm=nm(12), y_nm=nm(10))}))[0],
            "outside": apply(d, PlaceParts(places={"R2": PartPlace(x_nm=nm(39.5), y_nm=nm(10))}))[0],
            "not-placed": apply(d, PlaceParts(places={"R2": None}))[0],
            "legend-on-pad": apply(
                d, SetItem(text=LegendText(id="t", text="HELLO", x_nm=nm(11), y_nm=nm(10)))
            )[0],
            "legend-height": apply(
                d, SetItem(text=LegendText(id="t", text="HI", x_nm=nm(30), y_nm=nm(25), height_nm=nm(0.5)))
            )[0],
            "copper-to-hole": apply(
                d, SetItem(hole=MountingHole(id="H1", x_nm=nm(11), y_nm=nm(7.8), drill_nm=nm(3)))
            )[0],
            "jumper": d.replaced(jumpers={"W1": jumper}),
        }
        for code, faulty in planted.items():
            found = [f for f in check(faulty).findings if f.code not in ("unrouted", code)]
            mine = [f for f in check(faulty).findings if f.code == code]
            with self.subTest(code):
                self.assertTrue(mine)
                self.assertEqual([f.code for f in found if f.code not in ("copper-to-edge", *LOOSE)], [])
                self.assertTrue(all(f.source and f.message and f.place.label() for f in mine))
                self.assertIn(mine[0].source, (rules.title, *{f.source for f in mine}))
        self.assertEqual(codes(d), [])

    def test_jumpers_on_one_layer(self) -> None:
        """A wire that is too long, and one that runs under a part."""
        kitchen = board(layers=1, rules=rule_set("kitchen-table"))
        d = design([part("U1", "DIP-8", 20, 15)], {"A": "U1.1"}, kitchen)
        sizes = {"pad_nm": nm(1.8), "drill_nm": nm(0.8), "wire_nm": nm(0.7)}
        under = Jumper(id="W1", net="A", a=(nm(12), nm(15)), b=(nm(28), nm(15)), **sizes)  # type: ignore[arg-type]
        long = Jumper(id="W2", net="A", a=(nm(3), nm(26)), b=(nm(37), nm(26)), **sizes)  # type: ignore[arg-type]
        self.assertIn("jumper-blocked", codes(d.replaced(jumpers={"W1": under})))
        self.assertIn("jumper-length", codes(d.replaced(jumpers={"W2": long})))

    def test_current_of_the_tracks(self) -> None:
        """The finding tells the rise it reads, the rise allowed, and the width that would do."""
        d = self.base()
        hot = NetRule(width_nm=nm(0.5), clearance_nm=nm(0.2), current=CurrentNeed(current_a=2, rise_k=10))
        d = d.replaced(
            nets={**d.nets, "A": d.nets["A"].model_copy(update={"rule": hot})},
            tracks={"T1": track("T1", "A", 0.5, (11, 10), (19, 10))},
        )
        f = next(f for f in check(d).findings if f.code == "track-current")
        self.assertAlmostEqual(f.reading or 0, 20.87, places=2)
        self.assertEqual((f.limit, f.unit, f.sense, f.level), (10, "K", "at most", "stop"))
        self.assertIn("0.78 mm", f.message)
        assert f.remedy is not None
        self.assertEqual(f.remedy.ask, "width A 2A 10K")
        wide = hot.model_copy(update={"width_nm": nm(0.8)})
        d = d.replaced(nets={**d.nets, "A": d.nets["A"].model_copy(update={"rule": wide})})
        asks = {f.code: f.remedy.ask for f in check(d).findings if f.remedy and f.code != "unrouted"}
        self.assertEqual(asks, {"track-current": "route A fresh", "net-width": "route A fresh"})


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


class Joining(unittest.TestCase):
    """Which pads copper joins, against a judgement made from drawn polygons."""

    def test_demo_boards(self) -> None:
        """With all copper there is one group a net; with any one track lifted the groups agree."""
        d = demo(BEEPER)
        self.assertEqual(set(joined_nets(d).values()), {1})
        for gone in [*d.tracks][::3]:
            cut = apply(d, LayCopper(lift=(gone,)))[0]
            groups = {net: n - 1 for net, n in joined_nets(cut).items() if n > 1}
            links: dict[str, int] = {}
            for link in connectivity(cut).open_links:
                links[link.net] = links.get(link.net, 0) + 1
            self.assertEqual(links, groups, gone)
            self.assertEqual(figures(cut)["links_open"], sum(groups.values()))

    def test_open_links_are_shortest(self) -> None:
        """Between groups the nearest pads are linked: the links form a least spanning tree."""
        d = design(
            [part(f"R{i}", "CHIP-2012M", x, 10) for i, x in enumerate((5, 12, 30, 22), 1)],
            {"A": "R1.1 R2.1 R3.1 R4.1"},
        )
        pairs = {frozenset((k.a, k.b)) for k in connectivity(d).open_links}
        self.assertEqual(
            pairs, {frozenset(p) for p in (("R1.1", "R2.1"), ("R2.1", "R4.1"), ("R4.1", "R3.1"))}
        )
        self.assertEqual(figures(d)["links_total"], 3)


class Pours(unittest.TestCase):
    """Filled copper keeps its distance, reaches its pads, and leaves no islands."""

    def test_distance_and_reach(self) -> None:
        """Against drawn polygons: never nearer than the rule, every pad of the net joined by the pour alone."""
        d = demo(FROST)
        [pour] = pour_pieces(d)
        fill = shapely.union_all(pour.pieces)
        for name, net, layer, shape in drawn_copper(d):
            if layer == pour.layer and net != pour.net:
                need = max(0.25, d.rule_of(net).clearance_nm / 1e6)
                self.assertGreaterEqual(fill.distance(shape), need - 1e-3, name)
        self.assertGreater(pour.area_mm2, 0.6 * 80 * 56)
        touched = [s for _, net, layer, s in drawn_copper(d) if net == "GND" and layer == "back"]
        self.assertTrue(all(any(p.intersects(s) for s in touched) for p in pour.pieces))

    def test_edge_empty_and_cut_off(self) -> None:
        """A pour whose net has no copper on the layer fills nothing; one cut in two keeps the piece with a pad."""
        d = design(
            [part("J1", "HDR-1x2", 5, 15)],
            {"GND": "J1.1", "A": "J1.2"},
            pours={"p": Pour(id="p", net="GND", layer="back")},
        )
        [all_of_it] = pour_pieces(d)
        self.assertGreater(all_of_it.area_mm2, 1100)
        wall = track("T1", "A", 0.3, (20, 0.4), (20, 29.6), layer="back")
        [half] = pour_pieces(d.replaced(tracks={"T1": wall}))
        self.assertLess(max(p.bounds[2] for p in half.pieces), 20)
        bare = d.replaced(parts={}, nets={"GND": Net(name="GND")})
        self.assertEqual(pour_pieces(bare)[0].pieces, ())


class DemoBoards(unittest.TestCase):
    """What ships is clean."""

    def test_clean_and_complete(self) -> None:
        """Frost Sentinel has at least 35 parts on two layers, the beeper at least 10 on one with at most 2 jumpers."""
        for name, parts, layers in ((FROST, 35, 2), (BEEPER, 10, 1)):
            d = demo(name)
            self.assertGreaterEqual(len(d.parts), parts)
            self.assertEqual(d.board.copper_layers, layers)
            self.assertEqual([f.code for f in all_findings(d) if f.level in ("stop", "look")], [])
            self.assertEqual(figures(d)["links_open"], 0)
        self.assertLessEqual(len(demo(BEEPER).jumpers), 2)


class Craft(unittest.TestCase):
    """What breaks no limit of the maker and should be looked at all the same: each fault found, nothing else."""

    def seeded(self, code: str, d: Design) -> None:
        """Only this fault is told, with a reading on the wrong side of its limit."""
        found = [f for f in check(d).findings if f.code not in ("unrouted", "legend-on-pad")]
        self.assertEqual([f.code for f in found], [code])
        reading, limit = found[0].reading, found[0].limit
        assert reading is not None and limit is not None
        self.assertTrue(reading < limit if found[0].sense == "at least" else reading > limit)
        self.assertTrue(found[0].source and found[0].place.x_nm is not None)

    def two_ends(self, *points: tuple[float, float], **more: object) -> Design:
        """Two chips joined by a track along some points."""
        parts = [part("R1", "CHIP-2012M", 8, 15), part("R2", "CHIP-2012M", 30, 15)]
        start = design(parts, {"A": "R1.2 R2.1"})
        from_pad, to_pad = ((i.x_mm, i.y_mm) for i in copper_items(start) if i.id in ("R1.2", "R2.1"))
        tracks = {"T1": track("T1", "A", 0.3, from_pad, *points, to_pad), **more.pop("tracks", {})}  # type: ignore[dict-item]
        return start.replaced(tracks=tracks, **more)

    def test_correct_copper_is_left_alone(self) -> None:
        """Routed boards of every kind and all demos have nothing to look at; a right angle is no fault."""
        codes_of = {f.code for n in ("smd2L_040_s1", "th1L_015_s1") for f in check(routed(n)).findings}
        # On a dense board a reference may find no room, which is told and no fault.
        self.assertEqual(codes_of, {"unprinted"})
        self.assertEqual(codes(self.two_ends((20, 15), (20, 20), (25, 20), (25, 15)), ("unrouted",)), [])

    def test_seeded_faults(self) -> None:
        """A sharp corner, an end in nothing, a via that joins nothing, one in a pad, and a hole too deep to plate."""
        self.seeded("acute-corner", self.two_ends((22, 15), (21, 18), (21, 21), (28, 21)))
        self.seeded("loose-end", self.two_ends(tracks={"T2": track("T2", "A", 0.3, (18, 15), (18, 20))}))
        self.seeded("loose-via", self.two_ends(vias={"V1": via("V1", "A", 18, 15)}))
        pad = next(i for i in copper_items(self.two_ends()) if i.id == "R2.1")
        there = {"V1": via("V1", "A", pad.x_mm, pad.y_mm)}
        under = {"T2": track("T2", "A", 0.3, (pad.x_mm, pad.y_mm), (18, 20), layer="back")}
        up = {"V2": via("V2", "A", 18, 20), "T3": track("T3", "A", 0.3, (18, 20), (18, 15))}
        d = self.two_ends(tracks={**under, "T3": up["T3"]}, vias={**there, "V2": up["V2"]})  # type: ignore[dict-item]
        self.seeded("via-in-pad", d)
        free = apply(
            d,
            LayCopper(
                lift=("V1", "T2"),
                vias=(via("V1", "A", 18, 15),),
                tracks=(track("T4", "A", 0.3, (18, 15), (18, 20), layer="back"),),
            ),
        )[0]
        self.assertEqual(codes(free, ("unrouted",)), [])
        thick = free.board.model_copy(update={"rules": free.board.rules.model_copy(update={"board_mm": 2.6})})
        self.assertEqual(set(codes(free.replaced(board=thick))), {"aspect-ratio"})

    @settings(max_examples=25)
    @given(st.floats(0.0, 0.3))
    def test_mask_bridge(self, gap: float) -> None:
        """Mask between pads of two parts is told exactly where it is narrower than holds."""
        margin = rule_set("standard-house").mask_margin_nm / 1e6
        wide = next(i for i in copper_items(design([part("R1", "CHIP-2012M", 10, 10)])) if i.id == "R1.2")
        half = wide.spine.bounds[2] - wide.x_mm
        left = wide.x_mm + half + 2 * margin + gap
        two = design(
            [part("R1", "CHIP-2012M", 10, 10), part("R2", "CHIP-2012M", left + (wide.x_mm - 10) + half, 10)],
            {"A": "R1.2", "B": "R2.1"},
        )
        self.assertEqual("mask-bridge" in codes(two), gap < 0.079)

    def test_few_spokes(self) -> None:
        """A pad of a pour that tracks of others shut in on three sides hangs on one spoke."""
        pour = {"P1": Pour(id="P1", net="G", layer="back")}
        parts = [part("J1", "HDR-1x2", 15, 15)]
        d = design(parts, {"G": "J1.1", "B": "J1.2"}, pours=pour)
        self.assertEqual(codes(d), [])
        pad = next(i for i in copper_items(d) if i.id == "J1.1")
        x, y, r = pad.x_mm, pad.y_mm, pad.width_mm / 2 + 0.36
        far = x + (6 if next(i.x_mm for i in copper_items(d) if i.id == "J1.2") < x else -6)
        near = x - r if far > x else x + r
        points = [(far, y + r), (near, y + r), (near, y - r), (far, y - r)]
        shut = d.replaced(tracks={"T1": track("T1", "B", 0.3, *points, layer="back")})
        self.assertEqual(codes(shut), ["few-spokes"])
