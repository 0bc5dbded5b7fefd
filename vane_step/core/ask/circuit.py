"""Verbs of the ask line that change the circuit; each gives a proposal and applies nothing."""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, need, no_more, number
from vane_step.core.circuit.capture import matrix
from vane_step.core.circuit.electrics import volts
from vane_step.core.circuit.pins import counted, find_pin
from vane_step.core.circuit.reasons import where_it_counts
from vane_step.core.circuit.sheet import anchor_of, check_nudge
from vane_step.core.design import edits
from vane_step.core.design.edits import apply, net_of, part_of
from vane_step.core.design.model import Design, pin_name
from vane_step.core.errors import InputError
from vane_step.core.parts.pinfiles.table import role_of_name
from vane_step.core.quantity import parse_value

KEY_PACKAGES = ("KEY-P650-D6", "DIODE-P762")


# Words people put between what they connect.
BETWEEN = ("to", "with", "and", "->")


@verb(
    "join",
    "join PIN … NET · join U1.PB0..4 ROW0..4",
    "connect pins, or runs of them",
    ("pin", "pin-or-net", "pin-or-net", "pin-or-net"),
    also=("connect", "wire"),
)
def join(design: Design, words: Sequence[str]) -> Proposal:
    """Connect pins; runs of equal length are connected one by one."""
    words = [w for w in words if w not in BETWEEN]
    need(words, 2, "join PIN … NET")
    nets = [w for w in words[:-1] if w in design.nets]
    if nets and "." in words[-1]:
        rest = " ".join(w for w in words if w != nets[0])
        raise InputError(
            f"{nets[0]} is a net, and comes last.",
            where="join",
            value=nets[0],
            allowed="join PIN … NET",
            next_step=f"Type: join {rest} {nets[0]}",
        )
    *runs, names = [counted(w) for w in words]
    if len(names) > 1:
        return _join_runs(design, runs, names)
    texts, last = [t for run in runs for t in run], names[0]
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
    says = (
        f"{name} then has {len(after.pins)} pin{'' if len(after.pins) == 1 else 's'}: {', '.join(after.pins[-6:])}"
        + (f"; {', '.join(moved)}" if moved else "")
    )
    return Proposal(says, edit, about=tuple(pins))


def _join_runs(design: Design, runs: list[list[str]], names: list[str]) -> Proposal:
    """Connect the first of each run with the first name, the second with the second, and so on."""
    uneven = [run for run in runs if len(run) != len(names)]
    if uneven:
        raise InputError(
            f"{uneven[0][0]} … has {len(uneven[0])}, {names[0]} … has {len(names)}.",
            where="ask line",
            allowed="runs of equal length",
        )
    rows = [[find_pin(design, t) for t in row] for row in zip(*runs, strict=True)]
    if "." in names[0]:
        joins = [join(design, [*row, name]).edit for row, name in zip(rows, names, strict=True)]
    else:
        joins = [edits.Join(pins=tuple(row), net=name) for row, name in zip(rows, names, strict=True)]
    edit = edits.Together(edits=tuple(e for e in joins if isinstance(e, edits.Join)))
    says = f"makes {len(names)} connections, from {rows[0][0]} at {names[0]} to {rows[-1][0]} at {names[-1]}"
    return Proposal(says, edit, about=tuple(p for row in rows for p in row))


@verb("pins", "pins REF NAME …", "name the pins of a part in their order", ("ref",))
def name_pins(design: Design, words: Sequence[str]) -> Proposal:
    """Name the pins of a part in their order; supply, ground and free pins are known by their names."""
    need(words, 2, "pins REF NAME …")
    part = part_of(design, words[0])
    names = [n for w in words[1:] for n in counted(w)]
    if len(names) > len(part.pins):
        raise InputError(
            f"{part.ref} has {len(part.pins)} pins.",
            where=part.ref,
            value=len(names),
            next_step="Name as many as there are, in their order.",
        )
    edit = edits.Together(
        edits=tuple(
            edits.SetPin(pin=pin_name(part.ref, pin.number), name=name, role=role_of_name(name) or "io")
            for pin, name in zip(part.pins, names, strict=False)
        )
    )
    return Proposal(f"names {len(names)} pins of {part.ref}: {', '.join(names[:6])}", edit, about=(part.ref,))


@verb(
    "matrix",
    "matrix ROW0..2 COL0..4 [to-rows|to-columns] [SWITCH DIODE]",
    "make a key matrix",
    ("net", "net", "sense"),
)
def make_matrix(design: Design, words: Sequence[str]) -> Proposal:
    """Make a key matrix of row and column nets."""
    form = "matrix ROW0..2 COL0..4 [to-rows|to-columns] [SWITCH DIODE]"
    need(words, 2, form)
    sense = words[2] if len(words) > 2 else "to-rows"
    if sense not in ("to-rows", "to-columns"):
        says = f"{sense!r} is no sense of the diodes."
        raise InputError(says, where="matrix", value=sense, allowed="to-rows, to-columns")
    switch, diode = words[3:5] if len(words) > 4 else KEY_PACKAGES
    rows, columns = counted(words[0]), counted(words[1])
    edit = matrix(design, rows, columns, sense == "to-rows", switch, diode)
    count = len(rows) * len(columns)
    way = "columns to rows" if sense == "to-rows" else "rows to columns"
    says = f"adds {count} keys with a diode each, current from {way}, on {len(rows) + len(columns)} nets"
    return Proposal(says, edit)


