"""Artwork: the right way round for every method and side, and true to scale as measured in the bytes of the PDF."""

from __future__ import annotations

import base64
import math
import re
import unittest
import zlib
from xml.etree import ElementTree

import shapely
from shapely import affinity

from tests.support import BEEPER, CIDER, FROST, board, demo, design, drawn_copper, part, said, track
from vane_step.core.board.geometry.shapes import copper_items, holes, outline
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.etch import artwork, sheets
from vane_step.core.etch.drillplan import BITS_MM, drill_findings, drill_plan
from vane_step.core.etch.joints import both_sides
from vane_step.core.etch.mirror import METHODS, method_of, proof
from vane_step.core.fab.release import release
from vane_step.core.route.router import route
from vane_step.data.shipped import rule_set

# Mirrored or not: method -> front, back; the design view is the board seen from the front.
TRUTH = {"toner": (True, False), "film": (True, False), "film-away": (False, True), "pen": (False, True)}


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


def two_sided() -> Design:
    """Give a two-layer kitchen board that is lopsided on both sides."""
    on = board(40, 30, 2, rule_set("kitchen-table"))
    tracks = {
        "T1": track("T1", "A", 0.8, (5, 5), (15, 5), (15, 20)),
        "T2": track("T2", "A", 0.8, (30, 5), (30, 25), (22, 25), layer="back"),
    }
    return design([part("J1", "HDR-1x2", 8, 20)], {"A": "J1.1"}, on, tracks=tracks)


def ink_of(
    pdf: bytes, page: int, copy_at: tuple[float, float], size: tuple[float, float]
) -> shapely.Geometry:
    """Give the ink inside one copy's outline on a page, its lower left corner at the origin."""
    rings = [shapely.Polygon(p) for p in paths(pages(pdf)[page]) if len(p) > 2]
    shape = shapely.Polygon()
    for ring in rings:
        shape = shape.symmetric_difference(ring)
    window = shapely.box(copy_at[0], copy_at[1], copy_at[0] + size[0], copy_at[1] + size[1])
    return affinity.translate(shape.intersection(window), -copy_at[0], -copy_at[1])


class WhichWayRound(unittest.TestCase):
    """Mirror truth, proved on what is printed."""

    def test_table(self) -> None:
        """Every method has the sides the handbook gives."""
        self.assertEqual(set(TRUTH), set(METHODS))
        for name, (front, back) in TRUTH.items():
            self.assertEqual(
                (METHODS[name].mirrored("front"), METHODS[name].mirrored("back")), (front, back), name
            )

    def test_ink_lies_as_copper_will(self) -> None:
        """The ink read from the PDF is the copper of the side, mirrored or not as the method says."""
        d = two_sided()
        for name, turned in TRUTH.items():
            pdf = artwork.pdf(d, method_of(name))
            x, y = artwork.grid_of_copies(d, 1)[0]
            for page, side in enumerate(("front", "back")):
                ink = ink_of(pdf, page, (x + 0.5, y + artwork.STRIP_MM + 0.5), (39, 29))
                copper = shapely.union_all([s for _, _, layer, s in drawn_copper(d) if layer == side])
                copper = copper.difference(
                    shapely.union_all([shapely.Point(h.x_mm, h.y_mm).buffer(0.2) for h in holes(d)])
                )
                if turned[page]:
                    copper = affinity.scale(copper, -1, 1, origin=(20, 0))
                wanted = affinity.translate(copper, -0.5, -0.5)
                with self.subTest(name, side=side):
                    self.assertLess(ink.symmetric_difference(wanted).buffer(-0.02).area, 0.01)
                    other = affinity.scale(wanted, -1, 1, origin=(19.5, 0))
                    self.assertGreater(
                        ink.symmetric_difference(other).area,
                        5,
                        "the board is lopsided, so this test can fail",
                    )

    def test_the_word_proves_it(self) -> None:
        """The word reads mirrored on the sheet exactly when ink goes through a mirror on its way to readable copper."""
        for name, turned in TRUTH.items():
            for side, mirrored in zip(("front", "back"), turned, strict=True):
                ink_reads = (side == "front") != mirrored
                text = proof(method_of(name), side)  # type: ignore[arg-type]
                self.assertIn("reads normally; on" if ink_reads else "reads mirrored; on", text)
                self.assertIn(side.upper(), text)


