"""Exact shapes of everything on a board: spines with a radius, in millimetres; judging them is elsewhere.

A track is a line with half its width as radius, a round pad a point or a line with a radius, a rectangular pad
a polygon without one. The gap between two shapes is then the distance of their spines less both radii, exact
for round ends, where polygons that imitate circles would not be.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import pairwise

import shapely
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from vane_step.core.derive import Kept, derived
from vane_step.core.design.model import Cutout, Design, Jumper, PadSpec, Part, PartPlace, Track, Via, Zone, pin_name
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


@functools.lru_cache(maxsize=4096)
def _turned(turn_deg: float) -> tuple[float, float]:
    """Give cosine and sine of a turn, exact for quarters."""
    turn = turn_deg % 360
    if turn in (0, 90, 180, 270):
        return ((1, 0), (0, 1), (-1, 0), (0, -1))[int(turn) // 90]
    return math.cos(math.radians(turn)), math.sin(math.radians(turn))


def place_point(place: PartPlace, x_nm: float, y_nm: float) -> tuple[float, float]:
    """Carry a point of a package to the board, in nanometres."""
    ((x, y),) = place_points(place, ((x_nm, y_nm),))
    return x, y


def place_points(place: PartPlace, points_nm: Iterable[tuple[float, float]]) -> list[tuple[float, float]]:
    """Carry points of a package to the board, in nanometres."""
    x0, y0, (c, s) = place.x_nm, place.y_nm, _turned(place.turn_deg)
    mirror = -1 if place.side == "back" else 1
    return [(x0 + mirror * x * c - y * s, y0 + mirror * x * s + y * c) for x, y in points_nm]


def pad_spine(pad: PadSpec, place: PartPlace) -> tuple[BaseGeometry, float, float, float]:
    """Give a placed pad's spine, radius, and centre, in millimetres."""
    cx, cy = place_point(place, pad.x_nm, pad.y_nm)
    half_w, half_h = pad.width_nm / 2, pad.height_nm / 2
    if pad.shape == "rect":
        x0, x1, y0, y1 = pad.x_nm - half_w, pad.x_nm + half_w, pad.y_nm - half_h, pad.y_nm + half_h
        spine: BaseGeometry = _quad(place_points(place, ((x0, y0), (x1, y0), (x1, y1), (x0, y1))))
        return spine, 0.0, cx / 1e6, cy / 1e6
    r = min(half_w, half_h)
    if half_w == half_h:
        return Point(cx / 1e6, cy / 1e6), r / 1e6, cx / 1e6, cy / 1e6
    dx, dy = half_w - r, half_h - r
    ends = place_points(place, ((pad.x_nm - dx, pad.y_nm - dy), (pad.x_nm + dx, pad.y_nm + dy)))
    return LineString([(x / 1e6, y / 1e6) for x, y in ends]), r / 1e6, cx / 1e6, cy / 1e6


@derived("parts", "packages")
def edge_pads(design: Design) -> frozenset[str]:
    """Name the pads that are plated holes on the board's edge."""
    packs = {n: [x.number for x in p.pads if x.on_edge] for n, p in design.packages.items()}
    return frozenset(pin_name(part.ref, n) for part in design.parts.values() for n in packs[part.package])


def pad_layers(pad: PadSpec, place: PartPlace, layers: tuple[str, ...]) -> tuple[str, ...]:
    """Give the copper layers a placed pad lies on."""
    if pad.layers == "through":
        return layers
    flipped = place.side == "back"
    outer = ("back" if flipped else "front") if pad.layers == "front" else ("front" if flipped else "back")
    return (outer,) if outer in layers else ()


_of_part: Kept[tuple[CopperItem | Hole, ...]] = Kept(8_000)
_of_track: Kept[tuple[CopperItem, ...]] = Kept(40_000)


def _pads(design: Design) -> Iterator[CopperItem | Hole]:
    for part in design.parts.values():
        yield from pads_of(design, part)


