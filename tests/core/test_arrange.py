"""Arrangements: held against shapes and links worked out by other code than the annealing's."""

from __future__ import annotations

import itertools
import re
import unittest

import numpy as np
from hypothesis import given, settings, strategies as st
from shapely.geometry import LineString

from bench.full_boards import random_design, stamp
from tests.support import BEEPER, FROST, board, circuit, demo, design, folder, resources, said
from vane_step.core.board.analysis.score import crossings, score, scoreboard
from vane_step.core.board.analysis.separation import loud_parts, too_near
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.decoupling import nearness_findings
from vane_step.core.board.geometry.bypass_distance import nearest_bypass
from vane_step.core.board.geometry.mouth import mouth_at, mouth_of
from vane_step.core.board.geometry.shapes import bodies, courtyards, outline, zone_shape
from vane_step.core.board.placement.ground import room_for
from vane_step.core.board.placement.groups import groups
from vane_step.core.board.placement.placer import arrange, propose
from vane_step.core.circuit.bypass import bypass_pairs, is_connector
from vane_step.core.design.edits import PlaceParts, SetOutline, apply
from vane_step.core.design.model import Brief, Design, split_pin
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm
from vane_step.core.route.router import route


def taken(d: Design, **how: object) -> Design:
    """Take the best of what is proposed."""
    return apply(d, propose(d, **how)[0].edit)[0]  # type: ignore[arg-type]


class Proposals(unittest.TestCase):
    def judge(self, before: Design, after: Design) -> None:
        """Everything has a place of its own on the board, and nothing was changed but places and loose copper."""
        yards = courtyards(after)
        self.assertEqual(set(yards), set(before.parts))
        board = outline(after)
        for ref, yard in yards.items():
            if before.parts[ref].place != after.parts[ref].place:
                self.assertTrue(board.covers(yard), ref)
        for (one, a), (two, b) in itertools.combinations(yards.items(), 2):
            if (
                before.parts[one].place != after.parts[one].place
                or before.parts[two].place != after.parts[two].place
            ):
                self.assertLess(a.intersection(b).area, 1e-6, f"{one} {two}")
        self.assertEqual(
            [f.message for f in check(after).findings if f.level == "stop" and f.code != "unrouted"], []
        )
        self.assertEqual((before.nets, before.board), (after.nets, after.board))

    def test_from_nowhere(self) -> None:
        """Parts that have no place get one: better than by the first free place, and routed whole."""
        given_board = folder("smd2L_015_s1")
        d = apply(
            given_board, PlaceParts(places={r: None for r, p in given_board.parts.items() if len(p.pins) > 1})
        )[0]
        after = taken(d, count=2, effort=0.5)
        self.judge(d, after)
        self.assertLess(score(after).worth, 1.1 * score(given_board).worth)
        far = [
            outline(after).exterior.distance(courtyards(after)[r])
            for r in d.parts
            if is_connector(d, d.parts[r])
        ]
        self.assertLess(sorted(far)[-2], 5.0, "six connectors take up most of the edge: one may be left out")
        result = route(after)
        self.assertEqual(result.links_made, result.links_wanted)

    def test_kept_parts_stay(self) -> None:
        """What is locked stays where it is, and its copper is lifted only where a part of its net moved."""
        d = demo(FROST)
        keep = {
            r: p.place.model_copy(update={"locked": True})
            for r, p in d.parts.items()
            if p.place and r != "R1"
        }
        locked = apply(d, PlaceParts(places=keep))[0]
        after = taken(locked, count=1, effort=0.2)
        self.judge(locked, after)
        self.assertEqual({r for r in d.parts if locked.parts[r] != after.parts[r]}, {"R1"})
        moved = {n for n, net in d.nets.items() if any(p.startswith("R1.") for p in net.pins)}
        self.assertEqual(
            {t.net for k, t in d.tracks.items() if k not in after.tracks},
            moved & {t.net for t in d.tracks.values()},
        )
        everything = apply(
            locked, PlaceParts(places={"R1": locked.parts["R1"].place.model_copy(update={"locked": True})})
        )[0]
        with self.assertRaises(EditRefused):
            propose(everything)

    def test_same_seed_same_places(self) -> None:
        """A round board, one layer: the same seed gives the same places, and a stop keeps what is made."""
        d = demo(BEEPER)
        one, two = (propose(d, 2, seed=5, effort=0.1, progress=lambda done, _: done < 1) for _ in range(2))
        self.assertEqual([a.edit for a in one], [a.edit for a in two])
        self.assertEqual(len(one), 1)
        self.judge(d, apply(d, one[0].edit)[0])

    def test_zones_and_shy_parts(self) -> None:
        """Tall parts keep out of low zones, loud ones out of quiet ones, and what heats or radiates lies apart."""
        d = said(demo(FROST), "zone low 50 1 20x10 3", "zone quiet 2 28 26x14")
        low, quiet = (zone_shape(z) for z in d.board.zones)
        after = taken(d, count=1, tidy=False, effort=0.5)
        yards = courtyards(after)
        tall = {r for r, p in d.parts.items() if d.packages[p.package].height_nm > 3_000_000}
        self.assertTrue(tall and loud_parts(d))
        self.assertEqual({r for r in tall if yards[r].intersection(low).area > 0.3}, set())
        self.assertEqual({r for r in loud_parts(d) if yards[r].intersection(quiet).area > 0.3}, set())
        self.assertLess(len(too_near(after)), len(too_near(d)))
        self.assertLess(sum(far - gap for _, _, gap, far in too_near(after)), 4.0)


