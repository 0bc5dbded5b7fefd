"""Routing as it is wanted: planes, widths and layers of nets, quiet zones, what stays."""

from __future__ import annotations

import unittest

from tests.support import (
    CIDER,
    FROST,
    board,
    demo,
    design,
    folder,
    laid,
    least_gap_breach,
    part,
    said,
    track,
)
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.model import Design, MountingHole, Pour
from vane_step.core.errors import EditRefused
from vane_step.core.operation.hot_copper import copper_findings
from vane_step.core.quantity import nm
from vane_step.core.route.router import _without_breaches, route
from vane_step.data.shipped import rule_set


class ByLink(unittest.TestCase):
    """Tracks as wide as what the pins they lead to can take."""

    def test_a_resistor_on_a_net_of_much_current(self) -> None:
        """The blade's 20 A go wide, its indicator's resistor gets a usual track; nothing is open, narrow or hot."""
        again = laid(demo("6-comb-blade"), fresh=True)
        found = check(again)
        self.assertEqual((found.figures["links_open"], found.stops), (0, 0))
        usual = again.board.rules.default_width_nm
        for net in ("BLADE", "12V"):
            widths = {t.width_nm for t in again.tracks.values() if t.net == net}
            self.assertEqual((min(widths), max(widths)), (usual, again.rule_of(net).width_nm))

    def test_what_flows_asks_for_width(self) -> None:
        """Nobody said a current: what a source drives through a fuse into a load gets tracks that stay cool for it."""
        d = said(
            Design(name="lamp", board=board(60, 40)),
            "add J1..2 NT-2",
            "add F1 WF-3",
            "add R1 QR-16-10K",
            "join J1.1 F1.1 IN",
            "join F1.2 J2.1 R1.1 LAMP",
            "join J1.2 J2.2 GND",
            "join R1.2 GND",
            "place J1 8 12",
            "place F1 30 30",
            "place J2 48 12",
            "place R1 30 10",
            "source PACK J1.1 J1.2 12V",
            "load BULB J2.1 J2.2 2A",
        )
        routed = apply(d, route(d).edit)[0]
        self.assertEqual([f.message for f in copper_findings(routed)], [])
        self.assertEqual(check(routed).figures["links_open"], 0)
        thin = apply(d, route(said(d, "load BULB none")).edit)[0]
        self.assertTrue(list(copper_findings(thin)))


class Planes(unittest.TestCase):
    """Layers kept for planes: only their nets' vias go there, and everything is joined through them."""

    def test_four_layers_afresh(self) -> None:
        """The press logger routed anew: whole, clean, no track on its planes; its ground is joined by them alone."""
        d = demo(CIDER)
        again = laid(d, fresh=True)
        found = check(again)
        self.assertEqual(
            (found.figures["links_open"], found.stops), (0, 0), [f.message for f in found.findings]
        )
        self.assertGreaterEqual(least_gap_breach(again), -1e-5)
        self.assertNotIn("acute-corner", {f.code for f in found.findings})
        planes = {(p.layer, p.net) for p in d.pours.values() if p.plane}
        on_planes = {(t.layer, t.net) for t in again.tracks.values() if t.layer in ("in1", "in2")}
        self.assertLessEqual(on_planes, planes)
        without = check(again.replaced(pours={})).figures["links_open"]
        self.assertGreater(without, 40)

    def test_a_plane_out_of_reach(self) -> None:
        """Pads far from a small plane still get there, on layers that are free; other nets do not cross it."""
        d = demo(CIDER)
        box = tuple((nm(x), nm(y)) for x, y in ((2, 2), (14, 2), (14, 14), (2, 14)))
        small = {k: p for k, p in d.pours.items() if p.layer == "in1"}
        small = {k: p.model_copy(update={"net": "5V0", "area": box}) for k, p in small.items()}
        bare = d.replaced(pours=small, tracks={}, vias={})
        done = apply(bare, route(bare, nets={"5V0", "SDA"}).edit)[0]
        self.assertEqual(
            [f for f in check(done).findings if f.code == "unrouted" and f.place.net in ("5V0", "SDA")], []
        )
        self.assertNotIn("SDA", {t.net for t in done.tracks.values() if t.layer == "in1"})


