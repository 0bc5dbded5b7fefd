"""The router: judged by what it lays, with polygons drawn by other code than its own or the rule check's."""

from __future__ import annotations

import random
import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings, strategies as st

from tests.support import (
    CIDER,
    board,
    demo,
    design,
    folder,
    joined_nets,
    least_gap_breach,
    part,
    said,
    track,
)
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.track_width import bearing_layers
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design, Net, NetRule
from vane_step.core.quantity import nm
from vane_step.core.route import kernel
from vane_step.core.route.connection_search import NO_END, ConnectionSearch
from vane_step.core.route.grid import build
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.path import Routed, cost
from vane_step.core.route.router import route
from vane_step.core.route.search import search
from vane_step.data.shipped import rule_set


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


class FinePads(unittest.TestCase):
    """Pads that lie between the nodes of the grid."""

    def test_off_the_grid_by_any_amount(self) -> None:
        """Every pad of a fine plug is reached wherever it lies, on either side and turned; the copper passes the check."""
        for k in range(12):
            x, y, turn = 20 + 0.017 * k, 12 + 0.029 * k, (0, 90, 180)[k % 3]
            away = [part(f"R{n}", "CHIP-2012M", 5 + 7 * n, 30, side="front") for n in range(4)]
            # The grid lies under the pads that are most.
            away += [part(f"J{n}", "HDR-1x12", 20, 12 + 3.048 * n, turn=90) for n in (8, 10)]
            pins = ("A5", "B5", "A6", "B6")
            nets = {f"N{n}": f"J1.{pin} R{n}.1" for n, pin in enumerate(pins)}
            side = "back" if k % 2 else "front"
            d = design([part("J1", "USBC-16", x, y, turn, side=side), *away], nets, on=board(40, 46))
            rule = NetRule(width_nm=250_000, clearance_nm=200_000)
            d = d.replaced(nets={n: net.model_copy(update={"rule": rule}) for n, net in d.nets.items()})
            with self.subTest(x=x, y=y, turn=turn, side=side):
                laid = route(d)
                self.assertEqual(laid.links_made, laid.links_wanted)
                after = apply(d, laid.edit)[0]
                self.assertEqual([f.message for f in check(after).findings if f.level == "stop"], [])
