"""A board made to fit where another one fits, read from that board's own release."""

from __future__ import annotations

import unittest

from shapely.geometry import Polygon

from tests.support import FROST, demo
from vane_step.core.board.geometry import outline
from vane_step.core.design.edits import apply
from vane_step.core.design.model import PartPlace
from vane_step.core.errors import InputError
from vane_step.core.fab.otherboard import other_board
from vane_step.core.fab.release import release
from vane_step.core.quantity import nm


class OtherBoards(unittest.TestCase):
    def test_the_same_place_for_everything_that_is_plugged_in(self) -> None:
        """Scattered parts and a foreign outline: profile, holes and connectors come back from the zip as they were."""
        d = demo(FROST)
        archive = release(d, "2026-11-26T00:00:00Z").zipped()
        lost = {
            r: p.model_copy(update={"place": PartPlace(x_nm=nm(5 * k), y_nm=nm(100), turn_deg=90)})
            for k, (r, p) in enumerate(d.parts.items())
        }
        bare = d.replaced(
            parts=lost, holes={}, tracks={}, vias={}, pours={}, texts={},
            board=d.board.model_copy(update={"outline": tuple((nm(x), nm(y)) for x, y in ((0, 0), (9, 0), (9, 9)))}),
        )  # fmt: skip
        found = other_board(bare, {"frost.zip": archive})
        after = apply(bare, found.edit)[0]
        here, there = outline(d), outline(after)
        self.assertLess(
            Polygon([(x - here.bounds[0], y - here.bounds[1]) for x, y in here.exterior.coords]).hausdorff_distance(
                there
            ),
            1e-4,
        )
        shift = here.bounds[:2]

        def at(x_nm: int, y_nm: int) -> tuple[float, float]:
            return round(x_nm / 1e6 - shift[0], 3), round(y_nm / 1e6 - shift[1], 3)

        self.assertEqual(
            sorted((*at(h.x_nm, h.y_nm), h.drill_nm) for h in d.holes.values()),
            sorted((round(h.x_nm / 1e6, 3), round(h.y_nm / 1e6, 3), h.drill_nm) for h in after.holes.values()),
        )
        # Headers of a length that is there once can only go back to their own place.
        once = [
            r for r in found.placed if sum(after.parts[o].package == after.parts[r].package for o in found.placed) == 1
        ]
        self.assertGreaterEqual(len(once), 2)
        for ref in once:
            holes = [
                sorted((round(x, 2), round(y, 2)) for x, y in spots)
                for spots in (pads(d, ref, shift), pads(after, ref, (0, 0)))
            ]
            self.assertEqual(*holes, ref)
        self.assertTrue(any("parts.csv" in name for name in found.left_out))

    def test_files_that_cannot_be_used(self) -> None:
        """Every fault has a file and a reason, and nothing is changed."""
        d = demo(FROST)
        for files in (
            {"a.zip": b"PK nonsense"},
            {"a.gbr": b"%FSLAX46Y46*%\n%MOMM*%\nM02*\n"},
            {"a.txt": b"hello"},
            {"a.xnc": b"M48\nT1\nM30\n"},
        ):
            with self.subTest(files), self.assertRaises(InputError) as caught:
                other_board(d, files)
            self.assertTrue(caught.exception.where)


def pads(d: object, ref: str, shift: tuple[float, ...]) -> list[tuple[float, float]]:
    """Give where the drilled pads of a part are."""
    from vane_step.core.board.geometry import copper_items

    return [
        (i.x_mm - shift[0], i.y_mm - shift[1]) for i in copper_items(d) if i.id.startswith(f"{ref}.") and i.drill_mm
    ]  # type: ignore[arg-type]
