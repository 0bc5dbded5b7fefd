"""Verbs of the ask line for several parts at once, chosen by name, net, block, kind or package."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from vane_step.core.ask.parts import lock_use
from vane_step.core.ask.verbs import verb
from vane_step.core.ask.words import Action, Proposal, few, need, number
from vane_step.core.board.geometry.sides import home_side, sides_with_copper
from vane_step.core.board.placement.align import LINES, WAYS, aligned, placed_parts, repeated, shifted, spaced
from vane_step.core.circuit.capture import repeat_block
from vane_step.core.circuit.pins import counted
from vane_step.core.design import edits
from vane_step.core.design.edits import net_of, part_of
from vane_step.core.design.model import Design, PartPlace, natural, split_pin
from vane_step.core.errors import EditRefused, InputError, NotFound
from vane_step.core.quantity import parse_length_nm

BY = ("net", "block", "kind", "package")
COUNT = re.compile(r"-?[0-9.]+|[0-9]+x[0-9]+")
FIELD = re.compile(r"([0-9]+)x([0-9]+)")


def some_parts(design: Design, words: Sequence[str]) -> list[str]:
    """Find the parts that words stand for: ``R1``, ``R1..5``, ``net=SDA``, ``block=Press``, ``kind=led``, ``all``.

    Raises
    ------
    NotFound
        When a word stands for no part.
    """
    found: list[str] = []
    for word in words:
        key, sign, value = word.partition("=")
        if word == "all":
            some = list(design.parts)
        elif sign and key == "net":
            some = [split_pin(p)[0] for p in net_of(design, value).pins]
        elif sign and key in BY:
            some = [p.ref for p in design.parts.values() if getattr(p, key).lower() == value.lower()]
        elif sign:
            raise InputError(
                f"{word!r} chooses nothing.",
                where="parts",
                value=word,
                allowed=", ".join(f"{k}=…" for k in BY),
            )
        else:
            some = [part_of(design, ref).ref for ref in counted(word)]
        if not some:
            raise NotFound(
                f"There is no part with {word}.",
                where=word,
                next_step="Choose by another net, block, kind or package.",
            )
        found += some
    named = list(dict.fromkeys(found))
    by_more = any("=" in w or w == "all" for w in words)
    return sorted(named, key=natural) if by_more else named


def _on_board(design: Design, refs: list[str]) -> list[str]:
    """Leave out what is not on the board, when something was chosen by more than its name."""
    return [r for r in refs if design.parts[r].place is not None] or refs


@verb(
    "choose",
    "choose R1..5 · choose net=SDA · block=Press · kind=capacitor · all",
    "choose parts, to edit them together",
    ("some", "some", "some"),
)
def choose_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Choose parts, to do something with all of them."""
    need(words, 1, "choose R1..5, or choose net=SDA, block=Press, kind=capacitor, package=CHIP-1608M, all")
    refs = some_parts(design, words)
    return Proposal(
        f"chooses {len(refs)} parts: {few(refs)}", action=Action("choose", tuple(refs)), about=tuple(refs)
    )


@verb("align", f"align REF … {'|'.join(LINES)}", "line parts up with the first", ("some", "some", "line"))
def align_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Line parts up with the first of them."""
    need(words, 2, f"align R1 R2 … {'|'.join(LINES)}")
    refs = _on_board(design, some_parts(design, words[:-1]))
    edit = aligned(design, refs, words[-1])
    return Proposal(f"lines {few(refs)} up, {words[-1]}", edit, about=tuple(refs))


@verb("space", "space REF … across|up [GAP]", "space parts evenly", ("some", "some", "way"))
def space_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Space parts evenly."""
    need(words, 2, f"space R1 R2 R3 … {'|'.join(WAYS)} [GAP]")
    gap = parse_length_nm(words[-1], "gap") / 1e6 if words[-1] not in WAYS else None
    rest = words[:-1] if gap is not None else words
    need(rest, 2, f"space R1 R2 R3 … {'|'.join(WAYS)} [GAP]")
    refs = _on_board(design, some_parts(design, rest[:-1]))
    edit = spaced(design, refs, rest[-1], gap)
    told = f", {gap:g} mm apart" if gap is not None else ""
    return Proposal(f"spaces {few(refs)} evenly {rest[-1]}{told}", edit, about=tuple(refs))


