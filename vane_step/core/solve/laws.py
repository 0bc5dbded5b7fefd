"""Laws of governed branches: regulators, loads, amplifiers; each gives its residual and the slopes of it. What switches
by levels is in ``switching_laws``.

Corners are rounded by square roots, so narrowly that readings away from a corner move by less than a microvolt; while a
circuit is led to its operating point (``ease`` below 1) they are rounded more and gains are less.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

# Width of rounded corners in volts at full ease, and what it is at none.
CORNER_V: Final = 1e-4
WIDE_V: Final = 1.0
# The same in amperes: what an output gives at nearly no load must not move its voltage. And what it leaks where it is
# held above what it makes, so that an output with nothing on it is at its voltage and not anywhere.
NARROW_A: Final = 1e-5
LEAKS_A: Final = 1e-6
Answer = tuple[float, Sequence[float], float]


def corner(ease: float) -> float:
    """Give the width by which corners are rounded."""
    return CORNER_V * math.pow(WIDE_V / CORNER_V, 1.0 - ease)


def narrow_a(ease: float) -> float:
    """Give the width by which corners of currents are rounded, as a share of an ampere."""
    return math.pow(NARROW_A, ease)


def soft_min(a: float, b: float, width: float) -> tuple[float, float, float]:
    """Give the lesser of two, rounded, and its slopes by both."""
    root = math.hypot(a - b, width)
    by_a = 0.5 - 0.5 * (a - b) / root
    return 0.5 * (a + b - root), by_a, 1.0 - by_a


def soft_clip(u: float, low: float, high: float, width: float) -> tuple[float, float]:
    """Give a value held between two limits, rounded, and its slope."""
    over, above = math.hypot(u - low, width), math.hypot(u - high, width)
    return 0.5 * (low + high + over - above), 0.5 * ((u - low) / over - (u - high) / above)


def logistic(u: float) -> tuple[float, float]:
    """Give the logistic function and its slope."""
    if u > 40:
        return 1.0, 0.0
    if u < -40:
        return 0.0, 0.0
    e = 1 / (1 + math.exp(-u))
    return e, e * (1 - e)


@dataclass(frozen=True)
class Sourced:
    """What an output gives, drawn from its upper supply. Reads: the current of the output's branch, positive when it
    sinks."""

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - max(-i_out, 0)``."""
        given = -reads[0]
        root = math.hypot(given, 1e-12)
        return amps - 0.5 * (given + root), (0.5 * (1 + given / root),), 1.0


@dataclass(frozen=True)
class SteadyPower:
    """A load that takes ``watts`` at any voltage above ``least_v``; below it is a resistor. Reads plus and minus."""

    watts: float
    least_v: float

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - P/v``."""
        v = reads[0] - reads[1]
        at_least = self.watts / self.least_v**2
        if v <= self.least_v or ease < 0.5:
            return amps - at_least * v, (-at_least, at_least), 1.0
        slope = self.watts / (v * v)
        return amps - self.watts / v, (slope, -slope), 1.0


@dataclass(frozen=True)
class SteadyCurrent:
    """A load that takes ``amps`` above ``least_v``; below it is a resistor. Reads plus and minus."""

    amps: float
    least_v: float

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - I·u(2 - u)`` with ``u`` the share of the least voltage, at most 1."""
        share = (reads[0] - reads[1]) / self.least_v
        if share >= 1.0:
            return amps - self.amps, (0.0, 0.0), 1.0
        taken = share * (2.0 - share) if share > 0 else 2.0 * share
        slope = self.amps / self.least_v * (2.0 - 2.0 * max(share, 0.0))
        return amps - self.amps * taken, (-slope, slope), 1.0


