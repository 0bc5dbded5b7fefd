"""What every verb of the ask line needs: its proposal, finding pins, reading numbers; no verb itself."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from vane_step.core.design.edits import Edit
from vane_step.core.design.model import (
    Design,
)
from vane_step.core.errors import InputError


@dataclass(frozen=True)
class Proposal:
    """What a sentence asks for: an edit, or an action of the program, and a line that says what it will do."""

    says: str
    edit: Edit | None = None
    action: str = ""
    about: tuple[str, ...] = ()


@dataclass(frozen=True)
class Verb:
    """A verb of the ask line: its form, what it does, and the words that may follow at each place."""

    name: str
    form: str
    does: str
    make: Callable[[Design, Sequence[str]], Proposal]
    words: tuple[str, ...] = field(default=())


def need(words: Sequence[str], count: int, form: str) -> None:
    """Refuse a sentence of too few words, saying how it goes on."""
    if len(words) < count:
        raise InputError("The sentence goes on.", where="ask line", allowed=form)


def number(text: str, what: str) -> float:
    """Read a number of a sentence."""
    try:
        value = float(text.replace(",", "."))
    except ValueError as error:
        raise InputError(f"{text!r} is no number.", where=what, value=text) from error
    if not math.isfinite(value) or abs(value) > 1e5:
        raise InputError(f"{text!r} is out of range.", where=what, value=text, allowed="-100000 to 100000")
    return value
