"""How a Gerber file writes coordinates and texts, and how apertures are laid; commands are read elsewhere."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from vane_step.core.fab.read_arcs import Spot


@dataclass(frozen=True)
class Turned:
    """How apertures are laid: mirrored, turned (degrees) and scaled."""

    mirror: tuple[int, int] = (1, 1)
    degrees: float = 0.0
    scale: float = 1.0

    def point(self, p: Spot, at: Spot) -> Spot:
        """Lay a point of a block at a place."""
        x, y = p[0] * self.mirror[0] * self.scale, p[1] * self.mirror[1] * self.scale
        c, s = np.cos(np.radians(self.degrees)), np.sin(np.radians(self.degrees))
        return float(at[0] + c * x - s * y), float(at[1] + s * x + c * y)


@dataclass(frozen=True)
class Format:
    """How coordinates are written: digits before and after the point in x and y, which zeros are left out."""

    whole: tuple[int, int] = (2, 2)
    decimals: tuple[int, int] = (4, 4)
    left_out: str = "L"

    def value(self, text: str, axis: int) -> float:
        """Read a coordinate in the file's unit."""
        if "." in text or self.left_out == "D":
            return float(text)
        sign, digits = (-1, text[1:]) if text.startswith("-") else (1, text.lstrip("+"))
        if self.left_out == "T":
            digits = digits.ljust(self.whole[axis] + self.decimals[axis], "0")
        return sign * int(digits) * 10.0 ** -self.decimals[axis]


def plain(text: str) -> str:
    r"""Give a text of an attribute with its characters written as \\u and \\U as they are."""
    return re.sub(
        r"\\u([0-9A-Fa-f]{4})|\\U(0010[0-9A-Fa-f]{4}|000[0-9A-Fa-f]{5})",
        lambda m: chr(int(m[1] or m[2], 16)),
        text,
    )
