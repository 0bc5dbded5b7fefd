"""Several copies of a board as one: placed by step and repeat, held together by tabs or score lines, framed by rails.

A panel is a design like any other: it is checked, written and read back as one.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

import shapely
from shapely.geometry import Polygon, box

from vane_step.core.board.geometry.shapes import bodies, copper_items, edge_pads, outline
from vane_step.core.design.model import (
    Board,
    Cutout,
    Design,
    MountingHole,
    PartPlace,
    PointNm,
    pin_name,
    split_pin,
)
from vane_step.core.errors import EditRefused, InputError
from vane_step.core.fab.tabs import milled
from vane_step.core.quantity import nm

Joint = Literal["tabs", "score"]
LEAST_GAP_MM = 1.6
# How far a tab stands from half holes and from what reaches over the edge.
TAB_CLEAR_MM = 1.0
MAX_COPIES: Final = 100


@dataclass(frozen=True)
class PanelPlan:
    """How copies lie on a panel: columns and rows, whether each is turned by 90 degrees, all in millimetres."""

    columns: int
    rows: int
    turned: bool = False
    gap_mm: float = 2.0
    rail_mm: float = 5.0
    joint: Joint = "tabs"


def copies_that_fit(
    board_mm: tuple[float, float], panel_mm: tuple[float, float], gap_mm: float, margin_mm: float
) -> tuple[int, int, bool]:
    """Give columns, rows and whether to turn the boards, so that most fit a panel.

    >>> copies_that_fit((40, 30), (160, 100), 2, 5)
    (4, 2, True)
    """
    best = (0, 0, False)
    for turned in (False, True):
        wide, tall = board_mm[::-1] if turned else board_mm
        columns = int((panel_mm[0] - 2 * margin_mm + gap_mm + 1e-9) // (wide + gap_mm))
        rows = int((panel_mm[1] - 2 * margin_mm + gap_mm + 1e-9) // (tall + gap_mm))
        if columns > 0 and rows > 0 and columns * rows > best[0] * best[1]:
            best = (columns, rows, turned)
    return best


def _half_holes(design: Design) -> list[Polygon]:
    """Give the pads that are plated holes on the board's edge."""
    names = edge_pads(design)
    return [item.shape() for item in copper_items(design) if item.kind == "pad" and item.id in names]


def _over_the_edge(design: Design) -> list[Polygon]:
    """Give where no tab may stand: half holes, and bodies that reach over the edge, with room to break it off."""
    board = Polygon(outline(design).exterior)
    shapes: list[Polygon] = [pad.buffer(TAB_CLEAR_MM) for pad in _half_holes(design)]
    for body in bodies(design).values():
        out = body.difference(board)
        shapes += [p.buffer(TAB_CLEAR_MM) for p in shapely.get_parts(out) if p.area > 1e-3]
    return shapes


def _judge_half_holes(design: Design, plan: PanelPlan) -> None:
    """Refuse score lines through half holes, and gaps over which those of neighbours would touch."""
    pads = _half_holes(design)
    if not pads:
        return
    if plan.joint == "score":
        raise EditRefused(
            "Score lines would tear the half holes on the board's edge.",
            where=design.name,
            next_step="Use tabs instead: they stand where no half hole is.",
        )
    x0, y0, x1, y1 = outline(design).bounds
    left, low, right, high = shapely.union_all(pads).bounds
    across, upwards = max(0.0, x0 - left) + max(0.0, right - x1), max(0.0, y0 - low) + max(0.0, high - y1)
    if plan.turned:
        across, upwards = upwards, across
    reach = max(across if plan.columns > 1 else 0.0, upwards if plan.rows > 1 else 0.0)
    least = reach + design.board.rules.min_clearance_nm / 1e6
    if reach and plan.gap_mm < least - 1e-9:
        raise InputError(
            "The half holes of neighbouring boards would come too near to each other.",
            where="gap",
            value=f"{plan.gap_mm:g} mm",
            allowed=f"{math.ceil(least * 10) / 10:g} mm or more",
        )


@dataclass(frozen=True)
class Copy:
    """Carries a board from its own place to one on the panel, turned anticlockwise where wanted."""

    number: int
    x: float
    y: float
    turned: bool
    bounds: tuple[float, float, float, float]

    @property
    def turn_deg(self) -> int:
        """How far the copy is turned, anticlockwise."""
        return 90 if self.turned else 0

    def named(self, name: str) -> str:
        """Give a name of the board that of the copy."""
        return f"{name}-{self.number}"

    def point(self, p: PointNm) -> PointNm:
        """Carry a point, in nanometres."""
        x, y = p[0] - nm(self.bounds[0]), p[1] - nm(self.bounds[1])
        if self.turned:
            x, y = nm(self.bounds[3] - self.bounds[1]) - y, x
        return x + nm(self.x), y + nm(self.y)

    def spot(self, x: int, y: int) -> dict[str, int]:
        """Carry a point, as the fields of a place."""
        at = self.point((x, y))
        return {"x_nm": at[0], "y_nm": at[1]}

    def shape(self, shape: Polygon) -> Polygon:
        """Carry a shape, in millimetres."""
        rings = [
            [(a / 1e6, b / 1e6) for a, b in (self.point((nm(x), nm(y))) for x, y in ring.coords)]
            for ring in (shape.exterior, *shape.interiors)
        ]
        return Polygon(rings[0], rings[1:])


