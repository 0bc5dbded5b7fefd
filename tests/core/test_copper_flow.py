"""Currents in real copper: strips and sheets against closed forms, the demos against themselves with another mesh."""

from __future__ import annotations

import random
import unittest
from unittest.mock import patch

from tests.support import CIDER, FROST, board, codes, demo, resources, said, track, via
from vane_step.core.ask.cooling import TRIED, with_cooling
from vane_step.core.board.analysis.copper_currents import net_currents, taken
from vane_step.core.board.copper import copper_flow
from vane_step.core.board.copper.connectivity import net_copper
from vane_step.core.board.copper.copper_flow import CopperNet
from vane_step.core.board.copper.cut_currents import CutCurrents
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.copper.pour_heat import warmest_spot
from vane_step.core.design.model import Design, Pour
from vane_step.core.judge import all_findings
from vane_step.core.network.pin_limits import widest_v
from vane_step.core.network.readings import readings
from vane_step.core.operation.hot_copper import copper_findings
from vane_step.core.power.trace import rise_k, via_barrel_mm2, width_mm


def strip(*more: str) -> Design:
    """Make two plugs 72 mm apart on a long board."""
    d = said(Design(name="strip", board=board()), "outline 80x20", "add NH-1x2", "add NH-1x2")
    return said(d, "join J1.1 J2.1 CLK", "join J1.2 J2.2 GND", "place J1 4 10 90", "place J2 76 10 90", *more)


def sheet() -> Design:
    """Make a pour of 50 x 40 mm with two round contacts of 1 mm, held by vias."""
    d = said(Design(name="sheet", board=board(50, 40)), "add NH-1x1", "join J1.1 GND", "place J1 25 36")
    rules = d.board.rules.model_copy(update={"copper_to_edge_nm": 0})
    return d.replaced(
        pours={"p": Pour(id="p", net="GND", layer="back")},
        vias={"V1": via("V1", "GND", 10, 20, pad=2.0), "V2": via("V2", "GND", 40, 20, pad=2.0)},
        board=d.board.model_copy(update={"rules": rules}),
    )


