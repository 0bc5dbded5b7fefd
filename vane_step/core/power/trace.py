"""Currents and the copper they need: width, rise, resistance, fusing and vias; no geometry of a board.

Sources: IPC-2221 chart fit I = k dT^0.44 A^0.725 (A in square mils; k = 0.048 outer, 0.024 inner), valid to
about 35 A, 10 to 100 K and 10 mm; IPC-2152 gives cooler inner layers, so this is on the safe side there.
Copper: 1.724e-8 ohm m at 20 C, 0.00393 per K, 385 J/kg K, 8960 kg/m3. Fusing: Onderdonk. A pulse heats copper no more
than it would without losing heat, and no more than if it went on for ever: the less of both is taken.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

from vane_step.core.errors import InputError

Where = Literal["outer", "inner"]
K_OUTER: Final = 0.048
K_INNER: Final = 0.024
SQ_MIL_PER_MM2: Final = (1 / 0.0254) ** 2
COPPER_OHM_M: Final = 1.724e-8
COPPER_PER_K: Final = 0.00393
COPPER_W_MK: Final = 390.0
COPPER_J_M3K: Final = 385.0 * 8960.0
START_C: Final = 25.0
SOURCE: Final = "IPC-2221 chart fit"


def source_of(seconds: float | None) -> str:
    """Name the law a current is held to: that of a pulse may be the lossless one."""
    return SOURCE if seconds is None else f"{SOURCE}, or no heat lost in {seconds:g} s"


def _positive(**values: float) -> None:
    for name, value in values.items():
        if not (value > 0 and math.isfinite(value)):
            raise InputError(f"{name} must be above 0.", where=name, value=value, allowed="above 0")


def _k(layer: Where) -> float:
    return K_OUTER if layer == "outer" else K_INNER


def area_mm2(current_a: float, rise_k: float, layer: Where) -> float:
    """Give the copper cross-section a current needs, in square millimetres (IPC-2221)."""
    _positive(current_a=current_a, rise_k=rise_k)
    return float((current_a / (_k(layer) * rise_k**0.44)) ** (1 / 0.725)) / SQ_MIL_PER_MM2


def _per_second(rise_k: float) -> float:
    """Give the square of amperes per mm2, times seconds, that heat copper by a rise without losing heat."""
    warm = math.log1p(COPPER_PER_K * rise_k / (1 + COPPER_PER_K * (START_C - 20)))
    return warm * COPPER_J_M3K / (COPPER_PER_K * COPPER_OHM_M) * 1e-12


def pulse_rise_k(area_mm2: float, current_a: float, seconds: float) -> float:
    """Give the rise of copper from 25 C by a pulse without loss of heat, its resistance rising with it, in kelvin.

    >>> round(pulse_rise_k(2 * 0.035, 20, 0.1), 2)
    45.12
    """
    _positive(area_mm2=area_mm2, current_a=current_a, seconds=seconds)
    rate = COPPER_PER_K * COPPER_OHM_M / COPPER_J_M3K * 1e12 * (current_a / area_mm2) ** 2
    start = 1 / COPPER_PER_K + START_C - 20
    return start * math.expm1(min(rate * seconds, 50.0))


def width_mm(
    current_a: float, rise_k: float, copper_um: float, layer: Where, seconds: float | None = None
) -> float:
    """Give the track width a current needs, in millimetres (IPC-2221); a pulse of some seconds may need less.

    >>> round(width_mm(1, 10, 35, "outer"), 5)
    0.30039
    """
    _positive(copper_um=copper_um)
    steady = area_mm2(current_a, rise_k, layer)
    if seconds is not None:
        _positive(seconds=seconds)
        steady = min(steady, current_a * math.sqrt(seconds / _per_second(rise_k)))
    return steady / (copper_um / 1000)


def current_a(width_mm: float, rise_k: float, copper_um: float, layer: Where) -> float:
    """Give the current that heats a track by ``rise_k``, in amperes (IPC-2221)."""
    _positive(width_mm=width_mm, rise_k=rise_k, copper_um=copper_um)
    return float(_k(layer) * rise_k**0.44 * (width_mm * copper_um / 1000 * SQ_MIL_PER_MM2) ** 0.725)


def rise_k(
    width_mm: float, current_a: float, copper_um: float, layer: Where, seconds: float | None = None
) -> float:
    """Give the rise of a track above its surroundings, in kelvin (IPC-2221); at the end of a pulse it may be less."""
    _positive(width_mm=width_mm, current_a=current_a, copper_um=copper_um)
    area = (width_mm * copper_um / 1000 * SQ_MIL_PER_MM2) ** 0.725
    steady = float((current_a / (_k(layer) * area)) ** (1 / 0.44))
    if seconds is None:
        return steady
    return min(steady, pulse_rise_k(width_mm * copper_um / 1000, current_a, seconds))


def neck_rise_k(
    neck_mm: float,
    track_mm: float,
    length_mm: float,
    current: float,
    copper_um: float,
    layer: Where,
    seconds: float | None = None,
) -> float:
    """Give the rise at the pin end of a short narrow piece of a track, in kelvin.

    The fin equation for two strips end to end: the neck, out of whose pin no heat flows, and the track, which goes on.
    Each gives off heat as the chart fit has it for its width, and copper carries heat along it (390 W/mK).

    Parameters
    ----------
    neck_mm, track_mm : float
        Widths of the neck and of the track it belongs to.
    length_mm : float
        Length of the neck.

    Notes
    -----
    A neck of no length is as warm as its track, a long one as :func:`rise_k` says of its own width.

    >>> round(neck_rise_k(0.4, 1.2, 3.0, 2.0, 35, "outer"), 1)
    9.6
    """
    alone, wide = (rise_k(w, current, copper_um, layer) for w in (neck_mm, track_mm))
    bends, carries = [], []
    for width, rise in ((neck_mm, alone), (track_mm, wide)):
        area_m2 = width * copper_um * 1e-9
        shed_w_mk = current**2 * COPPER_OHM_M / area_m2 / rise
        bends.append(math.sqrt(shed_w_mk / (COPPER_W_MK * area_m2)))
        carries.append(math.sqrt(shed_w_mk * COPPER_W_MK * area_m2))
    turn = min(bends[0] * length_mm / 1000, 50.0)
    steady = alone - (alone - wide) / (math.cosh(turn) + carries[0] / carries[1] * math.sinh(turn))
    if seconds is None:
        return steady
    return min(steady, pulse_rise_k(neck_mm * copper_um / 1000, current, seconds))


def resistance_ohm(length_mm: float, width_mm: float, copper_um: float, temp_c: float = 20.0) -> float:
    """Give the resistance of a track, in ohms."""
    _positive(length_mm=length_mm, width_mm=width_mm, copper_um=copper_um)
    rho = COPPER_OHM_M * (1 + COPPER_PER_K * (temp_c - 20))
    return rho * (length_mm / 1000) / (width_mm / 1000 * copper_um * 1e-6)


def fusing_a(width_mm: float, copper_um: float, seconds: float, ambient_c: float = 25.0) -> float:
    """Give the current that melts a track within ``seconds`` (Onderdonk; below about 10 s, no heat lost)."""
    _positive(width_mm=width_mm, copper_um=copper_um, seconds=seconds)
    circular_mils = width_mm * copper_um / 1000 * SQ_MIL_PER_MM2 * 4 / math.pi
    return circular_mils * math.sqrt(math.log10(1 + (1083 - ambient_c) / (234 + ambient_c)) / (33 * seconds))


def via_barrel_mm2(hole_mm: float, plating_um: float) -> float:
    """Give the copper cross-section of a via's barrel from its finished hole, in square millimetres."""
    _positive(hole_mm=hole_mm, plating_um=plating_um)
    return math.pi * ((hole_mm / 2 + plating_um / 1000) ** 2 - (hole_mm / 2) ** 2)


