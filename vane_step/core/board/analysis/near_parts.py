"""Parts that should be near and are not: crystals and their capacitors from the pins they serve, loops that switch.

Bypass capacitors are held against their distance in ``drc.decoupling``; loops are read in ``current_loops``.
"""

from __future__ import annotations

from collections.abc import Iterator

import shapely

from vane_step.core.board.analysis.current_loops import Loop, loops
from vane_step.core.board.geometry.shapes import CopperItem, copper_items
from vane_step.core.derive import COPPER, derived
from vane_step.core.design.model import Design, Part, split_pin
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.quantity import nm

CRYSTAL_MM = 5.0
# A square of 5.5 mm holds controller, capacitor and the tracks between; with a diode outside one of 7.7 mm.
LOOP_MM2, LOOP_WITH_DIODE_MM2 = 30.0, 60.0


@derived(*COPPER)
def near_findings(design: Design) -> tuple[Finding, ...]:
    """Hold crystals, their load capacitors and switching loops against how near or small they should be."""
    return (*_crystals(design), *_loops(design))


def _crystals(design: Design) -> Iterator[Finding]:
    crystals = [p for p in design.parts.values() if p.kind == "crystal" and p.place]
    if not crystals:
        return
    bare = design.replaced(tracks={}, vias={}, jumpers={}, pours={}, texts={})
    pads = {i.id: i for i in copper_items(bare) if i.kind == "pad"}
    for crystal in crystals:
        for pin in crystal.pins:
            name = f"{crystal.ref}.{pin.number}"
            net = design.net_of(name)
            if name not in pads or net is None or design.nets[net].role in ("ground", "supply"):
                continue
            served = [pads[p] for p in design.nets[net].pins if p in pads and _is_served(design, p)]
            beside = [
                pads[p] for p in design.nets[net].pins if p in pads and _part(design, p).kind == "capacitor"
            ]
            if served:
                host = min(served, key=lambda s, at=pads[name]: (_gap(design, s, at), s.id))  # type: ignore[misc]
                for item in (pads[name], *beside):
                    yield from _far(design, item, host)


def _part(design: Design, pin: str) -> Part:
    return design.parts[split_pin(pin)[0]]


def _is_served(design: Design, pin: str) -> bool:
    part = _part(design, pin)
    return len(part.pins) > 2 and part.kind != "crystal"


def _gap(design: Design, a: CopperItem, b: CopperItem) -> float:
    """Give the gap from copper to copper; where they share no layer the board lies between."""
    flat = float(shapely.distance(a.spine, b.spine)) - a.radius_mm - b.radius_mm
    return max(0.0, flat) + (0.0 if set(a.layers) & set(b.layers) else design.board.rules.board_mm)


def _far(design: Design, item: CopperItem, host: CopperItem) -> Iterator[Finding]:
    gap = _gap(design, item, host)
    if gap <= CRYSTAL_MM:
        return
    ref = split_pin(item.id)[0]
    what = "Crystal" if design.parts[ref].kind == "crystal" else "Load capacitor"
    yield tell(
        "crystal-distance",
        f"{what} {ref} is far from oscillator pin {host.id}",
        round(gap, 2),
        CRYSTAL_MM,
        Place(refs=(ref,), pins=(host.id,), net=item.net, x_nm=nm(item.x_mm), y_nm=nm(item.y_mm)),
        remedy=Remedy(label=f"Place {ref} by {host.id}", ask=f"place {ref} by {host.id}"),
    )


def _loops(design: Design) -> Iterator[Finding]:
    for loop in loops(design):
        limit = LOOP_WITH_DIODE_MM2 if len(loop.refs) > 2 else LOOP_MM2
        if loop.kind == "switching" and loop.area_mm2 > limit:
            yield _wide(design, loop, limit)


def _wide(design: Design, loop: Loop, limit: float) -> Finding:
    _, cap, *diode = loop.refs
    feed = loop.pins[0]
    with_diode = f" and {diode[0]}" if diode else ""
    return tell(
        "switching-loop",
        f"The loop of {loop.refs[0]}, {cap}{with_diode} that carries the switched current is wide",
        round(loop.area_mm2, 1),
        limit,
        Place(refs=loop.refs, pins=loop.pins, net=design.net_of(feed)),
        remedy=Remedy(label=f"Place {cap} by {feed}", ask=f"place {cap} by {feed}"),
    )
