"""Wire jumpers held against the lengths that are used, and against what lies under them."""

from __future__ import annotations

from collections.abc import Iterable

import shapely

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach
from vane_step.core.finding import Finding


def jumper_findings(laid: Layout) -> Iterable[Finding]:
    """Find wire jumpers of unusual length, and wires under parts."""
    sizes = laid.rules.jumper
    yards = laid.courtyards
    for jumper in laid.design.jumpers.values():
        wire = shapely.LineString([(p[0] / 1e6, p[1] / 1e6) for p in (jumper.a, jumper.b)])
        x, y = wire.centroid.coords[0]
        place = at(x, y, net=jumper.net)
        if sizes is None:
            yield breach(laid, "jumper", "These rules know no wire jumpers", wire.length, 0.0, place)
            continue
        low, high = sizes.min_length_nm / 1e6, sizes.max_length_nm / 1e6
        if not low - TOLERANCE_MM <= wire.length <= high + TOLERANCE_MM:
            text = f"Jumper {jumper.id} has an unusual length; wire jumpers run from {low:g} to {high:g} mm"
            yield breach(laid, "jumper-length", text, wire.length, high if wire.length > high else low, place)
        for ref, yard in yards.items():
            blocked = yard.intersection(wire.buffer(jumper.wire_nm / 2e6, cap_style="flat"))
            if blocked.area > 1e-3 and laid.design.parts[ref].place.side == "front":  # type: ignore[union-attr]
                text = f"Wire jumper {jumper.id} runs under {ref}"
                deep = min(blocked.bounds[2] - blocked.bounds[0], blocked.bounds[3] - blocked.bounds[1])
                yield breach(laid, "jumper-blocked", text, deep, 0.0, place, "look")
