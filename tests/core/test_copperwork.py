"""Copper beside copper: nets kept to layers, vias that share a current, tracks that widen towards pads, drills."""

from __future__ import annotations

import math
import random
import unittest

import shapely
from hypothesis import given, settings, strategies as st
from shapely.geometry import LineString

from bench.ball_grids import ball_design
from tests.support import FROST, board, demo, design, laid, part, said, track, via
from vane_step.core.board.analysis.score import score
from vane_step.core.board.copper.figures import figures, steps_of
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.via_current import carried_a, via_groups
from vane_step.core.board.geometry.filled_vias import filled_vias
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.board.placement.gate_swap import channels, exchanged
from vane_step.core.circuit.pinmap import pin_map
from vane_step.core.design.edits import apply
from vane_step.core.design.model import CurrentNeed, Design, Net, NetRule, PadSpec, Pin, Pour
from vane_step.core.errors import EditRefused
from vane_step.core.fab.reader import read_gerber
from vane_step.core.fab.release import release
from vane_step.core.order.board_price import price_step
from vane_step.core.patterns.landpattern import pad_shape
from vane_step.core.power.trace import via_current_a
from vane_step.core.quantity import nm
from vane_step.core.route.router import route
from vane_step.core.solid.bodies import part_solids


def codes(d: Design) -> set[str]:
    return {f.code for f in check(d).findings}


def one_via(amps: float) -> Design:
    """Make a net that carries a current: a track on each layer and one via between them."""
    rule = NetRule(width_nm=1_000_000, clearance_nm=200_000, current=CurrentNeed(current_a=amps, rise_k=10))
    tracks = [
        track("T1", "A", 1.0, (5, 15), (20, 15)),
        track("T2", "A", 1.0, (20, 15), (35, 15), layer="back"),
    ]
    return Design(
        name="one via",
        board=board(),
        nets={"A": Net(name="A", rule=rule)},
        tracks={t.id: t for t in tracks},
        vias={"V1": via("V1", "A", 20, 15)},
    )


class KeptToLayers(unittest.TestCase):
    """A net's tracks run on the layers its rule names, but for the last way to a pad elsewhere."""

    def test_told_and_laid_anew(self) -> None:
        d = said(demo(FROST), "layers SDA back")
        self.assertIn("net-layer", codes(d))
        again = apply(d, route(d, nets={"SDA"}, fresh=True).edit)[0]
        self.assertEqual(check(again).stops, 0)
        self.assertNotIn("net-layer", codes(again))
        self.assertEqual(codes(said(d, "layers SDA all")), codes(demo(FROST)))
        with self.assertRaisesRegex(EditRefused, "no layer in1"):
            said(d, "layers SDA in1")


class ViasTogether(unittest.TestCase):
    """What vias carry together is held against the current, and more are laid where they are too few."""

    def test_one_is_too_few(self) -> None:
        one = via_current_a(0.3, 20, 10)
        d = one_via(2.5 * one)
        self.assertIn("via-current", codes(d))
        more = said(d, "vias A")
        self.assertEqual(len(more.vias), 3)
        self.assertNotIn("via-current", codes(more))
        self.assertFalse(codes(more) - codes(d))
        (group,) = via_groups(more, "A")
        self.assertAlmostEqual(carried_a(more, group, 10), 3 * one)
        with self.assertRaisesRegex(EditRefused, "already"):
            said(more, "vias A")


class Tapered(unittest.TestCase):
    """Steps at the ends of tracks break no rule, are not laid twice, and go as they came."""

    def test_steps_come_and_go(self) -> None:
        plain = demo(FROST)
        d = said(plain, "taper all")
        self.assertGreater(len(steps_of(d)), 100)
        self.assertEqual(check(d).findings, check(plain).findings)
        with self.assertRaises(EditRefused):
            said(d, "taper all")
        self.assertEqual(said(d, "taper all off").tracks, plain.tracks)


