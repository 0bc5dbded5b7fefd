"""What the arranging moves: parts, or groups of parts that keep their places to each other; what that costs is in
``cost_model``.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from vane_step.core.board.geometry.mouth import QUARTERS, flush_mm, guessed_mouth, mouth_at, mouth_of
from vane_step.core.board.geometry.sides import home_side, sides_with_copper
from vane_step.core.circuit.bypass import is_connector
from vane_step.core.design.model import Design, Package, Part, PartPlace, Side
from vane_step.core.quantity import nm

# States of a body: quarter turns on the front, then the same on the back.
STATES = 8
ORIGIN = PartPlace(x_nm=0, y_nm=0)
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Member:
    """A part of a body, and where it lies when the body lies at the origin in its first state."""

    ref: str
    place: PartPlace = ORIGIN


@dataclass(frozen=True)
class Body:
    """What is moved as one, and the states it may take; a group of several parts is only turned."""

    members: tuple[Member, ...]
    states: tuple[int, ...]

    @property
    def refs(self) -> tuple[str, ...]:
        """Names of its parts."""
        return tuple(m.ref for m in self.members)

    def places(self, x_mm: float, y_mm: float, state: int) -> Iterator[tuple[str, PartPlace]]:
        """Give the place of each of its parts."""
        c, s = QUARTERS[state % 4]
        for member in self.members:
            was = member.place
            side: Side = "back" if (state >= 4) != (was.side == "back") else "front"
            # A body on the back is mirrored first, what its parts are in it too.
            dx = -was.x_nm if state >= 4 else was.x_nm
            yield (
                member.ref,
                PartPlace(
                    x_nm=nm(x_mm) + dx * c - was.y_nm * s,
                    y_nm=nm(y_mm) + dx * s + was.y_nm * c,
                    turn_deg=((-was.turn_deg if state >= 4 else was.turn_deg) + 90 * (state % 4)) % 360,
                    side=side,
                ),
            )


def single(design: Design, part: Part, both_sides: bool) -> Body:
    """Give a part as a body of its own.

    Parameters
    ----------
    both_sides : bool
        Whether it may leave its side where its pads find copper on the other; what has pins through the board,
        belongs to the edge or is plugged into stays on its side in any case.
    """
    package = design.packages[part.package]
    home = home_side(design, part)
    sides: tuple[Side, ...] = (home,)
    stays = is_through(package) or is_connector(design, part) or mouth_side(design, part)[0]
    if both_sides and not stays:
        sides = tuple(sorted(sides_with_copper(design, package), key=lambda s: s != home))
    states = tuple(t + (4 if side == "back" else 0) for side in sides for t in range(4))
    return Body((Member(part.ref),), states)


def is_through(package: Package) -> bool:
    """Tell whether a package has holes through the board, and so takes room on both sides."""
    return any(p.layers == "through" for p in package.pads)


def mouth_side(design: Design, part: Part) -> tuple[str, float]:
    """Give the side of a part that belongs to the board's edge, and how far it stands over it; empty without one."""
    package = design.packages[part.package]
    side, over = mouth_of(package)
    if not side and is_connector(design, part):
        side = guessed_mouth(package)
    return side, over


def yard_in(place: PartPlace, box_nm: tuple[float, float, float, float]) -> Box:
    """Give the upright box, in mm, round a box of a package that lies at a place, turned by quarters or not."""
    angle = np.radians(place.turn_deg)
    c, s = np.cos(angle), np.sin(angle)
    mirror = -1 if place.side == "back" else 1
    corners = np.array([(x * mirror, y) for x in box_nm[::2] for y in box_nm[1::2]])
    turned = corners @ np.array([[c, s], [-s, c]]) + (place.x_nm, place.y_nm)
    (x0, y0), (x1, y1) = turned.min(axis=0) / 1e6, turned.max(axis=0) / 1e6
    return round(x0, 6), round(y0, 6), round(x1, 6), round(y1, 6)


def needs(design: Design, body: Body, state: int, bound: bool) -> tuple[Box, int, int]:
    """Tell what a body needs in a state.

    Parameters
    ----------
    bound : bool
        Whether it lies on the board's edge in any case: at its mouth it then ends where the board's copper may begin
        when the mouth is flush.

    Returns
    -------
    box : tuple of float
        Its courtyards from its origin, in mm.
    sides : int
        A bit for each side it takes up.
    mouth : int
        Number of the edge its mouth looks to, see ``EDGES``; -1 without one.
    """
    boxes, sides = [], 0
    for ref, place in body.places(0.0, 0.0, state):
        package = design.packages[design.parts[ref].package]
        boxes.append(yard_in(place, package.courtyard_nm))
        sides |= 3 if is_through(package) else 1 if place.side == "front" else 2
    low, high = np.array(boxes)[:, :2].min(axis=0), np.array(boxes)[:, 2:].max(axis=0)
    box = [low[0], low[1], high[0], high[1]]
    edge = -1
    if bound:
        part = design.parts[body.members[0].ref]
        side, over = mouth_side(design, part)
        if side:
            gap = design.board.rules.edge_clearance_nm / 1e6
            out = flush_mm(design.packages[part.package], side, over, gap) - gap
            edge = ("left", "right", "bottom", "top").index(mouth_at(side, state % 4, state >= 4))
            box[(0, 2, 1, 3)[edge]] = (-out, out, -out, out)[edge]
    return (box[0], box[1], box[2], box[3]), sides, edge
