"""The plain ways that measurements are held against: no rip-up, no index, no journal; the program uses none of it."""

from __future__ import annotations

import numpy as np
import shapely

from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.edits import Edit, LayCopper, apply
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Design
from vane_step.core.route.connection_search import ConnectionSearch
from vane_step.core.route.draw import draw
from vane_step.core.route.grid import build
from vane_step.core.route.occupancy import Occupancy
from vane_step.core.route.path import Routed


def sequential_route(design: Design) -> tuple[Design, int]:
    """Route net after net by A* on the same grid, shortest net first, never taking anything back.

    Returns
    -------
    tuple of Design and int
        The routed design and the number of links that found no way.
    """
    lifted = apply(design, LayCopper(lift=(*design.tracks, *design.vias, *design.jumpers)))[0].replaced(
        pours={}, texts={}
    )
    problem = build(lifted)
    occupancy = Occupancy(problem)
    finder = ConnectionSearch(occupancy)
    routed = []
    for job in sorted(problem.jobs, key=lambda j: (float(np.ptp(np.array(j.spots), axis=0).sum()), j.name)):
        routed.append(finder.route_net(Routed(job), hard=True))
        occupancy.hold(routed[-1])
    return apply(lifted, draw(problem, routed, lifted))[0], sum(r.failed for r in routed)


def all_pairs_gaps(design: Design) -> int:
    """Count gaps below the rule by comparing every piece of copper with every other, without an index."""
    items = copper_items(design)
    spines = np.array([i.spine for i in items], dtype=object)
    radius = np.array([i.radius_mm for i in items])
    need = np.array(
        [max(design.rule_of(i.net).clearance_nm, design.board.rules.min_clearance_nm) / 1e6 for i in items]
    )
    found = 0
    for k, item in enumerate(items):
        gap = shapely.distance(item.spine, spines[k + 1 :]) - item.radius_mm - radius[k + 1 :]
        close = gap < np.maximum(need[k], need[k + 1 :]) - 1e-6
        for other in (items[k + 1 + j] for j in np.flatnonzero(close)):
            if (other.net != item.net or item.net is None) and set(other.layers) & set(item.layers):
                found += 1
    return found


def whole_file_edit(text: str, edit: Edit) -> str:
    """Change a design by reading and writing its whole file, as a program without a journal does."""
    return to_json(apply(from_json(text), edit)[0])
