"""Milled boards: the programs run by an interpreter of their own, which shares no code with what wrote them."""

from __future__ import annotations

import math
import re
import unittest
from dataclasses import replace

import shapely
from shapely import affinity
from shapely.geometry import LineString, Point
from shapely.geometry.base import BaseGeometry

from tests.support import BEEPER, CIDER, FROST, board, demo, said, track
from vane_step.core.board.geometry.shapes import holes, outline
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.mill.mill_files import MilledBoard, mill
from vane_step.core.mill.plan import MillPlan, plan_of
from vane_step.core.mill.tool_paths import copper_by_net

Move = tuple[tuple[float, float, float], tuple[float, float, float]]


def run(text: str) -> tuple[list[Move], list[tuple[float, float]], float]:
    """Run a program: the straight cuts with the tool in the board, places bored, and the time of all moves in seconds."""
    at, feed, modes = (0.0, 0.0, 0.0), 0.0, {"G": "0"}
    cuts: list[Move] = []
    bored: list[tuple[float, float]] = []
    seconds = 0.0
    units = False
    for line in text.splitlines():
        plain = re.sub(r"\([^)]*\)", "", line).strip()
        words = dict(re.findall(r"([A-Z])(-?[\d.]+)", plain)) if plain else {}
        units = units or "G21" in plain
        if re.match(r"G[01]\b", plain):
            modes["G"] = words["G"]
        feed = float(words["F"]) if "F" in words else feed
        to = tuple(float(words[a]) if a in words else at[k] for k, a in enumerate("XYZ"))
        if to != at and re.match(r"G[01]\b", plain):
            assert units and (modes["G"] == "0" or feed > 0), line
            if modes["G"] == "0":
                # Nobody races through the board.
                assert min(at[2], to[2]) > 0 or at[:2] == to[:2], line
            else:
                seconds += math.dist(at, to) / feed * 60
                if at[:2] != to[:2] and max(at[2], to[2]) <= 0:
                    cuts.append((at, to))  # type: ignore[arg-type]
                elif at[:2] == to[:2] and to[2] < 0:
                    bored.append(at[:2])
            at = to  # type: ignore[assignment]
    assert text.rstrip().endswith("M2") and at[2] > 0
    return cuts, bored, seconds


def swept(cuts: list[Move], wide: float) -> BaseGeometry:
    """Give what the tool takes away."""
    lines = [LineString([a[:2], b[:2]]) for a, b in cuts]
    return shapely.union_all(shapely.buffer(lines, wide / 2, quad_segs=16))


def seen(shape: BaseGeometry, design: Design, side: str) -> BaseGeometry:
    """Lay copper as the machine sees it."""
    x0, y0, x1, _ = outline(design).bounds
    if side == "back":
        shape = affinity.scale(shape, -1, 1, origin=((x0 + x1) / 2, 0))
    return affinity.translate(shape, -x0, -y0)


