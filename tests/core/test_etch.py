"""Artwork: the right way round for every method and side, and true to scale as measured in the bytes of its files."""

from __future__ import annotations

import base64
import io
import itertools
import math
import random
import re
import unittest
import zlib
from xml.etree import ElementTree

import numpy as np
import shapely
from PIL import Image
from shapely import affinity
from shapely.geometry import Point, Polygon, box

from tests.support import BEEPER, demo, design, drawn_copper, part, said, two_sided
from vane_step.core.board.geometry.shapes import bare_holes, copper_items, holes, outline
from vane_step.core.design.model import Design, Jumper
from vane_step.core.errors import InputError
from vane_step.core.etch import artwork, sheets
from vane_step.core.etch.etch_rules import etch_findings
from vane_step.core.etch.methods import METHODS, method_of, proof
from vane_step.core.etch.packing import packed
from vane_step.core.etch.picture import Ink, large_pads, off_grid, picture, rings_mm
from vane_step.core.etch.plan import ArtPlan, art_plan
from vane_step.core.etch.written import dots

# Mirrored or not, inverted or not: method -> front, back, negative; the design view is the board seen from the front.
TRUTH = {
    "toner": (True, False, False),
    "release": (True, False, False),
    "film": (True, False, False),
    "film-away": (False, True, False),
    "dry-film": (True, False, True),
    "dry-film-away": (False, True, True),
    "pen": (False, True, False),
    "tape": (False, True, False),
    "rub": (True, False, False),
}
# Rims to be gone over by hand have no area to compare; milling has no sheet.
FILLED = [m for m in TRUTH if m != "rub"]


def pages(pdf: bytes) -> list[str]:
    """Give the drawing operators of each page of a PDF, unpacked from its bytes."""
    found = []
    for match in re.finditer(rb"/Filter \[([^\]]*)\][^>]*>>\s*stream\r?\n(.*?)endstream", pdf, re.S):
        data = match[2].strip()
        if b"ASCII85" in match[1]:
            data = base64.a85decode(data.removesuffix(b"~>"))
        found.append(zlib.decompress(data).decode("latin-1"))
    return found


def paths(page: str) -> list[list[tuple[float, float]]]:
    """Give the filled paths of a page in millimetres, as a printer would draw them, transformations carried out."""
    matrix = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    kept: list[tuple[float, ...]] = []
    stack: list[float] = []
    drawn: list[list[tuple[float, float]]] = []
    for word in re.findall(r"\([^)]*\)|[^\s]+", page):
        if re.fullmatch(r"[+-]?[\d.]+", word):
            stack.append(float(word))
            continue
        if word == "q":
            kept.append(matrix)
        elif word == "Q":
            matrix = kept.pop()  # type: ignore[assignment]
        elif word == "cm":
            a, b, c, d, e, f = stack[-6:]
            m = matrix
            matrix = (
                a * m[0] + b * m[2],
                a * m[1] + b * m[3],
                c * m[0] + d * m[2],
                c * m[1] + d * m[3],
                e * m[0] + f * m[2] + m[4],
                e * m[1] + f * m[3] + m[5],
            )
        elif word in ("m", "l"):
            x, y = stack[-2:]
            spot = (
                (x * matrix[0] + y * matrix[2] + matrix[4]) * 25.4 / 72,
                (x * matrix[1] + y * matrix[3] + matrix[5]) * 25.4 / 72,
            )
            if word == "m":
                drawn.append([])
            drawn[-1].append(spot)
        stack = [] if not word.startswith("(") else stack
    return drawn


def inked(rings: list[list[tuple[float, float]]]) -> shapely.Geometry:
    """Give the area that closed paths fill: by the even-odd rule within each shape, shapes painted on each other."""
    areas = [Polygon(r).buffer(0) for r in rings if len(r) > 2]
    # A hole follows its shape: what lies within the shape before it is taken away from it.
    shapes: list[shapely.Geometry] = []
    for area in areas:
        if shapes and shapes[-1].envelope.covers(area) and shapes[-1].convex_hull.buffer(1e-6).covers(area):
            shapes[-1] = shapes[-1].symmetric_difference(area)
        else:
            shapes.append(area)
    return shapely.union_all(shapes)


