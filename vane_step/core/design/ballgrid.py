"""Grids of surface pads in packages: which have one, and what passes between its pads; no boards and no parts."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from vane_step.core.design.bareboard import RuleSet
from vane_step.core.design.package import Package, PadSpec

# A pad has a neighbour where another lies within this many times the least spacing: beside it or aslant.
NEAR: Final = 1.5
# A grid is what has so many pads with so many neighbours at the least: no row, and no ring of rows.
LEAST_PADS: Final = 9
LEAST_NEIGHBOURS: Final = 3
# Left over where something just passes: a lattice of nodes has no exact middle.
SLACK_NM: Final = 10_000


@dataclass(frozen=True)
class BallGrid:
    """A grid of surface pads, in nanometres: its spacing, its widest pad, and half its greater extent."""

    pitch_nm: int
    land_nm: int
    half_nm: int
    pads: frozenset[str]

    @property
    def between_nm(self) -> int:
        """Room between the edges of two neighbours."""
        return self.pitch_nm - self.land_nm

    @property
    def aslant_nm(self) -> int:
        """From the middle of four pads to the edge of each."""
        return int(self.pitch_nm / math.sqrt(2) - self.land_nm / 2)

    def filled(self, rules: RuleSet) -> bool:
        """Tell whether vias lie in the pads: the maker fills them, and none has room between four pads."""
        apart = max(rules.min_clearance_nm, rules.mask_margin_nm)
        return rules.fills_vias and self.aslant_nm < rules.via_pad_nm // 2 + apart

    def gap_nm(self, rules: RuleSet) -> int:
        """Give the greatest gap, from the maker's usual down to the least, with which all that can pass does.

        That is the maker's least track between two pads, and a via between four, unless vias lie in the pads.
        """
        found = rules.default_clearance_nm
        passes = [(self.between_nm - rules.min_width_nm) // 2]
        if not self.filled(rules):
            passes.append(self.aslant_nm - rules.via_pad_nm // 2)
        for gap in passes:
            if rules.min_clearance_nm <= gap < found + SLACK_NM:
                found = max(rules.min_clearance_nm, min(found, gap - SLACK_NM))
        return found

    def width_nm(self, rules: RuleSet, gap_nm: int) -> int | None:
        """Give the width of a track that passes between two pads at a gap; None where the maker makes none so fine."""
        room = self.between_nm - 2 * gap_nm
        return max(rules.min_width_nm, room - 2 * SLACK_NM) if room >= rules.min_width_nm else None


# By the content of packages; few designs have more of them.
_known: dict[bytes, BallGrid | None] = {}
MOST_KNOWN: Final = 2000


def grid_of(package: Package) -> BallGrid | None:
    """Give the grid of surface pads of a package: at least half of its pads have three others about them."""
    mark = package.mark()
    if mark not in _known:
        if len(_known) >= MOST_KNOWN:
            _known.clear()
        _known[mark] = _grid(package)
    return _known[mark]


def _grid(package: Package) -> BallGrid | None:
    flat = [p for p in package.pads if p.layers != "through"]
    if len(flat) < LEAST_PADS:
        return None
    at = np.array([(p.x_nm, p.y_nm) for p in flat], dtype=np.float64)
    apart = np.hypot(*(at[:, None, :] - at[None, :, :]).transpose(2, 0, 1))
    np.fill_diagonal(apart, math.inf)
    pitch = float(apart.min())
    near = (apart <= NEAR * pitch).sum(axis=1)
    mine: list[PadSpec] = [p for p, count in zip(flat, near, strict=True) if count]
    widest = max(max(p.width_nm, p.height_nm) for p in mine)
    if (near >= LEAST_NEIGHBOURS).sum() < len(flat) / 2 or widest >= pitch:
        return None
    half = max(max(abs(p.x_nm), abs(p.y_nm)) for p in mine)
    return BallGrid(round(pitch), widest, half, frozenset(p.number for p in mine))
