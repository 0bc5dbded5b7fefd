"""Each state in a row: the worst of every kind of reading with what it is held against, whether it is over or not."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final, Literal

from vane_step.core.design.model import Design
from vane_step.core.network.readings import Reading, Readings
from vane_step.core.operation.bearing import MOST_C, currents, junction_c
from vane_step.core.operation.rails import supply_margins
from vane_step.core.operation.worst import Worst

# Under this share of their limit readings are not worth a cell.
TOLD_SHARE: Final = 1e-4
KINDS: Final = (
    ("supply", "lowest supply"),
    ("stage", "regulators"),
    ("current", "currents of parts"),
    ("heat", "heat"),
    ("back", "back-feed"),
)


@dataclass(frozen=True)
class Cell:
    """The worst reading of a kind in a state: of what, the reading and its limit, and the level of a finding on it."""

    of: str = ""
    reading: float = 0.0
    limit: float | None = None
    unit: str = ""
    held: Literal["at most", "at least"] = "at most"
    level: Literal["", "stop", "look"] = ""


@dataclass(frozen=True)
class Row:
    """A state with what its sources give and its cells by kind."""

    reading: Reading
    watts: float
    cells: dict[str, Cell]

    @property
    def level(self) -> str:
        """The gravest level in it."""
        levels = {c.level for c in self.cells.values()}
        return "stop" if "stop" in levels else "look" if "look" in levels else ""


def overview(design: Design, found: Readings) -> list[Row]:
    """Give a row for each state, over the range of its sources the worst of each kind."""
    worst = Worst(design, found)
    rows = []
    groups: dict[str, list[Reading]] = {}
    for reading in found.all:
        groups.setdefault(reading.setting.name, []).append(reading)
    for group in groups.values():
        cells: dict[str, Cell] = {}
        for kind, give in (
            ("supply", _supply),
            ("stage", _stage),
            ("current", _current),
            ("heat", _heat),
            ("back", _back),
        ):
            options = [option for reading in group if reading.settled for option in give(worst, reading)]
            worst_of = max(options, key=lambda o: o[0], default=(0.0, Cell()))
            cells[kind] = worst_of[1] if worst_of[0] > TOLD_SHARE else Cell()
        rows.append(Row(group[0], sum(max(s.watts, 0.0) for s in group[0].sources.values()), cells))
    return rows


def _level(share: float, warns: float = 1.0) -> Literal["", "stop", "look"]:
    return "stop" if share > 1.0005 else "look" if share > warns else ""


def _supply(worst: Worst, reading: Reading) -> Iterator[tuple[float, Cell]]:
    for ref, volts, least, most in supply_margins(worst, reading):
        if volts > most:
            yield 10 + volts / most, Cell(ref, volts, most, "V", "at most", "stop")
        elif least > 0 and volts > 0.35 * least:
            yield (
                least / volts,
                Cell(ref, volts, least, "V", "at least", "stop" if volts < least * 0.9995 else ""),
            )


def _stage(worst: Worst, reading: Reading) -> Iterator[tuple[float, Cell]]:
    for s in reading.stages:
        if s.stage.most_a:
            share = s.amps / s.stage.most_a
            yield share, Cell(s.stage.ref, s.amps, s.stage.most_a, "A", level=_level(share))


def _current(worst: Worst, reading: Reading) -> Iterator[tuple[float, Cell]]:
    for ref in reading.parts:
        part = worst.design.parts.get(ref)
        for amps, limit, pin in currents(part, reading) if part is not None else ():
            name = ref if part is not None and len(part.pins) == 2 else f"{ref}.{pin}"
            yield amps / limit, Cell(name, amps, limit, "A", level=_level(amps / limit))


def _heat(worst: Worst, reading: Reading) -> Iterator[tuple[float, Cell]]:
    for ref, p in reading.parts.items():
        part = worst.design.parts.get(ref)
        if part is None:
            continue
        known = junction_c(worst, part, p.watts)
        if known is not None:
            rise = (known[0] - worst.design.brief.ambient_c) / (MOST_C - worst.design.brief.ambient_c)
            yield rise, Cell(ref, known[0], MOST_C, "°C", level=_level(rise, 0.8))
        bears = part.params.get("power_w")
        if bears and part.kind == "resistor":
            yield p.watts / bears, Cell(ref, p.watts, bears, "W", level=_level(p.watts / bears, 0.8))


def _back(worst: Worst, reading: Reading) -> Iterator[tuple[float, Cell]]:
    for name, s in reading.sources.items():
        if s.amps < -1e-5:
            yield (
                -s.amps,
                Cell(
                    name,
                    -s.amps,
                    1e-3,
                    "A",
                    level="stop" if s.amps < -5e-3 else "look" if s.amps < -1e-3 else "",
                ),
            )
    for stage in reading.stages:
        if stage.back_a > 1e-5 and stage.stage.kind not in ("charger", "switch"):
            level: Literal["", "stop", "look"] = (
                "stop" if stage.back_a > 5e-3 else "look" if stage.back_a > 1e-3 else ""
            )
            yield stage.back_a, Cell(stage.stage.ref, stage.back_a, 1e-3, "A", level=level)
