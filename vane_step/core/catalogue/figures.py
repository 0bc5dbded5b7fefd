"""What parts of the catalogue can be told by: parameters with their unit and sense; the parts are in ``catalogue``."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

Sense = Literal["value", "rating", "typical", "least", "most"]


@dataclass(frozen=True)
class Parameter:
    """What a parameter means: its title, its unit and which way is better.

    A ``value`` must be what is asked for, a ``rating`` at least that much, a ``typical`` figure at most; ``least``
    and ``most`` are the ends of a range that must hold what is asked for.
    """

    title: str
    unit: str
    sense: Sense


PARAMETERS: Final[dict[str, Parameter]] = {
    "r_ohm": Parameter("resistance", "Ω", "value"),
    "c_f": Parameter("capacitance", "F", "value"),
    "l_h": Parameter("inductance", "H", "value"),
    "tolerance_pct": Parameter("tolerance", "%", "typical"),
    "tolerance_ppm": Parameter("tolerance", "ppm", "typical"),
    "power_w": Parameter("power", "W", "rating"),
    "vmax_v": Parameter("working voltage", "V", "rating"),
    "vso_v": Parameter("stand-off voltage", "V", "rating"),
    "vr_v": Parameter("reverse voltage", "V", "rating"),
    "if_a": Parameter("forward current", "A", "rating"),
    "vf_v": Parameter("forward voltage", "V", "typical"),
    "ir_a": Parameter("leakage", "A", "typical"),
    "vz_v": Parameter("zener voltage", "V", "value"),
    "vds_v": Parameter("drain voltage", "V", "rating"),
    "id_a": Parameter("drain current", "A", "rating"),
    "rds_ohm": Parameter("on resistance", "Ω", "typical"),
    "vgs_v": Parameter("gate drive", "V", "typical"),
    "vgsth_v": Parameter("gate threshold", "V", "typical"),
    "qg_c": Parameter("gate charge", "C", "typical"),
    "vce_v": Parameter("collector voltage", "V", "rating"),
    "ic_a": Parameter("collector current", "A", "rating"),
    "hfe": Parameter("current gain", "", "rating"),
    "vsat_v": Parameter("saturation voltage", "V", "typical"),
    "ctr": Parameter("transfer ratio", "%", "rating"),
    "vcl_v": Parameter("clamps at", "V", "typical"),
    "ppk_w": Parameter("pulse power", "W", "rating"),
    "cj_f": Parameter("junction capacitance", "F", "typical"),
    "z_ohm": Parameter("impedance", "Ω", "value"),
    "trip_a": Parameter("trips at", "A", "typical"),
    "vth_v": Parameter("threshold", "V", "value"),
    "gain": Parameter("gain", "", "value"),
    "memory_b": Parameter("memory", "B", "rating"),
    "rate_bps": Parameter("data rate", "bit/s", "rating"),
    "height_mm": Parameter("height", "mm", "value"),
    "k_per_w": Parameter("thermal resistance", "K/W", "typical"),
    "vout_v": Parameter("output voltage", "V", "value"),
    "vout_min_v": Parameter("output from", "V", "least"),
    "vout_max_v": Parameter("output to", "V", "most"),
    "vin_min_v": Parameter("input from", "V", "least"),
    "vin_max_v": Parameter("input to", "V", "most"),
    "iout_a": Parameter("output current", "A", "rating"),
    "dropout_v": Parameter("dropout", "V", "typical"),
    "iq_a": Parameter("own current", "A", "typical"),
    "vref_v": Parameter("reference", "V", "typical"),
    "theta_ja_k_per_w": Parameter("junction to ambient", "K/W", "typical"),
    "theta_jc_k_per_w": Parameter("junction to case", "K/W", "typical"),
    "sink_k_per_w": Parameter("heat sink", "K/W", "typical"),
    "igt_a": Parameter("gate fires at", "A", "typical"),
    "ih_a": Parameter("goes out under", "A", "typical"),
    "turns": Parameter("turns, first to second", "", "value"),
    "fsw_hz": Parameter("switching frequency", "Hz", "typical"),
    "ton_s": Parameter("constant time on", "s", "typical"),
    "efficiency": Parameter("efficiency", "", "rating"),
    "freq_hz": Parameter("frequency", "Hz", "value"),
    "cl_f": Parameter("load capacitance", "F", "typical"),
    "esr_ohm": Parameter("series resistance", "Ω", "typical"),
    "dcr_ohm": Parameter("winding", "Ω", "typical"),
    "isat_a": Parameter("saturation current", "A", "rating"),
    "ripple_a": Parameter("ripple current", "A", "rating"),
    "i_a": Parameter("current", "A", "rating"),
    "coil_v": Parameter("coil voltage", "V", "value"),
    "coil_ohm": Parameter("coil", "Ω", "typical"),
    "beta_k": Parameter("B value", "K", "typical"),
    "supply_min_v": Parameter("supply from", "V", "least"),
    "supply_max_v": Parameter("supply to", "V", "most"),
    "gbw_hz": Parameter("bandwidth", "Hz", "rating"),
    "offset_v": Parameter("offset", "V", "typical"),
    "channels": Parameter("channels", "", "rating"),
    "ways": Parameter("ways", "", "value"),
    "pitch_mm": Parameter("pitch", "mm", "value"),
    "flash_b": Parameter("program memory", "B", "rating"),
    "ram_b": Parameter("data memory", "B", "rating"),
    "clock_hz": Parameter("clock", "Hz", "rating"),
    "i_pin_a": Parameter("current of a pin", "A", "typical"),
    "ipeak_a": Parameter("peak current", "A", "typical"),
    "converter_bits": Parameter("converter", "bit", "rating"),
    "nm": Parameter("colour", "nm", "value"),
    "mcd": Parameter("brightness", "mcd", "rating"),
    "i2c_address": Parameter("bus address", "", "value"),
    "accuracy": Parameter("accuracy", "K", "typical"),
    "inductive": Parameter("inductive", "", "value"),
    "radio": Parameter("radio", "", "value"),
    "truth": Parameter("truth table", "", "value"),
    "r_base_ohm": Parameter("base resistor", "Ω", "value"),
    "r_be_ohm": Parameter("base to emitter", "Ω", "value"),
}

# Figures for the program, which say nothing to a reader: bit k is the output for the inputs that make k.
SILENT: Final = ("truth",)
# Figures that must be what is asked for in parts of some categories: a fuse of more does not blow.
EXACT: Final[dict[str, str]] = {
    "fuse": "i_a",
    "resettable fuse": "i_a",
    "crystal": "cl_f",
    "crystal, four pads": "cl_f",
    "watch crystal": "cl_f",
}
# Categories whose name means no other part: an electronic fuse is no fuse of another value.
ALONE: Final = ("fuse", "resettable fuse")
# The figure that stands beside the symbol of a part of these kinds; others show their number.
VALUED: Final[dict[str, str]] = {
    "resistor": "r_ohm",
    "capacitor": "c_f",
    "polar-capacitor": "c_f",
    "inductor": "l_h",
    "thermistor": "r_ohm",
}
