"""The verb that takes things out: parts, nets, and all that stands for itself by its name; it applies nothing."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.group import some_parts
from vane_step.core.ask.joining import with_copper
from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, need
from vane_step.core.circuit.pins import counted
from vane_step.core.design import edits
from vane_step.core.design.edits import ITEMS, part_of
from vane_step.core.design.model import Design, natural, split_pin
from vane_step.core.errors import EditRefused


@verb(
    "remove",
    "remove NAME … · remove block=BLOCK",
    "take out parts, nets, holes, texts, reasons …",
    ("ref",),
    also=("delete",),
)
def remove(design: Design, words: Sequence[str]) -> Proposal:
    """Take out parts, nets, holes, pours, texts and the like, as many as are named; nets left without pins go along."""
    words = [w for word in words if (w := word.rstrip(",")) and w != "and"]
    need(words, 1, "remove REF …, or remove block=Press")
    parts: list[str] = []
    others: list[edits.RemoveNet | edits.RemoveItem] = []
    for word in words:
        key, sign, name = word.partition("=")
        item = name if sign and key == "item" else word
        items = [s for s in ITEMS.values() if s != "packages" and item in getattr(design, s)]
        if not sign and word in design.parts and items:
            raise EditRefused(
                f"{word} is the name of a part and of something else.",
                where=word,
                value=word,
                allowed=f"part={word}, item={word}",
                next_step="Say which.",
                choices=(f"remove part={word}", f"remove item={word}"),
            )
        if sign and key == "part":
            parts.append(part_of(design, name).ref)
        elif word in design.parts or (sign and key != "item") or word == "all":
            parts += some_parts(design, [word])
        elif item in design.nets:
            others.append(edits.RemoveNet(net=item))
        elif not sign and len(refs := counted(word)) > 1 and all(r in design.parts for r in refs):
            parts += refs
        else:
            others.append(edits.RemoveItem(id=item))
    parts = list(dict.fromkeys(parts))
    gone = {
        net.name
        for net in design.nets.values()
        if net.pins and all(split_pin(p)[0] in parts for p in net.pins)
    }
    named = {o.net for o in others if isinstance(o, edits.RemoveNet)}
    bare = {n for n in gone - named if not with_copper(design, n)}
    every: tuple[edits.Single, ...] = (
        *(edits.RemovePart(ref=r) for r in parts),
        *others,
        *(edits.RemoveNet(net=n) for n in sorted(bare)),
    )
    says = []
    if parts:
        says.append(f"takes {_few(parts)} out of the circuit")
    for o in others:
        says.append(
            f"removes net {o.net} and its copper" if isinstance(o, edits.RemoveNet) else f"removes {o.id}"
        )
    if bare:
        says.append(f"nets {_few(sorted(bare, key=natural))} go along, they have no pin left")
    return Proposal(
        "; ".join(says), every[0] if len(every) == 1 else edits.Together(edits=every), about=tuple(parts)
    )


def _few(names: Sequence[str]) -> str:
    return ", ".join(names[:6]) + (f" and {len(names) - 6} more" if len(names) > 6 else "")
