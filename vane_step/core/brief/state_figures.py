"""Figures of what the circuit does in a state, for requirements: ``V(3V3)@frost``, ``I(F1.1)@frost``,
``P(U3)@frost``, ``lasts.BATT``."""

from __future__ import annotations

from vane_step.core.design.model import Design
from vane_step.core.errors import NotFound, VaneStepError
from vane_step.core.network.readings import readings
from vane_step.core.network.state_reading import state_reading
from vane_step.core.operation.budget import lifetimes


def state_figure(design: Design, key: str, sense: str) -> tuple[str, str, float] | None:
    """Give title, unit and value of a figure of a state: the least over the range of its sources for a limit at least.

    Parameters
    ----------
    key
        A reading behind whose bracket stands ``@`` and a state, or ``lasts.SOURCE`` for hours.
    sense
        ``at least`` or ``at most``: which end of the range counts.

    Returns
    -------
    tuple or None
        None where the key is no such figure, or what it names is not there (any more).
    """
    try:
        return _figure(design, key, sense)
    except VaneStepError:
        return None


def asked_figure(design: Design, key: str, sense: str) -> tuple[str, str, float] | None:
    """Give the same for a requirement that is being written: what is wrong with it is told.

    Raises
    ------
    InputError, NotFound
        When net, pin, part or state is not there.
    """
    return _figure(design, key, sense)


def _figure(design: Design, key: str, sense: str) -> tuple[str, str, float] | None:
    if key.startswith("lasts."):
        name = key.removeprefix("lasts.")
        life = next((x for x in lifetimes(design, readings(design)) if x.source == name), None)
        if life is None:
            known = ", ".join(n for n, found in design.sources.items() if found.ah is not None)
            allowed = known or "a source with its charge, such as 2Ah"
            raise NotFound(f"{name} has no charge.", where=key, allowed=allowed)
        return f"{name} lasts", "h", life.hours
    if "(" not in key:
        return None
    wanted, state, values = state_reading(design, key)
    if not values:
        return None
    return f"{wanted.label} in {state}", wanted.unit, min(values) if sense == "at least" else max(values)
