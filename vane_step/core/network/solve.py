"""Voltages, currents and heat of a design in one state, by net, pin, part and source, with what they depend on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from vane_step.core.circuit.variants import without_unfitted
from vane_step.core.design.model import Design, natural

# Each of these declares models of its own.
from vane_step.core.network import (
    amplifiers as amplifiers,
    bridges as bridges,
    contacts as contacts,
    converters as converters,
    digital as digital,
    junctions as junctions,
    latching as latching,
    led_drivers as led_drivers,
    passives as passives,
    regulators as regulators,
    signal_switches as signal_switches,
    transistors as transistors,
    windings as windings,
)
from vane_step.core.network.build import Build, put_in
from vane_step.core.network.outside import all_sources, move_sources, put_outside
from vane_step.core.network.setting import Setting
from vane_step.core.solve.devices import Array
from vane_step.core.solve.operating import OperatingPoint, operating_point, resistances
from vane_step.core.solve.system import System

# Pins that listen, and the resistance to ground from which nothing but leaks holds them.
LISTENS = ("input", "io")
WEAK_OHM = 5e7
# Voltage from which a contact that should be dead is looked at.
DEAD_V = 0.5


@dataclass(frozen=True)
class SourceReading:
    """What a source is at and gives: its terminal voltage, its current (negative when it is fed), its power."""

    volts: float
    amps: float
    watts: float


@dataclass(frozen=True)
class PartReading:
    """What a part turns into heat (or, of motors and lights, takes), by which model."""

    watts: float
    model: str
    assumed: tuple[str, ...] = ()


@dataclass(frozen=True)
class Solved:
    """A design in one state.

    Parameters
    ----------
    volts
        Of each net against ground, of a part of the circuit that is apart against its own; none of nets nothing
        holds.
    amps
        Into each pin of a modelled part.
    parts, sources, loads
        By reference and by name.
    unmodelled
        Parts without a model, and why.
    unsaid
        Pins of which nobody said what they do.
    floating
        Groups of nets that nothing holds at a voltage.
    lost
        Sources and loads whose nets or pins are gone.
    dead
        Of sources that are off, what stands at their contacts: volts, and the resistance behind them.
    """

    setting: Setting
    build: Build
    point: OperatingPoint
    system: System
    volts: Mapping[str, float | None]
    amps: Mapping[str, float]
    parts: Mapping[str, PartReading]
    sources: Mapping[str, SourceReading]
    loads: Mapping[str, SourceReading]
    unmodelled: Mapping[str, str]
    unsaid: tuple[str, ...]
    floating: tuple[tuple[str, ...], ...]
    lost: tuple[str, ...] = ()
    moving: tuple[str, ...] = ()
    dead: Mapping[str, tuple[float, float]] = field(default_factory=dict)

    @property
    def settled(self) -> bool:
        """Whether it is a solution."""
        return self.point.settled

    def at(self, terminal: int) -> float:
        """Give the voltage of a terminal."""
        return float(self.point.x[self.build.circuit.terminals[terminal]])

    def through(self, branch: int) -> float:
        """Give the current of a branch."""
        return float(self.point.x[self.system.nodes + branch])


def build_of(
    design: Design, setting: Setting, deltas: Mapping[tuple[str, str], float] | None = None
) -> tuple[Build, list[str]]:
    """Make the network of a design in a state; gives sources and loads whose ends are gone beside it."""
    build = Build(without_unfitted(design, setting.variant), setting, design.brief.ambient_c, deltas or {})
    put_in(build)
    return build, put_outside(build)


def solve(
    design: Design,
    setting: Setting,
    *,
    start: Solved | None = None,
    deltas: Mapping[tuple[str, str], float] | None = None,
    plain: bool = False,
    patient: bool = True,
) -> Solved:
    """Solve a design in one state.

    Parameters
    ----------
    design
        The design.
    setting
        The state.
    start
        A solution of a state that is alike, to begin at.
    deltas
        Relative changes of figures, by part and figure, for corners and samples.
    plain
        Leave out what only findings ask for: nets that nothing but leaks hold, contacts of sources that are off.
    patient
        Try the long ways, too, where the short ones lead nowhere.

    Returns
    -------
    Solved
        Also where it does not settle; ``settled`` tells.
    """
    build, lost = build_of(design, setting, deltas)
    system = System(build.circuit)
    point = operating_point(build.circuit, _guess(build, system, start), system, patient=patient)
    return _told(build, system, point, lost, plain)


def moved(solved: Solved, at: str, *, patient: bool = True) -> Solved:
    """Solve a state again with its sources elsewhere in their range; its network is used again and is the new one's
    then. ``patient`` as for ``solve``."""
    build = solved.build
    build.setting = replace(build.setting, at=at)
    solved.system.hold(move_sources(build, at))
    start = solved.point if solved.settled else None
    point = operating_point(build.circuit, start, solved.system, patient=patient)
    return _told(build, solved.system, point, list(solved.lost))


def _guess(build: Build, system: System, start: Solved | None) -> OperatingPoint | None:
    """Give where to begin: a solution of a network of the same form, else its voltages by the names of the nets."""
    if start is None or not start.settled:
        return None
    if start.build.circuit.form() == build.circuit.form():
        return start.point
    x, last = system.begin()
    for net, node in build.nets.items():
        x[node] = start.volts.get(net) or 0.0
    return replace(start.point, x=x, last=last)


def _told(
    build: Build, system: System, point: OperatingPoint, lost: list[str], plain: bool = False
) -> Solved:
    x, amps = point.x, point.amps
    # A group with a ground of its own stands apart, its voltages count from that ground; others float.
    loose = [group for group in point.floating if group[0] not in build.circuit.grounds]
    floats = {node for group in loose for node in group}
    names = {node: net for net, node in build.nets.items()}
    volts = {net: None if node in floats else float(x[node]) for net, node in build.nets.items()}
    on_pins = {pin: float(amps[terminal]) for pin, terminal in build.pins.items()}
    sources, loads, outside = _outside(build, system, x)
    parts = _heat(build, system, x, on_pins, outside)
    held = [] if plain else _weak(build, system, point, floats)
    volts |= dict.fromkeys(held)
    groups = [tuple(sorted((names[n] for n in group if n in names), key=natural)) for group in loose]
    return Solved(
        build.setting,
        build,
        point,
        system,
        volts,
        on_pins,
        parts,
        sources,
        loads,
        dict(build.unmodelled),
        tuple(build.unsaid),
        (*(g for g in groups if g), *((net,) for net in held)),
        tuple(lost),
        tuple(names[n] for n in point.moving if n in names),
        {} if plain else _dead(build, system, point, volts),
    )


def _outside(
    build: Build, system: System, x: Array
) -> tuple[dict[str, SourceReading], dict[str, SourceReading], dict[int, float]]:
    """Give what sources and loads read, and what they take at each terminal."""
    terminals = build.circuit.terminals
    outside: dict[int, float] = {}
    sources: dict[str, SourceReading] = {}
    loads: dict[str, SourceReading] = {}
    for outer in build.outers:
        through = float(x[system.nodes + outer.branch])
        across = float(x[terminals[outer.plus]] - x[terminals[outer.minus]])
        outside[outer.plus] = outside.get(outer.plus, 0.0) + through
        outside[outer.minus] = outside.get(outer.minus, 0.0) - through
        if outer.kind == "source":
            sources[outer.name] = SourceReading(across, -through, -across * through)
        else:
            loads[outer.name] = SourceReading(across, through, across * through)
    return sources, loads, outside


def _heat(
    build: Build, system: System, x: Array, on_pins: Mapping[str, float], outside: Mapping[int, float]
) -> dict[str, PartReading]:
    """Give what each part turns into heat: the power its pins take in, or what its model tells."""
    watts: dict[str, float] = {}
    for pin, terminal in build.pins.items():
        # What something outside takes at a pin is no heat of the part.
        inside = on_pins[pin] - outside.get(terminal, 0.0)
        ref = pin.partition(".")[0]
        watts[ref] = watts.get(ref, 0.0) + inside * float(x[build.circuit.terminals[terminal]])

    def at(terminal: int) -> float:
        return float(x[build.circuit.terminals[terminal]])

    def through(branch: int) -> float:
        return float(x[system.nodes + branch])

    for ref, heat in build.heat.items():
        amount = heat(at, through)
        if ref.startswith("-"):
            watts[ref[1:]] = max(watts.get(ref[1:], 0.0) - amount, 0.0)
        else:
            watts[ref] = amount
    return {
        ref: PartReading(watts.get(ref, 0.0), name, tuple(build.assumed.get(ref, ())))
        for ref, name in build.models.items()
        if name != "none"
    }


def _dead(
    build: Build, system: System, point: OperatingPoint, volts: Mapping[str, float | None]
) -> dict[str, tuple[float, float]]:
    """Give what other sources put on the contacts of those that are off, with the resistance behind it."""
    design = build.design
    off: dict[str, str] = {}
    for name, source in all_sources(design).items():
        net = source.plus if source.plus in design.nets else design.net_of(source.plus)
        if name not in build.setting.sources and net is not None and abs(volts.get(net) or 0.0) > DEAD_V:
            off[name] = net
    ohms = resistances(system, point, [build.nets[net] for net in off.values()]) if point.settled else []
    return {name: (volts[net] or 0.0, ohm) for (name, net), ohm in zip(off.items(), ohms, strict=False)}


def _weak(build: Build, system: System, point: OperatingPoint, floats: set[int]) -> list[str]:
    """Give the nets that only leaks of blocking parts hold: what they read means nothing.

    Of large networks only those of gates and inputs are looked at.
    """
    nodes: dict[int, str] = {}
    for net, node in build.nets.items():
        listens = system.dense or any(p.role in LISTENS for _, p in build.design.pins_on(net))
        if node and node not in floats and listens:
            nodes[node] = net
    ohms = resistances(system, point, list(nodes)) if point.settled else []
    return [net for net, ohm in zip(nodes.values(), ohms, strict=False) if ohm > WEAK_OHM]