def svg_rings(text: str) -> list[list[tuple[float, float]]]:
    """Read the filled paths of an SVG without correction, y up, in millimetres of its page."""
    root = ElementTree.fromstring(text)
    high = float((root.get("viewBox") or "").split()[3])
    found = []
    for e in root.iter():
        if e.tag.endswith("path"):
            for ring in e.get("d", "").split("Z"):
                spots = [tuple(map(float, p.split())) for p in re.split("[ML]", ring) if p.strip()]
                if spots:
                    found.append([(x, high - y) for x, y in spots])
    return found


def wanted_copper(d: Design, side: str) -> shapely.Geometry:
    """Draw a side's copper with the marks for the drill, by code that shares nothing with the artwork."""
    copper = shapely.union_all([s for _, _, layer, s in drawn_copper(d) if layer == side])
    return copper.difference(shapely.union_all([Point(h.x_mm, h.y_mm).buffer(0.2) for h in holes(d)]))


def onto_copper(ink: shapely.Geometry, at: sheets.Placed, name: str) -> shapely.Geometry:
    """Carry a picture of a sheet onto the copper as a person does, and look at it in the design view."""
    front, back, negative = TRUTH[name]
    frame = box(at.x_mm, at.y_mm, at.x_mm + at.width_mm, at.y_mm + at.height_mm)
    found = ink.intersection(frame)
    found = frame.difference(found) if negative else found
    found = affinity.translate(found, -at.x_mm, -at.y_mm)
    if at.turned:
        found = affinity.rotate(found, 180, origin=(at.width_mm / 2, at.height_mm / 2))
    if front if at.kind == "front" else back:
        found = affinity.scale(found, -1, 1, origin=(at.width_mm / 2, 0))
    return found


def differs(one: shapely.Geometry, two: shapely.Geometry, by_mm: float = 0.01) -> float:
    """Give the area that is more than a strip so wide where two pictures differ."""
    return float(one.symmetric_difference(two).buffer(-by_mm / 2).area)


def copies_of(
    d: Design, at: sheets.Placed, picture: shapely.Geometry, plan: ArtPlan
) -> list[shapely.Geometry]:
    """Cut the copies out of a frame by their edges: rings as large as the board, turned or not, set upright again."""
    x0, y0, x1, y1 = outline(d).bounds
    found = []
    for piece in shapely.get_parts(picture):
        a, b, c, e = piece.bounds
        size = (round(c - a - 0.2, 3), round(e - b - 0.2, 3))
        if not isinstance(piece, Polygon) or not piece.interiors:
            continue
        if size == (round(x1 - x0, 3), round(y1 - y0, 3)):
            inside = Polygon(piece.exterior).buffer(-0.3).intersection(picture)
            found.append(affinity.translate(inside, x0 - a - 0.1, y0 - b - 0.1))
        elif size == (round(y1 - y0, 3), round(x1 - x0, 3)):
            inside = Polygon(piece.exterior).buffer(-0.3).intersection(picture)
            # Set upright again by a quarter clockwise about the frame's corner.
            inside = affinity.affine_transform(inside, (0, 1, -1, 0, x0 - b - 0.1, y1 + a + 0.1))
            found.append(inside)
    return found


