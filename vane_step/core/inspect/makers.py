"""Measures of a board's files held against what makers can do, and by which class; nothing is measured here."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from vane_step.core.inspect.measures import Measure

# What is measured at least, by a maker; the other limits are told each in its own way.
AT_LEAST: Final = ("track", "gap", "ring", "edge", "web", "drill", "slot", "ink", "bridge")
# What makers keep between two openings of mask where they say nothing of it.
BRIDGE_MM: Final = 0.1
# What is measured from polygons that stand for circles, and told in whole micrometres, may be off by so much.
OFF_MM: Final = 0.001


@dataclass(frozen=True)
class Class:
    """What a maker makes in one class: least values in millimetres by measure, and how many times the price it is."""

    name: str
    least: Mapping[str, float]
    factor: float = 1.0


@dataclass(frozen=True)
class Maker:
    """What a maker can make.

    Parameters
    ----------
    name, title
        Its key, and what it is called.
    source
        Where the figures are from, such as "asked 2026-11-30".
    classes
        From the coarsest and cheapest to the finest; at least one.
    layers
        How many copper layers it makes.
    largest_drill_mm
        The widest hole it bores.
    largest_mm
        The longer and the shorter side of its largest board, where it says so.
    """

    name: str
    title: str
    source: str
    classes: tuple[Class, ...]
    layers: tuple[int, ...]
    largest_drill_mm: float | None = None
    largest_mm: tuple[float, float] | None = None


@dataclass(frozen=True)
class Verdict:
    """A measure against one maker's limit: whether it holds, what is asked, and in which class where it has several.

    ``only`` names what is made where that is no range, such as "2 or 4"; ``asks`` says what is asked in words.
    """

    maker: str
    key: str
    limit: float
    most: bool
    holds: bool
    grade: str = ""
    only: str = ""

    @property
    def asks(self) -> str:
        """What is asked: a least or a most in the measure's unit, or what alone is made."""
        return self.only or f"{'≤' if self.most else '≥'} {self.limit:g}"


@dataclass(frozen=True)
class Ability:
    """Whether a maker makes a board: the class that does at the least, or the measures it cannot make, by key."""

    maker: str
    title: str
    source: str
    grade: str
    factor: float
    cannot: tuple[str, ...]


def held_against(measures: Iterable[Measure], makers: Sequence[Maker]) -> list[Verdict]:
    """Hold each measure against each maker; what a maker says nothing of is left out."""
    known = list(measures)
    sides = sorted(m.value for m in known if m.key in ("width", "height"))
    found = []
    for maker in makers:
        for m in known:
            verdict = _fineness(m, maker) if m.key in AT_LEAST else _other(m, maker, sides)
            if verdict is not None:
                found.append(verdict)
    return found


def abilities(verdicts: Iterable[Verdict], makers: Sequence[Maker]) -> list[Ability]:
    """Tell of each maker whether it makes the board, and in which class, which is the finest any measure asks for."""
    known = list(verdicts)
    found = []
    for maker in makers:
        own = [v for v in known if v.maker == maker.name]
        names = [c.name for c in maker.classes]
        finest = max((names.index(v.grade) for v in own if v.holds and v.grade in names), default=0)
        cannot = tuple(v.key for v in own if not v.holds)
        grade = maker.classes[finest]
        found.append(Ability(maker.name, maker.title, maker.source, grade.name, grade.factor, cannot))
    return found


def _fineness(m: Measure, maker: Maker) -> Verdict | None:
    limits = [(c.name, c.least.get(m.key, BRIDGE_MM if m.key == "bridge" else None)) for c in maker.classes]
    said = [(name, limit) for name, limit in limits if limit is not None]
    if not said:
        return None
    for name, limit in said:
        if m.value >= limit - OFF_MM:
            return Verdict(maker.name, m.key, limit, False, True, name)
    return Verdict(maker.name, m.key, said[-1][1], False, False, said[-1][0])


def _other(m: Measure, maker: Maker, sides: Sequence[float]) -> Verdict | None:
    if m.key == "largest" and maker.largest_drill_mm is not None:
        limit = maker.largest_drill_mm
        return Verdict(maker.name, m.key, limit, True, m.value <= limit + OFF_MM)
    if m.key == "layers":
        only = " or ".join(map(str, sorted(maker.layers)))
        holds = int(m.value) in maker.layers
        return Verdict(maker.name, m.key, float(max(maker.layers)), True, holds, only=only)
    if m.key == "printed":
        return Verdict(maker.name, m.key, 0.0, True, m.value <= 0)
    if m.key in ("width", "height") and maker.largest_mm is not None:
        longer = m.value >= sides[-1]
        limit = max(maker.largest_mm) if longer else min(maker.largest_mm)
        return Verdict(maker.name, m.key, limit, True, m.value <= limit + OFF_MM)
    return None
