"""Verbs of the ask line for why: calculations, requirements, the brief, and findings somebody lives with."""

from __future__ import annotations

import re
from collections.abc import Sequence

from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Proposal, need, pairs
from vane_step.core.brief.needs import Figure, checked, known_figures
from vane_step.core.brief.state_figures import asked_figure
from vane_step.core.controllers.demand import read_demand
from vane_step.core.design import edits
from vane_step.core.design.model import Brief, Calculation, Design, Requirement
from vane_step.core.errors import InputError, NotFound
from vane_step.core.judge import waive
from vane_step.core.power.formulas import formula
from vane_step.core.quantity import format_value, parse_length_nm, parse_value
from vane_step.core.reasons.calculations import accept, bind, reasons

_LIMIT = re.compile(r"^(.*?)(<=|>=)(.+)$")


@verb("calc", "calc ID FORMULA INPUT=VALUE … OUTPUT=REF", "bind values to a calculation", ("", "formula"))
def calculate(design: Design, words: Sequence[str]) -> Proposal:
    """Bind a calculation to the parts whose values it sets."""
    form = "calc ID FORMULA INPUT=VALUE … OUTPUT=REF"
    need(words, 2, form)
    known = formula(words[1])
    given = pairs(words[2:], form)
    sets = {k: v for k, v in given.items() if k in known.sets and v in design.parts}
    inputs = {k: v for k, v in given.items() if k not in sets}
    found = Calculation.model_validate({"id": words[0], "formula": words[1], "inputs": inputs, "sets": sets})
    edit = bind(design, found)
    after = edits.apply(design, edit)[0]
    mine = next(r for r in reasons(after) if r.calculation.id == words[0])
    units = {q.key: (q.title, q.unit) for q in known.outputs}
    told = ", ".join(
        f"{units[k][0]} {format_value(v, units[k][1])}" for k, v in list(mine.outputs.items())[:4]
    )
    return Proposal(f"{known.title}: {told}", edit, about=tuple(sets.values()))


@verb("input", "input ID INPUT=VALUE …", "change an input of a calculation", ("reason",))
def set_input(design: Design, words: Sequence[str]) -> Proposal:
    """Change inputs of a calculation; its values turn stale until they are accepted."""
    form = "input ID INPUT=VALUE …"
    need(words, 2, form)
    found = design.calculations.get(words[0])
    if found is None:
        raise NotFound(
            f"There is no calculation {words[0]}.",
            where="input",
            allowed=", ".join(design.calculations),
            next_step="Make one. Type: calc ID FORMULA …",
        )
    given = pairs(words[1:], form)
    strange = given.keys() - {q.key for q in formula(found.formula).inputs}
    if strange:
        names = ", ".join(q.key for q in formula(found.formula).inputs)
        raise InputError(f"{found.id} has no input {min(strange)}.", where=found.id, allowed=names)
    changed = Calculation.model_validate({**found.model_dump(), "inputs": {**found.inputs, **given}})
    edit = edits.SetItem(calculation=changed)
    mine = next(r for r in reasons(edits.apply(design, edit)[0]) if r.calculation.id == found.id)
    if mine.state == "broken":
        raise InputError(mine.says, where=found.id, next_step="Give other inputs.")
    return Proposal(mine.says or f"{found.id} holds as before", edit)


@verb("accept", "accept ID … · accept all", "take the values of stale calculations", ("reason",))
def accept_values(design: Design, words: Sequence[str]) -> Proposal:
    """Take the values of stale calculations, one or all."""
    need(words, 1, "accept ID … · accept all")
    known = reasons(design)
    ids = [r.calculation.id for r in known if r.state == "stale"] if words[0] == "all" else list(words)
    edit = accept(design, ids)
    changes = [
        f"{c.ref} {c.old or 'no value'} → {c.new}"
        for r in known
        if r.calculation.id in ids
        for c in r.changes
    ]
    return Proposal(", ".join(changes) or "keeps the values and notes the new inputs", edit)


