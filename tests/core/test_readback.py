"""A release read back by code of its own, and held against the design."""

from __future__ import annotations

import unittest

import shapely

from tests.support import (
    BEEPER,
    FROST,
    awkward,
    demo,
    design,
    drawn_copper,
    routed,
)
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.fab.release import release

STAMP = "2026-01-01T00:00:00Z"


class ReadBack(unittest.TestCase):
    """The reader shares no code with the writers, and agrees with the design."""

    def test_agreement(self) -> None:
        """Demo, imported and awkward boards: no short, no open beyond the design's, all holes and the outline to 1 um."""
        for d in (
            demo(FROST),
            demo(BEEPER),
            routed("th1L_040_s1"),
            awkward(),
            design([]),
        ):
            made = release(d, STAMP)
            r = made.read.readings
            with self.subTest(d.name):
                self.assertEqual([f.message for f in made.read.differences], [])
                self.assertEqual((r["shorts"], r["opens"]), (0, r["opens_in_design"]))
                self.assertLessEqual(r["outline_difference_um"], 1.0)
                self.assertLessEqual(r["hole_difference_um"], 1.0)

    def test_copper_as_read_is_the_copper_drawn(self) -> None:
        """Images read from the files differ from polygons drawn by hand by less than the corners of a circle."""
        for d in (demo(FROST), awkward()):
            read = [x for x in release(d, STAMP).read.layers.values() if x.function[0] == "Copper"]
            for layer, image in zip(d.board.layers, read, strict=True):
                mine = [s for _, _, on, s in drawn_copper(d) if on == layer]
                mine += [p for pour in pour_pieces(d) if pour.layer == layer for p in pour.pieces]
                apart = shapely.union_all(mine).symmetric_difference(image.image)
                self.assertTrue(apart.buffer(-0.005).is_empty, f"{d.name} {layer}")

    def test_mask_paste_and_legend(self) -> None:
        """Every pad lies in a mask opening, every surface pad has paste, and the legend stays on the board."""
        d = demo(FROST)
        read = release(d, STAMP).read.layers
        mask = next(x.image for x in read.values() if x.function == ("Soldermask", "Top"))
        paste = next(x.image for x in read.values() if x.function == ("Paste", "Top"))
        for name, _, layer, shape in drawn_copper(d):
            if "." in name and layer == "front":
                self.assertTrue(mask.buffer(1e-3).covers(shape), name)
                through = (
                    next(
                        p
                        for p in d.packages[d.parts[name.split(".")[0]].package].pads
                        if p.number == name.split(".")[1]
                    ).layers
                    == "through"
                )
                self.assertEqual(paste.intersects(shape), not through, name)
        for x in read.values():
            if x.function[0] == "Legend":
                self.assertTrue(x.image.difference(outline(d).buffer(0.05)).is_empty)


if __name__ == "__main__":
    unittest.main()
