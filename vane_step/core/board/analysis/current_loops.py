"""Current loops that matter: bypass parts with their pins, and switching stages; their size and inductance as readings.

Formulas: a rectangle of round wire after Grover (1946), a track over a plane after Hammerstad and Jensen (1980) without
dielectric, a via after Johnson and Graham (1993). No limits here.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import shapely

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.circuit.bypass import bypass_pairs
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import LAYERS, Design, natural, split_pin

# A flat track counts like a round wire of a quarter of its width.
WIRE_SHARE = 0.25
# A loop has a plane below it when so much of its hull has; holes round pins are missing.
PLANE_SHARE = 0.6
INNER_GAP_MM = 0.2


@dataclass(frozen=True)
class Loop:
    """A loop: what it is, its parts and pins, its area, and for bypass parts an estimate of its inductance.

    ``area_mm2`` is that of the hull of its pads' middles, and no less than a track there and one back beside it
    enclose; ``over_plane`` tells that its current returns right below it, so that the inductance is far less than the
    area says.
    """

    kind: str
    refs: tuple[str, ...]
    pins: tuple[str, ...]
    area_mm2: float
    inductance_nh: float | None
    over_plane: bool


def rectangle_nh(length_mm: float, width_mm: float, radius_mm: float) -> float:
    """Give the inductance of a rectangle of round wire, its sides measured between wire middles, in nH.

    >>> round(rectangle_nh(10, 10, 0.5), 1)
    17.8
    """
    w, h, a = (max(v, 1e-3) * 1e-3 for v in (length_mm, width_mm, radius_mm))
    a = min(a, min(w, h) / 2)
    diagonal = math.hypot(w, h)
    inner = -2 * (w + h) + 2 * diagonal
    inner -= h * math.log((h + diagonal) / w) + w * math.log((w + diagonal) / h)
    inner += h * math.log(2 * h / a) + w * math.log(2 * w / a)
    return max(0.0, 4e-7 * inner * 1e9)


def over_plane_nh(length_mm: float, width_mm: float, height_mm: float) -> float:
    """Give the inductance of a track over a plane, in nH."""
    u = width_mm / height_mm
    spread = math.log(8 / u + u / 4) if u <= 1 else 2 * math.pi / (u + 1.393 + 0.667 * math.log(u + 1.444))
    return 0.2 * length_mm * spread


def via_nh(height_mm: float, drill_mm: float) -> float:
    """Give the inductance of a via of a height, in nH."""
    return 0.2 * height_mm * (math.log(4 * height_mm / drill_mm) + 1)


@derived(*COPPER)
def loops(design: Design) -> tuple[Loop, ...]:
    """Give the loops of bypass parts and of switching stages, largest area first; switching stages before all."""
    bare = design.replaced(tracks={}, vias={}, jumpers={}, pours={}, texts={})
    pads = {i.id: i for i in copper_items(bare) if i.kind == "pad"}
    found = [*_bypasses(design, pads), *_stages(design, pads)]
    return tuple(sorted(found, key=lambda x: (x.kind != "switching", -x.area_mm2, natural(x.refs[0]))))


def _ground_pin(design: Design, ref: str, near: CopperItem, pads: dict[str, CopperItem]) -> CopperItem | None:
    """Give the part's ground pad nearest to another pad."""
    mine = [pads[n] for p in design.parts[ref].pins if (n := f"{ref}.{p.number}") in pads]
    grounds = [i for i in mine if i.net and design.nets[i.net].role == "ground"]
    return min(
        grounds, key=lambda i: (math.hypot(i.x_mm - near.x_mm, i.y_mm - near.y_mm), i.id), default=None
    )


def _bypasses(design: Design, pads: dict[str, CopperItem]) -> list[Loop]:
    found = []
    for helper, pin in bypass_pairs(design):
        if helper not in pads or pin not in pads:
            continue
        cap, ref = split_pin(helper)[0], split_pin(pin)[0]
        low = _ground_pin(design, ref, pads[pin], pads)
        back = _ground_pin(design, cap, pads[helper], pads)
        if low is None or back is None:
            continue
        four = (pads[pin], pads[helper], back, low)
        plane = _plane_mm(design, four)
        found.append(
            _loop(design, "bypass", (cap, ref), four, _inductance(design, four, plane), plane is not None)
        )
    return found


def _stages(design: Design, pads: dict[str, CopperItem]) -> list[Loop]:
    """Find for each part that switches the input capacitor that closes its loop soonest."""
    found = []
    switching = {n.name for n in design.nets.values() if n.role == "switching"}
    for part in design.parts.values():
        mine = [pads[n] for p in part.pins if (n := f"{part.ref}.{p.number}") in pads]
        if len(part.pins) < 4 or not any(i.net in switching for i in mine):
            continue
        closed = [
            loop
            for feed in mine
            if feed.net and design.nets[feed.net].role == "supply"
            for loop in _closed_by(design, part.ref, feed, pads)
        ]
        if closed:
            found.append(min(closed, key=lambda x: (x.area_mm2, x.refs)))
    return found


