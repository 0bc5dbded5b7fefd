"""The bath: amounts by the equations, what it has eaten, time learned from a log; steps and records of an etching."""

from __future__ import annotations

import math
import random
import unittest
from datetime import UTC, date, datetime, timedelta

import shapely
from shapely.geometry import Point

from tests.support import BEEPER, FROST, demo, drawn_copper
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.etch.bath import PLENTY, Bath, copper_area, needs, removed_g, to_remove_g
from vane_step.core.etch.bath_time import BathState, expected, guidance_s
from vane_step.core.etch.cautions import BATH
from vane_step.core.etch.danger import danger_places
from vane_step.core.etch.methods import BY_HAND, METHODS
from vane_step.core.etch.picture import Ink, picture
from vane_step.core.etch.plan import art_plan
from vane_step.core.etch.run import (
    Defect,
    EtchRun,
    eaten_g,
    in_bath,
    learned,
    mended,
    out_of_bath,
    ticked,
    with_defect,
)
from vane_step.core.etch.steps import work_steps

NOW = datetime(2026, 3, 1, 9, 0, tzinfo=UTC)


def a_run(**more: object) -> EtchRun:
    """Give an etching that has only begun."""
    said = {"begun_at": NOW, "version": 1, "method": "toner", "copper_um": 35.0, "removed_g": 0.5, **more}
    return EtchRun.model_validate(said)


class Amounts(unittest.TestCase):
    """Copper to remove and what that takes."""

    def test_check_values(self) -> None:
        """The handbook's board takes what the handbook says; acid goes by its strength and density; twice the copper takes twice."""
        grams = removed_g(50, 35, 0.3)
        self.assertAlmostEqual(grams, 1.0976, places=4)
        need = needs(grams)
        for found, wanted, digits in (
            (need.moles, 0.017273, 6),
            (need.ferric_g, 5.6033, 3),
            (need.hexahydrate_g, 9.3375, 3),
            (need.peroxide_ml, 19.39, 2),
            (need.hcl_moles, 0.034545, 6),
        ):
            self.assertAlmostEqual(found, wanted, places=digits)
        # Densities of tables: 10 % 1.048, 30 % 1.149 g/mL.
        for percent, density in ((10, 1.048), (30, 1.149)):
            self.assertAlmostEqual(
                need.acid_ml(percent), need.hcl_moles * 36.46 / (percent / 100 * density), delta=0.02
            )
        with self.assertRaises(InputError):
            need.acid_ml(60)
        self.assertAlmostEqual(needs(2 * grams).hexahydrate_g, 2 * need.hexahydrate_g)

    def test_area_of_a_board(self) -> None:
        """What goes away is the laminate less the copper drawn; copies count each, a blank is etched whole."""
        d = demo(BEEPER)
        edge = outline(d)
        copper = shapely.union_all([s for _, _, layer, s in drawn_copper(d) if layer == "back"])
        plan = art_plan({"factor": "none", "words": "no"})
        whole, kept = copper_area(d, plan, 1)
        self.assertAlmostEqual(whole, edge.area / 100, places=6)
        self.assertAlmostEqual(kept, copper.area / 100, delta=0.01)
        self.assertAlmostEqual(to_remove_g(d, plan, 3), 3 * to_remove_g(d, plan, 1))
        blank = art_plan({"factor": "none", "words": "no", "blank": "100x60"})
        self.assertAlmostEqual(to_remove_g(d, blank, 1), (60 - kept) * 35e-4 * 8.96, delta=1e-3)
        both = copper_area(demo(FROST), plan, 1)[0]
        self.assertAlmostEqual(both, 2 * outline(demo(FROST)).area / 100, places=6)

    def test_a_bath_and_its_history(self) -> None:
        """A bath can take what its salt or acid can; what it has eaten comes from the boards that came out of it."""
        ferric = Bath(id="f", name="f", school="ferric", made=date(2026, 2, 1), volume_ml=500, strength=400)
        self.assertAlmostEqual(needs(ferric.capacity_g).hexahydrate_g, 200)
        acid = Bath(id="a", name="a", school="acid", made=date(2026, 2, 1), volume_ml=300, strength=10)
        need = needs(acid.capacity_g)
        self.assertTrue(
            math.isclose(need.peroxide_ml, 200, rel_tol=1e-6)
            or math.isclose(need.acid_ml(10), 100, rel_tol=1e-6)
        )
        self.assertLessEqual(need.peroxide_ml, 200.001)
        self.assertLessEqual(need.acid_ml(10), 100.001)
        out = out_of_bath(
            in_bath(a_run(), ferric, 1.0, 40, True, NOW), "clean", "", NOW + timedelta(minutes=9)
        )
        inside = in_bath(a_run(), ferric, 1.0, 40, True, NOW)
        self.assertEqual(eaten_g("f", [out, inside, a_run()]), 0.5)
        self.assertAlmostEqual(out.spent, 1.0 / ferric.capacity_g)