class Centring(unittest.TestCase):
    """A piece between two tracks of others slides to the middle of its room, whichever way it runs."""

    @settings(max_examples=20)
    @given(st.floats(0.22, 0.6), st.floats(0.22, 0.6), st.integers(0, 3), st.booleans())
    def test_between_two(self, left: float, right: float, turn: int, kept: bool) -> None:
        """It ends with the same room on both sides, the track as long as before; kept tracks and crowded ones stay."""
        wide = 0.2
        x0, x1 = 20 - wide - left, 20 + wide + right
        runs = {
            "T1": [(12, 12), (20, 12), (20, 18), (28, 18)],
            "T2": [(x0, 13), (x0, 17)],
            "T3": [(x1, 13), (x1, 17)],
        }
        nets = dict(zip(runs, "ABC", strict=True))
        quarter = [(1, 0), (0, 1), (-1, 0), (0, -1)][turn]
        tracks = {}
        for k, run in runs.items():
            spots = [
                (
                    20 + (x - 20) * quarter[0] - (y - 15) * quarter[1],
                    15 + (x - 20) * quarter[1] + (y - 15) * quarter[0],
                )
                for x, y in run
            ]
            tracks[k] = track(k, nets[k], wide, *spots).model_copy(update={"locked": kept and k == "T1"})
        rule = NetRule(width_nm=nm(wide), clearance_nm=nm(0.2))
        d = design([], nets=dict.fromkeys("ABC", ""), tracks=tracks)
        d = d.replaced(nets={k: n.model_copy(update={"rule": rule}) for k, n in d.nets.items()})
        try:
            after = said(d, "centre A")
        except EditRefused:
            self.assertTrue(kept or abs(left - right) < 0.05)
            return
        self.assertFalse(kept)
        rooms = [
            LineString(after.tracks["T1"].points).distance(LineString(d.tracks[k].points)) / 1e6 - wide
            for k in ("T2", "T3")
        ]
        self.assertAlmostEqual(rooms[0], rooms[1], delta=0.01)
        self.assertAlmostEqual(sum(rooms), left + right, delta=1e-5)
        self.assertAlmostEqual(figures(after)["track_length_mm"], figures(d)["track_length_mm"], delta=2e-3)
        self.assertEqual([f.code for f in check(after).findings if f.code in ("clearance", "short")], [])


class Drills(unittest.TestCase):
    """Holes are held against the drills there are, once a size."""

    def test_sizes(self) -> None:
        d = demo(FROST)
        sizes = {h.drill_nm for p in d.packages.values() for h in p.pads if h.drill_nm}
        have = " ".join(f"{s / 1e6:g}" for s in sorted({*sizes, *(v.drill_nm for v in d.vias.values())}))
        self.assertNotIn("drill-size", codes(said(d, f"drills {have} 3.2 3.3")))
        told = [f for f in check(said(d, f"drills {have} 3")).findings if f.code == "drill-size"]
        self.assertEqual([(f.reading, f.limit, f.sense) for f in told], [(3.2, 3.0, "at most")])
        row = said(design([part("J1", "HDR-1x11", 20, 15)]), "drills 3")
        self.assertIn(
            "which 11 holes want", next(f.message for f in check(row).findings if f.code == "drill-size")
        )


class Stencil(unittest.TestCase):
    """Openings whose walls hold more paste than the pad are told, by the area of the shape itself."""

    @settings(max_examples=40)
    @given(st.floats(0.2, 0.6), st.floats(0.2, 2.0), st.sampled_from(["rect", "round"]))
    def test_area_ratio(self, w: float, h: float, shape: str) -> None:
        d = design([part("R1", "CHIP-1608M", 20, 15)])
        pack = d.packages["CHIP-1608M"]
        pads = tuple(
            PadSpec(number=p.number, x_nm=p.x_nm, y_nm=p.y_nm, width_nm=nm(w), height_nm=nm(h), shape=shape)  # type: ignore[arg-type]
            for p in pack.pads
        )
        outline = pad_shape(pads[0])
        ratio = outline.area / (outline.length * 0.12)
        if abs(ratio - 0.66) > 0.01:
            found = codes(d.replaced(packages={pack.name: pack.model_copy(update={"pads": pads})}))
            self.assertEqual("paste-opening" in found, ratio < 0.66)


class HalfHoles(unittest.TestCase):
    """Plated holes on the edge are routed to, released and told when they lie off it or cannot be made."""

    def test_a_module(self) -> None:
        pairs = {f"N{k}": f"J1.{k} J2.{k}" for k in range(1, 9)}
        d = said(
            design([part("J1", "EDGE-8-P254", 20, 15), part("J2", "HDR-1x8", 20, 15)], pairs), "edge J1 left"
        )
        laid = apply(d, route(d).edit)[0]
        self.assertEqual(check(laid).findings, ())
        self.assertEqual(part_solids(laid.packages["EDGE-8-P254"], 1.6), [], "no lead stands in a half hole")
        self.assertEqual(release(laid, "2026-11-26T12:00:00Z").read.differences, ())
        self.assertIn("off-edge", codes(said(laid, "place J1 1 15 270")))
        none = laid.board.rules.model_copy(update={"edge_drill_nm": 0})
        self.assertIn("edge-hole", codes(laid.replaced(board=laid.board.model_copy(update={"rules": none}))))