class Copper(unittest.TestCase):
    def test_a_track(self) -> None:
        """A track has the resistance of its size; two side by side have half of it and share the current."""
        one = strip().replaced(tracks={"T1": track("T1", "CLK", 0.25, (2.73, 10), (74.73, 10))})
        ohm = CopperNet(one, "CLK").resistance("J1.1", "J2.1")
        assert ohm is not None
        copper = 1.724e-5 * 1 / (0.25 * 0.035)
        # From pad to pad, whose copper counts for nothing.
        self.assertTrue(copper * 69 < ohm < copper * 73, ohm / copper)
        wide = (2.73, 10), (2.73, 14), (74.73, 14), (74.73, 10)
        two = one.replaced(tracks={**one.tracks, "T2": track("T2", "CLK", 0.25, *wide)})
        found = CopperNet(two, "CLK").solve({"J1.1": -1.0, "J2.1": 1.0})
        amps = {id: max(p.amps for p in found.pieces if p.id == id) for id in ("T1", "T2")}
        self.assertAlmostEqual(amps["T1"] + amps["T2"], 1.0, places=6)
        self.assertTrue(1.0 < amps["T1"] / amps["T2"] < 1.2)

    def test_a_spur(self) -> None:
        """A way around carries all of it, a spur that leads nowhere nothing; heat is current times drop."""
        d = strip()
        ring = (2.73, 10), (2.73, 18), (40, 18), (74.73, 18), (74.73, 10)
        d = d.replaced(
            tracks={"T1": track("T1", "CLK", 0.5, *ring), "T2": track("T2", "CLK", 0.5, (40, 18), (40, 15))}
        )
        found = CopperNet(d, "CLK").solve({"J1.1": -2.0, "J2.1": 2.0})
        self.assertEqual([p.amps for p in found.pieces if p.id == "T2" and p.amps > 1e-9], [])
        self.assertAlmostEqual(max(p.amps for p in found.pieces), 2.0, places=6)
        self.assertAlmostEqual(found.watts, found.drop_v * 2.0, places=9)

    def test_a_sheet(self) -> None:
        """Two round contacts on a sheet read what the field between them says, within two hundredths; two meshes agree."""
        barrels = 2 * 1.724e-5 * 1.6 / via_barrel_mm2(0.3, 20.0)
        found = []
        for cell in (0.25, 0.4):
            with patch.object(copper_flow, "CELL_MM", cell):
                ohm = CopperNet(sheet(), "GND").resistance("V1", "V2")
            assert ohm is not None
            found.append(ohm - barrels)
        self.assertAlmostEqual(found[0], 0.000660, delta=0.02 * 0.000660)
        self.assertAlmostEqual(found[1], found[0], delta=0.03 * found[0])

    def test_demos(self) -> None:
        """What comes into a net leaves it, all is joined, and heat is current times drop within what pins share."""
        for name, net in ((FROST, "12V"), (FROST, "3V3"), (CIDER, "12V"), (CIDER, "PUMP_BACK")):
            one = net_currents(demo(name), net)
            assert one is not None and one.hottest is not None
            self.assertLess(one.currents.open_a, 1e-9)
            self.assertLessEqual(one.hottest.amps, one.amps * 1.0001)
            self.assertLessEqual(one.currents.watts, one.amps * one.currents.drop_v * 1.0001)
            self.assertAlmostEqual(
                one.rise_k, rise_k(one.hottest.width_mm, one.hottest.amps, 35.0, "outer"), delta=1.0
            )
            self.assertEqual(list(copper_findings(demo(name))), [])

    def test_a_thin_track_is_told(self) -> None:
        """A net of which nobody said a current is judged by what flows: thin it is found, said it is the claim that counts."""
        d = strip().replaced(tracks={"T1": track("T1", "CLK", 0.2, (2.73, 10), (74.73, 10))})
        d = said(d, "source PACK J1.1 J1.2 12V", "load LAMP J2.1 J2.2 2A")
        found = list(copper_findings(d))
        self.assertEqual([(f.code, f.level) for f in found], [("copper-hot", "stop")])
        self.assertTrue(found[0].as_listed())
        self.assertEqual(list(copper_findings(said(d, "load LAMP J2.1 J2.2 100mA"))), [])
        self.assertEqual(list(copper_findings(said(d, "current CLK 2A"))), [])
        # A pulse of a hundredth of a second does not heat it as much.
        pulse = list(copper_findings(said(d, "load LAMP J2.1 J2.2 2A for 10ms")))
        self.assertTrue(not pulse or (pulse[0].reading or 0) < (found[0].reading or 0))

    def test_a_narrow_pour_is_told(self) -> None:
        """A strip of pour is as warm as a track of its width about; a slot that leaves a bridge makes that hot."""
        d = said(Design(name="strip", board=board(100, 40)), "add NH-1x1", "add NH-1x1", "join J1.1 J2.1 VIN")
        d = said(d, "place J1 6 20", "place J2 94 20", "pour VIN front box=2,16,96x8")
        copper = CopperNet(d, "VIN")
        for amps in (4.0, 9.0):
            width, um = width_mm(amps, 10.0, 35.0, "outer"), 35.0
            shed = amps**2 * 1.724e-8 / (width**2 * um * 1e-12) / 10.0
            spot = warmest_spot(copper, copper.solve({"J1.1": -amps, "J2.1": amps}), {"front": shed})
            assert spot is not None
            # Given off at one rate for all widths, it is as the chart says at the width that is just enough.
            self.assertAlmostEqual(spot.rise_k, 10.0 * (width / 8) ** 2, delta=0.06 * spot.rise_k)
        fed = ("source PACK J1.1 GND 12V", "load LAMP J2.1 GND 6A")
        d = said(d, "add J3 NT-2", "join J3.1 J3.2 GND", *fed)
        self.assertEqual([f for f in copper_findings(d) if "pour" in f.message], [])
        cut = said(d, "clear VIN-front 46 15 8x8.4")
        [found] = [f for f in copper_findings(cut) if "pour" in f.message]
        self.assertEqual((found.code, found.place.net), ("copper-hot", "VIN"))
        x, y = (found.place.x_nm or 0) / 1e6, (found.place.y_nm or 0) / 1e6
        self.assertTrue(45 < x < 55 and 23 < y < 24.5, (x, y))

    def test_what_is_said_of_nets_flows_in_copper(self) -> None:
        """A source and a load said of nets come over pins of connectors, different ones: what flows between is judged."""
        d = said(
            Design(name="nets", board=board(100, 30)), "add NH-1x1", "add NH-1x1", "add NH-1x1", "add NH-1x1"
        )
        d = said(d, "join J1.1 J2.1 VIN", "join J3.1 J4.1 GND", "place J1 6 10", "place J2 94 10")
        d = said(d, "place J3 6 20", "place J4 94 20", "source PACK VIN GND 12V", "load LAMP VIN GND 2A")
        [state] = [r for r in readings(d).all if r.setting.sources]
        for net in ("VIN", "GND"):
            amps = taken(d, net, state)
            self.assertAlmostEqual(sum(amps.values()), 0.0, places=9)
            self.assertAlmostEqual(max(amps.values()), 2.0, places=9)
        d = d.replaced(tracks={"T1": track("T1", "VIN", 0.2, (6, 10), (94, 10))})
        self.assertIn("copper-hot", {f.code for f in copper_findings(d)})

    def test_more_copper_is_offered(self) -> None:
        """One via in a way of 3 A, a locked thin track, a supply lost on its way: told, and what is offered cures each."""
        one = {
            "T1": track("T1", "CLK", 2.0, (2.73, 10), (40, 10)),
            "T2": track("T2", "CLK", 2.0, (40, 10), (74.73, 10), layer="back"),
        }
        hole = strip().replaced(tracks=one, vias={"V1": via("V1", "CLK", 40, 10)})
        locked = track("T1", "CLK", 0.2, (2.73, 10), (74.73, 10)).model_copy(update={"locked": True})
        fed = ("source PACK J1.1 J1.2 12V", "load LAMP J2.1 J2.2 2.5A")
        far = said(
            Design(name="far", board=board(100, 20)),
            *("add J1 NT-2", "add U1 OP-20T", "join J1.1 U1.16 VIN", "join J1.2 U1.6 GND", "place J1 6 10"),
            *("place U1 92 10", "width VIN 0.2mm", "route J1.1 U1.16", "route J1.2 U1.6"),
            *("source CELL J1.1 J1.2 2.5V", "load MORE U1.16 U1.6 300mA"),
        )
        for design, code, verb in (
            (said(hole, *fed), "via-hot", "vias"),
            (said(strip().replaced(tracks={"T1": locked}), *fed), "copper-hot", "pour"),
            (far, "copper-drop", "route"),
        ):
            [found] = [f for f in with_cooling(design, all_findings(design), resources()) if f.code in TRIED]
            self.assertTrue(found.as_listed())
            assert found.remedy is not None
            self.assertEqual((found.code, found.remedy.ask.split()[0]), (code, verb))
            left = {f.code for f in all_findings(said(design, found.remedy.ask))}
            self.assertEqual(left & set(TRIED), set())
        lost = next(f for f in all_findings(far) if f.code == "copper-drop")
        copper = [net_currents(far, net) for net in ("VIN", "GND")]
        drop = sum(one.currents.drop_v for one in copper if one is not None)
        self.assertAlmostEqual(lost.reading or 0, 2.5 - drop, places=4)
        less = said(far, "load MORE U1.16 U1.6 50mA")
        self.assertNotIn("copper-drop", {f.code for f in all_findings(less)})