def _fresh_net(design: Design) -> str:
    k = 1
    while f"N{k}" in design.nets:
        k += 1
    return f"N{k}"


@verb("disconnect", "disconnect PIN …", "take pins off their nets", ("pin", "pin", "pin"), also=("part",))
def part_pins(design: Design, words: Sequence[str]) -> Proposal:
    """Take pins off their nets."""
    need(words, 1, "disconnect PIN …")
    pins = tuple(find_pin(design, w) for w in words)
    return Proposal(
        f"takes {', '.join(f'{p} off {design.net_of(p)}' for p in pins)}",
        edits.PartPins(pins=pins),
        about=pins,
    )


@verb("rename", "rename NET NEW", "give a net another name", ("net",))
def rename_net(design: Design, words: Sequence[str]) -> Proposal:
    """Give a net another name; where the name tells a voltage, every place that counts on it is named."""
    need(words, 2, "rename NET NEW")
    edit = edits.RenameNet(net=words[0], to=words[1])
    says = f"{words[0]} is then called {words[1]}"
    old = volts(design.nets.get(words[0]))
    if old is not None and old != volts(net_of(apply(design, edit)[0], words[1])):
        places = where_it_counts(design, words[0])
        few = ", ".join(p.where for p in places[:8])
        says += f"; {len(places)} places count on its {old:g} V{f': {few}' if few else ''}"
    return Proposal(says, edit, about=(words[0],))


@verb("merge", "merge NET INTO", "make two nets one", ("net", "net"))
def merge_nets(design: Design, words: Sequence[str]) -> Proposal:
    """Make two nets one."""
    need(words, 2, "merge NET INTO")
    count = len(net_of(design, words[0]).pins)
    return Proposal(
        f"{count} pins of {words[0]} go to {words[1]}", edits.MergeNets(net=words[0], into=words[1])
    )


@verb("role", "role NET ROLE", "say what a net is for", ("net", "role"))
def set_role(design: Design, words: Sequence[str]) -> Proposal:
    """Say what a net is for."""
    need(words, 2, "role NET supply")
    edit = edits.edit_from(
        {"kind": "set-net-rule", "net": words[0], "role": words[1], "rule": net_of(design, words[0]).rule}
    )
    return Proposal(f"{words[0]} is a {words[1]} net", edit, about=(words[0],))


@verb("rail", "rail NET 12V · rail NET 12.8..16.8", "say what voltage a supply has", ("net",))
def set_rail(design: Design, words: Sequence[str]) -> Proposal:
    """Say what voltage a supply has, as one value or from the least to the greatest."""
    form = "rail NET 12V · rail NET 12.8..16.8"
    need(words, 2, form)
    no_more(words, 2, form)
    net = net_of(design, words[0])
    low, _, high = words[1].partition("..")
    volts = parse_value(low, "rail", "V"), parse_value(high or low, "rail", "V")
    role = "ground" if net.role == "ground" else "supply"
    data = {"kind": "set-net-rule", "net": net.name, "role": role, "rule": net.rule, "volts": sorted(volts)}
    told = f"{volts[0]:g} V" if volts[0] == volts[1] else f"{min(volts):g} to {max(volts):g} V"
    return Proposal(f"{net.name} is a supply of {told}", edits.edit_from(data), about=(net.name,))


@verb("value", "value REF VALUE …", "change a value", ("ref",))
def set_value(design: Design, words: Sequence[str]) -> Proposal:
    """Change a value."""
    need(words, 2, "value REF VALUE")
    text = " ".join(words[1:])
    return Proposal(
        f"{words[0]}: {part_of(design, words[0]).value or 'no value'} becomes {text}",
        edits.SetValue(ref=words[0], value=text),
        about=(words[0],),
    )


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


@verb("pin", "pin PIN NAME [ROLE]", "name a pin and say what it does", ("pin", "", "pin-role"))
def set_pin(design: Design, words: Sequence[str]) -> Proposal:
    """Name a pin and say what it does."""
    form = "pin PIN NAME [ROLE]"
    need(words, 2, form)
    pin = find_pin(design, words[0])
    data = {"kind": "set-pin", "pin": pin, "name": words[1], "role": words[2] if len(words) > 2 else None}
    edit = edits.edit_from(data)
    says = f"{pin} is called {words[1]}" + (f" and is of role {words[2]}" if len(words) > 2 else "")
    return Proposal(says, edit, about=(pin,))


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
