"""Exact shapes of everything on a board: spines with a radius, in millimetres; judging them is elsewhere.

A track is a line with half its width as radius, a round pad a point or a line with a radius, a rectangular pad
a polygon without one. The gap between two shapes is then the distance of their spines less both radii, exact
for round ends, where polygons that imitate circles would not be.
"""

from __future__ import annotations

import functools
import itertools
import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.geometry.laid import (
    ARC_SEGMENTS as ARC_SEGMENTS,
    WIDEN as WIDEN,
    CopperItem as CopperItem,
    laid_items,
    letters,
)
from vane_step.core.derive import PerPart, derived
from vane_step.core.design.areas import board_left, opening as opening, ring_mm
from vane_step.core.design.model import (
    Design,
    Package,
    PadSpec,
    Part,
    PartPlace,
    Zone,
    pin_name,
)
from vane_step.core.quantity import nm

LAYER_BIT = {"front": 0, "in1": 1, "in2": 2, "back": 3}


@dataclass(frozen=True, slots=True)
class Hole:
    """A drilled hole; ``plated`` holes carry the pad or via they belong to.

    The middle line of a slot, ``drill_mm`` wide, reaches ``slot_mm`` from its middle to both sides, along x and y.
    """

    id: str
    x_mm: float
    y_mm: float
    drill_mm: float
    plated: bool
    net: str | None = None
    slot_mm: tuple[float, float] = (0.0, 0.0)

    @property
    def slotted(self) -> bool:
        """Whether it is longer than wide."""
        return self.slot_mm != (0.0, 0.0)

    @property
    def ends_mm(self) -> tuple[float, float, float, float]:
        """Both ends of its middle line: x and y, x and y; the same point twice for a round hole."""
        (dx, dy), x, y = self.slot_mm, self.x_mm, self.y_mm
        return x - dx, y - dy, x + dx, y + dy

    @property
    def spine(self) -> BaseGeometry:
        """Its middle: a point, or the middle line of a slot."""
        ax, ay, bx, by = self.ends_mm
        return LineString([(ax, ay), (bx, by)]) if self.slotted else Point(ax, ay)

    def shape(self, grow_mm: float = 0.0, quad_segs: int = ARC_SEGMENTS) -> BaseGeometry:
        """Give what is bored away, grown; corners of drawn circles lie on the true circle."""
        return self.spine.buffer(self.drill_mm / 2 + grow_mm, quad_segs=quad_segs)


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


def package_point(place: PartPlace, x_nm: float, y_nm: float) -> tuple[float, float]:
    """Carry a point of the board into the package of a placed part, in nanometres."""
    c, s = _turned(place.turn_deg)
    dx, dy = x_nm - place.x_nm, y_nm - place.y_nm
    across, up = dx * c + dy * s, dy * c - dx * s
    return (-across if place.side == "back" else across), up


def _pad_points(pad: PadSpec, place: PartPlace) -> tuple[list[tuple[float, float]], float]:
    """Give what spans a placed pad's spine in nm (a point, two ends or four corners) and its radius in mm."""
    half_w, half_h = pad.width_nm / 2, pad.height_nm / 2
    if pad.shape == "rect":
        x0, x1, y0, y1 = pad.x_nm - half_w, pad.x_nm + half_w, pad.y_nm - half_h, pad.y_nm + half_h
        return place_points(place, ((x0, y0), (x1, y0), (x1, y1), (x0, y1))), 0.0
    r = min(half_w, half_h)
    if half_w == half_h:
        return place_points(place, ((pad.x_nm, pad.y_nm),)), r / 1e6
    dx, dy = half_w - r, half_h - r
    ends = ((pad.x_nm - dx, pad.y_nm - dy), (pad.x_nm + dx, pad.y_nm + dy))
    return place_points(place, ends), r / 1e6


def _slot_mm(pad: PadSpec, place: PartPlace) -> tuple[float, float]:
    """Give how far the middle line of a placed pad's slot reaches from its middle."""
    if not pad.slot_nm:
        return 0.0, 0.0
    dx, dy = pad.slot_half_nm
    (ax, ay), (bx, by) = place_points(place, ((0, 0), (dx, dy)))
    return (bx - ax) / 1e6, (by - ay) / 1e6


def _shapes(runs_nm: Sequence[Sequence[tuple[float, float]]]) -> np.ndarray:
    """Make a point, a line or a quadrangle in millimetres of each run of points, all of a kind in one call."""
    found = np.empty(len(runs_nm), dtype=object)
    sizes = np.array([len(run) for run in runs_nm])
    for size, make in ((1, shapely.points), (2, shapely.linestrings), (4, shapely.polygons)):
        some = np.flatnonzero(sizes == size)
        if len(some):
            points = np.array([runs_nm[k] for k in some.tolist()], dtype=np.float64) / 1e6
            found[some] = make(points[:, 0] if size == 1 else points)
    return found


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


def plated(design: Design) -> bool:
    """Tell whether the maker plates holes through: nobody does who etches by hand, nor on a board of one layer."""
    return design.board.copper_layers > 1 and not design.board.rules.etched


