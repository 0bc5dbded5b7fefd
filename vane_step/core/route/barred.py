"""Where no net may go on the grid, and where no via and no wire: edge, zones, holes, pads and bodies."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.board.geometry.paste_windows import OFF_NM, apart_nm, is_thermal
from vane_step.core.board.geometry.shapes import (
    CopperItem,
    courtyards,
    holes,
    keepouts,
    outline,
    package_point,
)
from vane_step.core.design.ballgrid import grid_of
from vane_step.core.design.model import Design, split_pin
from vane_step.core.route import kernel
from vane_step.core.route.problem import WIRE_COST_MM, Lattice

EDGE_SAFETY_MM = 0.002
# How far off the middle of a pad as wide as its drill a via may lie.
IN_PAD_MM = 0.01


def shape_row(item: CopperItem) -> list[float]:
    """Give a spine as a row for the compiled distance: a segment or a quad."""
    points = (
        list(item.spine.exterior.coords[:4]) if item.spine.geom_type == "Polygon" else list(item.spine.coords)
    )
    if len(points) == 1:
        points = points * 2
    flat = [v for p in points for v in p[:2]]
    return [float(len(points)), *flat, *([0.0] * (8 - len(flat)))]


def off_edge(design: Design, lattice: Lattice, distance: float) -> np.ndarray:
    """Give a plane that is 0 inside the outline shrunk by ``distance`` and -1 outside and in cut-outs."""
    shrunk = outline(design).buffer(-(distance + EDGE_SAFETY_MM), join_style="mitre")
    inside = np.zeros(lattice.plane, dtype=np.uint8)
    for ring in shrunk.geoms if isinstance(shrunk, shapely.MultiPolygon) else [shrunk]:
        if not ring.is_empty:
            xs, ys = np.array(ring.exterior.coords).T
            kernel.fill_rows(inside, xs, ys, lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
            for cutout in ring.interiors:
                within = np.zeros(lattice.plane, dtype=np.uint8)
                xs, ys = np.array(cutout.coords).T
                kernel.fill_rows(within, xs, ys, lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
                inside[within == 1] = 0
    return np.where(inside == 1, 0, -1).astype(np.int16)


def off_keepouts(design: Design, lattice: Lattice, half: float, plane: np.ndarray) -> None:
    """Bar the nodes from which copper of a half width would reach into a zone that is to stay free."""
    off_zones(lattice, half, list(keepouts(design).values()), plane)


def off_zones(lattice: Lattice, half: float, zones: list[Polygon], plane: np.ndarray) -> None:
    """Bar the nodes from which copper of a half width would reach into some zones."""
    for zone in zones:
        ring = zone.buffer(half + EDGE_SAFETY_MM, quad_segs=4).exterior
        inside = np.zeros(lattice.plane, dtype=np.uint8)
        xs, ys = np.array(ring.coords).T
        kernel.fill_rows(inside, xs, ys, lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
        plane[inside == 1] = -1


def via_barred(
    design: Design,
    items: tuple[CopperItem, ...],
    rows: np.ndarray,
    radius: np.ndarray,
    lattice: Lattice,
    drill: float,
) -> np.ndarray:
    """Bar drilled holes too near to others, and vias that touch a surface pad, whose solder would run away."""
    barred = np.zeros(lattice.plane, dtype=np.int16)
    gap = design.board.rules.hole_to_hole_nm / 1e6
    frame = (lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
    flat = np.array([i.kind == "pad" and not i.drill_mm for i in items], dtype=bool)
    if flat.any():
        rules = design.board.rules
        reach = radius[flat] + (rules.via_pad_nm / 2 + max(0, rules.mask_margin_nm)) / 1e6
        kernel.paint_owner(barred, rows[flat], reach, np.full(int(flat.sum()), -1, dtype=np.int16), *frame)
        for item in _filled(design, items):
            off = max(item.radius_mm - drill / 2, 0.0) + IN_PAD_MM
            barred[kernel.cells_within(np.array(shape_row(item)), off, *frame)] = 0
        _between_panes(design, items, lattice, barred, drill)
    drilled = holes(design)
    if drilled:
        spots = np.array([[2.0, *h.ends_mm, 0, 0, 0, 0] for h in drilled])
        reach = np.array([h.drill_mm / 2 + drill / 2 + gap + EDGE_SAFETY_MM for h in drilled])
        kernel.paint_owner(barred, spots, reach, np.full(len(drilled), -1, dtype=np.int16), *frame)
    return barred


def _between_panes(
    design: Design, items: tuple[CopperItem, ...], lattice: Lattice, barred: np.ndarray, drill: float
) -> None:
    """Let vias lie in thermal pads where their holes lie between the panes of paste."""
    frame = (lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
    thermal = {
        (name, pad.number): (pack, pad)
        for name, pack in design.packages.items()
        for pad in pack.pads
        if is_thermal(pack, pad)
    }
    for item in items if thermal else ():
        ref, number = split_pin(item.id)
        part = design.parts.get(ref)
        found = thermal.get((part.package, number)) if part and item.kind == "pad" else None
        if part is None or part.place is None or found is None:
            continue
        for cell in kernel.cells_within(np.array(shape_row(item)), item.radius_mm, *frame).tolist():
            x, y = package_point(part.place, *(v * 1e6 for v in lattice.xy(cell)))
            if apart_nm(*found, x, y) >= drill * 5e5 - OFF_NM:
                barred[cell] = 0


def _filled(design: Design, items: tuple[CopperItem, ...]) -> list[CopperItem]:
    """List the pads of ball grids that vias may lie in, since the maker fills them and there is no room beside."""
    rules = design.board.rules
    open_to = {
        name: grid for name, p in design.packages.items() if (grid := grid_of(p)) and grid.filled(rules)
    }
    found = []
    for item in items if open_to else ():
        ref, number = split_pin(item.id)
        part = design.parts.get(ref)
        if item.kind == "pad" and part and part.package in open_to and number in open_to[part.package].pads:
            found.append(item)
    return found


def wires(design: Design, lattice: Lattice, via_barred: np.ndarray) -> tuple[np.ndarray, np.ndarray, float]:
    """Prepare wire jumpers for a one-layer board: they keep off part bodies, holes and the edge."""
    sizes = design.board.rules.jumper
    wire_barred = np.zeros(lattice.plane, dtype=np.int16)
    if design.board.copper_layers != 1 or sizes is None:
        return wire_barred, np.zeros(4, dtype=np.int64), 0.0
    half = sizes.wire_nm / 2e6
    wire_barred = off_edge(design, lattice, half)
    frame = (lattice.x0, lattice.y0, lattice.pitch, lattice.w, lattice.h)
    yards = [y for ref, y in courtyards(design).items() if design.parts[ref].place.side == "front"]  # type: ignore[union-attr]
    if yards:
        rows = np.array([[4.0, *[v for p in y.exterior.coords[:4] for v in p]] for y in yards])
        nobody = np.full(len(yards), -1, dtype=np.int16)
        kernel.paint_owner(wire_barred, rows, np.full(len(yards), half + EDGE_SAFETY_MM), nobody, *frame)
        kernel.paint_owner(via_barred, rows, np.full(len(yards), half + EDGE_SAFETY_MM), nobody, *frame)
    for jumper in design.jumpers.values():
        row = np.array([[2.0, *[v / 1e6 for p in (jumper.a, jumper.b) for v in p], 0, 0, 0, 0]])
        kernel.paint_owner(
            wire_barred, row, np.array([2 * half + 0.5]), np.array([-1], dtype=np.int16), *frame
        )
    step = 8
    low = math.ceil(sizes.min_length_nm / 1e6 / lattice.pitch / step) * step
    high = int(sizes.max_length_nm / 1e6 / lattice.pitch)
    price = WIRE_COST_MM / lattice.pitch
    return wire_barred, np.array([step, low, high, int(price)], dtype=np.int64), half
