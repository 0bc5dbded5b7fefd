"""What every verb of the ask line needs: its proposal, finding pins, reading numbers; no verb itself."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from vane_step.core.circuit.blocks import SavedBlock
from vane_step.core.design.edits import Edit
from vane_step.core.design.model import Design, RuleSet, Side
from vane_step.core.errors import InputError
from vane_step.core.parts.catalogue import Catalogue


@dataclass(frozen=True)
class Resources:
    """What sentences may draw on beside the design; it comes from outside, since the core reads no files."""

    rules: Mapping[str, RuleSet] = field(default_factory=dict)
    catalogue: Catalogue = field(default_factory=lambda: Catalogue({}))
    blocks: Mapping[str, SavedBlock] = field(default_factory=dict)


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
    make: Callable[[Design, Sequence[str], Resources], Proposal]
    words: tuple[str, ...] = field(default=())


UNITS = ("mm", "cm", "mil", "um", "µm", "in", "A", "mA", "V", "mV", "K")


def alone(make: Callable[[Design, Sequence[str]], Proposal]) -> Callable[[Design, Sequence[str], Resources], Proposal]:
    """Make a verb that needs nothing but the design."""
    return lambda design, words, _resources: make(design, words)


def pairs(words: Sequence[str], form: str) -> dict[str, str]:
    """Read ``key=value`` words."""
    found = {}
    for word in words:
        key, sign, value = word.partition("=")
        if not sign or not key or not value:
            raise InputError(f"{word!r} is no key=value.", where="ask line", value=word, allowed=form)
        if key in found:
            raise InputError(f"{key} is said twice.", where=key, value=word, allowed="once", next_step="Keep one.")
        found[key] = value
    return found


def need(words: Sequence[str], count: int, form: str) -> None:
    """Refuse a sentence of too few words, saying how it goes on."""
    if len(words) < count:
        raise InputError("The sentence goes on.", where="ask line", allowed=form)


def places(verb: Verb) -> int | None:
    """Count the words a verb's form has place for; ``None`` where it ends in free text or in as many as one likes.

    >>> places(Verb("hole", "hole X Y [DIAMETER]", "", alone(lambda d, w: Proposal(""))))
    3
    """
    most = 0
    for form in verb.form.split(" · "):
        if "…" in form or form.rstrip("]").endswith('"'):
            return None
        most = max(most, len(re.sub(r'"[^"]*"', "TEXT", form).split()) - 1)
    return most


def fitting(verb: Verb, words: Sequence[str]) -> list[str]:
    """Put units behind their numbers, and refuse words for which the verb's form has no place: none is passed over.

    Raises
    ------
    InputError
        Naming what is left over.
    """
    most = places(verb)
    if most is None:
        return list(words)
    joined: list[str] = []
    for word in words:
        if joined and word in UNITS and re.fullmatch(r"[+-]?\d+([.,]\d+)?", joined[-1]):
            joined[-1] += word
        else:
            joined.append(word)
    if len(joined) > most:
        left = " ".join(joined[most:])
        raise InputError(
            f"{left!r} is left over: nothing would come of it.", where="ask line", value=left, allowed=verb.form,
            next_step="Leave it out, or say it by itself.",
        )  # fmt: skip
    return joined


def measures(words: Sequence[str]) -> list[str]:
    """Put units that stand apart behind their number: ``800 mA`` becomes one word."""
    found: list[str] = []
    for word in words:
        if found and not found[-1][-1:].isalpha() and word[:1].isalpha() and word[:1].isascii() and len(word) <= 4:
            found[-1] += word
        else:
            found.append(word)
    return found


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
            f"{text!r} is no number.", where=what, value=text,
            next_step="Write a number such as 2 or 0.5.",
        ) from error
    if not math.isfinite(value) or abs(value) > 1e5:
        raise InputError(f"{text!r} is out of range.", where=what, value=text, allowed="-100000 to 100000")
    return value