@verb("waive", 'waive RULE PLACE "REASON"', "accept a finding with a reason")
def waive_finding(design: Design, words: Sequence[str]) -> Proposal:
    """Live with a finding, for a reason."""
    need(words, 3, 'waive RULE PLACE "REASON"')
    edit = waive(design, words[0], words[1], " ".join(words[2:]))
    assert edit.waiver is not None
    return Proposal(f"accepts “{edit.waiver.message[:80]}”: {edit.waiver.reason}", edit)


@verb(
    "need",
    'need ID must|wish "TEXT" [FIGURE<=LIMIT] · need ID must|wish "TEXT" measured>=LIMIT [UNIT]',
    "write a requirement",
    ("need", "level"),
)
def set_need(design: Design, words: Sequence[str]) -> Proposal:
    """Write a requirement and how it is shown: a figure, a measurement with a unit, or an observation."""
    form = 'need ID must|wish "TEXT" [FIGURE<=LIMIT] · need ID must|wish "TEXT" measured>=LIMIT [UNIT]'
    need(words, 3, form)
    if words[1] not in ("must", "wish"):
        raise InputError(
            f"{words[1]!r} is neither must nor wish.", where="need", value=words[1], allowed="must, wish"
        )
    data: dict[str, object] = {"id": words[0], "level": words[1], "text": words[2]}
    test = " ".join(words[3:])
    if test and not (match := _LIMIT.match(test)):
        raise InputError(
            f"{test!r} is no limit.", where="need", value=test, allowed="width<=60, measured>=4.8 V"
        )
    if test and match:
        figure, sign, rest = match[1].strip(), match[2], match[3].split()
        sense = "at most" if sign == "<=" else "at least"
        if not rest:
            raise InputError(
                "There is no limit.", where="need", value=test, allowed="width<=60, measured>=4.8 V"
            )
        data |= {"sense": sense, "limit": parse_value(rest[0], "limit"), "unit": " ".join(rest[1:])}
        data |= (
            {"shown_by": "measurement"} if figure == "measured" else {"shown_by": "figure", "figure": figure}
        )
    known, wanted = known_figures(design), Requirement.model_validate(data)
    if (
        wanted.figure not in known
        and (state := asked_figure(design, wanted.figure, wanted.sense)) is not None
    ):
        known = {**known, wanted.figure: Figure(wanted.figure, *state)}
    found = checked(wanted, known)
    says = f"{found.id} {found.level}: {found.text}, shown by a {found.shown_by}"
    return Proposal(says, edits.SetItem(requirement=found))


@verb("show", 'show ID READING · show ID yes "SEEN"', "record what shows a requirement", ("need",))
def show_need(design: Design, words: Sequence[str]) -> Proposal:
    """Record a measurement or an observation that shows a requirement, or fails to."""
    need(words, 2, 'show ID READING · show ID yes|no "WHAT WAS SEEN"')
    old = design.requirements.get(words[0])
    if old is None:
        raise NotFound(
            f"There is no requirement {words[0]}.",
            where="show",
            allowed=", ".join(design.requirements),
            next_step='Write it first. Type: need ID must "TEXT"',
        )
    note = " ".join(words[2:])[:200]
    if old.shown_by == "figure":
        raise InputError(
            f"{old.id} is shown by the figure {old.figure}; nothing has to be recorded.",
            where=old.id,
            next_step="Look at the brief.",
        )
    if old.shown_by == "observation":
        if words[1] not in ("yes", "no"):
            raise InputError(
                f"{words[1]!r} is neither yes nor no.", where=old.id, value=words[1], allowed="yes, no"
            )
        new = old.model_copy(update={"seen": words[1], "note": note})
    else:
        new = old.model_copy(update={"reading": parse_value(words[1], "reading"), "note": note})
    return Proposal(f"{old.id}: {words[1]}{f', {note}' if note else ''}", edits.SetItem(requirement=new))


