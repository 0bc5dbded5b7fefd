"""Verbs that copy parts within a design and name the design; between designs the page and the terminal carry them."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, few, need
from vane_step.core.circuit.copies import added_refs, copied, set_in
from vane_step.core.circuit.pins import counted
from vane_step.core.design import edits
from vane_step.core.design.edits import apply, part_of
from vane_step.core.design.model import Design, pin_name
from vane_step.core.errors import InputError

MOST_COPIED = 500


@verb("copy", "copy REF …", "add parts like these, connected alike", ("ref", "ref", "ref"))
def copy_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Copy parts: named nets and supplies are joined by name, the rest of the connections is the copy's own."""
    need(words, 1, "copy REF …")
    refs = list(dict.fromkeys(part_of(design, ref).ref for word in words for ref in counted(word)))
    if len(refs) > MOST_COPIED:
        raise InputError(
            f"{len(refs)} parts at once.", where="copy", value=len(refs), allowed=f"1 to {MOST_COPIED}"
        )
    saved = copied(design, refs)
    edit = set_in(design, saved)
    return Proposal(f"copies {few(refs)} as {told(design, edit)}", edit, about=added_refs(edit))


def told(design: Design, edit: edits.Together) -> str:
    """Say what parts that are set in are called, what they are joined to and what is left open."""
    after = apply(design, edit)[0]
    refs = added_refs(edit)
    mine = {
        pin_name(r, p.number): after.net_of(pin_name(r, p.number)) for r in refs for p in after.parts[r].pins
    }
    joined = [n for n in dict.fromkeys(filter(None, mine.values())) if n in design.nets]
    loose = [pin for pin, net in mine.items() if net is None]
    says = few(refs)
    if joined:
        says += f"; joined by name to {few(joined)}"
    if loose:
        says += f"; {few(loose)} left open" if len(loose) < 4 else f"; {len(loose)} pins left open"
    return says


@verb("call", "call NAME", "give the design another name")
def call(design: Design, words: Sequence[str]) -> Proposal:
    """Name the design anew; its address stays."""
    need(words, 1, "call NAME")
    name = " ".join(words)
    if len(name) > 80:
        raise InputError("That is a long name.", where="call", value=len(name), allowed="up to 80 letters")
    return Proposal(f"{design.name} is called {name} from now on", edits.SetName(name=name))
