"""The ask line: sentences understood by their verb, and how they may go on; what a verb does is in its own module."""

from __future__ import annotations

import difflib
import shlex
from collections.abc import Callable, Sequence
from typing import get_args

from pydantic import ValidationError

from vane_step.core.ask.bare import (
    ZONES,
    clear_pour,
    cut_out,
    drill_hole,
    mill_slot,
    pour_net,
    print_field,
    rules_proposal,
    set_drills,
    set_outline,
    set_zone,
    stitch_pours,
)
from vane_step.core.ask.board import (
    arrange_parts,
    exchange_channels,
    move_item,
    on_edge,
    place_part,
    print_text,
)
from vane_step.core.ask.circuit import (
    join,
    make_matrix,
    merge_nets,
    name_pins,
    nudge,
    part_pins,
    rename_net,
    set_block,
    set_pin,
    set_rail,
    set_role,
    set_value,
)
from vane_step.core.ask.copper import (
    advise_layers,
    centre_tracks,
    keep_to_layers,
    lift_copper,
    more_vias,
    route_links,
    set_clearance,
    set_current,
    set_width,
    taper_tracks,
    widen_tracks,
)
from vane_step.core.ask.group import (
    align_parts,
    choose_parts,
    flip_parts,
    free_parts,
    keep_parts,
    repeat,
    shift_parts,
    space_parts,
    turn_parts,
)
from vane_step.core.ask.parts import (
    add_part,
    assign_pins,
    block_hint,
    block_sheet,
    block_worked,
    check_pattern,
    either,
    fit,
    lock_use,
    make_pattern,
    prove_pattern,
    set_extra,
    set_note,
    set_variant,
    swap_part,
    use,
)
from vane_step.core.ask.reasons import (
    BRIEF_WORDS,
    accept_values,
    calculate,
    set_brief,
    set_demand,
    set_input,
    set_need,
    show_need,
    waive_finding,
)
from vane_step.core.ask.removing import remove
from vane_step.core.ask.words import Proposal, Resources, Verb, fitting, need
from vane_step.core.ask.words import alone as by_itself
from vane_step.core.board.placement.align import LINES, WAYS
from vane_step.core.board.placement.edge import TURNS
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
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.dimensions import DIMENSIONED
from vane_step.core.parts.packages import package_examples
from vane_step.core.parts.patternsheet import DIRECTIONS, SENSES
from vane_step.core.power.formulas import FORMULAS

Maker = Callable[[Design, Sequence[str], Resources], Proposal]


