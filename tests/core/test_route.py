"""The router: judged by what it lays, with polygons drawn by other code than its own or the rule check's."""

from __future__ import annotations

import random
import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings, strategies as st

from tests.support import (
    BEEPER,
    CIDER,
    FROST,
    board,
    demo,
    design,
    folder,
    joined_nets,
    least_gap_breach,
    part,
    routed,
    said,
    track,
)
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.track_width import bearing_layers
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import Design, MountingHole, Net, NetRule, Pour
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm
from vane_step.core.route import kernel
from vane_step.core.route.connection_search import NO_END, ConnectionSearch
from vane_step.core.route.grid import build
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.path import Routed, cost
from vane_step.core.route.router import _without_breaches, route
from vane_step.core.route.search import search
from vane_step.data.shipped import rule_set


def laid(d: Design, **how: object) -> Design:
    """Route a design and lay the result."""
    return apply(d, route(d, **how).edit)[0]  # type: ignore[arg-type]


class RealBoards(unittest.TestCase):
    """Boards from exchange folders."""

    def judge(self, d: Design) -> None:
        """Complete, no breach by the rule check, and none by drawn polygons."""
        self.assertEqual(figures(d)["links_open"], 0)
        self.assertEqual([f.message for f in check(d).findings if f.level == "stop"], [])
        self.assertGreaterEqual(least_gap_breach(d), -1e-5)
        if not d.jumpers:
            self.assertEqual({n for n, k in joined_nets(d).items() if k > 1}, set())

    def test_two_layers(self) -> None:
        """15 and 40 surface-mount parts are routed whole."""
        for name in ("smd2L_015_s1", "smd2L_040_s1"):
            with self.subTest(name):
                self.judge(routed(name))

    def test_one_layer(self) -> None:
        """40 through-hole parts on one layer: copper on the back, no vias, wires straight and of allowed length."""
        d = routed("th1L_040_s1")
        self.judge(d)
        self.assertEqual({t.layer for t in d.tracks.values()}, {"back"})
        self.assertFalse(d.vias)
        for j in d.jumpers.values():
            self.assertTrue(j.a[0] == j.b[0] or j.a[1] == j.b[1], "a wire is straight along a row or column")

    def test_same_input_same_copper(self) -> None:
        """Routing again gives the same bytes."""
        self.assertEqual(to_json(laid(folder("smd2L_015_s1"))), to_json(routed("smd2L_015_s1")))

    def test_demo_designs_route_afresh(self) -> None:
        """Lifted and laid anew, the demo boards come out whole and clean."""
        for name, jumpers in ((FROST, 0), (BEEPER, 2)):
            d = laid(demo(name), fresh=True)
            with self.subTest(name):
                self.judge(d.replaced(pours={}) if name == BEEPER else d)
                self.assertLessEqual(len(d.jumpers), jumpers)


class Planes(unittest.TestCase):
    """Layers kept for planes: only their nets' vias go there, and everything is joined through them."""

    def test_four_layers_afresh(self) -> None:
        """The press logger routed anew: whole, clean, no track on its planes; its ground is joined by them alone."""
        d = demo(CIDER)
        again = laid(d, fresh=True)
        found = check(again)
        self.assertEqual(
            (found.figures["links_open"], found.stops), (0, 0), [f.message for f in found.findings]
        )
        self.assertGreaterEqual(least_gap_breach(again), -1e-5)
        self.assertNotIn("acute-corner", {f.code for f in found.findings})
        planes = {(p.layer, p.net) for p in d.pours.values() if p.plane}
        on_planes = {(t.layer, t.net) for t in again.tracks.values() if t.layer in ("in1", "in2")}
        self.assertLessEqual(on_planes, planes)
        without = check(again.replaced(pours={})).figures["links_open"]
        self.assertGreater(without, 40)

    def test_a_plane_out_of_reach(self) -> None:
        """Pads far from a small plane still get there, on layers that are free; other nets do not cross it."""
        d = demo(CIDER)
        box = tuple((nm(x), nm(y)) for x, y in ((2, 2), (14, 2), (14, 14), (2, 14)))
        small = {k: p for k, p in d.pours.items() if p.layer == "in1"}
        small = {k: p.model_copy(update={"net": "5V0", "area": box}) for k, p in small.items()}
        bare = d.replaced(pours=small, tracks={}, vias={})
        done = apply(bare, route(bare, nets={"5V0", "SDA"}).edit)[0]
        self.assertEqual(
            [f for f in check(done).findings if f.code == "unrouted" and f.place.net in ("5V0", "SDA")], []
        )
        self.assertNotIn("SDA", {t.net for t in done.tracks.values() if t.layer == "in1"})


