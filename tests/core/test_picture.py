"""Outlines traced from pictures, against the shapes the pictures were drawn from."""

from __future__ import annotations

import io
import math
import struct
import unittest
import zlib

import shapely
from hypothesis import given, settings, strategies as st
from PIL import Image, ImageDraw
from shapely.geometry import LineString, Polygon

from tests.support import FROST, ROOT, board, demo
from vane_step.core.board.geometry.filled_shapes import ink, shape_of
from vane_step.core.board.outline.image_trace import MAX_PIXELS, trace_picture, trace_shapes
from vane_step.core.board.outline.importers import outline_from
from vane_step.core.board.silkscreen.legend import legend
from vane_step.core.design.edits import SetItem, apply
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import InputError
from vane_step.core.quantity import nm

SCALE = 4


def drawn(
    points: list[tuple[float, float]],
    size: tuple[int, int] = (400, 300),
    dark: str = "black",
    light: str = "white",
    mode: str = "RGB",
) -> bytes:
    """Draw a polygon with smooth edges, four times as fine and then shrunk; the bytes of a PNG."""
    picture = Image.new(mode, (size[0] * SCALE, size[1] * SCALE), light)
    ImageDraw.Draw(picture).polygon([(x * SCALE, y * SCALE) for x, y in points], fill=dark)
    out = io.BytesIO()
    picture.resize(size, Image.Resampling.BOX).save(out, "PNG")
    return out.getvalue()


def traced(data: bytes, width: float, cutter: float = 0.0) -> Polygon:
    """Trace a picture and give the outline in millimetres."""
    return Polygon([(x / 1e6, y / 1e6) for x, y in trace_picture(data, "x.png", width, cutter)])


def wanted(points: list[tuple[float, float]], width: float) -> Polygon:
    """Give what a tracing should give: lower left at the origin, y up, as wide as said."""
    shape = Polygon(points)
    x0, _, x1, y1 = shape.bounds
    scale = width / (x1 - x0)
    return Polygon([((x - x0) * scale, (y1 - y) * scale) for x, y in points])


def star(corners: int, inner: float, turn: float) -> list[tuple[float, float]]:
    """Give the corners of a star or, with ``inner`` 1, a regular polygon, in pixels."""
    radii = [120.0 * (1 if k % 2 == 0 else inner) for k in range(2 * corners)]
    return [
        (200 + r * math.cos(turn + k * math.pi / corners), 150 + r * math.sin(turn + k * math.pi / corners))
        for k, r in enumerate(radii)
    ]


