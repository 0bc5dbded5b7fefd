"""Junctions and transistors, many at once: their currents and slopes at given voltages; which network is elsewhere."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from vane_step.core.solve.circuit import THERMAL_V, Circuit

Array = NDArray[np.float64]
Places = NDArray[np.int64]
# Conductance across every junction and channel: what keeps a circuit of blocking parts solvable. Part of the model.
LEAK_S: Final = 1e-12
# Beyond this exponent the curve goes on as its tangent.
STEEP: Final = 80.0


def limited(new: Array, old: Array, slope: Array, critical: Array) -> Array:
    """Keep the steps of junction voltages in bounds: along the exponential they go by its logarithm.

    Upwards as Nagel (1975) does, lest the current explode; downwards as well, where Newton's method would come down
    by no
    more than one slope at a time.
    """
    step = (new - old) / slope
    up = (new > critical) & (step > 2)
    down = (step > -1) & (step < -0.3) & (old > 0)
    if not (up.any() or down.any()):
        return new
    with np.errstate(invalid="ignore", divide="ignore"):
        along = old + slope * np.log1p(np.maximum(step, -1 + 1e-13))
        first = slope * np.log(np.maximum(new / slope, 1e-30))
    return np.where(up, np.where(old > 0, along, first), np.where(down, along, new))


def _exponential(v: Array, saturation: Array, slope: Array) -> tuple[Array, Array]:
    """Give current and conductance of junctions, without the ``- 1``'s leak."""
    u = v / slope
    e = np.exp(np.minimum(u, STEEP))
    over = np.maximum(u - STEEP, 0.0)
    return saturation * (e * (1 + over) - 1), saturation * e / slope


class Diodes:
    """All diodes of a circuit."""

    def __init__(self, circuit: Circuit) -> None:
        rows = np.array(circuit.diodes, dtype=float).reshape(-1, 5)
        self.terminals = rows[:, :2].astype(np.int64).T
        self.saturation, self.slope, self.offset = rows[:, 2], rows[:, 3], rows[:, 4]
        self.critical = self.slope * np.log(self.slope / (np.sqrt(2) * self.saturation))

    def begin(self) -> Array:
        """Give the voltages iteration starts from: just conducting, those with an offset blocking."""
        return np.where(self.offset > 0, -self.offset, self.critical)

    def across(self, v: Array) -> Array:
        """Give the junctions' voltages as they are."""
        found: Array = v[0] - v[1] - self.offset
        return found

    def load(self, v: Array, last: Array) -> tuple[Array, Array, Array, bool]:
        """Give the currents into the terminals, their slopes, the voltages used, and whether any was held back."""
        across = v[0] - v[1]
        at = limited(across - self.offset, last, self.slope, self.critical)
        i, g = _exponential(at, self.saturation, self.slope)
        # An offset junction carries nothing at 0 V.
        i = i + np.where(self.offset > 0, self.saturation, 0.0)
        g = g + LEAK_S
        i = i + LEAK_S * (at + self.offset) + g * (across - self.offset - at)
        jac = np.empty((2, 2, len(i)))
        jac[0, 0], jac[0, 1], jac[1, 0], jac[1, 1] = g, -g, -g, g
        held = bool((np.abs(across - self.offset - at) > 1e-9 + 1e-6 * np.abs(at)).any())
        return np.stack([i, -i]), jac, at, held


class Bipolars:
    """All bipolar transistors of a circuit, by the transport form of Ebers and Moll."""

    def __init__(self, circuit: Circuit) -> None:
        rows = np.array(circuit.bipolars, dtype=float).reshape(-1, 8)
        self.terminals = rows[:, :3].astype(np.int64).T
        self.saturation, self.slope, self.forward, self.reverse, self.sign = rows[:, 3:].T
        self.critical = self.slope * np.log(self.slope / (np.sqrt(2) * self.saturation))

    def begin(self) -> Array:
        """Give the voltages of both junctions iteration starts from: base to emitter just conducting."""
        return np.stack([self.critical, np.zeros_like(self.critical)])

    def across(self, v: Array) -> Array:
        """Give the junctions' voltages as they are."""
        return np.stack([self.sign * (v[1] - v[2]), self.sign * (v[1] - v[0])])

    def load(self, v: Array, last: Array) -> tuple[Array, Array, Array, bool]:
        """Give the currents into collector, base and emitter, their slopes, and the junctions' voltages used."""
        s = self.sign
        be, bc = s * (v[1] - v[2]), s * (v[1] - v[0])
        at_e = limited(be, last[0], self.slope, self.critical)
        at_c = limited(bc, last[1], self.slope, self.critical)
        ie, ge = _exponential(at_e, self.saturation, self.slope)
        ic, gc = _exponential(at_c, self.saturation, self.slope)
        ge, gc = ge + LEAK_S, gc + LEAK_S
        ie = ie + LEAK_S * at_e + ge * (be - at_e)
        ic = ic + LEAK_S * at_c + gc * (bc - at_c)
        # Transport current from collector to emitter, and what the base takes for each junction.
        base_e, base_c = 1 / self.forward, 1 / self.reverse
        collector = s * (ie - ic * (1 + base_c))
        base = s * (ie * base_e + ic * base_c)
        jac = np.zeros((3, 3, len(be)))
        # By the base to emitter and the base to collector voltage; the signs cancel.
        jac[0, 1], jac[0, 2] = ge - gc * (1 + base_c), -ge
        jac[0, 0] = gc * (1 + base_c)
        jac[1, 1], jac[1, 2], jac[1, 0] = ge * base_e + gc * base_c, -ge * base_e, -gc * base_c
        jac[2] = -jac[0] - jac[1]
        held = bool((np.abs(be - at_e) > 1e-9).any() or (np.abs(bc - at_c) > 1e-9).any())
        return np.stack([collector, base, -collector - base]), jac, np.stack([at_e, at_c]), held


class Fets:
    """All field-effect transistors of a circuit."""

    def __init__(self, circuit: Circuit) -> None:
        rows = np.array(circuit.fets, dtype=float).reshape(-1, 6)
        self.terminals = rows[:, :3].astype(np.int64).T
        self.threshold, self.strength, self.sign = rows[:, 3:].T

    def begin(self) -> Array:
        """Nothing is remembered of them."""
        return np.zeros(0)

    def across(self, v: Array) -> Array:
        """Nothing is remembered of them."""
        return np.zeros(0)

    def load(self, v: Array, last: Array) -> tuple[Array, Array, Array, bool]:
        """Give the currents into drain, gate and source, and their slopes."""
        s = self.sign
        scale = 2 * self.strength * THERMAL_V**2
        out: list[Array] = []
        for end in (2, 0):
            u = (s * (v[1] - v[end]) - self.threshold) / (2 * THERMAL_V)
            soft = np.logaddexp(0.0, u)
            out += [
                scale * soft**2,
                scale * 2 * soft / (1 + np.exp(-np.clip(u, -500, 500))) / (2 * THERMAL_V),
            ]
        to_source, slope_s, to_drain, slope_d = out
        i = s * (to_source - to_drain) + LEAK_S * (v[0] - v[2])
        jac = np.zeros((3, 3, len(i)))
        jac[0, 1] = slope_s - slope_d
        jac[0, 2] = -slope_s - LEAK_S
        jac[0, 0] = slope_d + LEAK_S
        jac[2] = -jac[0]
        return np.stack([i, np.zeros_like(i), -i]), jac, last, False
