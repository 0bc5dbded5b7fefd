"""Return paths: lengths over ground by plain arithmetic on boards drawn for it, and by sampling a demo."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings, strategies as st
from shapely.geometry import Point

from tests.support import BEEPER, FROST, demo, design, part, track
from vane_step.core.board.analysis.return_paths import return_paths
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.diff_pairs import BESIDE_MM, sense_pairs
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Net, Pour
from vane_step.core.route.router import route


class Paths(unittest.TestCase):
    @settings(max_examples=30)
    @given(st.floats(1.0, 6.0), st.floats(0.3, 2.0))
    def test_a_slot_is_measured(self, half: float, wide: float) -> None:
        """A track over ground that another net's track cuts has a gap as wide as the cut with its clearances."""
        parts = [part("J1", "HDR-1x2", 4, 26)]
        d = design(parts, {"S": "J1.1", "X": "J1.2"})
        nets = {**d.nets, "GND": Net(name="GND", role="ground")}
        cut = track("T2", "X", wide, (20, 15 - half - 4), (20, 15 + half + 4), layer="back")
        ground = track("T3", "GND", 0.3, (30, 5), (34, 5), layer="back")
        d = d.replaced(
            nets=nets,
            tracks={"T1": track("T1", "S", 0.3, (10, 15), (30, 15)), "T2": cut, "T3": ground},
            pours={"P1": Pour(id="P1", net="GND", layer="back")},
        )
        found = next(p for p in return_paths(d) if p.net == "S")
        slot = wide + 2 * 0.25
        self.assertAlmostEqual(found.length_mm, 20)
        self.assertAlmostEqual(found.length_mm - found.over_mm, slot, delta=0.02)
        if abs(slot - 1.5) > 0.02:
            self.assertEqual(len(found.gaps), int(slot > 1.5))

    def test_pairs_side_by_side(self) -> None:
        """Two sense tracks of 20 mm, 0.5 mm apart for so much of their way, are told as that; other nets are no pairs."""
        d = design(
            [part("J1", "HDR-1x4", 4, 26)], {"IN_P": "J1.1", "IN_N": "J1.2", "X_P": "J1.3", "X_N": "J1.4"}
        )
        for together in (0.0, 8.0, 20.0):
            away = (
                [(10 + together, 15.5), (10 + together, 25.5), (30, 25.5)] if together < 20 else [(30, 15.5)]
            )
            tracks = {
                "T1": track("T1", "IN_P", 0.3, (10, 15), (30, 15)),
                "T2": track("T2", "IN_N", 0.3, (10, 15.5), *away),
            }
            nets = {
                k: n.model_copy(update={"role": "sense" if k.startswith("IN") else "signal"})
                for k, n in d.nets.items()
            }
            (pair,) = sense_pairs(d.replaced(nets=nets, tracks=tracks))
            self.assertEqual(pair.nets, ("IN_P", "IN_N"))
            reach = (BESIDE_MM**2 - 0.25) ** 0.5
            beside = 2 * together + (reach + BESIDE_MM - 0.5 if together < 20 else 0)
            self.assertAlmostEqual(pair.beside * sum(pair.lengths_mm), beside, delta=0.02)

    def test_pairs_are_laid_side_by_side(self) -> None:
        """Two nets from one side of the board to the other run together when they are a sense pair, and only then."""
        at = {"R1": (5, 5), "R2": (5, 11), "R3": (35, 5), "R4": (35, 11)}
        d = design(
            [part(r, "CHIP-2012M", *xy) for r, xy in at.items()], {"IN_P": "R1.2 R3.1", "IN_N": "R2.2 R4.1"}
        )
        shares = []
        for role in ("signal", "sense"):
            bare = d.replaced(nets={k: n.model_copy(update={"role": role}) for k, n in d.nets.items()})
            after = apply(bare, route(bare).edit)[0]
            self.assertEqual([f.code for f in check(after).findings if f.level != "note"], [])
            asked = after.replaced(
                nets={k: n.model_copy(update={"role": "sense"}) for k, n in d.nets.items()}
            )
            shares += [pair.beside for pair in sense_pairs(asked)]
        self.assertEqual(shares[0], 0)
        self.assertGreater(shares[1], 0.5)

    def test_demo_by_sampling(self) -> None:
        """Shares of the demo's nets agree with points asked one by one."""
        d = demo(FROST)
        grounds = [p for pour in pour_pieces(d) if pour.layer == "back" for p in pour.pieces]
        paths = {p.net: p for p in return_paths(d)}
        on = {net: [t for t in d.tracks.values() if t.net == net] for net in paths}
        front = [net for net, tracks in on.items() if {t.layer for t in tracks} == {"front"}]
        self.assertGreater(len(front), 5)
        for net in front[:5]:
            tracks = on[net]
            hits = total = 0
            for t in tracks:
                for (ax, ay), (bx, by) in zip(t.points, t.points[1:], strict=False):
                    for s in np.linspace(0, 1, max(2, int(np.hypot(bx - ax, by - ay) / 20_000))):
                        total += 1
                        hits += any(
                            p.covers(Point((ax + s * (bx - ax)) / 1e6, (ay + s * (by - ay)) / 1e6))
                            for p in grounds
                        )
            self.assertAlmostEqual(paths[net].share, hits / total, delta=0.05)

    def test_one_layer_has_no_reference(self) -> None:
        """Nothing lies over ground on one layer."""
        self.assertEqual({p.over_mm for p in return_paths(demo(BEEPER))}, {0.0})