class Time(unittest.TestCase):
    """Guidance, and what is learned."""

    def test_guidance(self) -> None:
        """Fresh moved baths take 5 to 20 minutes, tired or still ones an hour; warmth, movement and age each tell their way."""
        for school in ("ferric", "acid"):
            fresh = BathState(school)  # type: ignore[arg-type]
            self.assertTrue(300 <= guidance_s(fresh) <= 1200)
            e = expected(fresh, [])
            self.assertTrue(e.low_s < e.middle_s < e.high_s)
        cool = BathState("ferric", temperature_c=20)
        tired = BathState("ferric", temperature_c=20, moved=False, spent=1 / PLENTY)
        self.assertGreater(guidance_s(cool), guidance_s(BathState("ferric", temperature_c=40)))
        self.assertGreater(guidance_s(tired), 3600)
        self.assertAlmostEqual(guidance_s(BathState("acid", 70)), 2 * guidance_s(BathState("acid", 35)))

    def test_learns_from_the_log(self) -> None:
        """On a bench that is 1.8 times slower the expectation comes near that, narrows, and holds eight of ten."""
        rng = random.Random(4)
        state = BathState("ferric", temperature_c=35)
        truth = 1.8 * guidance_s(state)
        log: list[tuple[BathState, float]] = []
        widths, hits = [], 0
        for k in range(200):
            e = expected(state, log[: min(k, 12)])
            seconds = truth * math.exp(rng.gauss(0, math.log(1.25)))
            hits += e.low_s <= seconds <= e.high_s if k > 20 else 0
            widths.append(e.high_s / e.low_s)
            log.append((state, seconds))
        self.assertEqual(widths[:12], sorted(widths[:12], reverse=True))
        self.assertAlmostEqual(expected(state, log).middle_s / truth, 1, delta=0.05)
        self.assertTrue(0.7 < hits / 179 < 0.92, hits / 179)
        self.assertEqual(expected(BathState("acid"), log), expected(BathState("acid"), []))
        # Only boards that came out clean teach.
        clean = out_of_bath(
            in_bath(a_run(), None, 0, None, True, NOW), "clean", "", NOW + timedelta(minutes=11)
        )
        over = out_of_bath(
            in_bath(a_run(), None, 0, None, True, NOW), "over", "", NOW + timedelta(minutes=40)
        )
        self.assertEqual([s for _, s in learned([clean, over, a_run()])], [660.0])


