"""The problem of an arrangement as numbers: bodies, what they need in each state, the board and its links."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from vane_step.core.board.placement.bodies import STATES, Body
from vane_step.core.design.model import PartPlace


@dataclass
class Floor:
    """The annealing's problem; see :func:`anneal.anneal` for the arrays.

    ``shy`` lists two bodies that shun each other, what each mm too near costs, and how far apart they should be.
    """

    bodies: list[Body]
    x: np.ndarray
    y: np.ndarray
    state: np.ndarray
    free: np.ndarray
    boxes: np.ndarray
    bits: np.ndarray
    mouth: np.ndarray
    choices: np.ndarray
    standing: np.ndarray
    at_edge: np.ndarray
    bound: np.ndarray
    barred: np.ndarray
    table_of: np.ndarray
    frame: np.ndarray
    edges: np.ndarray
    lattice: float
    usable_mm2: float
    rooms: np.ndarray
    pins: Pins = field(default_factory=lambda: Pins())
    shy: list[tuple[int, int, float, float]] = field(default_factory=list)

    @property
    def refs(self) -> list[str]:
        """Names of all parts, body by body."""
        return [r for b in self.bodies for r in b.refs]

    def places(self, i: int) -> dict[str, PartPlace]:
        """Give the places of a body's parts as it lies now."""
        return dict(self.bodies[i].places(float(self.x[i]), float(self.y[i]), int(self.state[i])))

    def want_room(self, rooms: np.ndarray) -> None:
        """Let bodies want other room round them than now, in mm each; a mouth stays flush however much that is."""
        for i, body in enumerate(self.bodies):
            for state in body.states:
                keep = (0, 2, 1, 3)[self.mouth[i, state]] if self.mouth[i, state] >= 0 else -1
                for k, sign in enumerate((-1, -1, 1, 1)):
                    if k != keep:
                        self.boxes[i, state, k] += sign * (rooms[i] - self.rooms[i])
        self.rooms = rooms.copy()


@dataclass
class Pins:
    """Pins by number: each one's body and where it is in each state; and the nets, each with its price and its pins."""

    part: list[int] = field(default_factory=list)
    dx: list[tuple[float, ...]] = field(default_factory=list)
    dy: list[tuple[float, ...]] = field(default_factory=list)
    nets: list[tuple[float, list[int]]] = field(default_factory=list)

    def add(self, body: int, spots: Sequence[tuple[float, float]]) -> int:
        """Add a pin of a body, where it is from its origin in each state; gives its number."""
        self.part.append(body)
        self.dx.append(tuple(x for x, _ in spots))
        self.dy.append(tuple(y for _, y in spots))
        return len(self.part) - 1


def empty_floor(
    bodies: list[Body],
    free: int,
    *,
    frame: np.ndarray,
    edges: np.ndarray,
    barred: np.ndarray,
    table_of: np.ndarray,
    lattice: float,
    usable_mm2: float,
) -> Floor:
    """Give the problem of some bodies, the first ``free`` of which may move, before anything is known of them."""
    n = len(bodies)
    states = [(*b.states, *[-1] * (STATES - len(b.states))) for b in bodies]
    return Floor(
        bodies=bodies,
        x=np.zeros(n),
        y=np.zeros(n),
        state=np.zeros(n, dtype=np.int64),
        free=np.arange(free, dtype=np.int64),
        boxes=np.zeros((n, STATES, 4)),
        bits=np.ones((n, STATES), dtype=np.int64),
        mouth=np.full((n, STATES), -1, dtype=np.int64),
        choices=np.array(states, dtype=np.int64).reshape(-1, STATES),
        standing=np.zeros((n, STATES)),
        at_edge=np.zeros(n),
        bound=np.zeros(n, dtype=np.bool_),
        barred=barred,
        table_of=table_of,
        frame=frame,
        edges=edges,
        lattice=lattice,
        usable_mm2=usable_mm2,
        rooms=np.zeros(n),
    )