def _closed_by(design: Design, ref: str, feed: CopperItem, pads: dict[str, CopperItem]) -> list[Loop]:
    """Give the loops that capacitors from a part's supply pin to its ground close, through its diode if it has one."""
    low = _ground_pin(design, ref, feed, pads)
    diode = _diode(design, ref, pads)
    found = []
    for other, pin in design.pins_on(feed.net or ""):
        high = pads.get(f"{other.ref}.{pin.number}")
        if low is None or high is None or other.kind not in ("capacitor", "polar-capacitor"):
            continue
        back = _ground_pin(design, other.ref, low, pads)
        if back is not None:
            # With a diode outside the current leaves by the switching pin, and gets back to the capacitor from it.
            round_it = (feed, high, back, *diode[1]) if diode else (feed, high, back, low)
            refs = (ref, other.ref, diode[0]) if diode else (ref, other.ref)
            plane = _plane_mm(design, round_it) is not None
            found.append(_loop(design, "switching", refs, round_it, None, plane))
    return found


def _diode(
    design: Design, ref: str, pads: dict[str, CopperItem]
) -> tuple[str, tuple[CopperItem, ...]] | None:
    """Find the diode from ground to a part's switching pin: its anode's pad, its cathode's, and the pin's."""
    for pin in design.parts[ref].pins:
        switch = pads.get(f"{ref}.{pin.number}")
        if switch is None or switch.net is None or design.nets[switch.net].role != "switching":
            continue
        for other, its in design.pins_on(switch.net):
            if other.kind != "diode" or len(other.pins) != 2:
                continue
            far = next(p for p in other.pins if p is not its)
            cathode, anode = pads.get(f"{other.ref}.{its.number}"), pads.get(f"{other.ref}.{far.number}")
            if cathode and anode and anode.net and design.nets[anode.net].role == "ground":
                return other.ref, (anode, cathode, switch)
    return None


def _loop(
    design: Design,
    kind: str,
    refs: tuple[str, ...],
    pads: tuple[CopperItem, ...],
    inductance: float | None,
    plane: bool,
) -> Loop:
    hull = shapely.MultiPoint([(i.x_mm, i.y_mm) for i in pads]).convex_hull
    # Pads in a line enclose nothing by their middles; the tracks there and back lie beside each other all the same.
    rule = design.rule_of(pads[0].net)
    beside = (rule.width_nm + max(rule.clearance_nm, design.board.rules.min_clearance_nm)) / 1e6
    reach = max(math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) for a in pads for b in pads)
    return Loop(
        kind, refs, tuple(i.id for i in pads), max(float(hull.area), reach * beside), inductance, plane
    )


def _plane_mm(design: Design, four: tuple[CopperItem, ...]) -> float | None:
    """Tell how far below its pads a loop has ground copper all the way, None where it has none."""
    layers = LAYERS[design.board.copper_layers]
    side = next((x for x in four[1].layers if x in ("front", "back")), "front")
    order = layers if side == "front" else layers[::-1]
    below = shapely.MultiPoint([(i.x_mm, i.y_mm) for i in four]).convex_hull.buffer(0.05)
    grounds = [p for p in pour_pieces(design) if design.nets[p.net].role == "ground"]
    for depth, layer in enumerate(order):
        poured = [piece for p in grounds if p.layer == layer for piece in p.pieces]
        if depth and poured and below.intersection(shapely.union_all(poured)).area > PLANE_SHARE * below.area:
            # Outer layers lie close to the inner ones of four; of two, the board lies between.
            return INNER_GAP_MM if len(layers) > 2 and depth == 1 else design.board.rules.board_mm
    return None


def _inductance(design: Design, four: tuple[CopperItem, ...], plane: float | None) -> float:
    feed, high, back, low = four
    out = math.hypot(feed.x_mm - high.x_mm, feed.y_mm - high.y_mm)
    home = math.hypot(low.x_mm - back.x_mm, low.y_mm - back.y_mm)
    width = max(0.1, design.rule_of(feed.net).width_nm / 1e6)
    if plane is not None:
        drill = design.board.rules.via_drill_nm / 1e6
        return over_plane_nh(out, width, plane) + 2 * via_nh(plane, drill)
    apart = (
        math.hypot(feed.x_mm - low.x_mm, feed.y_mm - low.y_mm)
        + math.hypot(high.x_mm - back.x_mm, high.y_mm - back.y_mm)
    ) / 2
    return rectangle_nh((out + home) / 2, apart, width * WIRE_SHARE)
