"""Heat that parts get from each other through the board, and how warm the board itself becomes, in the worst states."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np

from vane_step.core.board.analysis.board_heat import between_parts, board_heat, into_board, pulse_of
from vane_step.core.board.analysis.heat_sheet import feet
from vane_step.core.circuit.rails import who
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.memo import MEMO
from vane_step.core.network.readings import Reading, circuit_key, readings
from vane_step.core.network.thermal import lies_elsewhere, theta_of
from vane_step.core.operation.bearing import MOST_C, WARM_C
from vane_step.core.quantity import nm

# Under this in all, and of a part, nothing is warmed.
LEAST_W, LEAST_PART_W = 0.2, 0.01
# FR-4 is made for this for long (rule of thumb).
BOARD_C: Final = 105.0
# From this share of what is allowed, by parts alone, the board is worked out with its copper.
NEAR: Final = 0.7
COPPER: Final = ("packages", "board", "holes", "tracks", "vias", "jumpers", "pours", "texts")


def heat_findings(design: Design) -> tuple[Finding, ...]:
    """Tell of junctions that only what is beside them makes too hot, and of a board that is too warm; kept until parts,
    copper or circuit change."""
    key = ("heat-findings", circuit_key(design), design.digest("parts"), *map(design.digest, COPPER))
    known: tuple[Finding, ...] | None = MEMO.get(key)
    return known if known is not None else MEMO.put(key, tuple(_found(design)), like="power-findings")


@dataclass(frozen=True)
class _Warmed:
    """A part in a state: its junction's temperature, and what of it is by itself and by what is beside it."""

    ref: str
    state: Reading
    celsius: float
    own_k: float
    beside_k: float
    source: str


def _found(design: Design) -> Iterator[Finding]:
    states = [r for r in readings(design).all if r.settled]
    most: dict[str, float] = {}
    for state in states:
        for ref, reading in state.parts.items():
            most[ref] = max(most.get(ref, 0.0), reading.watts)
    warm = [ref for ref, watts in most.items() if watts >= LEAST_PART_W]
    if sum(most[ref] for ref in warm) < LEAST_W:
        return
    under = feet(design)
    here = [design.parts[ref] for ref in warm if ref in under]
    refs = tuple(p.ref for p in here if p.fitted and not lies_elsewhere(p))
    if not refs:
        return
    watts = np.array([[s.parts[r].watts if r in s.parts else 0.0 for r in refs] for s in states])
    given = watts * np.array([into_board(design, r) for r in refs])
    rises, beside = _rises(design, states, refs, given)
    yield from _junctions(design, states, refs, watts, beside)
    yield from _board(design, states, rises)


def _rises(
    design: Design, states: list[Reading], refs: tuple[str, ...], given: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Give the rise under each part in each state, and what of it is by others; states x parts.

    What a pulse heats begins at the warmest the board comes to while none lasts.
    """
    lasting = [pulse_of(design, s) for s in states]
    rises, beside = np.zeros_like(given), np.zeros_like(given)
    # States for ever come first.
    for seconds in sorted(set(lasting), key=lambda t: -1.0 if t is None else t):
        rows = [k for k, t in enumerate(lasting) if t == seconds]
        each = between_parts(design, refs, seconds)
        rises[rows] = given[rows] @ each.T
        beside[rows] = rises[rows] - given[rows] * np.diag(each)
    before = [k for k, t in enumerate(lasting) if t is None]
    after = [k for k, t in enumerate(lasting) if t is not None]
    if before and after:
        rises[after] += rises[before].max(axis=0)
        beside[after] += beside[before].max(axis=0)
    return rises, beside


def _junctions(
    design: Design, states: list[Reading], refs: tuple[str, ...], watts: np.ndarray, beside: np.ndarray
) -> Iterator[Finding]:
    ambient = design.brief.ambient_c
    for column, ref in enumerate(refs):
        known = theta_of(design.parts[ref])
        if known is None or design.parts[ref].kind in ("resistor", "capacitor", "inductor", "fuse", "led"):
            continue
        theta, source = known
        junction = ambient + theta * watts[:, column] + beside[:, column]
        row = int(np.argmax(junction))
        own, more = theta * float(watts[row, column]), float(beside[row, column])
        limit = MOST_C if junction[row] > MOST_C else WARM_C
        # What it comes to by itself is told without the board.
        if junction[row] <= WARM_C or ambient + own > limit or more < 1.0:
            continue
        text = (
            f"The junction of {who(design.parts[ref])} comes to {junction[row]:.0f} °C in {ambient:g} °C: {own:.0f} K "
            f"by itself, {more:.0f} K by the board, which parts beside it warm, in state {states[row].name}"
        )
        yield tell(
            "part-warmed",
            text,
            float(junction[row]),
            limit,
            Place(refs=(ref,)),
            level="stop" if limit == MOST_C else "look",
            source=f"{source}; heat spread in the board, 10 W/m²K a face (rule of thumb)",
        )


def _board(design: Design, states: list[Reading], rises: np.ndarray) -> Iterator[Finding]:
    ambient = design.brief.ambient_c
    row = int(np.argmax(rises.max(axis=1)))
    if ambient + float(rises[row].max()) < ambient + NEAR * (BOARD_C - ambient):
        return
    heat = board_heat(design, states[row])
    rise, x, y = heat.hottest
    if ambient + rise <= BOARD_C:
        return
    by = max(heat.parts_k, key=lambda ref: heat.parts_k[ref])
    text = (
        f"The board comes to {ambient + rise:.0f} °C at {x:.1f}, {y:.1f} mm, by {by}, with {heat.parts_w:.2g} W of "
        f"parts and {heat.copper_w:.2g} W of copper in {ambient:g} °C in state {heat.state}"
    )
    yield tell(
        "board-hot", text, ambient + rise, BOARD_C, Place(refs=(by,), x_nm=nm(x), y_nm=nm(y)), level="look"
    )
