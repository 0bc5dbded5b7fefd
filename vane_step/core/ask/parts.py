"""Verbs of the ask line for parts of the catalogue, pins of controllers, blocks, fit options and land patterns."""

from __future__ import annotations

import re
from collections.abc import Sequence

from vane_step.core.ask.adding import meant_part
from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, Resources, need, number, pairs
from vane_step.core.board.placement.pin_escape import pin_costs, reach_mm
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.circuit.pins import counted, find_pin
from vane_step.core.controllers.assign import Assignment
from vane_step.core.controllers.choose import apply_assignment, lock_pin, solve_for
from vane_step.core.controllers.demand import read_demand
from vane_step.core.design import edits
from vane_step.core.design.edits import part_of
from vane_step.core.design.model import Block, Design, Extra, Package, Part, Pin, Variant, natural, split_pin
from vane_step.core.errors import InputError, NotFound
from vane_step.core.patterns.dimensions import from_dimensions, trimmed
from vane_step.core.patterns.patternsheet import judged


@verb(
    "swap",
    "swap REF … NUMBER · swap R1 33k · swap Q1 with mosfet 30V",
    "replace by another part of the catalogue",
    ("ref", "number"),
    also=("replace",),
)
def swap_part(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Put a part of the catalogue in the stead of others; what is connected stays so, by the names of the pins."""
    words = [w for w in words if w not in ("with", "by")]
    need(words, 2, "swap REF … NUMBER")
    first = next(
        (k for k, w in enumerate(words) if k and not all(r in design.parts for r in counted(w))), len(words)
    )
    refs, what = words[:first], " ".join(words[first:]) or words[-1]
    found = meant_part(design, refs[0] if refs else "", what, resources)
    words = [*(refs or words[:-1]), found.number]
    swaps: list[edits.Single] = []
    moved: list[str] = []
    for ref in (r for word in words[:-1] for r in counted(word)):
        made, lies = _swap(design, ref, found, resources)
        swaps += made
        moved += lies
    edit = swaps[0] if len(swaps) == 1 else edits.Together(edits=tuple(swaps))
    tail = f"; its pins lie otherwise: {', '.join(moved[:8])}" if moved else ""
    says = f"{', '.join(words[:-1])}: takes {found.number}, {found.title}{tail}"
    return Proposal(says, edit, about=tuple(words[:-1]))


# Names that parts of one kind call the same pin by.
_SAME_PIN = {"VIN": "IN", "VOUT": "OUT", "VCC": "VDD", "V+": "VDD", "V-": "GND", "VSS": "GND", "VEE": "GND"}


def _called(pin: Pin) -> str:
    name = pin.name.upper()
    return _SAME_PIN.get(name, name)


def _by_name(design: Design, old: Part, new: Part) -> dict[str, list[str]] | None:
    """Tell which pins of a new part each connected pin of the old one goes to; ``None`` where numbers say the same.

    Raises
    ------
    InputError
        When the parts name their pins and the new one lacks a name that is connected.
    """
    joined = [p for p in old.pins if design.net_of(f"{old.ref}.{p.number}")]
    if not all(p.name for p in (*joined, *new.pins)):
        return None
    there = {p.number: _called(p) for p in new.pins}
    # A pin named by what it does goes to the port that can do it, where just one can: RESET to PA0.
    for name in {_called(p) for p in joined} - set(there.values()):
        able = [p.number for p in new.pins if name in {f.upper() for f in p.functions}]
        if len(able) == 1:
            there[able[0]] = name
    if all(there.get(p.number) == _called(p) for p in joined):
        return None
    lacking = [p.name for p in joined if _called(p) not in there.values()]
    if lacking:
        raise InputError(
            f"{new.catalogue} has no pin {', '.join(dict.fromkeys(lacking))}, which {old.ref} is connected by.",
            where=old.ref,
            allowed=", ".join(dict.fromkeys(p.name for p in new.pins)),
            next_step="Disconnect the pins first, or choose a part with the same pins.",
        )
    goes: dict[str, list[str]] = {}
    for name in dict.fromkeys(_called(p) for p in joined):
        mine = [p.number for p in joined if _called(p) == name]
        theirs = [n for n, other in there.items() if other == name]
        for k, one in enumerate(mine):
            # Of several of a name each goes to its own as far as there are; further ones join the last.
            goes[one] = (
                theirs[k:] if k == len(mine) - 1 and len(theirs) > k else [theirs[min(k, len(theirs) - 1)]]
            )
    return goes


def _swap(
    design: Design, ref: str, found: CataloguePart, resources: Resources
) -> tuple[list[edits.Single], list[str]]:
    old = part_of(design, ref)
    pack = design.packages.get(found.package) or resources.catalogue.package_of(
        found.package, design.board.rules.etched
    )
    new = found.part(ref)
    goes = _by_name(design, old, new)
    if goes is not None:
        nets = {number: design.net_of(f"{ref}.{number}") or "" for number in goes}
        steps: list[edits.Single] = [
            edits.PartPins(pins=tuple(f"{ref}.{number}" for number in goes)),
            edits.ReplacePart(part=new, package=pack),
        ]
        onto: dict[str, list[str]] = {}
        for number, theirs in goes.items():
            onto.setdefault(nets[number], []).extend(f"{ref}.{t}" for t in theirs)
        steps += [edits.Join(pins=tuple(dict.fromkeys(pins)), net=net) for net, pins in onto.items()]
        named = {p.number: p.name for p in old.pins}
        return steps, [f"{named[n]} from {n} to {' and '.join(t)}" for n, t in goes.items() if t != [n]]
    joined = {p.number for p in old.pins if design.net_of(f"{ref}.{p.number}")}
    gone = joined - {p.number for p in new.pins}
    if gone:
        raise InputError(
            f"{found.number} has no pin {', '.join(sorted(gone, key=natural))}, which {ref} is connected by.",
            where=ref,
            next_step="Disconnect the pins first, or choose a part with the same pins.",
        )
    before = {p.number: p for p in old.pins}
    pins = tuple(p if p.name or p.number not in before else before[p.number] for p in new.pins)
    return [edits.ReplacePart(part=new.model_copy(update={"pins": pins}), package=pack)], []


@verb("assign", "assign REF [nearer]", "give what firmware needs its pins", ("ref", "nearer"))
def assign_pins(design: Design, words: Sequence[str]) -> Proposal:
    """Assign the pins of a controller to what firmware needs, as the brief says it."""
    need(words, 1, "assign REF [nearer]")
    demand = read_demand(design.brief.demands)
    if not demand.signals:
        raise InputError(
            "The brief says nothing of what firmware needs.",
            where="assign",
            next_step='Type: demand "SENSE: adc, PUMP: pwm"',
        )
    nearer = len(words) > 1 and words[1] == "nearer"
    if len(words) > 1 and not nearer:
        raise InputError(f"{words[1]!r} says nothing of an assignment.", where="assign", allowed="nearer")
    cost = pin_costs(design, words[0], [s.name for s in demand.signals]) if nearer else None
    solved = solve_for(design, words[0], demand, cost)
    edit = apply_assignment(design, words[0], solved)
    says = told(solved)
    if nearer:
        before, after = reach_mm(design, words[0]), reach_mm(edits.apply(design, edit)[0], words[0])
        moved = sum(
            1
            for u in solved.uses
            if u.pin != {o.demand: o.pin for o in part_of(design, words[0]).uses}.get(u.demand)
        )
        says = f"{says}; moves {moved} pins, ways to them {before:.0f} mm before, {after:.0f} mm after"
    return Proposal(says, edit, about=(words[0],))


def told(solved: Assignment) -> str:
    """Say in a sentence what an assignment gives."""
    proof = "the best there is" if solved.gap <= 1e-6 else f"within {solved.gap:.1%} of the best"
    says = f"gives {len(solved.uses)} signals a pin, {len(solved.spare)} spare, {proof}"
    if solved.missing:
        says += f"; no pin left for {', '.join(s.name for s in solved.missing[:6])}"
    if solved.wired:
        says += f"; wired already: {', '.join(f'{s.name} on pin {pin}' for s, pin in solved.wired[:6])}"
    return says


def lock_use(design: Design, words: Sequence[str], locked: bool) -> Proposal:
    """Keep what a pin is used for through later assignments, or let it go."""
    ref, number = split_pin(find_pin(design, words[0]))
    edit = lock_pin(design, ref, number, locked)
    return Proposal(
        f"{words[0]} {'keeps its use' if locked else 'may be used otherwise'}", edit, about=(ref,)
    )


@verb("fit", "fit REF … yes|no [in VARIANT]", "say what is fitted", ("ref",))
def fit(design: Design, words: Sequence[str]) -> Proposal:
    """Say whether parts are fitted, in the circuit as drawn or in a variant."""
    need(words, 2, "fit REF … yes|no [in VARIANT]")
    variant = ""
    if len(words) > 3 and words[-2] == "in":
        variant, words = words[-1], words[:-2]
    if words[-1] not in ("yes", "no"):
        raise InputError(
            f"{words[-1]!r} is neither yes nor no.", where="fit", value=words[-1], allowed="yes, no"
        )
    yes = words[-1] == "yes"
    refs = [part_of(design, r).ref for w in words[:-1] for r in counted(w)]
    what = f"{', '.join(refs[:6])} {'is' if len(refs) == 1 else 'are'} {'' if yes else 'not '}fitted"
    if not variant:
        every = tuple(edits.SetPart(ref=r, fitted=yes) for r in refs)
        return Proposal(what, every[0] if len(every) == 1 else edits.Together(edits=every), about=tuple(refs))
    old = design.variants.get(variant, Variant(id=variant, title=variant))
    fitted = {**old.fitted, **dict.fromkeys(refs, yes)}
    fitted = {k: v for k, v in fitted.items() if v != design.parts[k].fitted}
    return Proposal(
        f"{what} in {variant}",
        edits.SetItem(variant=old.model_copy(update={"fitted": fitted})),
        about=tuple(refs),
    )


@verb("variant", 'variant NAME ["TITLE"]', "name a way to fit the board")
def set_variant(design: Design, words: Sequence[str]) -> Proposal:
    """Name a way to fit the board."""
    need(words, 1, 'variant NAME ["TITLE"]')
    old = design.variants.get(words[0], Variant(id=words[0]))
    title = " ".join(words[1:]) or old.title or words[0]
    edit = edits.edit_from(
        {"kind": "set-item", "variant": {"id": words[0], "title": title, "fitted": old.fitted}}
    )
    return Proposal(f"there is a variant {words[0]}, {title}", edit)


@verb("either", "either NAME REF REF …", "fit one of several parts", ("", "ref", "ref"))
def either(design: Design, words: Sequence[str]) -> Proposal:
    """Say that of some parts exactly one is fitted."""
    need(words, 3, "either NAME REF REF …")
    refs = [part_of(design, r).ref for w in words[1:] for r in counted(w)]
    every = tuple(edits.SetPart(ref=r, choice=words[0]) for r in refs)
    return Proposal(f"one of {', '.join(refs)} is fitted", edits.Together(edits=every), about=tuple(refs))


def _about(design: Design, name: str) -> Block:
    """Give what is noted of a block of the sheet."""
    if name not in {p.block for p in design.parts.values()}:
        known = ", ".join(dict.fromkeys(p.block for p in design.parts.values() if p.block))
        raise NotFound(
            f"There is no block {name}.",
            where="block",
            allowed=known or "none yet",
            next_step="Make one. Type: block REF … NAME",
        )
    return design.blocks.get(name, Block(name=name))


@verb("hint", 'hint BLOCK "TEXT"', "note a hint for the board", ("block",))
def block_hint(design: Design, words: Sequence[str]) -> Proposal:
    """Note a hint for the board on a block."""
    need(words, 2, 'hint BLOCK "TEXT"')
    old, text = _about(design, words[0]), " ".join(words[1:])[:200]
    edit = edits.SetItem(block=old.model_copy(update={"hints": (*old.hints, text)[-12:]}))
    return Proposal(f"{words[0]}: {text}", edit)


@verb("worked", 'worked BLOCK "BOARD, DATE"', "record where a block is proven", ("block",))
def block_worked(design: Design, words: Sequence[str]) -> Proposal:
    """Note where a block worked; it travels with the block."""
    need(words, 2, 'worked BLOCK "BOARD AND DATE"')
    old, text = _about(design, words[0]), " ".join(words[1:])[:200]
    edit = edits.SetItem(block=old.model_copy(update={"worked": (*old.worked, text)[-20:]}))
    return Proposal(f"{words[0]} worked on {text}", edit)


@verb("sheet", "sheet BLOCK SHEET", "draw a block on another sheet", ("block",))
def block_sheet(design: Design, words: Sequence[str]) -> Proposal:
    """Draw a block on a sheet of its own name; ``main`` puts it back on the first."""
    need(words, 2, "sheet BLOCK SHEET")
    old = _about(design, words[0])
    name = "" if words[1] == "main" else " ".join(words[1:])
    edit = edits.edit_from({"kind": "set-item", "block": {**old.model_dump(), "sheet": name}})
    return Proposal(f"{words[0]} is drawn on sheet {name or 'main'}", edit)


@verb("note", 'note REF "TEXT"', "write a note on a part", ("ref",))
def set_note(design: Design, words: Sequence[str]) -> Proposal:
    """Write a note on a part."""
    need(words, 2, 'note REF "TEXT"')
    text = " ".join(words[1:])
    return Proposal(
        f"notes on {words[0]}: {text}", edits.SetPart(ref=part_of(design, words[0]).ref, note=text)
    )


@verb("extra", 'extra NAME COUNT "WHAT IT IS" [number=NUMBER] [for=REF]', "add a line to the parts list")
def set_extra(design: Design, words: Sequence[str]) -> Proposal:
    """Put a line on the parts list that is no part of the circuit."""
    form = 'extra NAME COUNT "WHAT IT IS" [number=NUMBER] [for=REF]'
    need(words, 3, form)
    title, said = words[2], pairs(words[3:], form)
    unknown = next((k for k in said if k not in ("number", "for")), None)
    if unknown:
        raise InputError(
            f"{unknown!r} says nothing of an extra line.", where="extra", value=unknown, allowed=form
        )
    if "for" in said:
        part_of(design, said["for"])
    count = number(words[1], "count")
    if count != round(count) or not 1 <= count <= 10_000:
        raise InputError("That is no count.", where="extra", value=words[1], allowed="1 to 10000")
    extra = Extra(
        id=words[0],
        title=title,
        count=round(count),
        catalogue=said.get("number", ""),
        about=said.get("for", ""),
    )
    return Proposal(
        f"{extra.count} x {title} goes on the parts list", edits.SetItem(extra=extra), about=(extra.id,)
    )


@verb(
    "pattern",
    "pattern NAME FAMILY pins=8 L=5.8..6.2 … [without=C3/D3]",
    "compute a package from a drawing",
    ("", "family"),
)
def make_pattern(design: Design, words: Sequence[str]) -> Proposal:
    """Compute a package from the dimensions of a drawing."""
    form = "pattern NAME FAMILY pins=8 L=5.8..6.2 … [without=C3/D3]"
    need(words, 2, form)
    said = pairs(words[2:], form)
    left_out = [n for n in re.split(r"[,/+]", said.pop("without", "")) if n]
    rules = design.board.rules
    keep = rules.default_clearance_nm / 1e6, rules.min_ring_nm / 1e6
    least = rules.min_clearance_nm / 1e6, keep[1]
    pack = _without(from_dimensions(words[1], words[0], said, rules.etched, *least), left_out)
    # What the maker's least leaves room for keeps the usual gap of the board's nets as well.
    pack = trimmed(pack, *keep, strict=False)
    return Proposal(
        f"computes {pack.name}: {pack.title}, {len(pack.pads)} pads, {pack.source}",
        edits.SetItem(package=pack),
    )


def _without(pack: Package, numbers: Sequence[str]) -> Package:
    """Leave pads out of a package, such as single balls of a grid."""
    known = {p.number for p in pack.pads}
    strange = [n for n in numbers if n not in known]
    pads = tuple(p for p in pack.pads if p.number not in numbers)
    if strange or not pads:
        raise InputError(
            f"{pack.name} has no pad {strange[0]}." if strange else f"{pack.name} would have no pad left.",
            where="without",
            value="/".join(strange or numbers),
            allowed="some of " + ", ".join([p.number for p in pack.pads][:12]) + " …",
        )
    return pack.model_copy(update={"pads": pads}) if numbers else pack


@verb(
    "checked",
    "checked PACKAGE PIN-2-IS SENSE",
    "hold a pattern against its drawing",
    ("package", "direction", "turn"),
)
def check_pattern(design: Design, words: Sequence[str]) -> Proposal:
    """Answer the two questions about a land pattern from the maker's drawing."""
    need(words, 3, "checked PACKAGE WHERE-IS-PIN-2 clockwise|anticlockwise")
    if words[0] not in design.packages:
        raise NotFound(
            f"The design has no package {words[0]}.",
            where=words[0],
            allowed=", ".join(design.packages),
            next_step="Add a part with it first.",
        )
    pack = judged(design.packages[words[0]], words[1], words[2])
    return Proposal(f"{words[0]} is checked: {pack.checked}", edits.SetItem(package=pack))


@verb(
    "proven",
    'proven PACKAGE "BOARD AND DATE"',
    "record where a pattern is proven",
    ("package",),
    also=("proved",),
)
def prove_pattern(design: Design, words: Sequence[str]) -> Proposal:
    """Note that a land pattern was soldered on a real board."""
    need(words, 2, 'proved PACKAGE "BOARD AND DATE"')
    if words[0] not in design.packages:
        raise NotFound(
            f"The design has no package {words[0]}.",
            where=words[0],
            allowed=", ".join(design.packages),
            next_step="Add a part with it first.",
        )
    pack = design.packages[words[0]]
    where = " ".join(words[1:])[:200]
    proved = (*pack.proved, where)[-20:]
    return Proposal(
        f"{words[0]} is proven on {where}", edits.SetItem(package=pack.model_copy(update={"proved": proved}))
    )