class Record(unittest.TestCase):
    """Steps and the record of one etching."""

    def test_steps_of_every_method(self) -> None:
        """Every method has its steps, each once, the bath's with the cautions; two sides are brought together and wired through."""
        one, two = demo(BEEPER), demo(FROST)
        for method in METHODS.values():
            for d in (one, two):
                steps = work_steps(method, d)
                keys = [s.key for s in steps]
                self.assertEqual(len(keys), len(set(keys)))
                self.assertEqual("etch" in keys, method.etched)
                self.assertEqual("through" in keys, d is two)
                if method.etched:
                    self.assertEqual(next(s for s in steps if s.key == "etch").cautions, BATH)
                    self.assertLess(keys.index("clean"), keys.index("etch"))
                    self.assertLess(keys.index("etch"), keys.index("rinse"))
                    self.assertEqual("register" in keys, d is two and method.name not in BY_HAND)

    def test_the_timer_and_faults(self) -> None:
        """A board goes in once and comes out once; ticks come and go; a fault is mended by pen before, by solder after."""
        steps = [s.key for s in work_steps(METHODS["toner"], demo(BEEPER))]
        run = ticked(a_run(), "clean", NOW, steps)
        self.assertEqual(run.ticks, {"clean": NOW})
        self.assertEqual(ticked(run, "clean", NOW, steps).ticks, {})
        with self.assertRaises(NotFound):
            ticked(run, "dance", NOW, steps)
        with self.assertRaises(EditRefused):
            out_of_bath(run, "clean", "", NOW)
        wet = in_bath(run, None, 0, 38, False, NOW)
        self.assertIsNone(wet.seconds)
        with self.assertRaises(EditRefused):
            in_bath(wet, None, 0, 38, False, NOW)
        with self.assertRaises(InputError):
            out_of_bath(wet, "purple", "", NOW)
        left = out_of_bath(wet, "under", "", NOW + timedelta(minutes=10))
        again = in_bath(left, None, 0, None, True, NOW + timedelta(minutes=15))
        self.assertEqual(out_of_bath(again, "clean", "", NOW + timedelta(minutes=19)).seconds, 14 * 60)
        dry = out_of_bath(wet, "over", "corner", NOW + timedelta(minutes=31))
        with self.assertRaises(EditRefused):
            in_bath(dry, None, 0, None, True, NOW + timedelta(minutes=40))
        self.assertEqual(dry.seconds, 1860)
        before, after = (
            Defect(side="back", x_mm=3, y_mm=4, kind="gap", when=when)  # type: ignore[arg-type]
            for when in ("before", "after")
        )
        self.assertIn("pen", before.repair)
        self.assertIn("solder", after.repair)
        told = with_defect(dry, after)
        self.assertTrue(mended(told, 0).defects[0].mended)
        self.assertFalse(mended(mended(told, 0), 0).defects[0].mended)
        with self.assertRaises(NotFound):
            mended(told, 1)
        self.assertEqual(EtchRun.model_validate_json(told.model_dump_json()), told)

    def test_endangered_places(self) -> None:
        """Named tracks are the thinnest of their side; bare circles hold no copper, lie on the board, and none is larger."""
        for d in (demo(BEEPER), demo(FROST)):
            found = danger_places(d, Ink())
            for side in d.board.layers:
                thin = [p.wide_mm for p in found if p.side == side and p.net]
                widths = [t.width_nm / 1e6 for t in d.tracks.values() if t.layer == side]
                self.assertEqual(min(thin), min(widths))
                bare = outline(d).difference(picture(d, side, Ink()).copper)  # type: ignore[arg-type]
                wide = [p for p in found if p.side == side and not p.net]
                self.assertEqual([p.wide_mm for p in wide], sorted((p.wide_mm for p in wide), reverse=True))
                for p in wide:
                    self.assertTrue(
                        bare.buffer(0.01).covers(Point(p.x_mm, p.y_mm).buffer(p.wide_mm / 2 - 0.01))
                    )
                rng = random.Random(1)
                x0, y0, x1, y1 = bare.bounds
                spots = [Point(rng.uniform(x0, x1), rng.uniform(y0, y1)) for _ in range(300)]
                most = max(2 * s.distance(bare.boundary) for s in spots if bare.contains(s))
                self.assertGreater(wide[0].wide_mm + 0.25, most)
