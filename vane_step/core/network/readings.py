"""What every state of a design reads, kept by its circuit: voltages, currents, heat; what is wrong is found
elsewhere."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Part
from vane_step.core.design.operation import OPERATION
from vane_step.core.errors import VaneStepError
from vane_step.core.memo import MEMO, Kept
from vane_step.core.network.build import Stage
from vane_step.core.network.contacts import throws
from vane_step.core.network.outside import all_sources
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import PartReading, Solved, SourceReading, moved, solve
from vane_step.core.network.states import States, states_of

# After so many states without rest the others are not led by the long ways any more: a circuit that has no ground, say,
# would take a minute to be told so of each.
MOST_RESTLESS = 2
# From this share of a current on a load is what makes it.
PULSE_SHARE = 0.8


@dataclass(frozen=True)
class StageReading:
    """A regulator or converter in one state: its input, its output, what it delivers, what flows back into it."""

    stage: Stage
    in_v: float
    out_v: float
    amps: float
    back_a: float


@dataclass(frozen=True)
class Reading:
    """One state, solved: all that findings, tables and the tree of power show of it.

    ``at`` is where in their range the sources are; ``residual_share`` the largest sum of currents at a node as a
    share of
    the largest current; ``balance_w`` what power is missing.
    """

    setting: Setting
    settled: bool
    volts: Mapping[str, float | None]
    amps: Mapping[str, float]
    parts: Mapping[str, PartReading]
    sources: Mapping[str, SourceReading]
    loads: Mapping[str, SourceReading]
    stages: tuple[StageReading, ...]
    floating: tuple[tuple[str, ...], ...]
    moving: tuple[str, ...]
    dead: Mapping[str, tuple[float, float]]
    residual_a: float
    residual_share: float
    balance_w: float
    way: str

    @property
    def name(self) -> str:
        """How the state is called, with where its sources are."""
        at = "" if self.setting.at == "nominal" else f", sources at the {self.setting.at} end"
        return f"{self.setting.name}{at}"


@dataclass(frozen=True)
class Readings:
    """All states of a design.

    Parameters
    ----------
    all
        Each state at the nominal voltages of its sources, and at the ends of their ranges where they have any.
    states
        What was enumerated.
    unmodelled, unsaid, lost
        What the answers depend on and nobody knows.
    assumed
        What was assumed of each part.
    problem
        Why nothing could be solved, where that is so.
    """

    all: tuple[Reading, ...]
    states: States
    unmodelled: Mapping[str, str]
    unsaid: tuple[str, ...]
    lost: tuple[str, ...]
    assumed: Mapping[str, tuple[str, ...]]
    problem: str = ""

    def nominal(self) -> Iterator[Reading]:
        """Give the states at the nominal voltages of their sources."""
        return (r for r in self.all if r.setting.at == "nominal")

    def of(self, name: str) -> tuple[Reading, ...]:
        """Give a state by name: nominal first, then the ends of its sources' ranges."""
        return tuple(r for r in self.all if r.setting.name == name)


def reading_of(solved: Solved) -> Reading:
    """Keep of a solution what is shown."""
    point = solved.point
    stages = []
    for stage in solved.build.stages:
        given = -solved.through(stage.branch)
        if stage.kind == "inverter":
            given = -given
        stages.append(
            StageReading(
                stage,
                solved.at(stage.into[0]) - solved.at(stage.into[1]),
                solved.at(stage.out[0]) - solved.at(stage.out[1]),
                given,
                float(point.amps[solved.build.circuit.branches[stage.branch].plus])
                * (-1 if stage.kind == "inverter" else 1),
            )
        )
    return Reading(
        solved.setting,
        solved.settled,
        solved.volts,
        solved.amps,
        solved.parts,
        solved.sources,
        solved.loads,
        tuple(stages),
        solved.floating,
        solved.moving,
        solved.dead,
        point.residual_a,
        point.residual_a / point.largest_a if point.largest_a else 0.0,
        point.balance_w,
        point.way,
    )


