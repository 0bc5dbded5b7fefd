"""Verbs of the ask line that change no design by themselves: to show something, to undo and redo."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Action, Proposal, Resources, need
from vane_step.core.catalogue.index import nothing_found
from vane_step.core.design.model import Design
from vane_step.core.errors import NotFound


@verb("go", "go REF", "show a part or net", ("ref-or-net",))
def go(design: Design, words: Sequence[str]) -> Proposal:
    """Show a part or a net."""
    need(words, 1, "go REF or go NET")
    if words[0] not in design.parts and words[0] not in design.nets:
        raise NotFound(
            f"There is no part or net {words[0]}.",
            where=words[0],
            next_step="Name a part or a net of the design.",
        )
    return Proposal(f"shows {words[0]}", action=Action("go", (words[0],)), about=(words[0],))


@verb("find", "find WHAT …", "search the catalogue", ("",), also=("search",))
def find(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Search the catalogue by what a part is, and show what is found."""
    need(words, 1, "find motor driver")
    text = " ".join(words)
    answer = resources.catalogue.search(text, 3, fold=True)
    if not answer.found:
        raise nothing_found(text, resources.catalogue.index.near(text))
    few = ", ".join(f"{f.part.series or f.part.number} {f.part.title}" for f in answer.found)
    return Proposal(f"finds {answer.count}: {few} …", action=Action("find", (text,)))


@verb("help", "help", "show what can be typed")
def show_help(design: Design, words: Sequence[str]) -> Proposal:
    """Show what can be typed."""
    return Proposal("shows what can be typed: add R1 10k, join R1.1 GND, remove R1 …", action=Action("help"))


@verb("undo", "undo", "take the last change back")
def undo(design: Design, words: Sequence[str]) -> Proposal:
    """Take the last change back."""
    return Proposal("takes the last change back", action=Action("undo"))


@verb("redo", "redo", "do it again")
def redo(design: Design, words: Sequence[str]) -> Proposal:
    """Do what was undone again."""
    return Proposal("does it again", action=Action("redo"))
