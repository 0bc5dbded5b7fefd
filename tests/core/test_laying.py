"""Tracks laid by hand: every way is legal by the exact check, old ways are replaced, widths fill the room there is."""

from __future__ import annotations

import unittest

from hypothesis import given, settings, strategies as st
from shapely.geometry import Point

from tests.support import FROST, demo, joined_nets, least_gap_breach, said
from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.board.tracks.reroute import needless, widened
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, InputError, VaneStepError
from vane_step.core.quantity import nm
from vane_step.core.route.guide import Guide, Spot, link


def stops(d: Design) -> list[str]:
    """List the stops of a board but its open links."""
    return [f.message for f in check(d).findings if f.level == "stop" and f.code != "unrouted"]


class Ways(unittest.TestCase):
    """Ways from here to there on the demo board, one of its nets lifted."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.board = said(demo(FROST), "lift PUMP_G").replaced(pours={})
        cls.guide = Guide(cls.board, "PUMP_G")

    @settings(max_examples=40)
    @given(st.sampled_from(["front", "back"]), *[st.floats(1, 78)] * 2, *[st.floats(1, 54)] * 2)
    def test_any_way_is_legal(self, layer: str, x0: float, x1: float, y0: float, y1: float) -> None:
        """What is given begins and ends where asked, on one layer, and passes the exact check; no way means no room."""
        ends = Spot(layer, x0, y0), Spot(layer, x1, y1)  # type: ignore[arg-type]
        found = self.guide.way(*ends)
        if found is None or not found.tracks:
            return
        self.assertEqual({t.layer for t in found.tracks}, {layer})
        for spot, at in zip(ends, (found.tracks[0].points[0], found.tracks[-1].points[-1]), strict=True):
            self.assertLess(Point(at[0] / 1e6, at[1] / 1e6).distance(Point(spot.x_mm, spot.y_mm)), 1.6)
        after = apply(self.board, found)[0]
        self.assertEqual(stops(after), [])
        self.assertGreaterEqual(least_gap_breach(after), -1e-5)

    def test_link_and_its_refusals(self) -> None:
        """A link joins its two pins and no others; pins of two nets, and a pin walled in, are told."""
        after = apply(self.board, link(self.board, "R9.2", "Q1.1"))[0]
        self.assertEqual(stops(after), [])
        self.assertEqual(len(connectivity(self.board).open_links) - len(connectivity(after).open_links), 1)
        with self.assertRaises(InputError):
            link(self.board, "R9.2", "R9.1")
        # Ways may not cross: walled in by a track of another net round the pad, there is none.
        pad = next(i for i in copper_items(self.board) if i.id == "R9.2")
        rim = [
            (nm(pad.x_mm + dx), nm(pad.y_mm + dy))
            for dx, dy in ((-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1))
        ]
        wall = self.board.tracks[next(iter(self.board.tracks))].model_copy(
            update={"id": "wall", "net": "GND", "layer": "front", "width_nm": nm(0.2), "points": tuple(rim)}
        )
        below = wall.model_copy(update={"id": "wall2", "layer": "back"})
        walled = self.board.replaced(tracks={**self.board.tracks, "wall": wall, "wall2": below})
        with self.assertRaises(EditRefused):
            link(walled, "R9.2", "Q1.1")

    def test_bending_goes_past_a_point_without_a_way_back(self) -> None:
        """A track led past a free point touches it, keeps its ends, and no piece of it is run over twice."""
        d = demo(FROST).replaced(pours={})
        bends = 0
        for track in sorted(
            (t for t in d.tracks.values() if t.layer == "back"), key=lambda t: -len(t.points)
        )[:4]:
            guide = Guide(d, track.net, (track.id,))
            ends = [Spot(track.layer, x / 1e6, y / 1e6) for x, y in (track.points[0], track.points[-1])]
            for dx, dy in ((1.5, 1.5), (-1.5, 1.5), (1.5, -1.5), (-1.5, -1.5)):
                bent = guide.past(ends[0], Spot(track.layer, ends[0].x_mm + dx, ends[0].y_mm + dy), ends[1])
                if bent is None or not bent.tracks:
                    continue
                bends += 1
                after = apply(d, bent.model_copy(update={"lift": (track.id,)}))[0]
                self.assertEqual(stops(after), [])
                self.assertEqual(joined_nets(after)[track.net], joined_nets(d)[track.net])
                lines = [i.spine for i in copper_items(after) if i.id in {t.id for t in bent.tracks}]
                for k, one in enumerate(lines):
                    self.assertTrue(all(one.intersection(two).length < 1e-9 for two in lines[k + 1 :]))
        self.assertGreater(bends, 3)


class Relaying(unittest.TestCase):
    """A second way in place of the first, and tracks widened afterwards."""

    def test_the_old_way_goes(self) -> None:
        """For each link of a net laid again, what is lifted leaves all pads joined and nothing loose; locked copper stays."""
        d = demo(FROST).replaced(pours={})
        for net in ("PUMP_G", "PROG_CK"):
            pins = d.nets[net].pins[:2]
            lone = Guide(said(d, f"lift {net}"), net)
            laid = lone.between(lone.of_pin(pins[0]), lone.of_pin(pins[1]), vias=True)
            assert laid is not None
            names = {t.id: f"new-{t.id}" for t in (*laid.tracks, *laid.vias)}
            laid = LayCopper(
                tracks=tuple(t.model_copy(update={"id": names[t.id]}) for t in laid.tracks),
                vias=tuple(v.model_copy(update={"id": names[v.id]}) for v in laid.vias),
            )
            old = needless(d, laid)
            after = apply(d, laid.model_copy(update={"lift": old}))[0]
            with self.subTest(net):
                self.assertTrue(old)
                self.assertEqual(joined_nets(after)[net], 1)
                self.assertFalse(
                    [f for f in check(after).findings if f.code == "loose-end" and f.place.net == net]
                )
                kept = d.replaced(
                    tracks={k: t.model_copy(update={"locked": True}) for k, t in d.tracks.items()}
                )
                self.assertFalse(set(needless(kept, laid)) & set(d.tracks))

    def test_widening_takes_the_room_there_is(self) -> None:
        """No gap is broken, and no straight piece could be a hundredth wider."""
        d = demo(FROST).replaced(pours={})
        edit, least = widened(d, "GND", dict.fromkeys(d.board.layers, nm(1.0)))
        after = apply(d, edit)[0]
        self.assertEqual(stops(after), [])
        self.assertGreaterEqual(least_gap_breach(after), -1e-6)
        widths = [t.width_nm for t in after.tracks.values() if t.net == "GND"]
        self.assertEqual((min(widths), max(widths)), (least, nm(1.0)))
        tight = [t for t in edit.tracks if t.width_nm < nm(1.0) and t.width_nm > nm(0.3)]
        self.assertTrue(tight)
        for track in tight[:6]:
            wider = {**after.tracks, track.id: track.model_copy(update={"width_nm": track.width_nm + 20_000})}
            self.assertTrue(stops(after.replaced(tracks=wider)), track.id)

    def test_said(self) -> None:
        """The same by sentences, with what they refuse."""
        d = demo(FROST)
        self.assertGreater(len(said(d, "widen 3V3 0.8mm").tracks), len(d.tracks))
        for sentence in ("widen GND 0.1mm", "widen NOSUCH", "route R9.2 R9.1"):
            with self.assertRaises(VaneStepError):
                said(d, sentence)