@verb("brief", "brief size 60x40 · brief manufacturing etch", "say what binds every step", ("brief",))
def set_brief(design: Design, words: Sequence[str]) -> Proposal:
    """Say one thing that binds every step."""
    need(words, 2, f"brief {'|'.join(BRIEF_WORDS)} VALUE")
    if words[0] not in BRIEF_WORDS:
        raise InputError(
            f"The brief has no {words[0]}.", where="brief", value=words[0], allowed=", ".join(BRIEF_WORDS)
        )
    update = _brief_update(words[0], " ".join(words[1:]))
    brief = Brief.model_validate({**design.brief.model_dump(), **update})
    return Proposal(f"the brief says: {words[0]} {' '.join(words[1:])}", edits.SetBrief(brief=brief))


BRIEF_WORDS = (
    "size",
    "tall",
    "manufacturing",
    "skills",
    "chip",
    "pitch",
    "date",
    "quantity",
    "budget",
    "ambient",
    "stock-first",
    "underside",
    "breadboard",
    "tiles",
    "purpose",
)
TILES = ("no", "across", "up", "both")
SKILLS = {
    "anything": (False, False),
    "no-leadless": (False, True),
    "through-hole": (True, True),
}


def _brief_update(word: str, value: str) -> dict[str, object]:
    if word == "size":
        wide, cross, tall = value.lower().partition("x")
        if not cross:
            raise InputError(f"{value!r} is no size.", where="brief", value=value, allowed="60x40 in mm")
        return {"max_width_nm": parse_length_nm(wide, "size"), "max_height_nm": parse_length_nm(tall, "size")}
    if word == "skills":
        if value not in SKILLS:
            raise InputError(f"{value!r} is no skill.", where="brief", value=value, allowed=", ".join(SKILLS))
        return dict(zip(("through_hole_only", "no_leadless"), SKILLS[value], strict=True))
    if word in ("stock-first", "underside", "breadboard"):
        if value not in ("yes", "no"):
            raise InputError(
                f"{value!r} is neither yes nor no.", where="brief", value=value, allowed="yes, no"
            )
        yes = value == "yes"
        if word == "underside":
            return {"parts_on": "either" if yes else "front"}
        return {word.replace("-", "_"): yes}
    if word == "tiles" and value not in TILES:
        raise InputError(f"{value!r} is no side.", where="brief", value=value, allowed=", ".join(TILES))
    plain = {
        "manufacturing": "manufacturing",
        "chip": "smallest_chip",
        "date": "date",
        "purpose": "purpose",
        "tiles": "tiles",
    }
    if word in plain:
        return {plain[word]: value}
    if word in ("tall", "pitch"):
        return {{"tall": "max_tall_nm", "pitch": "smallest_pitch_nm"}[word]: parse_length_nm(value, word)}
    units = {"quantity": "", "budget": "€", "ambient": "°C"}
    if word == "quantity" and not re.fullmatch(r"[0-9]{1,6}", value.strip()):
        raise InputError(
            f"{value!r} boards are no number of boards.", where=word, value=value, allowed="1 to 100000"
        )
    number = parse_value(value, word, units[word])
    return {
        {"quantity": "quantity", "budget": "budget", "ambient": "ambient_c"}[word]: int(number)
        if word == "quantity"
        else number
    }


@verb("demand", 'demand "SENSE: adc, PUMP: pwm, BUS: i2c"', "what firmware needs")
def set_demand(design: Design, words: Sequence[str]) -> Proposal:
    """Say what firmware needs of the controller."""
    need(words, 1, 'demand "SENSE: adc, PUMP: pwm, BUS: i2c"')
    text = "\n".join(w.strip() for w in " ".join(words).split(",") if w.strip())
    demand = read_demand(text)
    brief = Brief.model_validate({**design.brief.model_dump(), "demands": text})
    return Proposal(f"firmware needs {len(demand.signals)} pins", edits.SetBrief(brief=brief))
