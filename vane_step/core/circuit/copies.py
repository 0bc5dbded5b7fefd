"""Parts copied and set in again, in the same design or another; blocks kept for good are in ``blocks``."""

from __future__ import annotations

from collections.abc import Iterable

from vane_step.core.circuit.blocks import SavedBlock, take_block, use_block
from vane_step.core.circuit.pins import UNNAMED
from vane_step.core.design.edits import AddPart, SetItem, Single, Together
from vane_step.core.design.model import Design
from vane_step.core.parts.part import NEW_BLOCK

COPY = "Copied parts"


def copied(design: Design, refs: Iterable[str]) -> SavedBlock:
    """Copy parts with what connects them.

    Nets with a name stay connected by it wherever the copy is set in: a name is a promise that it is the same net. A
    net without one goes along where two or more of its pins do; else the pin is open in the copy.

    Raises
    ------
    NotFound
        When a part does not exist.
    """
    saved = take_block(design, refs, COPY)
    mine = {n.name for n in saved.nets if UNNAMED.fullmatch(n.name)}
    nets = tuple(n for n in saved.nets if n.name not in mine or len(n.pins) > 1)
    ports = {n.name: n.role for n in nets if n.name not in mine}
    return saved.model_copy(update={"nets": nets, "ports": ports})


def set_in(design: Design, saved: SavedBlock) -> Together:
    """Make the edit that sets copied parts into a design, under the next free references and in no block."""
    edits: list[Single] = []
    for edit in use_block(design, saved, {}).edits:
        if isinstance(edit, SetItem) and edit.block is not None:
            continue
        if isinstance(edit, AddPart):
            part = edit.part.model_copy(update={"block": NEW_BLOCK})
            edits.append(edit.model_copy(update={"part": part}))
        else:
            edits.append(edit)
    return Together(edits=tuple(edits))


def added_refs(edit: Together) -> tuple[str, ...]:
    """List the references of the parts an edit adds."""
    return tuple(e.part.ref for e in edit.edits if isinstance(e, AddPart))
