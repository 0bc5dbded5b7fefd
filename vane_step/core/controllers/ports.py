"""By which of its pins a controller is programmed, as pin functions and states tell; circuits are judged elsewhere."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vane_step.core.design.model import Pin


@dataclass(frozen=True)
class Port:
    """Two pins of a controller by which it can be programmed."""

    name: str
    pins: tuple[Pin, Pin]


def ports(pins: Iterable[Pin]) -> list[Port]:
    """List the ways in which a controller can be programmed.

    Debug lines are functions ``DBG.IO`` and ``DBG.CK``; a serial loader is the pair of one peripheral whose sender
    toggles, and whose receiver is held up, while the loader runs.
    """
    have = tuple(pins)
    found = []
    debug = [next((p for p in have if f in p.functions), None) for f in ("DBG.IO", "DBG.CK")]
    if debug[0] and debug[1]:
        found.append(Port("DBG", (debug[0], debug[1])))
    for sender in have:
        for function in sender.functions if sender.loader == "toggles" else ():
            unit, _, leg = function.partition(".")
            takes = [p for p in have if f"{unit}.RX" in p.functions and p.loader == "pulled-up"]
            if leg == "TX" and takes:
                found.append(Port(unit, (sender, takes[0])))
    return found
