"""The ask line: sentences understood by their verb, and how they may go on; what a verb does is in its own module."""

from __future__ import annotations

import difflib
import shlex
from typing import get_args

from pydantic import ValidationError

from vane_step.core.ask import (
    adding,
    bare,
    bears,
    board,
    circuit,
    copper,
    copying,
    drawing,
    group,
    joining,
    legend,
    makers,
    operation,
    parts,
    program,
    reasons,
    removing,
    using,
)
from vane_step.core.ask.bare import ZONES
from vane_step.core.ask.operation import LEVELS
from vane_step.core.ask.reasons import BRIEF_WORDS
from vane_step.core.ask.verbs import BY_WORD, VERBS, fitting
from vane_step.core.ask.words import Proposal, Resources
from vane_step.core.board.geometry.mouth import OUTWARDS
from vane_step.core.board.placement.align import LINES, WAYS
from vane_step.core.catalogue.figures import PARAMETERS
from vane_step.core.circuit.pins import pin_words
from vane_step.core.derive import alone
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import (
    Design,
    NetRole,
    PinRole,
    natural,
)
from vane_step.core.design.rulefigures import FIGURES
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.etch.methods import METHODS
from vane_step.core.network.outside import all_sources
from vane_step.core.network.states import axes_of, modes_of
from vane_step.core.patterns.families import DIMENSIONED
from vane_step.core.patterns.packages import package_examples
from vane_step.core.patterns.patternsheet import DIRECTIONS, SENSES
from vane_step.core.power.formulas import FORMULAS

# Where verbs are declared, in the order the help lists them.
COMMON = ("add", "join", "remove", "find")
DECLARING = (
    adding,
    joining,
    circuit,
    drawing,
    copying,
    using,
    parts,
    operation,
    bears,
    reasons,
    group,
    board,
    copper,
    bare,
    legend,
    makers,
    removing,
    program,
)


def split_words(text: str) -> list[str]:
    """Split a sentence into words; quotes keep words together."""
    try:
        return shlex.split(text.replace("'", "\\'"))
    except ValueError:
        return text.replace('"', "").split()


def ask(design: Design, text: str, resources: Resources | None = None) -> Proposal:
    """Understand a sentence.

    Raises
    ------
    InputError, NotFound, EditRefused
        When it is not understood or cannot be done; the design is untouched either way.
    """
    words = split_words(text)
    if words and words[0].lower() in BY_WORD:
        words[0] = words[0].lower()
    elif words and words[0].lower() in BRIEF_WORDS:
        # What binds every step, said without its verb.
        words = ["brief", words[0].lower(), *words[1:]]
    if not words or words[0] not in BY_WORD:
        first = words[0] if words else ""
        like = difflib.get_close_matches(first.lower(), BY_WORD, n=2)
        raise InputError(
            f"{first!r} is no verb of the ask line.",
            where="ask line",
            allowed=", ".join(dict.fromkeys((*like, *COMMON)))[:200],
            next_step=f"Did you mean {' or '.join(like)}?" if like else "Press ? for what can be typed.",
        )
    verb = BY_WORD[words[0]]
    rest = fitting(verb, words[1:])
    try:
        with alone:
            proposal = verb.make(design, rest, resources or Resources())
            if proposal.edit is not None:
                apply(design, proposal.edit)
            return proposal
    except (ValidationError, VaneStepError) as error:
        told = input_error(error, "ask line") if isinstance(error, ValidationError) else error
        # Whatever was wrong with it, the sentence can be said right.
        told.next_step = told.next_step or f"The sentence goes: {verb.form}"
        raise told from (error.__cause__ if told is error else error)


def complete(design: Design, text: str, resources: Resources | None = None) -> list[str]:
    """List how the last word of a sentence may go on, at most 12, best first."""
    words = split_words(text)
    if not text or text.endswith(" ") or not words:
        words.append("")
    if len(words) == 1:
        return [name for name in VERBS if name.startswith(words[0])][:12]
    verb = BY_WORD.get(words[0])
    place = min(len(words) - 2, len(verb.words) - 1) if verb and verb.words else -1
    if verb is None or place < 0 or len(words) - 2 >= len(verb.words) + 2:
        return []
    last = words[-1]
    found = [
        w
        for w in _choices(design, verb.words[place], last, resources or Resources())
        if w.lower().startswith(last.lower()) and w != last
    ]
    return sorted(found, key=natural)[:12]


def _settings(design: Design) -> list[str]:
    """List what a state may set, each to each of its values."""
    axes, keys = axes_of(design)
    found = [
        f"{a.name.removeprefix('source ')}={value}"
        for a in axes
        for value in a.values
        if value and " " not in value
    ]
    return [*found, *(f"{part.ref}=closed" for part in keys)]


def _choices(design: Design, what: str, last: str, resources: Resources) -> list[str]:
    refs, nets = list(design.parts), list(design.nets)
    pins: list[str] = []
    if "pin" in what:
        ref = last.partition(".")[0]
        pins = pin_words(design.parts[ref]) if ref in design.parts else [f"{r}." for r in refs]
    blocks = list(dict.fromkeys(p.block for p in design.parts.values() if p.block and " " not in p.block))
    kinds = list(dict.fromkeys(f"kind={p.kind}" for p in design.parts.values()))
    table: dict[str, list[str]] = {
        "pin": pins,
        "pin-or-net": [*nets, *pins],
        "net": nets,
        "ref": refs,
        "ref-or-net": [*refs, *nets],
        "some": [*refs, "all", *(f"net={n}" for n in nets), *(f"block={b}" for b in blocks), *kinds],
        "line": [*LINES, *refs],
        "way": [*WAYS, *refs],
        "by": ["by", "off"],
        "sense": ["to-rows", "to-columns"],
        "block": list(dict.fromkeys(p.block for p in design.parts.values() if p.block)),
        "rules": list(resources.rules),
        "method": list(METHODS),
        "figure": list(FIGURES),
        "layer": list(design.board.layers),
        "role": list(get_args(NetRole)),
        "pin-role": list(get_args(PinRole)),
        "": [],
        "item": [*design.holes, *design.texts],
        "pour": list(design.pours),
        "zone": list(ZONES),
        "edge": list(OUTWARDS),
        "package": [
            *design.packages,
            *package_examples(),
            *(resources.catalogue.parts if len(last) > 1 else []),
        ],
        "number": list(resources.catalogue.parts),
        "saved": [*resources.blocks, "controller"],
        "formula": list(FORMULAS),
        "reason": [*design.calculations, "all"],
        "need": list(design.requirements),
        "level": ["must", "wish"],
        "brief": list(BRIEF_WORDS),
        "family": list(DIMENSIONED),
        "nearer": ["nearer"],
        "arrange": ["all", "tidy"],
        "direction": list(DIRECTIONS),
        "turn": list(SENSES),
        "source": list(all_sources(design)),
        "load": list(design.loads),
        "mode": list(modes_of(design)),
        "state": list(design.states),
        "drive-level": list(LEVELS),
        "setting": _settings(design),
        "rating": [f"{key}=" for key in PARAMETERS],
        "sink": [n for n, e in resources.catalogue.parts.items() if "k_per_w" in e.params],
    }
    return table[what]
