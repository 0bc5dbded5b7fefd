"""Pins of real parts from files: tables, BSDL and IBIS, and whether they fit a package; land patterns are elsewhere."""

from vane_step.core.parts.pinfiles.reading import read_pins
from vane_step.core.parts.pinfiles.table import PinTable, fit

__all__ = ["PinTable", "fit", "read_pins"]
