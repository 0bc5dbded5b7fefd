"""What a board needs of whoever makes it, measured on the design; what is asked with it is in ``quoting``."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.geometry.copper_table import board_columns, near
from vane_step.core.board.geometry.filled_vias import losing_solder
from vane_step.core.board.geometry.shapes import copper_items, edge_pads, holes, outline, spines_of
from vane_step.core.derive import derived
from vane_step.core.design.model import Design
from vane_step.core.houses.quoting import Needs


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes", "texts")
def needs_of(design: Design) -> Needs:
    """Measure what a board needs of whoever makes it."""
    x0, y0, x1, y1 = outline(design).bounds
    rules, items = design.board.rules, copper_items(design)
    widths = [t.width_nm / 1e6 for t in design.tracks.values()]
    widths += [p.min_width_nm / 1e6 for p in design.pours.values()]
    rings = [i.ring_mm for i in items if i.drill_mm]
    bored = holes(design)
    round_mm = [h.drill_mm for h in bored if not h.slotted]
    slots_mm = [h.drill_mm for h in bored if h.slotted]
    return Needs(
        width_mm=round(x1 - x0, 3),
        height_mm=round(y1 - y0, 3),
        layers=design.board.copper_layers,
        least_width_mm=round(min(widths, default=rules.default_width_nm / 1e6), 4),
        least_gap_mm=round(_least_gap(design), 4),
        least_ring_mm=round(max(0.0, min(rings, default=1.0)), 4),
        least_drill_mm=round(min((h.drill_mm for h in bored), default=1.0), 4),
        holes=len(bored),
        half_holes=len(edge_pads(design)),
        filled_vias=len(losing_solder(design)),
        copper_um=rules.copper_um,
        least_edge_mm=_least_edge(design),
        least_web_mm=_least_web(design),
        least_slot_mm=min(slots_mm, default=None),
        largest_drill_mm=max(round_mm, default=None),
    )


def _least_gap(design: Design) -> float:
    of = board_columns(design)
    a, b, gap = near(of, 0.5)
    apart = (of.net[a] != of.net[b]) & (gap > 1e-6)
    found = [float(gap[apart].min())] if np.any(apart) else []
    found += [p.clearance_nm / 1e6 for p in design.pours.values()]
    return min(found, default=0.5)


def _least_edge(design: Design) -> float | None:
    """Measure copper to the edge, but for plated holes that are cut by it; pours keep what the rules ask."""
    of, cut = board_columns(design), edge_pads(design)
    whole = np.array([not (i.kind == "pad" and i.id in cut) for i in of.items], dtype=bool)
    gaps = shapely.distance(outline(design).boundary, of.spines[whole]) - of.radius[whole]
    found = [max(0.0, float(gaps.min()))] if len(gaps) else []
    found += [design.board.rules.edge_clearance_nm / 1e6] if design.pours else []
    return round(min(found), 4) if found else None


def _least_web(design: Design) -> float | None:
    bored = holes(design)
    if len(bored) < 2:
        return None
    spines, half = spines_of(bored), np.array([h.drill_mm / 2 for h in bored])
    tree = STRtree(spines)
    a, b = tree.query_nearest(spines, exclusive=True, all_matches=False)
    # The nearest middle is not always the nearest wall: what wider holes near it leave is held too.
    reach = float((shapely.distance(spines[a], spines[b]) - half[a] - half[b]).min()) + 2 * float(half.max())
    a, b = tree.query(spines, predicate="dwithin", distance=max(reach, 0.0) + 1e-6)
    a, b = a[a < b], b[a < b]
    return round(max(0.0, float((shapely.distance(spines[a], spines[b]) - half[a] - half[b]).min())), 4)
