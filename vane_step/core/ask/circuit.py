"""Verbs of the ask line that change the circuit; each gives a proposal and applies nothing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, get_args

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Action, Proposal, Resources, need, no_more
from vane_step.core.catalogue.search import figure
from vane_step.core.circuit.capture import matrix
from vane_step.core.circuit.electrics import volts
from vane_step.core.circuit.pins import counted, find_pin
from vane_step.core.design import edits
from vane_step.core.design.edits import apply, net_of, part_of
from vane_step.core.design.model import Design, PinRole, pin_name, split_pin
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.pinfiles.table import role_of_name
from vane_step.core.quantity import parse_value
from vane_step.core.reasons.mentions import where_it_counts

KEY_PACKAGES = ("KEY-P650-D6", "DIODE-P762")


@verb("pins", "pins REF · pins REF NAME …", "tell the pins of a part, or name them in their order", ("ref",))
def name_pins(design: Design, words: Sequence[str]) -> Proposal:
    """Name the pins of a part in their order; supply, ground and free pins are known by their names."""
    need(words, 1, "pins REF NAME …")
    part = part_of(design, words[0])
    if len(words) == 1:
        told = [f"{p.number} {p.name or ''}".strip() for p in part.pins]
        on = [design.net_of(pin_name(part.ref, p.number)) for p in part.pins]
        pins = ", ".join(f"{pin} on {net}" if net else pin for pin, net in zip(told, on, strict=True))
        return Proposal(f"{part.ref} has {pins}", action=Action("go", (part.ref,)), about=(part.ref,))
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


@verb("role", "role NET ROLE · role PIN ROLE", "say what a net or a pin is for", ("net", "role"))
def set_role(design: Design, words: Sequence[str]) -> Proposal:
    """Say what a net is for, or what a pin does."""
    need(words, 2, "role NET supply")
    if "." in words[0] and words[0] not in design.nets:
        return _does(design, words[0], words[1])
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
def set_value(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Change the value of a part or a run of them; one of a series of the catalogue becomes the part of that value."""
    need(words, 2, "value REF VALUE")
    text = " ".join(words[1:])
    refs = [part_of(design, ref).ref for ref in counted(words[0])]
    each = [_valued(design, ref, text, resources) for ref in refs]
    edit = each[0][0] if len(each) == 1 else edits.Together(edits=tuple(step for step, _ in each))
    return Proposal("; ".join(says for _, says in each[:6]), edit, about=tuple(refs))


def _valued(design: Design, ref: str, text: str, resources: Resources) -> tuple[edits.Single, str]:
    """Give the edit that changes a value, and what it says."""
    part = part_of(design, ref)
    says = f"{ref}: {part.value or 'no value'} becomes {text}"
    old = resources.catalogue.parts.get(part.catalogue)
    if old is not None and old.series and (wish := figure(text)):
        try:
            new = resources.catalogue.member(old.series, wish.value)
        except NotFound as error:
            says += f"; {error.message} No number is chosen for it: near it are {error.allowed}"
        else:
            step = edits.SetPart(ref=ref, value=text, catalogue=new.number, params=dict(new.params))
            return step, f"{says}, {new.number}"
    return edits.SetValue(ref=ref, value=text), says


# What people call the roles of pins.
_ROLES: Final = {
    "supply-in": "power supply vcc vdd pwr power-in",
    "supply-out": "power-out source",
    "ground": "gnd vss",
    "input": "in",
    "output": "out",
    "io": "i/o inout bidirectional gpio both",
    "open-drain": "od oc open-collector",
    "unconnected": "nc n/c no-connect none",
}


def _does(design: Design, text: str, said: str) -> Proposal:
    pin, role = find_pin(design, text), _pin_role(said)
    edit = edits.edit_from({"kind": "set-pin", "pin": pin, "role": role})
    return Proposal(f"{pin} is of role {role}", edit, about=(pin,))


def _pin_role(said: str) -> PinRole:
    """Give the role a word means."""
    word = said.lower()
    for role in get_args(PinRole):
        if word == role or word in _ROLES.get(role, "").split():
            return role  # type: ignore[no-any-return]
    raise InputError(
        f"{said!r} is no role of a pin.", where="role", value=said, allowed=", ".join(get_args(PinRole))
    )


@verb("bank", "bank PIN PIN … [as NAME]", "say which pins may be exchanged", ("pin",))
def set_bank(design: Design, words: Sequence[str]) -> Proposal:
    """Say which pins of a part may take each other's nets."""
    form = "bank PIN PIN … [as NAME]"
    need(words, 2, form)
    rest, name = list(words), "0"
    if len(rest) > 2 and rest[-2] == "as":
        name, rest = rest[-1], rest[:-2]
    pins = list(dict.fromkeys(find_pin(design, p) for word in rest for p in counted(word)))
    refs = {split_pin(p)[0] for p in pins}
    if len(pins) < 2 or len(refs) > 1:
        raise InputError(
            "A bank is two pins or more of one part.", where="bank", value=" ".join(rest), allowed=form
        )
    part = design.parts[next(iter(refs))]
    known = {p.number: p for p in part.pins}
    steps = []
    for pin in pins:
        old = [f for f in known[split_pin(pin)[1]].functions if not f.upper().startswith("BANK")]
        steps.append(edits.SetPin(pin=pin, functions=(*old, f"BANK{name.upper()}")))
    says = f"{len(pins)} pins of {part.ref} may be exchanged among each other; type: exchange {part.ref}"
    return Proposal(says, edits.Together(edits=tuple(steps)), about=(part.ref,))


@verb("pin", "pin PIN NAME [ROLE]", "name a pin and say what it does", ("pin", "", "pin-role"))
def set_pin(design: Design, words: Sequence[str]) -> Proposal:
    """Name a pin and say what it does."""
    form = "pin PIN NAME [ROLE]"
    need(words, 2, form)
    pin = find_pin(design, words[0])
    if len(words) == 2 and words[1] in get_args(PinRole):
        # A role alone: no pin is called so.
        return _does(design, words[0], words[1])
    role = _pin_role(words[2]) if len(words) > 2 else None
    edit = edits.edit_from({"kind": "set-pin", "pin": pin, "name": words[1], "role": role})
    says = f"{pin} is called {words[1]}" + (f" and is of role {role}" if role else "")
    return Proposal(says, edit, about=(pin,))
