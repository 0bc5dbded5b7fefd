"""Copper left standing: far enough from every net, worth the bath, never where voltages are high."""

from __future__ import annotations

import unittest

import numpy as np
import shapely

from tests.support import BEEPER, FROST, demo, said
from vane_step.core.board.geometry.shapes import bare_holes, outline
from vane_step.core.errors import InputError
from vane_step.core.etch.bath import to_remove_g
from vane_step.core.etch.etch_rules import etch_findings
from vane_step.core.etch.picture import picture, side_copper
from vane_step.core.etch.plan import art_plan


class Islands(unittest.TestCase):
    """On designs with and without pours, with large pads and without."""

    def test_far_from_every_net(self) -> None:
        """What stays keeps its distance from all copper of nets, from bare holes and the edge, and joins nothing."""
        for name, side, more in (
            (BEEPER, "back", {}),
            (BEEPER, "back", {"pads": "large", "factor": "2"}),
            (FROST, "front", {"isolation": "1.2mm"}),
        ):
            said_ = {"method": "toner", "isolation": "0.8mm", **more}
            d, plan = demo(name), art_plan(said_)
            plain = art_plan({k: v for k, v in said_.items() if k != "isolation"})
            wide = plan.ink.isolation_mm
            with_, without = picture(d, side, plan.ink).copper, picture(d, side, plain.ink).copper
            left = with_.difference(without.buffer(0.01))
            self.assertGreater(left.area, 100, name)
            eaten = d.board.rules.copper_um / 1e3 / plan.ink.factor
            pieces = shapely.get_parts(left)
            # The sheet is drawn wider by what the bath takes from both rims.
            apart = shapely.distance(pieces, side_copper(d, side))
            self.assertGreaterEqual(float(np.min(apart)), wide - eaten - 0.02, name)
            for hole in bare_holes(d):
                self.assertFalse(left.intersects(hole.shape()), hole.id)
            self.assertTrue(outline(d).covers(left))
            self.assertLess(to_remove_g(d, plan), 0.8 * to_remove_g(d, plain), name)
            codes = {f.code for f in etch_findings(d, plan)} - {f.code for f in etch_findings(d, plain)}
            self.assertEqual(codes, set(), name)

    def test_high_voltages(self) -> None:
        """Between nets of more than 60 V nothing stays, and it is told; where a converter's voltage is unknown too."""
        d = said(demo(BEEPER), "source MAINS PROBE_A GND 230V")
        plan = art_plan({"method": "toner", "isolation": "0.8mm"})
        self.assertIn("etch-islands", {f.code for f in etch_findings(d, plan)})
        plain = art_plan({"method": "toner"})
        areas = [picture(d, "back", p.ink).copper.area for p in (plan, plain)]
        self.assertAlmostEqual(areas[0], areas[1], 6)

    def test_refused(self) -> None:
        """Less than the method can keep apart, or more than a board is wide, is no isolation."""
        for text in ("0.1mm", "50mm", "some"):
            with self.assertRaises(InputError):
                art_plan({"method": "toner", "isolation": text})
        self.assertEqual(art_plan({"isolation": "no"}).ink.isolation_mm, 0.0)
