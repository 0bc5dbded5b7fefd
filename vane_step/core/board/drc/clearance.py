"""Gaps between copper of different nets; gaps of pours are in ``pours``."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, breach, named, sentence
from vane_step.core.board.geometry.copper_table import KIND, gap_of, once_a_text
from vane_step.core.finding import Finding, Place
from vane_step.core.quantity import nm


def clearance_findings(laid: Layout) -> Iterable[Finding]:
    """Find copper of different nets nearer to each other than the greater of their gaps."""
    of, (a, b, gap) = laid.columns, laid.near
    if not len(gap):
        return
    clear = of.per_net({net: gap_of(laid.design, net) for net in of.nets})
    need = np.maximum(clear[a], clear[b])
    # Pads on no net are each on a net of their own; texts touch nothing but their own lines.
    apart = (of.net[a] != of.net[b]) | (of.net[a] == of.nets.get(None, -1))
    texts = of.kind == KIND["text"]
    apart &= ~(texts[a] & texts[b])
    bad = np.flatnonzero(apart & (gap < need - TOLERANCE_MM))
    # Texts come last of all copper.
    for k in bad[once_a_text(of, b[bad], a[bad], gap[bad])]:
        one, two = of.items[a[k]], of.items[b[k]]
        line = shapely.shortest_line(one.spine, two.spine).centroid
        pins = tuple(i.id for i in (one, two) if i.kind == "pad")
        layer = next(x for x in one.layers if x in two.layers)
        # The net whose copper can give way: pads stay where their part is.
        net_here = two.net if one.kind == "pad" and two.net else one.net or two.net
        place = Place(x_nm=nm(line.x), y_nm=nm(line.y), net=net_here, pins=pins, layer=layer)
        if gap[k] <= 0:
            text = sentence(f"{named(one)} touches {named(two)} on the {layer}")
            yield breach(laid, "short", text, float(gap[k]), float(need[k]), place)
        else:
            text = f"Gap between {named(one)} and {named(two)} on the {layer} is too small"
            yield breach(laid, "clearance", text, float(gap[k]), float(need[k]), place)
