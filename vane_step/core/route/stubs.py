"""Ways out of fine pads that no node of the grid can leave: a piece of track along the pad's middle to a free node."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np
from scipy.ndimage import label
from shapely.geometry import LineString
from shapely.strtree import STRtree

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.geometry.shapes import CopperItem, bare_holes, copper_items, outline
from vane_step.core.design.boardedits import Names
from vane_step.core.design.model import Design, Track
from vane_step.core.quantity import nm
from vane_step.core.route.grid import nodes_of
from vane_step.core.route.problem import Lattice, NetJob, Problem

# Only pads as narrow as this are looked at, and so far beyond their ends a way out must be found.
NARROW_MM, BEYOND_MM = 0.65, 1.6
SAFETY_MM = 1e-4
_EIGHT = np.ones((3, 3), dtype=np.int8)


def stubs(design: Design, problem: Problem) -> tuple[Track, ...]:
    """Lay a stub from each pad of the jobs that is shut in on the grid, as far as there is exact room for one.

    The pad may lie off the grid by more than the gaps beside it allow, though there is room along its very middle.
    A stub runs from the middle of the pad along its longer side, and over by less than a step at 45 degrees to a node
    from which the grid goes on. It keeps every gap to copper, holes and the edge, and to the stubs laid before it.
    """
    lat = problem.lattice
    jobs = {job.name: job for job in problem.jobs}
    shut = [
        (job, item, _Window(lat, problem.held[job.neck if job.neck_reach_mm else job.full][:, 0], job, item))
        for item in copper_items(design)
        if item.kind == "pad" and (job := jobs.get(item.net or "")) and _is_narrow(item)
    ]
    shut = [found for found in shut if not found[2].leads_out]
    if not shut:
        return ()
    room = _Room(design)
    names = Names(design)
    laid: list[Track] = []
    for job, item, window in shut:
        half = (job.neck_mm if job.neck_reach_mm else job.width_mm) / 2
        line = next((w for w in _ways(item, window, lat) if room.holds(w, half, job, item.layers[0])), None)
        if line is None:
            continue
        room.take(line, half, job)
        points = tuple((nm(x), nm(y)) for x, y in line.coords)
        layer = next(k for k in lat.layers if k == item.layers[0])
        laid.append(
            Track(id=names.next("T"), net=job.name, layer=layer, width_nm=nm(2 * half), points=points)
        )
    return tuple(laid)


def used(design: Design, pieces: Sequence[Track]) -> tuple[Track, ...]:
    """Give the stubs that a track or a via of their net meets; the rest lead nowhere."""
    mine = {p.id for p in pieces}
    items = [i for i in copper_items(design) if i.kind != "pad" and i.id not in mine]
    tree = STRtree([i.spine for i in items])
    kept = []
    for piece in pieces:
        line = LineString([(x / 1e6, y / 1e6) for x, y in piece.points])
        if any(
            items[k].net == piece.net
            and piece.layer in items[k].layers
            and items[k].spine.distance(line) < items[k].radius_mm
            for k in tree.query(line.buffer(2.0))
        ):
            kept.append(piece)
    return tuple(kept)


def _is_narrow(item: CopperItem) -> bool:
    if item.spine.geom_type != "Polygon" or len(item.layers) != 1:
        return False
    a, b, c = item.spine.exterior.coords[:3]
    return min(math.dist(a, b), math.dist(b, c)) <= NARROW_MM


class _Window:
    """The free nodes round a pad, and those of them that lead out of its surroundings."""

    def __init__(self, lat: Lattice, owners: np.ndarray, job: NetJob, item: CopperItem) -> None:
        self.lat = lat
        layer = lat.layers.index(item.layers[0])
        x0, y0, x1, y1 = item.spine.bounds
        self.c0, self.r0 = self._cell(x0 - BEYOND_MM, y0 - BEYOND_MM)
        self.c1, self.r1 = self._cell(x1 + BEYOND_MM, y1 + BEYOND_MM)
        plane = owners[layer * lat.plane : (layer + 1) * lat.plane].reshape(lat.h, lat.w)
        inside = plane[self.r0 : self.r1 + 1, self.c0 : self.c1 + 1]
        free = (inside == 0) | (inside == job.number)
        parts, _ = label(free, structure=_EIGHT)
        rim = np.unique(np.concatenate([parts[0], parts[-1], parts[:, 0], parts[:, -1]]))
        self.out = np.isin(parts, rim[rim > 0])
        nodes = nodes_of(item, lat) - layer * lat.plane
        rows, columns = np.divmod(nodes, lat.w)
        within = (rows >= self.r0) & (rows <= self.r1) & (columns >= self.c0) & (columns <= self.c1)
        at = parts[rows[within] - self.r0, columns[within] - self.c0]
        self.leads_out = bool(np.isin(at, rim[rim > 0]).any())

    def _cell(self, x: float, y: float) -> tuple[int, int]:
        column = round((x - self.lat.x0) / self.lat.pitch)
        row = round((y - self.lat.y0) / self.lat.pitch)
        return min(max(column, 0), self.lat.w - 1), min(max(row, 0), self.lat.h - 1)

    def is_out(self, x: float, y: float) -> tuple[float, float] | None:
        """Give the node nearest to a place where it leads out."""
        column, row = self._cell(x, y)
        if not (self.r0 <= row <= self.r1 and self.c0 <= column <= self.c1):
            return None
        if not self.out[row - self.r0, column - self.c0]:
            return None
        return self.lat.x0 + column * self.lat.pitch, self.lat.y0 + row * self.lat.pitch


def _ways(item: CopperItem, window: _Window, lat: Lattice) -> Iterable[LineString]:
    """Give ways from a pad's middle along its longer side to free nodes, the shortest first."""
    a, b, c = item.spine.exterior.coords[:3]
    one, two = (b[0] - a[0], b[1] - a[1]), (c[0] - b[0], c[1] - b[1])
    longer = one if math.hypot(*one) >= math.hypot(*two) else two
    size = math.hypot(*longer)
    ux, uy = longer[0] / size, longer[1] / size
    seen = set()
    for step in range(int((size / 2 + BEYOND_MM) / (lat.pitch / 2)) + 1):
        for sign in (1, -1):
            t = sign * step * lat.pitch / 2
            node = window.is_out(item.x_mm + ux * t, item.y_mm + uy * t)
            if node is None or node in seen:
                continue
            seen.add(node)
            dx, dy = node[0] - item.x_mm, node[1] - item.y_mm
            along, across = dx * ux + dy * uy, dy * ux - dx * uy
            corner = along - math.copysign(abs(across), along)
            if abs(along) < abs(across):
                continue
            at = (item.x_mm + ux * corner, item.y_mm + uy * corner)
            points = [(item.x_mm, item.y_mm), at, node]
            yield LineString(
                [p for k, p in enumerate(points) if k == 0 or math.dist(p, points[k - 1]) > 1e-6]
            )


