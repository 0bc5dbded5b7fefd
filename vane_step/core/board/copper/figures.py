"""Figures of a board's copper: links made and open, vias, jumpers, length of its tracks."""

from __future__ import annotations

import numpy as np

from vane_step.core.board.copper.connectivity import connectivity
from vane_step.core.derive import derived
from vane_step.core.design.model import Design


def figures(design: Design) -> dict[str, float | int]:
    """Give completed and open links, vias, jumpers and track length of a design."""
    joined = connectivity(design)
    length = track_length_mm(design)
    return {
        "parts": len(design.parts),
        "nets": len(design.nets),
        "links_total": joined.links_total,
        "links_completed": joined.links_made,
        "links_open": joined.links_total - joined.links_made,
        "parts_unplaced": joined.unplaced,
        "vias": len(design.vias),
        "jumpers": len(design.jumpers),
        "track_length_mm": round(length, 3),
    }


@derived("tracks")
def track_length_mm(design: Design) -> float:
    """Give the length of all tracks; where one widens towards a pad it counts once."""
    steps = set(steps_of(design))
    runs = [t.points for t in design.tracks.values() if t.id not in steps]
    if not runs:
        return 0.0
    points = np.array([p for run in runs for p in run], dtype=np.float64)
    of_run = np.repeat(np.arange(len(runs)), [len(run) for run in runs])
    return float(np.hypot(*np.diff(points, axis=0).T)[of_run[1:] == of_run[:-1]].sum()) / 1e6


def steps_of(design: Design, nets: set[str] | None = None) -> tuple[str, ...]:
    """Give the ids of the steps that were laid, of some nets or of all."""
    return tuple(t.id for t in design.tracks.values() if t.step and (nets is None or t.net in nets))
