"""The ask line: sentences understood by their verb, and how they may go on; what a verb does is in its own module."""

from __future__ import annotations

import shlex
from collections.abc import Callable, Sequence
from typing import get_args

from pydantic import ValidationError

from vane_step.core.ask.board import (
    arrange_parts,
    drill_hole,
    flip_part,
    locker,
    move_item,
    place_part,
    pour_net,
    print_text,
    rules_proposal,
    set_outline,
    turn_part,
)
from vane_step.core.ask.circuit import (
    add_part,
    join,
    make_matrix,
    merge_nets,
    name_pins,
    nudge,
    part_pins,
    remove,
    rename_net,
    repeat,
    set_block,
    set_pin,
    set_role,
    set_value,
)
from vane_step.core.ask.copper import lift_copper, route_links, set_clearance, set_width
from vane_step.core.ask.words import Proposal, Verb, need
from vane_step.core.circuit.pins import pin_words
from vane_step.core.derive import alone
from vane_step.core.design.edits import apply
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import (
    Design,
    NetRole,
    PinRole,
    RuleSet,
    natural,
)
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.packages import package_examples


def _action(name: str, says: str) -> Callable[[Design, Sequence[str]], Proposal]:
    def make(design: Design, words: Sequence[str]) -> Proposal:
        return Proposal(says, action=name)

    return make


def _go(design: Design, words: Sequence[str]) -> Proposal:
    need(words, 1, "go REF or go NET")
    if words[0] not in design.parts and words[0] not in design.nets:
        raise NotFound(f"There is no part or net {words[0]}.", where=words[0])
    return Proposal(f"shows {words[0]}", action=f"go {words[0]}", about=(words[0],))


VERBS: tuple[Verb, ...] = (
    Verb(
        "join",
        "join PIN … NET · join U1.PB0..4 ROW0..4",
        "connect pins, or runs of them",
        join,
        ("pin", "pin-or-net", "pin-or-net", "pin-or-net"),
    ),
    Verb("part", "part PIN …", "take pins off their nets", part_pins, ("pin", "pin", "pin")),
    Verb("rename", "rename NET NEW", "give a net another name", rename_net, ("net",)),
    Verb("merge", "merge NET INTO", "make two nets one", merge_nets, ("net", "net")),
    Verb("pins", "pins REF NAME …", "name the pins of a part in their order", name_pins, ("ref",)),
    Verb(
        "matrix",
        "matrix ROW0..2 COL0..4 [to-rows|to-columns]",
        "make a key matrix",
        make_matrix,
        ("net", "net", "sense"),
    ),
    Verb("repeat", "repeat BLOCK TIMES", "repeat a block with its nets counted on", repeat, ("block",)),
    Verb("pin", "pin PIN NAME [ROLE]", "name a pin and say what it does", set_pin, ("pin", "", "pin-role")),
    Verb("value", "value REF VALUE", "change a value", set_value, ("ref",)),
    Verb("block", "block REF NAME", "move a part to a block of the sheet", set_block, ("ref",)),
    Verb("add", "add REF PACKAGE [VALUE] · add R1..3 PACKAGE 1k 2k 3k", "add parts", add_part, ("", "package")),
    Verb("remove", "remove REF", "take out a part, net, hole, pour or text", remove, ("ref",)),
    Verb("nudge", "nudge REF DX DY", "shift a part on the sheet", nudge, ("ref",)),
    Verb(
        "place", "place REF X Y [TURN] · place REF by PIN", "put a part on the board", place_part, ("ref", "by", "pin")
    ),
    Verb("turn", "turn REF [DEGREES]", "turn a part", turn_part, ("ref",)),
    Verb("underside", "underside REF", "move a part to the other side", flip_part, ("ref",)),
    Verb("lock", "lock REF", "keep a part in its place", locker(True), ("ref",)),
    Verb("unlock", "unlock REF", "let a part move", locker(False), ("ref",)),
    Verb("arrange", "arrange", "put all waiting parts on the board", arrange_parts),
    Verb("width", "width NET 2A [10K] · width NET 0.8mm", "track width by current or by length", set_width, ("net",)),
    Verb("clearance", "clearance NET 0.3mm", "gap to other copper", set_clearance, ("net",)),
    Verb("role", "role NET ROLE", "say what a net is for", set_role, ("net", "role")),
    Verb("route", "route [NET …] [fresh]", "route open links", route_links, ("net", "net")),
    Verb("lift", "lift NET · lift all", "take copper off the board", lift_copper, ("net",)),
    Verb("outline", "outline 60x40 [RADIUS]", "board size in mm", set_outline),
    Verb("hole", "hole X Y [DIAMETER]", "drill a mounting hole", drill_hole),
    Verb("text", 'text "WORDS" X Y [HEIGHT] [back]', "print on the legend", print_text),
    Verb("move", "move ID X Y", "shift a hole or a text", move_item, ("item",)),
    Verb("pour", "pour NET LAYER", "fill a layer with a net", pour_net, ("net", "layer")),
    Verb("rules", "rules NAME [LAYERS]", "choose a maker", lambda d, w: rules_proposal(d, {}, w), ("rules",)),
    Verb("go", "go REF", "show a part or net", _go, ("ref-or-net",)),
    Verb("undo", "undo", "take the last change back", _action("undo", "takes the last change back")),
    Verb("redo", "redo", "do it again", _action("redo", "does it again")),
)


