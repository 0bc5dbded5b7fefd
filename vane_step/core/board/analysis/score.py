"""What a board is worth in numbers, so that arrangements and layouts can be compared; no limit is held against here."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from vane_step.core.board.analysis.current_loops import loops
from vane_step.core.board.analysis.separation import too_near
from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.board.copper.figures import figures, steps_of
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.track_heat import hottest
from vane_step.core.board.geometry.bypass_distance import nearest_bypass
from vane_step.core.board.geometry.filled_vias import filled_vias
from vane_step.core.board.geometry.shapes import copper_items, courtyards, outline
from vane_step.core.circuit.bypass import is_connector
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design
from vane_step.core.design.operation import OPERATION
from vane_step.core.order.board_price import Step, price_step

# What a crossing of two straight links costs, in mm: about a pair of vias.
CROSSING_MM = 6.0
NEAR_MM = 3.0
# What a bypass part farther than that costs, in mm: nobody orders a board for shorter links with one.
FAR_MM = 40.0


@dataclass(frozen=True)
class Score:
    """How good an arrangement is.

    Parameters
    ----------
    link_mm
        Length of the straight links of all nets but grounds, each net as its shortest tree.
    crossings
        Crossings among them.
    bypass_mm
        The farthest any supply pin is from the bypass part nearest to it, copper to copper.
    bypass_far
        Bypass parts farther than 3 mm.
    edge_mm
        The farthest any connector is from the board's edge.
    """

    link_mm: float
    crossings: int
    bypass_mm: float
    bypass_far: int
    edge_mm: float

    @property
    def worth(self) -> float:
        """Take all together, in mm of link; less is better."""
        return self.link_mm + CROSSING_MM * self.crossings + FAR_MM * self.bypass_far + 4.0 * self.edge_mm


@derived("parts", "packages", "nets", "board", "holes")
def score(design: Design) -> Score:
    """Work out what the arrangement of a board is worth, whatever copper is laid on it."""
    bare = design.replaced(tracks={}, vias={}, jumpers={}, pours={}, texts={})
    grounds = {n.name for n in design.nets.values() if n.role == "ground"}
    links = [k for k in connectivity(bare).open_links if k.net not in grounds]
    a, b = np.array([k.a_mm for k in links]).reshape(-1, 2), np.array([k.b_mm for k in links]).reshape(-1, 2)
    names = np.array([k.net for k in links])
    far = [n.gap_mm for n in nearest_bypass(design)]
    edge = outline(design).exterior
    yards = courtyards(design)
    edges = [
        float(edge.distance(yards[r]))
        for r, p in design.parts.items()
        if r in yards and is_connector(design, p)
    ]
    return Score(
        float(np.hypot(*(a - b).T).sum()) if len(links) else 0.0,
        crossings(a, b, names),
        max(far, default=0.0),
        sum(1 for d in far if d > NEAR_MM),
        max(edges, default=0.0),
    )


def crossings(a: np.ndarray, b: np.ndarray, names: np.ndarray) -> int:
    """Count the crossings among straight links of different nets.

    Parameters
    ----------
    a, b : float64 arrays, n x 2
        Their ends; ``names`` their nets. Links that only touch at an end do not cross.
    """
    if len(a) < 2:
        return 0

    def side(p: np.ndarray, q: np.ndarray, r: np.ndarray) -> np.ndarray:
        ahead, aside = q - p, r - p
        turn: np.ndarray = np.sign(ahead[..., 0] * aside[..., 1] - ahead[..., 1] * aside[..., 0])
        return turn

    p, q, r, s = a[:, None], b[:, None], a[None, :], b[None, :]
    over = (side(p, q, r) * side(p, q, s) < 0) & (side(r, s, p) * side(r, s, q) < 0)
    return int(np.triu(over & (names[:, None] != names[None, :]), 1).sum())


@dataclass(frozen=True)
class Figure:
    """One line of the scoreboard; ``digits`` after the point are worth showing, and less is better."""

    name: str
    value: float
    unit: str = ""
    note: str = ""
    digits: int = 0


@derived(*COPPER, *OPERATION)
def scoreboard(design: Design) -> tuple[Figure, ...]:
    """Give the figures a layout is judged by, most pressing first."""
    numbers = figures(design)
    worth = score(design)
    stops = sum(
        1 for f in check(design).findings if f.level == "stop" and f.code not in ("unrouted", "not-placed")
    )
    found = [
        Figure("unrouted", numbers["links_open"], f"of {numbers['links_total']}"),
        Figure("breaches", stops),
        Figure("wire jumpers", numbers["jumpers"])
        if design.board.copper_layers == 1
        else Figure("vias", numbers["vias"]),
        Figure("track length", numbers["track_length_mm"], "mm", _against_the_tree(design, numbers)),
        Figure("crossings", worth.crossings, "times", "as straight lines, grounds left out"),
    ]
    if worth.bypass_mm:
        farthest = max(nearest_bypass(design), key=lambda n: n.gap_mm)
        far = f"{worth.bypass_far} over {NEAR_MM:g} mm" if worth.bypass_far else f"all within {NEAR_MM:g} mm"
        far = f"{farthest.pin.id} to {farthest.part.id.partition('.')[0]}; {far}"
        found.append(Figure("farthest bypass part", worth.bypass_mm, "mm", far, 1))
    stages = [x for x in loops(design) if x.kind == "switching"]
    if stages:
        worst = max(stages, key=lambda x: x.area_mm2)
        found.append(
            Figure(
                "switching loop", worst.area_mm2, "mm²", f"{' and '.join(worst.refs)}, hull of its pads", 1
            )
        )
    if shy := too_near(design):
        one, other, gap, wanted = shy[0]
        note = f"for heat or noise: {one} and {other} lie {gap:.1f} mm apart, {wanted:g} would do"
        found.append(Figure("parts too near", len(shy), "pair" if len(shy) == 1 else "pairs", note))
    if hot := hottest(design):
        found.append(
            Figure("hottest track", hot[1], "K", f"{hot[0]}, above its surroundings, by IPC-2221", 1)
        )
    found.append(Figure("board area", outline(design).area / 100, "cm²", digits=1))
    if step := price_step(design, outline(design).bounds, fills=bool(filled_vias(design))):
        found.append(Figure("bare board", step.each, "€", _step_says(step), 2))
    return tuple(found)


def _step_says(step: Step) -> str:
    """Tell what a price is for, and how far the board is from the next cheaper step."""
    w, h = step.now.width_nm / 1e6, step.now.height_nm / 1e6
    says = f"each of {step.now.boards}, up to {w:g} x {h:g} mm"
    if step.fill:
        says += f", {step.fill:.2f} € of the order for filling vias in pads"
    if step.below is None:
        return says
    less = " and ".join(
        f"{mm:.1f} mm {way}" for mm, way in zip(step.over_mm, ("across", "up"), strict=True) if mm > 0
    )
    return f"{says}; less {less} it is {(step.below.price + step.fill) / step.below.boards:.2f} €"


def tree_mm(design: Design, without: Collection[str] = ()) -> float:
    """Give the length of the shortest octilinear tree over the pads of each net, some nets left out, in millimetres."""
    bare = design.replaced(tracks={}, vias={}, jumpers={}, pours={}, texts={})
    total = 0.0
    for link in connectivity(bare).open_links:
        if link.net not in without:
            dx, dy = abs(link.a_mm[0] - link.b_mm[0]), abs(link.a_mm[1] - link.b_mm[1])
            total += max(dx, dy) + (2**0.5 - 1) * min(dx, dy)
    return total


def _against_the_tree(design: Design, numbers: dict[str, float | int]) -> str:
    """Hold the length of a finished board's tracks against the shortest tree over each net's pads."""
    poured = {p.net for p in design.pours.values()}
    if numbers["links_open"] or not design.tracks:
        return ""
    tree, steps = tree_mm(design, poured), set(steps_of(design))
    laid = sum(
        i.spine.length
        for i in copper_items(design)
        if i.kind == "track" and i.net not in poured and i.id not in steps
    )
    return f"{laid / tree:.2f} of the shortest octilinear tree" if tree else ""
