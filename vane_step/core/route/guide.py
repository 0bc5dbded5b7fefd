"""One legal way from here to there among copper that stays where it is, for a person who lays a track by hand.

Bargaining for ways among nets is in ``negotiate``; here nothing but the asked net moves.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely.geometry import Point

from vane_step.core.board.geometry.lettering import in_copper
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.edits import LayCopper, net_of
from vane_step.core.design.model import Design, Layer
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.route.buckets import NECK
from vane_step.core.route.connection_search import NO_LIMIT, ConnectionSearch
from vane_step.core.route.draw import draw
from vane_step.core.route.grid import build_for, know_terminals, nodes_of
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.path import Routed, make_path
from vane_step.core.route.problem import MAX_CELLS
from vane_step.core.route.straighten import straighten

# A pointer this near to copper of the net means that copper.
GRIP_MM = 0.15
# A way under the pointer is looked for no farther than this much longer than straight: who waits sees no way round.
FARTHEST, DETOUR_MM = 2.0, 60.0


@dataclass(frozen=True)
class Spot:
    """A place on one layer of the board, in millimetres."""

    layer: Layer
    x_mm: float
    y_mm: float


class Guide:
    """Finds ways for one net on a board that does not change meanwhile.

    Parameters
    ----------
    design : Design
        The board; pours do not count, they give way.
    net : str
        The net to lay.
    without : sequence of str
        Ids of copper to leave out, such as a track that is being dragged.

    Raises
    ------
    NotFound
        When there is no such net.
    EditRefused
        When the board is too large for the grid.

    Notes
    -----
    Ways run on the routing grid and keep the net's width, gap and necks, so what they give passes the exact check;
    it is shortest by the router's prices. Setting up takes as long as painting one net's grid, a way milliseconds.
    """

    def __init__(self, design: Design, net: str, without: Sequence[str] = ()) -> None:
        net_of(design, net)
        gone = set(without)
        kept = {
            s: {k: v for k, v in getattr(design, s).items() if k not in gone}
            for s in ("tracks", "vias", "jumpers")
        }
        self.design = design.replaced(pours={}, texts=in_copper(design), **kept)
        self.problem = build_for(self.design, net, [p for p in design.pours.values() if p.plane])
        lat = self.problem.lattice
        if lat.plane * len(lat.layers) > MAX_CELLS:
            raise EditRefused(
                "The board is too large for its grid.",
                where="board",
                value=f"{lat.w} x {lat.h}",
                allowed=f"{MAX_CELLS} grid nodes",
            )
        self.problem.jump[0] = 0
        self.finder = ConnectionSearch(Occupancy(self.problem))
        self.no_vias = np.ones_like(self.finder.via_barred)
        self.some_vias = self.finder.via_barred
        self.mine = [i for i in copper_items(self.design) if i.net == net]
        self.net = net

    def way(self, start: Spot, goal: Spot, vias: bool = False) -> LayCopper | None:
        """Give the copper of the shortest legal way between two spots, None when there is none.

        A spot on copper of the net begins or ends in that copper; any other at the grid point next to it. Without
        vias, only ways are found that are no longer than twice the straight one and 60 mm.

        Parameters
        ----------
        vias : bool
            Whether the way may change layers.
        """
        return self.between(self._terminal(start), self._terminal(goal), vias)

    def past(self, start: Spot, through: Spot, goal: Spot) -> LayCopper | None:
        """Give a legal way between two spots that is led to a third, or as near to it as needs no way back."""
        first = self._nodes(self._terminal(start), self._terminal(through), False)
        if first is None:
            return None
        second = self._nodes(first[0][-1:], self._terminal(goal), False)
        if second is None:
            return None
        nodes = np.concatenate([first[0], second[0][1:]])
        how = np.concatenate([first[1], second[1][1:]])
        # What the second leg comes back to of the first is left out, with all that lies between.
        seen: dict[int, int] = {}
        kept: list[int] = []
        for k, node in enumerate(nodes.tolist()):
            if node in seen:
                for gone in kept[seen[node] + 1 :]:
                    del seen[int(nodes[gone])]
                del kept[seen[node] + 1 :]
            else:
                seen[node] = len(kept)
                kept.append(k)
        return self._drawn(nodes[kept], how[kept]) if len(kept) > 1 else LayCopper()

    def between(self, start: np.ndarray, goal: np.ndarray, vias: bool) -> LayCopper | None:
        """Give the copper of the shortest legal way between two sets of grid nodes, from the first on, or None."""
        found = self._nodes(start, goal, vias)
        if found is None:
            return None
        return self._drawn(*found) if len(found[0]) > 1 else LayCopper()

    def _nodes(self, start: np.ndarray, goal: np.ndarray, vias: bool) -> tuple[np.ndarray, np.ndarray] | None:
        """Give the nodes of the shortest way and how each is reached from the one before."""
        job, lat = self.problem.jobs[0], self.problem.lattice
        if not len(start) or not len(goal):
            return None
        shared = np.intersect1d(start, goal)
        if len(shared):
            return shared[:1], np.zeros(1, dtype=np.int64)
        job.terminals = [start, goal]
        know_terminals(job, lat)
        job.terminal_nodes = np.unique(np.concatenate(job.terminals))
        self.finder.via_barred = self.some_vias if vias else self.no_vias
        most = NO_LIMIT if vias else FARTHEST * float(job.apart[0, 1]) + DETOUR_MM / lat.pitch
        found = self.finder.route_net(Routed(job), hard=True, most=most)
        if found.failed:
            return None
        nodes, how = found.paths[0].nodes, found.paths[0].how
        if nodes[0] not in start:
            # The search goes from whichever end is easier; the hand goes from start to goal. That a place is passed
            # as a neck stays with the place, how it is reached belongs to the step, which is now the one before.
            steps = np.concatenate([how[:1] * 0, how[:0:-1]])
            nodes, how = nodes[::-1], (how[::-1] & NECK) | (steps & ~NECK)
        return nodes, how

    def _drawn(self, nodes: np.ndarray, how: np.ndarray) -> LayCopper:
        job = self.problem.jobs[0]
        rough = make_path(self.problem, job, nodes, how, (0, 1))
        straight, reached = straighten(self.problem, Routed(job, [rough]))[0]
        return draw(
            self.problem,
            [Routed(job, [make_path(self.problem, job, straight, reached, (0, 1))])],
            self.design,
        )

    def of_pin(self, pin: str) -> np.ndarray:
        """Give the grid nodes of a pad of the net.

        Raises
        ------
        InputError
            When the pad is not on the board or belongs to another net.
        """
        pads = [i for i in self.mine if i.kind == "pad" and i.id == pin]
        if not pads:
            raise InputError(
                f"{pin} is no pad of {self.net} on the board.",
                where=pin,
                next_step="Give it a place, or join it.",
            )
        nodes: np.ndarray = np.unique(np.concatenate([nodes_of(i, self.problem.lattice) for i in pads]))
        return nodes

    def _terminal(self, spot: Spot) -> np.ndarray:
        lat = self.problem.lattice
        if spot.layer not in lat.layers:
            raise InputError(
                f"The board has no layer {spot.layer}.",
                where="way",
                value=spot.layer,
                allowed=", ".join(lat.layers),
            )
        at, layer = Point(spot.x_mm, spot.y_mm), lat.layers.index(spot.layer)
        near = [
            (i.spine.distance(at) - i.radius_mm, k) for k, i in enumerate(self.mine) if spot.layer in i.layers
        ]
        if near and min(near)[0] <= GRIP_MM:
            # Through copper such as a via is entered on the layer the hand is on.
            grip = self.mine[min(near)[1]]
            nodes: np.ndarray = nodes_of(grip, lat)
            nodes = nodes[nodes // lat.plane == layer]
            if len(nodes) and grip.kind == "track":
                # On a track the hand means one place, not any.
                ys, xs = np.divmod(nodes % lat.plane, lat.w)
                off = np.hypot(lat.x0 + xs * lat.pitch - spot.x_mm, lat.y0 + ys * lat.pitch - spot.y_mm)
                nodes = nodes[[int(np.argmin(off))]]
            return nodes
        x, y = round((spot.x_mm - lat.x0) / lat.pitch), round((spot.y_mm - lat.y0) / lat.pitch)
        if not (0 < x < lat.w - 1 and 0 < y < lat.h - 1):
            return np.zeros(0, dtype=np.int64)
        node, job = layer * lat.plane + y * lat.w + x, self.problem.jobs[0]
        free = self.problem.held[job.full][node, 0] in (0, job.number)
        return np.array([node] if free else [], dtype=np.int64)


def link(design: Design, a: str, b: str) -> LayCopper:
    """Lay one link between two pins of a net, among copper that stays where it is.

    Raises
    ------
    InputError
        When the pins are not on the board, or not on one net.
    EditRefused
        When there is no legal way.
    """
    net = design.net_of(a)
    if net is None or net != design.net_of(b):
        raise InputError(
            f"{a} and {b} are not on one net.", where=f"{a} {b}", next_step=f"Type: join {a} {b} NET"
        )
    guide = Guide(design, net)
    found = guide.between(guide.of_pin(a), guide.of_pin(b), vias=len(design.board.layers) > 1)
    if found is None:
        raise EditRefused(
            f"There is no way from {a} to {b} past the copper and parts that are there.",
            where=net,
            next_step=f"Type: route {net}, which may move other tracks aside, or unroute what is in the way.",
        )
    return found
