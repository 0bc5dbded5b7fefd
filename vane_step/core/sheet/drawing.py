"""What a drawn sheet consists of, in sheet units (one unit is a CSS pixel at natural size, y down)."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

CHAR = 7.0
ROW = 23.0
PILL = 18.0


def text_width(text: str) -> float:
    """Give the width of monospaced text as drawn on the sheet."""
    return len(text) * CHAR


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle; used to see to it that nothing covers anything."""

    x0: float
    y0: float
    x1: float
    y1: float

    def moved(self, dx: float, dy: float) -> Box:
        """Give the box shifted."""
        return Box(self.x0 + dx, self.y0 + dy, self.x1 + dx, self.y1 + dy)

    def overlaps(self, other: Box, gap: float = 0.0) -> bool:
        """Tell whether two boxes come nearer than ``gap``."""
        return (
            self.x0 < other.x1 + gap
            and other.x0 < self.x1 + gap
            and self.y0 < other.y1 + gap
            and other.y0 < self.y1 + gap
        )


@dataclass(frozen=True, slots=True)
class Mark:
    """One thing drawn: its kind tells the template which shape to use.

    Kinds: ``card``, ``tab`` (a pin of a card), ``part`` (a two-terminal symbol), ``pill`` (a net's name),
    ``supply``, ``ground``, ``open`` (a pin left open), ``free`` (a pin meant to be open), ``text``, ``dot``, ``ink``
    (a stroke through ``points``, from the mark's corner; closed and filled where its shape is ``solid``).
    ``turn`` is 0 for upright symbols with pin 1 on top, 90, 180, 270 clockwise.
    """

    kind: str
    x: float
    y: float
    w: float = 0.0
    h: float = 0.0
    turn: int = 0
    label: str = ""
    detail: str = ""
    ref: str = ""
    pin: str = ""
    net: str = ""
    role: str = ""
    shape: str = ""
    points: tuple[tuple[float, float], ...] = ()

    @property
    def path(self) -> str:
        """The stroke of an ``ink`` mark as an SVG path."""
        return "M" + "L".join(f"{self.x + x:g} {self.y + y:g}" for x, y in self.points)

    def box(self) -> Box:
        """Give the rectangle the mark fills."""
        return Box(self.x, self.y, self.x + self.w, self.y + self.h)


@dataclass(frozen=True, slots=True)
class Wire:
    """A straight orthogonal piece of wire of one net."""

    net: str
    x0: float
    y0: float
    x1: float
    y1: float


@dataclass
class Group:
    """Marks and wires that move together, named by the part that anchors them."""

    anchor: str
    marks: list[Mark] = field(default_factory=list)
    wires: list[Wire] = field(default_factory=list)

    def boxes(self) -> list[Box]:
        """Give the rectangles of all marks and wires."""
        boxes = [m.box() for m in self.marks]
        boxes += [Box(min(w.x0, w.x1), min(w.y0, w.y1), max(w.x0, w.x1), max(w.y0, w.y1)) for w in self.wires]
        return boxes

    def box(self) -> Box:
        """Give the rectangle that holds everything in the group."""
        boxes = self.boxes()
        return Box(
            min(b.x0 for b in boxes),
            min(b.y0 for b in boxes),
            max(b.x1 for b in boxes),
            max(b.y1 for b in boxes),
        )

    def moved(self, dx: float, dy: float) -> Group:
        """Give the group shifted."""
        marks = [replace(m, x=m.x + dx, y=m.y + dy) for m in self.marks]
        wires = [Wire(w.net, w.x0 + dx, w.y0 + dy, w.x1 + dx, w.y1 + dy) for w in self.wires]
        return Group(self.anchor, marks, wires)


@dataclass(frozen=True)
class Zone:
    """The quiet area of a block, or of parts that are guessed to belong together."""

    title: str
    box: Box
    guessed: bool = False


@dataclass
class Drawing:
    """A whole sheet."""

    width: float
    height: float
    zones: list[Zone]
    groups: list[Group]
