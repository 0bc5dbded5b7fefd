"""Cut-outs and pours: what is milled, filled, left out, hatched and stitched keeps every rule, by judges of its own."""

from __future__ import annotations

import random
import unittest

import shapely
from shapely.geometry import Polygon, box
from shapely.ops import unary_union

from tests.support import FROST, board, demo, design, folder, least_gap_breach, part, said
from vane_step.core.ask import ask
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.zones import zone_findings
from vane_step.core.board.geometry.mouth import mouth_of
from vane_step.core.board.geometry.shapes import (
    bare_holes,
    bodies,
    copper_items,
    courtyards,
    keepouts,
    outline,
)
from vane_step.core.brief.limits import limit_findings
from vane_step.core.design.edits import RemoveItem, SetItem, apply
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, VaneStepError
from vane_step.core.fab.otherboard import other_board
from vane_step.core.fab.release import release
from vane_step.core.patterns.packages import package, package_examples
from vane_step.core.quantity import nm
from vane_step.core.route.router import route
from vane_step.data.shipped import catalogue, resources, rule_set

STAMP = "2026-11-26T00:00:00Z"


def free(d: Design, wide: float, tall: float) -> tuple[float, float]:
    """Find where an opening has room, by the shapes of pads, tracks, vias and bare holes."""
    keep = d.board.rules.edge_clearance_nm / 1e6 + 0.05
    bare = [shapely.Point(h.x_mm, h.y_mm).buffer(h.drill_mm / 2 + 1) for h in bare_holes(d)]
    taken = shapely.STRtree([*(i.shape(keep) for i in copper_items(d)), *bare])
    inner = outline(d).buffer(-2)
    x0, y0, x1, y1 = inner.bounds
    for k in range(int((x1 - x0) * (y1 - y0) * 4)):
        x, y = x0 + 0.5 * (k % int(2 * (x1 - x0))), y0 + 0.5 * (k // int(2 * (x1 - x0)))
        shape = box(x, y, x + wide, y + tall)
        if inner.covers(shape) and not len(taken.query(shape, predicate="intersects")):
            return round(x, 3), round(y, 3)
    raise AssertionError("no room")


def codes(d: Design) -> list[str]:
    """List the codes of a board's stops."""
    return sorted({f.code for f in check(d).findings if f.level == "stop"})


def copper(d: Design, pour: str) -> shapely.MultiPolygon:
    """Give what a pour fills."""
    return shapely.MultiPolygon(next(p.pieces for p in pour_pieces(d) if p.id == pour))


class Openings(unittest.TestCase):
    """What is milled out of the board."""

    def test_milled_away(self) -> None:
        """The area goes, nothing pours over it, the files agree, and another board takes it over; removed, all is back."""
        d = demo(FROST)
        x, y = free(d, 4, 2)
        cut = said(d, f"cutout {x} {y} 4x2 0.6")
        u, v = free(cut, 5.2, 1.2)
        cut = said(cut, f"slot {u + 0.6} {v + 0.6} {u + 3.6} {v + 0.6} 1.2")
        self.assertEqual(codes(cut), [])
        slot = 3 * 1.2 + 3.14159 * 0.36
        self.assertAlmostEqual(
            outline(d).area - outline(cut).area, 4 * 2 - (4 - 3.14159) * 0.36 + slot, delta=0.01
        )
        holes = [Polygon(r) for r in outline(cut).interiors]
        self.assertGreaterEqual(
            copper(cut, "ground").distance(unary_union(holes)), cut.board.rules.edge_clearance_nm / 1e6 - 1e-9
        )
        made = release(cut, STAMP)
        self.assertTrue(made.offered, [f.message for f in made.read.differences])
        after = apply(d, other_board(d, {"cut.zip": made.zipped()}).edit)[0]
        self.assertEqual(
            [round(Polygon(r).area, 3) for r in outline(after).interiors], [round(h.area, 3) for h in holes]
        )
        back = cut
        for name in ("CUT1", "CUT2"):
            back = apply(back, RemoveItem(id=name))[0]
        self.assertEqual(back.board, d.board)

    def test_faults_are_told(self) -> None:
        """An opening under a pad, one too narrow to mill, one that parts the board; files that lack one."""
        d = demo(FROST)
        pad = d.parts["R9"].place
        assert pad is not None
        self.assertIn(
            "copper-to-edge", codes(said(d, f"cutout {pad.x_nm / 1e6 - 1} {pad.y_nm / 1e6 - 1} 2x2"))
        )
        x, y = free(d, 4, 2)
        self.assertEqual(codes(said(d, f"slot {x + 1} {y + 1} {x + 3} {y + 1} 0.7")), ["slot"])
        self.assertEqual(codes(said(d, f"cutout {x} {y} 4x0.7")), ["slot"])
        self.assertIn("parted", codes(said(d, "cutout 40 -1 2x70")))
        made = release(d, STAMP)
        from vane_step.core.fab.readback import read_back

        self.assertIn(
            "cutouts", {f.code for f in read_back(said(d, f"cutout {x} {y} 4x2"), made.files).differences}
        )
        for sentence in (
            "cutout 10 10 0x5",
            "cutout 10 10 5",
            "slot 1 1 2 2",
            "slot 1 1 1 1 0",
            "clear ground 1 1 x",
        ):
            with self.assertRaises(VaneStepError):
                said(d, sentence)

    def test_routed_round(self) -> None:
        """With an opening in the middle of a generated board all links are laid, none through it."""
        d = folder("smd2L_015_s1")
        x, y = free(d, 2, 2)
        cut = said(d, f"cutout {x} {y} 2x2 0.5")
        done = apply(cut, route(cut).edit)[0]
        self.assertEqual((codes(done), figures(done)["links_open"]), ([], 0))
        self.assertGreaterEqual(least_gap_breach(done), -1e-5)


class Edges(unittest.TestCase):
    """Parts put on an edge of the board."""

    def test_flush_and_along(self) -> None:
        """On every edge, of either side, the body ends at the edge or as near as copper may come; rows run along it."""
        for pack in ("HDR-1x4", "HDR-2x5", "TERM-3", "USBC-6", "SOIC-8", "TO-220-3", "DIP-8"):
            for k, edge in enumerate(("left", "right", "top", "bottom")):
                d = design([part("J1", pack, 20, 15)], {}, on=board(44, 36))
                d = said(d, *(["underside J1"] if k % 2 and pack != "DIP-8" else []), f"edge J1 {edge} 17.5")
                side = {"left": 0, "bottom": 1, "right": 2, "top": 3}[edge]
                body, pads = bodies(d)["J1"].bounds, [i.shape() for i in copper_items(d)]
                gaps = [(b[0], b[1], 44 - b[2], 36 - b[3])[side] for b in (body, unary_union(pads).bounds)]
                keep = d.board.rules.edge_clearance_nm / 1e6
                self.assertAlmostEqual(min(gaps[0], gaps[1] - keep), 0, places=2, msg=(pack, edge))
                spots = shapely.bounds(shapely.MultiPoint([s.centroid for s in pads]))
                wide, tall = spots[2] - spots[0], spots[3] - spots[1]
                self.assertGreaterEqual(
                    *((tall, wide - 1e-6) if side % 2 == 0 else (wide, tall - 1e-6)), (pack, edge)
                )
                self.assertEqual(
                    [c for c in codes(d) if c in ("outside", "copper-to-edge")], [], (pack, edge)
                )

    def test_a_free_place(self) -> None:
        """Without a length a part goes beside what lies at the middle of an edge; where it must lie on others they are told."""
        for edge, x, y in (("left", 6, 18), ("right", 38, 18), ("top", 22, 30), ("bottom", 22, 6)):
            d = design([part("U1", "SOIC-8", x, y), part("J1", "TERM-2", 22, 18)], {}, on=board(44, 36))
            moved = said(d, f"edge J1 {edge}")
            self.assertEqual([c for c in codes(moved) if c in ("courtyard", "outside")], [], edge)
            place = moved.parts["J1"].place
            assert place is not None
            off = (place.y_nm / 1e6 - 18) if edge in ("left", "right") else (place.x_nm / 1e6 - 22)
            self.assertTrue(0 < abs(off) < 14, (edge, off))
        full = design([part("U1", "DIP-28", 5, 18), part("J1", "TERM-2", 22, 18)], {}, on=board(44, 36))
        self.assertIn("lies on U1", ask(full, "edge J1 left", resources()).says)

    def test_mouths(self) -> None:
        """What has a mouth looks out on every edge, of either side, as far over it as its family wants; no pad is off."""
        mouths = {n: p for n in package_examples() if mouth_of(p := package(n))[0]}
        self.assertGreater(len(mouths), 30)
        for name, pack in mouths.items():
            over, keep = mouth_of(pack)[1], rule_set("standard-house").edge_clearance_nm / 1e6
            for k, edge in enumerate(("left", "bottom", "right", "top")):
                for side in ("front", "back"):
                    d = design([part("J1", name, 50, 50)], {}, on=board(100, 100))
                    d = said(d, *(["underside J1"] if side == "back" else []), f"edge J1 {edge}")
                    told = {f.code for f in check(d).findings} & {"outside", "copper-to-edge"}
                    self.assertEqual(told, set(), (name, edge, side))
                    gap, copper = (
                        (b[0], b[1], 100 - b[2], 100 - b[3])[k]
                        for b in (
                            bodies(d)["J1"].bounds,
                            unary_union([i.shape() for i in copper_items(d)]).bounds,
                        )
                    )
                    if not any(p.on_edge for p in pack.pads):
                        self.assertTrue(
                            abs(gap + over) < 1e-3 or (gap > -over and copper < keep + 0.06),
                            (name, edge, gap),
                        )

    def test_a_row(self) -> None:
        """Several parts share an edge with equal gaps, in the order they are named; too many are refused."""
        refs = ("J1", "J2", "J3")
        d = design(
            [part(r, n, 20, 15) for r, n in zip(refs, ("TERM-2", "USBC-6", "HDR-1x4"), strict=True)], {}
        )
        yards = courtyards(said(d, "edge J1..3 top"))
        ends = [b.bounds for b in (yards[r] for r in refs)]
        width = outline(d).bounds[2]
        gaps = [
            a - b for a, b in zip([*(e[0] for e in ends), width], [0, *(e[2] for e in ends)], strict=True)
        ]
        self.assertLess(max(gaps) - min(gaps), 0.01)
        with self.assertRaises(EditRefused):
            said(d, "edge J1..3 top 2 12")


class Zones(unittest.TestCase):
    """Boxes of the board where something may not be."""

    def test_screws_and_bodies(self) -> None:
        """A hole through a body, a head on it, a screw at an antenna: told as deep as they reach, on either side of the board."""
        d = said(design([part("U1", "SOIC-16", 20, 15)], {}), "hole 20 15 3.2")
        chance = random.Random(5)
        for side in ("front", "back"):
            turned = said(d, "underside U1") if side == "back" else d
            body = bodies(turned)["U1"]
            for _ in range(30):
                x, y = (round(chance.uniform(a, b), 2) for a, b in ((14, 26), (9, 21)))
                there = apply(
                    turned, SetItem(hole=turned.holes["H1"].model_copy(update={"x_nm": nm(x), "y_nm": nm(y)}))
                )[0]
                through = shapely.Point(x, y).buffer(1.6, quad_segs=64).intersects(body)
                head = shapely.Point(x, y).buffer(3.2, quad_segs=64).intersects(body)
                codes = {f.code for f in check(there).findings} & {"hole-in-part", "screw-on-part"}
                self.assertEqual(
                    codes, {"hole-in-part"} if through else {"screw-on-part"} if head else set(), (x, y)
                )
        radio = next(p for p in catalogue().parts.values() if p.package and package(p.package).keepout_nm)
        aerial = said(design([], {}, on=board(60, 50)), f"add U1 {radio.number}", "place U1 30 25")
        zone = keepouts(aerial)["U1"]
        for x, y in (zone.centroid.coords[0], (1.0, 1.0)):
            codes = {f.code for f in check(said(aerial, f"hole {x:.2f} {y:.2f} 2.2")).findings}
            self.assertEqual("screw-in-zone" in codes, (x, y) != (1.0, 1.0))

    def test_cases_have_two_sides(self) -> None:
        """A low case counts for the side it is over; ends of leads reach out of the other; all together must fit the case."""
        d = design([part("J1", "HDR-1x2", 20, 15), part("C1", "CHIP-1608M", 10, 10)], {})
        for sides, ends in (("front", 1.6), ("back", 1.4), ("back", 1.6), ("both", 1.6)):
            for under in (False, True):
                there = said(d, f"zone low 15 10 10x10 {ends} {sides}", *(["underside J1"] if under else []))
                over = {"front", "back"} if sides == "both" else {sides}
                reach = {"front": 1.5, "back": 8.5} if under else {"front": 8.5, "back": 1.5}
                told = [f.reading for f in zone_findings(Layout(there))]
                self.assertEqual(
                    told, [r for side, r in reach.items() if side in over and r > ends], (sides, ends, under)
                )
        tall = d.packages["HDR-1x2"].height_nm / 1e6
        for height, codes in ((tall - 0.1, 1), (tall + 2, 1), (tall + 3.2, 0)):
            found = [
                f for f in limit_findings(said(d, f"brief tall {height:.2f}")) if f.code == "brief-height"
            ]
            self.assertEqual(len(found), codes, height)

    def test_what_lies_in_them_is_told(self) -> None:
        """A part under hands, one too tall, a foreign track, copper; each by its own finding, with its reading."""
        d = demo(FROST)

        def told(sentence: str, code: str) -> list[tuple[tuple[str, ...], float | None]]:
            return [(f.place.refs, f.reading) for f in check(said(d, sentence)).findings if f.code == code]

        place = d.parts["R9"].place
        assert place is not None
        x, y = place.x_nm / 1e6, place.y_nm / 1e6
        self.assertEqual(told(f"zone hand {x - 0.5} {y - 0.5} 1x1", "hand-zone"), [(("R9",), 1.0)])
        tall = d.packages[d.parts["BZ1"].package].height_nm / 1e6
        self.assertEqual(told("zone low 8 8 12x12 9", "low-zone"), [(("BZ1",), tall)])
        self.assertEqual(told(f"zone low 8 8 12x12 {tall}", "low-zone"), [])
        u1 = d.parts["U1"].place
        assert u1 is not None
        corner = f"{u1.x_nm / 1e6 - 6} {u1.y_nm / 1e6 - 6} 12x12"
        at_home = {d.net_of(f"U1.{p.number}") for p in d.parts["U1"].pins}
        crossing = {
            f.place.net for f in check(said(d, f"zone quiet {corner}")).findings if f.code == "quiet-zone"
        }
        self.assertFalse(crossing & at_home)
        box_of = box(u1.x_nm / 1e6 - 6, u1.y_nm / 1e6 - 6, u1.x_nm / 1e6 + 6, u1.y_nm / 1e6 + 6)
        pads_in = {
            i.net for i in copper_items(d) if i.kind == "pad" and box_of.covers(shapely.Point(i.x_mm, i.y_mm))
        }
        lengths: dict[str | None, float] = {}
        for i in copper_items(d):
            if i.kind == "track" and i.net not in pads_in:
                lengths[i.net] = lengths.get(i.net, 0.0) + i.spine.intersection(box_of).length
        self.assertEqual(crossing, {n for n, length in lengths.items() if length > 0.3})
        self.assertIn("keep-out", codes(said(d, f"zone clear {corner}")))

    def test_copper_keeps_out(self) -> None:
        """Where no copper may be the pour has a hole, the router goes round, and removed the zone is gone."""
        d = demo(FROST)
        x, y = free(d, 3, 3)
        zoned = said(d, f"zone clear {x} {y} 3x3")
        self.assertEqual(codes(zoned), [])
        self.assertLess(copper(zoned, "ground").intersection(box(x, y, x + 3, y + 3)).area, 1e-6)
        self.assertEqual(apply(zoned, RemoveItem(id="Z1"))[0].board, d.board)
        anew = apply(zoned, route(zoned, fresh=True).edit)[0]
        self.assertEqual((codes(anew), figures(anew)["links_open"]), ([], 0))
        for sentence in ("zone low 1 1 5x5", "zone loud 1 1 5x5", "zone hand 1 1 0x5"):
            with self.assertRaises(VaneStepError):
                said(d, sentence)
