"""Places for parts: for those that wait, and for all anew; what makes a place good is set up in ``floor``."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
import shapely
from scipy.spatial import cKDTree
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.analysis.score import Score, score
from vane_step.core.board.geometry.shapes import copper_items, courtyards, outline
from vane_step.core.board.geometry.sides import home_side
from vane_step.core.board.placement.cost_model import CELL_MM, EDGE, NEAR, Floor, floor
from vane_step.core.circuit.bypass import bypass_pairs, is_connector
from vane_step.core.design.edits import LayCopper, PlaceParts, Together, apply
from vane_step.core.design.model import Design, Net, PartPlace, Side, natural, split_pin
from vane_step.core.errors import EditRefused
from vane_step.core.quantity import nm

STEP_MM = 0.635
GAP_MM = 0.25
# About so many places are tried for a part that waits.
MOST_SPOTS = 7_000
# Moves tried for each part, and in all.
MOVES_EACH, MOVES_MOST = 40_000, 4_000_000
# Temperature at which what lies well is tidied, in mm of link.
WARM_MM = 2.0


@dataclass(frozen=True)
class Arrangement:
    """A proposal: the edit that makes it, what it is worth, and whether it began from the places there were."""

    edit: Together
    score: Score
    seed: int
    tidied: bool


def propose(
    design: Design,
    count: int = 3,
    *,
    seed: int = 1,
    effort: float = 1.0,
    tidy: bool | None = None,
    progress: Callable[[int, int], bool] | None = None,
) -> list[Arrangement]:
    """Arrange all parts that are not locked anew, several times, best first.

    Parameters
    ----------
    count : int
        How many arrangements to make; each has a seed of its own, counted from ``seed``.
    effort : float
        Moves tried, as a share of the usual.
    tidy : bool, optional
        Begin from the places there are (``True``) or from anywhere (``False``). Left out, the first begins from the
        places there are when no part waits, the others from anywhere.
    progress : callable, optional
        Hears how many are done of how many; returning ``False`` ends with what there is.

    Returns
    -------
    list of Arrangement
        Nothing in them overlaps, lies off the board or in the free zone of a hole. Their edits lift unlocked copper of
        nets whose parts moved. The same seed gives the same arrangements.

    Raises
    ------
    EditRefused
        When nothing may move, or a part finds no room.
    """
    if not len(floor(design).free):
        raise EditRefused(
            "No part may move.", where="board", next_step="Unlock a part, or add parts in the circuit."
        )
    placed = all(p.place for p in design.parts.values())
    if tidy and not placed:
        raise EditRefused("Parts without a place cannot be tidied.", where="board", next_step="Type: arrange")
    found = []
    refused: EditRefused | None = None
    for k in range(count):
        begin_here = placed and k == 0 if tidy is None else tidy
        try:
            found.append(_once(design, seed + k, effort, begin_here))
        except EditRefused as error:
            # Another seed may well find room.
            refused = error
        if progress and not progress(k + 1, count):
            break
    if refused and not found:
        raise refused
    return sorted(found, key=lambda a: a.score.worth)


def _once(design: Design, seed: int, effort: float, tidy: bool) -> Arrangement:
    ground = floor(design)
    _run(ground, seed, int(min(MOVES_MOST, MOVES_EACH * len(ground.free)) * effort), WARM_MM if tidy else 0.0)
    places = {
        ground.refs[i]: PartPlace(
            x_nm=nm(float(ground.x[i])),
            y_nm=nm(float(ground.y[i])),
            turn_deg=90 * int(ground.turn[i]),
            side="back" if ground.sides[i] == "back" else "front",
        )
        for i in ground.free
    }
    placed = apply(design, PlaceParts(places=places))[0]
    crowded = _crowded(placed, set(places))
    if crowded:
        sides = {r: p.side for r, p in places.items()}
        places |= _put_back(placed, crowded, sides)
    moved = {r for r, p in places.items() if p != design.parts[r].place}
    nets = {n.name for n in design.nets.values() if any(split_pin(p)[0] in moved for p in n.pins)}
    sections = (design.tracks, design.vias, design.jumpers)
    lift = tuple(
        k for s in sections for k, i in s.items() if i.net in nets and not getattr(i, "locked", False)
    )
    edits = (PlaceParts(places=places), *((LayCopper(lift=lift),) if lift else ()))
    edit = Together(edits=edits)
    return Arrangement(edit, score(apply(design, edit)[0]), seed, tidy)


def _put_back(placed: Design, crowded: list[str], sides: dict[str, Side]) -> dict[str, PartPlace]:
    """Find room for parts that overlap others: first for them alone, then for all that may move, largest first."""
    for waiting in (crowded, list(sides)):
        emptied = apply(placed, PlaceParts(places=dict.fromkeys(waiting)))[0]
        try:
            return {r: p for r, p in arrange(emptied, sides).places.items() if p is not None}
        except EditRefused as error:
            refused = error
    raise refused


def _run(ground: Floor, seed: int, moves: int, warm: float) -> None:
    # Here, since loading the compiler takes half a second that most commands have no use for.
    from vane_step.core.board.placement.anneal import anneal

    pins = ground.pins
    if not pins.part:
        return
    on: list[list[int]] = [[] for _ in ground.refs]
    for k, (_, members) in enumerate(pins.nets):
        for part in {pins.part[p] for p in members}:
            on[part].append(k)
    shy: list[list[tuple[int, float, float]]] = [[] for _ in ground.refs]
    for a, b, price, reach in ground.shy:
        shy[a].append((b, price, reach))
        shy[b].append((a, price, reach))
    shuns = [x for some in shy for x in some]
    anneal(
        ground.x,
        ground.y,
        ground.turn,
        ground.free,
        ground.boxes,
        ground.side_bits,
        ground.at_edge,
        np.cumsum([0, *map(len, on)]),
        np.array([k for nets in on for k in nets], dtype=np.int64),
        np.cumsum([0, *(len(m) for _, m in pins.nets)]),
        np.array([p for _, members in pins.nets for p in members], dtype=np.int64),
        np.array([price for price, _ in pins.nets], dtype=np.float64),
        np.array(pins.part, dtype=np.int64),
        np.array(pins.dx),
        np.array(pins.dy),
        ground.barred,
        ground.table_of,
        CELL_MM,
        ground.frame,
        ground.lattice,
        moves,
        seed,
        warm,
        np.cumsum([0, *map(len, shy)]),
        np.array([x[0] for x in shuns], dtype=np.int64),
        np.array([x[1] for x in shuns], dtype=np.float64),
        np.array([x[2] for x in shuns], dtype=np.float64),
    )


def _crowded(design: Design, movable: set[str]) -> list[str]:
    """List parts to be placed once more: the smaller of each two that overlap, and those off the board."""
    yards = courtyards(design)
    size = {r: y.area for r, y in yards.items()}
    board = outline(design).buffer(-design.board.rules.edge_clearance_nm / 1e6 - 0.05)
    holes = [
        shapely.Point(h.x_nm / 1e6, h.y_nm / 1e6).buffer(max(h.keepout_nm, h.drill_nm) / 1e6)
        for h in design.holes.values()
    ]
    bad = {r for r in movable if not board.covers(yards[r]) or any(h.intersects(yards[r]) for h in holes)}
    refs = list(yards)
    shapes = np.array([yards[r] for r in refs], dtype=object)
    a, b = STRtree(shapes).query(shapes, predicate="dwithin", distance=GAP_MM / 2)
    for i, j in zip(a[a < b], b[a < b], strict=True):
        pair = [r for r in (refs[i], refs[j]) if r in movable]
        if pair and not bad & set(pair):
            bad.add(min(pair, key=lambda r: (size[r], r)))
    return sorted(bad)


def arrange(design: Design, sides: Mapping[str, Side] | None = None) -> PlaceParts:
    """Propose places for all parts that have none.

    Largest courtyards go first. Each part takes the free place and quarter turn with the shortest links to the
    pins already placed, ground counting little; places are tried on a 0.635 mm lattice. Deterministic.

    Parameters
    ----------
    sides : mapping of str to Side, optional
        The side a part is to lie on; those not named go where their pads find copper, the front first.

    Raises
    ------
    EditRefused
        When every part has a place, or a part finds no room.
    """
    waiting = [p for p in design.parts.values() if p.place is None]
    if not waiting:
        raise EditRefused(
            "Every part has a place already.",
            where="board",
            next_step="Type: arrange all, to place them anew, or take some off first: place R1 off",
        )
    board = outline(design).buffer(-design.board.rules.edge_clearance_nm / 1e6 - 0.05)
    shapely.prepare(board)
    blocked: list[tuple[int, BaseGeometry]] = [
        (_bits(design, r), yard) for r, yard in courtyards(design).items()
    ]
    for hole in design.holes.values():
        reach = max(hole.keepout_nm, hole.drill_nm) / 1e6
        blocked.append((3, shapely.Point(hole.x_nm / 1e6, hole.y_nm / 1e6).buffer(reach)))
    pins = _placed_pins(design)
    lattices = [_lattice(board, step) for step in _steps(board)]
    places: dict[str, PartPlace | None] = {}
    size = {p.ref: _area(design.packages[p.package].courtyard_nm) for p in waiting}
    for part in sorted(waiting, key=lambda p: (-size[p.ref], natural(p.ref))):
        side = (sides or {}).get(part.ref) or home_side(design, part)
        bits = _bits(design, part.ref, side)
        here = [s for b, s in blocked if b & bits]
        tried = (_best_place(design, part.ref, side, board, here, pins, *lattice) for lattice in lattices)
        best = next((found for found in tried if found is not None), None)
        if best is None:
            wide, tall = (v / 1e6 for v in _sides_of(design.packages[part.package].courtyard_nm))
            raise EditRefused(
                f"There is no free place of {wide:g} x {tall:g} mm left for {part.ref} on the {side}.",
                where=part.ref,
                next_step="Place it by hand first and lock it, make room, put parts on the other side, or enlarge "
                "the outline.",
            )
        place, yard, spots = best
        places[part.ref] = place
        blocked.append((bits, yard))
        pins.update(spots)
    return PlaceParts(places=places)


def _bits(design: Design, ref: str, side: Side | None = None) -> int:
    """Give the sides on which a part takes room, a bit each: both where it has pins through the board."""
    part = design.parts[ref]
    if any(q.layers == "through" for q in design.packages[part.package].pads):
        return 3
    return 1 if (side or (part.place.side if part.place else "front")) == "front" else 2


def _sides_of(yard: tuple[int, int, int, int]) -> tuple[int, int]:
    return yard[2] - yard[0], yard[3] - yard[1]


def _area(yard: tuple[int, int, int, int]) -> float:
    return (yard[2] - yard[0]) * (yard[3] - yard[1]) / 1e12


def _steps(board: Polygon) -> list[float]:
    """Give the pitch of the lattice places are tried on, coarser on large boards, and the fine one for what is left."""
    x0, y0, x1, y1 = board.bounds
    coarse = STEP_MM * max(1, round(math.sqrt((x1 - x0) * (y1 - y0) / STEP_MM**2 / MOST_SPOTS)))
    return [coarse, STEP_MM] if coarse > STEP_MM else [STEP_MM]


def _lattice(board: Polygon, step: float) -> tuple[np.ndarray, np.ndarray]:
    """Give the points of a lattice (n x 2, mm) and how far each lies from the board's edge; -2 off the board."""
    x0, y0, x1, y1 = board.bounds
    xs = np.arange(math.ceil(x0 / step), math.floor(x1 / step) + 1) * step
    ys = np.arange(math.ceil(y0 / step), math.floor(y1 / step) + 1) * step
    spots = np.array([(x, y) for x in xs for y in ys]).reshape(-1, 2)
    points = shapely.points(spots)
    room = np.where(shapely.contains(board, points), shapely.distance(board.boundary, points), -2.0)
    return spots, room


