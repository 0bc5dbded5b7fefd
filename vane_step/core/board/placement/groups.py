"""Parts that are laid as one: cells of a matrix on their grid, and blocks that are alike, each as the first is laid."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence

from vane_step.core.board.placement.bodies import Body, Member, mouth_side, needs, yard_in
from vane_step.core.board.placement.ground import room_for
from vane_step.core.circuit.bypass import is_connector
from vane_step.core.circuit.matrices import Matrix, matrices
from vane_step.core.design.bareboard import Board
from vane_step.core.design.model import Design, Part, PartPlace, natural, pin_name
from vane_step.core.parts.part import NEW_BLOCK
from vane_step.core.quantity import nm

# Caps of keys stand this far apart, in mm, whatever is below; other cells as near as their parts let them.
PITCH_MM: dict[str, float] = {"KEYSW-19": 19.05}
# Between cells, and the steps a pitch goes by.
GAP_MM, STEP_MM = 0.5, 0.635
# How much larger than its courtyards the square is that a block is laid in, one try after the other.
LARGER = (1.2, 1.35, 1.5, 1.8, 2.2, 3.0)
LEAST_PARTS, MOST_PARTS = 3, 60
Lay = Callable[[Design, set[str]], Mapping[str, PartPlace] | None]


def groups(design: Design, movable: set[str], lay: Lay) -> list[Body]:
    """Give what is laid as one of the parts that may move.

    Parameters
    ----------
    lay : callable
        Lays parts on a board by themselves, or gives ``None`` where they find no room.

    Returns
    -------
    list of Body
        Matrices of keys or lights as grids of equal cells; blocks of the same parts and connections, all laid alike.
        None that is larger than the board has room for.
    """
    found: list[Body] = []
    free = set(movable)
    for matrix in matrices(design, [design.parts[r] for r in sorted(movable, key=natural)]):
        body = _grid(design, matrix, lay)
        if body is not None and _has_room(design, body):
            found.append(body)
            free -= set(body.refs)
    for alike in _alike(design, free):
        channels = _channels(design, alike, lay)
        found += channels if all(_has_room(design, c) for c in channels) else []
    return found


def _has_room(design: Design, body: Body) -> bool:
    x0, y0, x1, y1 = needs(design, body, body.states[0], False)[0]
    return room_for(design, x1 - x0, y1 - y0)


def _alone(design: Design, refs: Sequence[str], wide_mm: float, tall_mm: float) -> Design:
    """Give a bare board of a size with some parts that wait, and what connects them."""
    mine = set(refs)
    nets = {}
    for net in design.nets.values():
        pins = tuple(p for p in net.pins if p.partition(".")[0] in mine)
        if len(pins) > 1:
            nets[net.name] = net.model_copy(update={"pins": pins})
    corners = ((0, 0), (nm(wide_mm), 0), (nm(wide_mm), nm(tall_mm)), (0, nm(tall_mm)))
    board = Board(
        outline=corners,
        copper_layers=design.board.copper_layers,
        rules=design.board.rules.model_copy(update={"edge_clearance_nm": 0}),
    )
    parts = {r: design.parts[r].model_copy(update={"place": None, "block": ""}) for r in refs}
    nothing: dict[str, object] = {key: {} for key in ("tracks", "vias", "jumpers", "pours", "holes", "texts")}
    return design.replaced(parts=parts, nets=nets, board=board, **nothing)


def _laid(
    design: Design, refs: Sequence[str], lay: Lay, size: tuple[float, float] | None = None
) -> tuple[dict[str, PartPlace], float, float] | None:
    """Lay parts by themselves, close together: places from the middle, width and height in mm."""
    yards = [design.packages[design.parts[r].package].courtyard_nm for r in refs]
    area = sum((b[2] - b[0]) * (b[3] - b[1]) for b in yards) / 1e12
    least = max(min(b[2] - b[0], b[3] - b[1]) for b in yards) / 1e6
    sizes = (
        [size] if size else [(max(least, s), max(least, s)) for f in LARGER for s in (math.sqrt(area * f),)]
    )
    for wide, tall in sizes:
        found = lay(_alone(design, refs, wide + 0.01, tall + 0.01), set(refs))
        if found is None:
            continue
        boxes = [yard_in(found[r], design.packages[design.parts[r].package].courtyard_nm) for r in refs]
        x0, y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
        x1, y1 = max(b[2] for b in boxes), max(b[3] for b in boxes)
        cx, cy = nm((x0 + x1) / 2), nm((y0 + y1) / 2)
        places = {
            r: p.model_copy(update={"x_nm": p.x_nm - cx, "y_nm": p.y_nm - cy}) for r, p in found.items()
        }
        return places, x1 - x0, y1 - y0
    return None


def _grid(design: Design, matrix: Matrix, lay: Lay) -> Body | None:
    """Lay a matrix as equal cells, rows from above and columns from the left."""
    first = [p.ref for p, _ in matrix.cells[0].parts]
    kinds = [tuple(p.package for p, _ in c.parts) for c in matrix.cells]
    if len(set(kinds)) > 1:
        return None
    pitch = max((PITCH_MM.get(k, 0.0) for k in kinds[0]), default=0.0)
    laid = _laid(design, first, lay, (pitch, pitch) if pitch else None)
    if laid is None:
        return None
    places, wide, tall = laid
    dx, dy = ((pitch or math.ceil((s + GAP_MM) / STEP_MM) * STEP_MM) for s in (wide, tall))
    members = []
    for cell in matrix.cells:
        c, r = matrix.columns.index(cell.column), matrix.rows.index(cell.row)
        for (part, end), (model, was) in zip(cell.parts, matrix.cells[0].parts, strict=True):
            place = places[model.ref]
            members.append(
                Member(
                    part.ref,
                    place.model_copy(
                        update={
                            "x_nm": place.x_nm + nm((c - (len(matrix.columns) - 1) / 2) * dx),
                            "y_nm": place.y_nm + nm(((len(matrix.rows) - 1) / 2 - r) * dy),
                            # A part that is connected the other way round lies the other way round.
                            "turn_deg": (place.turn_deg + (0 if end == was else 180)) % 360,
                        }
                    ),
                )
            )
    # Whoever presses or reads them has the first row above.
    return Body(tuple(members), (0,))


def _alike(design: Design, free: set[str]) -> Iterator[list[list[str]]]:
    """Give blocks of the same parts and connections, their parts in an order in which they answer to each other."""
    blocks: dict[str, list[Part]] = {}
    for part in design.parts.values():
        if part.block and part.block != NEW_BLOCK:
            blocks.setdefault(part.block, []).append(part)
    kinds: dict[object, list[list[str]]] = {}
    for parts in blocks.values():
        fixed = any(p.ref not in free or is_connector(design, p) or mouth_side(design, p)[0] for p in parts)
        if fixed or not LEAST_PARTS <= len(parts) <= MOST_PARTS:
            continue
        ordered = sorted(parts, key=lambda p: (p.kind, p.package, p.value, natural(p.ref)))
        kinds.setdefault(_shape(design, ordered), []).append([p.ref for p in ordered])
    yield from (some for some in kinds.values() if len(some) > 1)


def _shape(design: Design, parts: Sequence[Part]) -> object:
    """Tell what parts are and which of their pins are connected to each other, whatever they are called."""
    number = {pin_name(p.ref, pin.number): (k, pin.number) for k, p in enumerate(parts) for pin in p.pins}
    joined = set()
    for net in design.nets.values():
        mine = sorted(number[p] for p in net.pins if p in number)
        if len(mine) > 1:
            joined.add((net.role, tuple(mine)))
    return tuple((p.kind, p.package, p.value) for p in parts), frozenset(joined)


def _channels(design: Design, alike: list[list[str]], lay: Lay) -> list[Body]:
    laid = _laid(design, alike[0], lay)
    if laid is None:
        return []
    places = laid[0]
    return [
        Body(
            tuple(Member(ref, places[model]) for ref, model in zip(refs, alike[0], strict=True)), (0, 1, 2, 3)
        )
        for refs in alike
    ]
