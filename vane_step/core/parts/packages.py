"""Packages by name: ``package("TQFP-32")`` computes a land pattern; the arithmetic is in ``landpattern``."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Package, PadSpec
from vane_step.core.errors import NotFound
from vane_step.core.parts.dimensions import from_dimensions, trimmed
from vane_step.core.parts.landpattern import (
    GULL_COARSE,
    Span,
    chip,
    finish_package,
    gull_wing,
    ipc_pad,
    through_hole,
)
from vane_step.core.quantity import nm

# Chip sizes by metric name: length, terminal, width (each least, greatest), height, nickname in inches.
CHIPS: dict[str, tuple[Span, Span, Span, float, str]] = {
    "1005M": (Span(0.95, 1.05), Span(0.15, 0.35), Span(0.45, 0.55), 0.55, "0402"),
    "1608M": (Span(1.50, 1.70), Span(0.20, 0.50), Span(0.70, 0.90), 0.9, "0603"),
    "2012M": (Span(1.80, 2.20), Span(0.30, 0.70), Span(1.10, 1.40), 1.3, "0805"),
    "3216M": (Span(3.00, 3.40), Span(0.30, 0.70), Span(1.45, 1.75), 1.7, "1206"),
    "3225M": (Span(3.00, 3.40), Span(0.30, 0.70), Span(2.30, 2.70), 2.5, "1210"),
}
# Lead frames with a moulded body: length, terminal, width, height, title.
MOULDED: dict[str, tuple[Span, Span, Span, float, str]] = {
    "SMA": (Span(4.80, 5.40), Span(0.95, 1.52), Span(1.25, 1.65), 2.3, "moulded diode, DO-214AC"),
    "SMB": (Span(5.10, 5.60), Span(0.75, 1.52), Span(1.95, 2.20), 2.4, "moulded diode, DO-214AA"),
    "SMC": (Span(7.75, 8.15), Span(0.75, 1.52), Span(2.90, 3.20), 2.6, "moulded diode, DO-214AB"),
    "SOD-123": (Span(3.55, 3.85), Span(0.25, 0.50), Span(0.45, 0.70), 1.2, "small-outline diode"),
    "SOD-323": (Span(2.30, 2.70), Span(0.20, 0.45), Span(0.25, 0.40), 1.1, "small-outline diode"),
    "TANT-3528": (Span(3.30, 3.70), Span(0.50, 1.10), Span(2.10, 2.30), 2.1, "moulded tantalum 3528"),
    "ELSMD-6060": (Span(6.40, 7.00), Span(2.10, 2.70), Span(0.50, 0.80), 5.8, "can electrolytic 6.3 mm"),
    "IND-3030": (Span(2.90, 3.10), Span(0.70, 0.90), Span(2.60, 2.90), 1.5, "shielded inductor 3 x 3 mm"),
    "IND-8080": (Span(7.80, 8.20), Span(1.60, 2.00), Span(6.20, 6.60), 4.2, "shielded inductor 8 x 8 mm"),
    "IND-6060": (Span(5.90, 6.30), Span(1.30, 1.70), Span(4.60, 5.00), 3.2, "shielded inductor 6 x 6 mm"),
}
# TQFP: pins -> pitch and body edge.
TQFP: dict[int, tuple[float, float]] = {
    32: (0.8, 7.0),
    44: (0.8, 10.0),
    48: (0.5, 7.0),
    64: (0.5, 10.0),
    100: (0.5, 14.0),
}
# Radial leads: what it is, and its height.
RADIALS: dict[str, tuple[str, float]] = {
    "CER": ("ceramic capacitor", 5.0),
    "ELCO": ("electrolytic capacitor", 11.0),
    "LEDR": ("round LED", 8.6),
    "SOUNDER": ("sounder", 9.5),
    "KEY": ("key", 5.0),
}
SOIC_LENGTH: dict[int, float] = {8: 4.9, 14: 8.65, 16: 9.9}


def _chip(match: re.Match[str], _kitchen: bool) -> Package:
    length, foot, width, height, inch = CHIPS[match[2]]
    led = match[1] == "LED"
    title = f"{match[2]} chip{' LED' if led else ''} (inch {inch})"
    return chip(match[0], title, length, foot, width, height, polarised=led)


def _shunt(match: re.Match[str], _kitchen: bool) -> Package:
    """Two terminals at each end: a wide one for the current, a narrow one for the tap."""
    long, wide = (int(match[1][:2]) / 10, int(match[1][2:]) / 10)
    at, deep, gap = long / 2 - 0.35, 1.3, 0.3
    tap = 0.24 * wide
    force = wide - gap - tap
    high, low = (tap + gap) / 2, -(force + gap) / 2
    spots = (("1", -1, high, force), ("2", -1, low, tap), ("3", 1, low, tap), ("4", 1, high, force))
    pads = [
        PadSpec(number=number, x_nm=nm(side * at), y_nm=nm(y), width_nm=nm(deep), height_nm=nm(tall))
        for number, side, y, tall in spots
    ]
    title = f"four-terminal shunt, {long:g} x {wide:g} mm"
    return finish_package(
        match[0], pads, (long, wide), 0.9, title=title, source="rule of thumb: fillet 0.3 mm"
    )


def _moulded(match: re.Match[str], _kitchen: bool) -> Package:
    length, foot, width, height, title = MOULDED[match[0]]
    return chip(match[0], title, length, foot, width, height, polarised=not match[0].startswith("IND"))


def _soic(match: re.Match[str], _kitchen: bool) -> Package:
    pins = int(match[1])
    span, foot, lead = Span(5.80, 6.20), Span(0.40, 1.27), Span(0.31, 0.51)
    body = (3.9, SOIC_LENGTH[pins])
    return gull_wing(
        match[0], f"small outline, {pins} pins, 1.27 mm", pins, 1.27, span, foot, lead, body, 1.75
    )


def _tqfp(match: re.Match[str], _kitchen: bool) -> Package:
    pins = int(match[1])
    pitch, edge = TQFP[pins]
    lead = Span(0.30, 0.45) if pitch > 0.6 else Span(0.17, 0.27)
    span = Span(edge + 1.8, edge + 2.2)
    title = f"thin quad flat, {pins} pins, {pitch} mm, {edge:g} mm body"
    return gull_wing(match[0], title, pins, pitch, span, Span(0.45, 0.75), lead, (edge, edge), 1.2, sides=4)


def _sot23(match: re.Match[str], _kitchen: bool) -> Package:
    pins = int(match[1] or 3)
    columns = {
        3: (0.95, -0.95, 0.0),
        5: (0.95, 0.0, -0.95, -0.95, 0.95),
        6: (0.95, 0.0, -0.95, -0.95, 0.0, 0.95),
    }[pins]
    span = Span(2.10, 2.64) if pins == 3 else Span(2.60, 3.00)
    body = (1.3, 2.9) if pins == 3 else (1.6, 2.9)
    return gull_wing(
        match[0],
        f"small-outline transistor, {pins} pins",
        pins,
        0.95,
        span,
        Span(0.30, 0.60),
        Span(0.30, 0.50),
        body,
        1.2,
        columns=columns,
    )


def _sot223(match: re.Match[str], _kitchen: bool) -> Package:
    span, foot = Span(6.70, 7.30), Span(0.75, 1.15)
    outer, inner, lead = ipc_pad(span, foot, Span(0.60, 0.80), GULL_COARSE)
    tab = ipc_pad(span, foot, Span(2.90, 3.10), GULL_COARSE)[2]
    spots = [("1", -1, 2.3, lead), ("2", -1, 0.0, lead), ("3", -1, -2.3, lead), ("4", 1, 0.0, tab)]
    at, long = (outer + inner) / 4, (outer - inner) / 2
    pads = [
        PadSpec(number=number, x_nm=nm(side * at), y_nm=nm(y), width_nm=nm(long), height_nm=nm(tall))
        for number, side, y, tall in spots
    ]
    title = "power small-outline transistor with tab"
    return finish_package(
        match[0], pads, (3.5, 6.5), 1.8, title=title, polarised=True, source="IPC-7351 nominal"
    )


def _dip(match: re.Match[str], kitchen: bool) -> Package:
    pins = int(match[1])
    row = 7.62 if pins <= 20 else 15.24
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


def _radial(match: re.Match[str], kitchen: bool) -> Package:
    pitch, size = int(match[2]) / 100, float(match[3])
    polar = match[1] in ("ELCO", "LEDR", "SOUNDER")
    spots = [("1", -pitch / 2, 0.0), ("2", pitch / 2, 0.0)]
    disc = match[1] in ("CER",)
    body = (size, 2.6) if disc else (size, size)
    what, height = RADIALS[match[1]]
    title = f"{what}, leads {pitch:g} mm apart, body {size:g} mm"
    square = match[1] in ("CER", "KEY")
    return through_hole(
        match[0], title, spots, 0.6, body, height, kitchen, polar, polar, round_body=not square
    )


def _header(match: re.Match[str], kitchen: bool) -> Package:
    rows, columns = int(match[1]), int(match[2])
    spots = [
        (str(c * rows + r + 1), (r - (rows - 1) / 2) * 2.54, ((columns - 1) / 2 - c) * 2.54)
        for c in range(columns)
        for r in range(rows)
    ]
    body = (rows * 2.54, columns * 2.54)
    title = f"pin header, {rows} x {columns}, 2.54 mm"
    return through_hole(match[0], title, spots, 0.80, body, 8.5, kitchen)


def _terminal(match: re.Match[str], kitchen: bool) -> Package:
    pins = int(match[1])
    spots = [(str(i + 1), 0.0, ((pins - 1) / 2 - i) * 5.08) for i in range(pins)]
    title = f"screw terminal, {pins} ways, 5.08 mm"
    return through_hole(match[0], title, spots, 1.1, (8.1, pins * 5.08), 10.0, kitchen)


def _edge(match: re.Match[str], _kitchen: bool) -> Package:
    """Make a row of plated half holes: the board's edge runs through their middles, the board lies above."""
    count, pitch = int(match[1]), int(match[2]) / 100
    drill = 0.6 if pitch < 2 else 1.0
    pads = [
        PadSpec(
            number=str(k + 1),
            x_nm=nm((k - (count - 1) / 2) * pitch),
            y_nm=0,
            width_nm=nm(drill + 0.5),
            height_nm=nm(drill + 1.4),
            shape="round",
            layers="through",
            drill_nm=nm(drill),
            on_edge=True,
        )
        for k in range(count)
    ]
    title = f"{count} plated half holes on the board's edge, {pitch:g} mm apart"
    return finish_package(
        match[0], pads, (0.0, 0.0), 0.0, title=title, source="own, plated holes on the edge"
    )


