"""A design's network in one state as it grows: a terminal for every pin, elements put between them, what was assumed.

What a kind of part does is in the modules beside this one; each declares its models with :func:`model`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, Literal

from vane_step.core.circuit.electrics import value_of
from vane_step.core.circuit.rails import LOWER_SUPPLIES
from vane_step.core.design.model import Design, Part, Pin, natural, pin_name
from vane_step.core.memo import Kept
from vane_step.core.network.setting import Setting
from vane_step.core.solve.circuit import GROUND, Circuit
from vane_step.core.solve.laws import Sourced

JOIN_OHM: Final = 1e-3
StageKind = Literal["linear", "buck", "boost", "converter", "inverter", "switch", "reference", "charger"]


@dataclass(frozen=True)
class Stage:
    """A part that makes one rail of another, and what it bears: what findings and the tree of power go by.

    Terminals are those of the network; ``branch`` is the branch whose current is delivered (negative when it is).
    """

    ref: str
    kind: StageKind
    into: tuple[int, int]
    out: tuple[int, int]
    branch: int
    most_a: float | None
    in_low_v: float | None = None
    in_high_v: float | None = None
    drop_v: float = 0.0
    duty_most: float | None = None
    held_v: float | None = None
    coil: str = ""
    switching_hz: float | None = None
    into_pin: str = ""
    out_pin: str = ""


@dataclass(frozen=True)
class Outer:
    """A source or a load outside of the board, as it was put in: its terminals and its branch."""

    name: str
    plus: int
    minus: int
    branch: int
    kind: Literal["source", "load"]
    most_a: float | None = None


# The pins of a part by name, worked out once a part.
NAMED: Final[Kept[dict[str, list[Pin]]]] = Kept()


class Pins:
    """The pins of a part by name, each with its terminal; pins called alike share the first one that is connected."""

    def __init__(self, build: Build, part: Part) -> None:
        self._build, self.part = build, part
        known = NAMED.get(part.mark())
        if known is None:
            known = {}
            for pin in part.pins:
                known.setdefault(pin.name.upper(), []).append(pin)
            NAMED.put(part.mark(), known)
        self.named: dict[str, list[Pin]] = known

    def has(self, *names: str) -> bool:
        """Whether there is a pin of each name."""
        return all(n in self.named for n in names)

    def first(self, *names: str) -> str | None:
        """Give the first of some names that a pin has."""
        return next((n for n in names if n in self.named), None)

    def at(self, name: str) -> int:
        """Give the terminal of a pin by name, of several the first that is on a net."""
        return self._build.pin(self.part, self._connected(self.named[name]))

    def connected(self, name: str) -> bool:
        """Whether a pin of that name is on a net with something else."""
        return name in self.named and any(self._build.joined(self.part, p) for p in self.named[name])

    def of_role(self, role: str) -> list[Pin]:
        """Give the pins of a role that are on a net."""
        return [p for p in self.part.pins if p.role == role and self._build.net_of(self.part, p)]

    def ground(self) -> int:
        """Give the terminal the part's supplies count from; the board's ground where it has none."""
        pins = self.of_role("ground")
        lower = [p for p in pins if p.name.upper() not in LOWER_SUPPLIES] or pins
        return self._build.pin(self.part, lower[0]) if lower else self._build.reference

    def supply(self) -> int | None:
        """Give the terminal of the first supply pin that is on a net."""
        pins = self.of_role("supply-in")
        return self._build.pin(self.part, pins[0]) if pins else None

    def _connected(self, pins: list[Pin]) -> Pin:
        return next((p for p in pins if self._build.net_of(self.part, p)), pins[0])


Model = Callable[["Build", Part, Pins], str | None]
# Which model took a part the last time: it is asked first, in its turn, and the others not at all.
TOOK: Final[Kept[Model]] = Kept()
# In the order in which they are asked; the first that takes a part models it.
MODELS: Final[list[tuple[int, Model]]] = []


def model(rank: int) -> Callable[[Model], Model]:
    """Declare a model: a function that puts a part's elements in and names them, or gives none for parts of another
    kind.

    Parameters
    ----------
    rank
        Those of a lower rank are asked first.
    """

    def declare(function: Model) -> Model:
        MODELS.append((rank, function))
        MODELS.sort(key=lambda entry: entry[0])
        return function

    return declare


@dataclass
class Build:
    """A network that is being made."""

    design: Design
    setting: Setting
    ambient_c: float = 25.0
    deltas: Mapping[tuple[str, str], float] = field(default_factory=dict)
    circuit: Circuit = field(default_factory=Circuit)
    pins: dict[str, int] = field(default_factory=dict)
    nets: dict[str, int] = field(default_factory=dict)
    models: dict[str, str] = field(default_factory=dict)
    assumed: dict[str, list[str]] = field(default_factory=dict)
    unmodelled: dict[str, str] = field(default_factory=dict)
    unsaid: list[str] = field(default_factory=list)
    stages: list[Stage] = field(default_factory=list)
    outers: list[Outer] = field(default_factory=list)
    varied: dict[tuple[str, str], float] = field(default_factory=dict)
    # Heat of parts whose averaged elements do not show it, worked out of the solution by a function of its unknowns.
    heat: dict[str, Callable[[Callable[[int], float], Callable[[int], float]], float]] = field(
        default_factory=dict
    )
    coils: dict[str, int] = field(default_factory=dict)
    done: set[str] = field(default_factory=set)
    reference: int = GROUND

    def __post_init__(self) -> None:
        """Give every net its node; the ground with most pins is node 0."""
        grounds = [n for n in self.design.nets.values() if n.role == "ground"]
        first = max(grounds, key=lambda n: len(n.pins), default=None)
        for net in self.design.nets.values():
            self.nets[net.name] = GROUND if net is first else self.circuit.node()
        self.circuit.grounds.update(self.nets[net.name] for net in grounds if net is not first)

    def net_of(self, part: Part, pin: Pin) -> str | None:
        """Give the net of a pin."""
        return self.design.net_of(pin_name(part.ref, pin.number))

    def joined(self, part: Part, pin: Pin) -> bool:
        """Whether a pin is on a net with another pin."""
        net = self.net_of(part, pin)
        return net is not None and len(self.design.nets[net].pins) > 1

    def pin(self, part: Part, pin: Pin) -> int:
        """Give a pin's terminal."""
        name = pin_name(part.ref, pin.number)
        found = self.pins.get(name)
        if found is None:
            net = self.design.net_of(name)
            found = self.circuit.terminal(self.nets[net]) if net is not None else self.circuit.inner()
            self.pins[name] = found
        return found

    def ends(self, part: Part) -> tuple[int, int]:
        """Give the terminals of a part's first two pins."""
        return self.pin(part, part.pins[0]), self.pin(part, part.pins[1])

    def figure(self, part: Part, key: str, usual: float | None = None, why: str = "") -> float | None:
        """Give a rating of a part; where it has none the usual figure, which is then told as assumed."""
        value = part.params.get(key)
        if value is not None:
            return value
        if usual is not None:
            self.assume(part.ref, why)
        return usual

    def assume(self, ref: str, why: str) -> None:
        """Write down what was assumed of a part."""
        if why and why not in self.assumed.setdefault(ref, []):
            self.assumed[ref].append(why)

    def vary(self, part: Part, key: str, value: float, tolerance_pct: float | None) -> float:
        """Give a value as it is in this sample, and note that it may vary by so much."""
        if tolerance_pct:
            self.varied[(part.ref, key)] = tolerance_pct / 100
        return value * (1 + self.deltas.get((part.ref, key), 0.0))

    def value(self, part: Part, key: str) -> float | None:
        """Give the value of a resistor, capacitor or coil, by its rating or by what is written at it."""
        return part.params.get(key, value_of(part))

    def position(self, part: Part, usual: str) -> str:
        """Give what a switch or jumper is set to."""
        return self.setting.positions.get(part.ref, usual)

    def sourced(self, upper: int, lower: int, branch: int) -> None:
        """Let what an output gives come from its upper supply; its branch runs to the lower one, where it sinks."""
        self.circuit.governed(upper, lower, (~branch,), Sourced())

    def stage(
        self,
        part: Part,
        kind: StageKind,
        into: tuple[int, int],
        out: tuple[int, int],
        branch: int,
        most_a: float | None,
        drop_v: float = 0.0,
        coil: str = "",
        duty_most: float | None = None,
    ) -> None:
        """Note a part that makes one rail of another, with what its ratings say of its input and output."""
        figures = part.params
        self.stages.append(
            Stage(
                part.ref,
                kind,
                into,
                out,
                branch,
                most_a,
                figures.get("vin_min_v"),
                figures.get("vin_max_v"),
                drop_v,
                duty_most,
                figures.get("vout_v"),
                coil,
                figures.get("fsw_hz"),
            )
        )

    def tie_alike(self, pins: Pins) -> None:
        """Join pins of one name, which are one inside the part, where they lie on different nets."""
        for same in pins.named.values():
            if (
                len(same) > 1
                and same[0].name
                and same[0].role in ("supply-in", "supply-out", "ground", "passive")
            ):
                nets: dict[str, Pin] = {}
                for pin in same:
                    if (net := self.net_of(pins.part, pin)) is not None:
                        nets.setdefault(net, pin)
                first, *rest = nets.values() if nets else (None,)
                for pin in rest:
                    assert first is not None and pin is not None
                    self.circuit.resistor(self.pin(pins.part, first), self.pin(pins.part, pin), JOIN_OHM)

    def parts(self) -> list[Part]:
        """Give the fitted parts as people count them."""
        return sorted((p for p in self.design.parts.values() if p.fitted), key=lambda p: natural(p.ref))


