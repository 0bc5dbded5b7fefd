"""What a circuit does in its states: readings of whole circuits from the catalogue, and faults seeded into correct ones."""

from __future__ import annotations

import functools
import itertools
import json
import re
import tempfile
import unittest
from pathlib import Path

from typer.testing import CliRunner

from tests.support import BEEPER, CIDER, FROST, PANEL, board, demo, said
from vane_step.cli.app import app
from vane_step.core.ask import ask
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design
from vane_step.core.fab.panel import PanelPlan, panel
from vane_step.core.judge import all_findings
from vane_step.core.network.outside import all_sources
from vane_step.core.network.probe import probes
from vane_step.core.network.readings import readings
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import solve
from vane_step.core.network.spread import samples, spread
from vane_step.core.network.states import Axis, _pairwise, states_of
from vane_step.core.network.sweeps import frequency_response, sweep, wave_form
from vane_step.core.operation.budget import lifetimes
from vane_step.core.operation.findings import power_findings
from vane_step.core.operation.power_flow import power_flow
from vane_step.core.power.cells import KINDS, discharge
from vane_step.data.shipped import demo_designs, resources

SCALE, BLADE = "5-crate-scale", "6-comb-blade"
# Circuits that are right, as sentences: a linear supply, a battery with a plug beside it, a relay, an inverting amplifier.
LINEAR = (
    "add U1 AR-33",
    "add C1..2 DC-20X-10U",
    "add J1..2 NT-2",
    "pins J1 + -",
    "pin J1.1 + supply-out",
    "join J1.1 U1.IN C1.1 9V",
    "join U1.OUT C2.1 J2.1 3V3",
    "join J1.2 U1.GND C1.2 C2.2 J2.2 GND",
    "source PLUG J1.1 J1.2 9V 8..10V",
    "load LOGIC J2.1 J2.2 50mA",
)
TWO_FEEDS = (
    "add J1..3 NT-2",
    "add D1..2 HK-40-1",
    "add C1 DC-20X-10U",
    "join J1.1 D1.A PLUG",
    "join J2.1 D2.A CELL",
    "join D1.K D2.K C1.1 J3.1 5V",
    "join J1.2 J2.2 J3.2 C1.2 GND",
    "source PLUG J1.1 J1.2 5.2V 0.05ohm",
    "source CELL J2.1 J2.2 4.95V 0.2ohm 2Ah",
    "load BOARD J3.1 J3.2 200mA",
)
RELAY = (
    "add K1 RK-12",
    "add Q1 HN-30-4L",
    "add D1 HR-100-1",
    "add R1 QR-16-100R",
    "add R2 QR-16-100K",
    "add U1 OW-8D",
    "add U2 AL-50L",
    "add C1..2 DC-20X-10U",
    "add J1..2 NT-2",
    "join J1.1 U2.IN K1.A1 D1.K K1.COM C1.1 12V",
    "join U2.OUT U1.VDD C2.1 5V",
    "join J1.2 U2.GND U1.GND Q1.S R2.2 J2.2 C1.2 C2.2 GND",
    "join K1.A2 D1.A Q1.D COIL",
    "join U1.PA3 R1.1 ON",
    "join R1.2 Q1.G R2.1 GATE",
    "join K1.NO J2.1 LAMP",
    "pin U1.PA3 PA3 output",
    "source PACK J1.1 J1.2 12V 0.1ohm",
    "load LAMP J2.1 J2.2 24ohm",
    "mode rest 90%",
    "mode on 10%",
    "drives ON low in rest",
    "drives ON high in on",
)
BUCK = (
    "add U1 AB-18-2",
    "add L1 KL-60-22U",
    "add C1..2 DC-32X-22U",
    "add C3 DC-16X-100N",
    "add R1 QR-16-43K",
    "add R2 QR-16-8P2K",
    "add J1..2 NT-2",
    "join J1.1 U1.IN U1.EN C1.1 12V",
    "join U1.SW L1.1 C3.1 SW",
    "join U1.BST C3.2 BST",
    "join L1.2 C2.1 R1.1 J2.1 5V",
    "join U1.FB R1.2 R2.1 FB",
    "join J1.2 U1.GND C1.2 C2.2 R2.2 J2.2 GND",
    "source PACK J1.1 J1.2 12V 11..13.4V 0.1ohm",
    "load BOARD J2.1 J2.2 1A",
)
THERMOSTAT = (
    "add U1 OC-2",
    "add TH1 MT-10K",
    "add R1..2 QR-16-10K",
    "add R3 QR-16-22K",
    "add R4 QR-16-4P7K",
    "add Q1 HN-30-4L",
    "add C1 DC-32X-22U",
    "add J1..2 NT-2",
    "join J1.1 U1.V+ R1.1 R2.1 R4.1 C1.1 J2.1 12V",
    "join J1.2 U1.V- TH1.2 R3.2 Q1.S U1.IN2+ C1.2 GND",
    "join R1.2 TH1.1 U1.IN1+ SENSE",
    "join R2.2 R3.1 U1.IN1- U1.IN2- SET",
    "join U1.OUT1 R4.2 Q1.G GATE",
    "join Q1.D J2.2 HEAT",
    "source PACK J1.1 J1.2 12V 0.1ohm",
    "load HEATER J2.1 J2.2 12ohm",
)
CIRCUITS = {
    "linear": LINEAR,
    "two feeds": TWO_FEEDS,
    "relay": RELAY,
    "buck": BUCK,
    "thermostat": THERMOSTAT,
}
# What is done to a correct circuit, the rule that must find it, and a word of the state it must be found in.
FAULTS: tuple[tuple[str, tuple[str, ...], str, str], ...] = (
    ("linear", ("load MORE J2.1 J2.2 900mA",), "stage-current", "PLUG"),
    ("linear", ("load MORE J2.1 J2.2 300mA",), "part-hot", "high end"),
    ("linear", ("source PLUG J1.1 J1.2 4.2V",), "headroom", "PLUG"),
    ("linear", ("source PLUG J1.1 J1.2 18V",), "stage-input", "PLUG"),
    ("linear", ("source PLUG J1.1 J1.2 9V 8..17V",), "stage-input", "high end"),
    ("linear", ("source PLUG J1.1 J1.2 9V 40ohm", "load MORE J2.1 J2.2 100mA"), "headroom", "PLUG"),
    ("linear", ("source PLUG J1.1 J1.2 9V 30mA",), "source-current", "PLUG"),
    ("linear", ("source BENCH 3V3 GND 3.6V",), "back-feed", "BENCH"),
    ("linear", ("source PLUG J1.1 J1.2 6V 5.5..6.5V",), "rail-claim", "PLUG"),
    ("linear", ("brief ambient 100", "load MORE J2.1 J2.2 50mA"), "part-hot", "PLUG"),
    ("linear", ("add F1 WF-05", "join F1.1 3V3", "join F1.2 GND"), "part-current", "PLUG"),
    ("linear", ("add R1 QR-16-10R", "join R1.1 3V3", "join R1.2 GND"), "part-power", "PLUG"),
    (
        "linear",
        ("add LED1 GL-16R", "add R1 QR-16-10R", "join LED1.A R1.1 X", "join R1.2 3V3", "join LED1.K GND"),
        "part-current",
        "PLUG",
    ),
    ("thermostat", ("swap Q1 HN-20-4", "source PACK J1.1 J1.2 24V 0.1ohm"), "part-volts", "PACK"),
    ("relay", ("add C3 DT-10-16", "join C3.1 COIL", "join C3.2 12V"), "part-volts", "on"),
    ("two feeds", ("remove D1", "join J1.1 5V"), "back-feed", "CELL"),
    ("two feeds", ("remove D1", "remove D2", "join J1.1 5V", "join J2.1 5V"), "back-feed", "CELL, PLUG"),
    ("two feeds", ("remove D2", "join J2.1 5V", "source PLUG J1.1 J1.2 5.6V"), "back-feed", "PLUG"),
    ("two feeds", ("load BOARD J3.1 J3.2 1.3A",), "part-current", "PLUG"),
    ("two feeds", ("source CELL J2.1 J2.2 4.8V 15ohm", "load BOARD J3.1 J3.2 400mA"), "load-starved", "CELL"),
    ("two feeds", ("source CELL J2.1 J2.2 3.6V",), "rail-claim", "CELL"),
    ("relay", ("disconnect R2.1",), "gate-open", "reset"),
    ("relay", ("drives ON high in reset",), "on-in-reset", "reset"),
    ("relay", ("disconnect R2.2", "join R2.2 5V"), "on-in-reset", "reset"),
    ("relay", ("load LAMP J2.1 J2.2 1ohm",), "part-current", "on"),
    ("relay", ("source PACK J1.1 J1.2 18V",), "stage-input", "PACK"),
    ("relay", ("disconnect K1.NO", "join K1.NC LAMP"), "on-in-reset", "reset"),
    ("relay", ("source PACK J1.1 J1.2 12V 30ohm",), "rail-claim", "on"),
    (
        "relay",
        ("add J3 NT-2", "join J3.1 ON", "join J3.2 GND", "source TESTER J3.1 J3.2 9V 100ohm"),
        "pin-range",
        "TESTER",
    ),
    (
        "relay",
        ("add J3 NT-2", "join J3.1 ON", "join J3.2 GND", "source LEVEL J3.1 J3.2 5V 100ohm"),
        "pin-range",
        "LEVEL",
    ),
    ("relay", ("disconnect U1.VDD", "join U1.VDD J1.1"), "rail-high", "PACK"),
    ("relay", ("drives U1.PA4 low", "pin U1.PA4 PA4 output", "join U1.PA4 ON"), "output-fight", "on"),
    ("buck", ("load BOARD J2.1 J2.2 2.2A",), "stage-current", "PACK"),
    ("buck", ("load BOARD J2.1 J2.2 1.9A",), "saturation", "PACK"),
    ("buck", ("swap L1 KL-30-10U",), "saturation", "PACK"),
    ("buck", ("source PACK J1.1 J1.2 5.2V",), "duty", "PACK"),
    ("buck", ("source PACK J1.1 J1.2 4V",), "headroom", "PACK"),
    ("buck", ("disconnect U1.EN", "join U1.EN GND"), "never-on", "PACK"),
    ("buck", ("disconnect U1.EN",), "never-on", "PACK"),
    ("buck", ("swap R1 QR-16-82K",), "rail-claim", "PACK"),
    ("buck", ("swap R2 QR-16-4P7K",), "rail-claim", "PACK"),
    ("buck", ("source PACK J1.1 J1.2 12V 9..20V",), "stage-input", "high end"),
    ("buck", ("source PACK J1.1 J1.2 12V 0.1ohm 0.3A",), "source-current", "PACK"),
    ("buck", ("source BENCH 5V GND 5.6V", "load LAMP 12V GND 200mA"), "back-feed", "BENCH"),
    ("thermostat", ("load HEATER J2.1 J2.2 2ohm",), "part-current", "TH1 -20C"),
    ("thermostat", ("source PACK J1.1 J1.2 12V 0.1ohm 0.3A",), "source-current", "TH1 -20C"),
    (FROST, ("remove D3", "merge VBUS 5V0"), "back-feed", "frost"),
    (FROST, ("load SPRINKLER 12V PUMP 2.5ohm",), "part-current", "alarm"),
    (FROST, ("remove R10", "remove R9"), "gate-open", "PUMP_G"),
    (FROST, ("swap R13 QR-16-22R",), "part-current", "alarm"),
    (FROST, ("swap R15 QR-16-56K",), "input-beyond", "high end"),
    (
        FROST,
        (
            "add C99 470u 16V",
            "join C99.1 BATT_F",
            "join C99.2 GND",
            "rating C99 esr_ohm=0.05",
            "rating F1 i_a=0.5",
        ),
        "inrush-fuse",
        "frost",
    ),
    (FROST, ("source BATT BATT GND 12.6V 3A",), "fuse-idle", "BATT"),
    (FROST, ("add C99 100u 16V", "join C99.1 VBUS", "join C99.2 GND"), "inrush-port", "J2"),
    (CIDER, ("load PRESS_PUMP 12V PUMP_BACK 4.5A",), "part-current", "FEED"),
    (BLADE, ("load WIRE J2.1 J2.2 0.4ohm",), "part-current", "closed"),
    (PANEL, ("swap R2 LMF-47R",), "part-current", "outputs-high"),
    (PANEL, ("add S99 PK-12", "join S99.1 PROG_TX", "join S99.2 GND"), "part-current", "S99 closed, loader"),
    (BEEPER, ("source CELL VCC GND 3V 500ohm",), "rail-low", "beep"),
)


