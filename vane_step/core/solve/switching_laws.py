"""Laws of what switches by levels: paths, outputs of logic and bridges, multiplexers; rounding is in ``laws``."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vane_step.core.solve.circuit import Latch
from vane_step.core.solve.laws import Answer, logistic


@dataclass(frozen=True)
class Switched:
    """A path that conducts when what it reads is over a threshold. Reads: control plus, minus, path's plus, minus."""

    threshold_v: float
    on_ohm: float
    off_ohm: float = 1e9
    inverted: bool = False
    either_way: bool = False

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - g·v`` with a conductance that turns over within hundredths of the threshold, in its logarithm."""
        across = reads[2] - reads[3]
        width = max(abs(self.threshold_v) * (0.01 + 0.3 * (1 - ease)), 1e-3)
        sign = -1.0 if self.inverted else 1.0
        control = reads[0] - reads[1]
        turned = -1.0 if self.either_way and control < 0 else 1.0
        on, by_control = logistic(sign * (turned * control - self.threshold_v) / width)
        by_control *= turned
        span = math.log(self.off_ohm / self.on_ohm)
        g = math.exp(span * on) / self.off_ohm
        by = sign * g * span * by_control / width * across
        return amps - g * across, (-by, by, -g, g), 1.0


@dataclass(frozen=True)
class Logic:
    """An output of a gate: high or low by its inputs, behind a resistance, from its own supply.

    Reads: ground, supply, output, then the inputs. ``truth`` is a table as a number: bit ``k`` is the output for the
    inputs
    whose bits make ``k``, the first input the least. An output that only pulls down lets go when it is high.
    """

    truth: int
    inputs: int
    ohm: float
    threshold: float = 0.5
    open_drain: bool = False

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``v - level·supply - ohm·i``; levels of inputs are multiplied as probabilities would be."""
        ground, supply, out = reads[:3]
        span = supply - ground
        steep = 5.0 + 75.0 * ease
        safe = max(span, 0.2)
        levels, slopes, by_span = [], [], []
        for v in reads[3:]:
            level, slope = logistic(steep * ((v - ground) / safe - self.threshold))
            levels.append(level)
            slopes.append(slope * steep / safe)
            by_span.append(-slope * steep * (v - ground) / safe**2 if span > 0.2 else 0.0)
        high, by_level = 0.0, [0.0] * self.inputs
        for row in range(1 << self.inputs):
            if not self.truth >> row & 1:
                continue
            terms = [lv if row >> k & 1 else 1 - lv for k, lv in enumerate(levels)]
            high += math.prod(terms)
            for k in range(self.inputs):
                rest = math.prod(terms[:k] + terms[k + 1 :])
                by_level[k] += rest if row >> k & 1 else -rest
        # How the level moves with the inputs, the supply and ground.
        by_inputs = [b * s for b, s in zip(by_level, slopes, strict=True)]
        by_supply = sum(b * s for b, s in zip(by_level, by_span, strict=True))
        by_ground = -by_supply - sum(by_inputs)
        if self.open_drain:
            # High lets go: the conductance to ground falls in its logarithm.
            span_log = math.log(1e9 / self.ohm)
            g = math.exp(span_log * (1 - high)) / 1e9
            by = g * span_log * (out - ground)
            return (
                amps - g * (out - ground),
                (g + by * by_ground, by * by_supply, -g, *(by * b for b in by_inputs)),
                1.0,
            )
        # Without a supply it gives nothing, whatever its inputs are.
        root = math.hypot(span, 1e-3)
        live, by_live = 0.5 * (span + root), 0.5 * (1 + span / root)
        return (
            out - ground - high * live - self.ohm * amps,
            (
                -1.0 + high * by_live - live * by_ground,
                -high * by_live - live * by_supply,
                1.0,
                *(-live * b for b in by_inputs),
            ),
            -self.ohm,
        )


