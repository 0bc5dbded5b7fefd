"""Pours: what they keep off, where they are hatched, stitched and told of."""

from __future__ import annotations

import unittest

import shapely
from shapely.geometry import box

from tests.support import FROST, board, demo, design, part, said
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.drc.check import check
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError

STAMP = "2026-11-26T00:00:00Z"


def codes(d: Design) -> list[str]:
    """List the codes of a board's stops."""
    return sorted({f.code for f in check(d).findings if f.level == "stop"})


def copper(d: Design, pour: str) -> shapely.MultiPolygon:
    """Give what a pour fills."""
    return shapely.MultiPolygon(next(p.pieces for p in pour_pieces(d) if p.id == pour))


class Pours(unittest.TestCase):
    """Several nets on one layer, boxes, cuts, lines, and vias between layers."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.board = said(
            demo(FROST),
            "pour GND front hatch=1.5",
            "pour 3V3 front priority=2 box=30,20,25x20",
            "clear ground 50 40 10x8",
        )

    def test_each_keeps_off_the_others(self) -> None:
        """No stop by the check; the lower priority gave way; boxes and cuts hold; no line is thinner than it may be."""
        d = self.board
        self.assertEqual(codes(d), [])
        ground, supply = copper(d, "GND-front"), copper(d, "3V3-front")
        self.assertGreater(supply.area, 50)
        gap = max(d.rule_of(n).clearance_nm for n in ("GND", "3V3")) / 1e6
        self.assertGreaterEqual(ground.distance(supply), gap - 1e-9)
        self.assertTrue(box(30, 20, 55, 40).buffer(1e-6).covers(supply))
        self.assertLess(copper(d, "ground").intersection(box(50, 40, 60, 48)).area, 1e-4)
        half = d.pours["GND-front"].min_width_nm / 2e6
        thin = ground.difference(ground.buffer(-half + 0.002).buffer(half + 0.002))
        self.assertLess(max((p.area for p in shapely.get_parts(thin)), default=0.0), 0.01)
        solid = copper(said(d, "pour GND front hatch=0"), "GND-front")
        self.assertTrue(solid.buffer(1e-6).covers(ground))
        self.assertLess(ground.area, 0.62 * solid.area)

    def test_hatched_without_room(self) -> None:
        """Where no window, or none cut off by the border, has room there is none."""
        d = design([part("J1", "HDR-1x2", 10, 10)], {"GND": "J1.1"}, board())
        for size in (2.0, 3.0, 4.3, 6.0):
            poured = said(d, f"pour GND front hatch=1.33 box=9,9,{size}x{size}")
            self.assertGreater(copper(poured, "GND-front").area, 1)
            self.assertNotIn("sliver", codes(poured))

    def test_pours_that_do_not_give_way_are_told(self) -> None:
        """Of two nets filled alike the second gives way; forced together, the check sees it."""
        from unittest.mock import patch

        d = said(demo(FROST), "pour 3V3 front", "pour GND front")
        self.assertEqual(codes(d), [])
        alone = [pour_pieces(d.replaced(pours={k: p}))[0] for k, p in d.pours.items()]
        with patch("vane_step.core.board.copper.pour_fill.pour_pieces", lambda _design: tuple(alone)):
            moved = said(d, "text x 5 5")
            self.assertIn("clearance", codes(moved))

    def test_stitched(self) -> None:
        """Vias join the layers, at the spacing or nearly, within every rule, none of them in a pad or useless."""
        d = said(demo(FROST), "pour GND front")
        done = said(d, "stitch GND 4")
        fresh = [v for k, v in done.vias.items() if k not in d.vias]
        self.assertGreater(len(fresh), 60)
        found = check(done).findings
        self.assertEqual([f for f in found if f.level == "stop" or f.code in ("loose-via", "via-in-pad")], [])
        at = shapely.MultiPoint([(v.x_nm / 1e6, v.y_nm / 1e6) for v in fresh])
        tree = shapely.STRtree(at.geoms)
        a, b = tree.query(list(at.geoms), predicate="dwithin", distance=2.4 - 1e-6)
        self.assertTrue((a == b).all())
        with self.assertRaises(VaneStepError):
            said(demo(FROST), "stitch GND 4")


if __name__ == "__main__":
    unittest.main()