def _crystal(match: re.Match[str], kitchen: bool) -> Package:
    spots = [("1", -2.44, 0.0), ("2", 2.44, 0.0)]
    return through_hole(
        match[0], "two-pin crystal, 4.88 mm", spots, 0.5, (11.0, 4.7), 4.0, kitchen, pin1_square=False
    )


def _usb(match: re.Match[str], _kitchen: bool) -> Package:
    """Make a USB-C receptacle for supply only: six contacts and four shell posts."""
    xs = (-2.75, -1.65, -0.55, 0.55, 1.65, 2.75)
    pads = [
        PadSpec(number=str(i + 1), x_nm=nm(x), y_nm=nm(2.6), width_nm=nm(0.65), height_nm=nm(1.3))
        for i, x in enumerate(xs)
    ]
    pads += [
        PadSpec(
            number=f"S{i + 1}",
            x_nm=nm(x),
            y_nm=nm(y),
            width_nm=nm(1.8),
            height_nm=nm(1.8),
            shape="round",
            layers="through",
            drill_nm=nm(1.1),
        )
        for i, (x, y) in enumerate(((-4.32, 1.7), (4.32, 1.7), (-4.32, -2.3), (4.32, -2.3)))
    ]
    return finish_package(match[0], pads, (8.94, 7.3), 3.2, title="USB-C receptacle, supply only")


