"""What an arrangement is to weigh, as the numbers the annealing works on; the annealing itself is in ``anneal``."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import shapely

from vane_step.core.board.analysis.separation import loud_parts, shunning
from vane_step.core.board.geometry.shapes import outline, place_point, zone_shape
from vane_step.core.board.geometry.sides import home_side
from vane_step.core.circuit.bypass import bypass_pairs, is_connector
from vane_step.core.design.model import Design, Net, Part, PartPlace, Zone, split_pin
from vane_step.core.quantity import nm

CELL_MM = 0.25
# Share of the board's area that parts may take up with the room between them; the room in mm.
FILL = 0.78
ROOM_MM = (0.25, 3.0)
# What a mm costs: ground and wide rails join pours; a bypass part belongs to its pin, a crystal to its pins.
NEAR, CRYSTAL, TOGETHER, EDGE = 10.0, 3.0, 0.25, 10.0
# What a millimetre of a net's span costs: switching nets radiate, sense nets pick up, wide ones take room and heat.
ROLE_PRICES = {"supply": 0.4, "switching": 3.0, "sense": 1.5, "high-current": 2.0}
MOST_CURRENT_A = 6.0
WIDE_NET = 12
TURNS: tuple[tuple[int, int], ...] = ((1, 0), (0, 1), (-1, 0), (0, -1))


@dataclass
class Floor:
    """The annealing's problem; see :func:`anneal.anneal` for the arrays.

    ``shy`` lists two parts that shun each other, what each mm too near costs, and how far apart they should be.
    """

    refs: list[str]
    sides: list[str]
    x: np.ndarray
    y: np.ndarray
    turn: np.ndarray
    free: np.ndarray
    boxes: np.ndarray
    side_bits: np.ndarray
    at_edge: np.ndarray
    barred: np.ndarray
    table_of: np.ndarray
    frame: np.ndarray
    lattice: float
    pins: _Pins = field(default_factory=lambda: _Pins())
    shy: list[tuple[int, int, float, float]] = field(default_factory=list)


@dataclass
class _Pins:
    part: list[int] = field(default_factory=list)
    dx: list[tuple[float, ...]] = field(default_factory=list)
    dy: list[tuple[float, ...]] = field(default_factory=list)
    nets: list[tuple[float, list[int]]] = field(default_factory=list)

    def add(self, part: int, x_mm: float, y_mm: float) -> int:
        """Add a pin of a part, as far from its origin as it is unturned; gives its number."""
        self.part.append(part)
        self.dx.append(tuple(x_mm * c - y_mm * s for c, s in TURNS))
        self.dy.append(tuple(x_mm * s + y_mm * c for c, s in TURNS))
        return len(self.part) - 1


def floor(design: Design, movable: set[str] | None = None) -> Floor:
    """Set up what the annealing weighs.

    Parameters
    ----------
    movable : set of str, optional
        Parts that may move; all that are not locked when left out. Parts without a net that are on the board, such
        as mounting holes, stay. Parts that stay count as they lie, to the nearest quarter turn.
    """
    refs = [r for r, p in design.parts.items() if p.place is not None or _moves(design, p, movable)]
    number = {ref: i for i, ref in enumerate(refs)}
    parts = [design.parts[r] for r in refs]
    n = len(refs)
    x0, y0, x1, y1 = outline(design).bounds
    frame = np.array([x0, y0, x1, y1])
    middle = PartPlace(x_nm=nm((x0 + x1) / 2), y_nm=nm((y0 + y1) / 2))
    places = [p.place or middle for p in parts]
    drilled = sum(1 for p in parts for q in design.packages[p.package].pads if q.layers == "through")
    surface = sum(1 for p in parts for q in design.packages[p.package].pads if q.layers != "through")
    sets, which = _barred_zones(design, parts)
    found = Floor(
        refs,
        # What stays counts on the side where it lies, what moves goes to one where its pads find copper.
        [
            home_side(design, p) if _moves(design, p, movable) else q.side
            for p, q in zip(parts, places, strict=True)
        ],
        np.array([p.x_nm / 1e6 for p in places]),
        np.array([p.y_nm / 1e6 for p in places]),
        np.array([round(p.turn_deg / 90) % 4 for p in places], dtype=np.int64),
        np.array([i for i, p in enumerate(parts) if _moves(design, p, movable)], dtype=np.int64),
        np.zeros((n, 4, 4)),
        np.zeros(n, dtype=np.int64),
        np.zeros(n),
        np.array([_barred(design, frame, some) for some in sets]),
        which,
        frame,
        0.635 if drilled > surface else 0.5,
    )
    for i, part in enumerate(parts):
        through = any(q.layers == "through" for q in design.packages[part.package].pads)
        found.side_bits[i] = 3 if through else 1 if found.sides[i] == "front" else 2
        found.at_edge[i] = EDGE if is_connector(design, part) else 0.0
    _boxes(design, parts, found)
    _nets(design, number, found)
    found.shy = [
        (number[a], number[b], price, reach)
        for a, b, price, reach in shunning(design)
        if {a, b} <= set(number)
    ]
    return found


def _moves(design: Design, part: Part, movable: set[str] | None) -> bool:
    if part.place and (
        part.place.locked or not any(design.net_of(f"{part.ref}.{p.number}") for p in part.pins)
    ):
        return False
    return movable is None or part.ref in movable


def _barred_zones(design: Design, parts: list[Part]) -> tuple[list[tuple[Zone, ...]], np.ndarray]:
    """Give the sets of zones that bar some part, and which of them bars each: for all, for tall, and for loud parts."""
    loud = loud_parts(design)
    sets: dict[tuple[Zone, ...], int] = {}
    which = []
    for part in parts:
        tall = design.packages[part.package].height_nm
        bars = tuple(
            z
            for z in design.board.zones
            if z.kind in ("hand", "clear")
            or (z.kind == "low" and tall > z.tall_nm)
            or (z.kind == "quiet" and part.ref in loud)
        )
        which.append(sets.setdefault(bars, len(sets)))
    return list(sets), np.array(which, dtype=np.int64)


def _barred(design: Design, frame: np.ndarray, zones: tuple[Zone, ...]) -> np.ndarray:
    """Give the summed area table of cells off the board, too near its edge, or kept free by holes and zones."""
    gap = design.board.rules.edge_clearance_nm / 1e6
    board = outline(design).buffer(-gap, join_style="mitre")
    for hole in design.holes.values():
        reach = max(hole.keepout_nm, hole.drill_nm) / 1e6
        board = board.difference(shapely.Point(hole.x_nm / 1e6, hole.y_nm / 1e6).buffer(reach))
    for zone in zones:
        board = board.difference(zone_shape(zone))
    columns = math.ceil((frame[2] - frame[0]) / CELL_MM) + 1
    rows = math.ceil((frame[3] - frame[1]) / CELL_MM) + 1
    xs, ys = np.meshgrid(
        frame[0] + (np.arange(columns) + 0.5) * CELL_MM, frame[1] + (np.arange(rows) + 0.5) * CELL_MM
    )
    shapely.prepare(board)
    off = ~shapely.contains_xy(board, xs, ys)
    table = np.zeros((rows + 1, columns + 1))
    table[1:, 1:] = off.cumsum(axis=0).cumsum(axis=1)
    return table


def _boxes(design: Design, parts: list[Part], found: Floor) -> None:
    """Give every part its courtyard and the room round it that the board has to spare, more where pins are many."""
    yards = np.array([design.packages[p.package].courtyard_nm for p in parts]) / 1e6
    pins = np.clip(np.sqrt([len(design.packages[p.package].pads) / 8 for p in parts]), 0.5, 1.5)
    board = outline(design).area * (
        2.0 if design.board.copper_layers > 1 and len(set(found.sides)) > 1 else 1.0
    )
    low, high = ROOM_MM[0], ROOM_MM[1]
    for _ in range(30):
        room = (low + high) / 2
        wide, tall = yards[:, 2] - yards[:, 0] + 2 * room * pins, yards[:, 3] - yards[:, 1] + 2 * room * pins
        low, high = (room, high) if float((wide * tall).sum()) < FILL * board else (low, room)
    rooms = np.maximum(ROOM_MM[0] / 2, low * pins)
    for i, (x0, y0, x1, y1) in enumerate(yards):
        if found.sides[i] == "back":
            x0, x1 = -x1, -x0
        corners = np.array([(x0, y0), (x1, y1)])
        for t, (c, s) in enumerate(TURNS):
            turned = np.column_stack(
                [corners[:, 0] * c - corners[:, 1] * s, corners[:, 0] * s + corners[:, 1] * c]
            )
            found.boxes[i, t] = [*(turned.min(axis=0) - rooms[i]), *(turned.max(axis=0) + rooms[i])]


def _nets(design: Design, number: dict[str, int], found: Floor) -> None:
    pin_at: dict[str, int] = {}
    for ref, i in number.items():
        part = design.parts[ref]
        flat = PartPlace(x_nm=0, y_nm=0, side="back" if found.sides[i] == "back" else "front")
        for pad in design.packages[part.package].pads:
            x, y = place_point(flat, pad.x_nm, pad.y_nm)
            pin_at.setdefault(f"{ref}.{pad.number}", found.pins.add(i, x / 1e6, y / 1e6))
    for net in design.nets.values():
        pins = [pin_at[p] for p in net.pins if p in pin_at]
        price = _price(design, net)
        if price and len(pins) > 1:
            found.pins.nets.append((price, pins))
    for a, b in bypass_pairs(design):
        if a in pin_at and b in pin_at:
            found.pins.nets.append((NEAR, [pin_at[a], pin_at[b]]))
    blocks: dict[str, list[int]] = {}
    for ref, i in number.items():
        if design.parts[ref].block:
            blocks.setdefault(design.parts[ref].block, []).append(found.pins.add(i, 0.0, 0.0))
    found.pins.nets += [(TOGETHER * len(p), p) for p in blocks.values() if len(p) > 1]


def _price(design: Design, net: Net) -> float:
    planes = any(p.net == net.name and p.plane and not p.area for p in design.pours.values())
    if net.role == "ground" or len(net.pins) > WIDE_NET or planes:
        return 0.0
    if any(
        design.parts[split_pin(p)[0]].kind == "crystal" or split_pin(p)[0].startswith("Y") for p in net.pins
    ):
        return CRYSTAL
    current = net.rule.current.current_a if net.rule and net.rule.current else 0.0
    return ROLE_PRICES.get(net.role, 1.0) * (1 + min(current, MOST_CURRENT_A) / 2)
