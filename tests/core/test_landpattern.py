"""Land patterns: the arithmetic of IPC-7351, and what must hold for every package the program makes."""

from __future__ import annotations

import itertools
import math
import unittest

import shapely
from hypothesis import given, strategies as st

from vane_step.core.design.model import Package
from vane_step.core.errors import InputError, NotFound
from vane_step.core.patterns.dimensions import from_dimensions, trimmed
from vane_step.core.patterns.landpattern import CHIP, GULL_COARSE, Span, ipc_pad, pad_shape
from vane_step.core.patterns.packages import package, package_examples
from vane_step.data.shipped import rule_set

# Leads in millimetres, as people measure them.
LEADS = {
    "DIP-8": 0.6,
    "AXIAL-P762": 0.6,
    "AXIAL-L110-D45-P1524": 0.8,
    "DO-35-P762": 0.55,
    "DO-41-P1016": 0.85,
    "DO-201-P1524": 1.3,
    "CER-P508-D5": 0.6,
    "ELCO-P250-D5": 0.6,
    "ELCO-P750-D18": 0.8,
    "ELCO-P1000-D30": 1.5,
    "SOUNDER-P762-D12": 0.6,
    "HDR-1x6": 0.8,
    "TERM-2": 1.1,
    "XTAL-P488": 0.5,
    "BUTTON-4-6": 0.8,
    "JACK-DC": 2.6,
    "HC-60": 4.3,
}
# Rows too close for hand drilling: only a house makes them.
HOUSE_ONLY = ("HDR127",)


def every() -> list[tuple[str, bool, Package]]:
    """Make each example for a house and for the kitchen table."""
    return [
        (n, k, package(n, k))
        for n in package_examples()
        for k in (False, True)
        if not (k and n.startswith(HOUSE_ONLY))
    ]


class Arithmetic(unittest.TestCase):
    """Z, G and X of a two-sided pattern."""

    def test_chip_by_hand(self) -> None:
        """A 2.0 x 1.25 mm chip worked out on paper: Z 3.15, G 0.45, X 1.40 before rounding outwards."""
        length, foot, width = Span(1.80, 2.20), Span(0.30, 0.70), Span(1.10, 1.40)
        z = 1.80 + 2 * 0.35 + math.sqrt(0.4**2 + 0.05**2 + 0.05**2)
        spread = math.sqrt(0.4**2 + 2 * 0.4**2)
        g = (2.0 - 2 * 0.5 + spread / 2) + 2 * 0.05 - math.sqrt(spread**2 + 0.05**2 + 0.05**2)
        x = 1.10 + math.sqrt(0.3**2 + 0.05**2 + 0.05**2)
        got = ipc_pad(length, foot, width, CHIP)
        for value, exact in zip(got, (z, g, x), strict=True):
            self.assertLess(abs(value - exact), 0.05)
        self.assertGreaterEqual(got[0], z - 1e-9)
        self.assertLessEqual(got[1], g + 1e-9)

    @given(
        st.floats(1, 20),
        st.floats(0, 0.6),
        st.floats(0.2, 0.4),
        st.floats(0, 0.3),
        st.floats(0.2, 3),
        st.floats(0, 0.3),
    )
    def test_toes_and_sides_are_left_for_solder(
        self, low: float, a: float, foot: float, b: float, w: float, c: float
    ) -> None:
        """The pad reaches beyond the shortest part by the toe, and tolerances only ever widen the pattern."""
        exact = ipc_pad(Span(low, low), Span(foot, foot), Span(w, w), GULL_COARSE)
        loose = ipc_pad(Span(low, low + a), Span(foot, foot + b), Span(w, w + c), GULL_COARSE)
        self.assertGreaterEqual(exact[0], low + 2 * GULL_COARSE.toe)
        self.assertGreaterEqual(loose[0], exact[0] - 1e-9)