class Scale(unittest.TestCase):
    """1 mm is 1 mm."""

    def test_ruler_and_outline(self) -> None:
        """Ruler and outline measured in the PDF are off by less than 0.05 %."""
        d = demo(BEEPER)
        drawn = paths(pages(artwork.pdf(d, method_of("toner")))[0])
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

    def test_correction(self) -> None:
        """A printer that shrank one axis is corrected in that axis by what was measured."""
        d = demo(BEEPER)
        plain, corrected = (
            paths(pages(artwork.pdf(d, method_of("toner"), 1, sheets.scale_of(*m)))[0])
            for m in ((50, 50), (49.5, 50.25))
        )
        for one, two in zip(plain[:40], corrected[:40], strict=True):
            for (x, y), (u, v) in zip(one, two, strict=True):
                self.assertAlmostEqual(u, x * 50 / 49.5, places=3)
                self.assertAlmostEqual(v, y * 50 / 50.25, places=3)
        for wrong in ((44, 50), (50, 56), (0, 50)):
            with self.assertRaises(InputError):
                sheets.scale_of(*wrong)

    def test_copies(self) -> None:
        """Copies lie apart and on the page; more than fit are refused with how many do."""
        d = demo(BEEPER)
        spots = artwork.grid_of_copies(d, 12)
        frames = [shapely.box(x, y, x + 44, y + 44 + artwork.STRIP_MM) for x, y in spots]
        page = shapely.box(0, 0, *sheets.PAGE_MM)
        for k, a in enumerate(frames):
            self.assertTrue(page.covers(a))
            self.assertTrue(all(a.distance(b) >= 5 for b in frames[k + 1 :]))
        with self.assertRaises(InputError) as caught:
            artwork.grid_of_copies(d, 13)
        self.assertIn("1 to 12", caught.exception.allowed)
        with self.assertRaises(InputError):
            artwork.grid_of_copies(design([], on=board(300, 300)), 1)

    def test_svg_is_the_same_picture(self) -> None:
        """The SVG says its size in millimetres and draws the same outlines as the PDF."""
        d = demo(BEEPER)
        root = ElementTree.fromstring(artwork.svg(d, method_of("toner"), "back"))
        self.assertEqual((root.get("width"), root.get("viewBox")), ("210.0mm", "0 0 210.0 297.0"))
        longest = max((e.get("d", "") for e in root.iter() if e.tag.endswith("path")), key=len)
        spots = [tuple(map(float, p.split())) for p in re.findall(r"[\d.]+ [\d.]+", longest.split("Z")[0])]
        edge = max(paths(pages(artwork.pdf(d, method_of("toner")))[0]), key=len)
        self.assertAlmostEqual(min(x for x, _ in spots), min(x for x, _ in edge), places=2)
        self.assertAlmostEqual(297 - max(y for _, y in spots), min(y for _, y in edge), places=2)
        with self.assertRaises(InputError):
            artwork.svg(d, method_of("toner"), "front")


class Drills(unittest.TestCase):
    """The drill list."""

    def test_smallest_bit_that_is_not_under(self) -> None:
        """Every hole is in the list; the bit is the smallest at hand that is not too small, and the ring loses half the rest."""
        d = demo(BEEPER)
        rows = drill_plan(d)
        self.assertEqual(sum(r.count for r in rows), len(holes(d)))
        for r in rows:
            self.assertEqual(r.bit_mm, min(mm for mm in BITS_MM.values() if mm >= r.drill_mm - 1e-9))
            self.assertAlmostEqual(r.ring_loss_mm, (r.bit_mm - r.drill_mm) / 2, places=4)
        # Of drills said to be at hand one of those is taken, or it is told that there is none; a ring it eats is told.
        for drills, told in (
            ("0.8 1.0", []),
            ("0.9 1.2", []),
            ("0.8", ["etch-drill"]),
            ("1.6", ["etch-ring"]),
        ):
            mine = said(d, f"drills {drills}")
            have = [float(x) for x in drills.split()]
            for r in drill_plan(mine):
                fits = [x for x in have if x >= r.drill_mm - 0.006]
                self.assertEqual((r.at_hand, r.bit_mm), (bool(fits), min(fits, default=r.drill_mm)))
            self.assertEqual(sorted({f.code for f in drill_findings(mine)}), told, drills)
        large = design([part("J1", "TERM-2", 10, 10)])
        self.assertTrue(all(r.bit_mm >= r.drill_mm for r in drill_plan(large)))

    def test_method_and_width(self) -> None:
        """A track too fine for the method is pointed out; an unknown method is refused."""
        thin = two_sided()
        self.assertEqual([f.code for f in artwork.etch_findings(thin, method_of("pen"))], [])
        fine = thin.replaced(tracks={"T1": track("T1", "A", 0.25, (5, 5), (15, 5))})
        self.assertEqual([f.code for f in artwork.etch_findings(fine, method_of("toner"))], ["etch-width"])
        with self.assertRaises(InputError):
            method_of("stencil")


