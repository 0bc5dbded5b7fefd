"""Writes XNC drill files, plated and not; which holes exist is the board's business."""

from __future__ import annotations

from vane_step import __version__
from vane_step.core.board.geometry.filled_vias import filled_vias
from vane_step.core.board.geometry.shapes import holes
from vane_step.core.design.model import Design
from vane_step.core.quantity import nm

# IPC-4761: filled, and covered by a cap of copper.
FILLED_AND_CAPPED = "VII"


def drill_file(design: Design, plated: bool, stamp: str) -> str:
    """Write the plated or the unplated holes, tools from small to large, coordinates to a nanometre."""
    filled = filled_vias(design)
    chosen = [h for h in holes(design) if h.plated == plated]
    # What is filled is bored by a tool of its own, whose attribute says so.
    sizes = sorted({(nm(h.drill_mm), h.id in filled) for h in chosen})
    layers = max(2, len(design.board.layers))
    lines = [
        "M48",
        f"; #@! TF.GenerationSoftware,Vane Step,vane-step,{__version__}",
        f"; #@! TF.CreationDate,{stamp}",
        f"; #@! TF.FileFunction,{'Plated' if plated else 'NonPlated'},1,{layers},{'PTH' if plated else 'NPTH'}",
        "METRIC",
    ]
    for number, (size, full) in enumerate(sizes, 1):
        of_size = [h for h in chosen if (nm(h.drill_mm), h.id in filled) == (size, full)]
        if plated and all(h.id in design.vias for h in of_size):
            kind = f"ViaDrill,{FILLED_AND_CAPPED}" if full else "ViaDrill"
        else:
            kind = "ComponentDrill" if plated else "MechanicalDrill"
        lines.append(f"; #@! TA.AperFunction,{'Plated,PTH' if plated else 'NonPlated,NPTH'},{kind}")
        lines.append(f"T{number}C{size / 1e6:.6f}")
    lines += ["%", "G90", "G05"]
    for number, tool in enumerate(sizes, 1):
        lines.append(f"T{number}")
        spots = sorted({(nm(h.x_mm), nm(h.y_mm)) for h in chosen if (nm(h.drill_mm), h.id in filled) == tool})
        lines += [f"X{x / 1e6:.6f}Y{y / 1e6:.6f}" for x, y in spots]
    return "\n".join([*lines, "T0", "M30"]) + "\n"