@verb("shift", "shift REF … DX DY", "shift parts together", ("some",))
def shift_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Shift parts together."""
    need(words, 3, "shift R1 R2 … DX DY")
    refs = _on_board(design, some_parts(design, words[:-2]))
    dx, dy = (parse_length_nm(w, "shift") for w in words[-2:])
    return Proposal(
        f"shifts {few(refs)} by {dx / 1e6:g}, {dy / 1e6:g} mm",
        shifted(design, refs, dx, dy),
        about=tuple(refs),
    )


def each_placed(
    name: str, says: str, change: Callable[[PartPlace, float], PartPlace]
) -> Callable[[Design, Sequence[str]], Proposal]:
    """Make a verb that changes the places of parts one by one; a number at the end goes to the change."""

    def make(design: Design, words: Sequence[str]) -> Proposal:
        need(words, 1, f"{name} R1 …")
        last = words[-1].removeprefix("-").replace(".", "", 1).isdigit() and len(words) > 1
        by = number(words[-1], name) if last else 90.0
        refs = _on_board(design, some_parts(design, words[:-1] if last else words))
        places: dict[str, PartPlace | None] = {
            r: change(p, by) for r, p in placed_parts(design, refs).items()
        }
        told = says.format(parts=few(refs), by=f"{by:g}", one=places[refs[0]])
        return Proposal(told, edits.PlaceParts(places=places), about=tuple(refs))

    return make


_turned = each_placed(
    "turn",
    "turns {parts} by {by} degrees, to {one.turn_deg:g}",
    lambda place, by: place.model_copy(update={"turn_deg": (place.turn_deg + by) % 360}),
)


@verb("turn", "turn REF … [DEGREES] · turn TEXT [DEGREES]", "turn parts", ("some",))
def turn_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Turn parts, or a text of the legend."""
    if not words or words[0] not in design.texts:
        return _turned(design, words)
    by = number(words[1], "turn") if len(words) > 1 else 90.0
    old = design.texts[words[0]]
    text = old.model_copy(update={"turn_deg": (old.turn_deg + by) % 360})
    says = f"turns “{old.text}” by {by:g} degrees, to {text.turn_deg:g}"
    return Proposal(says, edits.SetItem(text=text), about=(words[0],))


_flipped = each_placed(
    "flip",
    "{parts} to the other side: {one.side}",
    lambda place, _by: place.model_copy(update={"side": "back" if place.side == "front" else "front"}),
)


@verb("flip", "flip REF …", "move parts to the other side", ("some",), also=("underside",))
def flip_parts(design: Design, words: Sequence[str]) -> Proposal:
    """Move parts to the other side, where their pads find copper."""
    found = _flipped(design, words)
    assert isinstance(found.edit, edits.PlaceParts)
    for ref, place in found.edit.places.items():
        possible = sides_with_copper(design, design.packages[design.parts[ref].package])
        if place is not None and possible and place.side not in possible:
            raise EditRefused(
                f"{ref} has surface pads, and the board has no copper on the {place.side}.",
                where=ref,
                value=place.side,
                allowed=", ".join(possible),
                next_step="Type: rules NAME 2, for copper on both.",
            )
    return found


_kept = each_placed(
    "lock", "{parts} stays where it is", lambda place, _by: place.model_copy(update={"locked": True})
)
_freed = each_placed(
    "unlock", "{parts} may move again", lambda place, _by: place.model_copy(update={"locked": False})
)


@verb("lock", "lock REF … · lock U1.PA3", "keep parts in place, a pin at its use", ("some",))
def keep(design: Design, words: Sequence[str]) -> Proposal:
    """Keep parts in their places, or a pin at its use."""
    return (
        lock_use(design, words, True) if words and "." in words[0].replace("..", "") else _kept(design, words)
    )


@verb("unlock", "unlock REF … · unlock U1.PA3", "let parts or a pin move", ("some",))
def let_move(design: Design, words: Sequence[str]) -> Proposal:
    """Let parts move again, or a pin be used otherwise."""
    return (
        lock_use(design, words, False)
        if words and "." in words[0].replace("..", "")
        else _freed(design, words)
    )


REPEAT = 'repeat "BLOCK" TIMES|COLUMNSxROWS [DX DY] [sharing NET …]'