def covered(package: Package, pad: PadSpec) -> bool:
    """Tell whether the body of a part lies over a pad, so that no iron reaches it from the part's side."""
    half_w, half_h = package.body_nm[0] / 2, package.body_nm[1] / 2
    return pad.layers == "through" and abs(pad.x_nm) < half_w and abs(pad.y_nm) < half_h


def _pads_of(design: Design, parts: list[Part]) -> list[tuple[CopperItem | Hole, ...]]:
    """Give the pads and bare holes of some placed parts."""
    layers = design.board.layers
    by_hand = len(layers) > 1 and not plated(design)
    runs: list[list[tuple[float, float]]] = []
    made: list[list[CopperItem | Hole]] = []
    asked: list[
        tuple[
            list[CopperItem | Hole], PadSpec, str, tuple[str, ...], float, float, float, tuple[float, float]
        ]
    ] = []
    for part in parts:
        mine: list[CopperItem | Hole] = []
        made.append(mine)
        place = part.place
        assert place is not None
        for pad in design.packages[part.package].pads:
            name = pin_name(part.ref, pad.number)
            ((x, y),) = place_points(place, ((pad.x_nm, pad.y_nm),))
            slot = _slot_mm(pad, place)
            if pad.bare_hole:
                mine.append(Hole(name, x / 1e6, y / 1e6, pad.drill_nm / 1e6, False, slot_mm=slot))
            elif on := pad_layers(pad, place, layers):
                points, radius = _pad_points(pad, place)
                if by_hand and covered(design.packages[part.package], pad):
                    # Nothing joins the ring under the body with the lead: it is copper on no net, in the way.
                    runs.append(points)
                    asked.append((mine, pad, name, (place.side,), radius, x / 1e6, y / 1e6, slot))
                    on = tuple(layer for layer in on if layer != place.side)
                runs.append(points)
                asked.append((mine, pad, name, on, radius, x / 1e6, y / 1e6, slot))
    for spine, (mine, pad, name, on, radius, x, y, slot) in zip(_shapes(runs), asked, strict=True):
        width, drill = min(pad.width_nm, pad.height_nm) / 1e6, pad.drill_nm / 1e6
        loose = by_hand and drill and len(on) == 1 and on[0] == _side_of(design, name)
        net = None if loose else design.net_of(name)
        bore, along = (0.0, (0.0, 0.0)) if loose else (drill, slot)
        mine.append(CopperItem("pad", name, net, on, spine, radius, bore, x, y, width, along))
    return [tuple(mine) for mine in made]


def _side_of(design: Design, pin: str) -> str:
    place = design.parts[pin.partition(".")[0]].place
    return place.side if place else ""


_of_parts = PerPart(_pads_of)


@derived("parts", "packages", "nets", "board")
def pads(design: Design) -> dict[str, tuple[CopperItem | Hole, ...]]:
    """Give the pads and bare holes of every placed part where it is."""
    return _of_parts.of(design, (design.digest("nets"), design.board.layers, plated(design)))


def _pads(design: Design) -> Iterator[CopperItem | Hole]:
    return itertools.chain.from_iterable(pads(design).values())


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "texts")
def copper_items(design: Design) -> tuple[CopperItem, ...]:
    """List all copper of a design except pours, pads first; tracks come piece by piece.

    What belongs to a part or a track that did not change is the same object as before.
    """
    return (*(x for x in _pads(design) if isinstance(x, CopperItem)), *laid_items(design), *letters(design))


@derived("parts", "packages", "nets", "board", "holes")
def bare_holes(design: Design) -> tuple[Hole, ...]:
    """List the holes that belong to no copper: those of parts, then those of the board."""
    own = [
        Hole(h.id, h.x_nm / 1e6, h.y_nm / 1e6, h.drill_nm / 1e6, plated=False) for h in design.holes.values()
    ]
    return (*(x for x in _pads(design) if isinstance(x, Hole)), *own)


@derived("parts", "packages", "nets", "board", "vias", "jumpers", "holes")
def holes(design: Design) -> tuple[Hole, ...]:
    """List all drilled holes; on a board that is etched by hand or has one layer none is plated."""
    found: list[Hole] = []
    through = plated(design)
    for item in _pads(design):
        if isinstance(item, CopperItem) and item.drill_mm:
            found.append(Hole(item.id, item.x_mm, item.y_mm, item.drill_mm, through, item.net, item.slot_mm))
    for via in design.vias.values():
        found.append(Hole(via.id, via.x_nm / 1e6, via.y_nm / 1e6, via.drill_nm / 1e6, through, via.net))
    for jumper in design.jumpers.values():
        for x, y in (jumper.a, jumper.b):
            found.append(Hole(jumper.id, x / 1e6, y / 1e6, jumper.drill_nm / 1e6, through, jumper.net))
    return (*found, *bare_holes(design))


