"""Writes the parts list, the placement file and the Gerber job file; prices and stock are not here."""

from __future__ import annotations

import csv
import io
import json

from vane_step import __version__
from vane_step.core.board.geometry import outline
from vane_step.core.design.model import Design, natural


def parts_list(design: Design) -> str:
    """Write the parts list as CSV: one line for each value and package."""
    groups: dict[tuple[str, str], list[str]] = {}
    for part in design.parts.values():
        groups.setdefault((part.value, part.package), []).append(part.ref)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["count", "value", "package", "references"])
    for (value, package), refs in sorted(groups.items(), key=lambda kv: natural(min(kv[1], key=natural))):
        writer.writerow([len(refs), value, package, " ".join(sorted(refs, key=natural))])
    return out.getvalue()


def placement(design: Design) -> str:
    """Write the placement file as CSV: middle of every placed part in millimetres, angle and side."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["ref", "value", "package", "x_mm", "y_mm", "turn_deg", "side"])
    for ref in sorted(design.parts, key=natural):
        part = design.parts[ref]
        if part.place:
            p = part.place
            turn = f"{p.turn_deg % 360:g}"
            writer.writerow([ref, part.value, part.package, f"{p.x_nm / 1e6:.4f}", f"{p.y_nm / 1e6:.4f}", turn, p.side])
    return out.getvalue()


def job_file(design: Design, files: dict[str, tuple[str, str]], stamp: str) -> str:
    """Write the Gerber job file: board size, rules and what each file is.

    Parameters
    ----------
    files : dict
        File function and polarity by file name.
    """
    x0, y0, x1, y1 = outline(design).bounds
    rules = design.board.rules
    data = {
        "Header": {
            "GenerationSoftware": {"Vendor": "Vane Step", "Application": "vane-step", "Version": __version__},
            "CreationDate": stamp,
        },
        "GeneralSpecs": {
            "ProjectId": {"Name": design.name, "GUID": "", "Revision": ""},
            "Size": {"X": round(x1 - x0, 6), "Y": round(y1 - y0, 6)},
            "LayerNumber": len(design.board.layers),
            "BoardThickness": rules.board_mm,
            "Finish": "None",
        },
        "DesignRules": [
            {
                "Layers": "Outer",
                "PadToPad": rules.min_clearance_nm / 1e6,
                "TrackToTrack": rules.min_clearance_nm / 1e6,
                "MinLineWidth": rules.min_width_nm / 1e6,
            }
        ],
        "FilesAttributes": [
            {"Path": name, "FileFunction": function, "FilePolarity": polarity}
            for name, (function, polarity) in files.items()
        ],
    }
    return json.dumps(data, indent=1) + "\n"