class WhichWayRound(unittest.TestCase):
    """Mirror truth, proved on what is printed."""

    def test_table(self) -> None:
        """Every method has the sides the handbook gives, and is inverted where the resist is negative."""
        self.assertEqual(set(TRUTH) | {"mill"}, set(METHODS))
        for name, (front, back, negative) in TRUTH.items():
            m = METHODS[name]
            self.assertEqual((m.front_mirrored, m.back_mirrored, m.negative), (front, back, negative), name)
        with self.assertRaises(InputError):
            artwork.sheets(two_sided(), art_plan({"method": "mill"}))

    def test_ink_lies_as_copper_will(self) -> None:
        """Read from the bytes of PDF, SVG and bitmap and carried onto the copper, ink is the side's copper to 10 µm."""
        d = two_sided()
        inside = outline(d).buffer(-0.3)
        for name in FILLED:
            for more in (
                {},
                {"layout": "together"},
                {"layout": "folded"},
                {"layout": "folded", "turn": "landscape"},
            ):
                plan = art_plan({"method": name, "factor": "none", "words": "no", **more})
                made = artwork.sheets(d, plan)
                pdf = pages(artwork.pdf(d, plan))
                for number, sheet in enumerate(made):
                    ways = {
                        "pdf": inked(paths(pdf[number])),
                        "svg": inked(svg_rings(artwork.svg(d, plan, number + 1))),
                    }
                    for (kind, ink), at in itertools.product(ways.items(), sheet.placed):
                        (seen,) = copies_of(d, at, onto_copper(ink, at, name), plan)
                        wanted = wanted_copper(d, at.kind).intersection(inside)
                        with self.subTest(name, **more, kind=kind, side=at.kind):
                            self.assertEqual(differs(seen, wanted), 0)
                            other = affinity.scale(wanted, -1, 1, origin=(20, 0))
                            self.assertGreater(
                                differs(seen, other), 5, "the board is lopsided: this can fail"
                            )

    def test_bitmap_dot_by_dot(self) -> None:
        """A dot is black exactly where its middle lies in the ink; the file says its size, and what it is is one bit a dot."""
        d = two_sided()
        for name, dpi in (("toner", 600), ("dry-film-away", 1200)):
            plan = art_plan({"method": name})
            (sheet, *_) = artwork.sheets(d, plan)
            Image.MAX_IMAGE_PIXELS = None
            image = Image.open(io.BytesIO(artwork.bitmap(d, plan, 1, dpi)))
            self.assertEqual(image.mode, "1")
            self.assertEqual(image.size, (round(210 / 25.4 * dpi), round(297 / 25.4 * dpi)))
            self.assertEqual([round(v) for v in image.info["dpi"]], [dpi, dpi])
            black = ~np.asarray(image)
            at = sheet.placed[0]
            rng = np.random.default_rng(7)
            xs = rng.integers(
                round(at.x_mm / 25.4 * dpi), round((at.x_mm + at.width_mm) / 25.4 * dpi), 20_000
            )
            low, high = (297 - at.y_mm - at.height_mm) / 25.4 * dpi, (297 - at.y_mm) / 25.4 * dpi
            ys = rng.integers(round(low), round(high), 20_000)
            ink = shapely.union_all([*sheet.ink, *sheet.ruler])
            shapely.prepare(ink)
            x, y = (xs + 0.5) * 25.4 / dpi, (image.size[1] - ys - 0.5) * 25.4 / dpi
            sure = shapely.distance(shapely.points(x, y), ink.boundary) > 1e-6
            self.assertTrue((black[ys, xs] == shapely.contains_xy(ink, x, y))[sure].all())
            self.assertTrue(0.02 < black[ys, xs].mean() < 0.98)
        with self.assertRaises(InputError):
            artwork.bitmap(d, art_plan({}), 1, 300)
        for scale in ((1.0, 1.0), (50 / 49.5, 50 / 50.25)):
            wide = dots(sheet, 600, scale)
            columns = np.flatnonzero((~np.asarray(wide))[: round(60 / 25.4 * 600)].any(axis=0))
            self.assertAlmostEqual(columns[0] * 25.4 / 600, 9.9 * scale[0], delta=0.05)

    def test_the_word_proves_it(self) -> None:
        """The word reads mirrored on the sheet exactly when ink goes through a mirror on its way to readable copper."""
        for name, turned in TRUTH.items():
            for side, mirrored in zip(("front", "back"), turned[:2], strict=True):
                ink_reads = (side == "front") != mirrored
                text = proof(method_of(name), side)  # type: ignore[arg-type]
                self.assertIn("reads normally; on" if ink_reads else "reads mirrored; on", text)
                self.assertIn(side.upper(), text)
        # It stands in copper on the board, clear of all other copper; on a board without room beside it.
        d = two_sided()
        plain, worded = (picture(d, "back", Ink(words=w)) for w in (False, True))
        word = worded.copper.difference(plain.copper.buffer(1e-6))
        self.assertTrue(outline(d).contains(word) and word.distance(plain.copper) >= 0.3)
        self.assertGreater(word.area, 3)
        full = said(d, "pour A back", "pour A front")
        self.assertIsNone(picture(full, "back", Ink()).word_at)
        self.assertIn("beside the board", " ".join(artwork.sheets(full, art_plan({}))[0].captions))

    def test_front_and_back_meet(self) -> None:
        """Carried onto the copper, marks and holes of both sheets lie on each other to 5 µm, on sheets apart, folded, in a blank."""
        d = said(two_sided(), "hole 35 5 3.2")
        for more in (
            {},
            {"pins": "yes"},
            {"layout": "folded"},
            {"layout": "folded", "paper": "A3", "copies": "3"},
            {"blank": "100x70", "copies": "fill", "method": "film-away"},
            {"method": "dry-film", "layout": "together"},
        ):
            plan = art_plan(more)
            ink = {}
            for number, sheet in enumerate(artwork.sheets(d, plan)):
                drawn = inked(svg_rings(artwork.svg(d, plan, number + 1)))
                for at in sheet.placed:
                    ink[at.kind] = onto_copper(drawn, at, plan.method.name), at
            (front, at), (back, _) = ink["front"], ink["back"]
            places = [sorted(centres(picture)) for picture in (front, back)]
            near = [min(math.dist(p, q) for q in places[1]) for p in places[0]]
            shared = [v for v in near if v < 0.2]
            with self.subTest(**more):
                # Each copy has two holes of a header and one for a screw.
                self.assertGreaterEqual(len(shared), 3)
                self.assertLess(max(shared), 0.005)
                corners = [sorted(picture_corners(picture, at)) for picture in (front, back)]
                for one, two in zip(*corners, strict=True):
                    self.assertLess(math.dist(one, two), 0.005)