@dataclass(frozen=True)
class Steered:
    """An output stage: at its upper or lower supply by its input, let go where an enabling input says so.

    Reads: lower supply, upper supply, output, input, then the enabling inputs. ``lets`` tells of each of those whether
    it enables while high. ``pulls`` is ``both``, or the one way the stage can pull while its input is high.
    """

    ohm: float
    lets: tuple[bool, ...] = ()
    pulls: str = "both"
    inverted: bool = False
    threshold_v: float = 1.5

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - g·(v - level)``, inputs counted from the lower supply."""
        base, supply, out = reads[:3]
        width = 0.03 + 0.5 * (1 - ease)
        levels = []
        for v, high in zip(reads[3:], (not self.inverted, *self.lets), strict=True):
            sign = 1.0 if high else -1.0
            level, slope = logistic(sign * (v - base - self.threshold_v) / width)
            levels.append((level, sign * slope / width))
        up, by_up = levels[0]
        lets = math.prod(level for level, _ in levels[1:])
        level = up if self.pulls == "both" else 1.0 if self.pulls == "up" else 0.0
        share = lets if self.pulls == "both" else lets * up
        across = out - base - level * (supply - base)
        # A stage that lets go still leaks: nothing may stand at no voltage at all.
        g = share / self.ohm + 1e-9
        by_input = -g * (supply - base) * by_up if self.pulls == "both" else lets * by_up / self.ohm * across
        by_lets = [
            across
            / self.ohm
            * (1.0 if self.pulls == "both" else up)
            * by_k
            * math.prod(other for j, (other, _) in enumerate(levels[1:]) if j != k)
            for k, (_, by_k) in enumerate(levels[1:])
        ]
        by_base = -g * (1.0 - level) - by_input - sum(by_lets)
        slopes = (by_base, -g * level, g, by_input, *by_lets)
        return amps - g * across, tuple(-s for s in slopes), 1.0


@dataclass(frozen=True)
class Selected:
    """A path of a switch that one of several addresses closes. Reads: the path's two ends, ground, supply, then the
    inputs; ``wanted`` tells of each whether it must be high."""

    wanted: tuple[bool, ...]
    ohm: float
    off_ohm: float = 1e9

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - g·v``, the conductance by the product of the inputs' levels, in its logarithm."""
        a, b, ground, supply = reads[:4]
        span = max(supply - ground, 0.2)
        steep = 3.0 + 57.0 * ease
        levels = []
        for v, high in zip(reads[4:], self.wanted, strict=True):
            sign = 1.0 if high else -1.0
            level, slope = logistic(sign * steep * ((v - ground) / span - 0.5))
            levels.append((level, sign * slope * steep / span, (v - ground) / span))
        on = math.prod(level for level, _, _ in levels)
        decades = math.log(self.off_ohm / self.ohm)
        g = math.exp(decades * on) / self.off_ohm
        by_on = g * decades * (a - b)
        by_inputs = [
            by_on * by * math.prod(o for j, (o, _, _) in enumerate(levels) if j != k)
            for k, (_, by, _) in enumerate(levels)
        ]
        live = supply - ground > 0.2
        by_supply = (
            -sum(s * share for s, (_, _, share) in zip(by_inputs, levels, strict=True)) if live else 0.0
        )
        by_ground = -sum(by_inputs) - by_supply
        slopes = (g, -g, by_ground, by_supply, *by_inputs)
        return amps - g * (a - b), tuple(-s for s in slopes), 1.0


class Latched:
    """A path that conducts by a latch: while it is on, or while it is off. Reads: the path's two ends."""

    def __init__(self, latch: Latch, ohm: float, off_s: float = 1e-9, *, while_off: bool = False) -> None:
        self.latch, self.on_s, self.off_s, self.while_off = latch, 1 / ohm, off_s, while_off

    def __call__(self, reads: Sequence[float], amps: float, ease: float) -> Answer:
        """Give ``i - g·v``."""
        g = self.on_s if bool(self.latch.value) is not self.while_off else self.off_s
        return amps - g * (reads[0] - reads[1]), (-g, g), 1.0
