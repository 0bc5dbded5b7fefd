"""Verbs about how the circuit is drawn: blocks, groups that are guessed, and where a part stands on the sheet."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, need, no_more, number
from vane_step.core.circuit.pins import counted
from vane_step.core.design import edits
from vane_step.core.design.edits import apply, part_of
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.parts.part import NEW_BLOCK
from vane_step.core.sheet.sheet import anchor_of, check_nudge, guessed


@verb("block", "block REF … NAME", "move a part to a block of the sheet", ("ref",))
def set_block(design: Design, words: Sequence[str]) -> Proposal:
    """Move parts to another block of the sheet: what is chosen together becomes a block."""
    need(words, 2, "block REF … NAME")
    refs: list[str] = []
    rest = list(words)
    while len(rest) > 1 and all(r in design.parts for r in counted(rest[0])):
        refs += counted(rest.pop(0))
    text = " ".join(rest)
    if not refs:
        part_of(design, words[0])
    moves = tuple(edits.SetValue(ref=r, block=text) for r in refs)
    edit = moves[0] if len(moves) == 1 else edits.Together(edits=moves)
    return Proposal(f"{', '.join(refs[:6])} then drawn in “{text}”", edit, about=tuple(refs))


@verb("divide", "divide", "keep the guessed groups of the sheet as blocks")
def divide(design: Design, words: Sequence[str]) -> Proposal:
    """Make each group of parts that is guessed to belong together a block; parts of a block stay in it."""
    no_more(words, 0, "divide")
    groups = [g for g in guessed(design) if g.title != NEW_BLOCK]
    if not groups:
        raise InputError(
            "No groups are guessed: every part is in a block, or too few are connected.",
            where="divide",
            next_step="Put parts into a block yourself: block R1 R2 Lamp.",
        )
    moves: list[edits.Single] = []
    told = []
    taken = {p.block for p in design.parts.values()}
    for group in groups:
        title, k = group.title, 2
        while title in taken:
            title, k = f"{group.title} {k}", k + 1
        moves += [edits.SetValue(ref=ref, block=title) for ref in group.refs]
        told.append(f"{title} ({len(group.refs)})")
    refs = tuple(ref for group in groups for ref in group.refs)
    count = f"{len(groups)} block" + ("s" if len(groups) > 1 else "")
    return Proposal(f"makes {count}: {', '.join(told)}", edits.Together(edits=tuple(moves)), about=refs)


@verb("nudge", "nudge REF DX DY", "shift a part on the sheet", ("ref",))
def nudge(design: Design, words: Sequence[str]) -> Proposal:
    """Shift a part on the sheet."""
    need(words, 2, "nudge REF DX DY, or nudge REF back")
    ref = anchor_of(design, part_of(design, words[0]).ref)
    if words[1] == "back":
        return Proposal(
            f"the program draws {ref} where it likes again",
            edits.NudgePart(ref=ref, nudge=None),
            about=(ref,),
        )
    need(words, 3, "nudge REF DX DY")
    old = design.parts[ref].nudge or (0, 0)
    step = tuple(round(number(w, "nudge")) for w in words[1:3])
    edit = edits.NudgePart(ref=ref, nudge=(old[0] + step[0], old[1] + step[1]))
    check_nudge(apply(design, edit)[0], ref)
    return Proposal(f"shifts {ref} on the sheet by {step[0]}, {step[1]} steps", edit, about=(ref,))
