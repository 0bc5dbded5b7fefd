"""Converters cycle by cycle: known ripples, what comes in goes out, constant time on, coils that run empty, demos."""

from __future__ import annotations

import json
import random
import tempfile
import unittest
from pathlib import Path

import numpy as np
from typer.testing import CliRunner

from tests.support import FROST, board, demo, said
from vane_step.cli.app import app
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, NotFound
from vane_step.core.network.converter_cycles import converter_cycles, cycles_curve
from vane_step.core.network.readings import readings
from vane_step.core.solve.cycles import Cycles, PowerStage, follow


def stage(**more: object) -> PowerStage:
    """Make a stage of nearly ideal parts: 12 V to 5 V, 1.5 A, 33 µH, 300 kHz."""
    ideal: dict[str, object] = {
        "source_v": 12.0,
        "source_ohm": 1e-3,
        "input_caps": ((100e-6, 1e-3),),
        "upper_ohm": 1e-4,
        "lower_v": 0.0,
        "lower_ohm": 1e-4,
        "blocks": False,
        "coil_h": 33e-6,
        "coil_ohm": 0.02,
        "output_caps": ((100e-6, 1e-3),),
        "load_ohm": 5 / 1.5,
        "set_v": 5.0,
        "hertz": 300e3,
    }
    return PowerStage(**{**ideal, **more})  # type: ignore[arg-type]


def mean(c: Cycles, values: np.ndarray) -> float:
    """Give the mean over the last cycles."""
    at = c.last(20)
    return float(np.trapezoid(values[at], c.seconds[at]) / (c.seconds[at][-1] - c.seconds[at][0]))


class Stages(unittest.TestCase):
    """The power stage alone."""

    def test_ripple_and_peak(self) -> None:
        """The ripple of the textbook: Vout (1 − D) / (L f), its half over the mean at the peak."""
        c = follow(stage(), 100e-6, 1.5)
        amps = c.coil_a[c.last(20)]
        self.assertAlmostEqual(float(np.ptp(amps)), 0.29461, delta=0.003)
        self.assertAlmostEqual(float(amps.max()), 1.6473, delta=0.002)
        self.assertAlmostEqual(c.duty, 5 / 12, delta=0.004)

    def test_runs_empty(self) -> None:
        """At little load the coil runs empty: its mean is that of triangles with gaps, its peak as the time on makes it."""
        c = follow(stage(blocks=True, load_ohm=100.0), 100e-6, 0.05)
        at = c.last(1)
        peak, rises = float(c.coil_a[at].max()), c.switch_v[at] > 8
        on = float(np.ptp(c.seconds[at][rises]))
        self.assertAlmostEqual(peak, (12 - 5) * on / 33e-6, delta=0.01 * peak)
        fall = peak * 33e-6 / 5.0
        self.assertAlmostEqual(mean(c, c.coil_a), peak * (on + fall) / 2 * 300e3, delta=0.01 * 0.05)
        self.assertGreaterEqual(float(c.coil_a.min()), -1e-9)

    def test_constant_time_on(self) -> None:
        """With a constant time on the frequency follows: duty over that time; the threshold holds the output."""
        c = follow(stage(on_s=1e-6, output_caps=((100e-6, 0.05),)), 200e-6, 1.5)
        at = c.last(20)
        hertz = 20 / (c.seconds[at][-1] - c.seconds[at][0])
        self.assertAlmostEqual(hertz, 5 / 12 / 1e-6, delta=0.05 * hertz)
        self.assertAlmostEqual(float(c.out_v[at].min()), 5.0, delta=0.01)

    def test_what_comes_in_goes_out(self) -> None:
        """Whatever the stage: capacitors keep their charge, the coil its flux in every piece, power is not made."""
        luck = random.Random(7)
        for k in range(12):
            out = luck.uniform(1, 8)
            made = stage(
                source_v=out * luck.uniform(1.3, 5),
                source_ohm=luck.uniform(0.01, 0.2),
                upper_ohm=luck.uniform(0.01, 0.2),
                lower_v=0.4 if k % 2 else 0.0,
                blocks=bool(k % 2),
                coil_h=luck.uniform(4e-6, 60e-6),
                coil_ohm=0.05,
                output_caps=((22e-6, 0.005), (100e-6, 0.1)),
                load_ohm=out / luck.choice((0.01, 0.3, 2.0)),
                set_v=out,
                hertz=luck.uniform(2e5, 1e6),
            )
            c = follow(made, 60 / made.hertz, out / made.load_ohm)
            load_a = mean(c, c.out_v) / made.load_ohm
            for amps in (c.input_cap_a, c.output_cap_a):
                self.assertLess(abs(mean(c, amps)), 0.05 * (load_a + float(np.ptp(c.coil_a))), made)
            across = c.switch_v - c.coil_a * made.coil_ohm - c.out_v
            self.assertLess(abs(mean(c, across)), 0.02 * out, made)
            given = mean(c, (made.source_v - c.in_v) / made.source_ohm * made.source_v)
            slack = 0.03 * made.source_v * float(np.ptp(c.coil_a))
            self.assertGreater(given + slack, mean(c, c.out_v**2) / made.load_ohm, made)
            self.assertAlmostEqual(mean(c, c.out_v), out, delta=0.01 * out)

    def test_steps_up(self) -> None:
        """Up as the textbook has it: duty 1 − Vin/Vout, ripple Vin·D/(L·f), the coil at the load over 1 − D; at little
        load its triangles have gaps; whatever the stage, charge, flux and power are kept."""
        c = follow(stage(source_v=5.0, set_v=12.0, load_ohm=24.0, boosts=True), 100e-6, 0.5)
        amps = c.coil_a[c.last(20)]
        self.assertAlmostEqual(c.duty, 7 / 12, delta=0.01)
        self.assertAlmostEqual(float(np.ptp(amps)), 5 * (7 / 12) / (33e-6 * 300e3), delta=0.01)
        self.assertAlmostEqual(mean(c, c.coil_a), 0.5 * 12 / 5, delta=0.03)
        thin = follow(
            stage(source_v=5.0, set_v=12.0, load_ohm=2400.0, boosts=True, blocks=True), 100e-6, 0.005
        )
        self.assertAlmostEqual(mean(thin, thin.out_v), 12.0, delta=0.2)
        self.assertLess(float(thin.coil_a.min()), 1e-9)
        luck = random.Random(11)
        for k in range(10):
            out = luck.uniform(6, 30)
            made = stage(
                source_v=out / luck.uniform(1.4, 4),
                source_ohm=luck.uniform(0.01, 0.1),
                upper_ohm=luck.uniform(0.01, 0.1),
                lower_v=0.4 if k % 2 else 0.0,
                blocks=bool(k % 2),
                coil_h=luck.uniform(4e-6, 60e-6),
                load_ohm=out / luck.choice((0.01, 0.2, 0.5)),
                output_caps=((22e-6, 0.005), (100e-6, 0.1)),
                set_v=out,
                hertz=luck.uniform(2e5, 1e6),
                boosts=True,
            )
            c = follow(made, 60 / made.hertz, out / made.load_ohm)
            self.assertAlmostEqual(mean(c, c.out_v), out, delta=0.02 * out, msg=str(made))
            across = c.in_v - c.coil_a * made.coil_ohm - c.switch_v
            self.assertLess(abs(mean(c, across)), 0.02 * out, made)
            for cap in (c.input_cap_a, c.output_cap_a):
                self.assertLess(
                    abs(mean(c, cap)), 0.05 * (out / made.load_ohm + float(np.ptp(c.coil_a))), made
                )
            given = mean(c, (made.source_v - c.in_v) / made.source_ohm * made.source_v)
            self.assertGreater(1.05 * given + 1e-3, mean(c, c.out_v**2) / made.load_ohm, made)

    def test_too_many(self) -> None:
        """A time of too many cycles is refused with how long it may be."""
        with self.assertRaisesRegex(InputError, "300000 cycles"):
            follow(stage(), 1.0, 1.5)


