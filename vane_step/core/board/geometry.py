"""Exact shapes of everything on a board: spines with a radius, in millimetres; judging them is elsewhere.

A track is a line with half its width as radius, a round pad a point or a line with a radius, a rectangular pad
a polygon without one. The gap between two shapes is then the distance of their spines less both radii, exact
for round ends, where polygons that imitate circles would not be.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import shapely
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.derive import derived
from vane_step.core.design.model import Design, PadSpec, Part, PartPlace, pin_name
from vane_step.core.quantity import nm

ARC_SEGMENTS = 16
# A polygon with 4n corners drawn round a circle must be this much larger to contain it.
WIDEN = 1 / math.cos(math.pi / (4 * ARC_SEGMENTS))


@dataclass(frozen=True, slots=True)
class CopperItem:
    """One piece of copper.

    Parameters
    ----------
    kind
        ``pad``, ``track``, ``via`` or ``jumper``.
    id
        Pin name of a pad, id of anything else; pieces of one track share its id.
    layers
        Names of the copper layers it lies on.
    spine, radius_mm
        The shape: everything within ``radius_mm`` of ``spine``.
    drill_mm
        Plated hole in its middle, 0 without.
    """

    kind: str
    id: str
    net: str | None
    layers: tuple[str, ...]
    spine: BaseGeometry
    radius_mm: float
    drill_mm: float
    x_mm: float
    y_mm: float
    width_mm: float

    def shape(self, grow_mm: float = 0.0) -> BaseGeometry:
        """Give the outline, grown; circles are drawn outside the true circle so that nothing is lost."""
        r = self.radius_mm + grow_mm
        if r <= 0:
            return self.spine
        return self.spine.buffer(r * WIDEN, quad_segs=ARC_SEGMENTS)


@dataclass(frozen=True, slots=True)
class Hole:
    """A drilled hole; ``plated`` holes carry the pad or via they belong to."""

    id: str
    x_mm: float
    y_mm: float
    drill_mm: float
    plated: bool
    net: str | None = None


def place_point(place: PartPlace, x_nm: float, y_nm: float) -> tuple[float, float]:
    """Carry a point of a package to the board, in nanometres."""
    x = -x_nm if place.side == "back" else x_nm
    turn = place.turn_deg % 360
    c: float
    s: float
    if turn in (0, 90, 180, 270):
        c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[int(turn) // 90]
    else:
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    return place.x_nm + x * c - y_nm * s, place.y_nm + x * s + y_nm * c


def pad_spine(pad: PadSpec, place: PartPlace) -> tuple[BaseGeometry, float, float, float]:
    """Give a placed pad's spine, radius, and centre, in millimetres."""
    cx, cy = place_point(place, pad.x_nm, pad.y_nm)
    half_w, half_h = pad.width_nm / 2, pad.height_nm / 2
    if pad.shape == "rect":
        corners = ((-1, -1), (1, -1), (1, 1), (-1, 1))
        points = [place_point(place, pad.x_nm + a * half_w, pad.y_nm + b * half_h) for a, b in corners]
        spine: BaseGeometry = Polygon([(x / 1e6, y / 1e6) for x, y in points])
        return spine, 0.0, cx / 1e6, cy / 1e6
    r = min(half_w, half_h)
    if half_w == half_h:
        return Point(cx / 1e6, cy / 1e6), r / 1e6, cx / 1e6, cy / 1e6
    ends = [place_point(place, pad.x_nm + k * (half_w - r), pad.y_nm + k * (half_h - r)) for k in (-1, 1)]
    return LineString([(x / 1e6, y / 1e6) for x, y in ends]), r / 1e6, cx / 1e6, cy / 1e6


def pad_layers(pad: PadSpec, place: PartPlace, layers: tuple[str, ...]) -> tuple[str, ...]:
    """Give the copper layers a placed pad lies on."""
    if pad.layers == "through":
        return layers
    flipped = place.side == "back"
    outer = ("back" if flipped else "front") if pad.layers == "front" else ("front" if flipped else "back")
    return (outer,) if outer in layers else ()


