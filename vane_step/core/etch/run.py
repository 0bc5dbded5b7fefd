"""One etching of a board as it went: steps ticked off, bath and timer, what was seen, faults and their repair."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.design.base import EtchMethodName
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.etch.bath import Bath, School
from vane_step.core.etch.bath_time import BathState

Seen = Literal["", "clean", "under", "over", "lifted"]
SEEN: Final[dict[str, str]] = {
    "clean": "Clean: bare areas clear, tracks whole",
    "under": "Copper left in places",
    "over": "Eaten too far: edges or thin tracks lost",
    "lifted": "The resist came off in places",
}
KINDS: Final[dict[str, str]] = {
    "gap": "gap in a track",
    "bridge": "bridge between two",
    "pinholes": "pin holes",
    "thin": "eaten thin",
    "lost": "pad lost or loose",
    "shifted": "front and back do not meet",
}
REPAIRS: Final[dict[str, tuple[str, str]]] = {
    "gap": ("draw it with the pen", "solder over it, or a wire jumper along it"),
    "bridge": ("scratch it away with a blade", "cut it with a blade, test for a short"),
    "pinholes": ("go over it with the pen", "a thin coat of solder"),
    "thin": ("go over it with the pen", "a coat of solder, a wire jumper where much current flows"),
    "lost": ("draw it again", "a wire jumper from the lead to the next pad of its net"),
    "shifted": (
        "take that side off and transfer it again",
        "no repair: use the wider rings, or etch it again",
    ),
}
MOST_DEFECTS: Final = 200


class Defect(BaseModel):
    """A fault on the board: where, what, whether it was found before the bath or after, and whether it is mended."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    side: Literal["front", "back"]
    x_mm: float = Field(ge=-1000, le=3000)
    y_mm: float = Field(ge=-1000, le=3000)
    kind: Literal["gap", "bridge", "pinholes", "thin", "lost", "shifted"]
    when: Literal["before", "after"]
    note: str = Field(default="", max_length=200)
    mended: bool = False

    @property
    def repair(self) -> str:
        """What mends it: the pen before the bath, solder or a wire after it."""
        return REPAIRS[self.kind][self.when == "after"]


class EtchRun(BaseModel):
    """One etching of a design.

    Parameters
    ----------
    removed_g
        Copper the bath had to eat.
    spent
        Share of what it can take that the bath had eaten before.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    begun_at: datetime
    version: int = Field(ge=0)
    method: EtchMethodName
    copies: int = Field(default=1, ge=1, le=1000)
    copper_um: float = Field(gt=0, le=500)
    removed_g: float = Field(ge=0, le=10_000)
    bath: str = Field(default="", max_length=40)
    school: School = "ferric"
    spent: float = Field(default=0.0, ge=0, le=100)
    temperature_c: float | None = Field(default=None, ge=0, le=80)
    moved: bool = True
    started_at: datetime | None = None
    stopped_at: datetime | None = None
    seen: Seen = ""
    note: str = Field(default="", max_length=400)
    ticks: dict[str, datetime] = Field(default={}, max_length=60)
    defects: tuple[Defect, ...] = Field(default=(), max_length=MOST_DEFECTS)

    @property
    def seconds(self) -> float | None:
        """How long it was in the bath; None until it is out."""
        if self.started_at is None or self.stopped_at is None:
            return None
        return (self.stopped_at - self.started_at).total_seconds()

    @property
    def state(self) -> BathState:
        """What its time depends on."""
        return BathState(self.school, self.copper_um, self.temperature_c, self.moved, self.spent)


def ticked(run: EtchRun, step: str, at: datetime, known: Iterable[str]) -> EtchRun:
    """Tick a step off, or take the tick back.

    Raises
    ------
    NotFound
        When the method has no such step.
    """
    if step not in (names := tuple(known)):
        raise NotFound(f"There is no step {step}.", where="step", allowed=", ".join(names))
    left = {k: v for k, v in run.ticks.items() if k != step}
    return run.model_copy(update={"ticks": left if step in run.ticks else {**left, step: at}})


def in_bath(
    run: EtchRun, bath: Bath | None, eaten_g: float, temperature_c: float | None, moved: bool, at: datetime
) -> EtchRun:
    """Start the timer: the board goes into a bath; one that came out with copper left goes on where it stopped.

    Raises
    ------
    EditRefused
        When it is in one already, or came out for good.
    """
    if run.seen == "under" and run.seconds is not None:
        # The time it was in counts on.
        begun = at - timedelta(seconds=run.seconds)
        return run.model_copy(update={"started_at": begun, "stopped_at": None, "seen": ""})
    if run.started_at is not None:
        raise EditRefused(
            "This board is in the bath already." if run.stopped_at is None else "This board was etched.",
            where="timer",
            next_step="Say what you see first." if run.stopped_at is None else "Begin another one.",
        )
    update: dict[str, object] = {"started_at": at, "temperature_c": temperature_c, "moved": moved}
    if bath is not None:
        update |= {"bath": bath.id, "school": bath.school, "spent": eaten_g / bath.capacity_g}
    return run.model_copy(update=update)


def out_of_bath(run: EtchRun, seen: str, note: str, at: datetime) -> EtchRun:
    """Stop the timer, with what is seen; a board with copper left may go in again.

    Raises
    ------
    EditRefused
        When it is in no bath.
    InputError
        When what was seen is none of :data:`SEEN`.
    """
    if run.started_at is None or run.stopped_at is not None:
        raise EditRefused("This board is in no bath.", where="timer", next_step="Start the timer first.")
    if seen not in SEEN:
        raise InputError(f"{seen!r} was not asked for.", where="seen", value=seen, allowed=", ".join(SEEN))
    return run.model_copy(update={"stopped_at": at, "seen": seen, "note": note[:400]})


def with_defect(run: EtchRun, defect: Defect) -> EtchRun:
    """Write a fault down.

    Raises
    ------
    EditRefused
        When there are too many: such a board is etched again.
    """
    if len(run.defects) >= MOST_DEFECTS:
        raise EditRefused(
            f"{MOST_DEFECTS} faults are written down.", where="faults", next_step="Etch it again."
        )
    return run.model_copy(update={"defects": (*run.defects, defect)})


def mended(run: EtchRun, number: int) -> EtchRun:
    """Say that a fault is mended, or is not after all; they are counted from 0.

    Raises
    ------
    NotFound
        When there is no such fault.
    """
    if not 0 <= number < len(run.defects):
        raise NotFound(f"There is no fault {number + 1}.", where="faults", allowed=f"1 to {len(run.defects)}")
    some = list(run.defects)
    some[number] = some[number].model_copy(update={"mended": not some[number].mended})
    return run.model_copy(update={"defects": tuple(some)})


def eaten_g(bath: str, runs: Iterable[EtchRun]) -> float:
    """Give how much copper a bath has eaten, from the boards that were in it."""
    return sum(r.removed_g for r in runs if r.bath == bath and r.stopped_at is not None)


def learned(runs: Iterable[EtchRun]) -> list[tuple[BathState, float]]:
    """Give what earlier boards teach: how each was etched, and its seconds; only those that came out clean."""
    return [(r.state, r.seconds) for r in runs if r.seconds is not None and r.seen == "clean"]
