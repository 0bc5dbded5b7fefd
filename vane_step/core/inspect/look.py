"""All that is told of files of a board: what each is, measures, makers, holes, differences, the picture."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from vane_step.core.inspect.board_files import BoardFiles, read_board
from vane_step.core.inspect.differences import Differences, differences
from vane_step.core.inspect.makers import Ability, Maker, Verdict, abilities, held_against
from vane_step.core.inspect.measures import Measure, measured
from vane_step.core.inspect.picture import difference_picture, picture


@dataclass(frozen=True)
class FileTold:
    """A file: what it is, why that is thought, whether that is sure, and what else is worth knowing of it."""

    name: str
    role: str
    why: str
    sure: bool
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class DifferenceTold:
    """A layer (or the holes) that differs: how much, in square millimetres or holes, and where most of it is."""

    role: str
    amount: float
    unit: str
    at: tuple[float, float] | None
    says: str


@dataclass(frozen=True)
class Look:
    """What is told of files of a board.

    Parameters
    ----------
    holes
        By size and plating how many, the smallest first.
    nets, named
        Pieces of copper that hang together, and of how many of them files say the name.
    drawn
        The picture as JSON (:func:`picture`, with ``differences`` where there are two boards).
    apart
        What differs from the other board; nothing where there is none to hold against.
    """

    files: tuple[FileTold, ...]
    refused: Mapping[str, str]
    left_out: tuple[str, ...]
    measures: tuple[Measure, ...]
    verdicts: tuple[Verdict, ...]
    makers: tuple[Ability, ...]
    holes: tuple[tuple[float, bool, int], ...]
    slots: int
    nets: int
    named: int
    drawn: str
    apart: tuple[DifferenceTold, ...] | None = None


def look_at(
    files: Mapping[str, bytes],
    said: Mapping[str, str],
    makers: Sequence[Maker],
    other: Mapping[str, bytes] | None = None,
) -> Look:
    """Read files of a board, measure them, hold them against makers, and against another board's files where given.

    Raises
    ------
    InputError
        As :func:`read_board` does.
    """
    board = read_board(files, said)
    found = measured(board)
    shown = picture(board)
    apart = None
    if other is not None:
        both = differences(board, read_board(other))
        apart = tuple(_apart(both))
        shown["differences"] = difference_picture(both)
        shown["loose_holes"] = [
            [round(h.x_mm * 1000), round(h.y_mm * 1000), round(h.drill_mm * 1000), h.first]
            for h in both.holes
        ]
    held = held_against(found, makers)
    count = Counter((round(size, 3), plated) for _, _, size, plated in board.holes())
    return Look(
        tuple(_told(board)),
        board.refused,
        tuple(board.left_out),
        tuple(found),
        tuple(held),
        tuple(abilities(held, makers)),
        tuple((size, plated, n) for (size, plated), n in sorted(count.items())),
        sum(len(d.read.slots) for d in board.drills),
        len(set(board.nets.values())),
        len(board.names),
        json.dumps(shown, separators=(",", ":")),
        apart,
    )


def _told(board: BoardFiles) -> list[FileTold]:
    found = [
        FileTold(x.name, x.role.told(), x.role.why, x.role.sure, tuple(x.read.old)) for x in board.layers
    ]
    for holes in board.drills:
        notes = () if holes.read.form is None else (f"read as {holes.read.form.told()}",)
        if not holes.read.sure:
            notes = (*notes, "which the file does not say: of all ways this lays most holes in pads")
        plated = "drill plated" if holes.plated else "drill unplated"
        found.append(FileTold(holes.name, plated, holes.why, holes.read.says, notes))
    return found


def _apart(both: Differences) -> list[DifferenceTold]:
    found = []
    for layer in both.layers:
        if layer.missing:
            where = "the other files" if layer.missing == "second" else "these files"
            says = f"{where} have no {layer.role}"
        elif not layer.same:
            only = layer.only_first.area, layer.only_second.area
            says = f"{only[0]:.3f} mm² only here, {only[1]:.3f} mm² only in the other files"
        else:
            continue
        found.append(DifferenceTold(layer.role, round(layer.area_mm2, 4), "mm²", layer.at, says))
    if both.holes:
        here = sum(h.first for h in both.holes)
        at = (both.holes[0].x_mm, both.holes[0].y_mm)
        says = f"{here} only here, {len(both.holes) - here} only in the other files"
        found.append(DifferenceTold("holes", len(both.holes), "holes", at, says))
    return found