def random_board(seed: int) -> Design:
    """Make a board of chips, transistors and headers scattered on a lattice, joined at random with various rules."""
    pick = random.Random(seed)
    packs = [
        pick.choice(["CHIP-2012M", "CHIP-1608M", "SOT-23", "SOIC-8", "HDR-1x3"])
        for _ in range(pick.randrange(2, 10))
    ]
    spots = pick.sample([(6 + 9.5 * i, 6 + 9 * j) for i in range(4) for j in range(3)], len(packs))
    parts = [
        part(
            f"U{k}",
            p,
            *at,
            turn=pick.choice([0, 90, 180, 270, 45]),
            side=pick.choice(["front", "front", "back"]),
        )
        for k, (p, at) in enumerate(zip(packs, spots, strict=True))
    ]
    pins = [f"{p.ref}.{x.number}" for p in parts for x in p.pins]
    pick.shuffle(pins)
    nets: dict[str, Net] = {}
    while len(pins) > 3:
        name = f"N{len(nets)}"
        count = pick.randrange(2, 5)
        rule = NetRule(
            width_nm=nm(pick.choice([0.2, 0.3, 0.6])),
            clearance_nm=nm(pick.choice([0.15, 0.2, 0.3])),
            neck_width_nm=nm(0.2),
            neck_length_nm=nm(2),
        )
        nets[name] = Net(name=name, pins=tuple(pins[:count]), rule=pick.choice([rule, None]))
        pins = pins[count:]
    layers = pick.choice([2, 2, 4])
    rules = rule_set("standard-house" if layers == 2 else "four-layer-house")
    return design(parts, on=board(42, 30, layers, rules)).replaced(nets=nets)


class RandomBoards(unittest.TestCase):
    """Whatever is asked, what is laid is legal and what is told is true."""

    @settings(max_examples=12)
    @given(st.integers(0, 2**32))
    def test_never_a_breach(self, seed: int) -> None:
        """No copper breaks a rule, complete or not; the links told as made are made."""
        d = random_board(seed)
        before = figures(d)["links_open"]
        result = route(d)
        after = apply(d, result.edit)[0]
        self.assertGreaterEqual(least_gap_breach(after), min(least_gap_breach(d), 0) - 1e-5)
        bad = (
            {f.code for f in check(after).findings if f.level == "stop" or f.code == "acute-corner"}
            - {f.code for f in check(d).findings}
            - {"unrouted"}
        )
        self.assertEqual(bad, set())
        self.assertEqual(
            result.links_wanted - result.links_made, sum(k - 1 for k in joined_nets(after).values() if k > 1)
        )
        self.assertEqual(before - result.links_made, figures(after)["links_open"])


class Currents(unittest.TestCase):
    """Layers that bear what a net carries."""

    def test_thin_inner_copper_is_left_to_others(self) -> None:
        """A net whose width bears its current outside only is routed outside only, and no track of it runs hot."""
        d = demo(CIDER)
        d = d.replaced(pours={}, tracks={}, vias={})
        name = max((n for n in d.nets.values() if n.role == "signal"), key=lambda n: len(n.pins)).name
        d = said(d, f"current {name} 700mA", f"width {name} 0.25mm")
        rule = d.rule_of(name)
        self.assertEqual(bearing_layers(d, rule), ("front", "back"))
        edit = route(d, nets={name}).edit
        self.assertTrue([t for t in edit.tracks if t.net == name])
        self.assertFalse({t.layer for t in edit.tracks if t.net == name} - {"front", "back"})
        after, _ = apply(d, edit)
        hot = [f for f in check(after).findings if f.code == "track-current" and f.place.net == name]
        self.assertFalse([f for f in hot if f.level == "stop"])


