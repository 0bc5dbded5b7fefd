"""Packages by name: ``package("TQFP-32")`` computes a land pattern; the arithmetic is in ``landpattern``."""

from __future__ import annotations

import re
from functools import lru_cache

from rapidfuzz import fuzz, process

from vane_step.core.design.model import Package, PadSpec
from vane_step.core.errors import NotFound
from vane_step.core.patterns.dimensions import trimmed
from vane_step.core.patterns.landpattern import GULL_COARSE, Span, chip, finish_package, gull_wing, ipc_pad
from vane_step.core.patterns.leaded import LEADED, Maker
from vane_step.core.patterns.plan_table import PLANS
from vane_step.core.patterns.plans import from_plan
from vane_step.core.patterns.ready import READY, ready_package
from vane_step.core.patterns.rows import SURFACE_ROWS
from vane_step.core.quantity import nm

# Chip sizes by metric name: length, terminal, width (each least, greatest), height, nickname in inches.
CHIPS: dict[str, tuple[Span, Span, Span, float, str]] = {
    "0603M": (Span(0.57, 0.63), Span(0.10, 0.20), Span(0.27, 0.33), 0.33, "0201"),
    "1005M": (Span(0.95, 1.05), Span(0.15, 0.35), Span(0.45, 0.55), 0.55, "0402"),
    "1608M": (Span(1.50, 1.70), Span(0.20, 0.50), Span(0.70, 0.90), 0.9, "0603"),
    "2012M": (Span(1.80, 2.20), Span(0.30, 0.70), Span(1.10, 1.40), 1.3, "0805"),
    "3216M": (Span(3.00, 3.40), Span(0.30, 0.70), Span(1.45, 1.75), 1.7, "1206"),
    "3225M": (Span(3.00, 3.40), Span(0.30, 0.70), Span(2.30, 2.70), 2.5, "1210"),
    "4532M": (Span(4.20, 4.80), Span(0.30, 0.90), Span(2.90, 3.50), 2.5, "1812"),
    "5025M": (Span(4.80, 5.20), Span(0.40, 0.80), Span(2.35, 2.65), 0.7, "2010"),
    "6332M": (Span(6.10, 6.50), Span(0.40, 0.90), Span(3.00, 3.40), 0.7, "2512"),
}
# Lead frames with a moulded body: length, terminal, width, height, title.
MOULDED: dict[str, tuple[Span, Span, Span, float, str]] = {
    "SMA": (Span(4.80, 5.40), Span(0.95, 1.52), Span(1.25, 1.65), 2.3, "moulded diode, DO-214AC"),
    "SMB": (Span(5.10, 5.60), Span(0.75, 1.52), Span(1.95, 2.20), 2.4, "moulded diode, DO-214AA"),
    "SMC": (Span(7.75, 8.15), Span(0.75, 1.52), Span(2.90, 3.20), 2.6, "moulded diode, DO-214AB"),
    "SOD-123": (Span(3.55, 3.85), Span(0.25, 0.50), Span(0.45, 0.70), 1.2, "small-outline diode"),
    "SOD-323": (Span(2.30, 2.70), Span(0.20, 0.45), Span(0.25, 0.40), 1.1, "small-outline diode"),
    "SOD-523": (Span(1.50, 1.70), Span(0.15, 0.35), Span(0.25, 0.35), 0.7, "small-outline diode"),
    "SOD-80": (Span(3.30, 3.70), Span(0.41, 0.55), Span(1.35, 1.60), 1.6, "glass diode, round, DO-213AA"),
    "MELF-3714": (Span(3.50, 3.80), Span(0.60, 0.90), Span(1.30, 1.50), 1.5, "round body, two caps"),
    "TANT-3216": (Span(3.00, 3.40), Span(0.50, 1.10), Span(1.10, 1.30), 1.8, "moulded tantalum 3216"),
    "TANT-6032": (Span(5.70, 6.30), Span(1.00, 1.60), Span(2.10, 2.30), 2.8, "moulded tantalum 6032"),
    "TANT-7343": (Span(7.00, 7.60), Span(1.00, 1.60), Span(2.30, 2.50), 3.1, "moulded tantalum 7343"),
    "ELSMD-4040": (Span(4.30, 4.90), Span(1.40, 1.90), Span(0.50, 0.80), 5.4, "can electrolytic 4 mm"),
    "ELSMD-5050": (Span(5.30, 5.90), Span(1.70, 2.30), Span(0.50, 0.80), 5.4, "can electrolytic 5 mm"),
    "ELSMD-8080": (Span(8.30, 9.00), Span(2.70, 3.30), Span(0.70, 1.10), 10.2, "can electrolytic 8 mm"),
    "ELSMD-10100": (Span(10.3, 11.0), Span(3.10, 3.70), Span(0.90, 1.30), 10.2, "can electrolytic 10 mm"),
    "IND-4040": (Span(3.90, 4.10), Span(0.90, 1.20), Span(3.40, 3.70), 1.8, "shielded inductor 4 x 4 mm"),
    "IND-5050": (Span(4.90, 5.30), Span(1.10, 1.40), Span(4.00, 4.40), 3.0, "shielded inductor 5 x 5 mm"),
    "IND-1212": (Span(12.0, 12.6), Span(2.40, 3.00), Span(5.00, 5.60), 8.0, "shielded inductor 12 x 12 mm"),
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


# Usual gap and least ring of the shipped rule sets, in mm: etched by hand, and the two-layer house. Ready patterns keep
# them where their pitch leaves room.
KITCHEN, HOUSE = (0.4, 0.3), (0.2, 0.13)

FAMILIES: tuple[tuple[str, str, Maker], ...] = (
    (
        rf"(CHIP|LED)-({'|'.join(CHIPS)})",
        ", ".join((*(f"CHIP-{size}" for size in CHIPS), "LED-1608M", "LED-2012M", "LED-3216M")),
        _chip,
    ),
    (r"SHUNT4-(3216|5025|6332)", "SHUNT4-5025", _shunt),
    ("|".join(MOULDED), ", ".join(MOULDED), _moulded),
    (r"SOIC-(8|14|16)", "SOIC-8, SOIC-14, SOIC-16", _soic),
    (r"TQFP-(32|44|48|64|100)", "TQFP-32, TQFP-44, TQFP-48, TQFP-64, TQFP-100", _tqfp),
    (r"SOT-23(?:-([56]))?", "SOT-23, SOT-23-5, SOT-23-6", _sot23),
    (r"SOT-223", "SOT-223", _sot223),
    *LEADED,
    *SURFACE_ROWS,
    ("|".join(READY), ", ".join(READY), lambda match, kitchen: ready_package(match[0], kitchen)),
    ("|".join(PLANS), ", ".join(PLANS), lambda match, kitchen: from_plan(PLANS[match[0]], kitchen)),
)
# Most contacts of a row: longer ones are not made.
MOST_IN_ROW = 50


@lru_cache(maxsize=2048)
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
        if match and not _too_long(match):
            return trimmed(make(match, kitchen), *(KITCHEN if kitchen else HOUSE), strict=False)
    near = process.extract(name.upper(), package_examples(), scorer=fuzz.ratio, limit=5)
    raise NotFound(
        f"There is no package {name}.",
        where=name,
        allowed=", ".join(found for found, *_ in near),
        next_step="Or import your own from JSON, or from the dimensions of a drawing.",
    )


def _too_long(match: re.Match[str]) -> bool:
    """Tell whether a row is asked for that has no contact, or more than are made."""
    if not re.match(r"[A-Z0-9]+-(?:[12]x)?\d{1,2}(?:-P\d+)?$", match[0]):
        return False
    count = int(re.split(r"[-x]", match[0].partition("-P")[0])[-1])
    return match[0].startswith(
        ("HDR", "SKT", "BOX", "TERM", "PTERM", "SPRING", "WIRE", "FILM", "FINGERS")
    ) and not (1 <= count <= MOST_IN_ROW)


def package_examples() -> list[str]:
    """List names that :func:`package` knows, at least one of each family."""
    return [name for _, examples, _ in FAMILIES for name in examples.split(", ")]
