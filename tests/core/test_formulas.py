"""Calculations of supplies and controller surroundings against worked values, and the divider against trying everything."""

from __future__ import annotations

import unittest

from hypothesis import given, settings, strategies as st

from vane_step.core.errors import InputError, NotFound
from vane_step.core.power.formulas import FORMULAS, feedback_pair, formula
from vane_step.core.quantity import E24, E96, parse_value

# Worked by hand from the sources the formulas name (docs/rules.md).
WORKED: list[tuple[str, dict[str, float], dict[str, float]]] = [
    (
        "linear",
        {"vin_v": 12, "vout_v": 5, "load_a": 0.15, "iq_a": 0.005, "theta_ja_k_per_w": 65, "ambient_c": 30},
        {"power_w": 1.11, "junction_c": 102.15, "efficiency": 0.40323},
    ),
    (
        "buck",
        {"vin_v": 12, "vout_v": 5, "load_a": 1.5, "l_h": 33e-6, "fsw_hz": 3e5, "dcr_ohm": 0.06},
        {"duty": 0.41667, "ripple_a": 0.29461, "peak_a": 1.6473, "dcr_loss_w": 0.135, "diode_avg_a": 0.875},
    ),
    (
        "feedback",
        {
            "vout_v": 5,
            "vref_v": 0.8,
            "sum_min_ohm": 1e4,
            "sum_max_ohm": 1e5,
            "series": 24,
            "tolerance_pct": 1,
        },
        {"error_v": -0.004878, "vout_v": 4.9951},
    ),
    (
        "feedback",
        {
            "vout_v": 3.3,
            "vref_v": 1.25,
            "sum_min_ohm": 1e3,
            "sum_max_ohm": 1e4,
            "series": 96,
            "tolerance_pct": 1,
        },
        {"error_v": 0.0094556, "vout_v": 3.3095},
    ),
    (
        "led",
        {"supply_v": 5, "forward_v": 2, "current_a": 0.005},
        {"exact_ohm": 600, "r_ohm": 620, "power_w": 0.014516},
    ),
    (
        "battery",
        {
            "capacity_ah": 2,
            "usable": 0.8,
            "load_a": 0.045,
            "open_v": 12.6,
            "internal_ohm": 0.15,
            "peak_a": 3,
            "min_v": 11,
        },
        {"hours": 35.556, "terminal_v": 12.15, "margin_v": 1.15},
    ),
    ("rc", {"r_ohm": 1e4, "c_f": 1e-7}, {"tau_s": 0.001, "corner_hz": 159.15}),
    ("lc", {"l_h": 1e-5, "c_f": 1e-5}, {"corner_hz": 15915, "z0_ohm": 1}),
    ("crystal", {"load_f": 12.5e-12, "stray_f": 4e-12}, {"exact_f": 1.7e-11, "c1_f": 1.6e-11}),
    ("crystal", {"load_f": 20e-12, "stray_f": 3e-12}, {"exact_f": 3.4e-11, "c2_f": 3.3e-11}),
    (
        "pull-up",
        {"supply_v": 3.3, "vol_v": 0.4, "sink_a": 0.003, "rise_s": 1e-6, "bus_f": 1e-10},
        {"min_ohm": 966.67, "max_ohm": 11802},
    ),
    ("matrix", {"keys": 15}, {"pins": 8, "rows": 3, "columns": 5}),
    ("matrix", {"keys": 16}, {"pins": 8, "rows": 4, "columns": 4}),
    (
        "floating",
        {"vout_v": 3.3, "vref_v": 1.25, "adjust_a": 50e-6, "upper_ohm": 240},
        {"exact_ohm": 389.86, "lower_ohm": 390, "vout_v": 3.30075},
    ),
    (
        "divider",
        {"input_v": 14.4, "full_scale_v": 3.3, "bottom_ohm": 22000},
        {"top_ohm": 75000, "tap_v": 3.26598},
    ),
    ("sense", {"current_a": 0.05, "drop_v": 0.05}, {"r_ohm": 1, "power_w": 0.0025}),
    (
        "base",
        {"drive_v": 3.3, "vbe_v": 0.7, "load_a": 0.04, "hfe": 100, "overdrive": 3},
        {"exact_ohm": 2166.7, "r_ohm": 2000},
    ),
    ("gate", {"drive_v": 3.3, "pin_a": 0.02, "gate_c": 8e-9}, {"r_ohm": 180, "peak_a": 0.018333}),
    (
        "switch",
        {"load_a": 2, "rds_ohm": 0.028, "theta_ja_k_per_w": 180, "ambient_c": 30},
        {"power_w": 0.112, "junction_c": 50.16},
    ),
    ("debounce", {"settle_s": 0.01, "r_ohm": 1e4}, {"c_f": 1e-6}),
    (
        "inductor",
        {"vin_v": 14.4, "vout_v": 5, "load_a": 1, "fsw_hz": 5e5, "ripple_share": 0.3},
        {"exact_h": 21.759e-6, "l_h": 22e-6},
    ),
]


