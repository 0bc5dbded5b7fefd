"""Named families of leaded packages: rows of pins, axial and radial leads; what is made pad by pad is in ``plans``."""

from __future__ import annotations

import re
from collections.abc import Callable

from vane_step.core.design.model import Package
from vane_step.core.patterns.landpattern import through_hole

Maker = Callable[[re.Match[str], bool], Package]
# Rows of a dual in-line package that are not 7.62 mm (up to 20 pins, and the narrow ones) are 15.24 mm apart.
NARROW_PINS, NARROW_MM, WIDE_MM = 20, 7.62, 15.24
# Axial bodies by JEDEC outline: lead, length, thickness.
OUTLINES: dict[str, tuple[float, float, float]] = {
    "DO-35": (0.56, 4.2, 2.0),
    "DO-41": (0.86, 5.2, 2.7),
    "DO-15": (0.9, 7.6, 3.6),
    "DO-201": (1.3, 9.5, 5.3),
}
# Radial leads: what it is, and its height over its diameter, at least.
RADIALS: dict[str, tuple[str, float, float]] = {
    "CER": ("ceramic capacitor", 1.0, 5.0),
    "ELCO": ("electrolytic capacitor", 1.6, 11.0),
    "LEDR": ("round LED", 1.7, 5.3),
    "SOUNDER": ("sounder", 0.8, 9.5),
    "KEY": ("key", 0.6, 5.0),
    "COIL": ("coil on a drum", 1.2, 8.0),
    "FUSER": ("fuse in a can", 0.9, 7.7),
}


def _dip(match: re.Match[str], kitchen: bool) -> Package:
    pins = int(match[1])
    row = NARROW_MM if pins <= NARROW_PINS or match[2] else WIDE_MM
    per = pins // 2
    left = [(str(i + 1), -row / 2, ((per - 1) / 2 - i) * 2.54) for i in range(per)]
    right = [(str(per + i + 1), row / 2, (i - (per - 1) / 2) * 2.54) for i in range(per)]
    body = (row - 1.3, per * 2.54)
    title = f"dual in line, {pins} pins, rows {row} mm apart"
    return through_hole(match[0], title, [*left, *right], 0.6, body, 4.5, kitchen)


def _axial(match: re.Match[str], kitchen: bool) -> Package:
    pitch = int(match[2]) / 100
    diode = match[1] == "DIODE"
    body = (4.2, 2.0) if diode else (6.3, 2.4)
    title = f"axial {'diode' if diode else 'leads'}, {pitch:g} mm apart"
    spots = [("1", -pitch / 2, 0.0), ("2", pitch / 2, 0.0)]
    return through_hole(match[0], title, spots, 0.6, body, 2.5, kitchen, diode, pin1_square=diode)


def _outline(match: re.Match[str], kitchen: bool) -> Package:
    """An axial diode of a JEDEC outline, its cathode at pin 1."""
    lead, long, thick = OUTLINES[match[1]]
    pitch = int(match[2]) / 100
    title = f"axial diode {match[1]}, leads {pitch:g} mm apart"
    spots = [("1", -pitch / 2, 0.0), ("2", pitch / 2, 0.0)]
    return through_hole(match[0], title, spots, lead, (long, thick), thick, kitchen, True)


def _axial_body(match: re.Match[str], kitchen: bool) -> Package:
    long, thick, pitch = int(match[1]) / 10, int(match[2]) / 10, int(match[3]) / 100
    lead = 0.6 if thick < 2.6 else 0.7 if thick < 3.6 else 0.8
    title = f"axial, body {long:g} x {thick:g} mm, leads {pitch:g} mm apart"
    spots = [("1", -pitch / 2, 0.0), ("2", pitch / 2, 0.0)]
    return through_hole(match[0], title, spots, lead, (long, thick), thick, kitchen, pin1_square=False)


def _radial(match: re.Match[str], kitchen: bool) -> Package:
    pitch, size = int(match[2]) / 100, float(match[3])
    polar = match[1] in ("ELCO", "LEDR", "SOUNDER")
    # Snap-in cans stand on blades of 1.5 mm, large cans and coils on leads of 0.8 mm.
    snap = match[1] == "ELCO" and pitch >= 10
    lead = 1.5 if snap else 0.8 if size >= 16 else 0.6
    spots = [("1", -pitch / 2, 0.0), ("2", pitch / 2, 0.0)]
    body = (size, 2.6) if match[1] == "CER" else (size, size)
    what, tall, least = RADIALS[match[1]]
    title = f"{what}, leads {pitch:g} mm apart, body {size:g} mm"
    square = match[1] in ("CER", "KEY")
    return through_hole(
        match[0],
        title,
        spots,
        lead,
        body,
        max(least, tall * size),
        kitchen,
        polar,
        polar,
        round_body=not square,
    )


