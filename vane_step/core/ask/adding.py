"""The verb that adds parts: by number, by series and value, by package, or by what people call them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from rapidfuzz import fuzz, process

from vane_step.core.ask.joining import BETWEEN, join
from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, Resources, need
from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.figures import ALONE, PARAMETERS, VALUED
from vane_step.core.catalogue.index import Answer, nothing_found
from vane_step.core.catalogue.search import figure, how_many, together, tokens
from vane_step.core.circuit.pins import counted
from vane_step.core.controllers.choose import add_from
from vane_step.core.design import edits
from vane_step.core.design.model import Design, Extra, Package, Part
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.part import new_part, next_refs
from vane_step.core.patterns.packages import package_examples
from vane_step.core.patterns.skills import skill_misfits, wants_leaded
from vane_step.core.quantity import format_value, parse_value

FORM = (
    "add [REF …] WHAT [VALUE] [at NET-OR-PIN …] · add R1 10k · add 3 push button · add R1 1k at U1.3 GND"
    " · add socket for U1"
)
# A reference, or a run of them.
_REFS = re.compile(r"(?P<from>([A-Za-z]{1,4})[0-9]+)((\.\.|[-–](?=\2))(\2)?(?P<to>[0-9]+))?", re.I)
# What looks like a number to order by.
_NUMBER = re.compile(r"[A-Z0-9]+(-[A-Za-z0-9]+)+")
# Letters that are also written for a kind of part, and the catalogue's own.
LETTERS = {"SW": "S", "IC": "U", "X": "Y", "T": "Q", "VR": "RV", "POT": "RV", "B": "BT", "P": "J", "CN": "J"}
MOST_AT_ONCE = 200
# A value to show how a sentence goes on.
USUAL = {"resistor": "10k", "capacitor": "100n", "inductor": "10u"}
# What a board has that is no part, and how it is said.
NO_PARTS = {
    "hole": "hole 4 4 3.2, for one of 3.2 mm at 4, 4",
    "track": "route all",
    "trace": "route all",
    "plane": "pour GND back",
    "pour": "pour GND back",
    "net": "net NAME PIN PIN …",
    "text": 'text "WORDS" 10 10',
    "label": 'text "WORDS" 10 10',
    "slot": "slot 10 5 20 5 2",
    "cutout": "cutout 10 5 20x8",
}
# Of so many hits the first that the brief's tools and skills allow is taken.
CONSIDERED = 24


@dataclass(frozen=True)
class Chosen:
    """A part of the catalogue that was chosen by words, and how many others they also fit."""

    part: CataloguePart
    others: int
    read_as: tuple[tuple[str, str], ...] = ()


@verb("add", FORM, "add parts", ("", "package"))
def add_part(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Add parts, and connect them where that is said: the first pin to the first place, the second to the second."""
    need(words, 1, FORM)
    if len(words) > 2 and words[-2].lower() == "for" and words[-1].upper() in design.parts:
        return _belonging(design, words[:-2], design.parts[words[-1].upper()], resources)
    place = next((k for k, w in enumerate(words) if k and w.lower() in ("at", "between")), len(words))
    proposal = _added(design, words[:place], resources)
    ends = [w for w in words[place + 1 :] if w not in BETWEEN]
    if not ends:
        return proposal
    return _connected(design, proposal, ends)


def _connected(design: Design, proposal: Proposal, ends: list[str]) -> Proposal:
    """Join the pins of the parts that are added, in their order, to some nets or pins."""
    edit = proposal.edit
    steps = list(edit.edits) if isinstance(edit, edits.Together) else [edit] if edit else []
    now = design
    for step in steps:
        now = edits.apply(now, step)[0]
    for ref in proposal.about:
        pins = now.parts[ref].pins if ref in now.parts else ()
        if len(ends) > len(pins):
            raise InputError(
                f"{ref} has {len(pins)} pins, {len(ends)} places are named.",
                where=ref,
                allowed="a place a pin",
            )
        for pin, end in zip(pins, ends, strict=False):
            more = join(now, [f"{ref}.{pin.number}", end]).edit
            assert more is not None
            steps += more.edits if isinstance(more, edits.Together) else [more]
            now = edits.apply(now, more)[0]
    says = f"{proposal.says}; connected to {' and '.join(ends)}"
    return Proposal(says, edits.Together(edits=tuple(steps)), about=proposal.about)


