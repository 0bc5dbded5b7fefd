"""Engineering values: parsing what people write, formatting, E-series; no rules of the job."""

from __future__ import annotations

import math
import re
from typing import Final

from vane_step.core.errors import InputError

NM_PER_MM: Final = 1_000_000
PREFIXES: Final[dict[str, float]] = {
    "p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "m": 1e-3,
    "": 1.0, "k": 1e3, "K": 1e3, "M": 1e6, "G": 1e9,
}  # fmt: skip
LENGTHS_MM: Final[dict[str, float]] = {
    "nm": 1e-6, "um": 1e-3, "µm": 1e-3, "mm": 1.0, "cm": 10.0, "m": 1000.0,
    "mil": 0.0254, "in": 25.4, '"': 25.4, "": 1.0, "oz": 0.0348,
}  # fmt: skip
E6: Final = (10, 15, 22, 33, 47, 68)
E12: Final = (10, 12, 15, 18, 22, 27, 33, 39, 47, 56, 68, 82)
E24: Final = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
E96: Final = tuple(round(100 * 10 ** (k / 96)) for k in range(96))

_UNIT = r"\s*(?:ohm|Ω|F|H|V|A|W|Hz|K|s|C)?$"
# A plain number with a prefix behind it, or a number whose point is a prefix: 4.7k and 4k7.
_PLAIN = re.compile(r"^([+-]?)(\d*)(?:[.,](\d+))?\s*([pnuµμmkKMGR]?)" + _UNIT)
_POINT = re.compile(r"^([+-]?)(\d*)([pnuµμmkKMGR])(\d+)" + _UNIT)
_LENGTH = re.compile(r"^([+-]?\d*(?:[.,]\d+)?)\s*(nm|um|µm|mm|cm|mil|in|oz|\"|m)?$")


def parse_value(text: str, what: str = "value") -> float:
    """Parse an engineering value as people write it.

    Parameters
    ----------
    text : str
        For example ``4k7``, ``0R05``, ``100n``, ``4.7u``, ``2A``, ``1,5 V``.
    what : str
        Name of the field, for the error message.

    Returns
    -------
    float
        The value in its base unit.

    Raises
    ------
    InputError
        When the text is no such value. Upper and lower case differ: ``1M`` is 1e6, ``1m`` is 1e-3.
    """
    text = text.strip()
    if match := _POINT.match(text):
        sign, whole, prefix, fraction = match.groups()
    elif (match := _PLAIN.match(text)) and (match[2] or match[3]):
        sign, whole, fraction, prefix = match.groups()
    else:
        raise InputError(
            f"{text!r} is not a value.", where=what, value=text,
            allowed="a number with an optional prefix, such as 4k7, 100n, 0R05 or 2A",
        )  # fmt: skip
    factor = 1.0 if prefix == "R" else PREFIXES[prefix]
    return float(f"{sign}{whole or '0'}.{fraction or '0'}") * factor


def parse_length_nm(text: str | float, what: str = "length") -> int:
    """Parse a length to whole nanometres; a bare number is millimetres.

    Raises
    ------
    InputError
        When the text is no length. ``10mil``, ``0.1in``, ``35um`` and ``1oz`` (34.8 um) are lengths.
    """
    match = _LENGTH.match(str(text).strip())
    if not match or not match[1] or match[1] in "+-":
        raise InputError(
            f"{text!r} is not a length.", where=what, value=text, allowed="a number with mm, um, mil or in"
        )
    return round(float(match[1].replace(",", ".")) * LENGTHS_MM[match[2] or ""] * NM_PER_MM)


def nm(value_mm: float) -> int:
    """Convert millimetres to whole nanometres, rounding to nearest."""
    return round(value_mm * NM_PER_MM)


def mm(value_nm: float) -> float:
    """Convert nanometres to millimetres."""
    return value_nm / NM_PER_MM


def format_value(value: float, unit: str = "", digits: int = 3) -> str:
    """Format a value with the prefix that leaves one to three digits before the point.

    >>> format_value(0.0047, "A")
    '4.7 mA'
    """
    if value == 0 or not math.isfinite(value):
        return f"{value:g} {unit}".strip()
    value = float(f"{value:.{digits}g}")
    exponent = min(9, max(-12, 3 * math.floor(math.log10(abs(value)) / 3 + 1e-12)))
    prefix = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G"}[exponent]
    return f"{value / 10.0**exponent:.{digits}g} {prefix}{unit}".strip()


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