class _Room:
    """What a stub must keep away from, exactly."""

    def __init__(self, design: Design) -> None:
        self.design = design
        rules = design.board.rules
        self.least = rules.min_clearance_nm / 1e6
        self.items = list(connectivity(design).items)
        self.tree = STRtree([i.spine for i in self.items])
        self.edge = outline(design)
        self.from_edge = rules.edge_clearance_nm / 1e6
        self.holes = [(h.spine, h.drill_mm / 2 + rules.hole_to_copper_nm / 1e6) for h in bare_holes(design)]
        self.taken: list[tuple[LineString, float, NetJob]] = []

    def holds(self, line: LineString, half: float, job: NetJob, layer: str) -> bool:
        """Tell whether a stub of a half width fits."""
        far = half + max(2.0, job.clearance_mm)
        for k in self.tree.query(line.buffer(far)):
            item = self.items[k]
            if item.net == job.name or layer not in item.layers:
                continue
            gap = max(self.least, job.clearance_mm, self.design.rule_of(item.net).clearance_nm / 1e6)
            if line.distance(item.spine) < half + item.radius_mm + gap + SAFETY_MM:
                return False
        for other, width, owner in self.taken:
            gap = max(self.least, job.clearance_mm, owner.clearance_mm)
            if owner is not job and line.distance(other) < half + width + gap + SAFETY_MM:
                return False
        if any(line.distance(at) < keep + half + SAFETY_MM for at, keep in self.holes):
            return False
        return bool(self.edge.contains(line) and self.edge.boundary.distance(line) >= half + self.from_edge)

    def take(self, line: LineString, half: float, job: NetJob) -> None:
        """Remember a stub, for those after it."""
        self.taken.append((line, half, job))
