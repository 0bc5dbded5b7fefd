"""The verbs that connect and disconnect pins: nets become one or end with their last pin, none is torn unsaid."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, need
from vane_step.core.circuit.pins import UNNAMED, counted, find_pin, find_pins
from vane_step.core.circuit.rails import rail
from vane_step.core.design import edits
from vane_step.core.design.edits import apply, part_of
from vane_step.core.design.model import Design, pin_name
from vane_step.core.errors import EditRefused, InputError

# Words people put between what they connect.
BETWEEN = ("to", "with", "and", "->")
FORM = "join PIN … NET · join U1.PB0..4 ROW0..4 · join PIN NET only"


@verb(
    "join",
    FORM,
    "connect pins, or runs of them",
    ("pin", "pin-or-net", "pin-or-net", "pin-or-net"),
    also=("connect", "wire"),
)
def join(design: Design, words: Sequence[str]) -> Proposal:
    """Connect pins; runs of equal length one by one; ``only`` takes the pins off the nets they are on."""
    words = _plainly(words)
    only = words[-1:] == ["only"]
    words = words[:-1] if only else words
    need(words, 2, "join PIN … NET")
    nets = list(dict.fromkeys(w for w in words if w in design.nets))
    if len(nets) > 1:
        raise InputError(
            f"{nets[0]} and {nets[1]} are both nets, and pins go on one.",
            where="join",
            value=" ".join(nets),
            allowed="join PIN … NET",
            next_step=f"Type: merge {nets[0]} {nets[1]}, to make them one.",
        )
    if nets and "." in words[-1]:
        # Whoever names the net first, or in between, means the same.
        words = [*(w for w in words if w != nets[0]), nets[0]]
    *runs, names = [counted(w) for w in words]
    if len(names) > 1:
        return _runs(design, runs, names, only)
    texts, last = [t for run in runs for t in run], _end(design, names[0])
    pins = _all_pins(design, [*texts, last] if "." in last else texts)
    steps, name, becomes = _joined(design, pins, "" if "." in last else last, only)
    after = design
    for step in steps:
        after = apply(after, step)[0]
    there = after.nets[name].pins
    says = f"{name} then has {len(there)} pin{'' if len(there) == 1 else 's'}: {', '.join(there[-6:])}"
    moved = [f"{p} leaves {n}" for p in pins if (n := design.net_of(p)) and n != name and n not in becomes]
    says = "; ".join([says, *(f"{n} becomes part of it" for n in becomes if n != name), *moved])
    return Proposal(
        says, steps[0] if len(steps) == 1 else edits.Together(edits=tuple(steps)), about=tuple(pins)
    )


def _end(design: Design, text: str) -> str:
    """Give the pin or net that is meant last: the only pin of a part, a net however large its letters are.

    Raises
    ------
    InputError
        When it is a part of several pins: a net of its name would look like it and join nothing.
    """
    if "." in text or text in design.nets:
        return text
    part = design.parts.get(text) or design.parts.get(text.upper())
    if part is None:
        return next((n for n in design.nets if n.lower() == text.lower()), text)
    if len(part.pins) == 1:
        return pin_name(part.ref, part.pins[0].number)
    names = [pin_name(part.ref, p.name or p.number) for p in part.pins]
    raise InputError(
        f"{part.ref} is a part; which pin of it is meant?",
        where=part.ref,
        value=text,
        allowed=", ".join(names[:12]) + (" …" if len(names) > 12 else ""),
        next_step="Name one of its pins.",
    )


def _plainly(words: Sequence[str]) -> list[str]:
    """Leave out what people put between names, and read ``U1 pin 8`` as a pin."""
    found: list[str] = []
    for word in (w.rstrip(",") for w in words):
        if found[-1:] == ["pin"] and len(found) > 1:
            found[-2:] = [f"{found[-2]}.{word}"]
        elif word and word not in BETWEEN:
            found.append(word)
    return found


@verb("net", "net NET PIN …", "put pins on a net by its name", ("net", "pin"))
def put_on_net(design: Design, words: Sequence[str]) -> Proposal:
    """Put pins on a net that is named first."""
    need(words, 2, "net NET PIN …")
    return join(design, [*words[1:], words[0]])


def _joined(
    design: Design, pins: Sequence[str], name: str, only: bool
) -> tuple[list[edits.Single], str, list[str]]:
    """Give the edits that put pins on one net, its name, and the nets that become part of it.

    A net of no name becomes part of one that has one. Two that have names are left to the user: connecting pins of
    both makes them one, and nobody is to guess whether that was meant or a pin was to move.
    """
    on = list(dict.fromkeys(n for p in pins if (n := design.net_of(p))))
    target = name or next((n for n in on if not UNNAMED.fullmatch(n)), on[0] if on else _fresh_net(design))
    # A name that cannot be one is refused before anything is asked.
    edits.Join(pins=tuple(pins), net=target)
    steps: list[edits.Single] = []
    becomes: list[str] = []
    there = target in design.nets
    for other in on:
        rest = [p for p in design.nets[other].pins if p not in pins]
        if other == target or only or not rest:
            continue
        if not UNNAMED.fullmatch(other):
            raise _question(design, pins, other, target)
        merge = edits.MergeNets(net=other, into=target) if there else edits.RenameNet(net=other, to=target)
        steps.append(merge)
        becomes.append(other)
        there = True
    loose = tuple(dict.fromkeys(p for p in pins if design.net_of(p) not in (target, *becomes)))
    if loose or not steps:
        steps.append(edits.Join(pins=loose or tuple(pins), net=target))
    left = [n for n in on if n not in (target, *becomes) and set(design.nets[n].pins) <= set(pins)]
    steps += [edits.RemoveNet(net=n) for n in left if not with_copper(design, n)]
    return steps, target, becomes


def _question(design: Design, pins: Sequence[str], other: str, target: str) -> EditRefused:
    mine = [p for p in pins if design.net_of(p) == other]
    rest = len(design.nets[other].pins) - len(mine)
    alone = f"join {' '.join(mine)} {target} only"
    text = f"{', '.join(mine)} is on {other} with {rest} other pin{'' if rest == 1 else 's'}."
    choices: tuple[str, ...]
    if target in design.nets and _may_be_one(design, other, target):
        step, choices = (
            f"Is {other} one net with {target}, or does the pin move?",
            (f"merge {other} {target}", alone),
        )
    elif target in design.nets:
        step, choices = f"{other} and {target} cannot be one net: that shorts two supplies.", (alone,)
    else:
        step, choices = (
            f"Is {other} to be called {target}, or does the pin move?",
            (f"rename {other} {target}", alone),
        )
    return EditRefused(text, where=target, value=other, next_step=step, choices=choices)


def _may_be_one(design: Design, one: str, two: str) -> bool:
    """Tell whether nothing says that two nets must stay apart: both with a voltage, and not the same."""
    volts = [rail(design.nets[n]) for n in (one, two)]
    return None in volts or volts[0] == volts[1]


def with_copper(design: Design, net: str) -> bool:
    """Tell whether a net has copper of its own: tracks, vias, wire jumpers or pours."""
    laid = (design.tracks, design.vias, design.jumpers, design.pours)
    return any(item.net == net for kind in laid for item in kind.values())


def _runs(design: Design, runs: list[list[str]], names: list[str], only: bool) -> Proposal:
    """Connect the first of each run with the first name, the second with the second, and so on."""
    uneven = [run for run in runs if len(run) != len(names)]
    if uneven:
        raise InputError(
            f"{uneven[0][0]} … has {len(uneven[0])}, {names[0]} … has {len(names)}.",
            where="ask line",
            allowed="runs of equal length",
        )
    rows = [_all_pins(design, row) for row in zip(*runs, strict=True)]
    steps: list[edits.Single] = []
    now = design
    for row, name in zip(rows, names, strict=True):
        last = find_pins(design, name) if "." in name else []
        more, _, _ = _joined(now, [*row, *last], "" if last else name, only)
        for step in more:
            now = apply(now, step)[0]
        steps += more
    says = f"makes {len(names)} connections, from {rows[0][0]} at {names[0]} to {rows[-1][0]} at {names[-1]}"
    edit = edits.Together(edits=tuple(steps))
    return Proposal(says, edit, about=tuple(p for row in rows for p in row))


def _all_pins(design: Design, texts: Sequence[str]) -> list[str]:
    """Give the pins of some names, each once; a name that several pins of a part have is all of them."""
    return list(dict.fromkeys(pin for text in texts for pin in find_pins(design, text)))


def _fresh_net(design: Design) -> str:
    k = 1
    while f"N{k}" in design.nets:
        k += 1
    return f"N{k}"


@verb("disconnect", "disconnect PIN …", "take pins off their nets", ("pin", "pin", "pin"), also=("part",))
def part_pins(design: Design, words: Sequence[str]) -> Proposal:
    """Take pins off their nets; a net ends with its last pin."""
    need(words, 1, "disconnect PIN …")
    pins = tuple(find_pin(design, w) for w in words)
    on = dict.fromkeys(n for p in pins if (n := design.net_of(p)))
    bare = [n for n in on if set(design.nets[n].pins) <= set(pins) and not with_copper(design, n)]
    steps: list[edits.Single] = [edits.PartPins(pins=pins), *(edits.RemoveNet(net=n) for n in bare)]
    says = f"takes {', '.join(f'{p} off {design.net_of(p)}' for p in pins)}"
    if bare:
        says += f"; {', '.join(bare)} ends, it has no pin left"
    return Proposal(says, steps[0] if len(steps) == 1 else edits.Together(edits=tuple(steps)), about=pins)


@verb("rest", "rest REF …", "leave the open pins of parts unconnected", ("ref",))
def rest(design: Design, words: Sequence[str]) -> Proposal:
    """Mark every open pin of parts as meant to be open, in one act for all."""
    need(words, 1, "rest REF …")
    if "all" in words:
        open_ = [
            p.ref
            for p in design.parts.values()
            if any(
                design.net_of(pin_name(p.ref, q.number)) is None and q.role != "unconnected" for q in p.pins
            )
        ]
        raise InputError(
            "Which pins are meant to be open is said part by part: among all might be one that was forgotten.",
            where="rest",
            value="all",
            allowed=", ".join(open_[:20]) or "no part has an open pin",
            next_step=f"Type: rest {open_[0]}" if open_ else "Nothing is left to do.",
        )
    refs = [part_of(design, ref).ref for word in words for ref in counted(word)]
    steps: list[edits.Single] = []
    for ref in refs:
        for pin in design.parts[ref].pins:
            name = pin_name(ref, pin.number)
            if design.net_of(name) is None and pin.role != "unconnected":
                steps.append(edits.SetPin(pin=name, role="unconnected"))
    if not steps:
        raise InputError(
            f"{', '.join(refs)}: no pin is open.", where="rest", next_step="Nothing is left to do."
        )
    names = [s.pin for s in steps if isinstance(s, edits.SetPin)]
    few = ", ".join(names[:8]) + (f" and {len(names) - 8} more" if len(names) > 8 else "")
    edit = steps[0] if len(steps) == 1 else edits.Together(edits=tuple(steps))
    return Proposal(f"leaves {few} unconnected", edit, about=tuple(refs))
