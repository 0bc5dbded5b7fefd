"""What is read from files for a board house: layers, objects, holes, points of a netlist; nothing is read here."""

from __future__ import annotations

from dataclasses import dataclass, field

from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry


class UnreadableFile(ValueError):
    """A file that cannot be read; the message names file and line."""


@dataclass
class ReadFlash:
    """A flashed object: its place, aperture and attributes."""

    x: float
    y: float
    aperture: int
    attributes: dict[str, tuple[str, ...]]


@dataclass(frozen=True)
class ReadObject:
    """A drawn object: whether it adds or removes, what it is, its aperture, and its points in millimetres."""

    dark: bool
    kind: str
    aperture: int
    points: tuple[tuple[float, float], ...]


@dataclass
class ReadLayer:
    """What a Gerber file shows; of its image what was filled as regions, and what was flashed.

    ``widths_mm`` says of each of ``lines`` how wide it was drawn, 0 where it takes away or was not drawn round;
    ``old`` is what of the file is of an older kind than the standard now allows.
    """

    name: str
    function: tuple[str, ...] = ()
    polarity: str = ""
    image: BaseGeometry = field(default_factory=Polygon)
    filled: BaseGeometry = field(default_factory=Polygon)
    flashed: BaseGeometry = field(default_factory=Polygon)
    flashes: list[ReadFlash] = field(default_factory=list)
    lines: list[tuple[tuple[float, float], tuple[float, float]]] = field(default_factory=list)
    widths_mm: list[float] = field(default_factory=list)
    old: list[str] = field(default_factory=list)

    @property
    def thinnest_mm(self) -> float | None:
        """The least width anything was drawn with."""
        return min((w for w in self.widths_mm if w > 0), default=None)


@dataclass(frozen=True)
class DrillFormat:
    """How coordinates without a point are to be read: digits before and after it, and which zeros were left out."""

    unit: str
    whole: int
    decimals: int
    left_out: str

    def told(self) -> str:
        """Say it in words."""
        return f"{self.unit}, {self.whole}.{self.decimals}, {self.left_out} zeros left out"


@dataclass
class ReadDrill:
    """What a drill file asks for: x, y and diameter of each hole, and of each slot both ends and its width, in mm.

    ``plated`` is a guess where the file does not ``say`` it; ``form`` is how its numbers were read, ``sure`` whether it
    said so itself.
    """

    name: str
    plated: bool
    holes: list[tuple[float, float, float]]
    slots: list[tuple[float, float, float, float, float]] = field(default_factory=list)
    says: bool = True
    form: DrillFormat | None = None
    sure: bool = True

    @property
    def bores(self) -> list[tuple[float, float, float]]:
        """The holes, and both ends of each slot: x, y and diameter."""
        return [*self.holes, *((x, y, s[4]) for s in self.slots for x, y in (s[:2], s[2:4]))]


@dataclass
class ReadPoint:
    """A record of the test netlist."""

    net: str
    ref: str
    pin: str
    x: float
    y: float
    hole: float
    access: int
