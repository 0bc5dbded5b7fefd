"""What is least and finest on a board, measured from its files: widths, gaps, rings, bridges; no rule is here."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from scipy.spatial import cKDTree
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.geometry.thinness import thin_places
from vane_step.core.fab.copper_groups import polygons
from vane_step.core.fab.reader import ring_widths
from vane_step.core.inspect.board_files import AT_ONCE, BoardFiles, FileLayer

# Gaps wider than this are of no interest to anybody who makes boards.
WIDEST_MM: Final = 0.6
# Most boards have a gap narrower than this: wider ones are looked for only where there is none.
NEAR_MM: Final = 0.26
# Copper thinner than this is looked for; what is wider nobody has trouble with.
WIDE_MM: Final = 0.3
# Crumbs of ink on pads, in square millimetres.
CRUMB_MM2: Final = 0.0005


@dataclass(frozen=True)
class Measure:
    """The worst of one kind on a board: in millimetres, square millimetres or a count, where, and on which file."""

    key: str
    title: str
    value: float
    unit: str
    x_mm: float | None = None
    y_mm: float | None = None
    file: str = ""
    about: str = ""


def measured(board: BoardFiles) -> list[Measure]:
    """Measure a board from its files: each kind at its worst place; what no file shows is left out.

    Widths are those of round apertures drawn with and of what images hang together by, gaps those between pieces of
    one image, rings those of copper round holes, all from the shapes that were read.
    """
    found: list[Measure] = []
    if not board.outline.is_empty:
        x0, y0, x1, y1 = board.outline.bounds
        found += [
            Measure("width", "board width", round(x1 - x0, 3), "mm"),
            Measure("height", "board height", round(y1 - y0, 3), "mm"),
        ]
    found.append(Measure("layers", "copper layers", len(board.copper()), ""))
    rules = (_widths, _gaps, _rings, _edges, _mask, _legend, _holes)
    with ThreadPoolExecutor(AT_ONCE) as pool:
        for some in pool.map(lambda rule: list(rule(board)), rules):
            found += some
    return found


def _least(found: Sequence[Measure]) -> Iterator[Measure]:
    if found:
        yield min(found, key=lambda m: m.value)


def _widths(board: BoardFiles) -> Iterator[Measure]:
    yield from _least([m for layer in board.copper() if (m := _thinnest(layer)) is not None])


def _thinnest(layer: FileLayer) -> Measure | None:
    """Give the finest copper of a layer: what it was drawn with, or what it hangs together by where that is less."""
    thin, drawn, best = _thin_line(layer), None, None
    if thin is not None:
        drawn, x, y = thin
        best = Measure("track", "narrowest copper", round(drawn, 3), "mm", x, y, layer.name, "drawn so wide")
    least = min(drawn or WIDE_MM, WIDE_MM)
    for piece in polygons(layer.read.image):
        if not isinstance(piece, Polygon):
            continue
        for _, width, at in thin_places(piece, least, layer.read.filled, layer.read.flashed, drawn):
            if best is None or width < best.value - 0.0005:
                title = "narrowest copper"
                best = Measure(
                    "track", title, round(width, 3), "mm", at.x, at.y, layer.name, "hangs together by"
                )
    return best


def _thin_line(layer: FileLayer) -> tuple[float, float, float] | None:
    """Give the width and middle of the finest line that stands alone: lines that paint an area side by side do not."""
    widths = np.array(layer.read.widths_mm)
    image = layer.read.image
    shapely.prepare(image)
    for width in np.unique(widths[widths > 0]).tolist():
        some = np.flatnonzero(widths == width)
        ends = np.array([layer.read.lines[k] for k in some.tolist()])
        along = ends[:, 1] - ends[:, 0]
        long = np.hypot(*along.T)
        across = np.column_stack([-along[:, 1], along[:, 0]]) / np.maximum(long, 1e-9)[:, None]
        middle = ends.mean(axis=1)
        beside = [middle + side * 0.75 * width * across for side in (1, -1)]
        painted = [shapely.contains_xy(image, *spots.T) for spots in beside]
        alone = np.flatnonzero(~(painted[0] | painted[1]) & (long > width))
        if len(alone):
            x, y = middle[alone[0]].tolist()
            return float(width), float(x), float(y)
    return None


def nearest(pieces: Sequence[BaseGeometry]) -> tuple[float, float, float] | None:
    """Give the least gap between two pieces and the middle of it; none where all are too far apart to matter."""
    if len(pieces) < 2:
        return None
    shapes = np.array(pieces, dtype=object)
    tree = STRtree(shapes)
    for reach in (NEAR_MM, WIDEST_MM):
        a, b = tree.query(shapes, predicate="dwithin", distance=reach)
        once = a < b
        a, b = a[once], b[once]
        if len(a):
            break
    else:
        return None
    gaps = shapely.distance(shapes[a], shapes[b])
    k = int(np.argmin(gaps))
    at = shapely.shortest_line(shapes[a[k]], shapes[b[k]]).centroid
    return float(gaps[k]), float(at.x), float(at.y)


def _gap(layer: FileLayer, key: str, title: str) -> Iterator[Measure]:
    found = nearest(polygons(layer.read.image))
    if found is not None:
        yield Measure(key, title, round(found[0], 3), "mm", found[1], found[2], layer.name)


def _gaps(board: BoardFiles) -> Iterator[Measure]:
    yield from _least([m for x in board.copper() for m in _gap(x, "gap", "narrowest gap in copper")])


def _rings(board: BoardFiles) -> Iterator[Measure]:
    """Measure copper round holes, on every layer that has any there; on the outer ones a plated hole wants some.

    Holes of a board of one layer go through its pads without being plated: their rings carry the joints.
    """
    found = []
    outer = {layer.name for layer in board.copper() if not layer.role.side.startswith("in")}
    bores = board.bores()
    holes = [(x, y, size) for x, y, size, _ in bores]
    for layer in board.copper():
        rings = ring_widths(layer.read.image, holes)
        for (x, y, size, plated), ring in zip(bores, rings, strict=True):
            if np.isfinite(ring) or (plated and layer.name in outer):
                wide = max(ring, -size / 2)
                found.append(Measure("ring", "narrowest ring", round(wide, 3), "mm", x, y, layer.name))
    yield from _least(found)


def _edges(board: BoardFiles) -> Iterator[Measure]:
    """Measure copper and holes to the edge, and how near holes are to each other."""
    if board.outline.is_empty:
        return
    edge = board.outline.boundary
    found = []
    for layer in board.copper():
        inside = layer.read.image
        apart = float(inside.distance(edge)) if not inside.is_empty else WIDEST_MM
        at = shapely.shortest_line(inside, edge).centroid if not inside.is_empty else shapely.Point()
        found.append(Measure("edge", "copper to the edge", round(apart, 3), "mm", at.x, at.y, layer.name))
    yield from _least(found)


def _mask(board: BoardFiles) -> Iterator[Measure]:
    layers = [x for x in board.layers if x.role.kind == "mask"]
    yield from _least([m for x in layers for m in _gap(x, "bridge", "narrowest bridge of mask")])


def _legend(board: BoardFiles) -> Iterator[Measure]:
    """Measure the finest line of legend, and how much of it lies on copper that is to be soldered."""
    layers = [x for x in board.layers if x.role.kind == "legend"]
    lines = [
        Measure("ink", "finest line of legend", round(x.read.thinnest_mm, 3), "mm", None, None, x.name)
        for x in layers
        if x.read.thinnest_mm is not None
    ]
    yield from _least(lines)
    printed = []
    for layer in layers:
        mask, copper = board.of("mask", layer.role.side), board.of("copper", layer.role.side)
        if mask is None or copper is None:
            continue
        on = layer.read.image.intersection(mask.read.image).intersection(copper.read.image)
        spots = [p for p in polygons(on) if p.area > CRUMB_MM2]
        at = max(spots, key=lambda p: float(p.area)).representative_point() if spots else None
        area = round(sum(float(p.area) for p in spots), 4)
        x, y = (at.x, at.y) if at is not None else (None, None)
        printed.append(
            Measure("printed", "legend on pads", area, "mm²", x, y, layer.name, f"{len(spots)} places")
        )
    if printed:
        yield max(printed, key=lambda m: m.value)


def _holes(board: BoardFiles) -> Iterator[Measure]:
    holes = board.bores()
    if not holes:
        return
    for key, title, some in (
        ("drill", "smallest hole", min(holes, key=lambda h: h[2])),
        ("largest", "largest hole", max(holes, key=lambda h: h[2])),
    ):
        yield Measure(key, title, round(some[2], 3), "mm", some[0], some[1])
    slots = [(slot, d.name) for d in board.drills for slot in d.read.slots]
    if slots:
        (ax, ay, *_, width), name = min(slots, key=lambda s: s[0][4])
        yield Measure("slot", "narrowest slot", round(width, 3), "mm", ax, ay, name)
    yield from _between(board.holes())


def _between(holes: Sequence[tuple[float, float, float, bool]]) -> Iterator[Measure]:
    """Measure the web between two holes; holes drilled twice at one place are told by it too."""
    if len(holes) < 2:
        return
    at, radius = np.array([h[:2] for h in holes]), np.array([h[2] for h in holes]) / 2
    reach = 2 * float(radius.max()) + WIDEST_MM
    pairs = cKDTree(at).query_pairs(reach, output_type="ndarray")
    if len(pairs):
        a, b = pairs[:, 0], pairs[:, 1]
        webs = np.hypot(*(at[a] - at[b]).T) - radius[a] - radius[b]
        k = int(np.argmin(webs))
        x, y = ((at[a[k]] + at[b[k]]) / 2).tolist()
        yield Measure("web", "between two holes", round(float(webs[k]), 3), "mm", x, y)
