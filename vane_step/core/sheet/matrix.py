"""How a matrix of keys or lights is drawn as a grid; what is one is found in ``circuit.matrices``."""

from __future__ import annotations

from vane_step.core.circuit.matrices import Cell, Matrix
from vane_step.core.sheet.drafter import Drafter
from vane_step.core.sheet.drawing import PILL, Group, Mark, Wire, text_width
from vane_step.core.sheet.runs import LEAD, SYMBOL, symbol

# Between two parts of a cell, and between rows.
NEAR, APART = 8.0, 18.0
CAPTION, MARGIN = 16.0, 30.0


def grid(drafter: Drafter, matrix: Matrix) -> Group:
    """Draw a matrix: rows from left to right, columns from above, each cell from its row down to its column.

    A column's wire crosses the rows; where they do not meet there is no dot.
    """
    drafter.done |= set(matrix.refs)
    group = Group(matrix.cells[0].parts[0][0].ref)
    names = max(text_width(p.ref) for cell in matrix.cells for p, _ in cell.parts)
    widths = {
        n: text_width(drafter.label(drafter.design.nets[n])) + 22 for n in (*matrix.rows, *matrix.columns)
    }
    wide = max(max(widths.values()) + 8, CAPTION + names + 12 + 14)
    each = max(len(cell.parts) for cell in matrix.cells)
    high = LEAD + each * SYMBOL + (each - 1) * NEAR + LEAD
    at = {(c.row, c.column): c for c in matrix.cells}
    for r, row in enumerate(matrix.rows):
        y = r * (high + APART)
        _pill(drafter, group, row, -MARGIN - widths[row], y - PILL / 2)
        last = max(k for k, column in enumerate(matrix.columns) if (row, column) in at)
        group.wires.append(Wire(row, -MARGIN, y, last * wide, y))
        for c, column in enumerate(matrix.columns):
            if cell := at.get((row, column)):
                _cell(group, cell, c * wide, y, (c + 1) * wide - 14, high)
                if c < last:
                    group.marks.append(Mark("dot", c * wide - 3, y - 3, 6, 6, net=row))
    for c, column in enumerate(matrix.columns):
        x = (c + 1) * wide - 14
        down = [r * (high + APART) + high for r, row in enumerate(matrix.rows) if (row, column) in at]
        _pill(drafter, group, column, x - widths[column] / 2, -MARGIN - PILL)
        group.wires.append(Wire(column, x, -MARGIN, x, down[-1]))
        group.marks += [Mark("dot", x - 3, y - 3, 6, 6, net=column) for y in down[:-1]]
    return group


def _pill(drafter: Drafter, group: Group, name: str, x: float, y: float) -> None:
    """Write a line's name, ending at ``x`` for a row, standing on ``y`` for a column."""
    net, text = drafter.design.nets[name], drafter.label(drafter.design.nets[name])
    group.marks.append(Mark("pill", x, y, text_width(text) + 22, PILL, net=name, label=text, role=net.role))


def _cell(group: Group, cell: Cell, x: float, y: float, x1: float, tall: float) -> None:
    """Draw one cell from its row at ``(x, y)`` down and over to its column."""
    at = y + LEAD
    group.wires.append(Wire(cell.row, x, y, x, at))
    for k, (part, end) in enumerate(cell.parts):
        if k:
            group.wires.append(Wire(cell.inner, x, at, x, at + NEAR))
            at += NEAR
        group.marks.append(symbol(part, x - 12, at, 24, SYMBOL, 0 if end == 0 else 180))
        group.marks.append(
            Mark(
                "text",
                x + CAPTION,
                at + 13,
                text_width(part.ref),
                14,
                label=part.ref,
                ref=part.ref,
                shape="line",
            )
        )
        at += SYMBOL
    group.wires += [
        Wire(cell.column, x, at, x, y + tall),
        Wire(cell.column, x, y + tall, x1, y + tall),
    ]
