"""The routing grid of a design: owner maps from exact shapes, and the terminals of every net; no search here."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vane_step.core.board.copper.connectivity import Connectivity, connectivity
from vane_step.core.board.drc.track_width import FAN_MM, bearing_layers, bears
from vane_step.core.board.drc.zones import nets_in
from vane_step.core.board.geometry.diff_pairs import sense_twins
from vane_step.core.board.geometry.necks import copper_rule
from vane_step.core.board.geometry.shapes import (
    CopperItem,
    bare_holes,
    edge_pads,
    zone_shape,
)
from vane_step.core.design.model import Design, Pour
from vane_step.core.route import kernel
from vane_step.core.route.barred import (
    EDGE_SAFETY_MM,
    off_edge,
    off_keepouts,
    off_zones,
    shape_row,
    via_barred,
    wires,
)
from vane_step.core.route.problem import (
    Lattice,
    NetJob,
    Problem,
    QuietZone,
    TrackClass,
    choose_lattice,
)

# The step off the last node that may be thin is thin too, and aslant the longest.
NECK_SAFETY_MM = 0.2


def build(
    design: Design,
    nets: set[str] | None = None,
    planes: Sequence[Pour] = (),
    quiet: bool = True,
    fine: bool = False,
) -> Problem:
    """Set the grid up for the open links of a design (of some nets only, when ``nets`` is given).

    The design must have no pours: they are filled round the tracks afterwards. ``planes`` are the pours that are kept
    free of other nets, and that the pads of their own net are to reach. The lattice is the ``fine`` one where asked.
    """
    lattice = choose_lattice(design, fine)
    joined = connectivity(design)
    open_nets = {link.net for link in joined.open_links}
    wanted = sorted(open_nets if nets is None else open_nets & nets)
    numbers = {name: i + 1 for i, name in enumerate(sorted({i.net for i in joined.items if i.net}))}
    zones = _quiet_zones(design) if quiet else []
    classes, via_classes, jobs = _classes(design, wanted, numbers, zones)
    kept = _planes(lattice, numbers, planes)
    problem = _paint(design, joined, lattice, numbers, classes, via_classes, kept, zones)
    mine: dict[str | None, list[tuple[CopperItem, int]]] = {}
    for item, label in zip(joined.items, joined.labels.tolist(), strict=True):
        mine.setdefault(item.net, []).append((item, label))
    on_edge = edge_pads(design)
    for job in jobs:
        _terminals(job, mine[job.name], lattice, kept, problem, on_edge)
    problem.jobs = jobs
    problem.pairs = [pair for pair in sense_twins(design) if set(pair) <= set(wanted)]
    return problem


def _planes(lattice: Lattice, numbers: dict[str, int], planes: Sequence[Pour]) -> dict[int, np.ndarray]:
    """Give for each layer with planes which net each cell is kept for; -1 where it is kept for none."""
    found: dict[int, np.ndarray] = {}
    for pour in sorted(planes, key=lambda p: p.priority):
        owner = found.setdefault(lattice.layers.index(pour.layer), np.full(lattice.plane, -1, dtype=np.int16))
        inside = np.zeros(lattice.plane, dtype=np.uint8)
        if pour.area:
            xs, ys = np.array([*pour.area, pour.area[0]], dtype=np.float64).T / 1e6
            kernel.fill_rows(inside, xs, ys, lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
        else:
            inside[:] = 1
        owner[inside == 1] = numbers.get(pour.net, -1)
    return found


def build_for(design: Design, net: str, planes: Sequence[Pour] = ()) -> Problem:
    """Set the grid up for one net, whose job has no terminals yet; the design must have no pours."""
    lattice = choose_lattice(design, fine=True)
    joined = connectivity(design)
    numbers = {name: i + 1 for i, name in enumerate(sorted({i.net for i in joined.items if i.net} | {net}))}
    classes, via_classes, jobs = _classes(design, [net], numbers, [])
    kept = _planes(lattice, numbers, planes)
    problem = _paint(design, joined, lattice, numbers, classes, via_classes, kept, [])
    problem.jobs = jobs
    jobs[0].neck_cells = _neck_cells(jobs[0], [i for i in joined.items if i.net == net], lattice)
    return problem


def _classes(
    design: Design, wanted: list[str], numbers: dict[str, int], zones: list[QuietZone]
) -> tuple[list[TrackClass], list[tuple[float, float]], list[NetJob]]:
    classes: dict[TrackClass, int] = {}
    via_classes: dict[tuple[float, float], int] = {}
    jobs = []
    rules = design.board.rules
    sizes = rules.jumper if design.board.copper_layers == 1 else None
    via_half = (sizes.pad_nm if sizes else rules.via_pad_nm) / 2e6
    for name in wanted:
        rule = copper_rule(design, name)
        gap = max(rule.clearance_nm, rules.min_clearance_nm) / 1e6
        width = max(rule.width_nm, rules.min_width_nm) / 1e6
        neck = min(width, max(rule.neck_width_nm or rule.width_nm, rules.min_width_nm) / 1e6)
        reach = (rule.neck_length_nm or 0) / 1e6 if neck < width else 0.0
        # A net kept to some layers has a class of its own, since near its pads it may run on the others too.
        own = "" if bearing_layers(design, rule) == design.board.layers else name
        off = tuple(k for k, (_, at_home) in enumerate(zones) if name not in at_home)
        full, thin = (classes.setdefault((half / 2, gap, own, off), len(classes)) for half in (width, neck))
        via = via_classes.setdefault((via_half, gap), len(via_classes))
        jobs.append(NetJob(numbers[name], name, full, thin, via, width, neck, gap, reach, [], []))
    return list(classes), list(via_classes), jobs


def _terminals(
    job: NetJob,
    copper: list[tuple[CopperItem, int]],
    lattice: Lattice,
    kept: dict[int, np.ndarray],
    problem: Problem,
    on_edge: frozenset[str],
) -> None:
    """Collect the groups of joined copper of a net, given with the label each is joined by, as node sets."""
    mine = [k for k, owner in kept.items() if (owner == job.number).any()]
    # Where the class of the net's full width is its own on a layer it has a plane on; of a plane too small or too
    # crowded for one, nothing leads anywhere.
    own = problem.held[job.full][:, 0].reshape(len(lattice.layers), lattice.plane)
    free = {
        k: np.flatnonzero((own[k] == job.number) & (kept[k] == job.number)) + k * lattice.plane for k in mine
    }
    mine = [k for k in mine if len(free[k])]
    groups: dict[int, list[CopperItem]] = {}
    for item, label in copper:
        groups.setdefault(label, []).append(item)
    job.neck_cells = _neck_cells(job, [item for item, _ in copper], lattice)
    for items in groups.values():
        if not any(i.kind == "pad" for i in items) or any(
            _reaches(i, k, kept[k], job, lattice) for i in items for k in mine
        ):
            continue
        # The nodes of one piece are in order and stand once.
        some = [nodes_of(i, lattice) for i in items]
        nodes = some[0] if len(some) == 1 else np.unique(np.concatenate(some))
        if any(i.id in on_edge for i in items):
            # A track may end only in the part of the pad that is far enough from the edge for it.
            inside = nodes[problem.held[job.full][nodes, 0] != -1]
            nodes = inside if len(inside) else nodes
        if len(nodes):
            job.terminals.append(nodes)
            centre = next(i for i in items if i.kind == "pad")
            job.spots.append((centre.x_mm, centre.y_mm))
    if mine:
        job.terminals.append(np.concatenate([free[k] for k in mine]))
        job.planed = True
    know_terminals(job, lattice)


def _neck_cells(job: NetJob, copper: list[CopperItem], lattice: Lattice) -> np.ndarray:
    """List the cells from which a net's neck reaches one of its pads."""
    if job.neck == job.full:
        return job.neck_cells
    near = np.zeros(lattice.plane, dtype=bool)
    frame = (lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
    for item in copper:
        if item.kind == "pad":
            # The end of a neck lies within the wide track it leaves.
            inside = (job.width_mm - job.neck_mm) / 2
            reach = item.radius_mm + job.neck_reach_mm + inside - NECK_SAFETY_MM
            near[kernel.cells_within(np.array(shape_row(item)), reach, *frame)] = True
    return np.flatnonzero(near)


def _reaches(item: CopperItem, layer: int, kept: np.ndarray, job: NetJob, lattice: Lattice) -> bool:
    """Tell whether a piece of copper of a net lies on one of its planes, by its middle."""
    if lattice.layers[layer] not in item.layers:
        return False
    x, y = round((item.x_mm - lattice.x0) / lattice.pitch), round((item.y_mm - lattice.y0) / lattice.pitch)
    return 0 <= x < lattice.w and 0 <= y < lattice.h and kept[y * lattice.w + x] == job.number


def know_terminals(job: NetJob, lattice: Lattice) -> None:
    """Work out what the search wants to know of the terminals of a job."""
    job.windows = []
    middles = np.zeros((len(job.terminals), 2))
    for k, nodes in enumerate(job.terminals):
        ys, xs = np.divmod(nodes % lattice.plane, lattice.w)
        job.windows.append((int(xs.min()), int(xs.max()), int(ys.min()), int(ys.max())))
        middles[k] = xs.mean(), ys.mean()
    d = np.abs(middles[:, None, :] - middles[None, :, :])
    job.apart = d.max(axis=2) + (math.sqrt(2) - 1) * d.min(axis=2)
    if job.terminals:
        job.outermost = int(np.argmax(job.apart.sum(axis=0)))
        job.terminal_nodes = np.unique(np.concatenate(job.terminals))


def nodes_of(item: CopperItem, lattice: Lattice) -> np.ndarray:
    """List the nodes where a track may end on a piece of copper: close to its middle line, inside its shape."""
    if item.spine.geom_type == "Polygon":
        a, b, c, d = item.spine.exterior.coords[:4]
        wide, tall = math.dist(a, b), math.dist(b, c)
        half = min(wide, tall) / 2
        along = (a, b, d, c) if wide >= tall else (b, c, a, d)
        ends = [((along[i][0] + along[i + 2][0]) / 2, (along[i][1] + along[i + 2][1]) / 2) for i in (0, 1)]
        length = math.dist(*ends)
        cut = min(half, length / 2) / length if length else 0.0
        (px, py), (qx, qy) = ends
        row = [
            2.0,
            px + (qx - px) * cut,
            py + (qy - py) * cut,
            qx - (qx - px) * cut,
            qy - (qy - py) * cut,
            0,
            0,
            0,
            0,
        ]
    else:
        row = shape_row(item)
        half = item.radius_mm
    reach = (
        max(lattice.pitch * 0.71, min(half * 0.5, half - 0.02))
        if item.kind != "track"
        else lattice.pitch * 0.71
    )
    cells = kernel.cells_within(
        np.array(row), reach, lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h
    )
    layers = [lattice.layers.index(x) for x in item.layers]
    return np.concatenate([cells + k * lattice.plane for k in layers]) if layers else cells


def _paint(
    design: Design,
    joined: Connectivity,
    lattice: Lattice,
    numbers: dict[str, int],
    classes: list[TrackClass],
    via_classes: list[tuple[float, float]],
    kept: dict[int, np.ndarray],
    zones: list[QuietZone],
) -> Problem:
    """Paint the owner maps of every class from the copper, holes and edge of the design."""
    rules = design.board.rules
    items = joined.items
    rows = np.array([shape_row(i) for i in items]).reshape(-1, 9)
    radius = np.array([i.radius_mm for i in items])
    least = rules.min_clearance_nm / 1e6
    gaps = np.array([max(least, design.rule_of(i.net).clearance_nm / 1e6) for i in items])
    owner = np.array([numbers.get(i.net or "", -1) for i in items], dtype=np.int16)
    on = [np.array([layer in i.layers for i in items], dtype=bool) for layer in lattice.layers]
    bare = bare_holes(design)
    bare_rows = np.array([[2.0, *h.ends_mm, 0, 0, 0, 0] for h in bare]).reshape(-1, 9)
    keep = np.array(
        [max(h.drill_mm / 2 + rules.hole_to_copper_nm / 1e6, _keepout(design, h.id)) for h in bare]
    )
    nobody = np.full(len(bare), -1, dtype=np.int16)
    frame = (lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
    half_step = lattice.pitch / 2

    def owners(half: float, gap: float, pick: np.ndarray, layer: int = -1) -> np.ndarray:
        plane = off_edge(design, lattice, half + rules.edge_clearance_nm / 1e6)
        if layer in kept:
            plane[plane == 0] = kept[layer][plane == 0]
        off_keepouts(design, lattice, half, plane)
        reach = radius[pick] + half + np.maximum(gap, gaps[pick])
        # Between two free nodes a straight step may come nearer to a corner than either node.
        kernel.paint_owner(plane, rows[pick], np.sqrt(reach**2 + half_step**2), owner[pick], *frame)
        if len(bare):
            kernel.paint_owner(plane, bare_rows, keep + half + EDGE_SAFETY_MM, nobody, *frame)
        # The outermost nodes are never entered, so that the search need not ask whether it leaves the grid.
        square = plane.reshape(lattice.h, lattice.w)
        square[0], square[-1], square[:, 0], square[:, -1] = -1, -1, -1, -1
        return plane

    def holders(planes: list[np.ndarray]) -> np.ndarray:
        owned = np.concatenate(planes)
        return np.ascontiguousarray(np.column_stack([owned, np.zeros_like(owned)]))

    held = []
    for half, gap, own, off in classes:
        planes = [owners(half, gap, pick, k) for k, pick in enumerate(on)]
        for plane in planes if off else ():
            off_zones(lattice, half, [zones[k][0] for k in off], plane)
        if own:
            _off_layers(design, own, items, lattice, planes)
        held.append(holders(planes))
    everything = np.ones(len(items), dtype=bool)
    holed = [holders([owners(half, gap, everything)]) for half, gap in via_classes]
    sizes = rules.jumper if design.board.copper_layers == 1 else None
    drill = (sizes.drill_nm if sizes else rules.via_drill_nm) / 1e6
    no_via = via_barred(design, items, rows, radius, lattice, drill)
    wire_barred, jump, wire_half = wires(design, lattice, no_via)
    return Problem(
        lattice,
        [],
        [(half, gap) for half, gap, *_ in classes],
        via_classes,
        np.stack(held),
        np.stack(holed),
        no_via,
        wire_barred,
        jump,
        wire_half,
        drill,
        rules.hole_to_hole_nm / 1e6,
    )


def _off_layers(
    design: Design, net: str, items: tuple[CopperItem, ...], lattice: Lattice, planes: list[np.ndarray]
) -> None:
    """Bar the layers a net is kept off, but for the surroundings of its pads where its tracks bear its current."""
    rule = design.rule_of(net)
    wanted = bearing_layers(design, rule)
    for layer, plane in zip(lattice.layers, planes, strict=True):
        if layer in wanted:
            continue
        near = np.zeros(lattice.plane, dtype=bool)
        for item in items if bears(design, rule, layer) else ():
            if item.net == net and item.kind == "pad" and layer in item.layers:
                row = np.array(shape_row(item))
                reach = item.radius_mm + FAN_MM - lattice.pitch
                frame = (lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
                near[kernel.cells_within(row, reach, *frame)] = True
        plane[(plane == 0) & ~near] = -1


def _keepout(design: Design, hole: str) -> float:
    return design.holes[hole].keepout_nm / 1e6 if hole in design.holes else 0.0


def _quiet_zones(design: Design) -> list[QuietZone]:
    shapes = (zone_shape(z) for z in design.board.zones if z.kind == "quiet")
    return [(shape, nets_in(design, shape)) for shape in shapes]
