"""Verbs of the ask line that change the circuit; each gives a proposal and applies nothing."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.words import Proposal, find_pin, need, number
from vane_step.core.circuit.sheet import anchor_of, check_nudge
from vane_step.core.design import edits
from vane_step.core.design.edits import apply, net_of, part_of
from vane_step.core.design.model import (
    Design,
)
from vane_step.core.parts.packages import package
from vane_step.core.parts.part import new_part


def join(design: Design, words: Sequence[str]) -> Proposal:
    """Connect pins."""
    need(words, 2, "join PIN … NET")
    *texts, last = words
    pins = [find_pin(design, t) for t in texts]
    if "." in last:
        pins.append(find_pin(design, last))
        known = [n for p in pins if (n := design.net_of(p))]
        name = known[0] if known else _fresh_net(design)
    else:
        name = last
    edit = edits.Join(pins=tuple(pins), net=name)
    after = apply(design, edit)[0].nets[name]
    moved = [f"{p} leaves {n}" for p in pins if (n := design.net_of(p)) and n != name]
    says = f"{name} then has {len(after.pins)} pins: {', '.join(after.pins[-6:])}" + (
        f"; {', '.join(moved)}" if moved else ""
    )
    return Proposal(says, edit, about=tuple(pins))


def _fresh_net(design: Design) -> str:
    k = 1
    while f"N{k}" in design.nets:
        k += 1
    return f"N{k}"


def part_pins(design: Design, words: Sequence[str]) -> Proposal:
    """Take pins off their nets."""
    need(words, 1, "part PIN …")
    pins = tuple(find_pin(design, w) for w in words)
    return Proposal(
        f"takes {', '.join(f'{p} off {design.net_of(p)}' for p in pins)}", edits.PartPins(pins=pins), about=pins
    )


def rename_net(design: Design, words: Sequence[str]) -> Proposal:
    """Give a net another name."""
    need(words, 2, "rename NET NEW")
    return Proposal(
        f"{words[0]} is then called {words[1]}", edits.RenameNet(net=words[0], to=words[1]), about=(words[0],)
    )


def merge_nets(design: Design, words: Sequence[str]) -> Proposal:
    """Make two nets one."""
    need(words, 2, "merge NET INTO")
    count = len(net_of(design, words[0]).pins)
    return Proposal(f"{count} pins of {words[0]} go to {words[1]}", edits.MergeNets(net=words[0], into=words[1]))


def set_role(design: Design, words: Sequence[str]) -> Proposal:
    """Say what a net is for."""
    need(words, 2, "role NET supply")
    edit = edits.edit_from(
        {"kind": "set-net-rule", "net": words[0], "role": words[1], "rule": net_of(design, words[0]).rule}
    )
    return Proposal(f"{words[0]} is a {words[1]} net", edit, about=(words[0],))


def set_value(design: Design, words: Sequence[str]) -> Proposal:
    """Change a value."""
    need(words, 2, "value REF VALUE")
    text = " ".join(words[1:])
    return Proposal(
        f"{words[0]}: {part_of(design, words[0]).value or 'no value'} becomes {text}",
        edits.SetValue(ref=words[0], value=text),
        about=(words[0],),
    )


def set_block(design: Design, words: Sequence[str]) -> Proposal:
    """Move a part to another block of the sheet."""
    need(words, 2, "block REF NAME")
    text = " ".join(words[1:])
    part_of(design, words[0])
    return Proposal(
        f"{words[0]} is then drawn in “{text}”", edits.SetValue(ref=words[0], block=text), about=(words[0],)
    )


def set_pin(design: Design, words: Sequence[str]) -> Proposal:
    """Name a pin and say what it does."""
    form = "pin PIN NAME [ROLE]"
    need(words, 2, form)
    pin = find_pin(design, words[0])
    data = {"kind": "set-pin", "pin": pin, "name": words[1], "role": words[2] if len(words) > 2 else None}
    edit = edits.edit_from(data)
    says = f"{pin} is called {words[1]}" + (f" and is of role {words[2]}" if len(words) > 2 else "")
    return Proposal(says, edit, about=(pin,))


def add_part(design: Design, words: Sequence[str]) -> Proposal:
    """Add a part."""
    need(words, 2, "add REF PACKAGE [VALUE]")
    ref, name = words[0], words[1]
    pack = design.packages.get(name) or package(name, design.board.rules.etched)
    part = new_part(ref, pack, " ".join(words[2:]))
    return Proposal(
        f"adds {ref}, {pack.title or name}, {len(part.pins)} pins", edits.AddPart(part=part, package=pack), about=(ref,)
    )


def remove(design: Design, words: Sequence[str]) -> Proposal:
    """Take out a part, a net, a hole, a pour or a text."""
    need(words, 1, "remove REF")
    if words[0] in design.parts:
        return Proposal(f"takes {words[0]} out of the circuit", edits.RemovePart(ref=words[0]), about=(words[0],))
    if words[0] in design.nets:
        return Proposal(f"forgets net {words[0]} and its copper", edits.RemoveNet(net=words[0]))
    return Proposal(f"removes {words[0]}", edits.RemoveItem(id=words[0]))


def nudge(design: Design, words: Sequence[str]) -> Proposal:
    """Shift a part on the sheet."""
    need(words, 2, "nudge REF DX DY, or nudge REF back")
    ref = anchor_of(design, part_of(design, words[0]).ref)
    if words[1] == "back":
        return Proposal(
            f"the program draws {ref} where it likes again", edits.NudgePart(ref=ref, nudge=None), about=(ref,)
        )
    need(words, 3, "nudge REF DX DY")
    old = design.parts[ref].nudge or (0, 0)
    step = tuple(round(number(w, "nudge")) for w in words[1:3])
    edit = edits.NudgePart(ref=ref, nudge=(old[0] + step[0], old[1] + step[1]))
    check_nudge(apply(design, edit)[0], ref)
    return Proposal(f"shifts {ref} on the sheet by {step[0]}, {step[1]} steps", edit, about=(ref,))