class Channels(unittest.TestCase):
    """Equal channels are exchanged as wholes, links get shorter, and crossed ones come undone."""

    @settings(max_examples=10)
    @given(st.permutations(range(1, 8)))
    def test_a_driver_array(self, order: list[int]) -> None:
        roles = ["GND ground", *(f"IN{k} input" for k in range(1, 8))]
        roles += [*(f"OUT{k} open-drain" for k in range(7, 0, -1)), "COM passive"]
        pins = [Pin(number=str(k + 1), name=n.split()[0], role=n.split()[1]) for k, n in enumerate(roles)]  # type: ignore[arg-type]
        array = part("U1", "SOIC-16", 20, 15).model_copy(update={"pins": tuple(pins)})
        nets = {f"A{k}": f"J1.{k} U1.{1 + c}" for k, c in enumerate(order, 1)}
        nets |= {f"B{k}": f"J2.{k} U1.{16 - c}" for k, c in enumerate(order, 1)}
        d = design([array, part("J1", "HDR-1x7", 5, 15), part("J2", "HDR-1x7", 35, 15)], nets)
        found = exchanged(d, "U1")
        after = apply(d, found.edit)[0] if found else d
        self.assertEqual(score(after).crossings, 0)
        if found:
            self.assertAlmostEqual(score(d).link_mm - score(after).link_mm, found.link_mm)
            self.assertEqual(said(d, "exchange all").nets, after.nets)
        channel = {**{str(1 + c): c for c in range(1, 8)}, **{str(16 - c): c for c in range(1, 8)}}
        for k in range(1, 8):
            ways = [next(p for p in after.nets[f"{side}{k}"].pins if p.startswith("U1.")) for side in "AB"]
            self.assertEqual(len({channel[w.partition(".")[2]] for w in ways}), 1, "in and out stay together")
        self.assertEqual(channels(demo(FROST).parts["U1"]), [], "a controller's ports are no channels")


class Prices(unittest.TestCase):
    """A board is priced by the cheapest step it fits into, either way round, and told what the next one asks."""

    @given(st.floats(10, 240), st.floats(10, 190), st.sampled_from([1, 2]))
    def test_the_cheapest_that_holds_it(self, w: float, h: float, layers: int) -> None:
        d = Design(name="priced", board=board(round(w, 2), round(h, 2), layers))
        step, turned = price_step(d, (0, 0, w, h)), price_step(d, (0, 0, h, w))
        assert step and turned
        self.assertEqual(step.now, turned.now)
        for p in d.board.rules.prices:
            sides, most = sorted((nm(w), nm(h))), sorted((p.width_nm, p.height_nm))
            if p.copper_layers == layers and sides[0] <= most[0] and sides[1] <= most[1]:
                self.assertLessEqual(step.now.price, p.price)
        if step.below:
            smaller = price_step(d, (0, 0, w - step.over_mm[0], h - step.over_mm[1]))
            assert smaller
            self.assertLessEqual(smaller.now.price, step.below.price)


class TracksInPours(unittest.TestCase):
    """A thin track along a wide pour of its net carries no current alone; where the pour is thin, it is told."""

    def test_only_narrow_copper_is_hot(self) -> None:
        """5 A along 0.3 mm: hot alone and in a pour of 1 mm, not in one of 20 mm; cut to 1 mm at one place, hot again."""
        parts = [part("J1", "TERM-2", 10, 15), part("J2", "TERM-2", 40, 15)]
        d = said(design(parts, {"VIN": "J1.1 J2.1"}, board(50, 30)), "width VIN 5A 20K")
        ends = [(i.x_mm, i.y_mm) for i in copper_items(d) if i.net == "VIN"]
        d = d.replaced(tracks={"T1": track("T1", "VIN", 0.3, *ends)})
        y = ends[0][1]

        def pour(*points: tuple[float, float]) -> Design:
            ring = tuple((nm(a), nm(b)) for a, b in points)
            return d.replaced(pours={"P1": Pour(id="P1", net="VIN", layer="front", area=ring)})

        wide = pour((5, y - 10), (45, y - 10), (45, y + 8), (5, y + 8))
        thin = pour((5, y - 0.5), (45, y - 0.5), (45, y + 0.5), (5, y + 0.5))
        waist = pour(
            *((5, y - 10), (24, y - 10), (24, y - 0.5), (26, y - 0.5), (26, y - 10), (45, y - 10)),
            *((45, y + 8), (26, y + 8), (26, y + 0.5), (24, y + 0.5), (24, y + 8), (5, y + 8)),
        )
        hot = ["track-current" in codes(x) for x in (d, wide, thin, waist)]
        self.assertEqual(hot, [True, False, True, True])


