"""Writes the component layers of Gerber (X3): where each part lies, how it is turned, what it is, its pins."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

import shapely

from vane_step.core.board.geometry.shapes import bodies, place_point
from vane_step.core.design.model import Design, Part, Side
from vane_step.core.fab.gerber import GerberFile
from vane_step.core.fab.heading import Heading, field
from vane_step.core.fab.tables import mounting
from vane_step.core.order.sources import Source
from vane_step.core.quantity import nm

# The sizes the standard asks for: the middle of a part, its first pin (a diamond), other pins, outlines.
MIDDLE_NM, FIRST_NM, LINE_NM = 300_000, 360_000, 100_000
MOUNTS: Final = {"surface": "SMD", "through": "TH", "both": "TH"}


def component_layer(
    design: Design, side: Side, head: Heading, sources: Mapping[str, Source] | None = None
) -> GerberFile:
    """Write the components of a side that are fitted on the board as drawn."""
    last = len(design.board.layers)
    place = "L1,Top" if side == "front" else f"L{last},Bot"
    out = GerberFile(f"Component,{place}", "Positive", head)
    outlines = bodies(design)
    for part in design.parts.values():
        if part.place is None or part.place.side != side or not part.fitted:
            continue
        told = _told(design, part, sources or {})
        out.attributes(*told)
        out.aperture(MIDDLE_NM, "ComponentMain")
        out.flash(part.place.x_nm, part.place.y_nm)
        body = outlines.get(part.ref)
        if body is not None and not body.is_empty:
            # What follows belongs to the part, but only its middle says all of it.
            out.attributes(told[0])
            out.aperture(LINE_NM, "ComponentOutline,Body")
            out.line([(nm(x), nm(y)) for x, y in shapely.get_coordinates(body.exterior)])
        first = next((p.number for p in part.pins), "")
        for pad in design.packages[part.package].pads:
            if pad.bare_hole or not pad.number:
                continue
            x, y = place_point(part.place, pad.x_nm, pad.y_nm)
            name = next((p.name for p in part.pins if p.number == pad.number), "")
            out.attributes(
                told[0], f"P,{field(part.ref)},{field(pad.number)}" + (f",{field(name)}" if name else "")
            )
            if pad.number == first:
                out.pad_aperture(FIRST_NM, FIRST_NM, "diamond", 0.0, "ComponentPin")
            else:
                out.pad_aperture(0, 0, "round", 0.0, "ComponentPin")
            out.flash(round(x), round(y))
    return out


def _told(design: Design, part: Part, sources: Mapping[str, Source]) -> list[str]:
    """Give the object attributes of a part: reference, turn, maker and number, value, mounting, footprint."""
    assert part.place is not None
    told = [
        f"C,{field(part.ref)}",
        f"CRot,{part.place.turn_deg % 360:g}",
        f"CMnt,{MOUNTS[mounting(design, part)]}",
        f"CFtp,{field(part.package)}",
    ]
    if part.catalogue:
        told.append(f"CMPN,{field(part.catalogue)}")
        if source := sources.get(part.catalogue):
            told.append(f"CMfr,{field(source.maker)}")
    if part.value:
        told.append(f"CVal,{field(part.value)}")
    return told