class EveryPackage(unittest.TestCase):
    """Properties all patterns share."""

    def test_names(self) -> None:
        """Unknown names are refused with examples of what there is."""
        for name in ("", "SOIC-9", "TQFP-33", "HDR-1x99", "HDR-0x4", "CHIP-9999M", "soic-8"):
            with self.subTest(name), self.assertRaises(NotFound) as caught:
                package(name)
            self.assertEqual(len(caught.exception.allowed.split(", ")), 5)

    def test_pads_apart_and_enclosed(self) -> None:
        """Pads keep 0.15 mm apart at least, and courtyard encloses pads and body by 0.2 mm."""
        for name, kitchen, p in every():
            with self.subTest(name, kitchen=kitchen):
                shapes = [pad_shape(x) for x in p.pads]
                gaps = [
                    shapes[i].distance(shapes[j])
                    for i, j in itertools.combinations(range(len(shapes)), 2)
                    if p.pads[i].layers == p.pads[j].layers
                    or "through" in (p.pads[i].layers, p.pads[j].layers)
                    if p.pads[i].number != p.pads[j].number
                ]
                self.assertGreaterEqual(min(gaps, default=9), 0.15 - 1e-9)
                yard = shapely.box(*(v / 1e6 for v in p.courtyard_nm))
                self.assertTrue(yard.covers(shapely.union_all(shapes).buffer(0.2, join_style="mitre")))
                w, h = (v / 2e6 for v in p.body_nm)
                if p.pads[0].layers == "front":
                    self.assertTrue(
                        yard.covers(shapely.box(-w, -h, w, h)) or name.startswith(("USBC", "ELCO"))
                    )
                self.assertEqual(p.height_nm > 0, any(p.body_nm))
                if len(p.pads) > 1:
                    self.assertEqual(p.pin1_nm, (p.pads[0].x_nm, p.pads[0].y_nm))

    def test_ready_patterns_keep_their_house(self) -> None:
        """Leaded patterns keep the gap and ring of the rules they are made for; a tight pitch is trimmed and says so, or refused."""
        for name, kitchen, pack in every():
            rules = rule_set("kitchen-table" if kitchen else "standard-house")
            if any(p.layers != "through" or p.on_edge for p in pack.pads):
                continue
            pads = [(p, pad_shape(p)) for p in pack.pads if not p.bare_hole]
            gaps = [
                a.distance(b) for (p, a), (q, b) in itertools.combinations(pads, 2) if p.number != q.number
            ]
            self.assertGreaterEqual(
                min(gaps, default=9), rules.default_clearance_nm / 1e6 - 1e-6, (name, kitchen)
            )
            for pad, _ in pads:
                ring = (min(pad.width_nm, pad.height_nm) - pad.drill_nm) / 2
                self.assertGreaterEqual(ring, rules.min_ring_nm, (name, kitchen))
        for pitch in (2.54, 2.0, 1.5, 1.27, 1.1, 1.0):
            try:
                pack = trimmed(from_dimensions("sip", "X", {"pins": "4", "e": str(pitch), "b": "0.5"}), 0.15)
            except InputError as error:
                self.assertLess(pitch, 0.7 + 2 * 0.15 + 0.15, error)
                continue
            shapes = [pad_shape(p) for p in pack.pads]
            self.assertGreaterEqual(
                min(a.distance(b) for a, b in itertools.pairwise(shapes)), 0.15 - 1e-6, pitch
            )
            self.assertEqual("trimmed" in pack.source, pitch < 1.3 + 0.15, pitch)

    def test_legend_off_pads(self) -> None:
        """Printed lines keep 0.15 mm from pads, and pin 1 or polarity can be told from them or from the pad."""
        for name, kitchen, p in every():
            lines = shapely.union_all(
                [shapely.LineString([(x / 1e6, y / 1e6) for x, y in run]) for run in p.legend]
            )
            with self.subTest(name, kitchen=kitchen):
                plain = not p.polarised and len({q.number for q in p.pads}) <= 2
                if lines.is_empty and plain:
                    continue
                for pad in p.pads:
                    self.assertGreaterEqual(pad_shape(pad).distance(lines), 0.15 + 0.075 - 1e-6)
                turned = shapely.affinity.rotate(lines, 180, origin=(0, 0))
                told = (
                    lines.symmetric_difference(turned.buffer(0.01)).length > 0.3
                    or p.pads[0].shape != p.pads[1].shape
                )
                self.assertTrue(told or plain, "pin 1 looks like any other")

    def test_pins_run_anticlockwise(self) -> None:
        """From pin 1 at the top left the pins of multi-sided packages run anticlockwise, seen from above."""
        for name in ("SOIC-8", "SOIC-16", "TQFP-32", "TQFP-100", "DIP-8", "DIP-40", "SOT-23-6", "SOT-23-5"):
            p = package(name)
            angles = [math.degrees(math.atan2(x.y_nm, x.x_nm)) % 360 for x in p.pads]
            turns = sum((b - a) % 360 for a, b in itertools.pairwise([*angles, angles[0]]))
            with self.subTest(name):
                self.assertAlmostEqual(turns, 360)
                self.assertTrue(p.pads[0].x_nm < 0 < p.pads[0].y_nm)
                self.assertEqual([x.number for x in p.pads], [str(k + 1) for k in range(len(p.pads))])

    def test_holes_follow_the_lead(self) -> None:
        """Hole is lead + 0.20 mm; the pad adds 0.6 mm for a house and 1.0 mm for the kitchen table."""
        for name, lead in LEADS.items():
            for kitchen in (False, True):
                p = package(name, kitchen)
                with self.subTest(name, kitchen=kitchen):
                    for pad in p.pads:
                        self.assertLessEqual(abs(pad.drill_nm / 1e6 - lead - 0.20), 0.025 + 1e-9)
                        if "trimmed" not in p.source:
                            self.assertEqual(pad.width_nm - pad.drill_nm, 1_000_000 if kitchen else 600_000)
        for name, _, p in every():
            if "b lead" in p.drawing and "pad by pad" not in p.source:
                for pad in p.pads:
                    self.assertLessEqual(
                        abs(pad.drill_nm / 1e6 - p.drawing["b lead"][0] - 0.20), 0.025 + 1e-9, name
                    )

    def test_rows_meet_a_breadboard(self) -> None:
        """Pins of DIP, headers and axial parts sit on a 2.54 mm grid relative to each other."""
        for name in ("DIP-8", "DIP-28", "HDR-1x6", "HDR-2x5", "AXIAL-P762", "AXIAL-P1016"):
            first, *others = package(name).pads
            for pad in others:
                for gap in (pad.x_nm - first.x_nm, pad.y_nm - first.y_nm):
                    self.assertEqual(gap % 2_540_000, 0, name)
