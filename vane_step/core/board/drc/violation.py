"""How a breach of a maker's rule is told: its place, its source and its words; finding it is elsewhere."""

from __future__ import annotations

from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.geometry.shapes import CopperItem
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.quantity import nm
from vane_step.core.rules import Level

TOLERANCE_MM = 1e-6


def source(laid: Layout) -> str:
    """Name the rule set as the source of a limit."""
    return laid.rules.title or laid.rules.name


def at(x_mm: float, y_mm: float, item: CopperItem | None = None, **more: object) -> Place:
    """Give a place on the board in whole nanometres."""
    base: dict[str, object] = {"x_nm": nm(x_mm), "y_nm": nm(y_mm)}
    if item is not None:
        base["net"] = item.net
        if item.kind == "pad":
            base["pins"] = (item.id,)
    return Place.model_validate({**base, **more})


def sentence(text: str) -> str:
    """Begin with a capital and leave names of nets and pins as they are."""
    return text[:1].upper() + text[1:]


def named(item: CopperItem) -> str:
    """Say what a piece of copper is, and of which net."""
    what = {
        "pad": f"pad {item.id}",
        "track": "a track",
        "via": "a via",
        "jumper": f"jumper {item.id}",
        "text": f"text {item.id}",
    }[item.kind]
    return what + (f" of {item.net}" if item.net else "")


def breach(
    laid: Layout,
    code: str,
    message: str,
    reading: float,
    limit: float,
    place: Place,
    level: Level | None = None,
    unit: str | None = None,
    remedy: Remedy | None = None,
    origin: str = "",
) -> Finding:
    """Make the finding of a reading beyond its limit; the source is the maker's rule set, or ``origin``."""
    return tell(
        code,
        message,
        reading,
        limit,
        place,
        level=level,
        unit=unit,
        source=origin or source(laid),
        remedy=remedy,
    )


def who_wants(design: Design, name: str) -> str:
    """Name what asks for a zone without copper: the land pattern of a part, or a zone of the board."""
    return f"land pattern of {name}" if name in design.parts else f"zone {name}"