class Banks(unittest.TestCase):
    """Pins that a part says are alike take each other's nets, so that fewer connections cross."""

    def test_crossings_untie(self) -> None:
        """A grid whose nets were shuffled over its balls: no crossing is left, each net keeps a ball, and all is told."""
        d = ball_design(5, 5, 0.8, 0.45, "four-layer-house")
        nets = list(d.nets)
        balls = [d.nets[n].pins[0] for n in nets]
        random.Random(3).shuffle(balls)
        mixed = {
            n: d.nets[n].model_copy(update={"pins": (ball, *d.nets[n].pins[1:])})
            for n, ball in zip(nets, balls, strict=True)
        }
        d = said(d.replaced(nets=mixed), "bank " + " ".join(sorted(balls)) + " as A")
        self.assertGreater(score(d).crossings, 30)
        with self.assertRaises(EditRefused):
            exchanged(d, "J1")
        found = exchanged(d, "U1")
        assert found is not None
        after = apply(d, found.edit)[0]
        self.assertEqual(score(after).crossings, 0)
        self.assertEqual({n.pins[1] for n in after.nets.values()}, {n.pins[1] for n in d.nets.values()})
        self.assertEqual({p for n in after.nets.values() for p in n.pins[:1]}, set(balls))
        told = {(net, new) for net, _, new in found.moves}
        mapped = {(net, f"U1.{pin}") for _, pin, _, net, *_ in pin_map(after, "U1")}
        self.assertLessEqual(told, mapped)
        # Only pins of one role change places.
        driven = said(d, f"pin {balls[0]} OUT output")
        kept = exchanged(driven, "U1")
        assert kept is not None
        self.assertEqual(apply(driven, kept.edit)[0].net_of(balls[0]), driven.net_of(balls[0]))


class ThermalPads(unittest.TestCase):
    """Vias through pads that carry heat, between the panes of their paste; marks for the machine that places fine parts."""

    def test_a_shut_in_pad_and_marks(self) -> None:
        """A thermal pad walled in by its pins is led out by vias between the panes; marks are bare, open and without paste."""
        parts = [part("U1", "QFN-48", 20, 15, 30), part("J1", "HDR-1x4", 35, 15)]
        d = said(design(parts, {"GND": "U1.49 J1.1", "A": "U1.1 J1.2"}, board(50, 40)), "role GND ground")
        [wanted] = [f for f in check(d).findings if f.code == "no-fiducials"]
        assert wanted.remedy
        done = laid(said(d, "pour GND front", "pour GND back", wanted.remedy.ask))
        self.assertEqual([f.message for f in check(done).findings], [])
        made = release(done, "2026-11-29T00:00:00Z")
        self.assertEqual(made.read.differences, ())
        layers = {
            kind: read_gerber(
                next(t for n, t in made.files.items() if n.endswith(f"-{kind}-front.gbr")), kind
            ).image
            for kind in ("copper", "mask", "paste")
        }
        marks = [p.place for p in done.parts.values() if p.ref.startswith("FD")]
        self.assertEqual(len(marks), 3)
        for mark in marks:
            assert mark is not None
            here = shapely.Point(mark.x_nm / 1e6, mark.y_nm / 1e6)
            self.assertAlmostEqual(
                layers["copper"].intersection(here.buffer(1.0)).area, math.pi / 4, delta=0.01
            )
            self.assertAlmostEqual(layers["mask"].intersection(here.buffer(1.3)).area, math.pi, delta=0.02)
            self.assertGreater(layers["paste"].distance(here), 1.0)
        self.assertNotIn("FD1", "".join(t for n, t in made.files.items() if n.endswith("-parts.csv")))

    @given(st.sampled_from(["front", "back"]), st.sampled_from([0, 30, 90, 271]))
    @settings(max_examples=8, deadline=None)
    def test_no_hole_meets_paste(self, side: str, turn: float) -> None:
        """Turned or underneath: paste covers about half in panes, every hole lies between them, the files say the same."""
        other = "back" if side == "front" else "front"
        d = design([part("U1", "QFN-48", 20, 15, turn, side=side)], {"GND": "U1.49"})
        d = said(d, "role GND ground", f"pour GND {other}")
        bare = next(f for f in check(d).findings if f.code == "thermal-vias")
        assert bare.remedy
        done = said(d, bare.remedy.ask)
        self.assertEqual((len(done.vias), codes(done)), (16, {"no-fiducials"}))
        fills = done.board.rules.model_copy(update={"fills_vias": True})
        self.assertEqual(
            filled_vias(done.replaced(board=done.board.model_copy(update={"rules": fills}))), frozenset()
        )
        made = release(done, "2026-11-29T00:00:00Z")
        self.assertEqual(made.read.differences, ())
        paste = next(
            read_gerber(t, n).image for n, t in made.files.items() if n.endswith(f"-paste-{side}.gbr")
        )
        middle = shapely.Point(20, 15).buffer(2.6)
        self.assertTrue(0.45 < paste.intersection(middle).area / middle.area < 0.65)
        for hole in done.vias.values():
            self.assertGreater(paste.distance(shapely.Point(hole.x_nm / 1e6, hole.y_nm / 1e6)), 0.13)


if __name__ == "__main__":
    unittest.main()