def _added(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
    """Add parts: of the catalogue by number, by series and value, by words and figures; or of a package."""
    refs, count, rest = _divided(design, words, resources)
    if len(refs) == 1 and _is_a_word(refs[0], rest, resources):
        refs, rest = [], list(words)
    if not rest and refs and not _letters(refs[0], resources):
        raise _unknown(refs[0], resources)
    if not rest:
        raise InputError(
            f"{' '.join(words)} does not say what to add.",
            where="add",
            allowed=FORM,
            next_step="Say what it is.",
        )
    name = rest[0]
    said = list(rest[1:])
    if name in resources.catalogue.parts:
        return _of_number(design, refs, count, name, said, resources)
    if name in resources.catalogue.series:
        return _of_series(design, refs, count, name, said, resources)
    try:
        pack = design.packages.get(name) or resources.catalogue.package_of(name, design.board.rules.etched)
    except NotFound:
        return _by_value(design, refs, count, rest, resources, _unknown(name, resources))
    if not refs:
        next_step = f"Type: add U1 {name}; or say what it is: add diode {name}"
        text = f"{name} is a package; a part of it needs its reference."
        if not said:
            raise InputError(text, where="add", value=name, next_step=next_step)
        # Whoever says the package first says the same.
        unknown = NotFound(text, where="add", value=name, next_step=next_step)
        return _of_words(design, refs, count, [*said, name], resources, unknown)
    return _of_package(refs, pack, said)


def _is_a_word(ref: str, rest: list[str], resources: Resources) -> bool:
    """Tell whether what has the form of a reference says what is wanted: ``RS485 transceiver``, ``M4 screw``."""
    index = resources.catalogue.index
    if not rest or rest[0] in resources.catalogue.parts:
        return False
    letters, text = _letters(ref, resources), " ".join(rest)
    alone = index.answer(text, 1, {"letters": letters}).found or index.answer(text, 1, {}).found
    if alone and not alone[0].part.package:
        # What has no place on the board has no reference either.
        return True
    if ref.lower() not in index.known:
        return False
    found = index.answer(" ".join([ref, *rest]), 1, {})
    return not (found.left_out or not found.found or found.found[0].part.letters == letters)


def _unknown(name: str, resources: Resources) -> NotFound:
    near = process.extract(
        name.upper(), (*resources.catalogue.parts, *package_examples()), scorer=fuzz.ratio, limit=5
    )
    return NotFound(
        f"There is no package and no part called {name}.",
        where="add",
        value=name,
        allowed=", ".join(n for n, *_ in near),
        next_step="Say it in words, such as: add J1 barrel jack; or search the catalogue.",
    )


def _of_package(refs: list[str], pack: Package, said: list[str]) -> Proposal:
    values = said if len(said) == len(refs) else [" ".join(said)] * len(refs)
    adds = [edits.AddPart(part=new_part(r, pack, v), package=pack) for r, v in zip(refs, values, strict=True)]
    return _told(adds, pack.title or pack.name)


def _by_value(
    design: Design, refs: list[str], count: int, rest: list[str], resources: Resources, error: NotFound
) -> Proposal:
    """Add the part that words name, or a value in a package as it is said where the catalogue has no such part."""
    try:
        return _of_words(design, refs, count, rest, resources, error)
    except InputError:
        if not refs or len(rest) != 2 or not figure(rest[0]):
            raise
        try:
            pack = design.packages.get(rest[1]) or resources.catalogue.package_of(
                rest[1], design.board.rules.etched
            )
        except NotFound:
            pack = None
        if pack is None:
            raise
        return _of_package(refs, pack, [rest[0]])


def _divided(design: Design, words: Sequence[str], resources: Resources) -> tuple[list[str], int, list[str]]:
    """Divide a sentence into references, a count where there are none, and what is to be added."""
    known = {*resources.catalogue.parts, *design.packages, *resources.catalogue.series}
    first = next((k for k, w in enumerate(words) if w in known or not _REFS.fullmatch(w)), len(words))
    refs = [ref for word in words[:first] for ref in _run(word.upper())]
    rest = together(" ".join(words[first:])).split()
    count, what = (None, rest) if refs else how_many(rest)
    if count is None:
        return refs, 1, rest
    if not 1 <= count <= MOST_AT_ONCE:
        raise InputError(f"{count} parts at once.", where="add", value=count, allowed=f"1 to {MOST_AT_ONCE}")
    return refs, count, what


def _run(word: str) -> list[str]:
    """Write a run of references out: ``R6..9``, ``R6..R9``, ``R6-R9``."""
    match = _REFS.fullmatch(word)
    return counted(f"{match['from']}..{match['to']}") if match and match["to"] else [word]


def _of_number(
    design: Design, refs: list[str], count: int, name: str, said: list[str], resources: Resources
) -> Proposal:
    found = resources.catalogue.get(name)
    refs = refs or next_refs(design, found.letters, count)
    values = said if len(said) == len(refs) else [" ".join(said)] * len(refs)
    if not found.package:
        return _loose(design, found, len(refs))
    adds = [add_from(resources.catalogue, design, r, name, v) for r, v in zip(refs, values, strict=True)]
    return _told(adds, found.title)


def _belonging(design: Design, words: Sequence[str], part: Part, resources: Resources) -> Proposal:
    """Put what belongs to a part on the parts list: its socket, its heat sink, its knob."""
    text = " ".join(words)
    answer = resources.catalogue.search(text, MOST_AT_ONCE)
    loose = [f.part for f in answer.found if not f.part.package]
    if not loose or answer.left_out:
        raise InputError(
            f"{text} has a place of its own on the board, or is not known.",
            where="add",
            value=text,
            allowed="what goes on the parts list alone: a socket, a knob",
            next_step=f"Leave out: for {part.ref}",
        )
    loose = [p for p in loose if p.category == loose[0].category]
    fits = [p for p in loose if _suits(p, part)]
    if not fits:
        raise InputError(
            f"No {loose[0].category} is for {part.ref}, {part.package}.",
            where=part.ref,
            value=part.package,
            allowed=", ".join(p.title for p in loose[:5]),
        )
    found = fits[0]
    old = design.extras.get(f"{found.number}-{part.ref}")
    extra = Extra(
        id=f"{found.number}-{part.ref}", title=found.title, count=1, catalogue=found.number, about=part.ref
    )
    again = ", as it already is" if old else ""
    says = f"puts {found.number}, {found.title}, for {part.ref} on the parts list{again}"
    return Proposal(says, edits.SetItem(extra=extra), about=(extra.id,))


def _suits(belonging: CataloguePart, part: Part) -> bool:
    """Tell whether a socket has a part's ways as far apart, and whether anything else names the part's body."""
    if "ways" in belonging.params:
        dual, narrow = part.package.startswith("DIP-"), part.package.endswith("N")
        return dual and belonging.params["ways"] == len(part.pins) and ("narrow" in belonging.title) is narrow
    body = re.search(r"\bTO-\d+", belonging.title)
    return body is None or part.package.startswith(body[0])


def _loose(design: Design, found: CataloguePart, count: int) -> Proposal:
    """Put a part that has no place on the board on the parts list: a socket, a jumper cap, a standoff."""
    old = design.extras.get(found.number)
    extra = Extra(
        id=found.number, title=found.title, count=count + (old.count if old else 0), catalogue=found.number
    )
    says = f"puts {count} x {found.number}, {found.title}, on the parts list; it has no place on the board"
    return Proposal(says, edits.SetItem(extra=extra), about=(extra.id,))


def _of_series(
    design: Design, refs: list[str], count: int, series: str, said: list[str], resources: Resources
) -> Proposal:
    """Add members of a series by their value: ``add R1 QR-16 4k7``."""
    mine = next(p for p in resources.catalogue.parts.values() if p.series == series)
    if not said:
        raise InputError(
            f"{series} is a series; a part of it needs its value.",
            where=series,
            next_step=f"Type: add {(refs or next_refs(design, mine.letters, 1))[0]} {series} {USUAL[mine.kind]}",
        )
    refs = refs or next_refs(design, mine.letters, count)
    values = said if len(said) == len(refs) else [" ".join(said)] * len(refs)
    chosen = [resources.catalogue.member(series, parse_value(v, series)) for v in values]
    adds = [add_from(resources.catalogue, design, r, p.number) for r, p in zip(refs, chosen, strict=True)]
    return _told(adds, f"{mine.title}, {', '.join(dict.fromkeys(p.number for p in chosen))}")


def _of_words(
    design: Design, refs: list[str], count: int, rest: list[str], resources: Resources, error: NotFound
) -> Proposal:
    """Add the ordinary part that words and figures name, in the technique the brief wants."""
    letters = _letters(refs[0], resources) if refs else ""
    # A value for each is several of one unit; a capacitance and a voltage are of all.
    values = [figure(w) for w in rest]
    alike = len({v.unit if v else "" for v in values}) == 1 and all(values)
    each = [[w] for w in rest] if 1 < len(refs) == len(rest) and alike else [rest]
    chosen = [_chosen(design, " ".join(words), letters, resources, error) for words in each]
    if len(chosen) == 1:
        refs = refs or next_refs(design, chosen[0].part.letters, count)
        chosen = chosen * len(refs)
    if not chosen[0].part.package:
        return _loose(design, chosen[0].part, len(refs))
    adds = [
        add_from(resources.catalogue, design, r, c.part.number) for r, c in zip(refs, chosen, strict=True)
    ]
    first = chosen[0]
    figures = [
        format_value(first.part.params[k], PARAMETERS[k].unit) for k in (VALUED.get(first.part.kind),) if k
    ]
    title = ", ".join((first.part.number, first.part.title, *figures, first.part.package))
    if len({c.part.number for c in chosen}) > 1:
        title = ", ".join(c.part.number for c in chosen)
    elif first.others:
        title += f" (the first of {first.others + 1} that fit)"
    if first.read_as:
        title += "; " + ", ".join(f"{typed} read as {taken}" for typed, taken in first.read_as)
    return _told(adds, title)


def meant_part(design: Design, ref: str, what: str, resources: Resources) -> CataloguePart:
    """Give the part that takes another's place: by number, by a value of its series, or by words.

    Raises
    ------
    NotFound, InputError
        When nothing is meant by the words.
    """
    catalogue = resources.catalogue
    if what in catalogue.parts or what.upper() in catalogue.parts:
        return catalogue.get(what)
    part = design.parts.get(ref)
    old = catalogue.parts.get(part.catalogue) if part else None
    wish = figure(what)
    if old and old.series and wish:
        return catalogue.member(old.series, wish.value)
    if _NUMBER.fullmatch(what):
        return catalogue.get(what)
    unknown = NotFound(f"The catalogue has no {what}.", where=what, next_step="Search for it by what it is.")
    return _chosen(design, what, _letters(ref, resources) if ref else "", resources, unknown).part


def _letters(ref: str, resources: Resources) -> str:
    """Give the catalogue's letters of a reference; empty where no part of it has them."""
    mine = ref.rstrip("0123456789")
    mine = LETTERS.get(mine, mine)
    return mine if any(p.letters == mine for p in resources.catalogue.parts.values()) else ""


def _chosen(design: Design, text: str, letters: str, resources: Resources, error: NotFound) -> Chosen:
    catalogue = resources.catalogue
    leaded = wants_leaded(design)
    answer: Answer = catalogue.search(text, CONSIDERED, fold=True, leaded=leaded, letters=letters)
    if letters and (not answer.found or answer.left_out):
        wider = catalogue.search(text, CONSIDERED, fold=True, leaded=leaded)
        answer = wider if not answer.found or not wider.left_out else answer
    if not answer.found:
        raise nothing_found(text, catalogue.index.near(text))
    if _NUMBER.fullmatch(text) and (answer.left_out or not _names(catalogue, answer.found[0].part, text)):
        # What looks like a number to order by, and is none, is not taken for words.
        raise error
    if answer.left_out and (verb := next((v for w, v in NO_PARTS.items() if w in tokens(text)), "")):
        raise InputError(
            f"{text} is no part of the catalogue.", where="add", value=text, next_step=f"Type: {verb}"
        )
    if answer.left_out:
        raise InputError(
            f"No part has all of {text!r}; without {', '.join(answer.left_out)} these fit.",
            where="add",
            value=text,
            allowed=", ".join(f.part.number for f in answer.found[:5]),
            next_step=f"Leave out {', '.join(answer.left_out)}.",
        )
    if answer.named in ALONE and answer.found[0].part.category != answer.named:
        raise InputError(
            f"No {answer.named} is {text!r}.",
            where="add",
            value=text,
            allowed=", ".join(catalogue.index.near(text)),
            next_step=f"Choose another figure, or say {answer.found[0].part.category}.",
        )
    # The brief chooses among parts of the kind that was meant; it makes no other kind of them.
    alike = [f for f in answer.found if f.part.category == answer.found[0].part.category]
    able = [
        f
        for f in alike
        if not f.part.package or not skill_misfits(catalogue.package_of(f.part.package), design.brief)
    ]
    best = (able or alike)[0]
    if best.values > 1:
        raise InputError(
            f"{text} needs a value: there are {best.values} in {best.part.series}.",
            where="add",
            value=text,
            next_step=f"Type it behind, such as: add {letters or best.part.letters}1 {text} {USUAL[best.part.kind]}",
        )
    return Chosen(best.part, answer.count - 1, answer.read_as)


def _names(catalogue: Catalogue, part: CataloguePart, text: str) -> bool:
    """Tell whether words name the category of a part, as RS-485 does, rather than stand somewhere in its title."""
    about = catalogue.categories.get(part.category)
    known = tokens(f"{about.name} {about.words}") if about else []
    return set(tokens(text)) <= set(known)


def _listed(refs: Sequence[str]) -> str:
    """Name some references: a run by its ends, others one by one."""
    if list(refs) == counted(f"{refs[0]}..{refs[-1].lstrip('ABCDEFGHIJKLMNOPQRSTUVWXYZ')}"):
        return f"{refs[0]} to {refs[-1]}"
    return ", ".join(refs[:8]) + (" …" if len(refs) > 8 else "")


def _told(adds: Sequence[edits.AddPart], title: str) -> Proposal:
    refs = [a.part.ref for a in adds]
    what = f"adds {refs[0]}" if len(refs) == 1 else f"adds {_listed(refs)}, {len(refs)} parts"
    edit = adds[0] if len(adds) == 1 else edits.Together(edits=tuple(adds))
    return Proposal(f"{what}, {title}, {len(adds[0].part.pins)} pins", edit, about=tuple(refs))