@dataclass(frozen=True)
class Layout:
    """Where the copies of a board lie, and what the panel has beside them."""

    copies: tuple[Copy, ...]
    board: Board
    bores: tuple[MountingHole, ...]

    def frame(self, name: str) -> Design:
        """Give what the panel has beside the copies as a design of its own."""
        return Design(name=name, board=self.board, holes={h.id: h for h in self.bores})


def layout(design: Design, plan: PanelPlan) -> Layout:
    """Lay the copies of a board out, and mill or score between them.

    With tabs, boards of any shape are milled free but for tabs with rows of bores; with score lines, which run
    straight through, boards must be rectangles and lie edge to edge.

    Raises
    ------
    InputError, EditRefused
        When numbers are out of range, the joint does not suit the board, or the board is a panel already.
    """
    _judge(design, plan)
    x0, y0, x1, y1 = outline(design).bounds
    size = (y1 - y0, x1 - x0) if plan.turned else (x1 - x0, y1 - y0)
    gap = plan.gap_mm if plan.joint == "tabs" else 0.0
    steps = [
        (plan.rail_mm + c * (size[0] + gap), plan.rail_mm + r * (size[1] + gap))
        for r in range(plan.rows)
        for c in range(plan.columns)
    ]
    wide = 2 * plan.rail_mm + plan.columns * (size[0] + gap) - gap
    tall = 2 * plan.rail_mm + plan.rows * (size[1] + gap) - gap
    copies = tuple(Copy(k, x, y, plan.turned, (x0, y0, x1, y1)) for k, (x, y) in enumerate(steps, 1))
    boards = [copy.shape(outline(design)) for copy in copies]
    frame = box(0, 0, wide, tall)
    scores: tuple[tuple[PointNm, PointNm], ...] = ()
    cutouts: list[Cutout] = []
    bores: list[MountingHole] = []
    if plan.joint == "tabs":
        over = _over_the_edge(design)
        keep = shapely.union_all([copy.shape(shape) for copy in copies for shape in over])
        free, bores = milled(frame, boards, keep, plan.gap_mm, plan.rail_mm, design.board.rules)
        for shape in free:
            cutouts.append(_cutout(f"P{len(cutouts) + 1}", shape.exterior))
    else:
        scores = _score_lines(steps, size, plan, (wide, tall))
    for shape in boards:
        cutouts += [_cutout(f"P{len(cutouts) + j}", ring) for j, ring in enumerate(shape.interiors, 1)]
    board = design.board.model_copy(
        update={
            "outline": tuple((nm(x), nm(y)) for x, y in frame.exterior.coords[:-1]),
            "corner_radius_nm": 0,
            "cutouts": tuple(cutouts),
            "zones": (),
            "scores": scores,
        }
    )
    return Layout(copies, board, tuple(bores))


def panel(design: Design, plan: PanelPlan) -> Design:
    """Make the panel of a board as a design of its own.

    Parts, nets and copper of copy *k* carry ``-k`` behind their names; their nets stay apart.

    Raises
    ------
    InputError, EditRefused
        As :func:`layout` does.
    """
    laid = layout(design, plan)
    sections = ("parts", "nets", "tracks", "vias", "jumpers", "pours", "texts", "holes")
    whole: dict[str, dict[str, object]] = {s: {} for s in sections}
    for copy in laid.copies:
        for section, items in _copy(design, copy).items():
            whole[section].update(items)
    whole["holes"].update({h.id: h for h in laid.bores})
    variants = {
        v.id: v.model_copy(
            update={"fitted": {c.named(r): yes for c in laid.copies for r, yes in v.fitted.items()}}
        )
        for v in design.variants.values()
    }
    extras = {
        e.id: e.model_copy(update={"count": e.count * len(laid.copies)}) for e in design.extras.values()
    }
    return Design.model_validate(
        {
            **whole,
            "name": panel_name(design, plan),
            "title": design.title,
            "packages": design.packages,
            "board": laid.board,
            "variants": variants,
            "extras": extras,
        }
    )


def panel_name(design: Design, plan: PanelPlan) -> str:
    """Name the panel of a board."""
    return f"{design.name} {plan.columns * plan.rows} up"