@functools.cache
def base(name: str) -> Design:
    """Give a correct circuit by name."""
    return said(Design(name=name, board=board()), *CIRCUITS[name]) if name in CIRCUITS else demo(name)


class Faults(unittest.TestCase):
    def test_correct_circuits_are_clean(self) -> None:
        for name in (*CIRCUITS, FROST, BEEPER, PANEL, CIDER, SCALE, BLADE):
            with self.subTest(name):
                self.assertEqual([f.message for f in power_findings(base(name)) if f.level != "note"], [])

    def test_seeded_faults(self) -> None:
        """Each fault is found by its rule, in a state in which it bites; every finding is one its rule lists."""
        for name, sentences, code, state in FAULTS:
            with self.subTest(f"{name}: {', '.join(sentences)}"):
                found = power_findings(said(base(name), *sentences))
                told = [f for f in found if f.code == code and state in f.message]
                self.assertTrue(told, [f"{f.code}: {f.message}" for f in found])
                for finding in found:
                    self.assertTrue(finding.as_listed(), finding)
                    self.assertTrue(finding.source)
                    if finding.remedy is not None:
                        said(said(base(name), *sentences), finding.remedy.ask)


class Readings(unittest.TestCase):
    def test_all_demo_states(self) -> None:
        """Every state of every demo comes to rest, no current lost, no power made."""
        for name, design in demo_designs().items():
            found = readings(design)
            self.assertTrue(found.all, name)
            for r in found.all:
                self.assertTrue(r.settled, (name, r.name))
                self.assertLessEqual(
                    r.residual_a, max(1e-9 * max(map(abs, r.amps.values())), 1e-12), (name, r.name)
                )
                given = sum(s.watts for s in r.sources.values())
                taken = sum(p.watts for p in r.parts.values()) + sum(s.watts for s in r.loads.values())
                self.assertAlmostEqual(given, taken, delta=1e-6 + 1e-4 * given, msg=(name, r.name))
            self.assertEqual(found.lost, ())

    def test_apart(self) -> None:
        """Copies that share no ground read as one alone does, each against its own ground, in every state."""
        d = demo(FROST).replaced(sources={}, loads={}, modes={}, states={}, drives={})
        one = {(r.setting.mode, r.setting.at): r for r in readings(d).all}
        for r in readings(panel(d, PanelPlan(2, 1))).all:
            self.assertTrue(r.settled, r.name)
            if len(r.setting.sources) == 2:
                for net, volts in one[r.setting.mode, r.setting.at].volts.items():
                    for copy in (f"{net}-1", f"{net}-2"):
                        self.assertAlmostEqual(r.volts[copy] or 0, volts or 0, delta=1e-5, msg=(copy, r.name))

    def test_the_frost_sentinel_by_hand(self) -> None:
        """Divider, lights and the pump as ohm and kirchhoff have them."""
        d = demo(FROST)
        r = readings(d).of("frost")[0]
        twelve = r.volts["12V"]
        assert twelve is not None
        self.assertAlmostEqual(r.volts["V_BATT"] or 0, twelve * 22 / 97, places=3)
        self.assertAlmostEqual(r.loads["SPRINKLER"].amps, (twelve - (r.volts["PUMP"] or 0)) / 6.2, places=3)
        light = (r.volts["LED_FROST_K"] or 0) / 300
        self.assertAlmostEqual(-r.amps["LED1.1"], light, places=5)
        self.assertAlmostEqual(r.volts["5V_BUCK"] or 0, 0.8 * (1 + 43 / 8.2), delta=0.01)

    def test_voltages_are_those_solved(self) -> None:
        """A name that tells no voltage or a wrong one hides nothing: the review and the spacing go by what is solved."""
        parts = ("add J1 NT-2", "add C1 DT-10-16", "add C2 DT-10-16", "add R1 QR-16-1K")
        for name in ("PACK", "5V0"):
            d = said(Design(name="x", board=board(60, 40)), *parts)
            d = said(d, f"join J1.1 C1.1 R1.1 {name}", "join R1.2 C2.1 OUT", "join J1.2 C1.2 C2.2 GND")
            d = said(d, "role 5V0 supply", "pin J1.1 + supply-out") if name == "5V0" else d
            self.assertNotIn("rating", {f.code for f in all_findings(d) if f.place.refs == ("C1",)})
            fed = all_findings(said(d, f"source CELLS {name} GND 24V"))
            told = [(f.code, f.level) for f in fed if f.place.refs == ("C1",)]
            self.assertEqual(told, [("rating" if name == "5V0" else "part-volts", "stop")])
        high = said(d, "source LINE 5V0 GND 170V", "place C1 40 30", "place R1 42.2 31.8")
        self.assertTrue(any(f.code == "creepage" for f in all_findings(high)))

    def test_states(self) -> None:
        """States are all that can be set, each once; beyond a limit each pair occurs; none stands without a source."""
        found = states_of(demo(FROST))
        self.assertEqual([s.name for s in found.settings[:3]], ["bench", "frost", "night"])
        marks = {(s.sources, s.mode, s.variant) for s in found.settings}
        self.assertEqual(len(marks), len(found.settings))
        self.assertFalse(any(not s.sources for s in found.settings))
        axes = [Axis(f"S{k}", ("a", "b", "c")[: 2 + k % 2]) for k in range(12)]
        rows = _pairwise(axes)
        self.assertLess(len(rows), 40)
        for i in range(12):
            for j in range(i):
                pairs = {(row[i], row[j]) for row in rows}
                self.assertEqual(len(pairs), len(axes[i].values) * len(axes[j].values))

    def test_spread(self) -> None:
        """A divider's worst case by sensitivities is that of its corners; samples lie within it and follow the seed."""
        d = said(
            Design(name="divider", board=board()),
            "add R1 QR-16-10K",
            "add R2 QR-16-10K",
            "add J1 NT-2",
            "join J1.1 R1.1 5V",
            "join R1.2 R2.1 OUT",
            "join J1.2 R2.2 GND",
            "source PLUG J1.1 J1.2 5V",
        )
        setting = Setting("", frozenset({"PLUG"}))
        span = spread(d, setting).nets["OUT"]
        self.assertAlmostEqual(span.nominal, 2.5, places=6)
        self.assertAlmostEqual(span.low, 5 * 0.99 / 2.0, delta=1e-3)
        self.assertAlmostEqual(span.high, 5 * 1.01 / 2.0, delta=1e-3)
        self.assertAlmostEqual(span.rss, 0.025 / 2**0.5, delta=1e-3)
        rows, _ = samples(d, setting, probes(d, ["OUT"]), 60, 7)
        again, _ = samples(d, setting, probes(d, ["V(OUT)"]), 60, 7)
        self.assertTrue((rows == again).all())
        self.assertTrue(span.low - 1e-3 <= rows.min() < rows.max() <= span.high + 1e-3)

    def test_cells_by_their_kind(self) -> None:
        """A resistor empties cells in their charge over their mean voltage; what is said of them ends the curve."""
        plain = said(Design(name="x", board=board()), "add R1 QR-16-1K", "add J1 NT-2")
        plain = said(plain, "join R1.1 J1.1 CELL", "join R1.2 J1.2 GND")
        hours = {}
        for kind in ("", *KINDS):
            d = said(plain, f"source CELL CELL GND 3..4.2V 2Ah {kind}")
            [life] = lifetimes(d, readings(d))
            self.assertEqual((life.curve[0][2], life.curve[-1][1:]), (4.2, (0.0, 3.0)), kind)
            self.assertEqual(sorted(life.curve, key=lambda p: -p[2]), list(life.curve), kind)
            hours[kind] = life.hours
        curve = discharge("lithium", 3.0, 4.2)
        wanted = sum((a - b) * 2000 / ((v + w) / 2) for (a, v), (b, w) in itertools.pairwise(curve))
        self.assertAlmostEqual(hours["lithium"], wanted, delta=0.5)
        # Those that stay high longest drive most current through a resistor.
        self.assertLess(hours["coin"], hours["lithium"])
        self.assertLess(hours["lithium"], hours["alkaline"])

    def test_sweep_response_and_wave(self) -> None:
        d = base("linear")
        setting = states_of(d).settings[0]
        curve = sweep(d, setting, "PLUG", [3.0, 4.4, 6.0, 12.0], probes(d, ["3V3", "I(U1.IN)", "P(U1)"]))
        self.assertAlmostEqual(curve.y[0, 0], 3.0 - 1.1, delta=0.01)
        self.assertAlmostEqual(curve.y[3, 0], 3.3, delta=0.005)
        self.assertAlmostEqual(curve.y[3, 1], 0.055, delta=1e-4)
        self.assertAlmostEqual(curve.y[3, 2], (12 - 3.3) * 0.05 + 12 * 0.005, delta=5e-3)
        d = demo(FROST)
        setting = next(s for s in states_of(d).settings if s.name == "night")
        curve = frequency_response(d, setting, "BATT", "V_BATT", 1, 1e4)
        corner = 1 / (2 * 3.14159265 * (75e3 * 22e3 / 97e3) * 100e-9)
        low = curve.y[0, 0]
        at = min(range(len(curve.x)), key=lambda k: abs(curve.x[k] - corner))
        self.assertAlmostEqual(curve.y[at, 0] - low, -3.01, delta=0.6)
        before, after = (next(s for s in states_of(d).settings if s.name == n) for n in ("night", "frost"))
        wave = wave_form(d, after, 2e-3, probes(d, ["12V", "I(J6.1)"]), before)
        self.assertLess(wave.y[-1, 0], wave.y[0, 0] - 0.2)
        self.assertAlmostEqual(abs(wave.y[-1, 1]), 11.95 / 6.2, delta=0.05)

    def test_a_timer_that_pushes(self) -> None:
        """The comb blade: pushed it heats, and a second after it is let go it is off."""
        d = demo(BLADE)
        found = {s.positions.get("S1"): s for s in states_of(d).settings}
        on = solve(d, found["closed"])
        self.assertGreater(on.loads["WIRE"].amps, 19)
        self.assertLess(solve(d, found[None]).loads["WIRE"].amps, 1e-3)

    def test_flow_of_power(self) -> None:
        """What leaves a rail comes into it, and heat on the way is the difference."""
        d = demo(FROST)
        for r in readings(d).nominal():
            flow = power_flow(d, r)
            given = sum(max(f.watts, 0) for f in flow.feeds)
            used = sum(x.watts for x in flow.draws) + flow.heat_w
            self.assertAlmostEqual(given, used, delta=1e-3 + 0.02 * given, msg=r.name)


