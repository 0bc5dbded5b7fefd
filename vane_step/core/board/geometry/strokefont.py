"""A single-line font for legend and artwork: text to polylines; where text goes is decided elsewhere.

Glyphs are drawn here on a grid 4 wide and 6 high. Lower case prints as capitals, but for the prefixes of values, where
a small letter means another size than a capital: 10m and 10M.
"""

from __future__ import annotations

import functools
import math
import re
from typing import Final

# Each glyph: strokes separated by spaces; a stroke is a run of grid points "xy".
STROKES: Final[dict[str, str]] = {
    "A": "002640 1333",
    "B": "0006364544330333 33424130 3000",
    "C": "4536160501103041",
    "D": "00062644422000",
    "E": "46060040 0333",
    "F": "460600 0333",
    "G": "453616050110304143 4323",
    "H": "0006 4046 0343",
    "I": "1636 2620 1030",
    "J": "4641301001",
    "K": "0006 4603 1440",
    "L": "060040",
    "M": "0006234640",
    "N": "00064046",
    "O": "100105163645413010",
    "P": "00063645443303",
    "Q": "100105163645413010 2240",
    "R": "00063645443303 2340",
    "S": "453616050413334241301001",
    "T": "0646 2620",
    "U": "060110304146",
    "V": "062046",
    "W": "0610233046",
    "X": "0046 0640",
    "Y": "062346 2320",
    "Z": "06460040",
    "0": "100105163645413010 0145",
    "1": "152620 1030",
    "2": "051636454400 0040",
    "3": "05163645443313 33424130 30101001",
    "4": "303602 0242",
    "5": "460603334241301001",
    "6": "361605011030414233 3303",
    "7": "064610",
    "8": "130405163645443313 130201103041424233",
    "9": "103041453616050413 1343",
    "-": "1333",
    "+": "0343 2125",
    ".": "2021",
    ",": "2110",
    ":": "2122 2425",
    "/": "0046",
    "_": "0040",
    "=": "0242 0444",
    "(": "36252130",
    ")": "16252110",
    "?": "05163645442322 2021",
    "!": "2622 2021",
    "%": "0046 0616150506 3040413130",
    "#": "1016 3036 0242 0444",
    "*": "0343 1135 1531",
    "'": "2624",
    "&": "400416263502011030 3042",
    "<": "360330",
    ">": "164310",
    "°": "1636341416",
    "k": "0006 3402 1330",
    "m": "0004 03142320 23344340",
    "n": "0004 0314344340",
    "p": "0004 043443423101",
    "u": "0401103041 4440",
    "µ": "0400 02113142 4441",
    "Ω": "001011030416364443313040",
    " ": "",
}
_PREFIX: Final = re.compile(r"(?<=[0-9])[kmnpuµ]")


def _points(stroke: str) -> list[tuple[int, int]]:
    return [(int(stroke[i]), int(stroke[i + 1])) for i in range(0, len(stroke) - 1, 2)]


FONT: Final[dict[str, tuple[tuple[tuple[int, int], ...], ...]]] = {
    key: tuple(tuple(_points(s)) for s in text.split()) for key, text in STROKES.items()
}
ADVANCE: Final = 5.6
CAP_HEIGHT: Final = 6.0
LETTER_WIDTH: Final = 4.0


@functools.lru_cache(maxsize=8192)
def text_width(text: str, height_mm: float) -> float:
    """Give the width of a line of text, in millimetres."""
    return max(0.0, len(text) * ADVANCE - (ADVANCE - LETTER_WIDTH)) * height_mm / CAP_HEIGHT


def text_lines(
    text: str, x_mm: float, y_mm: float, height_mm: float, turn_deg: float = 0.0, mirrored: bool = False
) -> list[list[tuple[float, float]]]:
    """Draw text as polylines, centred on a point.

    Parameters
    ----------
    height_mm : float
        Height of capitals.
    turn_deg : float
        Anticlockwise, as seen by the reader.
    mirrored : bool
        Mirror about the vertical through the centre, as for text on the back seen from the front.

    Returns
    -------
    list of list of (x, y)
        Polylines in millimetres. Characters the font lacks print as a question mark.
    """
    scale = height_mm / CAP_HEIGHT
    start = -text_width(text, height_mm) / 2
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    lines = []
    small = {m.start() for m in _PREFIX.finditer(text)}
    for i, letter in enumerate(text):
        for stroke in FONT.get(letter if i in small else letter.upper(), FONT["?"]):
            line = []
            for gx, gy in stroke:
                x, y = start + (i * ADVANCE + gx) * scale, (gy - CAP_HEIGHT / 2) * scale
                x, y = x * c - y * s, x * s + y * c
                line.append((x_mm + (-x if mirrored else x), y_mm + y))
            lines.append(line)
    return lines
