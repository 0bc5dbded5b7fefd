"""Rows of lands for connectors on the surface, and contacts on the board's edge; leaded rows are in ``leaded``."""

from __future__ import annotations

import re
from collections.abc import Callable

from vane_step.core.design.model import Package, PadSpec
from vane_step.core.patterns.landpattern import finish_package, land
from vane_step.core.quantity import nm

FROM_A_DRAWING = "pad by pad from a drawing"

Maker = Callable[[re.Match[str], bool], Package]


def one_row(
    name: str,
    title: str,
    pins: int,
    pitch: float,
    size: tuple[float, float],
    anchor: tuple[float, float],
    deep: float,
    height_mm: float,
) -> Package:
    """Make the pattern of a connector with one row of contacts and an anchor at each end, in millimetres.

    Parameters
    ----------
    size, anchor : tuple of float
        Width and length of a contact's land and of an anchor's; anchors lie behind the row, at the mouth's side.
    deep : float
        Depth of the body, from the row of contacts to the mouth.
    """
    half = (pins - 1) / 2 * pitch
    pads = [land(str(k + 1), k * pitch - half, deep / 2, *size) for k in range(pins)]
    out = half + max(pitch, size[0] / 2 + 0.2) + anchor[0] / 2
    behind = -(deep - anchor[1]) / 2
    pads += [land("S", side * out, behind, *anchor) for side in (-1, 1)]
    wide = 2 * out
    return finish_package(
        name,
        pads,
        (wide, deep),
        height_mm,
        title=title,
        source=FROM_A_DRAWING,
        mouth=("bottom", 0.0),
    )


# One-row families: title, pitch, land, anchor, depth, height.
ONE_ROW: dict[str, tuple[str, float, tuple[float, float], tuple[float, float], float, float]] = {
    "WIRE10S": ("wire-to-board header, surface mount", 1.0, (0.6, 1.55), (1.2, 1.8), 4.2, 2.95),
    "WIRE125S": ("wire-to-board header, surface mount", 1.25, (0.8, 1.6), (1.2, 2.1), 5.0, 3.4),
    "WIRE20S": ("wire-to-board header, surface mount", 2.0, (1.0, 3.5), (1.6, 3.4), 7.6, 5.0),
    "FILM05": ("film connector", 0.5, (0.3, 1.3), (1.8, 2.2), 4.6, 2.0),
    "FILM10": ("film connector", 1.0, (0.6, 1.6), (1.8, 2.4), 5.4, 2.5),
}


def _one_row(match: re.Match[str], _kitchen: bool) -> Package:
    what, pitch, land, anchor, deep, height = ONE_ROW[match[1]]
    pins = int(match[2])
    return one_row(match[0], f"{what}, {pins} ways, {pitch:g} mm", pins, pitch, land, anchor, deep, height)


def _surface_header(match: re.Match[str], _kitchen: bool) -> Package:
    """A header on the surface: lands of one row lie in turns to the left and the right, of two rows to both sides."""
    pitch, rows, columns = int(match[1] or 254) / 100, int(match[2]), int(match[3])
    wide, long = (1.0, 2.5) if pitch > 2 else (0.75, 2.0)
    off = 1.65 if rows == 1 else 2.5 if pitch > 2 else 1.95
    pads = []
    for c in range(columns):
        y = ((columns - 1) / 2 - c) * pitch
        for r in range(rows):
            left = r == 0 if rows == 2 else c % 2 == 0
            pads.append(land(str(c * rows + r + 1), -off if left else off, y, long, wide))
    title = f"pin header, surface mount, {rows} x {columns}, {pitch:g} mm"
    body = (rows * pitch, columns * pitch)
    return finish_package(match[0], pads, body, 8.5 if pitch > 2 else 6.0, title=title, source=FROM_A_DRAWING)


def _fingers(match: re.Match[str], _kitchen: bool) -> Package:
    """Contacts of a card that is plugged in: a row on the front, and behind each the back's of a higher number."""
    count, pitch = int(match[1]), int(match[2]) / 100
    pads = []
    for k in range(count):
        x = (k - (count - 1) / 2) * pitch
        pads.append(land(str(k + 1), x, 0.0, pitch * 0.62, 7.0))
    pads += [p.model_copy(update={"number": str(count + int(p.number)), "layers": "back"}) for p in pads]
    title = f"card edge, 2 x {count} contacts, {pitch:g} mm apart"
    return finish_package(
        match[0],
        pads,
        (count * pitch, 8.0),
        0.1,
        title=title,
        source=FROM_A_DRAWING,
        mouth=("bottom", 0.0),
    )


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
        match[0],
        pads,
        (0.0, 0.0),
        0.0,
        title=title,
        source="own, plated holes on the edge",
        mouth=("bottom", 0.0),
    )


# The pattern of a family's names, examples of them, and what makes one.
SURFACE_ROWS: tuple[tuple[str, str, Maker], ...] = (
    (rf"({'|'.join(ONE_ROW)})-(\d{{1,2}})", ", ".join(f"{name}-6" for name in ONE_ROW), _one_row),
    (r"HDRS(127)?-([12])x(\d{1,2})", "HDRS-1x6, HDRS-2x5, HDRS127-2x5", _surface_header),
    (r"FINGERS-(\d{1,2})-P(254|396|200)", "FINGERS-6-P254", _fingers),
    (r"EDGE-(\d{1,2})-P(127|150|200|254)", "EDGE-8-P254, EDGE-12-P127", _edge),
)
