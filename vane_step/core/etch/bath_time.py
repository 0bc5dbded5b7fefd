"""How long a bath takes, with its spread, learned from what earlier boards took; amounts are in ``bath``."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from vane_step.core.etch.bath import PLENTY, School

# Guidance for fresh baths on 35 um, moved, at their usual warmth: minutes, and degrees.
USUAL: Final[dict[School, tuple[float, float]]] = {"ferric": (12.0, 40.0), "acid": (7.0, 22.0)}
# Rate doubles by so many kelvin; a bath at rest takes so many times as long (guidance).
DOUBLING_K, STILL = 20.0, 2.5
# Spread of what nobody knows of a bench before its first board, and from board to board (as ln).
PRIOR_SD, BOARD_SD = math.log(1.6), math.log(1.25)
# 80 % lie within so many standard deviations either way.
EIGHTY: Final = 1.2816


@dataclass(frozen=True)
class BathState:
    """What a time depends on: school, thickness, warmth, movement, and the share of all it can take that was eaten."""

    school: School
    copper_um: float = 35.0
    temperature_c: float | None = None
    moved: bool = True
    spent: float = 0.0


@dataclass(frozen=True)
class Expected:
    """A time in seconds: the middle, the ends between which eight of ten lie, how many boards taught it."""

    middle_s: float
    low_s: float
    high_s: float
    boards: int


def guidance_s(state: BathState) -> float:
    """Give the time by guidance alone.

    Proportional to thickness; halved by each :data:`DOUBLING_K` of warmth; longer as the bath tires: three times as
    long where it has eaten what was planned for it.
    """
    minutes, usual_c = USUAL[state.school]
    warmth = usual_c if state.temperature_c is None else state.temperature_c
    tired = 1 + 2 * max(0.0, state.spent) * PLENTY
    return (
        60
        * minutes
        * state.copper_um
        / 35
        * 2 ** ((usual_c - warmth) / DOUBLING_K)
        * (1.0 if state.moved else STILL)
        * tired
    )


def expected(state: BathState, log: Sequence[tuple[BathState, float]]) -> Expected:
    """Give the time to expect, from guidance and from the boards logged in baths of the same school.

    The bench's own factor on the guidance is lognormal; each logged board is a reading of it (normal with known
    variance, conjugate prior).

    Parameters
    ----------
    log : sequence of (BathState, float)
        How each earlier board was etched, and its seconds.
    """
    ratios = [math.log(s / guidance_s(was)) for was, s in log if was.school == state.school and s > 0]
    weight = 1 / PRIOR_SD**2 + len(ratios) / BOARD_SD**2
    mean = sum(ratios) / BOARD_SD**2 / weight
    spread = math.sqrt(1 / weight + BOARD_SD**2)
    middle = guidance_s(state) * math.exp(mean)
    return Expected(
        middle, middle * math.exp(-EIGHTY * spread), middle * math.exp(EIGHTY * spread), len(ratios)
    )
