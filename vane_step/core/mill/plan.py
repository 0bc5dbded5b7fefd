"""What milling a board goes by: the tools, how deep and how fast they cut; ways are worked out elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Final

from vane_step.core.errors import InputError
from vane_step.core.quantity import parse_length_nm, parse_value

# What each figure may be, its least and most, in its own unit.
RANGES: Final[dict[str, tuple[float, float, str]]] = {
    "cut_mm": (0.05, 3.0, "mm"),
    "passes": (1, 12, ""),
    "overlap": (0.0, 0.9, ""),
    "depth_mm": (0.01, 1.0, "mm"),
    "feed_mm_min": (10, 6000, "mm a minute"),
    "plunge_mm_min": (5, 3000, "mm a minute"),
    "rapid_mm_min": (100, 20000, "mm a minute"),
    "safe_mm": (0.3, 30.0, "mm"),
    "cutter_mm": (0.3, 6.0, "mm"),
    "step_mm": (0.05, 3.0, "mm"),
    "tabs": (0, 12, ""),
    "spindle_rpm": (1000, 60000, "turns a minute"),
}


@dataclass(frozen=True)
class MillPlan:
    """Tools and figures of milling; the usual ones are a 0.2 mm engraving bit and a 1 mm end mill (rules of thumb).

    Parameters
    ----------
    cut_mm
        How wide the engraving bit cuts at its depth.
    passes, overlap
        How many ways round each piece of copper, and which share of a cut the next covers again.
    depth_mm
        How deep it cuts: through the copper and a little more.
    cutter_mm, step_mm, tabs
        Of the outline: the end mill, how much deeper each round goes, and how many bridges hold the board.
    """

    cut_mm: float = 0.2
    passes: int = 2
    overlap: float = 0.4
    depth_mm: float = 0.08
    feed_mm_min: float = 240.0
    plunge_mm_min: float = 60.0
    rapid_mm_min: float = 1500.0
    safe_mm: float = 2.0
    cutter_mm: float = 1.0
    step_mm: float = 0.5
    tabs: int = 4
    spindle_rpm: float = 10_000.0

    def __post_init__(self) -> None:
        for name, (least, most, unit) in RANGES.items():
            value = getattr(self, name)
            if not least <= value <= most:
                raise InputError(
                    f"{name.split('_')[0]} is {value:g} {unit}".rstrip() + ".",
                    where=name,
                    value=value,
                    allowed=f"{least:g} to {most:g} {unit}".strip(),
                )


def plan_of(said: Mapping[str, str]) -> MillPlan:
    """Read a plan from words: lengths with their unit, the rest as numbers; what is not said is as usual.

    Raises
    ------
    InputError
        When something is not known, cannot be read or lies out of its range.
    """
    known = {
        f.name.removesuffix("_mm").removesuffix("_mm_min").removesuffix("_rpm"): f.name
        for f in fields(MillPlan)
    }
    values: dict[str, float | int] = {}
    for word, text in said.items():
        if word not in known:
            raise InputError(f"Milling has no {word}.", where="mill", value=word, allowed=", ".join(known))
        name = known[word]
        if not text.strip():
            continue
        if name.endswith("_mm"):
            values[name] = parse_length_nm(text, word) / 1e6
        else:
            value = parse_value(text, word)
            values[name] = int(value) if name in ("passes", "tabs") else value
    return MillPlan(**values)  # type: ignore[arg-type]