# Ready packages of the families that are described by dimensions: family and what differs from its usual values.
READY: dict[str, str] = {
    "MSOP-8": "gull pins=8 e=0.65 L=4.75..5.05 T=0.4..0.7 W=0.25..0.38 D=3 E=3",
    "TSSOP-14": "gull pins=14 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=5",
    "TSSOP-16": "gull pins=16 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=5",
    "TSSOP-20": "gull pins=20 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=6.5",
    "SOIC-20W": "gull pins=20 L=10.1..10.6 D=7.5 E=12.8 A=2.6",
    "QFN-16": "no-lead left=4 below=4 D=2.9..3.1 E=2.9..3.1 D2=1.6 E2=1.6",
    "QFN-20": "no-lead left=5 below=5 D=3.9..4.1 E=3.9..4.1 D2=2.4 E2=2.4",
    "QFN-32": "no-lead",
    "QFN-48": "no-lead left=12 below=12 D=6.9..7.1 E=6.9..7.1 D2=5.2 E2=5.2",
    "SON-8": "no-lead left=4 below=0 D=2.9..3.1 E=2.9..3.1 e=0.65 D2=1.4 E2=2.2",
    "XSMD-3225": "no-lead left=2 below=0 D=3.1..3.3 E=2.4..2.6 e=1.75 T=0.8..1 W=0.85..1.05 D2=0 E2=0 A=0.8",
    "PLCC-44": "j-lead",
    "BGA-64": "ball-grid",
    "SIP-3": "sip",
    "SIP-4": "sip pins=4 E=10.2",
    "PLUG-2": "sip pins=2 e=2.5 b=0.9 E=7.5 D=5.8 A=7",
    "PLUG-3": "sip pins=3 e=2.5 b=0.9 E=10 D=5.8 A=7",
    "PLUG-4": "sip pins=4 e=2.5 b=0.9 E=12.5 D=5.8 A=7",
    "TRIM-3": "sip pins=3 b=0.7 E=9.5 D=4.9 A=10",
    "TO-92": "to b=0.6 E=5.2 D=4.2 Q=2.1 A=8",
    "TO-220-3": "to",
    "TO-220-5": "to pins=5 e=3.4 b=0.9",
    "RELAY-6": "dip pins=6 row=7.62 e=5.08 b=0.9 E=20 A=15",
    "MODULE-32": "module",
}