class ByHand(unittest.TestCase):
    """Boards with two sides and no plated hole."""

    def test_no_track_ends_where_no_iron_reaches(self) -> None:
        """A board etched on two sides is routed so that leads under bodies are joined on the other side only; the rest is listed."""
        d = said(
            design([], on=board(60, 45)),
            "rules kitchen-table 2",
            "add J1..2 NT-3",
            "add C1..2 BE-100-25",
            "add R1..3 LMF-10K",
            "add Q1 FN-45",
            "join J1.1 C1.1 R1.1 12V",
            "join J1.2 C1.2 J2.3 GND",
            "join R1.2 Q1.B",
            "join Q1.C R2.1 J2.1",
            "join R2.2 12V",
            "join Q1.E R3.1 C2.1",
            "join R3.2 C2.2 GND",
            "join J2.2 J1.3",
            "arrange",
        )
        d = apply(d, route(d).edit)[0]
        made = release(d, "2026-01-01T00:00:00Z")
        self.assertEqual((made.stops, made.read.differences), ((), ()))
        self.assertIn("front", {t.layer for t in d.tracks.values()})
        under = {
            f"{p.ref}.{pad.number}"
            for p in d.parts.values()
            for pad in d.packages[p.package].pads
            if abs(pad.x_nm) < d.packages[p.package].body_nm[0] / 2
            and abs(pad.y_nm) < d.packages[p.package].body_nm[1] / 2
        }
        self.assertTrue({"J1.1", "C1.1"} <= under)
        ends = [
            (p, t.net) for t in d.tracks.values() if t.layer == "front" for p in (t.points[0], t.points[-1])
        ]
        for item in copper_items(d):
            if item.kind == "pad" and item.id in under:
                self.assertFalse(
                    [n for (x, y), n in ends if math.hypot(x / 1e6 - item.x_mm, y / 1e6 - item.y_mm) < 0.3],
                    item.id,
                )
        joints = both_sides(d)
        self.assertFalse(set(joints.pins) & under)
        self.assertEqual({id for id, _, _ in joints.vias}, set(d.vias))
        self.assertIn(
            "Solder on both sides", " ".join(artwork.drill_page(d)) if joints.pins else "Solder on both sides"
        )

    def test_a_board_made_for_plating_is_told(self) -> None:
        """Etched at home, boards for a house lose what joined them through plated holes; a leg that is reached is a joint."""
        told = {
            name: {f.code for f in artwork.etch_findings(demo(name), METHODS["pen"])}
            & {"etch-plating", "etch-layers"}
            for name in (FROST, BEEPER, CIDER)
        }
        self.assertEqual(
            told, {FROST: {"etch-plating"}, BEEPER: set(), CIDER: {"etch-plating", "etch-layers"}}
        )
        d = design(
            [part("C1", "ELCO-P250-D6", 10, 10), part("C2", "ELCO-P250-D6", 10, 20)],
            {"A": "C1.2 C2.2"},
            board(),
        )
        spots = [(i.x_mm, i.y_mm) for i in copper_items(d) if i.net == "A"]
        for layer, codes in (("front", {"etch-plating"}), ("back", set())):
            laid = d.replaced(tracks={"T1": track("T1", "A", 0.8, *spots, layer=layer)})
            self.assertEqual({f.code for f in artwork.etch_findings(laid, METHODS["pen"])}, codes)
