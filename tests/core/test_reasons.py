"""Values that remember why, the brief's evidence and limits, findings somebody lives with, and fit options."""

from __future__ import annotations

import unittest
from typing import ClassVar

from tests.support import BEEPER, FROST, PANEL, board, demo, said
from vane_step.core.brief.limits import limit_findings
from vane_step.core.brief.needs import Figure, evidence, known_figures, need_findings
from vane_step.core.circuit.variants import fitted, variant_findings, without_unfitted
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.edits import RemovePart, apply
from vane_step.core.design.model import Design
from vane_step.core.errors import EditRefused, InputError, NotFound, VaneStepError
from vane_step.core.judge import all_findings, waived_findings
from vane_step.core.reasons.calculations import reasons
from vane_step.core.reasons.mentions import mentioned, where_it_counts


def states(d: Design) -> dict[str, str]:
    """Give the state of every calculation."""
    return {r.calculation.id: r.state for r in reasons(d)}


class Reasons(unittest.TestCase):
    """Calculations bound to parts."""

    def test_all_hold_in_the_demos(self) -> None:
        """Every value of the demo designs that has a reason follows from it."""
        for name in (FROST, BEEPER, PANEL):
            self.assertEqual(set(states(demo(name)).values()), {"holds"})

    def test_one_change_reaches_all(self) -> None:
        """The half-finished change: one rail renamed, and everything that counted on it says so, old beside new."""
        frost = demo(FROST)
        changed = said(frost, "rename 3V3 3V0")
        moved = {r.calculation.id: r for r in reasons(changed) if r.state == "stale"}
        self.assertEqual(set(moved), {"ALIVE_LIGHT", "BUS", "FROST_LIGHT", "HEAT", "DIVIDER"})
        light = moved["FROST_LIGHT"]
        self.assertEqual([(v.ref, v.old, v.new) for v in light.changes], [("R13", "300", "220")])
        supply = next(t for t in light.inputs if t.quantity.key == "supply_v")
        self.assertEqual((supply.text, supply.was, supply.now), ("3V0", 3.3, 3.0))
        one = said(changed, "accept FROST_LIGHT")
        self.assertEqual(
            (states(one)["FROST_LIGHT"], states(one)["BUS"], one.parts["R13"].value),
            ("holds", "stale", "220"),
        )
        done = said(changed, "accept all")
        self.assertEqual(set(states(done).values()), {"holds"})
        self.assertNotEqual(done.parts["R15"].value, frost.parts["R15"].value)

    def test_every_kind_of_input(self) -> None:
        """Rails, parts, parameters, other results and the ambient are read anew each time."""
        d = said(demo(FROST), "calc CHAIN rc r_ohm=R10 c_f=C13", "calc NEXT rc r_ohm=R10 c_f=CHAIN.tau_s")
        self.assertAlmostEqual(
            next(r for r in reasons(d) if r.calculation.id == "CHAIN").outputs["tau_s"], 1e-3
        )
        for sentence, id in (
            ("value R10 22k", "CHAIN"),
            ("value R10 22k", "NEXT"),
            ("brief ambient 60", "HEAT"),
            ("swap LED1 GL-20A", "FROST_LIGHT"),
            ("swap U3 AR-50", "HEAT") if False else ("input HEAT load_a=0.3", "HEAT"),
        ):
            with self.subTest(sentence, id=id):
                self.assertEqual(states(said(d, sentence))[id], "stale")

    def test_what_the_circuit_does(self) -> None:
        """A result that leans on a current of a state turns stale with the load, and not with what moves last digits."""
        d = said(Design(name="fed", board=board()), "add NH-1x2", "add R 0.1", "add R 10k")
        d = said(d, "join J1.1 R1.1 VIN", "join J1.2 R2.2 GND", "join R1.2 R2.1 OUT", "source B VIN GND 12V")
        d = said(d, "load L OUT GND 2A", "state run B=on", "calc LOSS sense current_a=I(R1.1)@run drop_v=30m")
        now = next(r for r in reasons(d) if r.calculation.id == "LOSS")
        self.assertAlmostEqual(now.outputs["r_ohm"], 0.03 / 2.0, delta=2e-5)
        self.assertEqual(states(said(d, "value R2 20k"))["LOSS"], "holds")
        more = said(d, "load L OUT GND 3A")
        self.assertEqual(states(more)["LOSS"], "stale")
        self.assertIn("stale-value", {f.code for f in all_findings(more)})
        self.assertEqual(states(said(more, "accept LOSS"))["LOSS"], "holds")
        self.assertEqual(states(said(d, "state run none"))["LOSS"], "broken")
        with self.assertRaises(InputError):
            said(d, "calc LOSS sense current_a=I(R1.1)@walk drop_v=30m")

    def test_by_hand_and_gone(self) -> None:
        """A value changed by hand is noted, a part that is gone breaks the reason, and a ring is refused."""
        frost = demo(FROST)
        self.assertEqual(states(said(frost, "value R13 1k"))["FROST_LIGHT"], "overruled")
        self.assertEqual(states(said(frost, "value R13 0.3k"))["FROST_LIGHT"], "holds")
        self.assertEqual(states(said(frost, "remove U3"))["HEAT"], "broken")
        gone = apply(frost, RemovePart(ref="R13"))[0]
        self.assertNotIn("FROST_LIGHT", gone.calculations)
        self.assertEqual(
            set(apply(frost, RemovePart(ref="R3"))[0].calculations["FEEDBACK"].sets), {"bottom_ohm"}
        )
        ring = said(frost, "calc A rc r_ohm=1k c_f=1u")
        with self.assertRaises(InputError):
            said(ring, "input A r_ohm=A.corner_hz")

    def test_refusals(self) -> None:
        """What cannot be bound names the input or the part."""
        for text, says in {
            "calc X led supply_v=9V9 forward_v=2 current_a=5m r_ohm=R99": "r_ohm",
            "calc X led supply_v=VBUS": "tells no voltage",
            "calc X warp a=1": "no calculation warp",
            "calc X led supply_v=3V3 colour=red": "no input colour",
            "accept NOTHING": "no calculation NOTHING",
            "accept all": "No calculation is stale",
            "input HEAT colour=1": "no input colour",
            "input COIL vin_v=2": "input voltage",
            "calc X led supply_v=LED1.nonsense": "no parameter nonsense",
            "calc X led supply_v": "no key=value",
        }.items():
            with self.subTest(text), self.assertRaises(VaneStepError) as caught:
                said(demo(FROST), text)
            self.assertIn(says, caught.exception.line())

    def test_where_a_rail_counts(self) -> None:
        """Calculations, dividers, pull-ups, ratings, texts and requirements that count on a rail are all listed."""
        d = said(
            demo(FROST),
            'note J5 "feeds 3.3 V to the sensor"',
            'text "3V3 OK" 60 6',
            'need Q9 wish "Sensor gets 3.3 V"',
        )
        places = {t.where for t in where_it_counts(d, "3V3")}
        self.assertLessEqual(
            {"BUS", "HEAT", "DIVIDER", "R7", "R8", "R5", "note of J5", "text text1", "Q9", "C7", "U1"}, places
        )
        self.assertEqual(mentioned("3V3, 12 V and 1.8V; V5, 24VA"), [3.3, 12.0, 1.8])
        renamed = said(d, "rename 3V3 5V1")
        self.assertEqual(
            {f.message[:10] for f in all_findings(renamed) if f.code == "old-voltage"},
            {"The note o", "The text t"},
        )


