"""Calculations of supplies and controller surroundings, each with inputs, outputs and source; no design is known here.

Copper is worked out in ``trace``. Formulas and their check values: docs/rules.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from vane_step.core.errors import InputError, NotFound
from vane_step.core.power import laws
from vane_step.core.power.laws import STRAY_TITLE, Values, feedback_pair as feedback_pair
from vane_step.core.quantity import format_value, parse_value

TEXTBOOK: Final = "textbook"


# What an input can be, by its key or else its unit: wide enough for every board, narrow enough that a slip of a
# decade, a sign or a unit is refused. Values that are divided by begin above nothing.
RANGES: Final[dict[str, tuple[float, float]]] = {
    "V": (0, 2000),
    "A": (0, 1000),
    "Ω": (1e-6, 1e9),
    "H": (1e-12, 10),
    "F": (1e-15, 10),
    "C": (0, 1e-3),
    "Hz": (1e-3, 1e10),
    "s": (1e-12, 1e6),
    "Ah": (1e-6, 1e5),
    "K/W": (0, 1000),
    "°C": (-60, 200),
    "%": (0, 20),
    "": (-1e6, 1e6),
    "usable": (0.01, 1),
    "ripple_share": (0.05, 2),
    "series": (24, 96),
    "keys": (1, 256),
    "hfe": (1, 1e5),
    "overdrive": (1, 100),
    "internal_ohm": (0, 1e4),
    "dcr_ohm": (0, 1e4),
    "rds_ohm": (0, 1e4),
    "load_f": (1e-13, 1e-9),
    "stray_f": (0, 1e-9),
    "bus_f": (1e-12, 1e-6),
    "vref_v": (0.01, 100),
    "sink_a": (1e-6, 1),
    "pin_a": (1e-6, 10),
    "adjust_a": (0, 1e-2),
}
WHOLE: Final = ("keys", "series")


@dataclass(frozen=True)
class Quantity:
    """An input or output of a formula: its key, what it is, its unit and, for inputs, a usual value as typed."""

    key: str
    title: str
    unit: str
    usual: str = ""

    @property
    def range(self) -> tuple[float, float]:
        """Least and greatest value that makes sense, in the base unit."""
        return RANGES.get(self.key) or RANGES[self.unit]


@dataclass(frozen=True)
class Formula:
    """A calculation.

    ``sets`` names the outputs that are values of parts, in the order they are asked for.
    """

    name: str
    title: str
    source: str
    inputs: tuple[Quantity, ...]
    outputs: tuple[Quantity, ...]
    sets: tuple[str, ...]
    compute: Callable[[Values], dict[str, float]]

    def run(self, values: Values) -> dict[str, float]:
        """Compute all outputs; inputs left out take their usual value.

        Raises
        ------
        InputError
            Naming the input that is missing or out of range.
        """
        usual = {q.key: parse_value(q.usual, q.key, q.unit) for q in self.inputs if q.usual}
        values = {**usual, **values}
        for asked in self.inputs:
            if asked.key not in values:
                raise InputError(
                    f"{self.title} needs the {asked.title}.", where=asked.key, allowed=asked.unit
                )
            low, high = asked.range
            value = values[asked.key]
            if not low <= value <= high or (asked.key in WHOLE and value != round(value)):
                whole = "a whole number, " if asked.key in WHOLE else ""
                raise InputError(
                    f"The {asked.title} is {format_value(value, asked.unit)}.",
                    where=asked.key,
                    value=value,
                    allowed=f"{whole}{format_value(low, asked.unit)} to {format_value(high, asked.unit)}",
                )
        try:
            return self.compute(values)
        except (ZeroDivisionError, ValueError, OverflowError) as error:
            raise InputError(
                f"{self.title} cannot be worked out from these values.",
                where=self.name,
                next_step="Give other inputs.",
            ) from error


def _ask(text: str) -> tuple[Quantity, ...]:
    """Read quantities: ``key unit usual title`` parted by semicolons; a dash stands for no unit or no usual value."""
    found = []
    for entry in filter(None, (e.strip() for e in text.split(";"))):
        key, unit, usual, title = entry.split(maxsplit=3)
        found.append(Quantity(key, title, "" if unit == "-" else unit, "" if usual == "-" else usual))
    return tuple(found)


def _formula(
    name: str,
    title: str,
    source: str,
    inputs: str,
    outputs: str,
    sets: str,
    compute: Callable[[Values], dict[str, float]],
) -> Formula:
    return Formula(name, title, source, _ask(inputs), _ask(outputs), tuple(sets.split()), compute)


FORMULAS: Final[dict[str, Formula]] = {
    f.name: f
    for f in (
        _formula(
            "led",
            "LED resistor",
            "(V - Vf) / I, next E24 upwards",
            "supply_v V - supply; forward_v V 2 forward voltage; current_a A 5m current wanted",
            "r_ohm Ω - resistor; exact_ohm Ω - exact; current_a A - current; power_w W - power in the resistor",
            "r_ohm",
            laws.led,
        ),
        _formula(
            "feedback",
            "Feedback divider",
            "Vref (1 + Rtop / Rbottom), least error in the series",
            "vout_v V - output wanted; vref_v V 0.8 reference; sum_min_ohm Ω 10k least sum;"
            "sum_max_ohm Ω 100k greatest sum;"
            "series - 24 series, 24 or 96; tolerance_pct % 1 tolerance",
            "top_ohm Ω - top; bottom_ohm Ω - bottom; vout_v V - output; error_v V - error;"
            "spread_v V - spread by tolerance;"
            "current_a A - its own current",
            "top_ohm bottom_ohm",
            laws.divider,
        ),
        _formula(
            "floating",
            "Divider of a regulator without ground pin",
            "Vref (1 + Rlower / Rupper) + Iadj Rlower",
            "vout_v V - output wanted; vref_v V 1.25 reference; adjust_a A 50u current of the adjust pin;"
            "upper_ohm Ω 240 between output and adjust pin, small enough for the least load",
            "lower_ohm Ω - adjust pin to ground; vout_v V - output; error_v V - error;"
            "current_a A - its own current; exact_ohm Ω - exact",
            "lower_ohm",
            laws.floating,
        ),
        _formula(
            "divider",
            "Divider to an analogue pin",
            "full scale = V Rbottom / (Rtop + Rbottom), top upwards to E24",
            "input_v V - highest input; full_scale_v V 3.3 full scale of the converter; bottom_ohm Ω 10k bottom",
            "top_ohm Ω - top; tap_v V - at the highest input; current_a A - its own current;"
            "source_ohm Ω - what the pin sees",
            "top_ohm",
            laws.adc_divider,
        ),
        _formula(
            "linear",
            "Linear regulator's heat",
            "P = (Vin - Vout) I + Vin Iq; Tj = Ta + P theta",
            "vin_v V - input; vout_v V - output; load_a A - load; iq_a A 5m own current;"
            "dropout_v V 0 least it drops;"
            "theta_ja_k_per_w K/W 65 junction to ambient;"
            "ambient_c °C 30 ambient",
            "power_w W - heat; junction_c °C - junction; efficiency - - efficiency;"
            "headroom_v V - over the output",
            "",
            laws.linear,
        ),
        _formula(
            "buck",
            "Buck regulator",
            "continuous conduction",
            "vin_v V - input; vout_v V - output; load_a A - load; l_h H 33u inductance;"
            "fsw_hz Hz 300k frequency; dcr_ohm Ω 0.06 winding",
            "duty - - duty; ripple_a A - ripple; peak_a A - peak;"
            "saturation_a A - saturation wanted, 20 % in hand;"
            "dcr_loss_w W - winding loss; diode_avg_a A - diode average; diode_vr_v V - diode reverse",
            "",
            laws.buck,
        ),
        _formula(
            "inductor",
            "Buck inductor",
            "L = Vout (1 - D) / (share I f), next E6 upwards",
            "vin_v V - highest input; vout_v V - output; load_a A - load; fsw_hz Hz 300k frequency;"
            "ripple_share - 0.3 ripple as a share of the load",
            "l_h H - inductor; exact_h H - exact; ripple_a A - ripple; peak_a A - peak",
            "l_h",
            laws.inductor,
        ),
        _formula(
            "battery",
            "Battery",
            "hours = capacity usable / mean current; V = open - I Rint",
            "capacity_ah Ah 2 capacity; usable - 0.8 usable share; load_a A - mean current;"
            "open_v V 12.6 open voltage;"
            "internal_ohm Ω 0.15 internal resistance; peak_a A - peak current; min_v V 11 lowest the loads accept",
            "hours h - runs; terminal_v V - at peak; margin_v V - above the lowest",
            "",
            laws.battery,
        ),
        _formula(
            "rc",
            "RC corner",
            "tau = R C; f = 1 / (2 pi R C)",
            "r_ohm Ω 10k resistor; c_f F 100n capacitor",
            "tau_s s - time constant; corner_hz Hz - corner",
            "",
            laws.corner,
        ),
        _formula(
            "lc",
            "LC corner",
            "f = 1 / (2 pi sqrt(L C))",
            "l_h H 10u inductor; c_f F 10u capacitor",
            "corner_hz Hz - corner; z0_ohm Ω - impedance",
            "",
            laws.lc,
        ),
        _formula(
            "crystal",
            "Crystal load",
            "each 2 (CL - Cstray), nearest E24",
            f"load_f F 12.5p load capacitance; stray_f F 4p {STRAY_TITLE}",
            "c1_f F - one; c2_f F - other; exact_f F - exact",
            "c1_f c2_f",
            laws.crystal,
        ),
        _formula(
            "pull-up",
            "Open-drain pull-up",
            "(V - VOL) / IOL to tr / (0.8473 C), middle of the range",
            "supply_v V - supply; vol_v V 0.4 low level; sink_a A 3m sink current; rise_s s 1u rise;"
            "bus_f F 100p bus capacitance",
            "r1_ohm Ω - pull-up; r2_ohm Ω - second line; min_ohm Ω - least;max_ohm Ω - most",
            "r1_ohm r2_ohm",
            laws.open_drain,
        ),
        _formula(
            "matrix",
            "Key matrix",
            "fewest r + c with r c >= keys, never more than a pin a key",
            "keys - - keys",
            "pins - - pins; rows - - rows; columns - - columns",
            "",
            laws.matrix,
        ),
        _formula(
            "sense",
            "Sense resistor",
            "R = V / I, next E24 upwards; P = I² R",
            "current_a A - current at full scale; drop_v V 50m drop wanted",
            "r_ohm Ω - resistor; drop_v V - drop; power_w W - power",
            "r_ohm",
            laws.sense,
        ),
        _formula(
            "base",
            "Base resistor",
            "(V - Vbe) hfe / (I overdrive), next E24 downwards",
            "drive_v V - drive; vbe_v V 0.7 base voltage; load_a A - load; hfe - 100 current gain;"
            "overdrive - 3 overdrive",
            "r_ohm Ω - resistor; base_a A - base current; exact_ohm Ω - exact",
            "r_ohm",
            laws.base,
        ),
        _formula(
            "gate",
            "Gate resistor",
            "V / I of the pin, next E24 upwards",
            "drive_v V - drive; pin_a A 20m current of the pin; gate_c C 10n gate charge",
            "r_ohm Ω - resistor; peak_a A - peak of the pin; switch_s s - switching time",
            "r_ohm",
            laws.gate,
        ),
        _formula(
            "switch",
            "Switch's heat",
            "P = I² Ron; Tj = Ta + P theta",
            "load_a A - load; rds_ohm Ω - on resistance; theta_ja_k_per_w K/W 180 junction to ambient;"
            "ambient_c °C 30 ambient",
            "power_w W - heat; junction_c °C - junction; drop_v V - drop",
            "",
            laws.heat,
        ),
        _formula(
            "debounce",
            "Debounce",
            "C = t / R, next E6 upwards",
            "settle_s s 10m settling time;r_ohm Ω 10k pull-up",
            "c_f F - capacitor; tau_s s - time constant",
            "c_f",
            laws.debounce,
        ),
    )
}


def formula(name: str) -> Formula:
    """Give a formula by name.

    Raises
    ------
    NotFound
        Listing the formulas there are.
    """
    if name not in FORMULAS:
        raise NotFound(f"There is no calculation {name}.", where=name, allowed=", ".join(FORMULAS))
    return FORMULAS[name]