class Designs(unittest.TestCase):
    """Converters of designs."""

    def test_a_demo(self) -> None:
        """The figures of a demo's converter agree with its solved state and its catalogue; curves and terminal tell them."""
        d = demo(FROST)
        state = next(s for s in readings(d).states.settings if s.name == "frost")
        cycles, told = converter_cycles(d, state, "U2", 20e-6)
        coil, into = d.parts["L1"].params["l_h"], readings(d).of("frost")[0].volts["12V"] or 0.0
        self.assertAlmostEqual(told.hertz, d.parts["U2"].params["fsw_hz"], delta=1)
        ripple = told.mean_v * (1 - told.duty) / (coil * told.hertz)
        self.assertAlmostEqual(told.high_a - told.low_a, ripple, delta=0.05 * ripple)
        self.assertAlmostEqual(told.duty, told.mean_v / into, delta=0.02)
        self.assertIn("ripple", " ".join(cycles_curve(cycles, told).notes))
        with tempfile.TemporaryDirectory() as folder:
            name = str(Path(folder) / "d.json")
            Path(name).write_text(to_json(d))
            answer = CliRunner().invoke(app, ["cycles", name, "U2", "20us", "--state", "frost", "--json"])
            self.assertAlmostEqual(json.loads(answer.output)["high_a"], told.high_a, places=6)

    def test_a_boost(self) -> None:
        """A regulator that steps two cells up to 3.3 V: its coil carries the load over what its duty leaves."""
        d = said(
            Design(name="lamp", board=board()),
            "add U1 AU-33",
            "add L1 KL-60-22U",
            "add C1..2 DC-32X-22U",
            "add J1..2 NT-2",
            "join J1.1 C1.1 L1.1 CELLS",
            "join L1.2 U1.SW SW",
            "join U1.OUT C2.1 J2.1 3V3",
            "join J1.2 C1.2 C2.2 U1.GND J2.2 GND",
            "source CELLS CELLS GND 2.4V 0.1ohm",
            "load LAMP 3V3 GND 80mA",
        )
        _, told = converter_cycles(d, readings(d).states.settings[0], "U1", 50e-6)
        self.assertAlmostEqual(told.mean_v, 3.3, delta=0.05)
        self.assertGreater(told.high_a, 0.08 * 3.3 / 2.4)
        self.assertGreater(told.duty, 0.2)

    def test_refusals(self) -> None:
        """What is no converter, and one without a capacitor at its output, say what is missing."""
        d = demo(FROST)
        state = next(s for s in readings(d).states.settings if s.name == "frost")
        with self.assertRaisesRegex(NotFound, "U3 is no step-down or step-up converter"):
            converter_cycles(d, state, "U3", 1e-5)
        with self.assertRaisesRegex(InputError, "no capacitor from 5V_BUCK"):
            converter_cycles(said(d, "remove C4", "remove C3"), state, "U2", 1e-5)