def _placed_pins(design: Design) -> dict[str, tuple[float, float]]:
    return {i.id: (i.x_mm, i.y_mm) for i in copper_items(design) if i.kind == "pad"}


def _weight(net: Net) -> float:
    return 0.15 if net.role == "ground" or len(net.pins) > 12 else 0.5 if net.role == "supply" else 1.0


def _best_place(
    design: Design,
    ref: str,
    side: Side,
    board: Polygon,
    blocked: list[BaseGeometry],
    pins: dict[str, tuple[float, float]],
    lattice: np.ndarray,
    room: np.ndarray,
) -> tuple[PartPlace, Polygon, dict[str, tuple[float, float]]] | None:
    package = design.packages[design.parts[ref].package]
    yard = np.array(package.courtyard_nm) / 1e6
    # A part on the back is mirrored before it is turned.
    mirror = -1 if side == "back" else 1
    yard[[0, 2]] *= mirror
    offsets = {p.number: (mirror * p.x_nm / 1e6, p.y_nm / 1e6) for p in package.pads}
    boxes = shapely.bounds(np.array(blocked, dtype=object)).reshape(-1, 4)
    upright = np.array([b.area > 0.999999 * b.envelope.area for b in blocked], dtype=bool)
    # Upright boxes are judged by numbers alone.
    flat, tree = boxes[upright], STRtree([b for b, plain in zip(blocked, upright, strict=True) if not plain])
    wishes, connector = _wishes(design, ref), is_connector(design, design.parts[ref])
    middle = np.array(board.centroid.coords[0])
    best: tuple[float, int, int] | None = None
    for turn in (0, 90, 180, 270):
        c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[turn // 90]
        corners = np.array([(yard[a], yard[b]) for a, b in ((0, 1), (2, 3))])
        turned = np.column_stack(
            [corners[:, 0] * c - corners[:, 1] * s, corners[:, 0] * s + corners[:, 1] * c]
        )
        low, high = turned.min(axis=0) - GAP_MM / 2, turned.max(axis=0) + GAP_MM / 2
        free = _free(board, tree, flat, lattice, room, low, high)
        if not free.any():
            continue
        spots = lattice[free]
        cost = _link_cost(wishes, offsets, (c, s), pins, spots)
        if connector:
            rim = np.array(outline(design).bounds)
            cost += EDGE * np.minimum(spots + low - rim[:2], rim[2:] - spots - high).min(axis=1)
        cost += 0.02 * np.hypot(*(spots - middle).T)
        k = int(np.argmin(cost))
        if best is None or cost[k] < best[0] - 1e-9:
            best = (float(cost[k]), int(np.flatnonzero(free)[k]), turn)
    if best is None:
        return None
    _, k, turn = best
    place = PartPlace(x_nm=nm(float(lattice[k][0])), y_nm=nm(float(lattice[k][1])), turn_deg=turn, side=side)
    part = design.parts[ref].model_copy(update={"place": place})
    alone = design.replaced(parts={ref: part}, nets={}, tracks={}, vias={}, jumpers={}, holes={})
    return place, courtyards(alone)[ref], _placed_pins(alone)


def _free(
    board: Polygon,
    tree: STRtree,
    boxes: np.ndarray,
    lattice: np.ndarray,
    room: np.ndarray,
    low: np.ndarray,
    high: np.ndarray,
) -> np.ndarray:
    """Tell for each lattice point whether a frame about it lies on the board, off some boxes and the tree's shapes."""
    x0, y0, x1, y1 = board.bounds
    a, b = lattice + low, lattice + high
    free: np.ndarray = (a[:, 0] >= x0) & (a[:, 1] >= y0) & (b[:, 0] <= x1) & (b[:, 1] <= y1)
    for left, bottom, right, top in boxes:
        free &= ~((a[:, 0] < right) & (b[:, 0] > left) & (a[:, 1] < top) & (b[:, 1] > bottom))
    # What is farther from the edge than the frame's farthest corner lies as its middle does.
    near = np.flatnonzero(free & (room < np.hypot(*np.maximum(np.abs(low), np.abs(high)))))
    free &= room > -1
    on = shapely.covers(board, shapely.box(a[near, 0], a[near, 1], b[near, 0], b[near, 1]))
    free[near[~on]] = False
    some = np.flatnonzero(free)
    if len(tree.geometries):
        frames = shapely.box(a[some, 0], a[some, 1], b[some, 0], b[some, 1])
        free[some[tree.query(frames, predicate="intersects")[0]]] = False
    return free


@dataclass(frozen=True)
class _Wishes:
    """What each pin of a waiting part is drawn to: pins of its net with what a mm costs, and the pin it serves."""

    nets: list[tuple[str, float, list[str]]]
    serves: list[tuple[str, str]]


def _wishes(design: Design, ref: str) -> _Wishes:
    nets = []
    for net in design.nets.values():
        mine = [split_pin(p)[1] for p in net.pins if split_pin(p)[0] == ref]
        nets += [(number, _weight(net), [p for p in net.pins if split_pin(p)[0] != ref]) for number in mine]
    serves = [(split_pin(h)[1], pin) for h, pin in bypass_pairs(design) if split_pin(h)[0] == ref]
    return _Wishes(nets, serves)


def _link_cost(
    wishes: _Wishes,
    offsets: dict[str, tuple[float, float]],
    turn: tuple[int, int],
    pins: dict[str, tuple[float, float]],
    spots: np.ndarray,
) -> np.ndarray:
    """Give, for each of some spots (n x 2, mm), the weighted length from each pin to the nearest of its net."""
    c, s = turn
    cost = np.zeros(len(spots))
    for number, weight, others in wishes.nets:
        goals = [pins[p] for p in others if p in pins]
        if goals and number in offsets:
            x, y = offsets[number]
            gap, _ = cKDTree(goals).query(np.add(spots, (x * c - y * s, x * s + y * c)))
            cost += weight * gap
    for number, served in wishes.serves:
        if served in pins and number in offsets:
            x, y = offsets[number]
            cost += NEAR * np.hypot(*(np.add(spots, (x * c - y * s, x * s + y * c)) - pins[served]).T)
    return cost


def warm_up() -> None:
    """Compile or load the annealing by arranging two parts, so that nobody waits for it later."""
    yard = np.zeros((2, 4, 4))
    yard[:, :, :2], yard[:, :, 2:] = -1.0, 1.0
    ground = Floor(
        ["A", "B"],
        ["front", "front"],
        np.zeros(2),
        np.zeros(2),
        np.zeros(2, dtype=np.int64),
        np.arange(2, dtype=np.int64),
        yard,
        np.ones(2, dtype=np.int64),
        np.zeros(2),
        np.zeros((1, 42, 42)),
        np.zeros(2, dtype=np.int64),
        np.array([0.0, 0.0, 10.0, 10.0]),
        0.5,
    )
    pins = [ground.pins.add(part, 0.5, 0.0) for part in (0, 1)]
    ground.pins.nets.append((1.0, pins))
    _run(ground, 1, 400, 0.0)