class Brief(unittest.TestCase):
    """What is wanted, and how it is shown."""

    def test_evidence_is_live(self) -> None:
        """A figure moves with the design; a measurement and an observation wait until somebody made them."""
        d = demo(FROST)
        by = {e.requirement.id: e for e in evidence(d)}
        self.assertEqual(
            {k: e.state for k, e in by.items()},
            {
                "Q1": "shown",
                "Q2": "shown",
                "Q3": "shown",
                "Q4": "shown",
                "Q5": "shown",
                "Q6": "waits",
                "Q7": "shown",
                "Q8": "waits",
            },
        )
        self.assertEqual((by["Q7"].reading, by["Q7"].unit), (80, "mm"))
        wide = said(d, "outline 90x56 3")
        fails = {e.requirement.id: e for e in evidence(wide)}
        self.assertEqual((fails["Q7"].state, fails["Q7"].reading), ("fails", 90))
        self.assertEqual([(f.level, f.code) for f in need_findings(wide)], [("look", "requirement")])
        seen = said(d, 'show Q6 no "too quiet by the gate"', "show Q1 14")
        self.assertEqual([f.level for f in need_findings(seen)], ["stop", "stop"])
        cost = {"cost": Figure("cost", "parts", "€", 23.0)}
        self.assertEqual(next(e.state for e in evidence(d, cost) if e.requirement.id == "Q8"), "fails")
        self.assertIn("current.PUMP", known_figures(d))

    def test_limits_bind_other_steps(self) -> None:
        """Size, height, manufacturing and skills of the brief become findings where the board or a part goes beyond."""
        d = demo(FROST)
        self.assertEqual(limit_findings(d), ())
        for text, code, level in (
            ("brief size 79x56", "brief-size", "stop"),
            ("brief size 56x80", None, None),
            ("brief tall 5", "brief-height", "look"),
            ("brief manufacturing etch", "brief-manufacturing", "look"),
            ("brief skills through-hole", "brief-skill", "look"),
            ("brief chip 2012M", "brief-skill", "look"),
            ("brief pitch 1", "brief-skill", "look"),
        ):
            with self.subTest(text):
                found = limit_findings(said(d, text))
                self.assertEqual({(f.code, f.level) for f in found}, {(code, level)} if code else set())
                self.assertTrue(all(f.source for f in found))

    def test_refusals(self) -> None:
        """A need that could never be shown, or a limit that is none, is refused with what would do."""
        for text, says in {
            'need Q9 must "Glows" glow<=3': "no figure",
            'need Q9 maybe "X"': "must nor wish",
            'need Q9 must "X" width': "no limit",
            "show Q2 3": "shown by the figure",
            "show Q6 perhaps": "yes nor no",
            "show Q99 1": "no requirement",
            "brief size 60": "no size",
            "brief skills magic": "no skill",
            "brief manufacturing sideways": "manufacturing",
            "brief date tomorrow": "date",
            "brief luck 1": "has no luck",
            "brief quantity 0": "quantity",
        }.items():
            with self.subTest(text), self.assertRaises(VaneStepError) as caught:
                said(demo(FROST), text)
            self.assertIn(says, caught.exception.line())