def _film(match: re.Match[str], kitchen: bool) -> Package:
    pitch, thick = int(match[1]) / 100, int(match[2]) / 10
    long = pitch + (2.2 if pitch < 10 else 3.0 if pitch < 20 else 4.0)
    lead = 0.6 if pitch < 15 else 0.8
    title = f"film capacitor, leads {pitch:g} mm apart, {long:g} x {thick:g} mm"
    spots = [("1", -pitch / 2, 0.0), ("2", pitch / 2, 0.0)]
    return through_hole(match[0], title, spots, lead, (long, thick), thick * 1.8, kitchen, pin1_square=False)


def _grid(rows: int, columns: int, pitch: float) -> list[tuple[str, float, float]]:
    return [
        (str(c * rows + r + 1), (r - (rows - 1) / 2) * pitch, ((columns - 1) / 2 - c) * pitch)
        for c in range(columns)
        for r in range(rows)
    ]


def _header(match: re.Match[str], kitchen: bool) -> Package:
    rows, columns = int(match[1]), int(match[2])
    body = (rows * 2.54, columns * 2.54)
    title = f"pin header, {rows} x {columns}, 2.54 mm"
    return through_hole(match[0], title, _grid(rows, columns, 2.54), 0.80, body, 8.5, kitchen)


def _socket(match: re.Match[str], kitchen: bool) -> Package:
    rows, columns = int(match[1]), int(match[2])
    body = (rows * 2.54, columns * 2.54)
    title = f"pin socket, {rows} x {columns}, 2.54 mm"
    return through_hole(match[0], title, _grid(rows, columns, 2.54), 0.75, body, 8.5, kitchen)


def _dense(match: re.Match[str], kitchen: bool) -> Package:
    pitch, rows, columns = int(match[1]) / 100, int(match[2]), int(match[3])
    body = (rows * pitch + 0.4, columns * pitch)
    lead = 0.5 if pitch < 1.5 else 0.7
    title = f"pin header, {rows} x {columns}, {pitch:g} mm"
    return through_hole(match[0], title, _grid(rows, columns, pitch), lead, body, 6.0, kitchen)


def _box(match: re.Match[str], kitchen: bool) -> Package:
    columns = int(match[1])
    title = f"box header with key, 2 x {columns}, 2.54 mm"
    body = (8.9, columns * 2.54 + 7.6)
    return through_hole(match[0], title, _grid(2, columns, 2.54), 0.80, body, 9.2, kitchen)


def _terminal(match: re.Match[str], kitchen: bool) -> Package:
    pins = int(match[1])
    spots = [(str(i + 1), 0.0, ((pins - 1) / 2 - i) * 5.08) for i in range(pins)]
    title = f"screw terminal, {pins} ways, 5.08 mm"
    return through_hole(match[0], title, spots, 1.1, (8.1, pins * 5.08), 10.0, kitchen, mouth=WIRE_SIDE)


# Wires enter from the left, so that whoever looks into the mouths has way 1 on the left. Upright rows have no mouth.
WIRE_SIDE = ("left", 0.0)
UPRIGHT = ("WIRE20", "WIRE396", "WIRE42")
# Rows of contacts by family: title, pitch, lead, depth, what the ends stick out, height.
ROWS: dict[str, tuple[str, float, float, float, float, float]] = {
    "TERM35": ("screw terminal", 3.5, 1.0, 7.6, 0.0, 8.5),
    "TERM76": ("screw terminal", 7.62, 1.3, 12.5, 0.0, 16.0),
    "TERM95": ("screw terminal", 9.5, 1.6, 16.0, 0.0, 20.0),
    "PTERM": ("header for a pluggable terminal", 5.08, 1.4, 8.5, 2.0, 11.0),
    "PTERM38": ("header for a pluggable terminal", 3.81, 1.2, 7.2, 1.6, 9.5),
    "SPRING": ("spring terminal", 5.0, 1.0, 12.0, 1.0, 12.0),
    "SPRING25": ("spring terminal", 2.54, 0.9, 9.5, 1.0, 10.0),
    "WIRE20": ("wire-to-board header", 2.0, 0.6, 4.5, 1.9, 6.0),
    "WIRE396": ("wire-to-board header", 3.96, 1.3, 6.5, 1.0, 11.5),
    "WIRE42": ("wire-to-board header with latch", 4.2, 1.2, 9.6, 1.4, 12.8),
}


