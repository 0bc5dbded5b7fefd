"""Making much of a circuit at once: connection lists, key matrices and repeated blocks, each as one edit."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from fnmatch import fnmatchcase
from itertools import count, islice
from types import MappingProxyType

from pydantic import ValidationError

from vane_step.core.circuit.pins import counted, find_pin
from vane_step.core.design.edits import AddPart, Join, SetItem, SetNetRule, Single, Together
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Design, Part, natural, pin_name, split_pin
from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.parts.part import new_part, next_refs
from vane_step.core.patterns.packages import package

MAX_KEYS = 256
MAX_COPIES = 64
_WORD = re.compile(r"[,;\s]+")


def connections(design: Design, text: str) -> Together:
    """Read a connection list: a net and its pins on each line, pins by number or name, runs counted.

    ``PUMP: Q1.D J6.2``, ``PUMP Q1.D J6.2`` and ``PUMP,Q1,D`` all say what is joined; a hash begins a comment.

    Raises
    ------
    InputError
        Naming the line that cannot be used.
    """
    edits: list[Single] = []
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.split("#", 1)[0].strip()
        if not line:
            continue
        words = [w for w in _WORD.split(line.replace(":", " ", 1)) if w]
        name = words.pop(0) if words else ""
        if len(words) == 2 and not any("." in w for w in words):
            words = [".".join(words)]
        try:
            names = counted(name)
            if len(names) > 1:
                edits += _each_its_own(design, names, words)
                continue
            pins = tuple(find_pin(design, w) for word in words for w in counted(word))
            if not pins:
                raise InputError(
                    "There is no pin in it.",
                    where=name,
                    next_step="Write a net and its pins: PUMP Q1.D J6.2",
                )
            edits.append(Join(pins=pins, net=name))
        except ValidationError as error:
            raise input_error(error, f"line {number}") from error
        except VaneStepError as error:
            raise InputError(
                error.message, where=f"line {number}", value=line[:60], allowed=error.allowed
            ) from error
    if not edits:
        raise InputError(
            "There is no connection in it.", where="connection list", allowed="NET PIN PIN …, one net a line"
        )
    return Together(edits=tuple(edits))


def _each_its_own(design: Design, names: list[str], words: list[str]) -> list[Single]:
    """Join runs of pins to a run of nets, the first to the first: ``ROW0..4 U1.PB0..4 J1.1..5``.

    Raises
    ------
    InputError
        When a run is of another length.
    """
    runs = [counted(word) for word in words]
    if not runs:
        raise InputError("There is no pin in it.", next_step="Write nets and their pins: ROW0..4 U1.PB0..4")
    for word, run in zip(words, runs, strict=True):
        if len(run) != len(names):
            raise InputError(
                f"{word} has {len(run)}, {names[0]} … has {len(names)}.", allowed="runs of equal length"
            )
    return [
        Join(pins=tuple(find_pin(design, p) for p in pins), net=name)
        for name, pins in zip(names, zip(*runs, strict=True), strict=True)
    ]


def matrix(
    design: Design, rows: Sequence[str], columns: Sequence[str], to_rows: bool, switch: str, diode: str
) -> Together:
    """Make a key matrix with one diode for each key, against ghosts.

    Parameters
    ----------
    rows, columns : sequence of str
        Names of the nets, made when they do not exist.
    to_rows : bool
        Current flows from the columns through switch and diode to the rows (cathodes at the rows: rows are driven
        low), or the other way.
    switch, diode : str
        Packages.

    Raises
    ------
    InputError
        When there are too many keys or a name comes twice.
    """
    keys = [(r, c) for r in rows for c in columns]
    if not 1 <= len(keys) <= MAX_KEYS or len({*rows, *columns}) != len(rows) + len(columns):
        raise InputError(
            "This is no matrix.",
            where="matrix",
            value=len(keys),
            allowed=f"1 to {MAX_KEYS} keys, every name once",
        )
    kitchen = design.board.rules.etched
    switches, diodes = next_refs(design, "S", len(keys)), next_refs(design, "D", len(keys))
    pack_s = design.packages.get(switch) or package(switch, kitchen)
    pack_d = design.packages.get(diode) or package(diode, kitchen)
    edits: list[Single] = []
    for (row, column), s, d in zip(keys, switches, diodes, strict=True):
        block = f"Keys of {row}"
        for ref, pack in ((s, pack_s), (d, pack_d)):
            edits.append(AddPart(part=new_part(ref, pack).model_copy(update={"block": block}), package=pack))
        # Pin 1 of a diode is its cathode.
        anode, cathode = f"{d}.2", f"{d}.1"
        start, end = (column, row) if to_rows else (row, column)
        edits += [
            Join(pins=(f"{s}.1",) if to_rows else (anode,), net=start),
            Join(pins=(f"{s}.2", anode) if to_rows else (cathode, f"{s}.2"), net=f"{s}_{d}"),
            Join(pins=(cathode,) if to_rows else (f"{s}.1",), net=end),
        ]
    return Together(edits=tuple(edits))


def _wants(patterns: Sequence[str], net: str) -> bool:
    return any(fnmatchcase(net.upper(), p.upper()) for p in patterns)


def _reasons_of(
    design: Design, refs: dict[str, str], nets: dict[str, str], number: int, taken: set[str]
) -> list[Single]:
    """Copy the calculations whose values all lie in the block, with their inputs on the copy's parts and nets.

    Their names are added to ``taken``, so that no copy's reasons replace another's.
    """
    found: list[Single] = []
    for one in design.calculations.values():
        if not one.sets or not set(one.sets.values()) <= set(refs):
            continue
        inputs = {}
        for key, text in one.inputs.items():
            name, dot, rest = text.partition(".")
            inputs[key] = nets.get(text, f"{refs[name]}{dot}{rest}" if name in refs else text)
        sets = {key: refs[ref] for key, ref in one.sets.items()}
        name = next(n for k in count(number) if (n := f"{one.id}_{k}") not in taken)
        taken.add(name)
        found.append(SetItem(calculation=one.model_copy(update={"id": name, "inputs": inputs, "sets": sets})))
    return found


def repeat_block(design: Design, block: str, times: int, sharing: Sequence[str] = ()) -> Together:
    """Repeat a block: its parts get fresh references, its own nets and those that leave it a number each.

    Supplies and grounds stay shared, and the nets of ``sharing``, patterns such as ``BUS*``. ``LED_A`` of the first
    block becomes ``LED_A2``, ``ROW0`` counts on to ``ROW1``, a pair ``TAP_P`` and ``TAP_N`` to ``TAP2_P`` and
    ``TAP2_N``. The copies do what the first does: pins with their functions, values with their reasons.

    Raises
    ------
    NotFound, InputError
        When there is no such block, or the number of copies is out of range.
    """
    mine = [p for p in design.parts.values() if p.block == block]
    if not mine:
        known = ", ".join(dict.fromkeys(p.block for p in design.parts.values() if p.block))
        raise NotFound(
            f"There is no block {block!r}.",
            where="repeat",
            allowed=known or "none yet",
            next_step="Make one. Type: block REF … NAME",
        )
    if not 1 <= times <= MAX_COPIES:
        raise InputError(
            "So many copies are not made.", where="repeat", value=times, allowed=f"1 to {MAX_COPIES}"
        )
    names = {x: n for p in mine for pin in p.pins if (n := design.net_of(x := pin_name(p.ref, pin.number)))}
    edits: list[Single] = []
    taken = set(design.nets)
    refs, reasons = set(design.parts), set(design.calculations)
    # A second repeat goes on counting: copies never fall into blocks there are.
    blocks = {p.block for p in design.parts.values()}
    free = (f"{block} {k}"[:60] for k in range(2, 10_000))
    names_of = list(islice((name for name in free if name not in blocks), times))
    for copy in range(times):
        renamed: dict[str, str] = {}
        for net in dict.fromkeys(names.values()):
            shared = design.nets[net].role in ("supply", "ground") or _wants(sharing, net)
            renamed[net] = net if shared else _next_name(net, copy + 1, taken, others=renamed)
            taken.add(renamed[net])
        new_refs = {p.ref: _next_ref(p.ref, refs) for p in sorted(mine, key=lambda p: natural(p.ref))}
        edits += [AddPart(part=_copied(p, new_refs[p.ref], names_of[copy])) for p in mine]
        for net, new in renamed.items():
            pins = tuple(
                pin_name(new_refs[split_pin(p)[0]], split_pin(p)[1]) for p, n in names.items() if n == net
            )
            edits.append(Join(pins=pins, net=new))
            old = design.nets[net]
            if new != net and (old.rule is not None or old.role != "signal" or old.volts is not None):
                edits.append(SetNetRule(net=new, rule=old.rule, role=old.role, volts=old.volts))
        edits += _reasons_of(design, new_refs, renamed, copy + 2, reasons)
    return Together(edits=tuple(edits))


def _copied(part: Part, ref: str, block: str) -> Part:
    """Give a part's copy: all it is and does, but for its place."""
    return part.model_copy(update={"ref": ref, "block": block, "place": None, "nudge": None})