def _ready(match: re.Match[str], kitchen: bool) -> Package:
    family, *words = READY[match[0]].split()
    return from_dimensions(family, match[0], dict(w.split("=", 1) for w in words), kitchen)


# Usual gap and least ring of the shipped rule sets, in mm: etched by hand, and the two-layer house. Ready patterns keep
# them where their pitch leaves room.
KITCHEN, HOUSE = (0.4, 0.3), (0.2, 0.13)

Maker = Callable[[re.Match[str], bool], Package]
FAMILIES: tuple[tuple[str, str, Maker], ...] = (
    (
        r"(CHIP|LED)-(1005M|1608M|2012M|3216M|3225M)",
        "CHIP-1005M, CHIP-1608M, CHIP-2012M, CHIP-3216M, CHIP-3225M, LED-1608M, LED-2012M",
        _chip,
    ),
    (r"SHUNT4-(3216|5025|6332)", "SHUNT4-5025", _shunt),
    ("|".join(MOULDED), ", ".join(MOULDED), _moulded),
    (r"SOIC-(8|14|16)", "SOIC-8, SOIC-14, SOIC-16", _soic),
    (r"TQFP-(32|44|48|64|100)", "TQFP-32, TQFP-44, TQFP-48, TQFP-64, TQFP-100", _tqfp),
    (r"SOT-23(?:-([56]))?", "SOT-23, SOT-23-5, SOT-23-6", _sot23),
    (r"SOT-223", "SOT-223", _sot223),
    (r"DIP-(8|14|16|18|20|28|40)", "DIP-8, DIP-14, DIP-16, DIP-18, DIP-20, DIP-28, DIP-40", _dip),
    (r"(AXIAL|DIODE)-P(762|1016|1270)", "AXIAL-P762, AXIAL-P1016, DIODE-P762, DIODE-P1016", _axial),
    (
        r"(CER|ELCO|LEDR|SOUNDER|KEY)-P(200|250|254|350|500|508|650|762)-D(\d{1,2})",
        "CER-P508-D5, ELCO-P250-D5, LEDR-P254-D5, SOUNDER-P762-D12, KEY-P650-D6",
        _radial,
    ),
    (r"HDR-([12])x(\d{1,2})", "HDR-1x2, HDR-1x3, HDR-1x4, HDR-1x6, HDR-2x5", _header),
    (r"EDGE-(\d{1,2})-P(127|150|200|254)", "EDGE-8-P254, EDGE-12-P127", _edge),
    (r"TERM-([2-8])", "TERM-2, TERM-3", _terminal),
    (r"XTAL-P488", "XTAL-P488", _crystal),
    (r"USBC-6", "USBC-6", _usb),
    ("|".join(READY), ", ".join(READY), _ready),
)


