"""Blocks that are kept and used again: parts, nets, calculations, hints and where they worked, as JSON."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Any, Final, Literal

from pydantic import Field, ValidationError

from vane_step.core.design.edits import AddPart, Join, SetItem, SetNetRule, Single, Together
from vane_step.core.design.fileformat import in_lines, input_error
from vane_step.core.design.model import (
    Block,
    Calculation,
    Design,
    Frozen,
    Net,
    Package,
    Part,
    Text,
    natural,
    split_pin,
)
from vane_step.core.errors import InputError, NotFound

BLOCK_FORMAT: Final = "vane-step-block"
MAX_BYTES = 4 * 1024 * 1024


class SavedBlock(Frozen):
    """A block by itself.

    ``ports`` are the nets by which it is connected to the rest, with what each is for; the others are its own.
    """

    format: Literal["vane-step-block"] = BLOCK_FORMAT
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=60)
    note: Text = ""
    ports: dict[str, str] = Field(default_factory=dict)
    parts: tuple[Part, ...] = Field(min_length=1, max_length=500)
    packages: tuple[Package, ...] = ()
    nets: tuple[Net, ...] = ()
    calculations: tuple[Calculation, ...] = ()
    hints: tuple[Text, ...] = ()
    worked: tuple[Text, ...] = ()


def take_block(
    design: Design,
    refs: Iterable[str],
    name: str,
    note: str = "",
    hints: tuple[str, ...] = (),
    worked: tuple[str, ...] = (),
) -> SavedBlock:
    """Make a block of some parts of a design: what leaves the selection becomes a port.

    References in calculations that point outside of the block become the values they stand for now.

    Raises
    ------
    NotFound
        When a part does not exist.
    """
    chosen = list(dict.fromkeys(refs))
    missing = [r for r in chosen if r not in design.parts]
    if missing or not chosen:
        raise NotFound(
            f"There is no part {missing[0] if missing else ''}.", where="block", allowed="parts of the design"
        )
    inside = set(chosen)
    nets: list[Net] = []
    ports: dict[str, str] = {}
    for net in design.nets.values():
        mine = tuple(p for p in net.pins if split_pin(p)[0] in inside)
        if not mine:
            continue
        nets.append(net.model_copy(update={"pins": mine}))
        if len(mine) < len(net.pins) or net.role in ("supply", "ground"):
            ports[net.name] = net.role
    parts = tuple(
        design.parts[r].model_copy(
            update={"place": None, "nudge": None, "block": "", "uses": (), "choice": ""}
        )
        for r in sorted(chosen, key=natural)
    )
    used = dict.fromkeys(p.package for p in parts)
    sums = tuple(c for c in design.calculations.values() if c.sets and set(c.sets.values()) <= inside)
    known = {n.name for n in nets}
    closed = tuple(c.model_copy(update={"inputs": _closed(design, c, inside, known)}) for c in sums)
    about = design.blocks.get(name)
    return SavedBlock(
        name=name,
        note=note or (about.note if about else ""),
        ports=ports,
        parts=parts,
        packages=tuple(design.packages[n] for n in used),
        nets=tuple(nets),
        calculations=closed,
        hints=hints or (about.hints if about else ()),
        worked=worked or (about.worked if about else ()),
    )


def _closed(design: Design, found: Calculation, inside: set[str], nets: set[str]) -> dict[str, str]:
    """Replace inputs that name what is not in the block by the values they had."""
    inputs = {}
    for key, text in found.inputs.items():
        name = text.partition(".")[0]
        outside = (name in design.parts and name not in inside) or (text in design.nets and text not in nets)
        outside = outside or name in design.calculations
        inputs[key] = f"{found.was[key]:g}" if outside and key in found.was else text
    return inputs


def use_block(design: Design, saved: SavedBlock, ports: Mapping[str, str], name: str = "") -> Together:
    """Make the edit that puts a block into a design.

    Parameters
    ----------
    ports : mapping of str to str
        Net of the design for a port of the block; a port left out keeps its name, so supplies join by themselves.

    Raises
    ------
    InputError
        When a port does not exist.
    """
    strange = ports.keys() - saved.ports.keys()
    if strange:
        raise InputError(
            f"{saved.name} has no port {min(strange)}.",
            where=saved.name,
            value=min(strange),
            allowed=", ".join(saved.ports),
            next_step="Leave the port out.",
        )
    title = name or _fresh_title(design, saved.name)
    taken_refs, taken_nets = set(design.parts), set(design.nets) | set(ports.values())
    refs: dict[str, str] = {}
    edits: list[Single] = []
    packs = {p.name: p for p in saved.packages}
    for part in saved.parts:
        refs[part.ref] = _next(part.ref, taken_refs)
        own = part.model_copy(update={"ref": refs[part.ref], "block": title[:60]})
        pack = design.packages.get(part.package) or packs.get(part.package)
        edits.append(AddPart(part=own, package=pack))
    names: dict[str, str] = {}
    for net in saved.nets:
        if net.name in saved.ports:
            names[net.name] = ports.get(net.name, net.name)
        else:
            names[net.name] = _next(net.name, taken_nets)
        pins = tuple(f"{refs[r]}.{n}" for r, n in map(split_pin, net.pins))
        if pins:
            edits.append(Join(pins=pins, net=names[net.name]))
        if names[net.name] not in design.nets and (net.rule is not None or net.role != "signal"):
            edits.append(SetNetRule(net=names[net.name], rule=net.rule, role=net.role))
    taken_sums = set(design.calculations)
    for found in saved.calculations:
        inputs = {k: _renamed(v, refs, names) for k, v in found.inputs.items()}
        sets = {k: refs[r] for k, r in found.sets.items()}
        update = {"id": _next(found.id, taken_sums), "inputs": inputs, "sets": sets}
        edits.append(SetItem(calculation=found.model_copy(update=update)))
    about = Block(name=title[:60], note=saved.note, hints=saved.hints, worked=saved.worked)
    edits.append(SetItem(block=about))
    return Together(edits=tuple(edits))


def _renamed(text: str, refs: Mapping[str, str], nets: Mapping[str, str]) -> str:
    name, dot, rest = text.partition(".")
    return f"{refs[name]}{dot}{rest}" if name in refs else nets.get(text, text)


def _fresh_title(design: Design, name: str) -> str:
    known = {p.block for p in design.parts.values()} | set(design.blocks)
    number = 1
    while (title := name if number == 1 else f"{name[:56]} {number}") in known:
        number += 1
    return title


def _next(name: str, taken: set[str]) -> str:
    """Give a name that is not taken: the name itself, or the next number behind its stem."""
    if name not in taken:
        taken.add(name)
        return name
    stem = re.sub(r"\d+$", "", name) or name
    number = 1
    while (fresh := f"{stem}{number}") in taken:
        number += 1
    taken.add(fresh)
    return fresh


def block_json(saved: SavedBlock) -> str:
    """Write a block as JSON text."""
    told = saved.model_dump(mode="json", exclude_defaults=True)
    return in_lines({"format": saved.format, "version": saved.version, **told})


def block_from(text: str | bytes, where: str = "block") -> SavedBlock:
    """Read a block from JSON text.

    Raises
    ------
    InputError
        Naming the field that is wrong; pins that a net lists and no part of the block has are refused.
    """
    if len(text) > MAX_BYTES:
        raise InputError("The file is too large.", where=where, value=len(text), allowed=f"{MAX_BYTES} bytes")
    try:
        data: Any = json.loads(text)
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise InputError(
            "This is not JSON.",
            where=where,
            next_step="Choose a block file that this program wrote.",
        ) from error
    if not isinstance(data, dict) or data.get("format") != BLOCK_FORMAT:
        raise InputError("This is not a block.", where=where, allowed=f'"format": "{BLOCK_FORMAT}"')
    try:
        saved = SavedBlock.model_validate(data)
    except ValidationError as error:
        raise input_error(error, where) from error
    pins = {f"{p.ref}.{x.number}" for p in saved.parts for x in p.pins}
    for net in saved.nets:
        gone = [p for p in net.pins if p not in pins]
        if gone:
            raise InputError(
                f"Net {net.name} lists pin {gone[0]}, which no part of the block has.",
                where=where,
                next_step="Mend the file, or keep the block anew.",
            )
    refs, names = Counter(p.ref for p in saved.parts), Counter(n.name for n in saved.nets)
    for what, count in (("part", refs), ("net", names)):
        twice = next((name for name, times in count.items() if times > 1), None)
        if twice is not None:
            raise InputError(
                f"The {what} {twice} is in it twice.",
                where=where,
                next_step="Mend the file, or keep the block anew.",
            )
    for found in saved.calculations:
        strange = next((ref for ref in found.sets.values() if ref not in refs), None)
        if strange is not None:
            raise InputError(
                f"Calculation {found.id} sets {strange}, which is no part of the block.",
                where=where,
                next_step="Mend the file, or keep the block anew.",
            )
    return saved