def _next_ref(ref: str, taken: set[str]) -> str:
    letters = ref.rstrip("0123456789")
    number = 1
    while (new := f"{letters}{number}") in taken:
        number += 1
    taken.add(new)
    return new


_PAIRED = re.compile(r"(.*?)(\d*)([_]?[PN]|[+-])$")


def _next_name(net: str, step: int, taken: set[str], others: Mapping[str, str] = MappingProxyType({})) -> str:
    """Count a name on: one that ends in a number by so many, another by a number behind it.

    Of a pair the sign stays at the end and both get the same number, by which they are known as a pair.
    """
    if (
        (pair := _PAIRED.fullmatch(net))
        and pair[1]
        and pair[3][-1] in "PN+-"
        and (len(pair[3]) > 1 or pair[3] in "+-")
    ):
        stem, end = pair[1], pair[3]
        number = int(pair[2]) + step if pair[2] else step + 1
        twin = next(
            (new for old, new in others.items() if (m := _PAIRED.fullmatch(old)) and m[1] == stem), None
        )
        if twin is not None and (m := _PAIRED.fullmatch(twin)) and f"{stem}{m[2]}{end}" not in taken:
            return f"{stem}{m[2]}{end}"
        while f"{stem}{number}{end}" in taken:
            number += 1
        return f"{stem}{number}{end}"
    match = re.fullmatch(r"(.*?)(\d+)", net)
    stem, number = (match[1], int(match[2]) + step) if match else (net, step + 1)
    while f"{stem}{number}" in taken:
        number += 1
    return f"{stem}{number}"
