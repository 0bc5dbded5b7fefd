"""Guesses which parts belong together on a sheet where nobody said it; how they are drawn is not decided here."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from vane_step.core.circuit.bypass import is_connector
from vane_step.core.circuit.electrics import is_switch
from vane_step.core.circuit.matrices import matrices
from vane_step.core.circuit.pins import UNNAMED
from vane_step.core.circuit.symbols import is_rail, is_symbol
from vane_step.core.design.model import Design, Net, Part, natural, pin_name, split_pin
from vane_step.core.parts.part import NEW_BLOCK
from vane_step.core.sheet.drafter import hosts, is_regulator, is_source, source_chain

# So few parts need no division.
FEW = 6
# Over a net of more pins nothing belongs together.
MOST_PINS = 5
# A card of so few pins that hangs on one zone alone belongs to it.
SMALL = 4


@dataclass(frozen=True)
class Guess:
    """Parts that belong together, with a title for them."""

    title: str
    refs: tuple[str, ...]


def guess(design: Design, parts: Sequence[Part]) -> list[Guess]:
    """Divide parts into groups round what they serve.

    A matrix is a group. Each card, such as a chip, a transistor or a plug, is the middle of one; capacitors of a rail
    go to what makes or draws it, other two-terminal parts to the nearest middle over nets of few pins, a transistor
    before a chip before a plug, and small cards that hang on one group alone join it. Lights and other chains between
    rails are a group each. What is connected to nothing comes last, under the title of new parts.
    """
    loose = [p for p in parts if not any(design.net_of(pin_name(p.ref, x.number)) for x in p.pins)]
    joined = [p for p in parts if p not in loose]
    if len(joined) <= FEW:
        return [Guess(NEW_BLOCK, tuple(p.ref for p in parts))] if parts else []
    found: list[Guess] = []
    rest = list(joined)
    for matrix in matrices(design, rest):
        kind = matrix.cells[0].parts[0][0].kind
        found.append(Guess({"switch": "Keys", "led": "Lights"}.get(kind, "Matrix"), matrix.refs))
        rest = [p for p in rest if p.ref not in matrix.refs]
    middle = _middles(design, rest)
    _merge(design, middle)
    groups: dict[str, list[str]] = {}
    for ref in sorted(middle, key=natural):
        groups.setdefault(middle[ref], []).append(ref)
    ordered = sorted(groups, key=lambda m: (_rank(design, m), natural(m)))
    titles = _apart([*(g.title for g in found), *(_title(design, m, groups[m]) for m in ordered)])
    found = [Guess(t, g.refs) for t, g in zip(titles, found, strict=False)]
    named = titles[len(found) :]
    first = [Guess(t, tuple(groups[m])) for t, m in zip(named, ordered, strict=True)]
    last = [Guess(NEW_BLOCK, tuple(p.ref for p in loose))] if loose else []
    return [*first, *found, *last]


def _middles(design: Design, parts: Sequence[Part]) -> dict[str, str]:
    """Tell for each part the card it belongs to, or for chains between rails the first of the chain."""
    cards = [p for p in parts if not _hangs(design, p)]
    middle = {p.ref: p.ref for p in cards}
    middle |= hosts(design, parts)
    for card in cards:
        if is_source(design, card):
            for item, _ in source_chain(design, card, parts):
                middle.setdefault(item.ref, card.ref)
    waiting = {p.ref: p for p in parts if p.ref not in middle}
    edge = sorted(cards, key=lambda p: (_pull(design, p), natural(p.ref)))
    reached = [p.ref for p in edge]
    while reached and waiting:
        further = []
        for ref in reached:
            for other in _neighbours(design, design.parts[ref]):
                if other in waiting:
                    middle[other] = middle[ref]
                    del waiting[other]
                    further.append(other)
        reached = further
    while waiting:
        first = min(waiting, key=natural)
        chain, edge_refs = {first}, [first]
        while edge_refs:
            near = {
                o for r in edge_refs for o in _neighbours(design, design.parts[r])
            } & waiting.keys() - chain
            chain |= near
            edge_refs = list(near)
        for ref in chain:
            middle[ref] = first
            waiting.pop(ref)
    return middle


def _hangs(design: Design, part: Part) -> bool:
    """Tell whether a part is none round which others stand: one of two pins that is no plug, as on imported boards."""
    return is_symbol(part) or (len(part.pins) <= 2 and not is_connector(design, part))


def _pull(design: Design, part: Part) -> int:
    """Tell which card takes a part that is as near to two: transistors first, plugs last."""
    if is_switch(part):
        return 0
    return 2 if is_connector(design, part) else 1


def _neighbours(design: Design, part: Part) -> list[str]:
    """List the parts on the nets of few pins of a part, rails left out."""
    found: list[str] = []
    for pin in part.pins:
        name = design.net_of(pin_name(part.ref, pin.number))
        net = design.nets[name] if name else None
        if net is None or is_rail(net) or len(_parts_on(net)) > MOST_PINS:
            continue
        found += [r for r in _parts_on(net) if r != part.ref]
    return list(dict.fromkeys(found))


def _parts_on(net: Net) -> set[str]:
    return {split_pin(p)[0] for p in net.pins}


def _merge(design: Design, middle: dict[str, str]) -> None:
    """Give small cards, such as a trimmer or the plug of a load, to the one group they hang on, until nothing moves."""
    for ref in sorted({m for m in middle.values() if not _hangs(design, design.parts[m])}, key=natural):
        part = design.parts[ref]
        if len(part.pins) > SMALL or is_switch(part) or is_regulator(part) or is_source(design, part):
            continue
        mine = [r for r, m in middle.items() if m == ref]
        beside = {middle[o] for r in mine for o in _neighbours(design, design.parts[r]) if o in middle} - {
            ref
        }
        if len(beside) == 1:
            target = beside.pop()
            for r in mine:
                middle[r] = target


def _rank(design: Design, ref: str) -> int:
    """Order groups as power goes: sources, regulators, chips, transistors, plugs, lights."""
    part = design.parts[ref]
    if _hangs(design, part):
        return 5
    if is_source(design, part):
        return 0
    if is_regulator(part):
        return 1
    if is_switch(part):
        return 3
    return 4 if is_connector(design, part) else 2


def _title(design: Design, ref: str, refs: Sequence[str]) -> str:
    """Name a group by what it does: the rail it makes, the load it switches, the part in its middle."""
    part = design.parts[ref]
    outs = _named_nets(design, part, ("supply-out",))
    if is_source(design, part):
        chain = [
            net.name for _, net in source_chain(design, part, [design.parts[r] for r in refs]) if is_rail(net)
        ]
        rails = [n for n in dict.fromkeys(chain) if n not in outs] or outs
        return f"Supply {' and '.join(rails[:2])} from {ref}" if rails else f"Supply {ref}"
    if is_regulator(part):
        return f"Supply {outs[0]}" if outs else f"Supply {ref}"
    if is_switch(part):
        loads = _named_nets(design, part, ("open-drain", "passive"))
        return f"{loads[0]} switched by {ref}" if loads else f"Switch {ref}"
    if any(p.functions for p in part.pins):
        return f"Controller {ref}"
    if _hangs(design, part):
        light = next((r for r in refs if design.parts[r].kind == "led"), "")
        return f"Light {light}" if light else f"Parts at {ref}"
    return f"Connector {ref}" if is_connector(design, part) else f"{ref} {part.value}".strip()


def _named_nets(design: Design, part: Part, roles: Sequence[str]) -> list[str]:
    names = [design.net_of(pin_name(part.ref, p.number)) for p in part.pins if p.role in roles]
    return [
        n
        for n in dict.fromkeys(filter(None, names))
        if not UNNAMED.fullmatch(n) and design.nets[n].role != "ground"
    ]


def _apart(titles: Sequence[str]) -> list[str]:
    """Tell equal titles apart by a number behind them."""
    seen: dict[str, int] = {}
    told = []
    for title in titles:
        seen[title] = seen.get(title, 0) + 1
        stem = re.sub(r"\s+", " ", title)[:56]
        told.append(stem if seen[title] == 1 else f"{stem} {seen[title]}")
    return told
