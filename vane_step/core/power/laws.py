"""The arithmetic of each calculation, from values to values; names, ranges and sources are in ``formulas``."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Final

from vane_step.core.errors import InputError
from vane_step.core.quantity import E24, E96, format_value, next_up

STRAY_TITLE: Final = "stray capacitance of pin and board"


Values = Mapping[str, float]


def above(value: float, floor: float, what: str) -> float:
    """Give a value, or refuse one that is not above a floor."""
    if not value > floor:
        raise InputError(f"The {what} is {value:g}.", where=what, value=value, allowed=f"above {floor:g}")
    return value


def _next_down(value: float) -> float:
    """Give the E24 value at or below a value."""
    scaled = 10.0 ** math.floor(math.log10(value)) / 10
    return max(s * scaled for s in E24 if s * scaled <= value * (1 + 1e-9))


def led(v: Values) -> dict[str, float]:
    """LED: the resistor that leaves the current wanted, next E24 upwards; all in SI units, as below."""
    over = above(v["supply_v"] - v["forward_v"], 0, "supply less forward voltage")
    exact = over / above(v["current_a"], 0, "current")
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
    ratio = above(vout_v, vref_v, "output voltage") / vref_v - 1
    best: tuple[float, float, float, float] | None = None
    for decade in range(math.floor(math.log10(low_ohm)) - 4, math.floor(math.log10(high_ohm)) + 1):
        for step in series:
            bottom = float(f"{step / series[0] * 10.0**decade:.6g}")
            exact = bottom * ratio
            up = next_up(exact, series)
            scaled = 10.0 ** math.floor(math.log10(exact * 0.999999)) / series[0]
            below = max((s * scaled for s in series if s * scaled <= exact), default=up)
            for top in (up, float(f"{below:.6g}")):
                if low_ohm <= top + bottom <= high_ohm:
                    error = abs(vref_v * (1 + top / bottom) - vout_v)
                    key = (round(error, 12), -(top + bottom), top, bottom)
                    best = min(best, key) if best else key
    if best is None:
        raise InputError(
            "No pair fits that window.", where="sum of the divider", allowed="a window of a decade or more"
        )
    return best[2], best[3]


def divider(v: Values) -> dict[str, float]:
    """Feedback divider: the pair of a series nearest to the output wanted, and how far tolerance spreads it."""
    if v["series"] not in (24, 96):
        raise InputError(
            f"There is no series E{v['series']:g}.", where="series", value=v["series"], allowed="24, 96"
        )
    above(v["sum_max_ohm"], v["sum_min_ohm"], "greatest sum")
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


def adc_divider(v: Values) -> dict[str, float]:
    """A divider whose bottom is given, so that the highest input makes full scale; the top goes up to the series."""
    ratio = above(v["input_v"], v["full_scale_v"], "highest input") / v["full_scale_v"] - 1
    top = next_up(v["bottom_ohm"] * ratio)
    whole = top + v["bottom_ohm"]
    return {
        "top_ohm": top,
        "tap_v": v["input_v"] * v["bottom_ohm"] / whole,
        "current_a": v["input_v"] / whole,
        "source_ohm": top * v["bottom_ohm"] / whole,
    }


def floating(v: Values) -> dict[str, float]:
    """A regulator without a ground pin holds Vref between output and adjust pin; its adjust current adds to it."""
    upper = v["upper_ohm"]
    exact = (above(v["vout_v"], v["vref_v"], "output voltage") - v["vref_v"]) / (
        v["vref_v"] / upper + v["adjust_a"]
    )
    up, down = next_up(exact), _next_down(exact)

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


def linear(v: Values) -> dict[str, float]:
    """Linear regulator: what it turns into heat, and how hot that makes it."""
    above(v["vin_v"] + 1e-9, v["vout_v"] + v["dropout_v"], "input voltage")
    power = (v["vin_v"] - v["vout_v"]) * v["load_a"] + v["vin_v"] * v["iq_a"]
    given = v["vout_v"] * v["load_a"]
    return {
        "power_w": power,
        "junction_c": v["ambient_c"] + power * v["theta_ja_k_per_w"],
        "efficiency": given / (given + power) if given else 0.0,
        "headroom_v": v["vin_v"] - v["vout_v"],
    }


def buck(v: Values) -> dict[str, float]:
    """Buck regulator in continuous conduction: duty, ripple, peak, what inductor and diode bear."""
    duty = v["vout_v"] / above(v["vin_v"], v["vout_v"], "input voltage")
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


def inductor(v: Values) -> dict[str, float]:
    """Buck inductor: the inductance for a share of ripple, next E6 upwards."""
    duty = v["vout_v"] / above(v["vin_v"], v["vout_v"], "input voltage")
    exact = v["vout_v"] * (1 - duty) / (v["ripple_share"] * v["load_a"] * v["fsw_hz"])
    l_h = next_up(exact, (10, 15, 22, 33, 47, 68))
    ripple = v["vout_v"] * (1 - duty) / (l_h * v["fsw_hz"])
    return {"l_h": l_h, "exact_h": exact, "ripple_a": ripple, "peak_a": v["load_a"] + ripple / 2}


def battery(v: Values) -> dict[str, float]:
    """Battery: hours at a mean current, and the voltage left at the peak."""
    terminal = v["open_v"] - v["peak_a"] * v["internal_ohm"]
    return {
        "hours": v["capacity_ah"] * v["usable"] / above(v["load_a"], 0, "mean current"),
        "terminal_v": terminal,
        "margin_v": terminal - v["min_v"],
    }


def corner(v: Values) -> dict[str, float]:
    """RC: time constant and corner."""
    tau = v["r_ohm"] * v["c_f"]
    return {"tau_s": tau, "corner_hz": 1 / (2 * math.pi * tau)}


def lc(v: Values) -> dict[str, float]:
    """LC: corner and characteristic impedance."""
    return {
        "corner_hz": 1 / (2 * math.pi * math.sqrt(v["l_h"] * v["c_f"])),
        "z0_ohm": math.sqrt(v["l_h"] / v["c_f"]),
    }


def crystal(v: Values) -> dict[str, float]:
    """Crystal: the two load capacitors, nearest E24."""
    exact = 2 * (above(v["load_f"], v["stray_f"], "load capacitance") - v["stray_f"])
    up, down = next_up(exact), _next_down(exact)
    each = float(f"{min((up, down), key=lambda c: (abs(c - exact), c)):.6g}")
    return {"c1_f": each, "c2_f": each, "exact_f": exact}


def open_drain(v: Values) -> dict[str, float]:
    """Open-drain bus: the pull-up between what the pins sink and how fast the bus rises."""
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


def matrix(v: Values) -> dict[str, float]:
    """Key matrix: the fewest pins for so many keys."""
    keys = round(v["keys"])
    rows = min(range(1, keys + 1), key=lambda r: (r + math.ceil(keys / r), -keys % r, r))
    pins = rows + math.ceil(keys / rows)
    return {"pins": min(keys, pins), "rows": rows, "columns": math.ceil(keys / rows)}


def sense(v: Values) -> dict[str, float]:
    """Sense resistor: its value, next E24 upwards, and its heat."""
    exact = v["drop_v"] / above(v["current_a"], 0, "current")
    r = next_up(exact)
    return {"r_ohm": r, "drop_v": v["current_a"] * r, "power_w": v["current_a"] ** 2 * r}


def base(v: Values) -> dict[str, float]:
    """Base resistor: the current a load needs, overdriven, next E24 downwards."""
    over = above(v["drive_v"] - v["vbe_v"], 0, "drive less base voltage")
    needed = v["load_a"] / above(v["hfe"], 0, "current gain") * v["overdrive"]
    exact = over / needed
    r = float(f"{_next_down(exact):.6g}")
    return {"r_ohm": r, "base_a": over / r, "exact_ohm": exact}


def gate(v: Values) -> dict[str, float]:
    """Gate resistor: what the pin bears, next E24 upwards, and how long switching takes."""
    exact = above(v["drive_v"], 0, "drive voltage") / above(v["pin_a"], 0, "current of the pin")
    r = next_up(exact)
    return {"r_ohm": r, "peak_a": v["drive_v"] / r, "switch_s": v["gate_c"] * r / v["drive_v"]}


def heat(v: Values) -> dict[str, float]:
    """Switch: what its resistance turns into heat, and how hot that makes it."""
    loss = v["load_a"] ** 2 * v["rds_ohm"]
    return {
        "power_w": loss,
        "junction_c": v["ambient_c"] + loss * v["theta_ja_k_per_w"],
        "drop_v": v["load_a"] * v["rds_ohm"],
    }


def debounce(v: Values) -> dict[str, float]:
    """Debounce: the capacitor that settles a contact, next E6 upwards."""
    c = next_up(v["settle_s"] / above(v["r_ohm"], 0, "resistance"), (10, 15, 22, 33, 47, 68))
    return {"c_f": c, "tau_s": v["r_ohm"] * c}