class LaidAsOne(unittest.TestCase):
    """What is alike lies alike."""

    def test_keys_on_their_grid(self) -> None:
        """Sixteen keys with their diodes stand in rows and columns of one pitch, the first row above, every cell alike."""
        d = circuit("key pad")
        after = apply(d, arrange(d))[0]
        at = {r: (p.place.x_nm, p.place.y_nm) for r, p in after.parts.items() if p.place}
        rows = [[at[f"S{4 * r + c + 1}"] for c in range(4)] for r in range(4)]
        pitch = rows[0][1][0] - rows[0][0][0]
        for r, row in enumerate(rows):
            for c, (x, y) in enumerate(row):
                self.assertEqual(
                    (x - rows[0][0][0], y - rows[0][0][1]), (c * pitch, -r * (rows[0][0][1] - rows[1][0][1]))
                )
        apart = {(at[f"D{k}"][0] - at[f"S{k}"][0], at[f"D{k}"][1] - at[f"S{k}"][1]) for k in range(1, 17)}
        self.assertEqual(len(apart), 1)
        self.assertLess(pitch, nm(14))

    def test_channels(self) -> None:
        """Three equal blocks are laid alike, each turned as a whole or not."""
        d = said(
            design([], {}, on=board(50, 40)),
            *(f'use "Low-side driver with flyback" LOAD=L{k}' for k in (1, 2, 3)),
        )
        after = apply(d, arrange(d))[0]
        shapes = []
        for block in {p.block for p in after.parts.values()}:
            mine = [p for p in after.parts.values() if p.block == block]
            spots = np.array([(p.place.x_nm, p.place.y_nm) for p in mine if p.place])
            gaps = np.hypot(*(spots[:, None] - spots[None]).transpose(2, 0, 1))
            shapes.append(sorted(np.round(gaps[np.triu_indices(len(mine), 1)]).tolist()))
        self.assertEqual(len(shapes), 3)
        self.assertGreater(len(shapes[0]), 2)
        self.assertTrue(all(np.allclose(s, shapes[0], atol=5) for s in shapes), shapes)


class FullBoards(unittest.TestCase):
    """Boards with little room, held against the shapes themselves."""

    def judge(self, d: Design) -> Design:
        after = apply(d, arrange(d))[0]
        told = {f.code for f in check(after).findings} & {
            "courtyard",
            "outside",
            "copper-to-edge",
            "not-placed",
        }
        self.assertEqual(told, set())
        return after

    def test_three_quarters(self) -> None:
        """On boards of which parts take up three quarters all are placed; none is refused that has room."""
        for seed in range(8):
            with self.subTest(seed=seed):
                after = self.judge(random_design(seed, 0.75))
                self.assertEqual({p.place.side for p in after.parts.values() if p.place}, {"front"})

    def test_mouths_look_out(self) -> None:
        """Arranged connectors with a mouth stand on an edge and look over it."""
        after = self.judge(random_design(3, 0.3))
        far, seen = outline(after).bounds, 0
        for ref, body in bodies(after).items():
            part = after.parts[ref]
            side, over = mouth_of(after.packages[part.package])
            if side and part.place:
                edge = mouth_at(side, round(part.place.turn_deg / 90), part.place.side == "back")
                box = body.bounds
                gap = {"left": box[0] - far[0], "bottom": box[1] - far[1]}.get(edge)
                gap = gap if gap is not None else {"right": far[2] - box[2], "top": far[3] - box[3]}[edge]
                self.assertLess(gap + over, 0.6, ref)
                seen += 1
        self.assertGreater(seen, 2)

    def test_both_sides(self) -> None:
        """A converter of 15 parts finds room on 18 x 14 mm when both sides are used, and is routed whole."""
        d = stamp(18, 14, resources())
        self.assertEqual(len(d.parts), 15)
        after = self.judge(d)
        result = route(after)
        self.assertEqual(result.links_made, result.links_wanted)
        done = apply(after, result.edit)[0]
        self.assertEqual([f.message for f in check(done).findings if f.level == "stop"], [])
        small = said(d, "outline 14x11")
        self.judge(small)
        with self.assertRaises(EditRefused):
            arrange(small.replaced(brief=Brief(parts_on="front")))

    def test_large_groups(self) -> None:
        """What is laid as one has to have room somewhere on the board, whatever its outline; else its parts lie singly."""
        corners = ((0, 0), (70, 0), (70, 30), (30, 30), (30, 70), (0, 70))
        ring = SetOutline(outline=tuple((x * 1_000_000, y * 1_000_000) for x, y in corners))
        d = apply(Design(name="angle", board=board(70, 70)), ring)[0]
        for box, fits in (
            ((65, 25), True),
            ((25, 65), True),
            ((65, 35), False),
            ((35, 35), False),
            ((28, 28), True),
        ):
            self.assertEqual(room_for(d, *box), fits, box)
        keys = said(d, "matrix ROW0..3 COL0..3")
        bodies = groups(keys, set(keys.parts), lambda *_: None)
        self.assertEqual([b for b in bodies if "S1" in b.refs and len(b.refs) > 15], [])
        self.judge(keys)

    def test_what_is_missing(self) -> None:
        """Too small a board is told in mm², and the outline that is named was tried: the parts find room on it."""
        d = random_design(1, 1.15)
        with self.assertRaises(EditRefused) as refused:
            arrange(d)
        told = re.search(
            r"take up (\d+) mm².*; (\d+) mm² are free.*: (\d+) mm² are missing", str(refused.exception)
        )
        assert told, str(refused.exception)
        area = sum(
            (b[2] - b[0]) * (b[3] - b[1]) / 1e12
            for p in d.parts.values()
            for b in [d.packages[p.package].courtyard_nm]
        )
        self.assertAlmostEqual(int(told[1]), area, delta=1)
        size = re.search(r"On ([\d.]+) x ([\d.]+) mm", refused.exception.next_step)
        assert size, refused.exception.next_step
        self.judge(said(d, f"outline {size[1]}x{size[2]}"))
        long = said(Design(name="long", board=board(30, 20)), "add NH-1x20", "join J1.1 A", "join J1.2 A")
        with self.assertRaisesRegex(EditRefused, "pads of J1 reach 49.9 x 1.6 mm.*fits neither way"):
            arrange(long)


