"""One state of the board: sources that are on, positions of switches and jumpers, the mode, the variant; nothing is
solved."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

# Modes that are there where nobody named any: all outputs low, and all high, are the ends of what firmware can do.
LOW_MODE, HIGH_MODE = "outputs-low", "outputs-high"


@dataclass(frozen=True)
class Setting:
    """A state the board can be in.

    Parameters
    ----------
    name
        How it is called, on pages and in reports.
    sources
        Names of the sources that are connected.
    positions
        What switches, jumpers, trimmers and sensors are set to, by reference.
    mode
        What firmware is doing: a mode, ``reset`` or ``loader``.
    variant
        Which parts are fitted; the circuit as drawn where it is empty.
    at
        Where in their range sources are: ``low``, ``nominal`` or ``high``.
    said
        Whether somebody named it.
    empty
        The moment after the sources were connected: capacitors hold nothing yet and take what their series resistance
        lets them.
    """

    name: str
    sources: frozenset[str] = frozenset()
    positions: Mapping[str, str] = field(default_factory=dict)
    mode: str = ""
    variant: str = ""
    at: str = "nominal"
    said: bool = False
    empty: bool = False

    def told(self) -> str:
        """Say what is set, in one line."""
        words = [*sorted(self.sources)] or ["no source"]
        words += [f"{ref} {position}" for ref, position in sorted(self.positions.items())]
        words += [self.mode] if self.mode else []
        words += [self.variant] if self.variant else []
        return ", ".join(words)