class Wishes(unittest.TestCase):
    """What the user asked for is kept."""

    def pair(self) -> Design:
        """Give two chips with two nets between them."""
        parts = [part("R1", "CHIP-2012M", 10, 15), part("R2", "CHIP-2012M", 30, 15)]
        return design(parts, {"A": "R1.2 R2.1", "B": "R1.1 R2.2"})

    def test_only_some_nets(self) -> None:
        """Routing one net leaves the others open."""
        d = laid(self.pair(), nets={"A"})
        self.assertEqual({t.net for t in d.tracks.values()}, {"A"})
        self.assertEqual(figures(d)["links_open"], 1)

    def test_locked_copper_stays(self) -> None:
        """Routing afresh lifts what is free and goes round what is locked."""
        wall = track("T1", "B", 0.3, (20, 2), (20, 28)).model_copy(update={"locked": True})
        free = track("T2", "A", 0.3, (11, 15), (14, 20))
        d = laid(apply(self.pair(), LayCopper(tracks=(wall, free)))[0], fresh=True)
        self.assertEqual(d.tracks["T1"], wall)
        self.assertNotIn(free, d.tracks.values())
        self.assertEqual(figures(d)["links_open"], 0)
        self.assertTrue(d.vias, "the wall can only be crossed on the other layer")

    def test_existing_copper_is_used(self) -> None:
        """A track laid by hand becomes part of the route: little is added to it."""
        own = track("T1", "A", 0.25, (11, 15), (28, 15))
        d = laid(apply(self.pair(), LayCopper(tracks=(own,)))[0], nets={"A"})
        self.assertEqual(figures(d)["links_open"], 1)
        added = figures(d)["track_length_mm"] - 17
        self.assertLess(added, 3)

    def test_no_way_is_told(self) -> None:
        """Walled in on one layer without wires, the link stays open, and nothing illegal is laid."""
        rules = rule_set("kitchen-table").model_copy(update={"jumper": None})
        parts = [part("J1", "HDR-1x2", 8, 15), part("J2", "HDR-1x2", 32, 15)]
        d = design(parts, {"A": "J1.1 J2.1", "B": "J1.2"}, board(layers=1, rules=rules))
        wall = track("T1", "B", 0.6, (20, 0.9), (20, 29.1), layer="back")
        d = apply(d, LayCopper(tracks=(wall,)))[0]
        result = route(d)
        self.assertEqual((result.links_wanted, result.links_made), (1, 0))
        self.assertEqual(check(apply(d, result.edit)[0]).stops, check(d).stops)

    def test_stopping_keeps_what_is_done(self) -> None:
        """Stopped at the first word of progress, what is laid is still legal."""
        heard: list[tuple[int, int]] = []

        def stop(done: int, total: int) -> bool:
            heard.append((done, total))
            return False

        d = folder("smd2L_040_s1")
        result = route(d, progress=stop)
        self.assertGreaterEqual(len(heard), 1)
        self.assertGreater(result.links_made, 0)
        self.assertEqual(
            {f.code for f in check(apply(d, result.edit)[0]).findings if f.level == "stop"} - {"unrouted"},
            set(),
        )

    def test_pours_are_filled_round_the_tracks(self) -> None:
        """A ground pour does not stand in the way; it joins what it reaches and is never too near."""
        d = self.pair().replaced(pours={"p": Pour(id="p", net="B", layer="back")})
        after = laid(d)
        self.assertEqual([f for f in check(after).findings if f.level == "stop"], [])

    def test_quiet_zones_are_gone_round(self) -> None:
        """No track of a net without a pad in a quiet zone crosses it, unless there is no other way."""
        d = said(demo(FROST), "zone quiet 27 34 12x12")
        self.assertIn("quiet-zone", {f.code for f in check(d).findings})
        after = laid(d, fresh=True)
        self.assertEqual({f.code for f in check(after).findings} & {"quiet-zone", "unrouted"}, set())
        pairs = {f"N{k}": f"J1.{k} J2.{k}" for k in range(1, 4)}
        two = design([part("J1", "HDR-1x3", 10, 15), part("J2", "HDR-1x3", 30, 15)], pairs)
        wall = said(two, "zone quiet 19 0 2x30")
        across = laid(wall, fresh=True)
        self.assertEqual({f.level for f in check(across).findings if f.code == "quiet-zone"}, {"look"})
        self.assertEqual(check(across).stops, 0)

    def test_what_breaches_is_lifted(self) -> None:
        """At the last, copper that breaks a rule is not laid, also where the breach is told far from it; the rest is."""
        hole = MountingHole(id="H1", x_nm=nm(20), y_nm=nm(25), drill_nm=nm(3), keepout_nm=nm(4))
        d = self.pair().replaced(holes={"H1": hole})
        bad, good = track("T1", "A", 0.3, (16, 21.8), (24, 21.8)), track("T2", "B", 0.3, (5, 5), (9, 5))
        kept = _without_breaches(d, LayCopper(tracks=(bad, good)), set())
        self.assertEqual(kept.tracks, (good,))

    def test_too_large(self) -> None:
        """A board beyond the grid is refused with what is allowed."""
        with self.assertRaises(EditRefused):
            route(design([part("R1", "CHIP-2012M", 10, 10)], {"A": "R1.1 R1.2"}, board(900, 900)))