class Wishes(unittest.TestCase):
    """What the user asked for is kept."""

    def pair(self) -> Design:
        """Give two chips with two nets between them."""
        parts = [part("R1", "CHIP-2012M", 10, 15), part("R2", "CHIP-2012M", 30, 15)]
        return design(parts, {"A": "R1.2 R2.1", "B": "R1.1 R2.2"})

    def test_only_some_nets(self) -> None:
        """Routing one net leaves the others open."""
        d = laid(self.pair(), nets={"A"})
        self.assertEqual({t.net for t in d.tracks.values()}, {"A"})
        self.assertEqual(figures(d)["links_open"], 1)

    def test_locked_copper_stays(self) -> None:
        """Routing afresh lifts what is free and goes round what is locked."""
        wall = track("T1", "B", 0.3, (20, 2), (20, 28)).model_copy(update={"locked": True})
        free = track("T2", "A", 0.3, (11, 15), (14, 20))
        d = laid(apply(self.pair(), LayCopper(tracks=(wall, free)))[0], fresh=True)
        self.assertEqual(d.tracks["T1"], wall)
        self.assertNotIn(free, d.tracks.values())
        self.assertEqual(figures(d)["links_open"], 0)
        self.assertTrue(d.vias, "the wall can only be crossed on the other layer")

    def test_existing_copper_is_used(self) -> None:
        """A track laid by hand becomes part of the route: little is added to it."""
        own = track("T1", "A", 0.25, (11, 15), (28, 15))
        d = laid(apply(self.pair(), LayCopper(tracks=(own,)))[0], nets={"A"})
        self.assertEqual(figures(d)["links_open"], 1)
        added = figures(d)["track_length_mm"] - 17
        self.assertLess(added, 3)

    def test_no_way_is_told(self) -> None:
        """Walled in on one layer without wires, the link stays open, and nothing illegal is laid."""
        rules = rule_set("kitchen-table").model_copy(update={"jumper": None})
        parts = [part("J1", "HDR-1x2", 8, 15), part("J2", "HDR-1x2", 32, 15)]
        d = design(parts, {"A": "J1.1 J2.1", "B": "J1.2"}, board(layers=1, rules=rules))
        wall = track("T1", "B", 0.6, (20, 0.9), (20, 29.1), layer="back")
        d = apply(d, LayCopper(tracks=(wall,)))[0]
        result = route(d)
        self.assertEqual((result.links_wanted, result.links_made), (1, 0))
        self.assertEqual(check(apply(d, result.edit)[0]).stops, check(d).stops)

    def test_stopping_keeps_what_is_done(self) -> None:
        """Stopped at the first word of progress, what is laid is still legal."""
        heard: list[tuple[int, int]] = []

        def stop(done: int, total: int) -> bool:
            heard.append((done, total))
            return False

        d = folder("smd2L_040_s1")
        result = route(d, progress=stop)
        self.assertGreaterEqual(len(heard), 1)
        self.assertGreater(result.links_made, 0)
        self.assertEqual(
            {f.code for f in check(apply(d, result.edit)[0]).findings if f.level == "stop"} - {"unrouted"},
            set(),
        )

    def test_pours_are_filled_round_the_tracks(self) -> None:
        """A ground pour does not stand in the way; it joins what it reaches and is never too near."""
        d = self.pair().replaced(pours={"p": Pour(id="p", net="B", layer="back")})
        after = laid(d)
        self.assertEqual([f for f in check(after).findings if f.level == "stop"], [])

    def test_quiet_zones_are_gone_round(self) -> None:
        """No track of a net without a pad in a quiet zone crosses it, unless there is no other way."""
        d = said(demo(FROST), "zone quiet 27 34 12x12")
        self.assertIn("quiet-zone", {f.code for f in check(d).findings})
        after = laid(d, fresh=True)
        self.assertEqual({f.code for f in check(after).findings} & {"quiet-zone", "unrouted"}, set())
        pairs = {f"N{k}": f"J1.{k} J2.{k}" for k in range(1, 4)}
        two = design([part("J1", "HDR-1x3", 10, 15), part("J2", "HDR-1x3", 30, 15)], pairs)
        wall = said(two, "zone quiet 19 0 2x30")
        across = laid(wall, fresh=True)
        self.assertEqual({f.level for f in check(across).findings if f.code == "quiet-zone"}, {"look"})
        self.assertEqual(check(across).stops, 0)

    def test_what_breaches_is_lifted(self) -> None:
        """At the last, copper that breaks a rule is not laid, also where the breach is told far from it; the rest is."""
        hole = MountingHole(id="H1", x_nm=nm(20), y_nm=nm(25), drill_nm=nm(3), keepout_nm=nm(4))
        d = self.pair().replaced(holes={"H1": hole})
        bad, good = track("T1", "A", 0.3, (16, 21.8), (24, 21.8)), track("T2", "B", 0.3, (5, 5), (9, 5))
        kept = _without_breaches(d, LayCopper(tracks=(bad, good)), set())
        self.assertEqual(kept.tracks, (good,))

    def test_too_large(self) -> None:
        """A board beyond the grid is refused with what is allowed."""
        with self.assertRaises(EditRefused):
            route(design([part("R1", "CHIP-2012M", 10, 10)], {"A": "R1.1 R1.2"}, board(900, 900)))


if __name__ == "__main__":
    unittest.main()
