"""What nets are for, and how their names tell it; what a net is otherwise is in ``model``."""

from __future__ import annotations

import re
from typing import Literal

NetRole = Literal["signal", "supply", "ground", "bus", "switching", "sense", "high-current"]

_RAIL = re.compile(
    r"^([+-]|N)?\d+V\d*(_\w*)?$|^V(CC|DD|BUS|BAT|IN|REF|EE|[+-]|_?POS|_?NEG)\w*$|^[AD]V(CC|DD)$", re.I
)
_EARTH = re.compile(r"^([ADP]?GND\w*|VSS\w*|0V)$", re.I)


def role_of_net(name: str) -> NetRole:
    """Tell what a net is for by its name: ``GND`` and ``VSS`` are grounds, ``VCC``, ``5V0`` or ``3V3`` supplies."""
    return "ground" if _EARTH.match(name) else "supply" if _RAIL.match(name) else "signal"
