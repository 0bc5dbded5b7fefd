"""What shuts the pads of an unrouted connection in: the narrow places round where copper from them can get to."""

from __future__ import annotations

import heapq
import math

import numpy as np
import shapely
from scipy.ndimage import distance_transform_edt, label
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.design.model import Design
from vane_step.core.route import kernel
from vane_step.core.route.barred import shape_row
from vane_step.core.route.problem import NetJob, Problem

_EIGHT = np.ones((3, 3), dtype=np.int8)
# How far from a pad the way out is looked for, and among how many pieces at its narrowest place.
WINDOW_MM, NEAREST = 6.0, 6


def obstacle(design: Design, problem: Problem, net: str) -> str:
    """Say what shuts a net in, for one of its connections that stayed open; empty when nothing fixed does.

    From each group of joined copper all places are found that its tracks and vias get to by the exact rules, with
    everything in the way that ``problem`` has, none of it to be moved. Of the smallest that does not hold another
    group, the widest place between two pieces round it is told, which is still too narrow, and the vias.
    """
    job = next((j for j in problem.jobs if j.name == net), None)
    if job is None:
        return ""
    region = _smallest(problem, job)
    if region is None:
        return ""
    group, nodes, has_via = region
    plane = problem.lattice.plane
    layers = sorted({problem.lattice.layers[k] for k in np.unique(nodes // plane).tolist()})
    pad = _own_pad(design, problem, job, group)
    said = f"{net} is shut in at {pad.id}" if pad else f"{net} is shut in"
    narrow = _narrowest_on_the_way_out(design, problem, job, group)
    if narrow is not None:
        a, b, gap, wanted = narrow
        said += f": {_mm(gap)} between {_name(a)} and {_name(b)}, {_mm(wanted)} is wanted"
        said += f" ({_mm(job.neck_mm)} of track and the gaps)"
        rules = design.board.rules
        finest = (rules.min_width_nm + 2 * rules.min_clearance_nm) / 1e6
        if gap < finest:
            said += f", {_mm(finest)} the finest {rules.title or rules.name} makes"
    else:
        said += " by what lies round it and the edge"
    if len(problem.lattice.layers) > 1 and not has_via:
        wide = _mm(2 * problem.via_classes[job.via][0])
        said += f", and no via {wide} wide has room on the {', '.join(layers)}"
    return said


def _smallest(problem: Problem, job: NetJob) -> tuple[np.ndarray, np.ndarray, bool] | None:
    """Give the group of nodes that gets about least without reaching another, all it gets to, and whether by vias."""
    lat = problem.lattice
    shape = (len(lat.layers), lat.h, lat.w)
    full, neck = (np.isin(problem.held[k][:, 0], (0, job.number)) for k in (job.full, job.neck))
    near = np.zeros(lat.plane, dtype=bool)
    near[job.neck_cells] = True
    free = (full | (neck & np.tile(near, len(lat.layers)))).reshape(shape)
    free.reshape(-1)[job.terminal_nodes] = True
    labels = np.zeros(shape, dtype=np.int64)
    count = 0
    for k in range(shape[0]):
        found, n = label(free[k], structure=_EIGHT)
        labels[k] = np.where(found > 0, found + count, 0)
        count += n
    bored = (np.isin(problem.holed[job.via][:, 0], (0, job.number)) & (problem.via_barred == 0)).reshape(
        shape[1:]
    )
    pairs = [
        np.unique(np.stack([labels[a][both], labels[b][both]], axis=1), axis=0)
        for a in range(shape[0])
        for b in range(a)
        if (both := bored & free[a] & free[b]).any()
    ]
    links = np.concatenate(pairs) if pairs else np.zeros((0, 2), dtype=np.int64)
    graph = coo_array((np.ones(len(links), dtype=np.int8), links.T), shape=(count + 1, count + 1))
    _, whole = connected_components(graph, directed=False)
    regions = whole[labels].reshape(-1)
    mine = [set(regions[t].tolist()) for t in job.terminals]
    size = np.bincount(regions)
    alone = [
        (int(sum(size[list(regs)])), k)
        for k, regs in enumerate(mine)
        if all(not regs & other for n, other in enumerate(mine) if n != k)
    ]
    if not alone:
        return None
    group = job.terminals[min(alone)[1]]
    nodes = np.flatnonzero(np.isin(regions, list(mine[min(alone)[1]])))
    return group, nodes, bool((bored.reshape(-1)[nodes % lat.plane]).any())


def _narrowest_on_the_way_out(
    design: Design, problem: Problem, job: NetJob, group: np.ndarray
) -> tuple[CopperItem, CopperItem, float, float] | None:
    """Give the two pieces between which the widest way out is narrowest, the room there, and what is wanted.

    The widest way is that whose least distance to copper of other nets is greatest (a maximin path).
    """
    lat = problem.lattice
    layer, at = divmod(int(group[len(group) // 2]), lat.plane)
    y, x = divmod(at, lat.w)
    reach = int(WINDOW_MM / lat.pitch)
    x0, x1, y0, y1 = (
        max(0, x - reach),
        min(lat.w, x + reach + 1),
        max(0, y - reach),
        min(lat.h, y + reach + 1),
    )
    items = [i for i in copper_items(design) if i.net != job.name and lat.layers[layer] in i.layers]
    taken = np.zeros(lat.plane, dtype=bool)
    for item in items:
        row = np.array(shape_row(item))
        taken[kernel.cells_within(row, item.radius_mm, lat.x0, lat.y0, lat.pitch, lat.w, lat.h)] = True
    room = distance_transform_edt(~taken.reshape(lat.h, lat.w)[y0:y1, x0:x1])
    cell = _least_on_widest(room, (y - y0, x - x0))
    if cell is None:
        return None
    spot = shapely.Point(lat.x0 + (cell[1] + x0) * lat.pitch, lat.y0 + (cell[0] + y0) * lat.pitch)
    near = sorted(items, key=lambda i: i.spine.distance(spot) - i.radius_mm)[:NEAREST]
    best: tuple[CopperItem, CopperItem, float, float] | None = None
    for k, a in enumerate(near):
        for b in near[:k]:
            gap = float(a.spine.distance(b.spine)) - a.radius_mm - b.radius_mm
            wanted = job.neck_mm + _gap(design, job, a) + _gap(design, job, b)
            between = shapely.shortest_line(a.spine, b.spine).distance(spot) <= 2 * lat.pitch
            if between and 0 < gap < wanted + 1e-9 and (best is None or gap < best[2]):
                best = (a, b, gap, wanted)
    return best


def _least_on_widest(room: np.ndarray, start: tuple[int, int]) -> tuple[int, int] | None:
    """Give the cell with the least room on the way from a cell to the rim whose least room is greatest."""
    height, width = room.shape
    best = np.full(room.shape, -1.0)
    least: dict[tuple[int, int], tuple[int, int]] = {start: start}
    best[start] = math.inf
    heap = [(-math.inf, start)]
    while heap:
        wide, (j, i) = heapq.heappop(heap)
        if j in (0, height - 1) or i in (0, width - 1):
            return least[j, i] if (j, i) != start else None
        if -wide < best[j, i]:
            continue
        for dj, di in ((0, 1), (1, 0), (0, -1), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1)):
            other = j + dj, i + di
            here = min(-wide, float(room[other]))
            if here > best[other]:
                best[other] = here
                least[other] = least[j, i] if here == -wide else other
                heapq.heappush(heap, (-here, other))
    return None


def _gap(design: Design, job: NetJob, item: CopperItem) -> float:
    return max(
        job.clearance_mm,
        design.rule_of(item.net).clearance_nm / 1e6,
        design.board.rules.min_clearance_nm / 1e6,
    )


def _own_pad(design: Design, problem: Problem, job: NetJob, group: np.ndarray) -> CopperItem | None:
    lat = problem.lattice
    x, y = lat.xy(int(group[0] % lat.plane))
    pads = [i for i in copper_items(design) if i.net == job.name and i.kind == "pad"]
    return min(pads, key=lambda i: (i.x_mm - x) ** 2 + (i.y_mm - y) ** 2, default=None)


def _mm(value: float) -> str:
    return f"{value:.3f}".rstrip("0").rstrip(".") + " mm"


def _name(item: CopperItem | None) -> str:
    if item is None:
        return ""
    return item.id if item.kind == "pad" else f"a {item.kind} of {item.net}"