class Blocked(unittest.TestCase):
    """A link that finds no way says what is in it."""

    def test_what_is_in_the_way(self) -> None:
        """Two nets that must cross on one layer without wires: one is laid, and is named as what blocks the other."""
        rules = rule_set("standard-house").model_copy(update={"jumper": None, "copper_layers": (1,)})
        strip = board(30, 5, 1, rules)
        parts = [part("J1", "HDR-1x2", 4, 2.5), part("J2", "HDR-1x2", 26, 2.5)]
        crossed = design(parts, {"A": "J1.1 J2.2", "B": "J1.2 J2.1"}, strip)
        wide = {
            n: net.model_copy(update={"rule": NetRule(width_nm=nm(0.9), clearance_nm=nm(0.3))})
            for n, net in crossed.nets.items()
        }
        result = route(crossed.replaced(nets=wide))
        self.assertEqual((result.links_made, result.links_wanted), (1, 2))
        (blocked,) = result.blocked
        self.assertEqual({blocked.net, *blocked.by}, {"A", "B"})
        self.assertIn("unroute or move", result.why)

    def test_shut_in(self) -> None:
        """A pad inside a ring of kept copper has no way, and no net is blamed for it."""
        parts = [part("R1", "CHIP-2012M", 10, 15), part("R2", "CHIP-2012M", 30, 15)]
        ring = track("T1", "B", 0.3, (6, 11), (14, 11), (14, 19), (6, 19), (6, 11)).model_copy(
            update={"locked": True}
        )
        d = design(
            parts,
            {"A": "R1.2 R2.1", "B": ""},
            board(
                40,
                30,
                1,
                rule_set("standard-house").model_copy(update={"jumper": None, "copper_layers": (1,)}),
            ),
        )
        d = d.replaced(
            parts={
                r: p.model_copy(update={"place": p.place.model_copy(update={"side": "back"})})
                for r, p in d.parts.items()
                if p.place
            },
            tracks={"T1": ring.model_copy(update={"layer": "back"})},
        )
        result = route(d)
        self.assertEqual((result.links_made, result.blocked[0].by), (0, ()))
        self.assertIn("shut in", result.why)