def pads_of(design: Design, part: Part) -> tuple[CopperItem | Hole, ...]:
    """Give the pads and bare holes of one part where it is; none when it has no place."""
    if part.place is None:
        return ()
    key = (part.mark(), design.packages[part.package].mark(), design.digest("nets"), design.board.layers)
    return _of_part.get(key) or _of_part.put(key, tuple(_pads_of(design, part, part.place)))


def _pads_of(design: Design, part: Part, place: PartPlace) -> Iterator[CopperItem | Hole]:
    for pad in design.packages[part.package].pads:
        name = pin_name(part.ref, pad.number)
        spine, radius, x, y = pad_spine(pad, place)
        if pad.bare_hole:
            yield Hole(name, x, y, pad.drill_nm / 1e6, plated=False)
            continue
        on = pad_layers(pad, place, design.board.layers)
        if on:
            width = min(pad.width_nm, pad.height_nm) / 1e6
            yield CopperItem("pad", name, design.net_of(name), on, spine, radius, pad.drill_nm / 1e6, x, y, width)


def _track(track: Track) -> tuple[CopperItem, ...]:
    points = [(x / 1e6, y / 1e6) for x, y in track.points]
    lines = shapely.linestrings(list(pairwise(points)))
    width, on = track.width_nm / 1e6, (track.layer,)
    return tuple(
        CopperItem("track", track.id, track.net, on, line, width / 2, 0.0, (a[0] + b[0]) / 2, (a[1] + b[1]) / 2, width)
        for (a, b), line in zip(pairwise(points), lines, strict=True)
    )


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers")
def copper_items(design: Design) -> tuple[CopperItem, ...]:
    """List all copper of a design except pours, pads first; tracks come piece by piece.

    What belongs to a part or a track that did not change is the same object as before.
    """
    items = [x for x in _pads(design) if isinstance(x, CopperItem)]
    layers = design.board.layers
    for track in design.tracks.values():
        mark = track.mark()
        items += _of_track.get(mark) or _of_track.put(mark, _track(track))
    for via in design.vias.values():
        key = (via.mark(), layers)
        items += _of_track.get(key) or _of_track.put(key, (_via(via, layers),))
    for jumper in design.jumpers.values():
        key = (jumper.mark(), layers)
        items += _of_track.get(key) or _of_track.put(key, _jumper(jumper, layers))
    return tuple(items)


def _via(via: Via, layers: tuple[str, ...]) -> CopperItem:
    x, y, pad = via.x_nm / 1e6, via.y_nm / 1e6, via.pad_nm / 1e6
    return CopperItem("via", via.id, via.net, layers, Point(x, y), pad / 2, via.drill_nm / 1e6, x, y, pad)


def _jumper(jumper: Jumper, layers: tuple[str, ...]) -> tuple[CopperItem, ...]:
    pad, drill = jumper.pad_nm / 1e6, jumper.drill_nm / 1e6
    spots = [(x / 1e6, y / 1e6) for x, y in (jumper.a, jumper.b)]
    return tuple(
        CopperItem("jumper", jumper.id, jumper.net, layers, Point(x, y), pad / 2, drill, x, y, pad) for x, y in spots
    )


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
    """Give the board in millimetres, corners rounded, cut-outs taken out, on whole nanometres, anticlockwise.

    Where cut-outs part the board it is the largest piece; the check tells of the others.
    """
    pieces = board_pieces(design)
    return pieces[0]


@derived("board")
def board_pieces(design: Design) -> tuple[Polygon, ...]:
    """Give the pieces the outline and its cut-outs leave, largest first."""
    shape: BaseGeometry = Polygon([(x / 1e6, y / 1e6) for x, y in design.board.outline])
    radius = design.board.corner_radius_nm / 1e6
    if radius:
        shape = shape.buffer(-radius, join_style="mitre").buffer(radius, quad_segs=32)
    for cutout in design.board.cutouts:
        shape = shape.difference(opening(cutout))
    found = []
    for piece in getattr(shape, "geoms", [shape]):
        rings = [[(nm(x) / 1e6, nm(y) / 1e6) for x, y in r.coords] for r in (piece.exterior, *piece.interiors)]
        found.append(shapely.geometry.polygon.orient(Polygon(rings[0], rings[1:])))
    return tuple(sorted(found, key=lambda p: -p.area))