def scrawl(seed: int) -> tuple[Design, dict[str, float]]:
    """Make a net of single pins joined by a random tree of tracks on two layers, some rings, some pours; and limits."""
    luck = random.Random(seed)
    count = luck.randint(3, 7)
    d = said(Design(name="scrawl", board=board(60, 50)), *(["add NH-1x1"] * count))
    d = said(d, "join " + " ".join(f"J{k + 1}.1" for k in range(count)) + " VIN")
    spots = luck.sample([(6 + 8 * i, 6 + 8 * k) for i in range(7) for k in range(6)], count)
    d = said(d, *(f"place J{k + 1} {x} {y}" for k, (x, y) in enumerate(spots)))
    pads = {i.id: (i.x_mm, i.y_mm) for i in net_copper(d)["VIN"].items}
    ends = [pads[f"J{k + 1}.1"] for k in range(count)]
    tracks, vias = {}, {}
    for n in range(1, count + luck.randint(0, 2)):
        a = ends[n] if n < count else luck.choice(ends)
        b = luck.choice(ends[: min(n, count)])
        if a == b:
            continue
        knee, layer = (a[0], b[1]), luck.choice(("front", "back"))
        width = luck.choice((0.2, 0.5, 1.5))
        tracks[f"T{n}"] = track(f"T{n}", "VIN", width, a, knee, layer=layer)
        other = luck.choice((layer, "front"))
        tracks[f"S{n}"] = track(f"S{n}", "VIN", luck.choice((0.2, 0.8)), knee, b, layer=other)
        if other != layer:
            vias[f"V{n}"] = via(f"V{n}", "VIN", *knee)
    pours = {"p": Pour(id="p", net="VIN", layer="back")} if luck.random() < 0.3 else {}
    limits = {f"J{k + 1}.1": luck.choice((0.0, 0.01, 0.3)) for k in range(count) if luck.random() < 0.5}
    return d.replaced(tracks=tracks, vias=vias, pours=pours), limits