class Milled(unittest.TestCase):
    """What is left of the copper after the programs ran."""

    def judge(self, design: Design, plan: MillPlan) -> MilledBoard:
        """Run each side's program: no wanted copper is taken, and each net stands in pieces of its own but those told."""
        made = mill(design, plan)
        for way in made.sides:
            name = next(n for n in made.programs if n.endswith(f"copper-{way.side}.ngc"))
            cuts, _, _ = run(made.programs[name])
            gone = swept(cuts, plan.cut_mm)
            nets = {n: seen(s, design, way.side) for n, s in copper_by_net(design, way.side).items()}
            self.assertLess(shapely.union_all(list(nets.values())).intersection(gone).area, 1e-4, name)
            blank = seen(outline(design), design, way.side).buffer(5)
            pieces = shapely.get_parts(blank.difference(gone))
            tree = shapely.STRtree(pieces)
            holder: dict[int, set[str]] = {}
            for net, shape in nets.items():
                for part in shapely.get_parts(shape).tolist():
                    for k in tree.query(part.representative_point(), predicate="intersects").tolist():
                        holder.setdefault(k, set()).add(net)
            told = {frozenset(t.nets) for t in way.touching}
            for together in holder.values():
                joined = [p for p in told if p <= together]
                self.assertTrue(len(together) == 1 or joined, (way.side, sorted(together)[:4]))
            self.assertEqual(bool(told), any(len(t) > 1 for t in holder.values()), way.side)
        return made

    def test_every_net_stands_alone(self) -> None:
        """Boards of one and two layers, several tools: nets are parted, none is cut, and what the tool cannot part is told."""
        for slug, plan in (
            (BEEPER, MillPlan()),
            (BEEPER, MillPlan(cut_mm=0.35, passes=1)),
            (FROST, MillPlan(cut_mm=0.15, passes=3)),
            (FROST, MillPlan(cut_mm=0.5, passes=1)),
        ):
            made = self.judge(demo(slug), plan)
            gaps = [f for f in made.findings if f.code == "mill-gap"]
            self.assertEqual(
                bool(gaps), plan.cut_mm > demo(slug).board.rules.min_clearance_nm / 1e6 + 0.1, (slug, plan)
            )
            for f in gaps:
                self.assertTrue(f.as_listed())

    def test_a_gap_is_told_as_wide_as_it_is(self) -> None:
        """Two tracks 0.3 mm apart: a tool of 0.29 parts them, one of 0.31 does not and says how wide the gap is."""
        d = said(
            Design(name="gap", board=board(30, 20)), "add NH-1x1", "add NH-1x1", "join J1.1 A", "join J2.1 B"
        )
        d = said(d, "place J1 4 4", "place J2 4 16")
        d = d.replaced(
            tracks={
                "T1": track("T1", "A", 0.5, (10, 10), (25, 10)),
                "T2": track("T2", "B", 0.5, (10, 10.8), (25, 10.8)),
            }
        )
        self.assertEqual(mill(d, MillPlan(cut_mm=0.29)).findings, ())
        [told] = mill(d, MillPlan(cut_mm=0.31)).findings
        self.assertAlmostEqual(told.reading or 0, 0.3, delta=0.0015)

    def test_holes_and_edge(self) -> None:
        """Every hole is bored at its place through the board; the edge goes all round outside, and tabs hold."""
        for slug in (BEEPER, FROST):
            d = demo(slug)
            made = mill(d, MillPlan(tabs=4))
            name = next(n for n in made.programs if n.endswith("holes.ngc"))
            _, bored, _ = run(made.programs[name])
            side = made.sides[0].side
            wanted = {
                (round(p.x, 3), round(p.y, 3))
                for h in holes(d)
                for p in [seen(Point(h.x_mm, h.y_mm), d, side)]
            }
            self.assertEqual({(round(x, 3), round(y, 3)) for x, y in bored}, wanted)
            cuts, _, _ = run(made.programs[next(n for n in made.programs if n.endswith("edge.ngc"))])
            shape = seen(outline(d), d, side)
            self.assertLess(shape.intersection(swept(cuts, 1.0)).area, 0.01)
            through = [c for c in cuts if c[1][2] <= -d.board.rules.board_mm]
            held = shape.buffer(3).difference(swept(through, 1.0))
            self.assertEqual(len(shapely.get_parts(held)), 1, "tabs hold the board")
            loose = mill(d, MillPlan(tabs=0))
            cuts, _, _ = run(loose.programs[next(n for n in loose.programs if n.endswith("edge.ngc"))])
            through = [c for c in cuts if c[1][2] <= -d.board.rules.board_mm]
            self.assertGreater(len(shapely.get_parts(shape.buffer(3).difference(swept(through, 1.0)))), 1)

    def test_plans(self) -> None:
        """Figures are held to what they can be; time is that of the moves; inner layers are refused."""
        self.assertEqual(plan_of({"cut": "150um", "passes": "3"}), MillPlan(cut_mm=0.15, passes=3))
        for wrong in ({"cut": "9mm"}, {"cake": "1"}, {"depth": "0"}, {"passes": "99"}):
            with self.assertRaises(InputError):
                plan_of(wrong)
        made = mill(demo(BEEPER), MillPlan())
        for name, text in made.programs.items():
            _, _, seconds = run(text)
            changes = len(re.findall(r"M6", text)) * 123.0
            self.assertTrue(seconds + changes <= made.seconds[name] <= 1.6 * seconds + changes + 60, name)
        with self.assertRaisesRegex(InputError, "4 layers"):
            mill(demo(CIDER), MillPlan())
        slower = mill(demo(BEEPER), replace(MillPlan(), feed_mm_min=120))
        self.assertGreater(slower.seconds["1-copper-back.ngc"], made.seconds["1-copper-back.ngc"])
