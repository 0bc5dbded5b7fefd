"""Puts parts that have no place on the board; moving parts that lie well is left to the user."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.strtree import STRtree

from vane_step.core.board.geometry import copper_items, courtyards, outline
from vane_step.core.design.edits import PlaceParts
from vane_step.core.design.model import Design, Net, PartPlace, natural, split_pin
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm

STEP_MM = 0.635
GAP_MM = 0.25


def arrange(design: Design) -> PlaceParts:
    """Propose places for all parts that have none.

    Largest courtyards go first. Each part takes the free place and quarter turn with the shortest links to the
    pins already placed, ground counting little; places are tried on a 0.635 mm lattice. Deterministic.

    Raises
    ------
    EditRefused
        When every part has a place, or a part finds no room.
    """
    waiting = [p for p in design.parts.values() if p.place is None]
    if not waiting:
        raise EditRefused("Every part has a place already.", where="board", next_step="Take parts off the board first.")
    board = outline(design).buffer(-design.board.rules.edge_clearance_nm / 1e6 - 0.05)
    blocked: list[Polygon] = [*courtyards(design).values()]
    for hole in design.holes.values():
        blocked.append(
            shapely.Point(hole.x_nm / 1e6, hole.y_nm / 1e6).buffer(max(hole.keepout_nm, hole.drill_nm) / 1e6)
        )
    pins = _placed_pins(design)
    lattice = _lattice(board)
    places: dict[str, PartPlace | None] = {}
    size = {p.ref: _area(design.packages[p.package].courtyard_nm) for p in waiting}
    for part in sorted(waiting, key=lambda p: (-size[p.ref], natural(p.ref))):
        best = _best_place(design, part.ref, board, blocked, pins, lattice)
        if best is None:
            raise EditRefused(
                f"There is no room left for {part.ref}.", where=part.ref, next_step="Enlarge the outline."
            )
        place, yard, spots = best
        places[part.ref] = place
        blocked.append(yard)
        pins.update(spots)
    return PlaceParts(places=places)


def _area(yard: tuple[int, int, int, int]) -> float:
    return (yard[2] - yard[0]) * (yard[3] - yard[1]) / 1e12


def _lattice(board: Polygon) -> np.ndarray:
    x0, y0, x1, y1 = board.bounds
    xs = np.arange(math.ceil(x0 / STEP_MM), math.floor(x1 / STEP_MM) + 1) * STEP_MM
    ys = np.arange(math.ceil(y0 / STEP_MM), math.floor(y1 / STEP_MM) + 1) * STEP_MM
    return np.array([(x, y) for x in xs for y in ys])


def _placed_pins(design: Design) -> dict[str, tuple[float, float]]:
    return {i.id: (i.x_mm, i.y_mm) for i in copper_items(design) if i.kind == "pad"}


def _weight(net: Net) -> float:
    return 0.15 if net.role == "ground" or len(net.pins) > 12 else 0.5 if net.role == "supply" else 1.0


def _best_place(
    design: Design,
    ref: str,
    board: Polygon,
    blocked: list[Polygon],
    pins: dict[str, tuple[float, float]],
    lattice: np.ndarray,
) -> tuple[PartPlace, Polygon, dict[str, tuple[float, float]]] | None:
    package = design.packages[design.parts[ref].package]
    yard = np.array(package.courtyard_nm) / 1e6
    offsets = {p.number: (p.x_nm / 1e6, p.y_nm / 1e6) for p in package.pads}
    tree = STRtree(blocked)
    middle = np.array(board.centroid.coords[0])
    best: tuple[float, int, int] | None = None
    for turn in (0, 90, 180, 270):
        c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[turn // 90]
        corners = np.array([(yard[a], yard[b]) for a, b in ((0, 1), (2, 3))])
        turned = np.column_stack([corners[:, 0] * c - corners[:, 1] * s, corners[:, 0] * s + corners[:, 1] * c])
        low, high = turned.min(axis=0) - GAP_MM / 2, turned.max(axis=0) + GAP_MM / 2
        frames = shapely.box(
            lattice[:, 0] + low[0], lattice[:, 1] + low[1], lattice[:, 0] + high[0], lattice[:, 1] + high[1]
        )
        free = shapely.covers(board, frames)
        if blocked:
            hit, _ = tree.query(frames, predicate="intersects")
            free[hit] = False
        if not free.any():
            continue
        cost = _link_cost(design, ref, offsets, (c, s), pins, lattice)
        cost += 0.02 * np.hypot(*(lattice - middle).T)
        cost[~free] = np.inf
        k = int(np.argmin(cost))
        if best is None or cost[k] < best[0] - 1e-9:
            best = (float(cost[k]), k, turn)
    if best is None:
        return None
    _, k, turn = best
    place = PartPlace(x_nm=nm(float(lattice[k][0])), y_nm=nm(float(lattice[k][1])), turn_deg=turn)
    part = design.parts[ref].model_copy(update={"place": place})
    alone = design.replaced(parts={ref: part}, nets={}, tracks={}, vias={}, jumpers={}, holes={})
    return place, courtyards(alone)[ref], _placed_pins(alone)


def _link_cost(
    design: Design, ref: str, offsets: dict[str, tuple[float, float]], turn: tuple[int, int],
    pins: dict[str, tuple[float, float]], lattice: np.ndarray,
) -> np.ndarray:  # fmt: skip
    """Give, for each lattice point, the weighted length from each pin to the nearest placed pin of its net."""
    c, s = turn
    cost = np.zeros(len(lattice))
    for net in design.nets.values():
        mine = [split_pin(p)[1] for p in net.pins if split_pin(p)[0] == ref]
        others = np.array([pins[p] for p in net.pins if p in pins])
        if not mine or not len(others):
            continue
        for number in mine:
            if number in offsets:
                x, y = offsets[number]
                at = np.add(lattice, (x * c - y * s, x * s + y * c))
                gap = np.hypot(at[:, None, 0] - others[None, :, 0], at[:, None, 1] - others[None, :, 1]).min(axis=1)
                cost += _weight(net) * gap
    return cost