class Worked(unittest.TestCase):
    """Each formula against a value worked on paper."""

    def test_values(self) -> None:
        """Results agree to 0.1 %, and every formula has such a value."""
        for name, inputs, wanted in WORKED:
            outputs = formula(name).run(inputs)
            for key, value in wanted.items():
                with self.subTest(name, key=key):
                    self.assertAlmostEqual(outputs[key], value, delta=abs(value) * 1e-3)
        self.assertEqual({w[0] for w in WORKED}, set(FORMULAS))

    def test_every_formula_tells_itself(self) -> None:
        """Outputs are those announced, usual values can be read, and what is set is an output."""
        for name, inputs, _ in WORKED:
            f = formula(name)
            self.assertEqual(set(f.run(inputs)), {q.key for q in f.outputs}, name)
            self.assertLessEqual({q.key for q in f.inputs if not q.usual}, set(inputs), name)
            self.assertLessEqual(set(inputs), {q.key for q in f.inputs}, name)
            self.assertLessEqual(set(f.sets), {q.key for q in f.outputs})
            for q in f.inputs:
                if q.usual:
                    usual, (low, high) = parse_value(q.usual, q.key, q.unit), q.range
                    self.assertTrue(low <= usual <= high and usual >= 0)

    def test_refusals(self) -> None:
        """What cannot be worked out says which input is at fault."""
        for name, change, says in (
            ("led", {"forward_v": 5.0}, "forward"),
            ("led", {"current_a": 0.0}, "current"),
            ("buck", {"vin_v": 4.0}, "input voltage"),
            ("feedback", {"vout_v": 0.5}, "output voltage"),
            ("crystal", {"stray_f": 20e-12}, "load capacitance"),
            ("pull-up", {"bus_f": 4e-9}, "Split the bus"),
            ("rc", {"r_ohm": 0.0}, "resistor"),
            ("battery", {"load_a": float("nan")}, "mean current"),
            ("linear", {"vin_v": 3.0, "vout_v": 5.0}, "input voltage"),
            ("battery", {"usable": 80.0}, "usable share"),
            ("linear", {"dropout_v": 30.0}, "input voltage"),
            ("buck", {"load_a": 0.01}, "half the ripple"),
            ("buck", {"l_h": -33e-6}, "inductance"),
            ("crystal", {"load_f": 12.5}, "load capacitance"),
            ("matrix", {"keys": 2.5}, "keys"),
            ("feedback", {"series": 48.0}, "E48"),
            ("linear", {"ambient_c": -300.0}, "ambient"),
            ("inductor", {"ripple_share": 30.0}, "ripple"),
        ):
            inputs = next(i for n, i, _ in WORKED if n == name)
            with self.subTest(name, change=change), self.assertRaises(InputError) as caught:
                formula(name).run({**inputs, **change})
            self.assertIn(says, caught.exception.line())
        with self.assertRaises(InputError):
            formula("led").run({"forward_v": 2})
        with self.assertRaises(NotFound):
            formula("perpetual-motion")


class Divider(unittest.TestCase):
    """The search over the series."""

    @settings(max_examples=25)
    @given(
        st.floats(0.5, 1.3),
        st.floats(1.05, 20),
        st.sampled_from([E24, E96]),
        st.sampled_from([(1e4, 1e5), (2e3, 9e3)]),
    )
    def test_least_error(
        self, vref: float, ratio: float, series: tuple[int, ...], window: tuple[float, float]
    ) -> None:
        """No pair of the series within the window comes nearer than the one found."""
        wanted = vref * ratio
        top, bottom = feedback_pair(wanted, vref, *window, series)
        self.assertTrue(window[0] <= top + bottom <= window[1])
        values = [s / series[0] * 10.0**d for d in range(0, 6) for s in series]
        best = min(
            (
                abs(vref * (1 + a / b) - wanted)
                for a in values
                for b in values
                if window[0] <= a + b <= window[1]
            ),
            default=1e9,
        )
        self.assertLessEqual(abs(vref * (1 + top / bottom) - wanted), best + 1e-9)