def _pads(design: Design) -> Iterator[CopperItem | Hole]:
    layers = design.board.layers
    for part in design.parts.values():
        if part.place is None:
            continue
        for pad in design.packages[part.package].pads:
            name = pin_name(part.ref, pad.number)
            spine, radius, x, y = pad_spine(pad, part.place)
            if pad.bare_hole:
                yield Hole(name, x, y, pad.drill_nm / 1e6, plated=False)
                continue
            on = pad_layers(pad, part.place, layers)
            if on:
                width = min(pad.width_nm, pad.height_nm) / 1e6
                net = design.net_of(name)
                yield CopperItem("pad", name, net, on, spine, radius, pad.drill_nm / 1e6, x, y, width)


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers")
def copper_items(design: Design) -> tuple[CopperItem, ...]:
    """List all copper of a design except pours, pads first; tracks come piece by piece."""
    items = [x for x in _pads(design) if isinstance(x, CopperItem)]
    layers = design.board.layers
    for track in design.tracks.values():
        points = [(x / 1e6, y / 1e6) for x, y in track.points]
        lines = shapely.linestrings(list(pairwise(points)))
        width = track.width_nm / 1e6
        for (a, b), line in zip(pairwise(points), lines, strict=True):
            middle = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
            items.append(CopperItem("track", track.id, track.net, (track.layer,), line, width / 2, 0.0, *middle, width))
    for via in design.vias.values():
        x, y, pad = via.x_nm / 1e6, via.y_nm / 1e6, via.pad_nm / 1e6
        items.append(CopperItem("via", via.id, via.net, layers, Point(x, y), pad / 2, via.drill_nm / 1e6, x, y, pad))
    for jumper in design.jumpers.values():
        pad = jumper.pad_nm / 1e6
        for x_nm, y_nm in (jumper.a, jumper.b):
            x, y = x_nm / 1e6, y_nm / 1e6
            items.append(
                CopperItem(
                    "jumper", jumper.id, jumper.net, layers, Point(x, y), pad / 2, jumper.drill_nm / 1e6, x, y, pad
                )
            )
    return tuple(items)


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes")
def holes(design: Design) -> tuple[Hole, ...]:
    """List all drilled holes; on a board that is etched by hand or has one layer none is plated."""
    found: list[Hole] = []
    plated = design.board.copper_layers > 1
    for item in _pads(design):
        if isinstance(item, Hole):
            found.append(item)
        elif item.drill_mm:
            found.append(Hole(item.id, item.x_mm, item.y_mm, item.drill_mm, plated, item.net))
    for via in design.vias.values():
        found.append(Hole(via.id, via.x_nm / 1e6, via.y_nm / 1e6, via.drill_nm / 1e6, plated, via.net))
    for jumper in design.jumpers.values():
        for x, y in (jumper.a, jumper.b):
            found.append(Hole(jumper.id, x / 1e6, y / 1e6, jumper.drill_nm / 1e6, plated, jumper.net))
    for hole in design.holes.values():
        found.append(Hole(hole.id, hole.x_nm / 1e6, hole.y_nm / 1e6, hole.drill_nm / 1e6, plated=False))
    return tuple(found)


@derived("board")
def outline(design: Design) -> Polygon:
    """Give the board's outline in millimetres, corners rounded, on whole nanometres, anticlockwise."""
    shape = Polygon([(x / 1e6, y / 1e6) for x, y in design.board.outline])
    radius = design.board.corner_radius_nm / 1e6
    if radius:
        shape = shape.buffer(-radius, join_style="mitre").buffer(radius, quad_segs=32)
    points = [(nm(x) / 1e6, nm(y) / 1e6) for x, y in shape.exterior.coords]
    return shapely.geometry.polygon.orient(Polygon(points))


def box_on_board(part: Part, corners_nm: tuple[int, int, int, int]) -> Polygon:
    """Give a box of a package, carried to the board, in millimetres."""
    assert part.place is not None
    x0, y0, x1, y1 = corners_nm
    points = [place_point(part.place, x, y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))]
    return Polygon([(x / 1e6, y / 1e6) for x, y in points])


@derived("parts", "packages")
def courtyards(design: Design) -> dict[str, Polygon]:
    """Give the courtyard of every placed part, in millimetres."""
    return {
        part.ref: box_on_board(part, design.packages[part.package].courtyard_nm)
        for part in design.parts.values()
        if part.place
    }


@derived("parts", "packages")
def keepouts(design: Design) -> dict[str, Polygon]:
    """Give the zones of placed parts that must be free of any copper on every layer, in millimetres."""
    found = {}
    for part in design.parts.values():
        zone = design.packages[part.package].keepout_nm
        if part.place and zone:
            found[part.ref] = box_on_board(part, zone)
    return found


def view_box(design: Design) -> tuple[float, float, float, float]:
    """Give the box that holds the board and all its parts, in millimetres."""
    shapes = [outline(design), *courtyards(design).values()]
    x0, y0, x1, y1 = shapely.total_bounds(shapely.geometrycollections(shapes))
    return float(x0), float(y0), float(x1), float(y1)


def rectangle(width_mm: float, height_mm: float) -> tuple[tuple[int, int], ...]:
    """Give the outline of a rectangle with its lower left corner at the origin, in nanometres."""
    return tuple((nm(x), nm(y)) for x, y in box(0, 0, width_mm, height_mm).exterior.coords[:-1])
