"""What would make copper carry what flows in it, for trying on a copy: more vias, a second way, a pour; none is tried
here."""

from __future__ import annotations

from collections.abc import Iterator

import shapely

from vane_step.core.board.analysis.copper_currents import taken
from vane_step.core.board.copper.connectivity import net_copper
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding
from vane_step.core.network.readings import readings
from vane_step.core.operation.lost_volts import COPPER_DROP

# Rules that tell of copper that is too little for what flows in it.
TOO_LITTLE = ("copper-hot", "via-hot", COPPER_DROP)
# A pour reaches so far beyond the tracks it is laid over.
BESIDE_MM = 1.5


def copper_ways(design: Design, finding: Finding) -> Iterator[tuple[str, str]]:
    """Give what to try where copper is too little, the least change first: a label and a sentence each."""
    net = finding.place.net
    if net is None or net not in design.nets:
        return
    if finding.code == "via-hot":
        yield f"Add vias to {net}", f"vias {net}"
    if finding.code == COPPER_DROP:
        yield f"Widen {net}", f"widen {net}"
    ends = _ends(design, net, finding)
    if ends is not None:
        yield f"Lay another way from {ends[0]} to {ends[1]}", f"route {ends[0]} {ends[1]}"
    layer = finding.place.layer or _busiest_layer(design, net)
    box = _box(design, net, layer)
    if box is not None and not any(p.net == net and p.layer == layer for p in design.pours.values()):
        yield f"Pour {net} over its tracks on the {layer}", f"pour {net} {layer} priority=1 box={box}"


def _ends(design: Design, net: str, finding: Finding) -> tuple[str, str] | None:
    """Give the pin that gives most of a net's current and the one that takes most, in the state with most of it."""
    flows = [taken(design, net, r) for r in readings(design).all if r.settled]
    if not flows or not all(flows):
        return None
    flow = max(flows, key=lambda f: max(f.values()))
    gives, takes = min(flow, key=lambda p: flow[p]), max(flow, key=lambda p: flow[p])
    mine = [p for p in finding.place.pins if p in flow]
    takes = mine[0] if mine else takes
    return (gives, takes) if gives != takes else None


def _busiest_layer(design: Design, net: str) -> str:
    lengths: dict[str, float] = dict.fromkeys(design.board.layers, 0.0)
    copper = net_copper(design).get(net)
    for item in copper.items if copper is not None else ():
        if item.kind == "track":
            lengths[item.layers[0]] += item.spine.length
    return max(lengths, key=lambda k: lengths[k])


def _box(design: Design, net: str, layer: str) -> str | None:
    copper = net_copper(design).get(net)
    spines = [i.spine for i in (copper.items if copper is not None else ()) if layer in i.layers]
    if not spines:
        return None
    x0, y0, x1, y1 = shapely.union_all(spines).bounds
    x0, y0, x1, y1 = x0 - BESIDE_MM, y0 - BESIDE_MM, x1 + BESIDE_MM, y1 + BESIDE_MM
    return f"{x0:.2f},{y0:.2f},{x1 - x0:.2f}x{y1 - y0:.2f}"