class WayAhead(unittest.TestCase):
    """The estimate over blocks makes searches short, and ways no worse to speak of than the cheapest."""

    def test_against_the_cheapest(self) -> None:
        """Among copper of half the nets, every link costs what it must, or little more, for far fewer places."""
        problem = build(folder("smd2L_080_s1"), None, ())
        run = ConnectionSearch(Occupancy(problem))
        run.weight = 1.0
        jobs = sorted(problem.jobs, key=lambda j: j.name)
        for job in jobs[::2]:
            run.occupancy.hold(run.route_net(Routed(job), hard=True))
        places = {True: 0, False: 0}
        costs: dict[bool, list[float]] = {True: [], False: []}

        def counted(*args: object) -> tuple[int, int]:
            end, expanded = search(*args)
            places[run.looks is plain] += expanded
            return end, expanded

        plain, ahead = ((0, NO_END),), ((400, NO_END),)
        with mock.patch("vane_step.core.route.connection_search.search", counted):
            for looks in (plain, ahead):
                run.looks = looks
                for job in jobs[1::2]:
                    if len(job.terminals) == 2:
                        found = run.route_net(Routed(job), hard=True)
                        costs[looks is plain].append(cost(found) if not found.failed else -1)
        self.assertGreater(len(costs[True]), 20)
        for best, got in zip(costs[True], costs[False], strict=True):
            self.assertEqual(best < 0, got < 0, "a way is found where there is one")
            self.assertGreaterEqual(got, best - 1e-3)
        self.assertLess(sum(costs[False]), 1.08 * sum(costs[True]))
        self.assertLess(places[False], places[True] / 3)


class Halos(unittest.TestCase):
    """What lies round copper, against the distance of every cell from every piece."""

    def test_levels(self) -> None:
        """Each cell is listed once for each layer, with the number of classes it is too near for, and no other is."""
        pick, (w, h), sag = random.Random(1), (48, 40), 0.7
        mark, tag = np.zeros(w * h, dtype=np.int64), 1
        xs, ys = np.meshgrid(np.arange(w), np.arange(h))
        for _ in range(40):
            layers = pick.choice([1, 2, 4])
            rows = []
            for _ in range(pick.randint(1, 5)):
                x, y, n = pick.randrange(w), pick.randrange(h), pick.randint(0, 25)
                dx, dy = pick.choice([(1, 0), (0, 1), (1, 1), (-1, 1), (0, 0)])
                rows.append(
                    (pick.randint(-1, layers - 1), x, y, x + n * dx, y + n * dy, pick.choice([0.5, 0.8]))
                )
            pieces, reach, round_all = (
                np.array(rows, dtype=float),
                np.array([2.0, 2.5, 4.0]),
                np.array([2.2, 3.1]),
            )
            cells, levels, ends = kernel.halos(mark, tag, pieces, layers, reach, round_all, sag, w, h)
            tag += layers + 1
            for k, first in enumerate([0, *ends[:-1]]):
                wanted = np.zeros((h, w), dtype=int)
                for layer, ax, ay, bx, by, half in rows:
                    if k == layers or layer in (-1, k):
                        square = (bx - ax) ** 2 + (by - ay) ** 2
                        t = ((xs - ax) * (bx - ax) + (ys - ay) * (by - ay)) / (square or 1)
                        off = np.where((t <= 1e-9) | (t >= 1 - 1e-9), sag * sag, 0.0)
                        t = t.clip(0, 1)
                        d = np.hypot(xs - ax - t * (bx - ax), ys - ay - t * (by - ay)) ** 2 - off
                        minds = sum(
                            (d < (r + half - 1e-9) ** 2).astype(int)
                            for r in (round_all if k == layers else reach)
                        )
                        wanted = np.maximum(wanted, minds)
                found = np.zeros(w * h, dtype=int)
                found[cells[first : ends[k]]] = levels[first : ends[k]]
                self.assertEqual(len(set(cells[first : ends[k]].tolist())), ends[k] - first)
                self.assertTrue((found.reshape(h, w) == wanted).all())