def put_in(build: Build) -> None:
    """Put all parts of the design in, each by the first model that takes it."""
    parts = [(part, Pins(build, part)) for part in build.parts()]
    waiting: dict[Model | None, list[tuple[Part, Pins]]] = {}
    for entry in parts:
        waiting.setdefault(TOOK.get(entry[0].mark()), []).append(entry)
    _ask(build, lambda put: (*waiting.get(put, ()), *waiting.get(None, ())))
    # One that another took the last time, with other parts around it, is asked of all.
    left = [
        entry
        for put, some in waiting.items()
        if put is not None
        for entry in some
        if entry[0].ref not in build.done
    ]
    if left:
        _ask(build, lambda put: left)
    for part, _ in parts:
        if part.ref not in build.done and part.pins and any(build.joined(part, p) for p in part.pins):
            build.unmodelled[part.ref] = "no model for a part of this kind"


def _ask(build: Build, whom: Callable[[Model], Sequence[tuple[Part, Pins]]]) -> None:
    """Ask every model in its turn whether it takes those parts that none has taken yet."""
    for _, put in MODELS:
        for part, pins in whom(put):
            if part.ref in build.done:
                continue
            name = put(build, part, pins)
            if name is not None:
                build.done.add(part.ref)
                build.models[part.ref] = name
                if TOOK.get(part.mark()) is not put:
                    TOOK.put(part.mark(), put)