class Scores(unittest.TestCase):
    @settings(max_examples=60)
    @given(st.lists(st.tuples(*[st.integers(0, 30)] * 4, st.integers(0, 3)), max_size=14))
    def test_crossings(self, rows: list[tuple[int, ...]]) -> None:
        """Crossings are those that drawn lines have inside both."""
        rows = [r for r in rows if r[:2] != r[2:4]]
        a, b = np.array([r[:2] for r in rows]).reshape(-1, 2), np.array([r[2:4] for r in rows]).reshape(-1, 2)
        names = np.array([r[4] for r in rows])
        lines = [LineString([r[:2], r[2:4]]) for r in rows]
        drawn = sum(
            1
            for (i, p), (j, q) in itertools.combinations(enumerate(lines), 2)
            if names[i] != names[j]
            and p.crosses(q)
            and not any(p.distance(e) == 0 for e in q.boundary.geoms)
            and not any(q.distance(e) == 0 for e in p.boundary.geoms)
        )
        self.assertEqual(crossings(a.astype(float), b.astype(float), names), drawn)

    def test_bypass_parts_are_shared_out(self) -> None:
        """Every part a rail feeds gets a bypass part before any gets a second."""
        d = folder("smd2L_150_s1")
        pairs = bypass_pairs(d)
        self.assertGreater(len(pairs), 10)
        for net in d.nets.values():
            mine = [served.split(".")[0] for helper, served in pairs if d.net_of(helper) == net.name]
            if mine:
                first = mine[: len(set(mine))]
                self.assertEqual(len(first), len(set(first)), net.name)

    def test_one_reading_of_bypass_parts(self) -> None:
        """Score and findings tell the same distances, the board counts for parts on its other side, plugs never help."""
        d = said(demo(FROST), "shift C3 9 0", "shift C8 -7 2")
        told = {f.place.pins[0]: f.reading for f in nearness_findings(d)}
        self.assertGreaterEqual(len(told), 1)
        self.assertAlmostEqual(max(told.values()), score(d).bypass_mm, places=2)
        self.assertEqual(len(told), score(d).bypass_far)
        helpers = {split_pin(p)[0] for pair in bypass_pairs(d) for p in pair[:1]}
        self.assertTrue(all(d.parts[r].kind in ("capacitor", "polar-capacitor") for r in helpers), helpers)
        for found in nearest_bypass(said(demo(FROST), "underside C3")):
            if found.part.id.startswith("C3."):
                flat = max(
                    0.0,
                    found.pin.spine.distance(found.part.spine) - found.pin.radius_mm - found.part.radius_mm,
                )
                self.assertAlmostEqual(found.gap_mm, flat + d.board.rules.board_mm)

    def test_scoreboard(self) -> None:
        """The figures of a finished demo, by other ways to count them."""
        d = demo(FROST)
        found = {f.name: f for f in scoreboard(d)}
        self.assertEqual(found["unrouted"].value, 0)
        self.assertEqual(found["vias"].value, len(d.vias))
        self.assertAlmostEqual(found["board area"].value, outline(d).area / 100)
        rule = {f.name: f for f in scoreboard(d)}["hottest track"]
        self.assertIn(rule.note.split(",")[0], d.nets)
        self.assertLessEqual(
            rule.value,
            max(n.rule.current.rise_k for n in d.nets.values() if n.rule and n.rule.current) + 1e-6,
        )