def via_current_a(hole_mm: float, plating_um: float, rise_k: float, seconds: float | None = None) -> float:
    """Give the current one via carries by the outer IPC-2221 law on its barrel (rule of thumb), more for a pulse."""
    area = via_barrel_mm2(hole_mm, plating_um)
    steady = float(K_OUTER * rise_k**0.44 * (area * SQ_MIL_PER_MM2) ** 0.725)
    return steady if seconds is None else max(steady, area * math.sqrt(_per_second(rise_k) / seconds))


@dataclass(frozen=True)
class TraceAnswer:
    """Everything a track's calculation gives; see :func:`trace`."""

    current_a: float
    rise_limit_k: float
    copper_um: float
    layer: Where
    needed_mm: float
    width_mm: float
    rise_k: float
    length_mm: float
    resistance_ohm: float
    drop_v: float
    power_w: float
    fusing_1s_a: float
    source: str


def trace(
    current: float,
    rise_limit_k: float,
    copper_um: float,
    layer: Where,
    *,
    width: float | None = None,
    length: float = 50.0,
    ambient_c: float = 25.0,
    seconds: float | None = None,
) -> TraceAnswer:
    """Work a track out: the width it needs, and at its width the rise, resistance and drop.

    Parameters
    ----------
    current : float
        Amperes, up to 35.
    rise_limit_k : float
        Allowed rise in kelvin, 10 to 100.
    copper_um : float
        Finished copper thickness in micrometres.
    width : float, optional
        Width in millimetres; the needed width when left out.
    length : float
        Length in millimetres for resistance, drop and heat, taken at ambient plus the track's own rise.
    seconds : float, optional
        How long the current flows, if it is a pulse.

    Raises
    ------
    InputError
        When a value is outside what the chart fit covers.
    """
    if not 0 < current <= 35:
        raise InputError(
            "The chart fit ends at 35 A.", where="current", value=current, allowed="above 0 to 35 A"
        )
    if not 1 <= rise_limit_k <= 100:
        raise InputError(
            "The chart fit covers rises to 100 K.", where="rise", value=rise_limit_k, allowed="1 to 100 K"
        )
    if not 1 <= copper_um <= 500:
        raise InputError(
            "That is no copper.", where="copper", value=f"{copper_um:g} um", allowed="1 to 500 um"
        )
    needed = width_mm(current, rise_limit_k, copper_um, layer, seconds)
    chosen = needed if width is None else width
    rise = rise_k(chosen, current, copper_um, layer, seconds)
    ohm = resistance_ohm(length, chosen, copper_um, ambient_c + min(rise, 200.0))
    return TraceAnswer(
        current,
        rise_limit_k,
        copper_um,
        layer,
        needed,
        chosen,
        rise,
        length,
        ohm,
        ohm * current,
        ohm * current**2,
        fusing_a(chosen, copper_um, 1.0, ambient_c),
        source_of(seconds),
    )
