"""Calculations of supplies and controller surroundings, each with inputs, outputs and source; no design is known here.

Copper is worked out in ``trace``. Formulas and their check values: docs/rules.md.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final

from vane_step.core.errors import InputError, NotFound
from vane_step.core.quantity import E24, E96, format_value, next_up, parse_value

TEXTBOOK: Final = "textbook"
STRAY_TITLE: Final = "stray capacitance of pin and board"
SERIES: Final = {"E24": E24, "E96": E96}
Values = Mapping[str, float]


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


def _above(value: float, floor: float, what: str) -> float:
    if not value > floor:
        raise InputError(f"The {what} is {value:g}.", where=what, value=value, allowed=f"above {floor:g}")
    return value


def _led(v: Values) -> dict[str, float]:
    over = _above(v["supply_v"] - v["forward_v"], 0, "supply less forward voltage")
    exact = over / _above(v["current_a"], 0, "current")
    r = next_up(exact)
    return {"r_ohm": r, "exact_ohm": exact, "current_a": over / r, "power_w": over**2 / r}


def feedback_pair(
    vout_v: float, vref_v: float, low_ohm: float, high_ohm: float, series: tuple[int, ...]
) -> tuple[float, float]:
    """Find the series pair top, bottom whose Vref (1 + top/bottom) comes nearest to an output.

    Their sum lies between ``low_ohm`` and ``high_ohm``; of equal errors the greater sum wins, which wastes less.
    Every bottom value is tried with the two top values next to the exact one.

    Raises
    ------
    InputError
        When the output is below the reference, or no pair fits the window.
    """
    ratio = _above(vout_v, vref_v, "output voltage") / vref_v - 1
    best: tuple[float, float, float, float] | None = None
    for decade in range(math.floor(math.log10(low_ohm)) - 4, math.floor(math.log10(high_ohm)) + 1):
        for step in series:
            bottom = float(f"{step / series[0] * 10.0**decade:.6g}")
            exact = bottom * ratio
            above = next_up(exact, series)
            scaled = 10.0 ** math.floor(math.log10(exact * 0.999999)) / series[0]
            below = max((s * scaled for s in series if s * scaled <= exact), default=above)
            for top in (above, float(f"{below:.6g}")):
                if low_ohm <= top + bottom <= high_ohm:
                    error = abs(vref_v * (1 + top / bottom) - vout_v)
                    key = (round(error, 12), -(top + bottom), top, bottom)
                    best = min(best, key) if best else key
    if best is None:
        raise InputError(
            "No pair fits that window.", where="sum of the divider", allowed="a window of a decade or more"
        )
    return best[2], best[3]


def _divider(v: Values) -> dict[str, float]:
    if v["series"] not in (24, 96):
        raise InputError(
            f"There is no series E{v['series']:g}.", where="series", value=v["series"], allowed="24, 96"
        )
    _above(v["sum_max_ohm"], v["sum_min_ohm"], "greatest sum")
    series = E96 if v["series"] == 96 else E24
    top, bottom = feedback_pair(v["vout_v"], v["vref_v"], v["sum_min_ohm"], v["sum_max_ohm"], series)
    got = v["vref_v"] * (1 + top / bottom)
    off = v["tolerance_pct"] / 100
    spread = v["vref_v"] * (top / bottom) * ((1 + off) / (1 - off) - 1)
    return {
        "top_ohm": top,
        "bottom_ohm": bottom,
        "vout_v": got,
        "error_v": got - v["vout_v"],
        "spread_v": spread,
        "current_a": got / (top + bottom),
    }


def _adc_divider(v: Values) -> dict[str, float]:
    """A divider whose bottom is given, so that the highest input makes full scale; the top goes up to the series."""
    ratio = _above(v["input_v"], v["full_scale_v"], "highest input") / v["full_scale_v"] - 1
    top = next_up(v["bottom_ohm"] * ratio)
    whole = top + v["bottom_ohm"]
    return {
        "top_ohm": top,
        "tap_v": v["input_v"] * v["bottom_ohm"] / whole,
        "current_a": v["input_v"] / whole,
        "source_ohm": top * v["bottom_ohm"] / whole,
    }


def _floating(v: Values) -> dict[str, float]:
    """A regulator without a ground pin holds Vref between output and adjust pin; its adjust current adds to it."""
    upper = v["upper_ohm"]
    exact = (_above(v["vout_v"], v["vref_v"], "output voltage") - v["vref_v"]) / (
        v["vref_v"] / upper + v["adjust_a"]
    )
    up = next_up(exact)
    scaled = 10.0 ** math.floor(math.log10(exact)) / 10
    down = max(s * scaled for s in E24 if s * scaled <= exact * (1 + 1e-9))

    def out(lower: float) -> float:
        return v["vref_v"] * (1 + lower / upper) + v["adjust_a"] * lower

    lower = float(f"{min((down, up), key=lambda r: (abs(out(r) - v['vout_v']), r)):.6g}")
    return {
        "lower_ohm": lower,
        "vout_v": out(lower),
        "error_v": out(lower) - v["vout_v"],
        "current_a": v["vref_v"] / upper,
        "exact_ohm": exact,
    }


def _linear(v: Values) -> dict[str, float]:
    _above(v["vin_v"] + 1e-9, v["vout_v"] + v["dropout_v"], "input voltage")
    power = (v["vin_v"] - v["vout_v"]) * v["load_a"] + v["vin_v"] * v["iq_a"]
    given = v["vout_v"] * v["load_a"]
    return {
        "power_w": power,
        "junction_c": v["ambient_c"] + power * v["theta_ja_k_per_w"],
        "efficiency": given / (given + power) if given else 0.0,
        "headroom_v": v["vin_v"] - v["vout_v"],
    }


def _buck(v: Values) -> dict[str, float]:
    duty = v["vout_v"] / _above(v["vin_v"], v["vout_v"], "input voltage")
    ripple = v["vout_v"] * (1 - duty) / (v["l_h"] * v["fsw_hz"])
    if ripple > 2 * v["load_a"]:
        raise InputError(
            "The current would pause in every period: these formulas hold for one that flows on.",
            where="load_a",
            value=v["load_a"],
            allowed=f"at least {format_value(ripple / 2, 'A')}, half the ripple",
            next_step="Raise the load, the inductance or the frequency.",
        )
    return {
        "duty": duty,
        "ripple_a": ripple,
        "peak_a": v["load_a"] + ripple / 2,
        "saturation_a": 1.2 * (v["load_a"] + ripple / 2),
        "dcr_loss_w": v["load_a"] ** 2 * v["dcr_ohm"],
        "diode_avg_a": v["load_a"] * (1 - duty),
        "diode_vr_v": v["vin_v"],
    }


def _inductor(v: Values) -> dict[str, float]:
    duty = v["vout_v"] / _above(v["vin_v"], v["vout_v"], "input voltage")
    exact = v["vout_v"] * (1 - duty) / (v["ripple_share"] * v["load_a"] * v["fsw_hz"])
    l_h = next_up(exact, (10, 15, 22, 33, 47, 68))
    ripple = v["vout_v"] * (1 - duty) / (l_h * v["fsw_hz"])
    return {"l_h": l_h, "exact_h": exact, "ripple_a": ripple, "peak_a": v["load_a"] + ripple / 2}


def _battery(v: Values) -> dict[str, float]:
    terminal = v["open_v"] - v["peak_a"] * v["internal_ohm"]
    return {
        "hours": v["capacity_ah"] * v["usable"] / _above(v["load_a"], 0, "mean current"),
        "terminal_v": terminal,
        "margin_v": terminal - v["min_v"],
    }


def _corner(v: Values) -> dict[str, float]:
    tau = v["r_ohm"] * v["c_f"]
    return {"tau_s": tau, "corner_hz": 1 / (2 * math.pi * tau)}


def _lc(v: Values) -> dict[str, float]:
    return {
        "corner_hz": 1 / (2 * math.pi * math.sqrt(v["l_h"] * v["c_f"])),
        "z0_ohm": math.sqrt(v["l_h"] / v["c_f"]),
    }


def _crystal(v: Values) -> dict[str, float]:
    exact = 2 * (_above(v["load_f"], v["stray_f"], "load capacitance") - v["stray_f"])
    up = next_up(exact)
    scaled = 10.0 ** math.floor(math.log10(exact)) / 10
    down = max(s * scaled for s in E24 if s * scaled <= exact * (1 + 1e-9))
    each = float(f"{min((up, down), key=lambda c: (abs(c - exact), c)):.6g}")
    return {"c1_f": each, "c2_f": each, "exact_f": exact}


def _open_drain(v: Values) -> dict[str, float]:
    low = (v["supply_v"] - v["vol_v"]) / v["sink_a"]
    high = v["rise_s"] / (0.8473 * v["bus_f"])
    if low > high:
        raise InputError(
            f"The bus needs more than {low:.0f} and less than {high:.0f} ohm.",
            where="pull-up",
            value=low,
            allowed=f"below {high:.0f} ohm",
            next_step="Split the bus, slow it, or use fewer devices.",
        )
    middle = next_up(math.sqrt(low * high))
    return {"r1_ohm": middle, "r2_ohm": middle, "min_ohm": low, "max_ohm": high}


def _matrix(v: Values) -> dict[str, float]:
    keys = round(v["keys"])
    rows = min(range(1, keys + 1), key=lambda r: (r + math.ceil(keys / r), -keys % r, r))
    pins = rows + math.ceil(keys / rows)
    return {"pins": min(keys, pins), "rows": rows, "columns": math.ceil(keys / rows)}


def _sense(v: Values) -> dict[str, float]:
    exact = v["drop_v"] / _above(v["current_a"], 0, "current")
    r = next_up(exact)
    return {"r_ohm": r, "drop_v": v["current_a"] * r, "power_w": v["current_a"] ** 2 * r}


def _base(v: Values) -> dict[str, float]:
    over = _above(v["drive_v"] - v["vbe_v"], 0, "drive less base voltage")
    needed = v["load_a"] / _above(v["hfe"], 0, "current gain") * v["overdrive"]
    exact = over / needed
    scaled = 10.0 ** math.floor(math.log10(exact)) / 10
    r = float(f"{max(s * scaled for s in E24 if s * scaled <= exact * (1 + 1e-9)):.6g}")
    return {"r_ohm": r, "base_a": over / r, "exact_ohm": exact}


def _gate(v: Values) -> dict[str, float]:
    exact = _above(v["drive_v"], 0, "drive voltage") / _above(v["pin_a"], 0, "current of the pin")
    r = next_up(exact)
    return {"r_ohm": r, "peak_a": v["drive_v"] / r, "switch_s": v["gate_c"] * r / v["drive_v"]}


def _heat(v: Values) -> dict[str, float]:
    loss = v["load_a"] ** 2 * v["rds_ohm"]
    return {
        "power_w": loss,
        "junction_c": v["ambient_c"] + loss * v["theta_ja_k_per_w"],
        "drop_v": v["load_a"] * v["rds_ohm"],
    }


def _debounce(v: Values) -> dict[str, float]:
    c = next_up(v["settle_s"] / _above(v["r_ohm"], 0, "resistance"), (10, 15, 22, 33, 47, 68))
    return {"c_f": c, "tau_s": v["r_ohm"] * c}


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
            _led,
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
            _divider,
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
            _floating,
        ),
        _formula(
            "divider",
            "Divider to an analogue pin",
            "full scale = V Rbottom / (Rtop + Rbottom), top upwards to E24",
            "input_v V - highest input; full_scale_v V 3.3 full scale of the converter; bottom_ohm Ω 10k bottom",
            "top_ohm Ω - top; tap_v V - at the highest input; current_a A - its own current;"
            "source_ohm Ω - what the pin sees",
            "top_ohm",
            _adc_divider,
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
            _linear,
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
            _buck,
        ),
        _formula(
            "inductor",
            "Buck inductor",
            "L = Vout (1 - D) / (share I f), next E6 upwards",
            "vin_v V - highest input; vout_v V - output; load_a A - load; fsw_hz Hz 300k frequency;"
            "ripple_share - 0.3 ripple as a share of the load",
            "l_h H - inductor; exact_h H - exact; ripple_a A - ripple; peak_a A - peak",
            "l_h",
            _inductor,
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
            _battery,
        ),
        _formula(
            "rc",
            "RC corner",
            "tau = R C; f = 1 / (2 pi R C)",
            "r_ohm Ω 10k resistor; c_f F 100n capacitor",
            "tau_s s - time constant; corner_hz Hz - corner",
            "",
            _corner,
        ),
        _formula(
            "lc",
            "LC corner",
            "f = 1 / (2 pi sqrt(L C))",
            "l_h H 10u inductor; c_f F 10u capacitor",
            "corner_hz Hz - corner; z0_ohm Ω - impedance",
            "",
            _lc,
        ),
        _formula(
            "crystal",
            "Crystal load",
            "each 2 (CL - Cstray), nearest E24",
            f"load_f F 12.5p load capacitance; stray_f F 4p {STRAY_TITLE}",
            "c1_f F - one; c2_f F - other; exact_f F - exact",
            "c1_f c2_f",
            _crystal,
        ),
        _formula(
            "pull-up",
            "Open-drain pull-up",
            "(V - VOL) / IOL to tr / (0.8473 C), middle of the range",
            "supply_v V - supply; vol_v V 0.4 low level; sink_a A 3m sink current; rise_s s 1u rise;"
            "bus_f F 100p bus capacitance",
            "r1_ohm Ω - pull-up; r2_ohm Ω - second line; min_ohm Ω - least;max_ohm Ω - most",
            "r1_ohm r2_ohm",
            _open_drain,
        ),
        _formula(
            "matrix",
            "Key matrix",
            "fewest r + c with r c >= keys, never more than a pin a key",
            "keys - - keys",
            "pins - - pins; rows - - rows; columns - - columns",
            "",
            _matrix,
        ),
        _formula(
            "sense",
            "Sense resistor",
            "R = V / I, next E24 upwards; P = I² R",
            "current_a A - current at full scale; drop_v V 50m drop wanted",
            "r_ohm Ω - resistor; drop_v V - drop; power_w W - power",
            "r_ohm",
            _sense,
        ),
        _formula(
            "base",
            "Base resistor",
            "(V - Vbe) hfe / (I overdrive), next E24 downwards",
            "drive_v V - drive; vbe_v V 0.7 base voltage; load_a A - load; hfe - 100 current gain;"
            "overdrive - 3 overdrive",
            "r_ohm Ω - resistor; base_a A - base current; exact_ohm Ω - exact",
            "r_ohm",
            _base,
        ),
        _formula(
            "gate",
            "Gate resistor",
            "V / I of the pin, next E24 upwards",
            "drive_v V - drive; pin_a A 20m current of the pin; gate_c C 10n gate charge",
            "r_ohm Ω - resistor; peak_a A - peak of the pin; switch_s s - switching time",
            "r_ohm",
            _gate,
        ),
        _formula(
            "switch",
            "Switch's heat",
            "P = I² Ron; Tj = Ta + P theta",
            "load_a A - load; rds_ohm Ω - on resistance; theta_ja_k_per_w K/W 180 junction to ambient;"
            "ambient_c °C 30 ambient",
            "power_w W - heat; junction_c °C - junction; drop_v V - drop",
            "",
            _heat,
        ),
        _formula(
            "debounce",
            "Debounce",
            "C = t / R, next E6 upwards",
            "settle_s s 10m settling time;r_ohm Ω 10k pull-up",
            "c_f F - capacitor; tau_s s - time constant",
            "c_f",
            _debounce,
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
