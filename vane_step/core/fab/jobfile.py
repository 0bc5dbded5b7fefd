"""Writes the Gerber job file: what is made, of what it is stacked, and what each file is (job file specification)."""

from __future__ import annotations

import json
from typing import Any, Final

from vane_step.core.board.geometry.filled_vias import filled_vias
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.model import Design
from vane_step.core.fab.drill import FILLED_AND_CAPPED
from vane_step.core.fab.heading import WRITER, Heading

# Thickness of mask and legend, in mm (usual; makers tell theirs).
MASK_MM, LEGEND_MM = 0.02, 0.015
TITLES: Final = {"front": "Top", "back": "Bottom", "in1": "Inner 1", "in2": "Inner 2"}


def job_file(design: Design, files: dict[str, tuple[str, str]], head: Heading) -> str:
    """Write the job file.

    Parameters
    ----------
    files : dict
        File function and polarity of Gerber and drill files by their name.
    """
    x0, y0, x1, y1 = outline(design).bounds
    rules = design.board.rules
    # Where some vias are filled and others not, the drill file tells which.
    filled = design.vias and filled_vias(design) == design.vias.keys()
    vendor, application, version = WRITER
    data = {
        "Header": {
            "GenerationSoftware": {"Vendor": vendor, "Application": application, "Version": version},
            "CreationDate": head.stamp,
        },
        "GeneralSpecs": {
            "ProjectId": {"Name": head.name, "GUID": head.guid, "Revision": head.revision},
            "Size": {"X": round(x1 - x0, 6), "Y": round(y1 - y0, 6)},
            "LayerNumber": len(design.board.layers),
            "BoardThickness": rules.board_mm,
            "Finish": "None",
            **({"ViaProtection": FILLED_AND_CAPPED} if filled else {}),
        },
        "DesignRules": [
            {
                "Layers": kind,
                "PadToPad": rules.min_clearance_nm / 1e6,
                "PadToTrack": rules.min_clearance_nm / 1e6,
                "TrackToTrack": rules.min_clearance_nm / 1e6,
                "MinLineWidth": rules.min_width_nm / 1e6,
            }
            for kind in (("Outer", "Inner") if len(design.board.layers) > 2 else ("Outer",))
        ],
        "FilesAttributes": [
            {"Path": name, "FileFunction": function, "FilePolarity": polarity}
            for name, (function, polarity) in files.items()
        ],
        "MaterialStackup": _stack(design),
    }
    return json.dumps(data, indent=1, ensure_ascii=False) + "\n"


def _stack(design: Design) -> list[dict[str, Any]]:
    """Give the layers the board is made of, from the top down; glass shares what copper leaves of its thickness."""
    rules, layers = design.board.rules, design.board.layers
    copper = {x: (rules.inner_copper_um if x.startswith("in") else rules.copper_um) / 1000 for x in layers}
    between = max(len(layers) - 1, 1)
    glass = (rules.board_mm - sum(copper.values())) / between
    covered = [{"Type": "SolderMask", "Thickness": MASK_MM}] if not rules.etched else []
    printed = [{"Type": "Legend", "Thickness": LEGEND_MM}] if not rules.etched else []
    off = f"board of {rules.board_mm:g} mm to within {rules.board_within_mm:g} mm, either way"
    core = {"Type": "Dielectric", "Material": "FR4", "Thickness": round(glass, 4), "Notes": off}
    stack: list[dict[str, Any]] = []
    for k, layer in enumerate(layers):
        stack.append({"Type": "Copper", "Name": TITLES[layer], "Thickness": round(copper[layer], 4)})
        if k < len(layers) - 1:
            stack.append({**core, "Name": f"{TITLES[layer]}/{TITLES[layers[k + 1]]}"})
    if len(layers) == 1:
        # The only copper lies below.
        stack.insert(0, {**core, "Name": "Carrier"})

    def of(side: str, some: list[dict[str, Any]]) -> list[dict[str, Any]]:
        return [{**entry, "Name": f"{side} {entry['Type'].lower()}"} for entry in some]

    return [*of("Top", [*printed, *covered]), *stack, *of("Bottom", [*covered, *printed])]