BY_NAME = {v.name: v for v in VERBS}


def split_words(text: str) -> list[str]:
    """Split a sentence into words; quotes keep words together."""
    try:
        return shlex.split(text.replace("'", "\\'"))
    except ValueError:
        return text.replace('"', "").split()


def ask(design: Design, text: str, sets: dict[str, RuleSet]) -> Proposal:
    """Understand a sentence.

    Raises
    ------
    InputError, NotFound, EditRefused
        When it is not understood or cannot be done; the design is untouched either way.
    """
    words = split_words(text)
    if not words or words[0] not in BY_NAME:
        raise InputError(
            f"{words[0] if words else ''!r} is no verb of the ask line.", where="ask line", allowed=", ".join(BY_NAME)
        )
    try:
        with alone:
            if words[0] == "rules":
                proposal = rules_proposal(design, sets, words[1:])
            else:
                proposal = BY_NAME[words[0]].make(design, words[1:])
            if proposal.edit is not None:
                apply(design, proposal.edit)
            return proposal
    except ValidationError as error:
        raise input_error(error, "ask line") from error


def complete(design: Design, text: str, sets: dict[str, RuleSet]) -> list[str]:
    """List how the last word of a sentence may go on, at most 12, best first."""
    words = split_words(text)
    if not text or text.endswith(" ") or not words:
        words.append("")
    if len(words) == 1:
        return [v.name for v in VERBS if v.name.startswith(words[0])][:12]
    verb = BY_NAME.get(words[0])
    place = min(len(words) - 2, len(verb.words) - 1) if verb and verb.words else -1
    if verb is None or place < 0 or len(words) - 2 >= len(verb.words) + 2:
        return []
    last = words[-1]
    found = [
        w for w in _choices(design, verb.words[place], last, sets) if w.lower().startswith(last.lower()) and w != last
    ]
    return sorted(found, key=natural)[:12]


def _choices(design: Design, what: str, last: str, sets: dict[str, RuleSet]) -> list[str]:
    refs, nets = list(design.parts), list(design.nets)
    pins: list[str] = []
    if "pin" in what:
        ref = last.partition(".")[0]
        pins = pin_words(design.parts[ref]) if ref in design.parts else [f"{r}." for r in refs]
    table: dict[str, list[str]] = {
        "pin": pins, "pin-or-net": [*nets, *pins], "net": nets, "ref": refs, "ref-or-net": [*refs, *nets],
        "by": ["by", "off"],
        "sense": ["to-rows", "to-columns"],
        "block": list(dict.fromkeys(p.block for p in design.parts.values() if p.block)),
        "rules": list(sets), "layer": list(design.board.layers),
        "role": list(get_args(NetRole)), "pin-role": list(get_args(PinRole)), "": [],
        "item": [*design.holes, *design.texts],
        "package": [*design.packages, *package_examples()],
    }  # fmt: skip
    return table[what]