@derived("parts", "nets", *OPERATION)
def circuit_key(design: Design) -> str:
    """Give a digest of what the circuit does: parts without their places, nets without their copper, what was said."""
    mark = hashlib.blake2b(digest_size=16)
    for part in design.parts.values():
        mark.update(_part_key(part))
    for net in design.nets.values():
        mark.update(f"{net.name}|{net.role}|{net.volts}|{net.pins}".encode())
    for section in OPERATION[:-1]:
        mark.update(design.digest(section).encode())
    mark.update(str(design.brief.ambient_c).encode())
    return mark.hexdigest()


def _part_key(part: Part) -> bytes:
    known = _key_of.get(part.mark())
    if known is None:
        said = (
            part.ref,
            part.value,
            part.package,
            part.kind,
            part.fitted,
            part.catalogue,
            part.params,
            part.pins,
        )
        known = _key_of.put(part.mark(), repr(said).encode())
    return known


_key_of: Kept[bytes] = Kept()


def readings(design: Design) -> Readings:
    """Solve all states of a design; kept until its circuit changes, whatever happens to its board."""
    key = ("readings", circuit_key(design))
    found: Readings | None = MEMO.get(key)
    return found if found is not None else MEMO.put(key, _readings(design), like="readings")


def reading_at(design: Design, setting: Setting) -> Reading:
    """Give what a design reads in a state: as it was solved among all others, else solved now."""
    known: Readings | None = MEMO.get(("readings", circuit_key(design)))

    def marks(s: Setting) -> tuple[object, ...]:
        return s.sources, dict(s.positions), s.mode, s.variant, s.at

    for reading in known.all if known is not None else ():
        if marks(reading.setting) == marks(setting):
            # It is called as whoever asks calls it.
            return replace(reading, setting=setting)
    return reading_of(solve(design, setting))


def _readings(design: Design) -> Readings:
    try:
        states = states_of(design)
    except VaneStepError as error:
        return Readings((), States((), 0, False), {}, (), (), {}, str(error))
    found: list[Reading] = []
    unmodelled: dict[str, str] = {}
    unsaid: dict[str, None] = {}
    lost: dict[str, None] = {}
    assumed: dict[str, tuple[str, ...]] = {}
    starts: list[Solved] = []
    restless = 0
    for setting in states.settings:
        patient = restless < MOST_RESTLESS
        solved = solve(design, setting, start=_nearest(starts, setting), patient=patient)
        restless += not solved.settled
        starts.append(solved)
        unmodelled |= solved.unmodelled
        unsaid |= dict.fromkeys(solved.unsaid)
        lost |= dict.fromkeys(solved.lost)
        for ref, words in solved.build.assumed.items():
            assumed[ref] = tuple(dict.fromkeys((*assumed.get(ref, ()), *words)))
        found.append(reading_of(solved))
        for at in _ends(design, setting):
            end = moved(solved, at, patient=solved.settled and restless < MOST_RESTLESS)
            restless += not end.settled
            found.append(reading_of(end))
    return Readings(tuple(found), states, unmodelled, tuple(unsaid), tuple(lost), assumed)


def _nearest(starts: Sequence[Solved], setting: Setting) -> Solved | None:
    """Give the solved state that differs in least; of those alike the latest."""

    def apart(solved: Solved) -> int:
        other = solved.setting
        turned = sum(other.positions.get(ref) != at for ref, at in setting.positions.items())
        return (
            4 * len(setting.sources ^ other.sources)
            + 3 * (setting.mode != other.mode)
            + 2 * turned
            + (setting.variant != other.variant)
        )

    return min(reversed(starts), key=apart, default=None)


def _ends(design: Design, setting: Setting) -> Sequence[str]:
    """Give the ends of the sources' ranges that are solved as well: of states somebody named, and with all keys at
    rest."""
    known = all_sources(design)
    ranged = any(known[n].lowest_v != known[n].highest_v for n in setting.sources if n in known)
    rest = all(
        at == throws(design.parts[ref])[0]
        for ref, at in setting.positions.items()
        if throws(design.parts[ref])
    )
    return ("low", "high") if ranged and (setting.said or rest) else ()


def pulse_s(design: Design, state: Reading, amps: float) -> float | None:
    """Give for how long a current lasts where a load that pulses makes most of it; none where it may stay."""
    pulses = [
        seconds
        for name, taken in state.loads.items()
        if (seconds := design.loads[name].seconds) is not None and abs(taken.amps) > PULSE_SHARE * amps
    ]
    return max(pulses, default=None)