def _row(match: re.Match[str], kitchen: bool) -> Package:
    what, pitch, lead, deep, over, height = ROWS[match[1]]
    pins = int(match[2])
    spots = [(str(i + 1), 0.0, ((pins - 1) / 2 - i) * pitch) for i in range(pins)]
    title = f"{what}, {pins} ways, {pitch:g} mm"
    body = (deep, pins * pitch + 2 * over)
    mouth = ("", 0.0) if match[1] in UPRIGHT else WIRE_SIDE
    return through_hole(match[0], title, spots, lead, body, height, kitchen, mouth=mouth)


def _crystal(match: re.Match[str], kitchen: bool) -> Package:
    spots = [("1", -2.44, 0.0), ("2", 2.44, 0.0)]
    return through_hole(
        match[0], "two-pin crystal, 4.88 mm", spots, 0.5, (11.0, 4.7), 4.0, kitchen, pin1_square=False
    )


# The pattern of a family's names, examples of them, and what makes one.
LEADED: tuple[tuple[str, str, Maker], ...] = (
    (
        r"DIP-(4|6|8|14|16|18|20|22|24|28|32|40|48|64)(N?)",
        "DIP-4, DIP-6, DIP-8, DIP-14, DIP-16, DIP-18, DIP-20, DIP-24, DIP-28, DIP-28N, DIP-32, DIP-40",
        _dip,
    ),
    (r"(AXIAL|DIODE)-P(762|1016|1270)", "AXIAL-P762, AXIAL-P1016, DIODE-P762, DIODE-P1016", _axial),
    (
        r"(DO-35|DO-41|DO-15|DO-201)-P(762|1016|1270|1524|2032)",
        "DO-35-P762, DO-41-P1016, DO-15-P1524, DO-201-P1524",
        _outline,
    ),
    (
        r"AXIAL-L(\d{2,3})-D(\d{2,3})-P(762|1016|1270|1524|1778|2032|2286|2540|3048)",
        "AXIAL-L34-D19-P762, AXIAL-L90-D32-P1270, AXIAL-L110-D45-P1524, AXIAL-L220-D95-P3048",
        _axial_body,
    ),
    (
        r"(CER|ELCO|LEDR|SOUNDER|KEY|COIL|FUSER)-P(200|250|254|350|500|508|650|750|762|1000|1500)-D(\d{1,2})",
        "CER-P508-D5, ELCO-P200-D4, ELCO-P250-D5, ELCO-P750-D18, ELCO-P1000-D30, LEDR-P254-D5, SOUNDER-P762-D12,"
        " KEY-P650-D6, COIL-P500-D10, FUSER-P508-D8",
        _radial,
    ),
    (
        r"FILM-P(500|750|1000|1500|2250|2750)-W(\d{2,3})",
        "FILM-P500-W35, FILM-P1000-W50, FILM-P1500-W70, FILM-P2250-W90",
        _film,
    ),
    (r"HDR-([12])x(\d{1,2})", "HDR-1x2, HDR-1x3, HDR-1x4, HDR-1x6, HDR-2x5", _header),
    (r"SKT-([12])x(\d{1,2})", "SKT-1x2, SKT-1x6, SKT-2x5", _socket),
    (r"HDR(127|200)-([12])x(\d{1,2})", "HDR127-2x5, HDR200-1x6", _dense),
    (r"BOX-2x(\d{1,2})", "BOX-2x3, BOX-2x5, BOX-2x10", _box),
    (r"TERM-([2-9]|1[0-2])", "TERM-2, TERM-3", _terminal),
    (rf"({'|'.join(ROWS)})-(\d{{1,2}})", ", ".join(f"{name}-3" for name in ROWS), _row),
    (r"XTAL-P488", "XTAL-P488", _crystal),
)
