"""Vias through the thermal pads of a part, where the panes of its paste leave room; which pads are such is geometry."""

from __future__ import annotations

import numpy as np
import shapely

from vane_step.core.board.geometry.paste_windows import crossings, is_thermal
from vane_step.core.board.geometry.shapes import place_point
from vane_step.core.board.tracks.stitching import clear_for_vias
from vane_step.core.design.boardedits import Names
from vane_step.core.design.edits import LayCopper, part_of
from vane_step.core.design.model import Design, Via, pin_name
from vane_step.core.errors import EditRefused


def thermal_vias(design: Design, ref: str) -> LayCopper:
    """Lay vias where four panes of paste meet on each thermal pad of a part; they are locked, as part of its joint.

    Raises
    ------
    EditRefused
        When the part has no such pad on a net, is not placed, or nothing more fits.
    """
    part = part_of(design, ref)
    if part.place is None or design.board.copper_layers < 2:
        raise EditRefused(
            f"{ref} is not placed yet." if part.place is None else "A board of one layer has no vias.",
            where=ref,
            next_step="Type: arrange" if part.place is None else "Make its copper larger: pour.",
        )
    pack, rules = design.packages[part.package], design.board.rules
    pads = [p for p in pack.pads if is_thermal(pack, p) and design.net_of(pin_name(ref, p.number))]
    if not pads:
        raise EditRefused(
            f"{ref} has no thermal pad on a net.",
            where=ref,
            value=part.package,
            allowed="a large pad under its body, joined to a net",
        )
    names, laid = Names(design), []
    for pad in pads:
        net = design.net_of(pin_name(ref, pad.number)) or ""
        spots = np.array([place_point(part.place, x, y) for x, y in crossings(pad)])
        free = clear_for_vias(design, net, shapely.points(spots / 1e6), rules.via_pad_nm / 2e6, in_pads=True)
        laid += [
            Via(
                id=names.next("V"),
                net=net,
                x_nm=round(x),
                y_nm=round(y),
                pad_nm=rules.via_pad_nm,
                drill_nm=rules.via_drill_nm,
                locked=True,
            )
            for (x, y), fits in zip(spots, free, strict=True)
            if fits
        ]
    if not laid:
        raise EditRefused(
            f"No via fits into the thermal pad of {ref}.",
            where=ref,
            next_step="It has them already, or what lies on the other side is in the way.",
        )
    return LayCopper(vias=tuple(laid))
