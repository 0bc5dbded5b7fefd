"""What feeds and loads the circuit and what it is doing: sources, loads, modes, pins' levels, states; what comes of
it is worked out in ``network``."""

from __future__ import annotations

from typing import Annotated, Final, Literal

from pydantic import Field, model_validator

from vane_step.core.design.base import Frozen, Line, Name

# A net such as ``12V``, or a pin such as ``J1.1``.
Point = Annotated[Line, Field(min_length=1, max_length=70)]
Level = Literal["high", "low", "open", "input", "pullup", "pulldown", "analogue"]
# Kinds of cells, whose voltage falls each in its own way; nothing where it is not known.
Cells = Literal["", "lithium", "phosphate", "alkaline", "nickel", "lead", "coin"]
# The sections of a design from which, beside its parts and nets, it follows what the circuit does.
OPERATION: Final = ("sources", "loads", "drives", "modes", "states", "variants", "brief")
# States of a controller that are there without being said.
RESET, LOADER = "reset", "loader"


class Source(Frozen):
    """Something outside that feeds the board: a battery, a plug pack, a USB port.

    ``volts`` is its open voltage, which may lie anywhere from ``low_v`` to ``high_v``; a charged battery is at the high
    end. ``most_a`` is the current at which it holds back, ``ah`` its charge when full, ``cells`` the kind of its cells.
    """

    id: Name
    plus: Point
    minus: Point
    volts: float = Field(ge=-2000, le=2000)
    low_v: float | None = Field(default=None, ge=-2000, le=2000)
    high_v: float | None = Field(default=None, ge=-2000, le=2000)
    ohm: float = Field(default=0.0, ge=0, le=1e6)
    ah: float | None = Field(default=None, gt=0, le=1e5)
    most_a: float | None = Field(default=None, gt=0, le=1e4)
    cells: Cells = ""

    @model_validator(mode="after")
    def _in_order(self) -> Source:
        low, high = self.lowest_v, self.highest_v
        if not low <= self.volts <= high:
            raise ValueError(f"{self.id} has {self.volts:g} V, which is not between {low:g} and {high:g} V")
        return self

    @property
    def lowest_v(self) -> float:
        """The least open voltage."""
        return self.volts if self.low_v is None else self.low_v

    @property
    def highest_v(self) -> float:
        """The greatest open voltage."""
        return self.volts if self.high_v is None else self.high_v


class Load(Frozen):
    """Something outside that draws from the board, or what a part's supply pin draws: by current, resistance or power.

    With a ``mode`` it is there in that mode only; with ``seconds`` it is a pulse.
    """

    id: Name
    plus: Point
    minus: Point
    amps: float | None = Field(default=None, gt=0, le=1e4)
    ohm: float | None = Field(default=None, gt=0, le=1e12)
    watts: float | None = Field(default=None, gt=0, le=1e6)
    mode: Line = Field(default="", max_length=40)
    seconds: float | None = Field(default=None, gt=0, le=3600)

    @model_validator(mode="after")
    def _one_of(self) -> Load:
        if sum(v is not None for v in (self.amps, self.ohm, self.watts)) != 1:
            raise ValueError(f"{self.id} is told by one of current, resistance and power")
        return self


class Drive(Frozen):
    """What a pin does because firmware or somebody outside says so, always or in one mode."""

    id: Annotated[Line, Field(min_length=1, max_length=120)]
    pin: Point
    level: Level
    mode: Line = Field(default="", max_length=40)


class Mode(Frozen):
    """Something the board does, such as sleep or pumping, and for which share of the time."""

    id: Name
    share_pct: float = Field(default=0.0, ge=0, le=100)


class PowerState(Frozen):
    """A state somebody named: which sources are on, how switches and jumpers are set, the mode, the variant."""

    id: Name
    settings: dict[Annotated[Line, Field(max_length=64)], Annotated[Line, Field(max_length=40)]] = Field(
        default_factory=dict
    )