class Sentences(unittest.TestCase):
    def test_what_goes_with_its_part_and_net(self) -> None:
        """Renaming a net takes sources along; removing a part takes what was said of its pins; all can be taken back."""
        d = base("relay")
        d = said(d, "rename 12V MAIN", "load X MAIN GND 1mA")
        self.assertEqual(d.loads["X"].plus, "MAIN")
        edit = ask(d, "remove U1", resources()).edit
        assert edit is not None
        gone, back = apply(d, edit)
        self.assertEqual([i for i in gone.drives if i.startswith("U1.")], [])
        self.assertEqual(apply(gone, back)[0], d)
        self.assertEqual(from_json(to_json(d)), d)
        self.assertEqual(set(all_sources(said(d, "source PACK none"))), set())

    def test_terminal(self) -> None:
        """The terminal tells every state as JSON, sweeps, responds, follows time and samples; errors name what there is."""
        run = CliRunner()
        with tempfile.TemporaryDirectory() as folder:
            name = str(Path(folder) / "d.json")
            Path(name).write_text(to_json(demo(FROST)))
            told = json.loads(
                run.invoke(app, ["solve", name, "--state", "night", "--worst", "--json"]).output
            )
            state = told["states"]["night"]
            net = state["nets"]["3V3"]
            self.assertTrue(net["low"] < net["volts"] < net["high"])
            self.assertEqual(set(state["parts"]["U3"]), {"watts", "junction_c", "model", "assumed"})
            self.assertIn("amps", state["pins"]["R15.1"])
            self.assertGreater(state["sources"]["BATT"]["watts"], 0)
            self.assertLess(told["residual_a"], 1e-9)
            for words in (
                ["sweep", name, "BATT", "9V", "15V", "--read", "5V0", "--points", "3"],
                ["response", name, "BATT", "V_BATT", "--state", "night"],
                ["wave", name, "100us", "--read", "12V", "--state", "frost", "--before", "night"],
                ["spread", name, "--read", "V_BATT", "--boards", "3", "--state", "night"],
                ["heat", name],
                ["solve", name, "--state", "frost", "--pdf", str(Path(folder) / "power.pdf")],
            ):
                result = run.invoke(app, words)
                self.assertEqual(result.exit_code, 0, (words, result.output))
            paper = (Path(folder) / "power.pdf").read_bytes()
            self.assertEqual((paper[:5], len(re.findall(rb"/Type /Page\b", paper))), (b"%PDF-", 7))
            warm = json.loads(run.invoke(app, ["heat", name, "--state", "frost", "--json"]).output)
            self.assertTrue(warm["ambient_c"] < max(warm["parts_c"].values()) <= warm["hottest_c"])
