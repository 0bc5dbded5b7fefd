"""Spacing by voltage against IPC-2221B, from what the rails say."""

from __future__ import annotations

import unittest

from hypothesis import given, settings, strategies as st

from tests.support import (
    design,
    part,
    said,
    track,
)
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import (
    Pour,
)
from vane_step.core.power.spacing import spacing_mm
from vane_step.core.quantity import nm


class Creepage(unittest.TestCase):
    """Spacing by the voltage between nets."""

    def test_table(self) -> None:
        """Values read from IPC-2221B, table 6-1, by hand; more volts never want less."""
        for volts, inner, bare, coated, lead in (
            (12, 0.05, 0.1, 0.05, 0.13),
            (48, 0.1, 0.6, 0.13, 0.4),
            (100, 0.1, 0.6, 0.13, 0.5),
            (325, 0.25, 2.5, 0.8, 1.5),
            (600, 0.5, 3.0, 1.105, 1.805),
        ):
            self.assertEqual(
                [round(spacing_mm(volts, s), 3) for s in ("inner", "bare", "coated", "lead")],
                [inner, bare, coated, lead],
            )  # type: ignore[arg-type]
        for surface in ("inner", "bare", "coated", "lead"):
            found = [spacing_mm(v, surface) for v in range(0, 900, 7)]  # type: ignore[arg-type]
            self.assertEqual(found, sorted(found))

    @settings(max_examples=40)
    @given(
        st.sampled_from([(12, ""), (48, "look"), (100, "stop"), (325, "stop")]),
        st.floats(0.2, 2.0),
        st.booleans(),
    )
    def test_pads_and_pours(self, rail: tuple[int, str], gap: float, poured: bool) -> None:
        """Two pads, or a track and a pour, so far apart: told exactly where the table wants more."""
        volts, level = rail
        parts = [
            part("J1", "CHIP-2012M", 10, 10),
            part("J2", "CHIP-2012M", 20, 10),
            part("J3", "HDR-1x2", 30, 20),
        ]
        d = said(design(parts, {"HV": "J1.2", "LOW": "J2.1 J3.1"}), f"rail HV {volts}V")
        at_ = {i.id: i.shape().bounds for i in copper_items(d)}
        shift = at_["J2.1"][0] - at_["J1.2"][2] - gap
        place = d.parts["J2"].place
        assert place is not None
        there = place.model_copy(update={"x_nm": place.x_nm - nm(shift)})
        d = apply(d, PlaceParts(places={"J2": there}))[0]
        wanted, surface = nm(gap) / 1e6, "lead"
        if poured:
            d = d.replaced(
                pours={"P1": Pour(id="P1", net="LOW", layer="back", clearance_nm=nm(gap))},
                tracks={"T1": track("T1", "HV", 0.3, (15, 25), (25, 25), layer="back")},
            )
            d = apply(d, PlaceParts(places={"J2": place}))[0]
            surface = "coated"
        found = [f for f in check(d).findings if f.code == "creepage"]
        least = spacing_mm(volts, surface)  # type: ignore[arg-type]
        if abs(wanted - least) > 0.01:
            self.assertEqual([f.level for f in found], [level] if level and wanted < least else [])
        if found:
            self.assertAlmostEqual(found[0].reading or 0, wanted, delta=0.01)