@lru_cache(maxsize=512)
def package(name: str, kitchen: bool = False) -> Package:
    """Compute the land pattern of a named package.

    Parameters
    ----------
    name : str
        A family name with its sizes, such as ``SOIC-8`` or ``HDR-1x6``.
    kitchen : bool
        Larger through-hole pads for boards drilled by hand.

    Raises
    ------
    NotFound
        When no family makes that name; the error lists examples.
    """
    for pattern, _examples, make in FAMILIES:
        match = re.fullmatch(pattern, name)
        if match and not (match[0].startswith("HDR") and not 1 <= int(match[2]) <= 40):
            return trimmed(make(match, kitchen), *(KITCHEN if kitchen else HOUSE), strict=False)
    raise NotFound(
        f"There is no package {name}.",
        where=name,
        allowed="; ".join(e for _, e, _ in FAMILIES),
        next_step="Or import your own from JSON, or from the dimensions of a drawing.",
    )


def package_examples() -> list[str]:
    """List names that :func:`package` knows, at least one of each family."""
    return [name for _, examples, _ in FAMILIES for name in examples.split(", ")]


class UserPad(BaseModel):
    """A pad of a user's package file, in millimetres."""

    model_config = ConfigDict(extra="forbid", strict=False)
    number: str = Field(min_length=1, max_length=64)
    x_mm: float = Field(ge=-500, le=500)
    y_mm: float = Field(ge=-500, le=500)
    width_mm: float = Field(gt=0, le=100)
    height_mm: float = Field(gt=0, le=100)
    shape: str = Field(pattern="^(rect|round)$")
    layers: str = Field(pattern="^(front|back|through)$")
    drill_mm: float = Field(default=0, ge=0, le=20)


class UserPackage(BaseModel):
    """A package of a user's JSON file; courtyard and legend are computed."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=64)
    pads: list[UserPad] = Field(min_length=1, max_length=2000)
    body_mm: tuple[float, float]
    height_mm: float = Field(default=1.0, ge=0, le=200)
    polarised: bool = False


def user_package(data: object, where: str, margin_mm: float = 0.0) -> Package:
    """Make a package from a user's JSON object.

    Raises
    ------
    InputError
        Naming the field that is wrong.
    """
    try:
        user = UserPackage.model_validate(data)
        pads = [
            PadSpec.model_validate(
                {
                    "number": p.number,
                    "x_nm": nm(p.x_mm),
                    "y_nm": nm(p.y_mm),
                    "width_nm": nm(p.width_mm),
                    "height_nm": nm(p.height_mm),
                    "shape": p.shape,
                    "layers": p.layers,
                    "drill_nm": nm(p.drill_mm),
                }
            )
            for p in user.pads
        ]
        return finish_package(
            user.name,
            pads,
            user.body_mm,
            user.height_mm,
            polarised=user.polarised,
            source=where,
            margin_mm=margin_mm,
        )
    except ValidationError as error:
        raise input_error(error, where) from error
