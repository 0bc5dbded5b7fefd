"""The rule check: exact at the limit, the same from both sides of the board, and no fault goes unseen."""

from __future__ import annotations

import math
import unittest

import shapely
from hypothesis import given, settings, strategies as st

from tests.support import (
    BEEPER,
    FROST,
    LOOSE,
    board,
    codes,
    demo,
    design,
    drawn_copper,
    joined_nets,
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
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.geometry.mouth import OUTWARDS, mouth_of
from vane_step.core.board.geometry.shapes import copper_items, place_points
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
from vane_step.core.judge import all_findings
from vane_step.core.quantity import nm
from vane_step.data.shipped import rule_set


# Tests of gaps lay copper that leads nowhere.
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


class Mouths(unittest.TestCase):
    """Room before the openings of jacks and terminals."""

    @settings(max_examples=40, deadline=None)
    @given(
        st.sampled_from(["JACK-DC", "TERM-2", "AUDIO-35-3", "POT-16", "USBC-6"]),
        st.sampled_from([0, 90, 180, 270]),
        st.sampled_from(["front", "back"]),
        st.floats(0.6, 14.0),
        st.sampled_from(["before", "behind", "low", "other side"]),
    )
    def test_what_stands_before_one(self, name: str, turn: int, side: str, gap: float, where: str) -> None:
        """What stands so near before an opening is told with its distance; what is behind, low or on the other side is not."""
        jack = part("J1", name, 50, 50, turn, side=side)
        alone = Layout(design([jack], on=board(100, 100)))
        towards, _ = mouth_of(alone.design.packages[name])
        assert jack.place is not None
        (x0, y0), (x1, y1) = place_points(jack.place, ((0, 0), OUTWARDS[towards]))
        dx, dy = round(x1 - x0), round(y1 - y0)
        sign = -1 if where == "behind" else 1
        minx, miny, maxx, maxy = alone.bodies["J1"].bounds
        half = 0.8 if where == "low" else 2.5
        reach = (maxx if sign * dx > 0 else -minx) if dx else (maxy if sign * dy > 0 else -miny)
        along = reach + gap + half
        x = sign * dx * along if dx else (minx + maxx) / 2
        y = sign * dy * along if dy else (miny + maxy) / 2
        other = {"front": "back", "back": "front"}[side] if where == "other side" else side
        stands = "CHIP-1608M" if where == "low" else "ELCO-P200-D5"
        d = design(
            [jack, part("C1", stands, x, y, 90 if where == "low" and dx == 0 else 0, side=other)],
            on=board(100, 100),
        )
        body = Layout(d).bodies["C1"]
        true = float(body.distance(alone.bodies["J1"]))
        told = [f.reading for f in check(d).findings if f.code == "mouth-blocked"]
        if where == "before" and true < 9.9:
            self.assertEqual(len(told), 1)
            self.assertAlmostEqual(float(told[0] or 0), true, delta=0.3)
        elif where != "before" or true > 10.1:
            self.assertEqual(told, [])


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
        [pour] = [p for p in pour_pieces(d) if p.layer == "back"]
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
        # On a dense board a reference may find no room, and fine parts want marks, which is told and no fault.
        self.assertEqual(codes_of, {"unprinted", "no-fiducials"})
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