def _judge(design: Design, plan: PanelPlan) -> None:
    if not 1 <= plan.columns * plan.rows <= MAX_COPIES:
        raise InputError(
            "So many copies make no panel.",
            where="panel",
            value=f"{plan.columns} x {plan.rows}",
            allowed=f"1 to {MAX_COPIES} copies",
        )
    if not 0 <= plan.rail_mm <= 50:
        raise InputError("That is no rail.", where="rail", value=plan.rail_mm, allowed="0 to 50 mm")
    if design.board.scores:
        raise EditRefused(
            "This board is a panel already.",
            where=design.name,
            next_step="Use the board it was made of.",
        )
    if plan.joint == "tabs":
        if not LEAST_GAP_MM <= plan.gap_mm <= 20 or plan.rail_mm < LEAST_GAP_MM:
            raise InputError(
                "The cutter does not fit between the boards, or there is no rail to hold them.",
                where="gap",
                value=f"{plan.gap_mm:g} mm, rail {plan.rail_mm:g} mm",
                allowed=f"{LEAST_GAP_MM:g} to 20 mm, and a rail",
            )
        _judge_half_holes(design, plan)
    elif outline(design).symmetric_difference(box(*outline(design).bounds)).area > 1e-6 + sum(
        Polygon(r).area for r in outline(design).interiors
    ):
        raise EditRefused(
            "Score lines run straight through: only a rectangle can be scored.",
            where=design.name,
            next_step="Use tabs instead.",
        )
    else:
        _judge_half_holes(design, plan)


def _routed(design: Design, move: Copy) -> dict[str, dict[str, object]]:
    """Give tracks, vias and wire jumpers of one copy."""
    named = move.named
    tracks = {
        named(t.id): t.model_copy(
            update={"id": named(t.id), "net": named(t.net), "points": tuple(move.point(p) for p in t.points)}
        )
        for t in design.tracks.values()
    }
    vias = {
        named(v.id): v.model_copy(
            update={"id": named(v.id), "net": named(v.net), **move.spot(v.x_nm, v.y_nm)}
        )
        for v in design.vias.values()
    }
    jumpers = {
        named(j.id): j.model_copy(
            update={"id": named(j.id), "net": named(j.net), "a": move.point(j.a), "b": move.point(j.b)}
        )
        for j in design.jumpers.values()
    }
    return {"tracks": dict(tracks), "vias": dict(vias), "jumpers": dict(jumpers)}


def _copy(design: Design, move: Copy) -> dict[str, dict[str, object]]:
    """Give all things of one copy by section and name."""

    named, turn = move.named, move.turn_deg
    parts: dict[str, object] = {}
    for part in design.parts.values():
        place = part.place
        if place is not None:
            spot = {"turn_deg": (place.turn_deg + turn) % 360, **move.spot(place.x_nm, place.y_nm)}
            place = PartPlace.model_validate({**place.model_dump(), **spot})
        parts[named(part.ref)] = part.model_copy(
            update={"ref": named(part.ref), "place": place, "choice": ""}
        )
    nets: dict[str, object] = {}
    for net in design.nets.values():
        pins = tuple(pin_name(named(split_pin(p)[0]), split_pin(p)[1]) for p in net.pins)
        nets[named(net.name)] = net.model_copy(update={"name": named(net.name), "pins": pins})
    edge = design.board.rules.edge_clearance_nm / 1e6
    shrunk = outline(design).buffer(-edge, join_style="mitre")
    limit = tuple(
        (nm(x), nm(y)) for x, y in max(shapely.get_parts(shrunk), key=lambda p: p.area).exterior.coords[:-1]
    )
    pours = {}
    for pour in design.pours.values():
        area = tuple(move.point(p) for p in (pour.area or limit))
        cuts = tuple(tuple(move.point(p) for p in cut) for cut in pour.cuts)
        update = {"id": named(pour.id), "net": named(pour.net), "area": area, "cuts": cuts}
        pours[named(pour.id)] = pour.model_copy(update=update)
    texts = {
        named(t.id): t.model_copy(
            update={"id": named(t.id), "turn_deg": (t.turn_deg + turn) % 360, **move.spot(t.x_nm, t.y_nm)}
        )
        for t in design.texts.values()
    }
    drilled = {
        named(h.id): h.model_copy(update={"id": named(h.id), **move.spot(h.x_nm, h.y_nm)})
        for h in design.holes.values()
    }
    return {
        "parts": parts,
        "nets": nets,
        **_routed(design, move),
        "pours": dict(pours),
        "texts": dict(texts),
        "holes": dict(drilled),
    }


def _score_lines(
    steps: list[tuple[float, float]],
    size: tuple[float, float],
    plan: PanelPlan,
    panel_mm: tuple[float, float],
) -> tuple[tuple[PointNm, PointNm], ...]:
    xs = sorted({round(v, 6) for x, _ in steps for v in (x, x + size[0])})
    ys = sorted({round(v, 6) for _, y in steps for v in (y, y + size[1])})
    wide, tall = panel_mm
    upright = [((nm(x), 0), (nm(x), nm(tall))) for x in xs if 1e-6 < x < wide - 1e-6]
    level = [((0, nm(y)), (nm(wide), nm(y))) for y in ys if 1e-6 < y < tall - 1e-6]
    return (*upright, *level)


def _cutout(name: str, ring: shapely.LinearRing) -> Cutout:
    return Cutout(id=name, points=tuple((nm(x), nm(y)) for x, y in list(ring.coords)[:-1]))
