"""Land patterns computed from dimensions by the IPC-7351 toe, heel and side method; names are elsewhere.

All dimensions here are float millimetres; packages leave in whole nanometres.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from shapely.geometry import LineString, MultiLineString, Point, box
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from vane_step.core.design.model import Package, PadSpec
from vane_step.core.errors import InputError
from vane_step.core.quantity import nm

FABRICATION_MM = 0.05
PLACEMENT_MM = 0.05
LEGEND_GAP_MM = 0.2
LEGEND_LINE_MM = 0.15
IPC = "IPC-7351 nominal"


@dataclass(frozen=True)
class Span:
    """A dimension with its tolerance: least and greatest value in millimetres."""

    low: float
    high: float

    @property
    def middle(self) -> float:
        """Half way between least and greatest."""
        return (self.low + self.high) / 2

    @property
    def spread(self) -> float:
        """Greatest minus least."""
        return self.high - self.low

    @property
    def pair(self) -> tuple[float, float]:
        """Least and greatest, as a package keeps the dimensions of its drawing."""
        return self.low, self.high


@dataclass(frozen=True)
class Fillets:
    """Solder fillets wanted: toe ``JT``, heel ``JH``, side ``JS`` in millimetres."""

    toe: float
    heel: float
    side: float


CHIP = Fillets(0.35, -0.05, 0.00)
CHIP_SMALL = Fillets(0.20, -0.05, 0.00)
GULL_COARSE = Fillets(0.35, 0.35, 0.03)
GULL_FINE = Fillets(0.35, 0.35, -0.02)


def ipc_pad(length: Span, foot: Span, width: Span, fillets: Fillets) -> tuple[float, float, float]:
    """Compute outer span Z, inner gap G and pad width X of a two-sided land pattern.

    Parameters
    ----------
    length, foot, width : Span
        Span over the terminals L, terminal or foot length T, and terminal width W, in millimetres.
    fillets : Fillets
        Fillets wanted.

    Returns
    -------
    tuple of float
        Z, G and X in millimetres, rounded to 0.05 mm (Z and X outwards, G inwards).

    Notes
    -----
    Zmax = Lmin + 2 JT + sqrt(CL^2 + F^2 + P^2); Gmin = Smax - 2 JH - sqrt(CS^2 + F^2 + P^2);
    Xmax = Wmin + 2 JS + sqrt(CW^2 + F^2 + P^2) (IPC-7351). The gap S between terminals is not on drawings: it
    is L - 2 T with the root-sum-square of their tolerances.
    """

    def tolerance(spread: float) -> float:
        return math.sqrt(spread**2 + FABRICATION_MM**2 + PLACEMENT_MM**2)

    gap_spread = math.sqrt(length.spread**2 + 2 * foot.spread**2)
    gap_max = length.middle - 2 * foot.middle + gap_spread / 2
    z = length.low + 2 * fillets.toe + tolerance(length.spread)
    g = gap_max - 2 * fillets.heel - tolerance(gap_spread)
    x = width.low + 2 * fillets.side + tolerance(width.spread)
    return math.ceil(z / 0.05 - 1e-9) * 0.05, math.floor(g / 0.05 + 1e-9) * 0.05, round(x / 0.05) * 0.05


def land(
    number: str,
    x: float,
    y: float,
    w: float,
    h: float,
    shape: Literal["rect", "round"] = "rect",
    layer: Literal["front", "back"] = "front",
) -> PadSpec:
    """Make a land without a hole, its middle and its sides in millimetres."""
    return PadSpec(
        number=number, x_nm=nm(x), y_nm=nm(y), width_nm=nm(w), height_nm=nm(h), shape=shape, layers=layer
    )


def chip(
    name: str, title: str, length: Span, foot: Span, width: Span, height_mm: float, polarised: bool = False
) -> Package:
    """Make the land pattern of a two-terminal surface-mount part; pin 1 is on the left.

    A polarised part has its cathode, or its plus end, at pin 1, and a bar on the legend there.
    """
    z, g, x = ipc_pad(length, foot, width, CHIP if length.middle >= 1.55 else CHIP_SMALL)
    pad_w = (z - g) / 2
    pads = [land("1", -(z + g) / 4, 0, pad_w, x), land("2", (z + g) / 4, 0, pad_w, x)]
    drawing = {"L length": length.pair, "T terminal": foot.pair, "W width": width.pair}
    body = (length.middle, width.middle)
    return finish_package(
        name, pads, body, height_mm, title=title, polarised=polarised, source=IPC, drawing=drawing
    )


def gull_wing(
    name: str,
    title: str,
    pins: int,
    pitch: float,
    span: Span,
    foot: Span,
    lead: Span,
    body: tuple[float, float],
    height_mm: float,
    sides: int = 2,
    numbers: Sequence[str] | None = None,
    columns: Sequence[float] | None = None,
) -> Package:
    """Make the land pattern of a gull-wing package on two or four sides, pins anticlockwise from top left.

    Parameters
    ----------
    span, foot, lead : Span
        Lead span, foot length and lead width in millimetres.
    columns
        For small-outline transistors: the offsets of the pins of the two sides along the body, left side first
        downwards, then right side upwards; ``None`` spreads them evenly.
    """
    if pins % sides and columns is None:
        raise InputError(
            f"{pins} pins do not divide over {sides} sides.",
            where=name,
            value=pins,
            next_step="Give a number of pins that divides.",
        )
    z, g, x = ipc_pad(span, foot, lead, GULL_COARSE if pitch > 0.625 else GULL_FINE)
    x = min(x, pitch - 0.2)
    per = pins // sides
    offsets = [(i - (per - 1) / 2) * pitch for i in range(per)]
    at, length = (z + g) / 4, (z - g) / 2
    spots: list[tuple[float, float, bool]]
    if columns is not None:
        half = (len(columns) + 1) // 2
        spots = [(-at, y, True) for y in columns[:half]] + [(at, y, True) for y in columns[half:]]
    elif sides == 2:
        spots = [(-at, -y, True) for y in offsets] + [(at, y, True) for y in offsets]
    else:
        spots = [(-at, -y, True) for y in offsets] + [(x0, -at, False) for x0 in offsets]
        spots += [(at, y, True) for y in offsets] + [(-x0, at, False) for x0 in offsets]
    names = list(numbers) if numbers else [str(i + 1) for i in range(pins)]
    pads = [
        land(n, px, py, length if flat else x, x if flat else length)
        for n, (px, py, flat) in zip(names, spots, strict=True)
    ]
    drawing = {
        "L lead span": span.pair,
        "T foot": foot.pair,
        "W lead": lead.pair,
        "e pitch": (pitch, pitch),
        "body across": (body[0], body[0]),
        "body along": (body[1], body[1]),
    }
    return finish_package(
        name, pads, body, height_mm, title=title, polarised=True, source=IPC, drawing=drawing
    )


def through_hole(
    name: str,
    title: str,
    spots: Sequence[tuple[str, float, float]],
    lead_mm: float,
    body: tuple[float, float],
    height_mm: float,
    kitchen: bool = False,
    polarised: bool = False,
    pin1_square: bool = True,
    round_body: bool = False,
    centre: tuple[float, float] = (0.0, 0.0),
    mouth: tuple[str, float] = ("", 0.0),
) -> Package:
    """Make a through-hole land pattern: hole = lead + 0.20 mm, pad = hole + 0.6 mm (kitchen table: + 1.0 mm).

    Parameters
    ----------
    spots
        Number, x and y of every pin in millimetres from the origin.
    lead_mm : float
        Largest lead diameter (for a square post, its diagonal).
    kitchen : bool
        Larger pads for boards etched and drilled by hand, where the drill wanders.
    """
    hole = round((lead_mm + 0.20) / 0.05 + 1e-9) * 0.05
    pad = hole + (1.0 if kitchen else 0.6)
    pads = [
        PadSpec(
            number=number,
            x_nm=nm(x),
            y_nm=nm(y),
            width_nm=nm(pad),
            height_nm=nm(pad),
            shape="rect" if pin1_square and i == 0 else "round",
            layers="through",
            drill_nm=nm(hole),
        )
        for i, (number, x, y) in enumerate(spots)
    ]
    source = "lead + 0.20 mm hole; ring for hand drilling" if kitchen else "lead + 0.20 mm hole"
    steps = [abs(a[1] - b[1]) + abs(a[2] - b[2]) for a, b in pairwise(spots)]
    drawing = {
        "b lead": (lead_mm, lead_mm),
        "body across": (body[0], body[0]),
        "body along": (body[1], body[1]),
    }
    if steps:
        drawing["e pitch"] = (min(steps), min(steps))
    return finish_package(
        name,
        pads,
        body,
        height_mm,
        title=title,
        polarised=polarised,
        source=source,
        round_body=round_body,
        centre=centre,
        drawing=drawing,
        mouth=mouth,
    )


def pad_shape(pad: PadSpec) -> BaseGeometry:
    """Give a pad's outline in millimetres, in the package's own coordinates."""
    x, y, w, h = (v / 1e6 for v in (pad.x_nm, pad.y_nm, pad.width_nm, pad.height_nm))
    if pad.shape == "rect":
        return box(x - w / 2, y - h / 2, x + w / 2, y + h / 2)
    r = min(w, h) / 2
    dx, dy = w / 2 - r, h / 2 - r
    spine = Point(x, y) if dx == dy == 0 else LineString([(x - dx, y - dy), (x + dx, y + dy)])
    return spine.buffer(r)


def finish_package(
    name: str,
    pads: Sequence[PadSpec],
    body_mm: tuple[float, float],
    height_mm: float,
    *,
    title: str = "",
    polarised: bool = False,
    source: str = "",
    round_body: bool = False,
    centre: tuple[float, float] = (0.0, 0.0),
    margin_mm: float = 0.25,
    drawing: dict[str, tuple[float, float]] | None = None,
    keepout_mm: tuple[float, float, float, float] | None = None,
    mouth: tuple[str, float] = ("", 0.0),
) -> Package:
    """Add courtyard, legend and pin-1 mark to pads and a body.

    The legend is the body's outline where it stays clear of the pads, a bar at pin 1 of a polarised two-pin
    part, and a short mark beside pin 1 of the others. The courtyard encloses body and pads with a margin.
    """
    shapes = [pad_shape(p) for p in pads]
    cx, cy = centre
    hull = box(cx - body_mm[0] / 2, cy - body_mm[1] / 2, cx + body_mm[0] / 2, cy + body_mm[1] / 2)
    outline = Point(cx, cy).buffer(body_mm[0] / 2) if round_body else hull
    zones = [box(*keepout_mm)] if keepout_mm else []
    x0, y0, x1, y1 = unary_union([hull, *shapes, *zones]).bounds
    yard = (x0 - margin_mm, y0 - margin_mm, x1 + margin_mm, y1 + margin_mm)
    keep_off = unary_union([s.buffer(LEGEND_GAP_MM + LEGEND_LINE_MM / 2) for s in shapes])
    lines = _lines(outline.exterior.difference(keep_off))
    first = pads[0]
    if polarised and len(pads) == 2:
        lines += _lines(_bar(outline, shapes[0], shapes[1]).difference(keep_off))
    elif len(pads) > 2:
        lines += _lines(_pin1_mark(shapes[0], hull).difference(keep_off))
    return Package(
        name=name,
        title=title,
        pads=tuple(pads),
        body_nm=(nm(body_mm[0]), nm(body_mm[1])),
        height_nm=nm(height_mm),
        courtyard_nm=(nm(yard[0]), nm(yard[1]), nm(yard[2]), nm(yard[3])),
        legend=tuple(tuple((nm(x), nm(y)) for x, y in line) for line in lines),
        pin1_nm=(first.x_nm, first.y_nm) if len(pads) > 1 else None,
        polarised=polarised,
        source=source,
        drawing={k: (round(a, 4), round(b, 4)) for k, (a, b) in (drawing or {}).items()},
        keepout_nm=(nm(keepout_mm[0]), nm(keepout_mm[1]), nm(keepout_mm[2]), nm(keepout_mm[3]))
        if keepout_mm
        else None,
        mouth=mouth[0],
        mouth_over_nm=nm(mouth[1]),
    )


def _bar(outline: BaseGeometry, one: BaseGeometry, two: BaseGeometry) -> BaseGeometry:
    """Give a bar across the body beside pin 1, as long as the body is wide there."""
    ax, ay = one.centroid.coords[0]
    bx, by = two.centroid.coords[0]
    x0, y0, x1, y1 = outline.bounds
    if abs(bx - ax) >= abs(by - ay):
        edge = one.bounds[2] if ax < bx else one.bounds[0]
        at = edge + math.copysign(LEGEND_GAP_MM + LEGEND_LINE_MM, bx - ax)
        return LineString([(at, y0), (at, y1)]).intersection(outline)
    edge = one.bounds[3] if ay < by else one.bounds[1]
    at = edge + math.copysign(LEGEND_GAP_MM + LEGEND_LINE_MM, by - ay)
    return LineString([(x0, at), (x1, at)]).intersection(outline)


def _pin1_mark(pad: BaseGeometry, hull: BaseGeometry) -> BaseGeometry:
    """Give a short line outside the pads, beside pin 1, on the side away from the body's middle."""
    x0, y0, x1, y1 = pad.bounds
    hx, hy = hull.centroid.coords[0]
    off = LEGEND_GAP_MM + LEGEND_LINE_MM
    px, py = pad.centroid.coords[0]
    if abs(px - hx) >= abs(py - hy):
        at = y1 + off if py >= hy else y0 - off
        return LineString([(x0, at), (x1, at)])
    at = x0 - off if px <= hx else x1 + off
    return LineString([(at, y0), (at, y1)])


def _lines(shape: BaseGeometry) -> list[list[tuple[float, float]]]:
    if shape.is_empty:
        return []
    parts = shape.geoms if isinstance(shape, MultiLineString) else [shape]
    return [
        list(p.simplify(0.01).coords)
        for p in parts
        if p.geom_type in ("LineString", "LinearRing") and p.length > 0.2
    ]
