"""The verbs of the ask line, each declared beside the function that carries it out; no sentence is understood here."""

from __future__ import annotations

import inspect
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from vane_step.core.ask.words import Proposal, Resources
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError

F = TypeVar("F", bound=Callable[..., Proposal])
UNITS = ("mm", "cm", "mil", "um", "µm", "in", "A", "mA", "V", "mV", "K")


@dataclass(frozen=True)
class Verb:
    """A verb of the ask line: its form, what it does, which words may follow where, and older names of it."""

    name: str
    form: str
    does: str
    make: Callable[[Design, Sequence[str], Resources], Proposal]
    words: tuple[str, ...] = ()
    also: tuple[str, ...] = ()


# By name, in the order in which they are declared; older names are understood and not listed.
VERBS: dict[str, Verb] = {}
BY_WORD: dict[str, Verb] = {}


def verb(
    name: str, form: str, does: str, words: tuple[str, ...] = (), *, also: tuple[str, ...] = ()
) -> Callable[[F], F]:
    """Declare the function below a verb of the ask line.

    Parameters
    ----------
    name
        What a sentence begins with.
    form
        How it goes on; other forms behind `` · ``.
    does
        What it does, as the help says it.
    words
        What kind of word may follow at each place, for completing; the last one goes on.
    also
        Other names that are understood, such as what it was called before.
    """

    def declare(function: F) -> F:
        # What needs nothing but the design takes no resources.
        alone = len(inspect.signature(function).parameters) == 2

        def make(design: Design, said: Sequence[str], resources: Resources) -> Proposal:
            more: tuple[Any, ...] = () if alone else (resources,)
            return function(design, said, *more)

        declared = Verb(name, form, does, make, words, also)
        for word in (name, *also):
            if word in BY_WORD:
                raise ValueError(f"{word} is declared twice as a verb")
            BY_WORD[word] = declared
        VERBS[name] = declared
        return function

    return declare


def sentences_page() -> str:
    """Write all verbs as a table in Markdown, from their declarations: how each goes, what it does, former names."""
    rows = ["| sentence | what it does | also |", "|---|---|---|"]
    for verb in VERBS.values():
        form = "<br>".join(f"`{one}`" for one in verb.form.replace("|", "\\|").split(" · "))
        also = ", ".join(f"`{word}`" for word in verb.also)
        rows.append(f"| {form} | {verb.does} | {also} |")
    return "\n".join(rows) + "\n"


def places(verb: Verb) -> int | None:
    """Count the words a verb's form has place for; ``None`` where it ends in free text or in as many as one likes.

    >>> places(Verb("hole", "hole X Y [DIAMETER]", "", lambda design, words, resources: Proposal("")))
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
            f"{left!r} is left over: nothing would come of it.",
            where="ask line",
            value=left,
            allowed=verb.form,
            next_step="Leave it out, or say it by itself.",
        )
    return joined
