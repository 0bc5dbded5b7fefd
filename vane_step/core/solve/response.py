"""What small alternating voltages do at an operating point: one input, many frequencies; nothing is drawn here."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.linalg import splu

from vane_step.core.solve.devices import Array
from vane_step.core.solve.operating import OperatingPoint
from vane_step.core.solve.system import System

Complex = NDArray[np.complex128]


def response(system: System, point: OperatingPoint, branch: int, hertz: Sequence[float]) -> Complex:
    """Give all unknowns per volt put in series with a branch.

    Parameters
    ----------
    system
        Equations of the circuit.
    point
        Where it is linearised.
    branch
        The source that is moved by one volt.
    hertz
        Frequencies.

    Returns
    -------
    Complex
        A row for each frequency: voltages of the nodes, ground first, and currents of the branches, per volt.
    """
    loaded = system.load(point.x, point.last)
    row = system.nodes + branch
    drive = np.zeros(system.size, dtype=complex)
    drive[row] = 1.0
    out = np.zeros((len(hertz), system.size), dtype=complex)
    # A leak far below any conductance keeps nodes that only capacitors hold from being undetermined at 0 Hz.
    leak = np.zeros(system.size)
    leak[1 : system.nodes] = 1e-15
    base = system.jacobian(loaded, diagonal=leak)
    if system.dense:
        storing = system.storing_full[1:, 1:]
        for k, f in enumerate(hertz):
            out[k, 1:] = np.linalg.solve(base + 2j * np.pi * f * storing, drive[1:])
        return out
    storing = system.storing[1:, 1:]
    for k, f in enumerate(hertz):
        out[k, 1:] = splu((base + 2j * np.pi * f * storing).tocsc()).solve(drive[1:])
    return out


def decades(low_hz: float, high_hz: float, a_decade: int = 20) -> Array:
    """Give frequencies evenly spread in their logarithm, both ends among them."""
    count = max(2, round(np.log10(high_hz / low_hz) * a_decade) + 1)
    return np.geomspace(low_hz, high_hz, count)
