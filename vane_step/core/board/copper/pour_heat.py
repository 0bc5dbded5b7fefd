"""How warm the current of a net makes its pours, at their narrow places above all; tracks are judged by their width.

What a cell turns into heat flows along the copper (390 W/mK) and off it, from each square millimetre as much as from a
track that is just wide enough for the current: the fin equation on the cells of the pour, with the same conductances
that carry the current, since copper carries heat where it carries current.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import diags

from vane_step.core.board.copper.copper_flow import CopperNet, factor
from vane_step.core.board.copper.flows import CopperCurrents
from vane_step.core.power.trace import COPPER_OHM_M, COPPER_W_MK


@dataclass(frozen=True)
class WarmSpot:
    """The warmest place of a net's pours: its layer, where it is, its rise, and the current across a millimetre."""

    layer: str
    x_mm: float
    y_mm: float
    rise_k: float
    a_mm: float


def warmest_spot(copper: CopperNet, flows: CopperCurrents, shed_w_m2k: dict[str, float]) -> WarmSpot | None:
    """Work out where in its pours a net gets warmest by what flows in it.

    Parameters
    ----------
    copper, flows
        The copper of a net, and what flows in it.
    shed_w_m2k
        What copper of each layer gives off, in watts a square metre and kelvin.

    Returns
    -------
    WarmSpot or None
        None where the net has no pours, or nothing flows in them.
    """
    cells = copper.cells()
    sheets = {s.layer: s for s in flows.sheets}
    if not cells or not any(s.watts.any() for s in sheets.values()):
        return None
    shed, heat = np.zeros(copper.size), np.zeros(copper.size)
    for layer, side, unknowns, _ in cells:
        np.add.at(shed, unknowns, shed_w_m2k[layer] * (side / 1000) ** 2)
        if layer in sheets:
            np.add.at(heat, unknowns, sheets[layer].watts)
    # Only what hangs together with a cell sheds anything; the rest, which nothing heats, is left out.
    warm = np.isin(copper.piece, np.unique(copper.piece[np.flatnonzero(shed)]))
    mine = np.flatnonzero(warm)
    matrix = copper.matrix[mine][:, mine] * (COPPER_OHM_M * COPPER_W_MK) + diags(shed[mine])
    rise = np.zeros(copper.size)
    rise[mine] = factor(matrix.tocsc()).solve(heat[mine])
    best: WarmSpot | None = None
    for layer, _, unknowns, middles in cells:
        k = int(np.argmax(rise[unknowns]))
        if best is None or rise[unknowns[k]] > best.rise_k:
            # A contact of several cells is one: the place of most current beside it is what is told.
            near = np.hypot(*(middles - middles[k]).T) < 2.0
            near &= rise[unknowns] > 0.9 * rise[unknowns[k]]
            dense = int(np.argmax(np.where(near, sheets[layer].a_mm, -1.0))) if layer in sheets else k
            a_mm = float(sheets[layer].a_mm[dense]) if layer in sheets else 0.0
            x, y = middles[dense].tolist()
            best = WarmSpot(layer, x, y, float(rise[unknowns[k]]), a_mm)
    return best