def spines_of(some: Sequence[Hole]) -> np.ndarray:
    """Give the middles of holes, points and the middle lines of slots, made in one call each."""
    found: np.ndarray = shapely.points(np.array([(h.x_mm, h.y_mm) for h in some]).reshape(-1, 2))
    for k, hole in enumerate(some):
        if hole.slotted:
            found[k] = hole.spine
    return found


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
    board = design.board
    found = []
    for piece in board_left(board.outline, board.corner_radius_nm, board.cutouts):
        rings = [
            [(nm(x) / 1e6, nm(y) / 1e6) for x, y in r.coords] for r in (piece.exterior, *piece.interiors)
        ]
        found.append(shapely.geometry.polygon.orient(Polygon(rings[0], rings[1:])))
    return tuple(sorted(found, key=lambda p: -p.area))


@derived("board")
def edges(design: Design) -> tuple[Polygon, STRtree]:
    """Give the board, prepared, and a tree over the straight pieces of its edge, cut-outs among them."""
    board = outline(design)
    shapely.prepare(board)
    pieces = [pair for ring in (board.exterior, *board.interiors) for pair in pairwise(ring.coords)]
    return board, STRtree(shapely.linestrings(pieces))


def box_on_board(part: Part, corners_nm: tuple[int, int, int, int]) -> Polygon:
    """Give a box of a package, carried to the board, in millimetres."""
    assert part.place is not None
    x0, y0, x1, y1 = corners_nm
    return _quad(place_points(part.place, ((x0, y0), (x1, y0), (x1, y1), (x0, y1))))


def _quad(corners_nm: list[tuple[float, float]]) -> Polygon:
    """Give a quadrangle in millimetres."""
    ring: Polygon = shapely.polygons([(x / 1e6, y / 1e6) for x, y in corners_nm])
    return ring


def _carried(design: Design, parts: list[Part], corners_nm: list[tuple[int, int, int, int]]) -> list[Polygon]:
    """Give a box of each of some parts' packages, carried to the board, in millimetres."""
    runs = []
    for part, (x0, y0, x1, y1) in zip(parts, corners_nm, strict=True):
        assert part.place is not None
        runs.append(place_points(part.place, ((x0, y0), (x1, y0), (x1, y1), (x0, y1))))
    found: list[Polygon] = _shapes(runs).tolist()
    return found


def _body_nm(package: Package) -> tuple[int, int, int, int]:
    half_w, half_h = package.body_nm[0] // 2, package.body_nm[1] // 2
    return -half_w, -half_h, half_w, half_h


_yards = PerPart(lambda d, parts: _carried(d, parts, [d.packages[p.package].courtyard_nm for p in parts]))
_bodies = PerPart(lambda d, parts: _carried(d, parts, [_body_nm(d.packages[p.package]) for p in parts]))


@derived("parts", "packages")
def courtyards(design: Design) -> dict[str, Polygon]:
    """Give the courtyard of every placed part, in millimetres."""
    return _yards.of(design)


@derived("parts", "packages")
def bodies(design: Design) -> dict[str, Polygon]:
    """Give the body of every placed part, in millimetres; without an area where its package tells no size."""
    return _bodies.of(design)


def _frames_of(design: Design, parts: list[Part]) -> list[tuple[float, float, float, float]]:
    yards, zones, all_pads = courtyards(design), keepouts(design), pads(design)
    shapes: list[BaseGeometry] = []
    grow: list[float] = []
    starts = []
    for part in parts:
        starts.append(len(shapes))
        shapes += [yards[part.ref], *([zones[part.ref]] if part.ref in zones else [])]
        grow += [0.0] * (len(shapes) - starts[-1])
        for item in all_pads[part.ref]:
            if isinstance(item, Hole):
                shapes.append(item.spine)
                grow.append(item.drill_mm / 2)
            else:
                shapes.append(item.spine)
                grow.append(max(item.drill_mm / 2, item.radius_mm))
    boxes, by = shapely.bounds(shapes), np.array(grow)[:, None]
    low, high = np.minimum.reduceat(boxes[:, :2] - by, starts), np.maximum.reduceat(boxes[:, 2:] + by, starts)
    return [(x0, y0, x1, y1) for (x0, y0), (x1, y1) in zip(low.tolist(), high.tolist(), strict=True)]


_extents = PerPart(_frames_of)


@derived("parts", "packages", "nets", "board")
def extents(design: Design) -> dict[str, tuple[float, float, float, float]]:
    """Give for every placed part the box (x0, y0, x1, y1) of its pads, its courtyard and its free zone, in mm."""
    return _extents.of(design, design.board.layers)


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
    return ring_mm(zone.points)


def view_box(design: Design) -> tuple[float, float, float, float]:
    """Give the box that holds the board and all its parts, in millimetres."""
    shapes = [outline(design), *courtyards(design).values()]
    x0, y0, x1, y1 = shapely.total_bounds(shapely.geometrycollections(shapes))
    return float(x0), float(y0), float(x1), float(y1)


def rectangle(width_mm: float, height_mm: float) -> tuple[tuple[int, int], ...]:
    """Give the outline of a rectangle with its lower left corner at the origin, in nanometres."""
    return tuple((nm(x), nm(y)) for x, y in box(0, 0, width_mm, height_mm).exterior.coords[:-1])