def opening(cutout: Cutout) -> Polygon:
    """Give the shape of a cut-out, in millimetres; the ends of slots are round."""
    points = [(x / 1e6, y / 1e6) for x, y in cutout.points]
    if cutout.width_nm:
        return LineString(points).buffer(cutout.width_nm / 2e6, quad_segs=32)
    return Polygon(points)


def box_on_board(part: Part, corners_nm: tuple[int, int, int, int]) -> Polygon:
    """Give a box of a package, carried to the board, in millimetres."""
    assert part.place is not None
    x0, y0, x1, y1 = corners_nm
    return _quad(place_points(part.place, ((x0, y0), (x1, y0), (x1, y1), (x0, y1))))


def _quad(corners_nm: list[tuple[float, float]]) -> Polygon:
    """Give a quadrangle in millimetres."""
    ring: Polygon = shapely.polygons([(x / 1e6, y / 1e6) for x, y in corners_nm])
    return ring


_yards: Kept[Polygon] = Kept(8_000)


@derived("parts", "packages")
def courtyards(design: Design) -> dict[str, Polygon]:
    """Give the courtyard of every placed part, in millimetres."""
    found = {}
    for part in design.parts.values():
        if part.place:
            package = design.packages[part.package]
            key = (part.mark(), package.mark())
            found[part.ref] = _yards.get(key) or _yards.put(key, box_on_board(part, package.courtyard_nm))
    return found


_extents: Kept[tuple[float, float, float, float]] = Kept(8_000)


@derived("parts", "packages", "nets", "board")
def extents(design: Design) -> dict[str, tuple[float, float, float, float]]:
    """Give for every placed part the box (x0, y0, x1, y1) of its pads, its courtyard and its free zone, in mm."""
    yards, zones = courtyards(design), keepouts(design)
    found = {}
    for ref, yard in yards.items():
        part = design.parts[ref]
        key = (part.mark(), design.packages[part.package].mark(), design.board.layers)
        known = _extents.get(key)
        if known is None:
            frames = [yard.bounds, *([zones[ref].bounds] if ref in zones else [])]
            for item in pads_of(design, part):
                if isinstance(item, Hole):
                    r, (x0, y0, x1, y1) = item.drill_mm / 2, (item.x_mm, item.y_mm, item.x_mm, item.y_mm)
                else:
                    r, (x0, y0, x1, y1) = max(item.drill_mm / 2, item.radius_mm), item.spine.bounds
                frames.append((x0 - r, y0 - r, x1 + r, y1 + r))
            left, low, right, high = zip(*frames, strict=True)
            known = _extents.put(key, (min(left), min(low), max(right), max(high)))
        found[ref] = known
    return found


@derived("parts", "packages", "board")
def keepouts(design: Design) -> dict[str, Polygon]:
    """Give the zones of placed parts, and of the board, that must be free of any copper on every layer, in mm."""
    found = {}
    for part in design.parts.values():
        zone = design.packages[part.package].keepout_nm
        if part.place and zone:
            found[part.ref] = box_on_board(part, zone)
    found.update({z.id: zone_shape(z) for z in design.board.zones if z.kind == "clear"})
    return found


def zone_shape(zone: Zone) -> Polygon:
    """Give the shape of a zone of the board, in millimetres."""
    return Polygon([(x / 1e6, y / 1e6) for x, y in zone.points])


def view_box(design: Design) -> tuple[float, float, float, float]:
    """Give the box that holds the board and all its parts, in millimetres."""
    shapes = [outline(design), *courtyards(design).values()]
    x0, y0, x1, y1 = shapely.total_bounds(shapely.geometrycollections(shapes))
    return float(x0), float(y0), float(x1), float(y1)


def rectangle(width_mm: float, height_mm: float) -> tuple[tuple[int, int], ...]:
    """Give the outline of a rectangle with its lower left corner at the origin, in nanometres."""
    return tuple((nm(x), nm(y)) for x, y in box(0, 0, width_mm, height_mm).exterior.coords[:-1])
