"""Several parts at once: lined up, spaced evenly, shifted; and a routed block laid again beside itself."""

from __future__ import annotations

from collections.abc import Sequence

import shapely
from shapely.geometry import LineString, Point

from vane_step.core.board.geometry.shapes import courtyards
from vane_step.core.circuit.capture import repeat_block
from vane_step.core.design.boardedits import Names
from vane_step.core.design.edits import AddPart, Join, LayCopper, PlaceParts, Together, apply, part_of
from vane_step.core.design.model import Design, Jumper, PartPlace, PointNm, Track, Via, pin_name
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.quantity import nm

# Which side of a courtyard lines up, or which axis of the parts' origins.
LINES = ("left", "right", "top", "bottom", "upright", "level")
WAYS = ("across", "up")
# Copper belongs to a block when it lies this near to its parts, in mm.
BLOCK_REACH_MM = 1.0


def placed_parts(design: Design, refs: list[str]) -> dict[str, PartPlace]:
    """Give the places of some parts.

    Raises
    ------
    EditRefused
        When one has no place yet.
    """
    found = {}
    for ref in refs:
        place = part_of(design, ref).place
        if place is None:
            raise EditRefused(
                f"{ref} is not on the board yet.", where=ref, next_step=f"Type: place {ref} 10 10"
            )
        found[ref] = place
    return found


def aligned(design: Design, refs: list[str], line: str) -> PlaceParts:
    """Line parts up with the first: a side of their courtyards, or their origins one above or beside the other."""
    if line not in LINES:
        raise InputError(f"{line!r} is no line.", where="align", value=line, allowed=", ".join(LINES))
    places = placed_parts(design, refs)
    yards = courtyards(design)
    first = places[refs[0]]
    moved: dict[str, PartPlace | None] = {}
    for ref, place in places.items():
        x, y = place.x_nm, place.y_nm
        if line in ("left", "right"):
            k = 0 if line == "left" else 2
            x += nm(yards[refs[0]].bounds[k] - yards[ref].bounds[k])
        elif line in ("bottom", "top"):
            k = 1 if line == "bottom" else 3
            y += nm(yards[refs[0]].bounds[k] - yards[ref].bounds[k])
        elif line == "upright":
            x = first.x_nm
        else:
            y = first.y_nm
        moved[ref] = place.model_copy(update={"x_nm": x, "y_nm": y})
    return PlaceParts(places=moved)


def spaced(design: Design, refs: list[str], way: str, gap_mm: float | None = None) -> PlaceParts:
    """Space parts evenly by their courtyards: between the outermost two, or at a gap from the first on.

    Raises
    ------
    EditRefused
        When there is no room between the outermost two.
    """
    if way not in WAYS:
        raise InputError(f"{way!r} is no way.", where="space", value=way, allowed=", ".join(WAYS))
    k = WAYS.index(way)
    places = placed_parts(design, refs)
    yards = courtyards(design)
    order = sorted(refs, key=lambda r: (yards[r].bounds[k], r))
    sizes = [yards[r].bounds[k + 2] - yards[r].bounds[k] for r in order]
    start = yards[order[0]].bounds[k]
    if gap_mm is None:
        room = yards[order[-1]].bounds[k + 2] - start - sum(sizes)
        gap_mm = room / max(1, len(order) - 1)
        if gap_mm < -1e-9:
            raise EditRefused(
                "The parts do not fit between the outermost two.",
                where=order[0],
                value=f"{room:.2f} mm left",
                next_step="Give a gap, or move one of the two away.",
            )
    moved: dict[str, PartPlace | None] = {}
    at = start
    for ref, size in zip(order, sizes, strict=True):
        by = nm(at - yards[ref].bounds[k])
        field = "x_nm" if k == 0 else "y_nm"
        moved[ref] = places[ref].model_copy(update={field: getattr(places[ref], field) + by})
        at += size + gap_mm
    return PlaceParts(places=moved)