@dataclass(frozen=True)
class Delivery:
    """An output that holds a set voltage within what its input leaves and its current limit.

    Reads: what is held (plus, minus), the output (plus, minus), the input (plus, minus). The branch runs from the
    output's
    plus to its minus; a delivering output carries a negative current. The natural map of a complementarity problem: the
    current lies between 0 (or ``-sink_a``) and ``most_a``, at an end only when the voltage is beyond what is wanted.

    Parameters
    ----------
    held_v
        What is held between the first two reads.
    share, drop_v
        The output stays under ``share`` of the input less ``drop_v``.
    drop_ohm
        Resistance on the way, times the current delivered.
    starts_v
        Below this input nothing is delivered.
    enable_v
        Where it is given, two more reads are its enable pin and what that counts from; under it nothing is delivered.
    way
        -1 for outputs below ground.
    """

    held_v: float
    most_a: float
    drop_v: float = 0.0
    share: float = 1.0
    drop_ohm: float = 0.0
    starts_v: float = 0.0
    sink_a: float = 0.0
    ohm: float = 0.0
    way: float = 1.0
    enable_v: float | None = None

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - clip(i + g)`` with ``g`` the volts that are missing, times a small conductance."""
        w = self.way
        held = w * (reads[0] - reads[1])
        out = w * (reads[2] - reads[3])
        source = w * (reads[4] - reads[5])
        given = -amps * w
        width, narrow = corner(ease), narrow_a(ease) * min(1.0, self.most_a)
        short = self.held_v - held - self.ohm * given
        room = self.share * source - self.drop_v - out - self.drop_ohm * given
        missing, by_short, by_room = soft_min(short, room, width)
        # Small against any load's conductance, so that the first step asks for the voltage and not for the limit.
        gain = 0.02 * self.most_a
        soft = 0.02 + 0.5 * (1 - ease)
        on, by_on = logistic((source - self.starts_v) / soft) if self.starts_v else (1.0, 0.0)
        let, by_let = 1.0, 0.0
        if self.enable_v is not None:
            let, by_let = logistic((w * (reads[6] - reads[7]) - self.enable_v) / soft)
        most = self.most_a * on * let + 1e-9
        u = given + gain * missing
        value, slope = soft_clip(u, -max(self.sink_a, LEAKS_A), most, narrow)
        # How the upper end moves with the input's start and with the enable pin.
        above = math.hypot(u - most, narrow)
        by_most = 0.5 * (1 + (u - most) / above) * self.most_a / soft
        residual = given - value
        by_given = 1 - slope * (1 + gain * (-self.ohm * by_short - self.drop_ohm * by_room))
        by_held = slope * gain * by_short * w
        by_out = slope * gain * by_room * w
        by_source = -(slope * gain * by_room * self.share + by_most * by_on * let) * w
        slopes: tuple[float, ...] = (by_held, -by_held, by_out, -by_out, by_source, -by_source)
        if self.enable_v is not None:
            by_enable = -by_most * on * by_let * w
            slopes = (*slopes, by_enable, -by_enable)
        return residual, slopes, -w * by_given


@dataclass(frozen=True)
class Shunt:
    """What draws as much as it takes to hold a voltage down. Reads: what is held, plus and minus, then its own ends.

    It cannot pull its upper end under its lower one: within ``low_v`` of it, it gives way.
    """

    held_v: float
    most_a: float
    low_v: float = 0.2

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - clip(i + g·(v - held), 0, most)``."""
        gain, width = 0.02 * self.most_a, 0.1 * corner(ease) * min(1.0, self.most_a)
        share, by_share = soft_clip((reads[2] - reads[3]) / self.low_v, 1e-6, 1.0, 0.01)
        most = self.most_a * share
        u = amps + gain * (reads[0] - reads[1] - self.held_v)
        value, slope = soft_clip(u, 0.0, most, width)
        by_end = -0.5 * (1 + (u - most) / math.hypot(u - most, width)) * self.most_a * by_share / self.low_v
        return amps - value, (-slope * gain, slope * gain, by_end, -by_end), 1 - slope


@dataclass(frozen=True)
class Linear:
    """A sum of what is read, each times its weight, and ``ohm`` times the current, that is zero with ``volts``."""

    weights: tuple[float, ...]
    ohm: float = 0.0
    volts: float = 0.0

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give the sum."""
        total = sum(w * r for w, r in zip(self.weights, reads, strict=True))
        return total + self.ohm * amps + self.volts, self.weights, self.ohm


@dataclass(frozen=True)
class Intake:
    """What a converter takes: the power given over its efficiency, and its own current.

    Reads: input plus and minus, output plus and minus, the output branch's current. Below ``starts_v`` it takes what a
    resistor of the same power would.
    """

    efficiency: float
    own_a: float
    least_v: float

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - Pout/(eff·vin) - Iq``."""
        source, out, given = reads[0] - reads[1], reads[2] - reads[3], -reads[4]
        power = max(out * given, 0.0) / self.efficiency
        live = out * given > 0
        if source > self.least_v:
            taken, by_source = power / source + self.own_a, -power / source**2
            by_power = 1 / source
        else:
            share = max(source, 0.0) / self.least_v
            taken = (power / self.least_v + self.own_a) * share
            by_source = (power / self.least_v + self.own_a) / self.least_v if source > 0 else 0.0
            by_power = share / self.least_v
        by_out = by_power * given / self.efficiency if live else 0.0
        by_given = by_power * out / self.efficiency if live else 0.0
        return amps - taken, (-by_source, by_source, -by_out, by_out, by_given), 1.0


@dataclass(frozen=True)
class Amplified:
    """An amplifier's output against ground: ``gain`` times a difference, between its rails, behind a resistance.

    Reads: plus input, minus input, lower rail, upper rail, output. ``room_low_v`` and ``room_high_v`` are what the
    output
    keeps from its rails.
    """

    gain: float
    offset_v: float
    room_low_v: float
    room_high_v: float
    ohm: float
    most_a: float

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``v - (middle + half·tanh(gain·d/half)) - ohm·i``, the current held within what it can give."""
        plus, minus, bottom, top, out = reads
        low, high = bottom + self.room_low_v, top - self.room_high_v
        # Never quite nothing, however low the supply.
        least, by_least, _ = soft_min(-0.5 * (high - low), -1e-3, 1e-4)
        half, by_half = -least, by_least
        middle = 0.5 * (low + high)
        gain = max(self.gain, 2.0) ** max(ease, 0.05)
        u = gain * (plus - minus + self.offset_v) / half
        swing = math.tanh(u)
        slope = max(1 - swing * swing, 1e-9)
        wanted = middle + half * swing
        by_u_half = swing - u * slope
        by_rail = 0.5 * by_half * by_u_half
        given = -amps
        # Beyond its current limit the output gives way steeply.
        excess, by_excess = soft_clip(given, -self.most_a, self.most_a, 1e-3 * self.most_a + 1e-6)
        drop = self.ohm * given + 1e4 * (given - excess)
        by_given = self.ohm + 1e4 * (1 - by_excess)
        return (
            out - wanted + drop,
            (-slope * gain, slope * gain, -(0.5 - by_rail), -(0.5 + by_rail), 1.0),
            -by_given,
        )
