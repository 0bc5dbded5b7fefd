"""A reading of a named state, written ``V(3V3)@frost``: over the range of its sources."""

from __future__ import annotations

import math

from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.network.probe import Probe, probe
from vane_step.core.network.readings import readings


def is_reading(text: str) -> bool:
    """Whether a text is written as a reading of a state is."""
    return text[:2].upper() in ("V(", "I(", "P(")


def state_reading(design: Design, key: str) -> tuple[Probe, str, list[float]]:
    """Give what is read, of which state, and its values: with the sources at their nominal voltages first.

    Raises
    ------
    InputError, NotFound
        When net, pin, part or state is not there.
    """
    text, _, state = key.partition("@")
    wanted = probe(design, text)
    found = readings(design)
    group = found.of(state)
    if not group:
        names = list(dict.fromkeys(r.setting.name for r in found.all))
        raise InputError(
            f"{key} names no state." if not state else f"There is no state {state}.",
            where=key,
            value=state,
            allowed="; ".join(names[:8]) or "none: say a source first",
            next_step=f"Write {text}@{names[0]}." if names else "",
        )
    return wanted, state, [v for r in group if not math.isnan(v := wanted.of_reading(r))]
