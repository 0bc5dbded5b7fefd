"""Holds the files of a release, as read from their bytes, against the design; the reading itself is in ``reader``."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import shapely
from scipy.spatial import cKDTree
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.copper_table import board_columns
from vane_step.core.board.geometry.shapes import (
    ARC_SEGMENTS,
    LAYER_BIT,
    WIDEN,
    CopperItem,
    copper_items,
    holes,
    outline,
)
from vane_step.core.board.geometry.thinness import thin_places
from vane_step.core.design.model import Design
from vane_step.core.fab.copper_groups import CopperGroups, polygons
from vane_step.core.fab.reader import (
    ReadDrill,
    ReadLayer,
    ReadPoint,
    read_drill,
    read_gerber,
    read_netlist,
    ring_widths,
)
from vane_step.core.finding import Finding, Place, tell

TOLERANCE_MM = 0.001
# Files read at the same time.
AT_ONCE = 2
# Two polygons that imitate one circle differ by up to this much at the largest pads.
IMAGE_TOLERANCE_MM = 0.01


@dataclass(frozen=True)
class ReadBack:
    """What reading a release gave: differences from the design, and readings worth showing."""

    differences: tuple[Finding, ...]
    readings: dict[str, float | int]
    layers: dict[str, ReadLayer]
    drills: dict[str, ReadDrill]

    @property
    def agrees(self) -> bool:
        """Whether the files say what the design says."""
        return not self.differences


def read_back(design: Design, files: Mapping[str, str]) -> ReadBack:
    """Read the files of a release and compare them with the design.

    Compares nets (shorts and opens, from copper images and drills alone), every copper image, every hole to
    1 um, the outline to 1 um and the test netlist; measures the narrowest ring.
    """
    shown = {n: t for n, t in files.items() if n.endswith(".gbr")}
    # Of components only places count, of the drill map only lines. Uniting shapes leaves the interpreter free: two at
    # a time.
    with ThreadPoolExecutor(AT_ONCE) as pool:
        imaged = [
            not any(f"FileFunction,{f}" in t for f in ("Component", "Drillmap")) for t in shown.values()
        ]
        layers = dict(zip(shown, pool.map(read_gerber, shown.values(), shown, imaged), strict=True))
    drills = {n: read_drill(t, n) for n, t in files.items() if n.endswith(".xnc")}
    points = [p for n, t in files.items() if n.endswith(".ipc") for p in read_netlist(t, n)]
    wires = [w for n, t in files.items() if n.endswith("wires.csv") for w in _wires(t)]
    copper = _copper_layers(layers)
    found: list[Finding] = []
    readings: dict[str, float | int] = {}
    found += compare_outline(design, layers, readings)
    found += compare_drills(design, drills, readings)
    found += compare_points(design, points, readings)
    found += _compare_nets(design, copper, drills, points, wires, readings)
    found += _compare_images(design, copper, readings)
    found += _compare_widths(design, copper, readings)
    _rings(copper, drills, readings)
    return ReadBack(tuple(found), readings, layers, drills)


def _copper_layers(layers: Mapping[str, ReadLayer]) -> list[ReadLayer]:
    """Order the copper layers by the number in their file function."""
    chosen = [x for x in layers.values() if x.function and x.function[0] == "Copper"]
    return sorted(chosen, key=lambda x: int(x.function[1][1:]))


def compare_outline(
    design: Design, layers: Mapping[str, ReadLayer], readings: dict[str, float | int]
) -> Iterator[Finding]:
    """Compare outline and cut-outs in the profile with those of the design, to 1 um."""
    profile = [x for x in layers.values() if x.function and x.function[0] == "Profile"]
    if len(profile) != 1 or not profile[0].lines:
        yield tell("outline-missing", "There is no outline in the files", sense="at most")
        return
    rings: list[list[tuple[float, float]]] = []
    for start, end in profile[0].lines:
        if rings and rings[-1][-1] == start:
            rings[-1].append(end)
        else:
            rings.append([start, end])
    if any(ring[0] != ring[-1] or len(ring) < 4 for ring in rings):
        yield tell("outline-open", "The outline in the files is not closed", sense="at most")
        return
    board = outline(design)
    if len(rings) != 1 + len(board.interiors):
        text = f"The files have {len(rings) - 1} cut-outs, the design {len(board.interiors)}"
        yield tell("cutouts", text, abs(len(rings) - 1 - len(board.interiors)), 0)
        return
    apart = _rings_apart(rings, [list(r.coords) for r in (board.exterior, *board.interiors)])
    readings["outline_difference_um"] = round(apart * 1000, 3)
    if apart > TOLERANCE_MM:
        yield tell("outline", "The outline in the files differs from the design", apart, TOLERANCE_MM)


def _rings_apart(some: list[list[tuple[float, float]]], others: list[list[tuple[float, float]]]) -> float:
    """Give how far apart two sets of as many rings are, each ring held against the one that lies as it does."""
    ours, theirs = (
        np.array([shapely.bounds(shapely.LineString(r)) for r in rings]) for rings in (some, others)
    )
    _, nearest = cKDTree(theirs).query(ours)
    if len(set(nearest.tolist())) < len(some):
        return float(shapely.MultiLineString(some).hausdorff_distance(shapely.MultiLineString(others)))
    return max(
        float(shapely.LineString(ring).hausdorff_distance(shapely.LineString(others[k])))
        for ring, k in zip(some, nearest, strict=True)
    )


def compare_drills(
    design: Design, drills: Mapping[str, ReadDrill], readings: dict[str, float | int]
) -> Iterator[Finding]:
    """Compare plated and unplated holes one by one, to 1 um in place and size."""
    worst = 0.0
    for plated in (True, False):
        mine = [h for h in holes(design) if h.plated == plated]
        for what in ("hole", "slot"):
            read = _read_bores(drills, plated, what)
            wanted = sorted({_bore(*h.ends_mm, h.drill_mm) for h in mine if h.slotted == (what == "slot")})
            found, off = _compare_bores(read, wanted, what, "plated" if plated else "unplated")
            yield from found
            worst = max(worst, off)
    readings["holes"] = sum(len(d.holes) + len(d.slots) for d in drills.values())
    readings["hole_difference_um"] = round(worst * 1000, 3)


Bore = tuple[float, float, float, float, float]


def _bore(ax: float, ay: float, bx: float, by: float, size: float) -> Bore:
    """Give both ends of a hole or slot and its width, the lower left end first."""
    return (*min((ax, ay, bx, by), (bx, by, ax, ay)), size)


def _read_bores(drills: Mapping[str, ReadDrill], plated: bool, what: str) -> list[Bore]:
    """List the holes, or the slots, of the files of one plating."""
    mine = [d for d in drills.values() if d.plated == plated]
    if what == "slot":
        return sorted({_bore(*slot) for d in mine for slot in d.slots})
    return sorted({(x, y, x, y, size) for d in mine for x, y, size in d.holes})


def _compare_bores(read: list[Bore], wanted: list[Bore], what: str, kind: str) -> tuple[list[Finding], float]:
    """Find for each hole or slot read that of the design; tells what has none, and how far off others are, in mm."""
    if len(read) != len(wanted):
        text = f"The files have {len(read)} {kind} {what}s, the design {len(wanted)}"
        return [tell("drill-count", text, len(read), len(wanted))], 0.0
    if not wanted:
        return [], 0.0
    tree, left = cKDTree(np.array(wanted)), set(range(len(wanted)))
    found, worst = [], 0.0
    for bore in read:
        near = [k for k in tree.query_ball_point(bore, TOLERANCE_MM, p=np.inf) if k in left]
        if not near:
            found.append(
                tell(
                    "drill",
                    f"The files {'drill' if what == 'hole' else 'mill a slot of'} {bore[4]:g} mm at "
                    f"{bore[0]:.3f}, {bore[1]:.3f}, the design does not",
                    place=Place(x_nm=round(bore[0] * 1e6), y_nm=round(bore[1] * 1e6)),
                    source="read back from the files",
                )
            )
            continue
        left.discard(near[0])
        worst = max(worst, *(abs(a - b) for a, b in zip(bore, wanted[near[0]], strict=True)))
    return found, worst


# Coordinates of the test netlist are whole micrometres: a pad on half of one may be written either way.
POINT_TOLERANCE_MM = 0.00051


def compare_points(
    design: Design, points: list[ReadPoint], readings: dict[str, float | int]
) -> Iterator[Finding]:
    """Compare the test netlist with the pads of the design, one by one: each has its own point of its net."""
    wanted: dict[str, list[CopperItem]] = {}
    for item in copper_items(design):
        if item.kind not in ("track", "text"):
            wanted.setdefault(item.net or "N/C", []).append(item)
    read: dict[str, list[ReadPoint]] = {}
    for point in points:
        read.setdefault(point.net, []).append(point)
    for net in dict.fromkeys((*wanted, *read)):
        mine, theirs = wanted.get(net, []), read.get(net, [])
        here = np.array([(i.x_mm, i.y_mm) for i in mine]).reshape(-1, 2)
        there = np.array([(p.x, p.y) for p in theirs]).reshape(-1, 2)
        met = _met(here, there), _met(there, here)
        for item in (mine[k] for k in np.flatnonzero(~met[0])):
            yield tell("netlist", f"The test netlist lacks {item.id} of {net}")
        for one in (theirs[k] for k in np.flatnonzero(~met[1])):
            yield tell("netlist", f"The test netlist has {one.ref} of {net}, the design has not")
        if met[0].all() and met[1].all() and len(mine) != len(theirs):
            text = f"The test netlist has {len(theirs)} points of {net}, the design {len(mine)}"
            yield tell("netlist", text, len(theirs), len(mine))
    readings["test_points"] = len(points)


def _met(some: np.ndarray, others: np.ndarray) -> np.ndarray:
    """Tell of each of some points whether one of others lies where it lies, both in mm (n x 2)."""
    if not len(some) or not len(others):
        return np.zeros(len(some), dtype=bool)
    tree = cKDTree(others)
    apart, _ = tree.query(some, p=np.inf)
    found: np.ndarray = apart <= POINT_TOLERANCE_MM
    return found


def _wires(text: str) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    rows = list(csv.DictReader(io.StringIO(text)))
    return [((float(r["x1_mm"]), float(r["y1_mm"])), (float(r["x2_mm"]), float(r["y2_mm"]))) for r in rows]


def _compare_nets(
    design: Design,
    copper: list[ReadLayer],
    drills: Mapping[str, ReadDrill],
    points: list[ReadPoint],
    wires: list[tuple[tuple[float, float], tuple[float, float]]],
    readings: dict[str, float | int],
) -> Iterator[Finding]:
    groups = CopperGroups(copper)
    layers = range(len(copper))
    # On a board etched by hand who solders joins the sides, at the leads and wires whose pads both have their net.
    reached = {(p.x, p.y) for p in points if p.access == 0} if design.board.rules.etched else set()
    for drill in drills.values():
        for x, y, _ in drill.bores:
            if drill.plated or any(abs(x - a) < 0.002 and abs(y - b) < 0.002 for a, b in reached):
                groups.join([n for k in layers if (n := groups.at(k, x, y)) is not None])
    for a, b in wires:
        groups.join([n for k in layers for x, y in (a, b) if (n := groups.at(k, x, y)) is not None])
    held: dict[str, set[int]] = {}
    shorts = 0
    owner: dict[int, str] = {}
    for p in points:
        chosen = layers if p.access == 0 else [min(p.access, len(copper)) - 1]
        nodes = {groups.find(n) for k in chosen if (n := groups.at(k, p.x, p.y)) is not None}
        if not nodes:
            yield tell("pad-missing", f"There is no copper at {p.ref}.{p.pin} of {p.net}", sense="at most")
        name = p.net if p.net != "N/C" else f"N/C {p.ref}.{p.pin}"
        held.setdefault(name, set()).update(nodes)
        for node in nodes:
            other = owner.setdefault(node, name)
            if other != name:
                shorts += 1
                yield tell(
                    "file-short",
                    f"In the files {other} and {name} are one piece of copper",
                    place=Place(net=p.net),
                    sense="at most",
                )
    opens = _compare_opens(design, held, readings)
    readings["shorts"] = shorts
    yield from opens


def _compare_opens(
    design: Design, held: dict[str, set[int]], readings: dict[str, float | int]
) -> list[Finding]:
    wanted: dict[str, int] = {}
    for link in connectivity(design).open_links:
        wanted[link.net] = wanted.get(link.net, 0) + 1
    found = []
    total = 0
    loose = _loose_vias(design)
    for net, nodes in held.items():
        opens = len(nodes) - 1 - loose.get(net, 0)
        total += max(0, opens)
        if net in design.nets and opens != wanted.get(net, 0):
            found.append(
                tell(
                    "file-open",
                    f"In the files {net} has {opens} open connections, in the design {wanted.get(net, 0)}",
                    opens,
                    wanted.get(net, 0),
                    Place(net=net),
                )
            )
    readings["opens"] = total
    readings["opens_in_design"] = sum(wanted.values())
    return found


def _loose_vias(design: Design) -> dict[str, int]:
    """Count, for each net, groups of copper that hold a via or jumper pad but no pad of a part."""
    joined = connectivity(design)
    kinds: dict[tuple[str, int], set[str]] = {}
    for item, label in zip(joined.items, joined.labels.tolist(), strict=True):
        if item.net:
            kinds.setdefault((item.net, label), set()).add(item.kind)
    count: dict[str, int] = {}
    for (net, _), held in kinds.items():
        if "pad" not in held and held & {"via", "jumper"}:
            count[net] = count.get(net, 0) + 1
    return count


def _compare_images(
    design: Design, copper: list[ReadLayer], readings: dict[str, float | int]
) -> Iterator[Finding]:
    """Compare each copper image with the design's own shapes, made by other code than the writer's."""
    worst = 0.0
    of = board_columns(design)
    poured = pour_pieces(design)

    def left_of(layer: str, read: ReadLayer) -> BaseGeometry:
        mine = np.flatnonzero(of.layers >> LAYER_BIT[layer] & 1)
        shapes = shapely.buffer(of.spines[mine], of.radius[mine] * WIDEN, quad_segs=ARC_SEGMENTS)
        pieces = [piece for pour in poured if pour.layer == layer for piece in pour.pieces]
        apart = shapely.disjoint_subset_union_all([*shapes, *pieces]).symmetric_difference(read.image)
        # A part that is too small for a disc of the tolerance holds none: most are slivers along edges.
        parts = shapely.get_parts(apart)
        parts = parts[shapely.area(parts) > 3 * (IMAGE_TOLERANCE_MM / 2) ** 2]
        return shapely.disjoint_subset_union_all(shapely.buffer(parts, -IMAGE_TOLERANCE_MM / 2))

    with ThreadPoolExecutor(AT_ONCE) as pool:
        lefts = list(pool.map(left_of, design.board.layers, copper))
    for layer, left in zip(design.board.layers, lefts, strict=False):
        worst = max(worst, float(left.area))
        if not left.is_empty:
            x, y = left.representative_point().coords[0]
            yield tell(
                "image",
                f"Copper on the {layer} differs from the design",
                float(left.area),
                0.0,
                Place(x_nm=round(x * 1e6), y_nm=round(y * 1e6), layer=layer),
            )
    if len(copper) != len(design.board.layers):
        yield tell(
            "layers",
            f"The files have {len(copper)} copper layers, the design {len(design.board.layers)}",
            sense="at most",
        )
    readings["image_difference_mm2"] = round(worst, 6)


def _compare_widths(
    design: Design, copper: list[ReadLayer], readings: dict[str, float | int]
) -> Iterator[Finding]:
    """Measure the copper of each image against the maker's least width: what it hangs together by, and its strips.

    Where two tracks or pads touch beside a wider way nothing hangs on it; in what is filled every neck counts. How wide
    a pad is is the part's; the check tells of it.
    """
    least = design.board.rules.min_width_nm / 1e6
    thin = 0
    for layer, read in zip(design.board.layers, copper, strict=False):
        drawn_mm = read.thinnest_mm
        for piece in polygons(read.image):
            if not isinstance(piece, Polygon):
                continue
            for neck, width_mm, at in thin_places(piece, least, read.filled, read.flashed, drawn_mm):
                says = "hangs together by too little" if neck else "is too thin"
                thin += 1
                place = Place(x_nm=round(at.x * 1e6), y_nm=round(at.y * 1e6), layer=layer)
                text = f"In the files copper on the {layer} {says}"
                yield tell(
                    "file-thin",
                    text,
                    width_mm,
                    least,
                    place,
                    source="read back from the files",
                )
    readings["thin_places"] = thin


def _rings(
    copper: list[ReadLayer], drills: Mapping[str, ReadDrill], readings: dict[str, float | int]
) -> None:
    """Measure the narrowest copper ring round any plated hole, or any hole in copper on a one-layer board."""
    rings = []
    for layer in copper[:1] + copper[-1:] if len(copper) > 1 else copper:
        for drill in drills.values():
            for (_, _, size), ring in zip(drill.bores, ring_widths(layer.image, drill.bores), strict=True):
                if ring > -size / 2 + 1e-6 or (drill.plated and np.isfinite(ring)):
                    rings.append(ring)
    if rings:
        readings["narrowest_ring_mm"] = round(min(rings), 4)
