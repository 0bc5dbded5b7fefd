"""Boards laid beside others of their kind: edges that fit into each other, pins that meet their like across the joint."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings, strategies as st
from shapely.geometry import Polygon

from tests.support import board, design, part, said
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.brief.tiles import joint_mm, tile_findings
from vane_step.core.design.edits import SetOutline, apply
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError


def strip(turned: bool = False, at: float = 15.0) -> Design:
    """Make a tile with half holes on either side, supply and ground at the ends, a signal in and one out."""
    d = design([part("J1", "EDGE-8-P254", 0, 15), part("J2", "EDGE-8-P254", 30, 15)], {}, on=board(30, 30))
    d = said(d, "edge J1 left 15", f"edge J2 right {at}", "brief tiles across")
    ends = sorted(range(1, 9), key=lambda n: _y(d, f"J1.{n}"))
    mine = sorted(range(1, 9), key=lambda n: _y(d, f"J2.{n}"), reverse=turned)
    said_of = [
        ("5V", "5V"),
        ("GND", "GND"),
        *((f"L{k}", f"L{k}") for k in range(4)),
        ("IN", "OUT"),
        ("GND", "GND"),
    ]
    for (left, right), a, b in zip(said_of, ends, mine, strict=True):
        d = said(d, f"join J1.{a} {left}", f"join J2.{b} {right}")
    return d


def _y(d: Design, pin: str) -> float:
    return next(i.y_mm for i in copper_items(d) if i.id == pin)


class Tiles(unittest.TestCase):
    def test_pins_meet(self) -> None:
        """Equal nets meet, an output meets an input; a row the other way round shorts its supply, one shifted meets none."""
        self.assertEqual([f.message for f in tile_findings(strip())], [])
        shorts = [f for f in tile_findings(strip(turned=True)) if f.level == "stop"]
        self.assertEqual(len(shorts), 4, [f.message for f in shorts])
        self.assertIn("5V", shorts[0].message + shorts[1].message)
        shifted = tile_findings(strip(at=15.4))
        self.assertEqual(len(shifted), 16)
        self.assertTrue(all(f.reading == 0.4 for f in shifted))
        self.assertEqual(tile_findings(said(strip(at=15.4), "brief tiles no")), ())
        with self.assertRaisesRegex(InputError, "no side"):
            said(strip(), "brief tiles sideways")

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(st.tuples(st.integers(2, 28), st.integers(-4, 4)), min_size=1, max_size=6),
        st.floats(0.0, 1.5),
    )
    def test_outlines_meet(self, steps: list[tuple[int, int]], short: float) -> None:
        """Edges cut alike fit at the width of the board whatever their shape; a notch in one of them alone is told by its depth."""
        ys = sorted({y for y, _ in steps})
        xs = dict(steps)
        edge = [
            (0, 0),
            *((xs[a], y) for a, b in zip([*ys], [*ys[1:], 30], strict=True) for y in (a, b)),
            (0, 30),
        ]
        edge = (
            [
                (0, 0),
                (0, ys[0]),
                *edge[1:-1],
            ]
            if ys
            else edge
        )
        left = [(x, y) for x, y in edge]
        right = [(x + 30, y) for x, y in edge]
        outline = Polygon([*left, *right[::-1]]).buffer(0)
        if outline.geom_type != "Polygon":
            return
        self.assertAlmostEqual(joint_mm(outline, "right"), 30, delta=0.01)
        ring = tuple((round(x * 1e6), round(y * 1e6)) for x, y in np.array(outline.exterior.coords)[:-1])
        d = said(Design(name="tile", board=board(30, 30)), "brief tiles across")
        d = apply(d, SetOutline(outline=ring))[0]
        self.assertEqual([f.message for f in tile_findings(d)], [])
        notch = outline.difference(Polygon([(25 - short, 10), (40, 10), (40, 14), (25 - short, 14)]))
        if notch.geom_type == "Polygon":
            ring = tuple((round(x * 1e6), round(y * 1e6)) for x, y in np.array(notch.exterior.coords)[:-1])
            self.assertTrue(tile_findings(apply(d, SetOutline(outline=ring))[0]))


if __name__ == "__main__":
    unittest.main()
