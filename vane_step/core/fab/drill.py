"""Writes XNC drill files, plated and not; which holes exist is the board's business."""

from __future__ import annotations

from collections.abc import Callable

from vane_step.core.board.geometry.filled_vias import filled_vias
from vane_step.core.board.geometry.shapes import Hole, bare_holes, edge_pads, holes
from vane_step.core.design.model import Design
from vane_step.core.fab.heading import Heading
from vane_step.core.quantity import nm

# IPC-4761: filled, and covered by a cap of copper.
FILLED_AND_CAPPED = "VII"


def drill_file(design: Design, plated: bool, head: Heading) -> str:
    """Write the plated or the unplated holes, tools from small to large, coordinates to a nanometre; slots as routs."""
    kinds = _kinds(design)
    chosen = [(h, kinds(h)) for h in holes(design) if h.plated == plated]
    # Holes of one size that are made for different ends are bored by tools of their own, whose attributes say so.
    tools = sorted({(nm(h.drill_mm), kind) for h, kind in chosen})
    lines = [
        "M48",
        *(f"; #@! TF.{line}" for line in head.attributes(drill_function(design, plated))),
        "METRIC",
    ]
    for number, (size, kind) in enumerate(tools, 1):
        lines += [f"; #@! TA.AperFunction,{kind}", f"T{number}C{size / 1e6:.6f}", "; #@! TD.AperFunction"]
    lines += ["%", "G90", "G05"]
    for number, tool in enumerate(tools, 1):
        lines.append(f"T{number}")
        mine = [h for h, kind in chosen if (nm(h.drill_mm), kind) == tool]
        spots = sorted({(nm(h.x_mm), nm(h.y_mm)) for h in mine if not h.slotted})
        lines += [_at(x, y) for x, y in spots]
        for ax, ay, bx, by in sorted({_ends(h) for h in mine if h.slotted}):
            lines += [f"G00{_at(ax, ay)}", "M15", f"G01{_at(bx, by)}", "M16", "G05"]
    return "\n".join([*lines, "T0", "M30"]) + "\n"


def _at(x_nm: int, y_nm: int) -> str:
    return f"X{x_nm / 1e6:.6f}Y{y_nm / 1e6:.6f}"


def _ends(hole: Hole) -> tuple[int, int, int, int]:
    """Give the ends of a slot, the lower left one first, so that equal slots are written alike."""
    ax, ay, bx, by = (nm(v) for v in hole.ends_mm)
    return min((ax, ay, bx, by), (bx, by, ax, ay))


def drill_function(design: Design, plated: bool) -> str:
    """Give the function of a drill file: through which layers, plated or not, and whether slots are milled in it."""
    span = f"1,{len(design.board.layers)}"
    mine = {h.slotted for h in holes(design) if h.plated == plated}
    work = {True: "Rout", False: "Drill"}[mine.pop()] if len(mine) == 1 else "Mixed" if mine else "Drill"
    return f"Plated,{span},PTH,{work}" if plated else f"NonPlated,{span},NPTH,{work}"


def _kinds(design: Design) -> Callable[[Hole], str]:
    """Give what tells a hole's end as the standard writes it: of a via, of a part's pin, at the edge, or mechanical."""
    filled, edge = filled_vias(design), edge_pads(design)
    bare = set(bare_holes(design))

    def kind(hole: Hole) -> str:
        if hole.id in design.vias and hole not in bare:
            return f"ViaDrill,{FILLED_AND_CAPPED}" if hole.id in filled else "ViaDrill"
        if hole in bare:
            return "MechanicalDrill"
        return "CastellatedDrill" if hole.id in edge else "ComponentDrill"

    return kind