class MostThatCanPass(unittest.TestCase):
    """What bounds the current in a piece, against what flows in it."""

    def test_never_below_what_flows(self) -> None:
        """Whatever pins take within their limits, no piece or via carries more than was said it can."""
        bounded = 0
        for seed in range(25):
            d, limits = scrawl(seed)
            luck, claim = random.Random(seed), 5.0
            copper = net_copper(d)["VIN"]
            cuts = CutCurrents(limits, pour_pieces(d), copper, claim)
            items = copper.items
            most: dict[str, float] = {}
            for item in items:
                if item.kind in ("track", "via"):
                    most[item.id] = max(most.get(item.id, 0.0), cuts.most_a([item]))
            bounded += sum(a < claim for a in most.values())
            whole = CopperNet(d, "VIN")
            for _ in range(4):
                takes = _within(luck, [i.id for i in items if i.kind == "pad"], limits, claim)
                found = whole.solve(takes)
                for id, amps in [*((p.id, p.amps) for p in found.pieces), *found.vias.items()]:
                    self.assertLessEqual(amps, most[id] + 2e-3, (seed, id, takes))
        self.assertGreater(bounded, 40)

    def test_a_divider_needs_no_wide_track(self) -> None:
        """On a net of 10 A the track to a divider may be thin, that to a shunt or a plug may not."""
        d = said(
            Design(name="sense", board=board(60, 40)), "add NH-1x2", "add NH-1x2", "add R 75k", "add R 0.05"
        )
        d = said(
            d,
            "join J1.1 J2.1 R1.1 R2.1 VIN",
            "join J1.2 J2.2 GND",
            "join R1.2 R2.2 OUT",
            "source B VIN GND 12V",
        )
        d = said(
            d, "place J1 6 10", "place J2 50 10", "place R1 20 30", "place R2 40 30", "width VIN 10A 20K"
        )
        at = {i.id: (i.x_mm, i.y_mm) for i in net_copper(d)["VIN"].items}
        wide = d.nets["VIN"].rule
        assert wide is not None
        trunk = track("T1", "VIN", wide.width_nm / 1e6, at["J1.1"], at["J2.1"])
        for leaf, bears in (("R1.1", True), ("R2.1", False)):
            (x, y), (_, low) = at[leaf], at["J1.1"]
            thin = track("T2", "VIN", 0.3, (x, low), (x, y))
            told = set(codes(d.replaced(tracks={"T1": trunk, "T2": thin})))
            self.assertEqual(not told & {"track-current", "net-width"}, bears, (leaf, told))

    def test_how_much_may_stand_across(self) -> None:
        """Two rails count together, also of a source turned round by its pins; stacked ones bound nothing."""
        d = said(Design(name="two", board=board()), "add NH-1x2", "add NH-1x2")
        d = said(d, "join J1.1 PLUS", "join J1.2 J2.1 GND", "join J2.2 MINUS", "source A J1.1 J1.2 12V")
        for more, wanted in (
            ("source B J2.1 J2.2 9V", 21.0),
            ("source B J2.2 J2.1 5V", 12.0),
            ("source B J1.1 J2.2 9V", None),
        ):
            found = widest_v(said(d, more))
            self.assertEqual(found if found is None else round(found / 1.1, 6), wanted, more)


def _within(luck: random.Random, pins: list[str], limits: dict[str, float], claim: float) -> dict[str, float]:
    """Give currents of pins that sum to nothing, each within its limit, no more in all than the claim."""
    takes = {p: luck.uniform(-1, 1) * limits.get(p, claim) for p in pins}
    free = [p for p in pins if p not in limits]
    if len(free) < 2:
        takes |= dict.fromkeys(pins, 0.0)
        if free and len(pins) > 1:
            leaf = luck.choice([p for p in pins if p not in free])
            takes |= {leaf: limits[leaf], free[0]: -limits[leaf]}
        return takes
    takes[free[0]] -= sum(takes.values())
    given = sum(a for a in takes.values() if a > 0)
    scale = min(1.0, claim / given) if given else 1.0
    return {p: a * scale for p, a in takes.items()}