class Waivers(unittest.TestCase):
    """Findings somebody lives with."""

    def test_comes_back_when_its_inputs_change(self) -> None:
        """A waived finding is gone from the list, logged with its reason, and back once what it goes by changed."""
        d = said(demo(FROST), "remove R10")
        self.assertIn("start-up", {f.code for f in all_findings(d)})
        w = said(d, 'waive start-up Q1 "the pump is switched by hand"')
        self.assertNotIn("start-up", {f.code for f in all_findings(w)})
        [(finding, waiver)] = waived_findings(w)
        self.assertEqual((finding.code, waiver.reason), ("start-up", "the pump is switched by hand"))
        self.assertIn("start-up", {f.code for f in all_findings(said(w, "swap Q1 HN-20-4"))})
        self.assertNotIn("start-up", {f.code for f in all_findings(said(w, "value R13 1k"))})
        self.assertIn("start-up", {f.code for f in all_findings(said(w, "remove W1"))})

    def test_refusals(self) -> None:
        """No reason, no such finding, or a stop of the board: not waived."""
        d = said(demo(FROST), "lift PUMP_ON", "remove R10")
        for text, error in (
            ("waive start-up Q1 x", InputError),
            ('waive start-up Q7 "because"', NotFound),
            ('waive unrouted PUMP_ON "will do"', EditRefused),
        ):
            with self.subTest(text), self.assertRaises(error):
                said(d, text)


class Fit(unittest.TestCase):
    """Variants."""

    twin: ClassVar[tuple[str, ...]] = (
        "add U9 AR-33",
        "join U9.2 3V3",
        "join U9.3 5V0",
        "join U9.1 GND",
        "fit U9 no",
        'variant twin "two regulators"',
    )

    def test_each_variant_has_its_parts(self) -> None:
        """A variant fits what the circuit fits, less and more as it says; its circuit has only those pins."""
        d = said(demo(FROST), *self.twin, "fit U9 yes in twin", "fit U3 no in twin")
        self.assertEqual({r for r, yes in fitted(d, "twin").items() if not yes}, {"U3"})
        self.assertEqual({r for r, yes in fitted(d).items() if not yes}, {"U9"})
        self.assertEqual(
            {r for r, yes in fitted(d, "accu").items() if not yes}, {"U9", "J2", "R1", "R2", "D3"}
        )
        bare = without_unfitted(d, "twin")
        self.assertNotIn("U3", bare.parts)
        self.assertFalse(any(p.startswith("U3.") for n in bare.nets.values() for p in n.pins))
        self.assertEqual(list(variant_findings(Wiring(d))), [])
        self.assertNotIn("U9", apply(d, RemovePart(ref="U9"))[0].variants["twin"].fitted)

    def test_fights_and_choices(self) -> None:
        """Two regulators on one rail fight only in the variant that fits both; of a choice exactly one is fitted."""
        d = said(demo(FROST), *self.twin, "fit U9 yes in twin")
        self.assertEqual(
            [(f.level, f.code, f.source) for f in variant_findings(Wiring(d))],
            [("stop", "outputs-fight", "variant twin")],
        )
        c = said(demo(FROST), *self.twin, "either FEED U3 U9")
        self.assertEqual(list(variant_findings(Wiring(c))), [])
        none = said(c, "fit U3 no in twin")
        self.assertEqual(
            [(f.code, f.reading) for f in variant_findings(Wiring(none))],
            [("either-or", 0), ("no-supply", 0)],
        )
        with self.assertRaises(NotFound):
            fitted(d, "nowhere")
