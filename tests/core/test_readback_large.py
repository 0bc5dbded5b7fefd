"""A large release read back by code of its own."""

from __future__ import annotations

import unittest

from tests.support import (
    folder,
)
from vane_step.core.fab.release import release

STAMP = "2026-01-01T00:00:00Z"


class Large(unittest.TestCase):
    """What holds of small boards holds of large ones."""

    def test_agreement_of_150_parts(self) -> None:
        """A board of 150 parts on four layers, not routed: no short, no open beyond the design's, all holes and the outline to 1 um."""
        d = folder("hard4L_150_s1")
        made = release(d, STAMP)
        r = made.read.readings
        self.assertEqual([f.message for f in made.read.differences], [])
        self.assertEqual((r["shorts"], r["opens"]), (0, r["opens_in_design"]))
        self.assertLessEqual(r["outline_difference_um"], 1.0)
        self.assertLessEqual(r["hole_difference_um"], 1.0)


if __name__ == "__main__":
    unittest.main()
