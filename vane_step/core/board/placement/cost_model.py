"""What an arrangement is to weigh, as the numbers the annealing works on; the annealing itself is in ``anneal``."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vane_step.core.board.analysis.separation import shunning
from vane_step.core.board.geometry.shapes import courtyards, place_point
from vane_step.core.board.placement.bodies import STATES, Body, Member, is_through, mouth_side, needs, single
from vane_step.core.board.placement.floor import Floor, empty_floor
from vane_step.core.board.placement.ground import barred, barred_zones, straight_edges, usable
from vane_step.core.circuit.bypass import bypass_pairs, is_connector
from vane_step.core.design.model import Design, Net, Package, Part, PartPlace, split_pin

# Share of the board's area that parts may take up with the room between them; the room in mm.
FILL = 0.78
ROOM_MM = (0.0, 0.6)
# From this share of a side's area on, parts that may go to the other side too; what being there costs, in mm of link.
CROWDED, OTHER_SIDE = 0.7, 4.0
# Courtyards may touch; so that rounding never makes them overlap they stay apart by so much, in mm.
HAIR_MM = 0.001
# What a mm costs: ground and wide rails join pours; a bypass part belongs to its pin, a crystal to its pins.
NEAR, CRYSTAL, TOGETHER, EDGE = 10.0, 6.0, 0.25, 10.0
# What a millimetre of a net's span costs: switching nets radiate, sense nets pick up, wide ones take room and heat.
ROLE_PRICES = {"supply": 0.4, "switching": 3.0, "sense": 1.5, "high-current": 2.0}
MOST_CURRENT_A = 6.0
WIDE_NET = 12
# Supplies between so few parts are links of a chain from the source to its rail; what a mm of one costs.
CHAIN_PARTS, CHAIN = 3, 1.5


def floor(
    design: Design,
    movable: set[str] | None = None,
    *,
    groups: Sequence[Body] = (),
    both_sides: bool = False,
    room: float = 1.0,
) -> Floor:
    """Set up what the annealing weighs.

    Parameters
    ----------
    movable : set of str, optional
        Parts that may move; all that are not locked when left out. Parts without a net that are on the board, such
        as mounting holes, stay. Parts that stay count with the upright box round them, however they are turned.
    groups : sequence of Body
        Groups of parts that keep their places to each other.
    both_sides : bool
        Whether parts may go to the side they are not on.
    room : float
        Share of the room between parts the board has to spare that is asked for.
    """
    grouped = {r for g in groups for r in g.refs}
    free = [*groups]
    free += [
        single(design, p, both_sides)
        for r, p in design.parts.items()
        if r not in grouped and moves(design, p, movable)
    ]
    moved = {r for b in free for r in b.refs}
    yards = courtyards(design)
    stay = [r for r in yards if r not in moved]
    bodies = free + [
        Body((Member(r, design.parts[r].place or PartPlace(x_nm=0, y_nm=0)),), (0,)) for r in stay
    ]
    board = usable(design)
    frame = np.array(board.bounds)
    sets, table_of = barred_zones(design, bodies)
    drilled = sum(1 for b in free for r in b.refs if is_through(_package(design, r)))
    found = empty_floor(
        bodies,
        len(free),
        frame=frame,
        edges=straight_edges(board),
        barred=np.array([barred(design, board, frame, some) for some in sets]),
        table_of=table_of,
        lattice=0.635 if 2 * drilled > len(moved) else 0.5,
        usable_mm2=board.area,
    )
    _begin(design, found)
    for i, body in enumerate(free):
        found.bound[i] = (
            len(found.edges) > 0 and len(body.members) == 1 and bool(_mouth(design, body.refs[0]))
        )
    _boxes(design, found, room)
    for bound in np.flatnonzero(found.bound):
        _to_nearest_edge(found, int(bound))
    _nets(design, found)
    number = {r: i for i, b in enumerate(bodies) for r in b.refs}
    found.shy = [
        (number[a], number[b], price, reach)
        for a, b, price, reach in shunning(design)
        if a in number and b in number and number[a] != number[b]
    ]
    return found


def _package(design: Design, ref: str) -> Package:
    return design.packages[design.parts[ref].package]


def moves(design: Design, part: Part, movable: set[str] | None = None) -> bool:
    """Tell whether a part may be put elsewhere: it is not locked, has a net, and is one of those named."""
    if part.place and (
        part.place.locked or not any(design.net_of(f"{part.ref}.{p.number}") for p in part.pins)
    ):
        return False
    return movable is None or part.ref in movable


def _begin(design: Design, found: Floor) -> None:
    """Put every body where it lies, those that wait into the middle, each in the state it is in."""
    middle = (found.frame[:2] + found.frame[2:]) / 2
    for i, body in enumerate(found.bodies):
        first = design.parts[body.members[0].ref].place
        if i >= len(found.free):
            # What stays has its place within the body.
            continue
        if first is None:
            found.x[i], found.y[i], found.state[i] = middle[0], middle[1], body.states[0]
            continue
        flipped = first.side != body.members[0].place.side
        turn = round((first.turn_deg - body.members[0].place.turn_deg) / 90) % 4
        state = turn + (4 if flipped else 0)
        found.state[i] = state if state in body.states else body.states[0]
        offset = next(iter(body.places(0.0, 0.0, int(found.state[i]))))[1]
        found.x[i], found.y[i] = (first.x_nm - offset.x_nm) / 1e6, (first.y_nm - offset.y_nm) / 1e6


def _boxes(design: Design, found: Floor, share: float) -> None:
    """Give every body its courtyards and the room round it that the board has to spare, more where pins are many."""
    for i, body in enumerate(found.bodies):
        for state in body.states:
            box, bits, mouth = needs(design, body, state, bool(found.bound[i]))
            found.boxes[i, state], found.bits[i, state], found.mouth[i, state] = box, bits, mouth
    plain = found.boxes[np.arange(len(found.bodies)), found.choices[:, 0]]
    pins = np.array([sum(len(_package(design, r).pads) for r in b.refs) for b in found.bodies])
    grow = np.clip(np.sqrt(pins / 8), 0.5, 1.5)
    sides = 2.0 if any(len(b.states) > 4 for b in found.bodies) else 1.0
    low, high = ROOM_MM
    for _ in range(30):
        room = (low + high) / 2
        wide, tall = plain[:, 2:].T - plain[:, :2].T + 2 * room * grow
        low, high = (
            (room, high) if float((wide * tall).sum()) < FILL * found.usable_mm2 * sides else (low, room)
        )
    found.want_room(np.maximum(low * share * grow, HAIR_MM / 2))
    for i, body in enumerate(found.bodies):
        other = [s for s in body.states if s // 4 != body.states[0] // 4]
        found.standing[i, other] = OTHER_SIDE
        if i < len(found.free) and any(_belongs(design, r) for r in body.refs):
            found.at_edge[i] = EDGE


def _to_nearest_edge(found: Floor, i: int) -> None:
    """Put a body bound to the edge on the nearest one its mouth may look over; one too long for all is set free."""
    best: tuple[float, float, float, int] | None = None
    for way, where, start, end in found.edges:
        for state in found.bodies[i].states:
            box = found.boxes[i, state]
            axis = 1 if way < 2 else 0
            low, high = start - box[axis], end - box[axis + 2]
            if found.mouth[i, state] != way or low > high:
                continue
            along = min(max((found.x, found.y)[axis][i], low), high)
            level = where - box[int((0, 2, 1, 3)[int(way)])]
            x, y = (level, along) if axis == 1 else (along, level)
            far = math.hypot(x - found.x[i], y - found.y[i])
            if best is None or far < best[0]:
                best = (far, x, y, state)
    if best is None:
        found.bound[i] = False
    else:
        _, found.x[i], found.y[i], found.state[i] = best


def _mouth(design: Design, ref: str) -> str:
    return mouth_side(design, design.parts[ref])[0]


def _belongs(design: Design, ref: str) -> bool:
    return is_connector(design, design.parts[ref]) or bool(_mouth(design, ref))


def _nets(design: Design, found: Floor) -> None:
    pin_at: dict[str, int] = {}
    body_of: dict[str, int] = {}
    for i, body in enumerate(found.bodies):
        seen: dict[str, dict[int, tuple[float, float]]] = {}
        for state in body.states:
            for ref, place in body.places(0.0, 0.0, state):
                body_of[ref] = i
                for pad in _package(design, ref).pads:
                    x, y = place_point(place, pad.x_nm, pad.y_nm)
                    seen.setdefault(f"{ref}.{pad.number}", {}).setdefault(state, (x / 1e6, y / 1e6))
        for name, spots in seen.items():
            pin_at[name] = found.pins.add(i, [spots.get(s, (0.0, 0.0)) for s in range(STATES)])
    for net in design.nets.values():
        pins = [pin_at[p] for p in net.pins if p in pin_at]
        price = _price(design, net)
        if price and len(pins) > 1:
            found.pins.nets.append((price, pins))
    for a, b in bypass_pairs(design):
        if a in pin_at and b in pin_at:
            found.pins.nets.append((NEAR, [pin_at[a], pin_at[b]]))
    blocks: dict[str, list[int]] = {}
    for ref, i in body_of.items():
        if design.parts[ref].block:
            blocks.setdefault(design.parts[ref].block, []).append(found.pins.add(i, [(0.0, 0.0)] * STATES))
    found.pins.nets += [(TOGETHER * len(p), p) for p in blocks.values() if len(p) > 1]


def _price(design: Design, net: Net) -> float:
    planes = any(p.net == net.name and p.plane and not p.area for p in design.pours.values())
    if net.role == "ground" or len(net.pins) > WIDE_NET or planes:
        return 0.0
    if any(
        design.parts[split_pin(p)[0]].kind == "crystal" or split_pin(p)[0].startswith("Y") for p in net.pins
    ):
        return CRYSTAL
    parts = {split_pin(p)[0] for p in net.pins}
    if net.role == "supply" and len(parts) <= CHAIN_PARTS:
        # A supply on its way: plug to fuse, fuse to diode, diode to regulator.
        return CHAIN
    current = net.rule.current.current_a if net.rule and net.rule.current else 0.0
    return ROLE_PRICES.get(net.role, 1.0) * (1 + min(current, MOST_CURRENT_A) / 2)