def _action(name: str, says: str) -> Maker:
    def make(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
        return Proposal(says, action=name)

    return make


def _locker(locked: bool) -> Maker:
    """Make the verb that keeps a part in its place, or a pin at its use; or lets them go."""

    def make(design: Design, words: Sequence[str], resources: Resources) -> Proposal:
        if words and "." in words[0]:
            return lock_use(design, words, locked)
        return (keep_parts if locked else free_parts)(design, words)

    return make


def _go(design: Design, words: Sequence[str]) -> Proposal:
    need(words, 1, "go REF or go NET")
    if words[0] not in design.parts and words[0] not in design.nets:
        raise NotFound(
            f"There is no part or net {words[0]}.", where=words[0],
            next_step="Name a part or a net of the design.",
        )
    return Proposal(f"shows {words[0]}", action=f"go {words[0]}", about=(words[0],))


VERBS: tuple[Verb, ...] = (
    Verb(
        "join",
        "join PIN … NET · join U1.PB0..4 ROW0..4",
        "connect pins, or runs of them",
        by_itself(join),
        ("pin", "pin-or-net", "pin-or-net", "pin-or-net"),
    ),
    Verb("part", "part PIN …", "take pins off their nets", by_itself(part_pins), ("pin", "pin", "pin")),
    Verb("rename", "rename NET NEW", "give a net another name", by_itself(rename_net), ("net",)),
    Verb("merge", "merge NET INTO", "make two nets one", by_itself(merge_nets), ("net", "net")),
    Verb("pins", "pins REF NAME …", "name the pins of a part in their order", by_itself(name_pins), ("ref",)),
    Verb(
        "matrix",
        "matrix ROW0..2 COL0..4 [to-rows|to-columns]",
        "make a key matrix",
        by_itself(make_matrix),
        ("net", "net", "sense"),
    ),
    Verb(
        "repeat",
        "repeat BLOCK TIMES [DX DY] [sharing NET …]",
        "repeat a block, its nets counted on; with its places and copper, a step apart",
        by_itself(repeat),
        ("block",),
    ),
    Verb("pin", "pin PIN NAME [ROLE]", "name a pin and say what it does", by_itself(set_pin), ("pin", "", "pin-role")),
    Verb("value", "value REF VALUE …", "change a value", by_itself(set_value), ("ref",)),
    Verb("block", "block REF … NAME", "move a part to a block of the sheet", by_itself(set_block), ("ref",)),
    Verb(
        "add", "add REF PACKAGE-OR-NUMBER [VALUE …] · add R1..3 PACKAGE 1k 2k 3k", "add parts", add_part,
        ("", "package"),
    ),
    Verb("swap", "swap REF … NUMBER", "take another part of the catalogue", swap_part, ("ref", "number")),
    Verb("use", "use BLOCK [PORT=NET …] · use controller NUMBER [CRYSTAL]", "put a block in", use, ("saved", "number")),
    Verb("demand", 'demand "SENSE: adc, PUMP: pwm, BUS: i2c"', "what firmware needs", by_itself(set_demand)),
    Verb(
        "assign", "assign REF [nearer]", "give what firmware needs its pins", by_itself(assign_pins), ("ref", "nearer")
    ),
    Verb(
        "calc",
        "calc ID FORMULA INPUT=VALUE … OUTPUT=REF",
        "bind values to a calculation",
        by_itself(calculate),
        ("", "formula"),
    ),
    Verb(
        "accept",
        "accept ID … · accept all",
        "take the values of stale calculations",
        by_itself(accept_values),
        ("reason",),
    ),
    Verb(
        "need",
        'need ID must|wish "TEXT" [FIGURE<=LIMIT]',
        "write a requirement",
        by_itself(set_need),
        ("need", "level"),
    ),
    Verb(
        "show",
        'show ID READING · show ID yes "SEEN"',
        "record what shows a requirement",
        by_itself(show_need),
        ("need",),
    ),
    Verb("brief", "brief size 60x40 · brief road etch", "say what binds every step", by_itself(set_brief), ("brief",)),
    Verb("waive", 'waive RULE PLACE "REASON"', "live with a finding", by_itself(waive_finding)),
    Verb("input", "input ID INPUT=VALUE …", "change an input of a calculation", by_itself(set_input), ("reason",)),
    Verb("sheet", "sheet BLOCK SHEET", "draw a block on another sheet", by_itself(block_sheet), ("block",)),
    Verb("hint", 'hint BLOCK "TEXT"', "note a hint for the board", by_itself(block_hint), ("block",)),
    Verb("worked", 'worked BLOCK "BOARD, DATE"', "note where a block worked", by_itself(block_worked), ("block",)),
    Verb("fit", "fit REF … yes|no [in VARIANT]", "say what is fitted", by_itself(fit), ("ref",)),
    Verb("variant", 'variant NAME ["TITLE"]', "name a way to fit the board", by_itself(set_variant)),
    Verb("either", "either NAME REF REF …", "fit one of several parts", by_itself(either), ("", "ref", "ref")),
    Verb(
        "extra",
        'extra NAME COUNT "WHAT IT IS" [number=NUMBER] [for=REF]',
        "add a line to the parts list",
        by_itself(set_extra),
    ),
    Verb("note", 'note REF "TEXT"', "write a note on a part", by_itself(set_note), ("ref",)),
    Verb(
        "pattern",
        "pattern NAME FAMILY pins=8 L=5.8..6.2 …",
        "compute a package from a drawing",
        by_itself(make_pattern),
        ("", "family"),
    ),
    Verb(
        "checked",
        "checked PACKAGE PIN-2-IS SENSE",
        "hold a pattern against its drawing",
        by_itself(check_pattern),
        ("package", "direction", "turn"),
    ),
    Verb(
        "proved",
        'proved PACKAGE "BOARD AND DATE"',
        "note that a pattern was soldered",
        by_itself(prove_pattern),
        ("package",),
    ),
    Verb(
        "remove", "remove NAME … · remove block=BLOCK", "take out parts, nets, holes, texts, reasons …",
        by_itself(remove), ("ref",),
    ),
    Verb("nudge", "nudge REF DX DY", "shift a part on the sheet", by_itself(nudge), ("ref",)),
    Verb(
        "place",
        "place REF X Y [TURN] · place REF by PIN",
        "put a part on the board",
        by_itself(place_part),
        ("ref", "by", "pin"),
    ),
    Verb(
        "edge",
        f"edge REF {'|'.join(TURNS)} [ALONG]",
        "put a part on an edge of the board, turned inwards",
        by_itself(on_edge),
        ("ref", "edge"),
    ),
    Verb(
        "exchange",
        "exchange REF · exchange all",
        "exchange equal channels of a part for shorter links",
        by_itself(exchange_channels),
        ("ref",),
    ),
    Verb("turn", "turn REF … [DEGREES]", "turn parts", by_itself(turn_parts), ("some",)),
    Verb("underside", "underside REF …", "move parts to the other side", by_itself(flip_parts), ("some",)),
    Verb("lock", "lock REF … · lock U1.PA3", "keep parts in place, a pin at its use", _locker(True), ("some",)),
    Verb("unlock", "unlock REF … · unlock U1.PA3", "let parts or a pin move", _locker(False), ("some",)),
    Verb(
        "choose",
        "choose R1..5 · choose net=SDA · block=Press · kind=capacitor · all",
        "choose parts, to edit them together",
        by_itself(choose_parts),
        ("some", "some", "some"),
    ),
    Verb(
        "align",
        f"align REF … {'|'.join(LINES)}",
        "line parts up with the first",
        by_itself(align_parts),
        ("some", "some", "line"),
    ),
    Verb("space", "space REF … across|up [GAP]", "space parts evenly", by_itself(space_parts), ("some", "some", "way")),
    Verb("shift", "shift REF … DX DY", "shift parts together", by_itself(shift_parts), ("some",)),
    Verb(
        "arrange",
        "arrange · arrange all · arrange tidy",
        "place what waits; or propose places for all parts",
        by_itself(arrange_parts),
        ("arrange",),
    ),
    Verb(
        "width",
        "width NET 0.8mm · width NET 2A [10K] · width NET none",
        "track width by length or by current",
        by_itself(set_width),
        ("net",),
    ),
    Verb(
        "current",
        "current NET 500mA [10K] · current NET none",
        "say what a net carries",
        by_itself(set_current),
        ("net",),
    ),
    Verb("clearance", "clearance NET 0.3mm", "gap to other copper", by_itself(set_clearance), ("net",)),
    Verb(
        "layers",
        "layers NET LAYER … · layers NET all",
        "keep a net's tracks to some layers",
        by_itself(keep_to_layers),
        ("net", "layer", "layer"),
    ),
    Verb("rail", "rail NET 12V · rail NET 12.8..16.8", "say what voltage a supply has", by_itself(set_rail), ("net",)),
    Verb("role", "role NET ROLE", "say what a net is for", by_itself(set_role), ("net", "role")),
    Verb(
        "route",
        "route [NET …] [fresh] · route PIN PIN",
        "route open links, or one between two pins",
        by_itself(route_links),
        ("pin-or-net", "pin-or-net"),
    ),
    Verb("widen", "widen NET [0.8mm]", "make laid tracks wider where there is room", by_itself(widen_tracks), ("net",)),
    Verb("vias", "vias NET", "lay more vias where the current of a net wants them", by_itself(more_vias), ("net",)),
    Verb(
        "taper",
        "taper NET [off] · taper all [off]",
        "let tracks widen towards pads and vias",
        by_itself(taper_tracks),
        ("net",),
    ),
    Verb(
        "centre",
        "centre NET · centre all",
        "slide tracks to the middle of the room they lie in",
        by_itself(centre_tracks),
        ("net",),
    ),
    Verb("advise", "advise", "tell what another number of layers would buy", by_itself(advise_layers)),
    Verb("lift", "lift NET · lift all", "take copper off the board", by_itself(lift_copper), ("net",)),
    Verb("outline", "outline 60x40 [RADIUS]", "board size in mm", by_itself(set_outline)),
    Verb("hole", "hole X Y [DIAMETER]", "drill a mounting hole", by_itself(drill_hole)),
    Verb("text", 'text "WORDS" X Y [HEIGHT] [back]', "print on the legend", by_itself(print_text)),
    Verb("field", "field X Y 20x8 [back]", "print a field to write on", by_itself(print_field)),
    Verb("move", "move ID X Y", "shift a hole or a text", by_itself(move_item), ("item",)),
    Verb("cutout", "cutout X Y 20x8 [RADIUS]", "mill an opening", by_itself(cut_out)),
    Verb(
        "zone",
        f"zone {'|'.join(ZONES)} X Y 10x5 [TALL] [front|back|both]",
        "keep parts, heights, tracks or copper out of a box",
        by_itself(set_zone),
        ("zone",),
    ),
    Verb("drills", "drills 0.6 0.8 1.0 … · drills any", "say which drills there are", by_itself(set_drills)),
    Verb("slot", "slot X1 Y1 X2 Y2 WIDTH", "mill a slot", by_itself(mill_slot)),
    Verb(
        "pour",
        "pour NET LAYER [plane=yes] [hatch=1.5] [gap=0.3] [priority=1] [box=X,Y,20x10]",
        "fill a layer, or a box on it, with a net",
        by_itself(pour_net),
        ("net", "layer"),
    ),
    Verb("clear", "clear POUR X Y 10x5", "keep a pour out of a box", by_itself(clear_pour), ("pour",)),
    Verb("stitch", "stitch NET [SPACING]", "join pours of a net with vias", by_itself(stitch_pours), ("net",)),
    Verb(
        "rules",
        "rules NAME [LAYERS]",
        "choose a maker",
        lambda d, w, r: rules_proposal(d, dict(r.rules), w),
        ("rules",),
    ),
    Verb("go", "go REF", "show a part or net", by_itself(_go), ("ref-or-net",)),
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


def ask(design: Design, text: str, resources: Resources | None = None) -> Proposal:
    """Understand a sentence.

    Raises
    ------
    InputError, NotFound, EditRefused
        When it is not understood or cannot be done; the design is untouched either way.
    """
    words = split_words(text)
    if not words or words[0] not in BY_NAME:
        first = words[0] if words else ""
        like = difflib.get_close_matches(first.lower(), BY_NAME, n=2)
        raise InputError(
            f"{first!r} is no verb of the ask line.", where="ask line", allowed=", ".join(BY_NAME),
            next_step=f"Did you mean {' or '.join(like)}?" if like else "Press ? for what can be typed.",
        )  # fmt: skip
    verb = BY_NAME[words[0]]
    rest = fitting(verb, words[1:])
    try:
        with alone:
            proposal = verb.make(design, rest, resources or Resources())
            if proposal.edit is not None:
                apply(design, proposal.edit)
            return proposal
    except ValidationError as error:
        raise input_error(error, "ask line") from error


def complete(design: Design, text: str, resources: Resources | None = None) -> list[str]:
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
        w
        for w in _choices(design, verb.words[place], last, resources or Resources())
        if w.lower().startswith(last.lower()) and w != last
    ]
    return sorted(found, key=natural)[:12]


def _choices(design: Design, what: str, last: str, resources: Resources) -> list[str]:
    refs, nets = list(design.parts), list(design.nets)
    pins: list[str] = []
    if "pin" in what:
        ref = last.partition(".")[0]
        pins = pin_words(design.parts[ref]) if ref in design.parts else [f"{r}." for r in refs]
    blocks = list(dict.fromkeys(p.block for p in design.parts.values() if p.block and " " not in p.block))
    kinds = list(dict.fromkeys(f"kind={p.kind}" for p in design.parts.values()))
    table: dict[str, list[str]] = {
        "pin": pins, "pin-or-net": [*nets, *pins], "net": nets, "ref": refs, "ref-or-net": [*refs, *nets],
        "some": [*refs, "all", *(f"net={n}" for n in nets), *(f"block={b}" for b in blocks), *kinds],
        "line": [*LINES, *refs], "way": [*WAYS, *refs], "by": ["by", "off"],
        "sense": ["to-rows", "to-columns"],
        "block": list(dict.fromkeys(p.block for p in design.parts.values() if p.block)),
        "rules": list(resources.rules), "layer": list(design.board.layers),
        "role": list(get_args(NetRole)), "pin-role": list(get_args(PinRole)), "": [],
        "item": [*design.holes, *design.texts], "pour": list(design.pours), "zone": list(ZONES), "edge": list(TURNS),
        "package": [*design.packages, *package_examples(), *(resources.catalogue.parts if len(last) > 1 else [])],
        "number": list(resources.catalogue.parts), "saved": [*resources.blocks, "controller"],
        "formula": list(FORMULAS), "reason": [*design.calculations, "all"], "need": list(design.requirements),
        "level": ["must", "wish"], "brief": list(BRIEF_WORDS), "family": list(DIMENSIONED),
        "nearer": ["nearer"], "arrange": ["all", "tidy"], "direction": list(DIRECTIONS), "turn": list(SENSES),
    }  # fmt: skip
    return table[what]
