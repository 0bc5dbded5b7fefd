"""A network as the solver reads it: nodes, terminals and the elements between them; nothing is solved here.

Every element hangs on *terminals*; a terminal belongs to one node. Currents are summed by terminal afterwards, so that
a caller who gives each pin of a part a terminal of its own reads the current of the pin.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Final

# Thermal voltage at 300 K (kT/q), as `docs/power.md` states it.
THERMAL_V: Final = 0.025852
GROUND: Final = 0
# A law gives its residual and the derivatives of it by what it reads and by its own current. ``ease`` runs from nearly
# 0 to 1 while a circuit is led to its operating point: at 1 the law is meant as it stands.
Law = Callable[[Sequence[float], float, float], tuple[float, Sequence[float], float]]


@dataclass
class Branch:
    """An element whose current is an unknown: ``v(plus) - v(minus) = volts + ohm·i + henry·di/dt``.

    The current flows from ``plus`` through the element to ``minus``: a source that delivers has a negative one.
    """

    plus: int
    minus: int
    volts: float = 0.0
    ohm: float = 0.0
    henry: float = 0.0
    # A source that follows time in a transient: seconds to volts.
    wave: Callable[[float], float] | None = None


@dataclass
class Governed:
    """A branch whose current obeys a law of what it reads; ``tau_s`` times the rate of its voltage is added to it.

    ``reads`` are terminals, or branches written ``~number``, whose voltages and currents the law is handed.
    """

    plus: int
    minus: int
    reads: tuple[int, ...]
    law: Law
    tau_s: float = 0.0


@dataclass
class Latch:
    """A state with memory: a timer's flip-flop, a comparator with hysteresis. Its law reads ``value``.

    ``update`` is handed what is read and the present value and gives the next; it is asked after every solution and
    every accepted step of time.
    """

    reads: tuple[int, ...]
    update: Callable[[Sequence[float], float], float]
    value: float = 0.0


@dataclass
class Circuit:
    """Nodes, terminals and elements. Node 0 is the ground all voltages count from."""

    nodes: int = 1
    terminals: list[int] = field(default_factory=lambda: [GROUND])
    resistors: list[tuple[int, int, float]] = field(default_factory=list)
    currents: list[tuple[int, int, float]] = field(default_factory=list)
    capacitors: list[tuple[int, int, float]] = field(default_factory=list)
    branches: list[Branch | Governed] = field(default_factory=list)
    copies: list[tuple[int, int, int, float]] = field(default_factory=list)
    diodes: list[tuple[int, int, float, float, float]] = field(default_factory=list)
    bipolars: list[tuple[int, int, int, float, float, float, float, float]] = field(default_factory=list)
    fets: list[tuple[int, int, int, float, float, float]] = field(default_factory=list)
    latches: list[Latch] = field(default_factory=list)
    # Nodes other groups' voltages count from, where they have one: grounds that are apart from node 0.
    grounds: set[int] = field(default_factory=set)
    # Terminals inside capacitors, with the one they are at once nothing flows.
    middles: list[tuple[int, int]] = field(default_factory=list)

    def form(self) -> tuple[int, ...]:
        """Give what must be alike for one circuit's solution to be a guess for another's."""
        kinds = (
            self.terminals,
            self.branches,
            self.diodes,
            self.bipolars,
            self.fets,
            self.resistors,
            self.copies,
        )
        return (self.nodes, *(len(kind) for kind in kinds))

    def node(self) -> int:
        """Make a node and give its number."""
        self.nodes += 1
        return self.nodes - 1

    def terminal(self, node: int) -> int:
        """Make a terminal at a node and give its number; terminal 0 is ground's own."""
        self.terminals.append(node)
        return len(self.terminals) - 1

    def inner(self) -> int:
        """Make a terminal at a node of its own, inside a model."""
        return self.terminal(self.node())

    def resistor(self, a: int, b: int, ohm: float) -> None:
        """Join two terminals by a resistance above zero."""
        self.resistors.append((a, b, 1.0 / ohm))

    def conductor(self, a: int, b: int) -> int:
        """Join two terminals without resistance; gives the branch whose current it carries."""
        return self.source(a, b, 0.0)

    def current(self, a: int, b: int, amps: float) -> None:
        """Let a steady current flow from ``a`` through the element to ``b``."""
        self.currents.append((a, b, amps))

    def capacitor(self, a: int, b: int, farad: float, ohm: float = 0.0) -> None:
        """Put a capacitance, with its series resistance, between two terminals."""
        if ohm > 0.0:
            middle = self.inner()
            self.resistor(a, middle, ohm)
            self.middles.append((middle, a))
            a = middle
        self.capacitors.append((a, b, farad))

    def inductor(self, a: int, b: int, henry: float, ohm: float) -> int:
        """Put an inductance with its winding between two terminals; gives its branch."""
        self.branches.append(Branch(a, b, 0.0, ohm, henry))
        return len(self.branches) - 1

    def source(
        self,
        plus: int,
        minus: int,
        volts: float,
        ohm: float = 0.0,
        wave: Callable[[float], float] | None = None,
    ) -> int:
        """Hold a voltage between two terminals behind a resistance; gives its branch."""
        # What is in the branch's equation falls with the current that flows in at plus.
        self.branches.append(Branch(plus, minus, volts, ohm, 0.0, wave))
        return len(self.branches) - 1

    def governed(self, plus: int, minus: int, reads: Sequence[int], law: Law, tau_s: float = 0.0) -> int:
        """Let a law decide a branch's current; gives the branch."""
        self.branches.append(Governed(plus, minus, tuple(reads), law, tau_s))
        return len(self.branches) - 1

    def copy(self, a: int, b: int, branch: int, gain: float) -> None:
        """Let ``gain`` times a branch's current flow from ``a`` to ``b``."""
        self.copies.append((a, b, branch, gain))

    def diode(
        self, anode: int, cathode: int, at_v: float, at_a: float, ideality: float, offset_v: float = 0.0
    ) -> None:
        """Put a diode through one point of its curve: ``i = Is (exp((v - offset)/(n kT/q)) - 1)``."""
        slope = ideality * THERMAL_V
        self.diodes.append((anode, cathode, at_a / math.expm1(at_v / slope), slope, offset_v))

    def bipolar(
        self,
        collector: int,
        base: int,
        emitter: int,
        gain: float,
        at_v: float = 0.65,
        at_a: float = 1e-3,
        *,
        pnp: bool = False,
        ideality: float = 1.0,
    ) -> None:
        """Put a bipolar transistor (Ebers and Moll 1954) that carries ``at_a`` at ``at_v`` from base to emitter."""
        slope = ideality * THERMAL_V
        saturation = at_a / math.expm1(at_v / slope)
        sign = -1.0 if pnp else 1.0
        self.bipolars.append((collector, base, emitter, saturation, slope, gain, 2.0, sign))

    def fet(
        self,
        drain: int,
        gate: int,
        source: int,
        threshold_v: float,
        on_ohm: float,
        on_v: float,
        *,
        p_channel: bool = False,
    ) -> None:
        """Put a field-effect transistor that has ``on_ohm`` at a gate voltage of ``on_v``.

        Enz, Krummenacher and Vittoz (1995), long channel, slope 1: the same curve from weak inversion to the
        linear region, either way round.
        """
        strength = 1.0 / (on_ohm * max(on_v - threshold_v, 0.1))
        self.fets.append((drain, gate, source, threshold_v, strength, -1.0 if p_channel else 1.0))
