"""Keys or lights between rows and columns, found by what they connect to; how they are drawn or laid is not here."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from vane_step.core.circuit.symbols import is_rail, is_symbol
from vane_step.core.design.model import Design, Net, Part, natural, pin_name

KINDS = ("switch", "led", "diode", "jumper")
LEAST_CELLS, LEAST_LINES, FILLED = 4, 2, 0.5


@dataclass(frozen=True)
class Cell:
    """One place of a matrix: its parts from the row to the column, each with the index of its end towards the row.

    ``inner`` is the net between them, if there are two.
    """

    row: str
    column: str
    parts: tuple[tuple[Part, int], ...]
    inner: str = ""


@dataclass(frozen=True)
class Matrix:
    """A matrix with its lines in the order of their names."""

    rows: tuple[str, ...]
    columns: tuple[str, ...]
    cells: tuple[Cell, ...]

    @property
    def refs(self) -> tuple[str, ...]:
        """The references of all its parts."""
        return tuple(part.ref for cell in self.cells for part, _ in cell.parts)


def matrices(design: Design, parts: Sequence[Part]) -> list[Matrix]:
    """Find the matrices among parts: alike cells of one or two parts, each between a line of one kind and of another.

    A line belongs to rows or to columns, never to both; at least half of the crossings are filled.
    """
    alike: dict[tuple[str, ...], list[Cell]] = {}
    for cell in _cells(design, parts):
        alike.setdefault(tuple(p.kind for p, _ in cell.parts), []).append(cell)
    found = []
    for cells in alike.values():
        for group in _connected(cells):
            matrix = _matrix(group)
            if matrix is not None:
                found.append(matrix)
    return found


def _cells(design: Design, parts: Sequence[Part]) -> Iterable[Cell]:
    """Give what can be a cell: a switch with the diode in its line, or a single switch or light, between two nets."""
    symbols = {p.ref: p for p in parts if is_symbol(p) and p.kind in KINDS and p.nudge is None}
    taken: set[str] = set()

    def ends(part: Part) -> tuple[Net | None, Net | None]:
        a, b = (design.net_of(pin_name(part.ref, p.number)) for p in part.pins)
        return (design.nets[a] if a else None), (design.nets[b] if b else None)

    for part in sorted(symbols.values(), key=lambda p: (KINDS.index(p.kind), natural(p.ref))):
        a, b = ends(part)
        if part.ref in taken or a is None or b is None or a is b or is_rail(a) or is_rail(b):
            continue
        for middle, outer, near in ((b, a, 0), (a, b, 1)):
            beside = [p.partition(".")[0] for p in middle.pins]
            other = next((symbols[r] for r in beside if r != part.ref and r in symbols), None)
            if len(middle.pins) != 2 or other is None or other.ref in taken or part.kind == other.kind:
                continue
            c, d = ends(other)
            far, end = (d, 0) if c is middle else (c, 1)
            if far is None or is_rail(far) or far is outer:
                continue
            taken |= {part.ref, other.ref}
            yield Cell(outer.name, far.name, ((part, near), (other, end)), middle.name)
            break
        else:
            taken.add(part.ref)
            yield Cell(a.name, b.name, ((part, 0),))


def _connected(cells: list[Cell]) -> Iterable[list[Cell]]:
    """Divide cells into groups that share lines."""
    waiting = list(cells)
    while waiting:
        group, lines = [waiting.pop(0)], set()
        lines |= {group[0].row, group[0].column}
        grown = True
        while grown:
            near = [c for c in waiting if c.row in lines or c.column in lines]
            grown = bool(near)
            group += near
            lines |= {x for c in near for x in (c.row, c.column)}
            waiting = [c for c in waiting if c not in near]
        yield group


def _matrix(cells: list[Cell]) -> Matrix | None:
    """Order a group of cells as a matrix, or give ``None`` when it is none."""
    side: dict[str, int] = {cells[0].row: 0}
    for _ in cells:
        for cell in cells:
            for one, two in ((cell.row, cell.column), (cell.column, cell.row)):
                if one in side and side.setdefault(two, 1 - side[one]) == side[one]:
                    return None
    turned = [c if side[c.row] == 0 else _turned(c) for c in cells]
    rows, columns = ({c.row for c in turned}, {c.column for c in turned})
    if _row_like(columns) > _row_like(rows):
        turned, rows, columns = [_turned(c) for c in turned], columns, rows
    crossings = {(c.row, c.column) for c in turned}
    if len(turned) < LEAST_CELLS or min(len(rows), len(columns)) < LEAST_LINES:
        return None
    if len(crossings) < len(turned) or len(turned) < FILLED * len(rows) * len(columns):
        return None
    return Matrix(tuple(sorted(rows, key=natural)), tuple(sorted(columns, key=natural)), tuple(turned))


def _row_like(names: set[str]) -> int:
    """Tell how much the names of lines read as rows; columns count against it."""
    return sum(n.upper().startswith("R") - n.upper().startswith("C") for n in names)


def _turned(cell: Cell) -> Cell:
    return Cell(cell.column, cell.row, tuple((p, 1 - e) for p, e in reversed(cell.parts)), cell.inner)