def shifted(design: Design, refs: list[str], dx_nm: int, dy_nm: int) -> PlaceParts:
    """Shift parts together."""
    moved = {
        ref: place.model_copy(update={"x_nm": place.x_nm + dx_nm, "y_nm": place.y_nm + dy_nm})
        for ref, place in placed_parts(design, refs).items()
    }
    return PlaceParts(places=dict(moved))


def repeated(
    design: Design,
    block: str,
    times: int,
    dx_nm: int,
    dy_nm: int,
    sharing: Sequence[str] = (),
    columns: int = 0,
) -> Together:
    """Repeat a block with its places and its copper, each copy further by the same step.

    With ``columns`` the copies fill a field of rows, so many to each, from the block to the right and then down: the
    step is that from column to column and from row to row.

    Copper goes along that belongs to the block's nets and lies within a millimetre of the hull of its parts; nets
    count on as :func:`repeat_block` says, and so do the copper's. What then comes too near is told by the check.
    """
    circuit = repeat_block(design, block, times, sharing)
    mine = [p for p in design.parts.values() if p.block == block]
    places = placed_parts(design, [p.ref for p in mine])
    yards = courtyards(design)
    hull = shapely.union_all([yards[p.ref] for p in mine]).convex_hull.buffer(BLOCK_REACH_MM)
    added = [e for e in circuit.edits if isinstance(e, AddPart)]
    joins = [e for e in circuit.edits if isinstance(e, Join)]
    moved: dict[str, PartPlace | None] = {}
    tracks: list[Track] = []
    vias: list[Via] = []
    jumpers: list[Jumper] = []
    fresh = Names(design)
    for copy in range(times):
        row, column = divmod(copy + 1, columns) if columns else (0, copy + 1)
        step = column * dx_nm, (-row if columns else column) * dy_nm
        twins = {
            p.ref: e.part.ref
            for p, e in zip(mine, added[copy * len(mine) : (copy + 1) * len(mine)], strict=True)
        }
        for old, new in twins.items():
            place = places[old]
            free = {"x_nm": place.x_nm + step[0], "y_nm": place.y_nm + step[1], "locked": False}
            moved[new] = place.model_copy(update=free)
        nets = _twin_nets(design, twins, joins)
        for track in design.tracks.values():
            if track.net in nets and hull.covers(LineString([(x / 1e6, y / 1e6) for x, y in track.points])):
                points = tuple(_by(p, step) for p in track.points)
                update = {"id": fresh.next("T"), "net": nets[track.net], "points": points, "locked": False}
                tracks.append(track.model_copy(update=update))
        for via in design.vias.values():
            if via.net in nets and hull.covers(Point(via.x_nm / 1e6, via.y_nm / 1e6)):
                x, y = _by((via.x_nm, via.y_nm), step)
                vias.append(
                    via.model_copy(update={"id": fresh.next("V"), "net": nets[via.net], "x_nm": x, "y_nm": y})
                )
        for wire in design.jumpers.values():
            if wire.net in nets and hull.covers(
                LineString([(p[0] / 1e6, p[1] / 1e6) for p in (wire.a, wire.b)])
            ):
                ends = {"a": _by(wire.a, step), "b": _by(wire.b, step)}
                jumpers.append(wire.model_copy(update={"id": fresh.next("W"), "net": nets[wire.net], **ends}))
    copper = LayCopper(tracks=tuple(tracks), vias=tuple(vias), jumpers=tuple(jumpers))
    result = Together(edits=(*circuit.edits, PlaceParts(places=moved), copper))
    apply(design, result)
    return result


def _twin_nets(design: Design, twins: dict[str, str], joins: list[Join]) -> dict[str, str]:
    """Say which net of the copy each net of the block became."""
    of_pin = {pin: join.net for join in joins for pin in join.pins}
    found = {}
    for old, new in twins.items():
        for pin in design.parts[old].pins:
            net, twin = design.net_of(pin_name(old, pin.number)), of_pin.get(pin_name(new, pin.number))
            if net and twin:
                found[net] = twin
    return found


def _by(point: PointNm, step: tuple[int, int]) -> PointNm:
    return point[0] + step[0], point[1] + step[1]