class Tracing(unittest.TestCase):
    """The edge that is found."""

    @settings(max_examples=25)
    @given(
        st.integers(3, 9), st.sampled_from([0.45, 0.7, 1.0]), st.floats(0, 3), st.sampled_from([50.0, 120.0])
    )
    def test_within_a_pixel(self, corners: int, inner: float, turn: float, width: float) -> None:
        """The outline lies within a pixel or so of the drawn shape, as wide as said, with its corners and few more.

        Thinning moves either side by up to 0.1 mm or 0.4 pixels, and a sharp corner loses a part of its last pixel.
        """
        points = star(corners, inner, turn)
        shape, right = traced(drawn(points), width), wanted(points, width)
        pixel = width / (Polygon(points).bounds[2] - Polygon(points).bounds[0])
        self.assertTrue(shape.is_valid)
        self.assertAlmostEqual(
            shape.bounds[2] - shape.bounds[0], width, delta=2 * max(0.1, 0.4 * pixel) + 0.02
        )
        self.assertLess(shapely.hausdorff_distance(shape, right), 1.7 * pixel + 0.2)
        self.assertLess(shape.symmetric_difference(right).area, 0.02 * right.area + right.length * 0.12)
        self.assertLess(len(shape.exterior.coords), 12 * corners + 20)

    def test_light_on_dark_and_transparent(self) -> None:
        """The same shape comes of a light one on dark, a coloured one, and one on nothing."""
        points = star(5, 0.5, 0.3)
        plain = traced(drawn(points), 80)
        for data in (
            drawn(points, dark="white", light="black"),
            drawn(points, dark="#7b1f2d", light="#ece4cf"),
            drawn(points, dark="black", light="#00000000", mode="RGBA"),
        ):
            self.assertLess(plain.symmetric_difference(traced(data, 80)).area, 0.01 * plain.area)

    def test_the_largest_shape_without_its_holes(self) -> None:
        """Specks and an eye in the shape do not count."""
        picture = Image.new("L", (400, 300), 255)
        draw = ImageDraw.Draw(picture)
        draw.rectangle((100, 80, 300, 220), fill=0)
        draw.ellipse((150, 110, 190, 150), fill=255)
        draw.rectangle((10, 10, 40, 30), fill=0)
        out = io.BytesIO()
        picture.save(out, "PNG")
        shape = traced(out.getvalue(), 100)
        self.assertAlmostEqual(shape.area, 100 * 100 * 141 / 201, delta=60)

    def test_the_cutter_gets_everywhere(self) -> None:
        """With a cutter, no inside corner is sharper than it and no slot narrower; outside corners stay."""
        points = [(60, 60), (340, 60), (340, 240), (205, 240), (205, 100), (195, 100), (195, 240), (60, 240)]
        sharp, milled = traced(drawn(points), 70), traced(drawn(points), 70, 4.0)
        self.assertGreater(milled.area, sharp.area + 60)
        again = milled.buffer(1.95).buffer(-1.95)
        self.assertLess(again.difference(milled).area, 0.5)
        self.assertLess(abs(milled.convex_hull.area - sharp.convex_hull.area), 1.0)

    def test_the_demo_s_weathercock(self) -> None:
        """The picture on file gives the outline of the Packing Bench Panel."""
        data = (ROOT / "tools" / "weathercock.png").read_bytes()
        outline = Polygon([(x / 1e6, y / 1e6) for x, y in outline_from(data, "weathercock.png", 166).outline])
        self.assertTrue(outline.is_valid)
        self.assertAlmostEqual(outline.bounds[2], 166, delta=0.2)
        self.assertGreater(outline.area, 10_000)


class Drawings(unittest.TestCase):
    """Boards from files of lines."""

    def test_holes_openings_and_what_is_left_out(self) -> None:
        """Circles are holes, other rings openings, lines that bound nothing are counted; files that name no classes are read."""

        def entity(kind: str, *tags: tuple[int, object]) -> str:
            return "\n".join(f"{code}\n{value}" for code, value in ((0, kind), (8, "0"), *tags)) + "\n"

        def ring(*points: tuple[float, float]) -> str:
            corners = [tag for x, y in points for tag in ((10, x), (20, y))]
            return entity("LWPOLYLINE", (90, len(points)), (70, 1), *corners)

        def line(*ends: float) -> str:
            return entity("LINE", *zip((10, 20, 11, 21), ends, strict=True))

        def circle(x: float, y: float, radius: float) -> str:
            return entity("CIRCLE", (10, x), (20, y), (40, radius))

        drawing = (
            ring((10, 20), (60, 20), (60, 50), (10, 50))
            + ring((30, 30), (40, 30), (40, 34), (30, 34))
            + line(32, 31, 38, 33)
            + circle(15, 25, 1.6)
            + circle(55, 45, 1.1)
            + circle(50, 28, 5)
            + line(14, 25, 16, 25)
            + line(35, 20, 35, 26)
            + circle(80, 80, 2)
        )
        text = f"0\nSECTION\n2\nENTITIES\n{drawing}0\nENDSEC\n0\nEOF\n"
        found = outline_from(text.encode(), "case.dxf")
        self.assertEqual(set(found.outline), {(0, 0), (nm(50), 0), (nm(50), nm(30)), (0, nm(30))})
        self.assertEqual(set(found.holes), {(nm(5), nm(5), nm(3.2)), (nm(45), nm(25), nm(2.2))})
        areas = sorted(Polygon(o).area / 1e12 for o in found.openings)
        self.assertAlmostEqual(areas[0], 40, delta=0.01)
        self.assertAlmostEqual(areas[1], math.pi * 25, delta=0.3)
        self.assertEqual(found.left_out, 4)
        d = apply(demo(FROST), found.edit(demo(FROST)))[0]
        self.assertEqual((len(d.holes), len(d.board.cutouts)), (2, 2))
        again = drawing.replace("LWPOLYLINE\n8\n0", "LWPOLYLINE\n100\nAcDbEntity\n8\n0\n100\nAcDbPolyline")
        text = f"0\nSECTION\n2\nENTITIES\n{again}0\nENDSEC\n0\nEOF\n"
        self.assertEqual(outline_from(text.encode(), "case.dxf"), found)


