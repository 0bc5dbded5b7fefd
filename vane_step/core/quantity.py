"""Engineering values: parsing what people write, formatting, E-series; no rules of the job."""

from __future__ import annotations

import math
import re
from typing import Final

from vane_step.core.errors import InputError

NM_PER_MM: Final = 1_000_000
# No board is larger; a bare 2500 was meant in another unit.
MAX_MM: Final = 2000.0
PREFIXES: Final[dict[str, float]] = {
    "p": 1e-12,
    "n": 1e-9,
    "u": 1e-6,
    "µ": 1e-6,
    "μ": 1e-6,
    "m": 1e-3,
    "": 1.0,
    "k": 1e3,
    "K": 1e3,
    "M": 1e6,
    "G": 1e9,
}
LENGTHS_MM: Final[dict[str, float]] = {
    "nm": 1e-6,
    "um": 1e-3,
    "µm": 1e-3,
    "mm": 1.0,
    "cm": 10.0,
    "m": 1000.0,
    "mil": 0.0254,
    "in": 25.4,
    '"': 25.4,
    "": 1.0,
    "oz": 0.0348,
}
E6: Final = (10, 15, 22, 33, 47, 68)
E12: Final = (10, 12, 15, 18, 22, 27, 33, 39, 47, 56, 68, 82)
E24: Final = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
E96: Final = tuple(round(100 * 10 ** (k / 96)) for k in range(96))

# Units as people write them, and what each is; all others are refused, never dropped.
UNITS: Final[dict[str, str]] = {
    "ohm": "Ω",
    "Ohm": "Ω",
    "ohms": "Ω",
    "Ω": "Ω",
    "F": "F",
    "H": "H",
    "V": "V",
    "A": "A",
    "W": "W",
    "Hz": "Hz",
    "s": "s",
    "C": "C",
    "Ah": "Ah",
    "Wh": "Wh",
    "%": "%",
    "K": "K",
    "degC": "°C",
    "°C": "°C",
    "℃": "°C",
    "K/W": "K/W",
    "°C/W": "K/W",
    "degC/W": "K/W",
    "€": "€",
    "EUR": "€",
    "B": "B",
    "h": "h",
    "g": "g",
    "dB": "dB",
}
MAX_VALUE: Final = 1e15
_DIGITS = r"[0-9]{1,30}(?:[.,][0-9]{0,30})?|[.,][0-9]{1,30}"
_NUMBER = re.compile(rf"^([+-]?(?:{_DIGITS})(?:[eE][+-]?[0-9]{{1,2}})?)\s*(.*)$", re.S)
# A number whose point is a prefix or a unit: 4k7, 0R05, 3V3.
_POINT = re.compile(r"^([+-]?[0-9]{0,30})([pnuµμmkKMGRVAΩ])([0-9]{1,30})\s*(.*)$", re.S)
_LENGTH = re.compile(rf"^([+-]?(?:{_DIGITS}))\s*(nm|um|µm|μm|mm|cm|mil|in|oz|\"|m)?$")


def _scale(tail: str, unit: str) -> tuple[float, str] | None:
    """Give the factor and the unit that stand behind a number, or ``None``; ``unit`` is the one expected."""
    if not tail:
        return 1.0, ""
    # 10 K is ten kelvin where kelvin are asked for, else ten thousand; 5 m is always five thousandths.
    if tail in UNITS and (UNITS[tail] == unit or tail not in PREFIXES):
        return 1.0, UNITS[tail]
    if tail in PREFIXES:
        return PREFIXES[tail], ""
    if tail == "R":
        return 1.0, "Ω"
    prefix, rest = tail[0], tail[1:].lstrip()
    if prefix in PREFIXES and rest in UNITS and UNITS[rest] not in ("%", "°C", "K/W", "€"):
        return PREFIXES[prefix], UNITS[rest]
    return None


