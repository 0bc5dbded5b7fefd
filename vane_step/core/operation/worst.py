"""The worst of each reading over all states, with the state it occurs in: what every rule of this room is handed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from vane_step.core.circuit.rails import who
from vane_step.core.design.model import Design, Net, Part, pin_name
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.network.readings import Reading, Readings
from vane_step.core.rules import Level


@dataclass(frozen=True)
class Told:
    """A finding in the making: how bad it is decides which state is told."""

    badness: float
    level: Level
    message: str
    reading: float
    limit: float
    state: str
    place: Place
    unit: str | None
    source: str | None
    remedy: Remedy | None


class Worst:
    """Keeps of each rule and thing the worst reading.

    Parameters
    ----------
    design
        The version that is judged.
    readings
        Its states, solved.
    """

    def __init__(self, design: Design, readings: Readings) -> None:
        self.design, self.readings = design, readings
        self._kept: dict[tuple[str, str], Told] = {}
        self.count: dict[tuple[str, str], int] = {}

    def states(self) -> Iterator[Reading]:
        """Give the states that settled."""
        return (r for r in self.readings.all if r.settled)

    def most_volts(self, net: str) -> float:
        """Give the most that stands at a net in any state, whatever its sign."""
        return max((abs(v) for r in self.states() if (v := r.volts.get(net)) is not None), default=0.0)

    def part(self, ref: str) -> str:
        """Name a part with what it is."""
        return who(self.design.parts[ref]) if ref in self.design.parts else ref

    def net(self, part: Part, number: str) -> Net | None:
        """Give the net of a pin."""
        name = self.design.net_of(pin_name(part.ref, number))
        return self.design.nets[name] if name is not None else None

    def note(
        self,
        code: str,
        key: str,
        state: Reading,
        message: str,
        reading: float,
        limit: float,
        *,
        badness: float,
        level: Level,
        place: Place,
        unit: str | None = None,
        source: str | None = None,
        remedy: Callable[[], Remedy | None] | None = None,
    ) -> None:
        """Take a reading beyond its limit; of one thing the worst is told, the graver level first."""
        name = (code, key)
        self.count[name] = self.count.get(name, 0) + 1
        known = self._kept.get(name)
        rank = {"stop": 2.0, "look": 1.0, "note": 0.0}
        if known is not None and (rank[known.level], known.badness) >= (rank[level], badness):
            return
        self._kept[name] = Told(
            badness,
            level,
            message,
            reading,
            limit,
            state.name,
            place,
            unit,
            source,
            remedy() if remedy else None,
        )

    def findings(self) -> Iterator[Finding]:
        """Give what was noted as findings, the state in each."""
        for (code, _), told in self._kept.items():
            yield tell(
                code,
                f"{told.message} in state {told.state}" if told.state else told.message,
                told.reading,
                told.limit,
                told.place,
                level=told.level,
                unit=told.unit,
                source=told.source,
                remedy=told.remedy,
            )
