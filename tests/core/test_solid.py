"""Solids and the paper pattern, judged by volumes, heights and places worked out here from the design."""

from __future__ import annotations

import io
import json
import math
import struct
import unittest

import numpy as np
import pypdfium2
import trimesh

from tests.support import BEEPER, CIDER, FROST, PANEL, demo, place_by_hand, said
from vane_step.core.board.geometry.shapes import holes, outline
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError
from vane_step.core.etch.paper import paper_pattern
from vane_step.core.etch.sheets import Page
from vane_step.core.solid.bodies import part_solids
from vane_step.core.solid.scene import SHEETS, glb, solids, stl


class Solids(unittest.TestCase):
    """The board and its parts."""

    def test_every_solid_is_closed_and_as_tall_as_its_package(self) -> None:
        """Of all parts of the demos: closed meshes, no higher than the package says, none below the pins."""
        seen = set()
        for name in (FROST, BEEPER, PANEL, CIDER):
            for package in demo(name).packages.values():
                if package.name in seen:
                    continue
                seen.add(package.name)
                for solid in part_solids(package, 1.6):
                    with self.subTest(package.name, material=solid.material):
                        self.assertTrue(solid.mesh.is_watertight)
                        self.assertGreater(solid.mesh.volume, 0)
                        self.assertLessEqual(
                            solid.mesh.bounds[1][2], max(package.height_nm / 1e6, 0.15) + 1e-6
                        )
        self.assertGreater(len(seen), 20)

    def test_board_volume_and_places(self) -> None:
        """The bare board has its area less its holes times its thickness; each part stands on its place, on its side."""
        d = said(demo(FROST), "cutout 3 30 3x2", "underside R13", "turn U1 90")
        board = [s.mesh for owner, s in solids(d) if owner == "board" and s.material == "board"]
        n = 16
        drilled = sum(h.drill_mm**2 * n / 8 * math.sin(2 * math.pi / n) for h in holes(d))
        expected = (outline(d).area - drilled) * d.board.rules.board_mm
        self.assertAlmostEqual(sum(m.volume for m in board), expected, delta=0.002 * expected)
        for ref in ("R13", "U1", "J4"):
            mesh = trimesh.util.concatenate([s.mesh for owner, s in solids(d) if owner == ref])
            place = d.parts[ref].place
            assert place is not None
            x0, y0, x1, y1 = d.packages[d.parts[ref].package].courtyard_nm
            cx, cy = place_by_hand(place, (x0 + x1) / 2e6, (y0 + y1) / 2e6)
            middle = mesh.bounds.mean(axis=0)
            self.assertLess(math.hypot(middle[0] - cx, middle[1] - cy), 1.0, ref)
            if ref == "R13":
                self.assertLess(mesh.bounds[1][2], -d.board.rules.board_mm + 1e-6)
        self.assertTrue(any(s.material == "tall" for _, s in solids(said(d, "brief tall 5"))))

    def test_files(self) -> None:
        """glTF says its length and version and holds every placed part; STL loads as closed solids of the same volume."""
        d = demo(CIDER)
        data = glb(d)
        magic, version, length = struct.unpack("<4sII", data[:12])
        self.assertEqual((magic, version, length), (b"glTF", 2, len(data)))
        size = struct.unpack("<I", data[12:16])[0]
        text = json.loads(data[20 : 20 + size])
        named = {n["name"].split()[0] for n in text["nodes"] if "mesh" in n}
        self.assertEqual(named, {"board", *d.parts})
        self.assertLess(len(data), 3_000_000)
        read = trimesh.load(io.BytesIO(stl(d)), file_type="stl")
        volume = sum(s.mesh.volume for _, s in solids(d) if s.material not in SHEETS)
        self.assertAlmostEqual(read.volume, volume, delta=0.001 * volume)
        self.assertTrue(np.allclose(read.bounds[0][:2], outline(d).bounds[:2], atol=0.01))


def dark(page: pypdfium2.PdfPage, dpi: float = 254.0) -> np.ndarray:
    """Render a page, ten pixels to the millimetre, and tell where it is dark; rows from the bottom."""
    image: np.ndarray = np.array(page.render(scale=dpi / 72).to_pil().convert("L"))[::-1] < 128
    return image


class Paper(unittest.TestCase):
    """The paper pattern."""

    def test_true_scale_on_both_sides(self) -> None:
        """Outline and holes are where they should be to a tenth of a millimetre; the back is drawn as seen from there."""
        d = said(demo(FROST), "underside R13")
        pages = pypdfium2.PdfDocument(paper_pattern(d))
        self.assertEqual(len(pages), 2)
        x0, y0, x1, y1 = outline(d).bounds
        for k, page in enumerate(pages):
            ink = dark(page)
            sheet = Page()
            left = sheet.margin_mm + (sheet.room[0] - (x1 - x0)) / 2
            # Without the rulers and the captions.
            board = ink[: int((sheet.top_mm + 1) * 10), : int((sheet.width_mm - 20) * 10)]
            rows, columns = np.flatnonzero(board.any(axis=1)), np.flatnonzero(board.any(axis=0))
            self.assertAlmostEqual((columns[-1] - columns[0]) / 10, x1 - x0 + 0.2, delta=0.15)
            self.assertAlmostEqual((rows[-1] - rows[0]) / 10, y1 - y0 + 0.2, delta=0.15)
            hole = d.holes["H3"]
            at = hole.x_nm / 1e6 if k == 0 else x0 + x1 - hole.x_nm / 1e6
            low = sheet.top_mm - (y1 - y0)
            px, py = int((left + at - x0) * 10), int((low + hole.y_nm / 1e6 - y0) * 10)
            r = int(hole.drill_nm / 2e5)
            self.assertFalse(ink[py - 3 : py + 4, px - 3 : px + 4].any(), "a hole is open")
            self.assertTrue(ink[py - 1 : py + 2, px + r - 2 : px + r + 3].any(), "and has a rim")

    def test_refused(self) -> None:
        """A board without places, and one larger than the page."""
        d = demo(FROST)
        bare: Design = d.replaced(parts={k: p.model_copy(update={"place": None}) for k, p in d.parts.items()})
        for wrong in (bare, said(d, "outline 300x300")):
            with self.assertRaises(VaneStepError):
                paper_pattern(wrong)
