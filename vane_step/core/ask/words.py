"""What every verb of the ask line needs: its proposal, finding pins, reading numbers; no verb itself."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, Literal

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.circuit.blocks import SavedBlock
from vane_step.core.design.edits import Edit
from vane_step.core.design.model import RuleSet, Side
from vane_step.core.errors import InputError

# What counts as gone: the last word of a sentence that takes something back.
NONE: Final = "none"


@dataclass(frozen=True)
class Resources:
    """What sentences may draw on beside the design; it comes from outside, since the core reads no files.

    Of the ``rules`` those named in ``own_rules`` are kept by the user.
    """

    rules: Mapping[str, RuleSet] = field(default_factory=dict)
    catalogue: Catalogue = field(default_factory=lambda: Catalogue({}))
    blocks: Mapping[str, SavedBlock] = field(default_factory=dict)
    own_rules: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Action:
    """What a sentence asks the program to do beside editing: with which parts or nets, and how."""

    name: Literal["route", "arrange", "advise", "choose", "go", "undo", "redo", "find", "help"]
    objects: tuple[str, ...] = ()
    how: str = ""


@dataclass(frozen=True)
class Proposal:
    """What a sentence asks for: an edit, or an action of the program, and a line that says what it will do."""

    says: str
    edit: Edit | None = None
    action: Action | None = None
    about: tuple[str, ...] = ()


def pairs(words: Sequence[str], form: str) -> dict[str, str]:
    """Read ``key=value`` words."""
    found = {}
    for word in words:
        key, sign, value = word.partition("=")
        if not sign or not key or not value:
            raise InputError(f"{word!r} is no key=value.", where="ask line", value=word, allowed=form)
        if key in found:
            raise InputError(
                f"{key} is said twice.", where=key, value=word, allowed="once", next_step="Keep one."
            )
        found[key] = value
    return found


def need(words: Sequence[str], count: int, form: str) -> None:
    """Refuse a sentence of too few words, saying how it goes on."""
    if len(words) < count:
        raise InputError("The sentence goes on.", where="ask line", allowed=form)


def measures(words: Sequence[str]) -> list[str]:
    """Put units that stand apart behind their number: ``800 mA`` becomes one word."""
    found: list[str] = []
    for word in words:
        if (
            found
            and not found[-1][-1:].isalpha()
            and word[:1].isalpha()
            and word[:1].isascii()
            and len(word) <= 4
        ):
            found[-1] += word
        else:
            found.append(word)
    return found


def few(names: Sequence[str]) -> str:
    """Name the first six, and tell that there are more."""
    return ", ".join(names[:6]) + (" …" if len(names) > 6 else "")


def no_more(words: Sequence[str], most: int, form: str) -> None:
    """Refuse words left over: nothing said is passed over."""
    if len(words) > most:
        left = " ".join(words[most:])
        raise InputError(f"{left!r} says nothing here.", where="ask line", value=left, allowed=form)


def side_of(words: Sequence[str], form: str) -> Side:
    """Read the side at the end of a sentence; the front where none is said."""
    if not words or words[0] == "front":
        return "front"
    if words[0] == "back":
        return "back"
    raise InputError(f"{words[0]!r} is no side.", where="side", value=words[0], allowed=form)


def number(text: str, what: str) -> float:
    """Read a number of a sentence."""
    try:
        value = float(text.replace(",", "."))
    except ValueError as error:
        raise InputError(
            f"{text!r} is no number.",
            where=what,
            value=text,
            next_step="Write a number such as 2 or 0.5.",
        ) from error
    if not math.isfinite(value) or abs(value) > 1e5:
        raise InputError(f"{text!r} is out of range.", where=what, value=text, allowed="-100000 to 100000")
    return value