@verb(
    "repeat",
    'repeat "BLOCK" TIMES|COLUMNSxROWS [DX DY] [sharing NET …]',
    "repeat a block, its nets counted on; with its places and copper, a step apart, in a row or a field",
    ("block",),
)
def repeat(design: Design, words: Sequence[str]) -> Proposal:
    """Repeat a block of the sheet, and with a step its places and copper as well; a field counts the block itself."""
    need(words, 2, REPEAT)
    sharing: list[str] = []
    if "sharing" in words:
        at = list(words).index("sharing")
        words, sharing = words[:at], [n for w in words[at + 1 :] for n in counted(w)]
        need(sharing, 1, REPEAT)
    need(words, 2, REPEAT)
    counts = 0
    while counts < len(words) and COUNT.fullmatch(words[-1 - counts]):
        counts += 1
    placed = counts >= 3
    told = words[-3] if placed else words[-1]
    field = FIELD.fullmatch(told)
    columns = int(field[1]) if field else 0
    times = columns * int(field[2]) - 1 if field else round(number(told, "repeat"))
    block = " ".join(words[:-3] if placed else words[:-1])
    if field and not placed:
        raise InputError("A field of copies needs its steps.", where="repeat", value=told, allowed=REPEAT)
    if placed:
        dx, dy = (parse_length_nm(w, "step") for w in words[-2:])
        edit = repeated(design, block, times, dx, dy, sharing, columns)
    else:
        edit = repeat_block(design, block, times, sharing)
    added = sum(1 for e in edit.edits if isinstance(e, edits.AddPart))
    laid = sum(len(e.tracks) + len(e.vias) for e in edit.edits if isinstance(e, edits.LayCopper))
    joined = dict.fromkeys(e.net for e in edit.edits if isinstance(e, edits.Join))
    shared, new = [n for n in joined if n in design.nets], [n for n in joined if n not in design.nets]
    says = f"repeats “{block}” {times} times: {added} parts"
    says += f"; new nets {few(new) or 'none'}; shared {few(shared) or 'none'}"
    return Proposal(says + (f", with {laid} pieces of copper" if placed else ""), edit)


@verb(
    "grid",
    "grid REF… COLUMNSxROWS STEP [STEP] [at X Y]",
    "lay parts on a grid, in their order, rows from above",
    ("some",),
)
def lay_grid(design: Design, words: Sequence[str]) -> Proposal:
    """Lay parts on a grid of a stated pitch: the first where it lies or is said to, others to the right and down."""
    form = "grid REF… COLUMNSxROWS STEP [STEP] [at X Y]"
    at = next((k for k, w in enumerate(words) if FIELD.fullmatch(w)), len(words))
    need(words[at:], 2, form)
    refs = some_parts(design, words[:at])
    columns, rows = (int(v) for v in words[at].split("x"))
    more = list(words[at + 1 :])
    mark = more.index("at") if "at" in more else len(more)
    steps, spot = more[:mark], more[mark + 1 :]
    if not 1 <= len(steps) <= 2 or len(spot) not in (0, 2) or not refs:
        raise InputError("That is no grid.", where="grid", value=" ".join(words), allowed=form)
    if len(refs) > columns * rows:
        raise InputError(
            f"{len(refs)} parts do not go on {columns} x {rows}.",
            where="grid",
            value=len(refs),
            allowed=f"{columns * rows} at most",
        )
    dx, dy = (parse_length_nm(w, "step") for w in (steps * 2)[:2])
    first = design.parts[refs[0]]
    if not spot and first.place is None:
        raise EditRefused(
            f"{first.ref} is not on the board yet.", where=first.ref, next_step="Say where: at X Y, in mm."
        )
    places = {}
    for k, ref in enumerate(refs):
        part = design.parts[ref]
        was = part.place or PartPlace(x_nm=0, y_nm=0, side=home_side(design, part))
        origin = first.place if not spot else None
        x0, y0 = (origin.x_nm, origin.y_nm) if origin else tuple(parse_length_nm(w, "place") for w in spot)
        turn = first.place.turn_deg if first.place else was.turn_deg
        places[ref] = was.model_copy(
            update={"x_nm": x0 + k % columns * dx, "y_nm": y0 - k // columns * dy, "turn_deg": turn}
        )
    says = f"lays {few(refs)} on a grid of {columns} x {rows}, {dx / 1e6:g} by {dy / 1e6:g} mm"
    return Proposal(says, edits.PlaceParts(places=dict(places)), about=tuple(refs))
