"""A board and its sheet held against what a method can do by hand; the rules of makers are in ``board/drc``."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final, Literal

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.copper_table import board_columns, near
from vane_step.core.board.geometry.shapes import LAYER_BIT, copper_items
from vane_step.core.design.model import Design, Side
from vane_step.core.etch.drillplan import drill_findings
from vane_step.core.etch.islands import island_findings
from vane_step.core.etch.joints import plating_findings
from vane_step.core.etch.methods import EtchMethod
from vane_step.core.etch.picture import picture, rings_mm
from vane_step.core.etch.plan import ArtPlan
from vane_step.core.etch.sheets import SURE_MARGIN_MM, polygons
from vane_step.core.finding import Finding, Place, tell

SIDES: Final[tuple[Side, ...]] = ("front", "back")
_TINY: Final = 1e-6


def etch_findings(design: Design, plan: ArtPlan, bits_mm: Sequence[float] = ()) -> list[Finding]:
    """Hold a board and its sheets against the method: widths, gaps, rings, holes, and what joins what on the sheet.

    What is finer than possible is a stop, what is finer than comfortable a look; both are guidance, not law.
    """
    found = [*plating_findings(design), *drill_findings(design, bits_mm), *_widths(design, plan.method)]
    found += [*_gaps(design, plan.method), *_rings(design, plan)]
    if plan.method.etched:
        found += [*_joined(design, plan), *_paper(design, plan)]
        found += island_findings(design, plan.ink.isolation_mm)
    return found


def _level(value: float, limits: tuple[float, float]) -> Literal["stop", "look"]:
    return "stop" if value < limits[1] - _TINY else "look"


def _limit(value: float, limits: tuple[float, float]) -> float:
    return limits[1] if value < limits[1] - _TINY else limits[0]


def _said(value: float, limits: tuple[float, float]) -> str:
    return "than is possible" if value < limits[1] - _TINY else "than is comfortable"


def _widths(design: Design, method: EtchMethod) -> Iterator[Finding]:
    thinnest: dict[str, tuple[float, str]] = {}
    for track in design.tracks.values():
        if track.layer in SIDES:
            thinnest[track.net] = min(thinnest.get(track.net, (9e9, "")), (track.width_nm / 1e6, track.id))
    for net, (width, name) in sorted(thinnest.items(), key=lambda t: t[1]):
        if width >= method.track_mm[0] - _TINY:
            continue
        track = design.tracks[name]
        (xa, ya), (xb, yb) = track.points[:2]
        place = Place(net=net, layer=track.layer, x_nm=(xa + xb) // 2, y_nm=(ya + yb) // 2)
        text = f"A track of {net} is finer {_said(width, method.track_mm)} by this method"
        yield tell(
            "etch-width",
            text,
            width,
            _limit(width, method.track_mm),
            place,
            level=_level(width, method.track_mm),
            source=method.source,
        )


def _gaps(design: Design, method: EtchMethod) -> Iterator[Finding]:
    """Tell the finest gap between two nets, and how many pairs of nets come nearer than is comfortable."""
    of = board_columns(design)
    shared = sum(1 << LAYER_BIT[s] for s in SIDES if s in design.board.layers)
    pairs = near(of, method.gap_mm[0])
    close: dict[tuple[str, str], tuple[float, int, int]] = {}
    for i, j, gap in zip(*(column.tolist() for column in pairs), strict=True):
        one, two = of.items[i], of.items[j]
        if (one.net == two.net and one.net is not None) or not int(of.layers[i] & of.layers[j]) & shared:
            continue
        if 0 < gap < method.gap_mm[0] - _TINY:
            key = tuple(sorted((one.net or one.id, two.net or two.id)))
            close[key] = min(close.get(key, (9e9, 0, 0)), (gap, i, j))
    if close:
        (first, second), (gap, i, j) = min(close.items(), key=lambda c: c[1])
        spot = shapely.shortest_line(of.items[i].spine, of.items[j].spine).interpolate(0.5, normalized=True)
        place = Place(net=of.items[i].net, x_nm=round(spot.x * 1e6), y_nm=round(spot.y * 1e6))
        more = f"; so are {len(close) - 1} more pairs of nets" if len(close) > 1 else ""
        text = (
            f"The gap between {first} and {second} is finer {_said(gap, method.gap_mm)} by this method{more}"
        )
        limit, level = _limit(gap, method.gap_mm), _level(gap, method.gap_mm)
        yield tell("etch-gap", text, gap, limit, place, level=level, source=method.source)
    for pour in design.pours.values():
        gap = pour.clearance_nm / 1e6
        if pour.layer in SIDES and gap < method.gap_mm[0] - _TINY:
            text = f"The gap round pour {pour.id} of {pour.net} is finer {_said(gap, method.gap_mm)} by this method"
            limit, level = _limit(gap, method.gap_mm), _level(gap, method.gap_mm)
            place = Place(net=pour.net, layer=pour.layer)
            yield tell("etch-gap", text, gap, limit, place, level=level, source=method.source)


def _rings(design: Design, plan: ArtPlan) -> Iterator[Finding]:
    """Tell the narrowest ring, as the sheet draws it; of a pad on both sides the wider one counts for neither."""
    limits = plan.method.ring_mm
    narrow: dict[str, float] = {}
    for side in (s for s in SIDES if s in design.board.layers):
        for name, ring in rings_mm(design, side, plan.ink).items():
            if ring < limits[0] - _TINY:
                narrow[name] = min(narrow.get(name, ring), ring)
    if not narrow:
        return
    name = min(narrow, key=lambda n: (narrow[n], n))
    item = next(i for i in copper_items(design) if i.id == name and i.drill_mm)
    pins = (name,) if item.kind == "pad" and "." in name else ()
    place = Place(
        pins=pins,
        refs=tuple(p.rpartition(".")[0] for p in pins),
        net=item.net,
        x_nm=round(item.x_mm * 1e6),
        y_nm=round(item.y_mm * 1e6),
    )
    more = f", as round {len(narrow) - 1} more" if len(narrow) > 1 else ""
    cure = "" if plan.ink.pads == "large" else "; let the sheet draw pads as large as there is room"
    text = f"Round the hole of {name}{more}, there is less copper {_said(narrow[name], limits)} to drill by hand{cure}"
    limit, level = _limit(narrow[name], limits), _level(narrow[name], limits)
    yield tell("etch-pad", text, narrow[name], limit, place, level=level, source=plan.method.source)


def _joined(design: Design, plan: ArtPlan) -> Iterator[Finding]:
    """Tell nets that the sheet draws as one piece of copper: what was added for hand and bath must join none."""
    for side in (s for s in SIDES if s in design.board.layers):
        pieces = list(polygons(picture(design, side, plan.ink).copper))
        items = [i for i in copper_items(design) if side in i.layers]
        rows = [
            (
                i.net or i.id,
                i.spine.interpolate(0.5, normalized=True) if i.kind == "track" else i.spine.centroid,
            )
            for i in items
        ]
        rows += [
            (p.net, piece.representative_point())
            for p in pour_pieces(design)
            if p.layer == side
            for piece in p.pieces
        ]
        if not pieces or not rows:
            continue
        tree = STRtree(np.array(pieces, dtype=object))
        nets: dict[int, dict[str, tuple[float, float]]] = {}
        for row, k in tree.query(
            np.array([at for _, at in rows], dtype=object), predicate="intersects"
        ).T.tolist():
            net, at = rows[row]
            nets.setdefault(k, {}).setdefault(net, (at.x, at.y))
        for held in nets.values():
            if len(held) > 1:
                names = sorted(held)
                x, y = held[names[0]]
                place = Place(
                    net=names[0] if names[0] in design.nets else None,
                    layer=side,
                    x_nm=round(x * 1e6),
                    y_nm=round(y * 1e6),
                )
                text = f"On the sheet of the {side}, {', '.join(names[:4])} are one piece of copper"
                yield tell("etch-joined", text, len(held), 1, place)


def _paper(design: Design, plan: ArtPlan) -> Iterator[Finding]:
    if plan.margin_mm < SURE_MARGIN_MM - _TINY:
        text = "Few printers print so near to the edge: they shrink the page instead, without a word"
        yield tell("sheet-margin", text, plan.margin_mm, SURE_MARGIN_MM)
    lost = [t.text for t in design.texts.values() if t.side == "back" and not t.copper]
    if lost:
        yield tell(
            "etch-legend",
            f"“{lost[0]}” is on the legend of the back, which no sheet has: make it in copper, or put it on the front",
            len(lost),
            0,
        )
