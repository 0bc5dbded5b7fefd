"""Pairs of sense nets that belong together, by their names, and how much of them runs side by side."""

from __future__ import annotations

from dataclasses import dataclass

import shapely
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, natural

# Tracks run side by side when they are this near, middle to middle, whatever lies between their layers.
BESIDE_MM = 1.5
_ENDS = (("_P", "_N"), ("+", "-"), ("_HIGH", "_LOW"), ("_HI", "_LO"))


@dataclass(frozen=True)
class SensePair:
    """Two sense nets that belong together: their lengths in mm, and the share of them that runs side by side."""

    nets: tuple[str, str]
    lengths_mm: tuple[float, float]
    beside: float


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "texts")
def sense_pairs(design: Design) -> tuple[SensePair, ...]:
    """Follow pairs of sense nets, found by their names: ``CELL_P`` and ``CELL_N``, ``IN+`` and ``IN-``, and so on.

    The pair that lies side by side the least comes first.
    """
    found = []
    for high, low in sense_twins(design):
        lines = [_lines(design, net) for net in (high, low)]
        near = [line.intersection(other.buffer(BESIDE_MM)).length for line, other in (lines, lines[::-1])]
        total = lines[0].length + lines[1].length
        lengths = (float(lines[0].length), float(lines[1].length))
        found.append(SensePair((high, low), lengths, sum(near) / total if total else 1.0))
    return tuple(sorted(found, key=lambda p: (p.beside, natural(p.nets[0]))))


def sense_twins(design: Design) -> list[tuple[str, str]]:
    """Give the pairs of sense nets of a design by name, higher first."""
    found = []
    for net in design.nets.values():
        for high, low in _ENDS:
            twin = design.nets.get(net.name.removesuffix(high) + low) if net.name.endswith(high) else None
            if twin is not None and net.role == twin.role == "sense":
                found.append((net.name, twin.name))
    return found


def _lines(design: Design, net: str) -> BaseGeometry:
    some = [i.spine for i in copper_items(design) if i.kind == "track" and i.net == net]
    return shapely.union_all(some) if some else shapely.LineString()