class Inked(unittest.TestCase):
    """What is traced for the legend is printed within its shape, holes left free, and mirrored on the back."""

    @settings(max_examples=8)
    @given(st.integers(3, 7), st.floats(0.5, 1.0), st.floats(0, 3.1), st.sampled_from(["front", "back"]))
    def test_ink_fills_the_shape(self, corners: int, inner: float, turn: float, side: Side) -> None:
        picture = Image.open(io.BytesIO(drawn(star(corners, inner, turn))))
        ImageDraw.Draw(picture).ellipse((180, 130, 220, 170), fill="white")
        data = io.BytesIO()
        picture.save(data, "PNG")
        rings = trace_shapes(data.getvalue(), "x.png", 20, 0.15)
        self.assertEqual(len(rings), 2)
        d = Design(name="ink", board=board())
        text = ink(d, "star", rings, (20_000_000, 15_000_000), side)
        d = apply(d, SetItem(text=text))[0]
        shape = shape_of(text)
        printed = shapely.union_all(
            [LineString(k.points).buffer(k.width_mm / 2) for k in legend(d) if k.side == side]
        )
        self.assertLess(printed.difference(shape.buffer(0.02)).area, 1e-6)
        self.assertGreater(printed.area, 0.98 * shape.buffer(-0.08).buffer(0.08).area)
        expected = (
            wanted(star(corners, inner, turn), 20).area
            - math.pi * (20.5 * 20 / self._wide(corners, inner, turn)) ** 2
        )
        self.assertAlmostEqual(shape.area, expected, delta=0.03 * expected)
        other = shape_of(text.model_copy(update={"side": "back" if side == "front" else "front"}))
        mirrored = shapely.affinity.scale(other, -1, 1, origin=(20, 15))
        self.assertLess(mirrored.symmetric_difference(shape).area, 1e-6)

    @staticmethod
    def _wide(corners: int, inner: float, turn: float) -> float:
        x0, _, x1, _ = Polygon(star(corners, inner, turn)).bounds
        return x1 - x0


class Refusals(unittest.TestCase):
    """What is no picture of a shape."""

    def test_table(self) -> None:
        """Each names the file or the width."""
        bomb = struct.pack(">II5B", 60_000, 60_000, 8, 0, 0, 0, 0)
        head = (
            b"\x89PNG\r\n\x1a\n"
            + struct.pack(">I", 13)
            + b"IHDR"
            + bomb
            + struct.pack(">I", zlib.crc32(b"IHDR" + bomb))
        )
        good = drawn(star(4, 1.0, 0.2))
        self.assertGreater(60_000 * 60_000, MAX_PIXELS)
        for data, width, says in (
            (b"", 50, "no picture"),
            (b"GIF89a", 50, "no picture"),
            (good[: len(good) // 2], 50, "no picture"),
            (head, 50, "picture"),
            (drawn([(1, 1), (1, 2), (2, 2)]), 50, "no shape"),
            (drawn([(0, 0), (0, 1), (1, 0)], dark="white"), 50, "no shape"),
            (good, 0, "width"),
            (good, 9999, "width"),
        ):
            with self.subTest(says, width=width), self.assertRaises(InputError) as caught:
                trace_picture(data, "x.png", width)
            self.assertIn(says, caught.exception.line())

    @settings(max_examples=60)
    @given(st.binary(max_size=400))
    def test_any_bytes(self, data: bytes) -> None:
        """Any bytes, and a good picture with some of them in its middle, are traced or refused."""
        good = drawn(star(3, 1.0, 0.1), (60, 50))
        for content in (data, good[:60] + data + good[60:]):
            try:
                trace_picture(content, "x.png", 40)
            except InputError as error:
                self.assertTrue(error.message)