def parse_value(text: str, what: str = "value", unit: str = "") -> float:
    """Parse an engineering value as people write it.

    Parameters
    ----------
    text : str
        For example ``4k7``, ``0R05``, ``3V3``, ``100n``, ``4.7u``, ``500 mA``, ``1,5 V``, ``2.2Ah``, ``1 %``,
        ``30 °C``, ``65K/W``, ``1e3``.
    what : str
        Name of the field, for the error message.
    unit : str
        The unit that is expected, as in :data:`UNITS`; another one is refused. Empty takes any.

    Returns
    -------
    float
        The value in its base unit; per cent and degrees as they are written.

    Raises
    ------
    InputError
        When the text is no such value. Upper and lower case differ: ``1M`` is 1e6, ``1m`` is 1e-3. Nothing behind the
        value is passed over.
    """
    # The sign of the ohm is a letter of its own beside the Greek one.
    text = text.strip().replace("\u2126", "Ω")
    allowed = (
        "a number with an optional prefix"
        + (f" in {unit}" if unit else "")
        + ", such as 4k7, 100n, 0R05 or 2A"
    )
    number, factor, found = 0.0, 0.0, ""
    scaled: tuple[float, str] | None = None
    if match := _POINT.match(text):
        whole, point, fraction, tail = match.groups()
        factor, found = (
            (1.0, {"R": "Ω", "Ω": "Ω"}.get(point, point)) if point in "RΩVA" else (PREFIXES[point], "")
        )
        scaled = (1.0, "") if not tail else (1.0, UNITS[tail]) if tail in UNITS else None
        if scaled is not None:
            found = scaled[1] or found
            sign = "-" if whole.startswith("-") else ""
            number = float(f"{sign}{whole.lstrip('+-') or '0'}.{fraction}")
    elif match := _NUMBER.match(text):
        scaled = _scale(match[2].strip(), unit)
        if scaled is not None:
            (factor, found), number = scaled, float(match[1].replace(",", "."))
    if scaled is None:
        raise InputError(f"{text[:40]!r} is not a value.", where=what, value=text, allowed=allowed)
    if unit and found and found != unit:
        raise InputError(
            f"{text[:40]!r} is in {found}, {unit} is asked for.", where=what, value=text, allowed=allowed
        )
    if abs(number * factor) > MAX_VALUE:
        raise InputError(
            f"{text[:40]!r} is out of range.", where=what, value=text, allowed=f"up to {MAX_VALUE:g}"
        )
    return number * factor


def parse_length_nm(text: str | float, what: str = "length") -> int:
    """Parse a length to whole nanometres; a bare number is millimetres.

    Raises
    ------
    InputError
        When the text is no length or beyond 2 m. ``10mil``, ``0.1in``, ``35um`` and ``1oz`` (34.8 um) are lengths.
    """
    written = str(text).strip()
    match = _LENGTH.match(written)
    if not match:
        raise InputError(
            f"{written[:40]!r} is not a length.",
            where=what,
            value=text,
            allowed="a number with mm, um, mil or in",
        )
    length_mm = float(match[1].replace(",", ".")) * LENGTHS_MM[match[2] or ""]
    if abs(length_mm) > MAX_MM:
        raise InputError(
            f"{written[:40]} is out of range.",
            where=what,
            value=text,
            allowed=f"-{MAX_MM:g} to {MAX_MM:g} mm",
        )
    return round(length_mm * NM_PER_MM)


def nm(value_mm: float) -> int:
    """Convert millimetres to whole nanometres, rounding to nearest."""
    return round(value_mm * NM_PER_MM)


def mm(value_nm: float) -> float:
    """Convert nanometres to millimetres."""
    return value_nm / NM_PER_MM


# A thousandth of the smallest unit that is written: what is left of nothing after a calculation.
LEAST_SHOWN = 1e-15


def format_value(value: float, unit: str = "", digits: int = 3) -> str:
    """Format a value with the prefix that leaves one to three digits before the point; less than 0.001 p is 0.

    >>> format_value(0.0047, "A")
    '4.7 mA'
    """
    if not math.isfinite(value):
        return f"{value:g} {unit}".strip()
    if abs(value) < LEAST_SHOWN:
        return f"0 {unit}".strip()
    value = float(f"{value:.{digits}g}")
    exponent = min(9, max(-12, 3 * math.floor(math.log10(abs(value)) / 3 + 1e-12)))
    prefix = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G"}[exponent]
    return f"{value / 10.0**exponent:.{digits}g} {prefix}{unit}".strip()


def typed(value: float) -> str:
    """Write a value as people type it: ``4k7``, ``100n``, ``22p``, ``4R7``."""
    plain = format_value(value).replace("µ", "u").replace(" ", "")
    match = re.fullmatch(r"(\d+)(?:\.(\d+))?([pnumkMG]?)", plain)
    if match is None or match[2] is None:
        return plain
    return f"{match[1]}{match[3] or 'R'}{match[2]}"


def next_up(value: float, series: tuple[int, ...] = E24) -> float:
    """Give the smallest series value that is not below ``value`` (up to one part in a million).

    Raises
    ------
    InputError
        When the value is not positive.
    """
    if value <= 0:
        raise InputError(f"{value:g} is not positive.", where="series value", value=value, allowed="above 0")
    decade = 10.0 ** math.floor(math.log10(value)) / series[0]
    for scale in (decade, decade * 10):
        for step in series:
            if step * scale >= value * (1 - 1e-6):
                return float(f"{step * scale:.6g}")
    raise AssertionError("a series has a value in every decade")
