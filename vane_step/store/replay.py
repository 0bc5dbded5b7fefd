"""How far a journal can be read from a version: the mending of what cannot is ``rescue``'s and the store's."""

from __future__ import annotations

import json
from collections.abc import Iterable

from vane_step.core.design.edits import apply, edit_from
from vane_step.core.design.model import Design
from vane_step.core.errors import VaneStepError


def as_far_as_it_goes(design: Design, reached: int, edits: Iterable[tuple[int, str]]) -> tuple[Design, int]:
    """Apply edits of a journal, in order, up to the first that is missing, cannot be read, or is refused.

    Parameters
    ----------
    reached : int
        The number of the edit the design is the result of; the next one has the number after it.

    Returns
    -------
    tuple of Design and int
        The design, and the number of the last edit in it.
    """
    for number, text in edits:
        if number != reached + 1:
            break
        try:
            design, _ = apply(design, edit_from(json.loads(text)))
        except (VaneStepError, ValueError):
            break
        reached = number
    return design, reached