def centres(picture: shapely.Geometry) -> list[tuple[float, float]]:
    """Give the middles of the small round holes in a picture: the marks the drill is set in."""
    found = []
    for piece in shapely.get_parts(picture):
        for ring in getattr(piece, "interiors", ()):
            hole = Polygon(ring)
            if 0.1 < hole.area < 0.6:
                found.append(hole.centroid.coords[0])
    return found


def picture_corners(picture: shapely.Geometry, at: sheets.Placed) -> list[tuple[float, float]]:
    """Give the middles of what is drawn in the four corners of a frame."""
    found = []
    for x, y in ((0, 0), (at.width_mm, 0), (0, at.height_mm), (at.width_mm, at.height_mm)):
        mark = picture.intersection(
            box(x - 7, y - 7, x + 7, y + 7).intersection(box(0, 0, at.width_mm, at.height_mm))
        )
        near = [p for p in shapely.get_parts(mark) if p.distance(Point(x, y)) < 2]
        found.append(shapely.union_all(near).envelope.centroid.coords[0] if near else (0.0, 0.0))
    return found


class Sheets(unittest.TestCase):
    """Papers, copies, blanks, and what is drawn wider than the copper is to be."""

    def test_ruler_and_outline(self) -> None:
        """Ruler and outline measured in the PDF are off by less than 0.05 %; a measured printer is corrected in each axis."""
        d = demo(BEEPER)
        drawn = paths(pages(artwork.pdf(d, art_plan({})))[0])
        wide = max(drawn, key=lambda p: max(x for x, _ in p) - min(x for x, _ in p) if len(p) == 4 else 0)
        tall = max(drawn, key=lambda p: max(y for _, y in p) - min(y for _, y in p) if len(p) == 4 else 0)
        across = max(x for x, _ in wide) - min(x for x, _ in wide) - 0.2
        upwards = max(y for _, y in tall) - min(y for _, y in tall) - 0.2
        edge = max(
            (p for p in drawn if len(p) > 4), key=lambda p: max(x for x, _ in p) - min(x for x, _ in p)
        )
        board_wide = max(x for x, _ in edge) - min(x for x, _ in edge) - 0.2
        x0, _, x1, _ = outline(d).bounds
        for measured, true in ((across, 50), (upwards, 50), (board_wide, x1 - x0)):
            self.assertLess(abs(measured / true - 1), 0.0005)
        corrected = paths(pages(artwork.pdf(d, art_plan({"across": "49.5", "upwards": "50.25"})))[0])
        for one, two in zip(drawn[:40], corrected[:40], strict=True):
            for (x, y), (u, v) in zip(one, two, strict=True):
                self.assertAlmostEqual(u, x * 50 / 49.5, places=3)
                self.assertAlmostEqual(v, y * 50 / 50.25, places=3)
        for wrong in ((44, 50), (50, 56), (0, 50)):
            with self.assertRaises(InputError):
                sheets.scale_of(*wrong)

    def test_copies(self) -> None:
        """Copies on every paper and in a blank lie apart and within the white edge, each with the whole copper; too many are refused."""
        lopsided = two_sided()
        for more, count in (
            ({"copies": "5"}, 5),
            ({"copies": "fill", "paper": "Letter", "turn": "landscape"}, 0),
            ({"copies": "fill", "blank": "100x160"}, 0),
            ({"copies": "2", "paper": "A3", "layout": "folded"}, 2),
        ):
            plan = art_plan({"factor": "none", "words": "no", **more})
            fit = artwork.copies_on(lopsided, plan)
            for number, sheet in enumerate(artwork.sheets(lopsided, plan)):
                white = box(0, 0, sheet.page.width_mm, sheet.page.height_mm).buffer(
                    -sheet.page.margin_mm + 0.11
                )
                self.assertTrue(all(white.covers(i) for i in sheet.ink), more)
                ink = inked(svg_rings(artwork.svg(lopsided, plan, number + 1)))
                for at in sheet.placed:
                    seen = copies_of(lopsided, at, onto_copper(ink, at, "toner"), plan)
                    self.assertEqual(len(seen), count or fit, more)
                    wanted = wanted_copper(lopsided, at.kind).intersection(outline(lopsided).buffer(-0.3))
                    self.assertEqual([differs(s, wanted) for s in seen], [0.0] * len(seen))
        d = demo(BEEPER)
        for wrong, allowed in (
            ({"copies": "13"}, "1 to 12"),
            ({"blank": "40x40"}, "a board of 34 x 34 mm"),
            ({"blank": "400x400"}, "up to 182 x"),
            ({"layout": "folded"}, "apart, together"),
            ({"paper": "A9"}, "A4, Letter, A3"),
            ({"margin": "60"}, "0 to 40 mm"),
            ({"colour": "red"}, "method, paper"),
            ({"factor": "40"}, "0.5 to 10"),
        ):
            with self.assertRaises(InputError) as caught:
                artwork.sheets(d, art_plan(wrong))
            self.assertIn(allowed, str(caught.exception.allowed), wrong)

    def test_packing(self) -> None:
        """Rectangles never overlap nor leave the room, and are never fewer than the better of both plain grids."""
        rng = random.Random(3)
        for _ in range(150):
            size = (rng.uniform(8, 90), rng.uniform(8, 90))
            room, gap = (rng.uniform(50, 300), rng.uniform(50, 420)), rng.choice([0.0, 2.0, 5.0])
            spots = packed(size, room, gap)
            boxes = [
                box(s.x_mm, s.y_mm, s.x_mm + size[s.turned], s.y_mm + size[not s.turned]).buffer(
                    gap / 2 - 1e-6, join_style="mitre"
                )
                for s in spots
            ]
            inside = box(0, 0, *room).buffer(gap / 2 + 1e-3, join_style="mitre")
            self.assertTrue(all(inside.covers(b) for b in boxes))
            self.assertAlmostEqual(shapely.union_all(boxes).area, sum(b.area for b in boxes), places=3)
            grids = [
                int((room[0] + gap) / (a + gap) + 1e-9) * int((room[1] + gap) / (b + gap) + 1e-9)
                for a, b in (size, size[::-1])
            ]
            self.assertGreaterEqual(len(spots) + 1, max(grids), "a hair of rounding may cost one row")
        # Mixed they are more than either grid holds: the pinwheel.
        self.assertEqual(len(packed((3, 2), (5, 5), 0)), 4)

    def test_undercut(self) -> None:
        """What the bath takes from each edge is added before: eaten back, the picture is the copper to 10 µm."""
        for d in (two_sided(), demo(BEEPER)):
            for factor, per_edge in ((2, 0.0175), (1, 0.035)):
                drawn = picture(d, "back", Ink(factor=factor, words=False)).copper
                copper = shapely.union_all([s for _, _, layer, s in drawn_copper(d) if layer == "back"])
                self.assertLess(differs(drawn.buffer(-per_edge), copper), 1e-3)
                self.assertGreater(differs(drawn, copper), 0.1)
            self.assertEqual(differs(picture(d, "back", Ink("pen", words=False)).copper, copper), 0)

    def test_large_pads(self) -> None:
        """Pads grow where there is room, contain what they were, come no nearer to others than the gap, and join nothing."""
        for d, side in (
            (demo(BEEPER), "back"),
            (two_sided(), "back"),
            (demo("3-packing-bench-panel"), "back"),
        ):
            grown = large_pads(d, side, "toner")
            items = {(i.id, i.x_mm, i.y_mm): i for i in copper_items(d) if i.drill_mm and side in i.layers}
            self.assertGreater(len(grown), len(items) / 2)
            least = 0.3
            for name, shape in grown.items():
                mine = items[name]
                self.assertTrue(shape.buffer(1e-6).covers(mine.shape()))
                for other in copper_items(d):
                    if (
                        side in other.layers
                        and other.id != name
                        and (other.net != mine.net or mine.net is None)
                    ):
                        was = mine.shape().distance(other.shape())
                        self.assertGreaterEqual(shape.distance(other.shape()), min(was, least) - 0.002)
                for bare in bare_holes(d):
                    self.assertGreater(shape.distance(Point(bare.x_mm, bare.y_mm)), bare.drill_mm / 2)
            names = list(grown)
            for a, b in itertools.combinations(names, 2):
                if items[a].net != items[b].net:
                    was = items[a].shape().distance(items[b].shape())
                    self.assertGreaterEqual(grown[a].distance(grown[b]), min(was, least) - 0.002)
            plain, wide = (rings_mm(d, side, Ink(pads=p)) for p in ("as they are", "large"))
            self.assertTrue(all(wide[k] >= plain[k] - 1e-6 for k in plain))
            self.assertFalse(
                [f for f in etch_findings(d, art_plan({"pads": "large"})) if f.code == "etch-joined"]
            )

    def test_what_is_said(self) -> None:
        """Open stops, the holes that must meet, wires and inverted pictures are named on the sheet; svg and pdf say the same."""
        d = two_sided()
        plan = art_plan({"method": "dry-film", "legend": "yes", "template": "yes", "layout": "together"})
        (first, *_) = artwork.sheets(d, plan, ["A is open"])
        told = " ".join(first.captions)
        for words in ("1 stop open: A is open", "copper is white", "J1.1", "J1.2", "must meet"):
            self.assertIn(words, told)
        self.assertEqual([p.kind for p in first.placed], ["front", "back", "legend", "template"])
        self.assertIn("A is open", artwork.svg(d, plan, 1, ["A is open"]))
        wired = demo(BEEPER).replaced(
            jumpers={
                "W1": Jumper(
                    id="W1",
                    net="GND",
                    a=(9_000_000, 9_000_000),
                    b=(21_000_000, 14_000_000),
                    pad_nm=1_800_000,
                    drill_nm=800_000,
                    wire_nm=700_000,
                )
            }
        )
        self.assertIn("Wire jumpers on the front", artwork.drill_page(wired))
        self.assertEqual(artwork.wire_list(wired), ["W1  GND  13.0 mm, from 9.0, 9.0 to 21.0, 14.0"])
        # By hand: holes on the grid of perforated board are known, and told.
        grid = design([part("J1", "HDR-1x3", 10, 10), part("J2", "HDR-1x2", 10 + 2.54 * 3, 10 + 2.54 * 2.2)])
        self.assertEqual(len(off_grid(grid)), 2)
        self.assertEqual(off_grid(design([part("J1", "HDR-1x3", 10, 10)])), ())
