"""Copper a maker would accept and a careful designer would not: loose ends, acute corners, vias in pads and the like.

What breaks a maker's limit on gaps, edges and holes is in ``check``; what current does to a width is in ``widths``.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Literal

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.geometry import CopperItem, copper_items, holes
from vane_step.core.board.pour import PouredCopper, pour_pieces
from vane_step.core.derive import Kept
from vane_step.core.design.model import Design, Package, PadSpec
from vane_step.core.finding import Finding, Place, Remedy
from vane_step.core.quantity import nm

TOLERANCE_MM = 1e-6
# Sharper corners hold etchant, which eats into the copper; what a ring of pour must leave for current and heat.
LEAST_CORNER_DEG = 89.0
LEAST_SPOKES = 2
# Through-plating gets uneven in holes deeper than this many times their width.
MOST_ASPECT = 8.0
LEAST_BRIDGE_MM = 0.08
# The usual stencil, and the ratio of an opening's area to its walls' from which paste comes away.
STENCIL_MM, LEAST_AREA_RATIO = 0.12, 0.66
ETCHING, SOLDERING, PLATING = "rule of thumb: etching", "rule of thumb: soldering", "rule of thumb: plating"
CURRENT = "rule of thumb: current and heat"


def craft_findings(design: Design) -> Iterator[Finding]:
    """Find what should be looked at though it breaks no limit of the maker; what hangs on pours is elsewhere."""
    yield from _corners(design)
    yield from _vias_in_pads(design)
    yield from _deep_holes(design)
    yield from _mask_bridges(design)
    yield from _paste_openings(design)


def _look(
    code: str, message: str, place: Place, reading: float, limit: float, unit: str, source: str,
    sense: Literal["at least", "at most"] = "at least", remedy: Remedy | None = None,
) -> Finding:  # fmt: skip
    return Finding(
        level="look", code=code, message=message, reading=round(reading, 4), limit=limit, unit=unit, source=source,
        place=place, remedy=remedy, sense=sense,
    )  # fmt: skip


def _corners(design: Design) -> Iterator[Finding]:
    tracks = [t for t in design.tracks.values() if len(t.points) > 2]
    if not tracks:
        return
    at = np.concatenate([np.array(t.points, dtype=np.float64) for t in tracks])
    sizes = np.array([len(t.points) for t in tracks])
    of_track = np.repeat(np.arange(len(tracks)), sizes)
    step = np.diff(at, axis=0)
    heading = np.degrees(np.arctan2(step[:, 1], step[:, 0]))
    inner = 180 - np.abs((np.diff(heading) + 180) % 360 - 180)
    within = of_track[:-2] == of_track[2:]
    for k in np.flatnonzero(within & (inner < LEAST_CORNER_DEG)):
        track, (x, y) = tracks[of_track[k]], at[k + 1]
        yield _look(
            "acute-corner", f"Track of {track.net} turns back sharply on the {track.layer}",
            Place(net=track.net, layer=track.layer, x_nm=int(x), y_nm=int(y)), float(inner[k]), 90.0, "°", ETCHING,
            remedy=Remedy(label=f"Lay {track.net} anew", ask=f"route {track.net} fresh"),
        )  # fmt: skip


def loose_findings(design: Design) -> Iterator[Finding]:
    """Find ends of tracks that reach nothing, and vias that join copper of fewer than two layers."""
    items = copper_items(design)
    tracks, vias = list(design.tracks.values()), list(design.vias.values())
    ends = [(t, p, t.width_nm / 2e6) for t in tracks for p in (t.points[0], t.points[-1])]
    spots = [*((t.id, t.net, *p, half) for t, p, half in ends)]
    spots += [(v.id, v.net, v.x_nm, v.y_nm, v.pad_nm / 2e6) for v in vias]
    if not spots:
        return
    met = _met(items, spots)
    pours = pour_pieces(design)
    for k, (track, (x, y), _) in enumerate(ends):
        reached = any(track.layer in items[i].layers for i in met.get(k, ()))
        if not reached and not _in_pour(pours, track.net, track.layer, x / 1e6, y / 1e6):
            place = Place(net=track.net, layer=track.layer, x_nm=x, y_nm=y)
            text = f"A track of {track.net} ends in nothing on the {track.layer}"
            yield _look("loose-end", text, place, 0, 1, "joined", "copper that ends in nothing is an aerial")
    for k, via in enumerate(vias, len(ends)):
        joined = {layer for i in met.get(k, ()) for layer in items[i].layers}
        if len(joined) < 2:
            joined |= {
                p.layer
                for p in pours
                if _in_pour((p,), via.net, p.layer, via.x_nm / 1e6, via.y_nm / 1e6, via.pad_nm / 2e6)
            }
        if len(joined) < 2:
            place = Place(net=via.net, x_nm=via.x_nm, y_nm=via.y_nm)
            text = f"Via {via.id} of {via.net} joins copper on {len(joined)} layer{'' if len(joined) == 1 else 's'}"
            yield _look("loose-via", text, place, len(joined), 2, "layers", "a hole that costs and does nothing")


def _met(items: tuple[CopperItem, ...], spots: list[tuple[str, str, int, int, float]]) -> dict[int, list[int]]:
    """Give for each spot (own id, net, x, y in nm, radius in mm) the copper of its net that it touches."""
    spines = np.array([i.spine for i in items], dtype=object)
    radius = np.array([i.radius_mm for i in items])
    names: dict[str | None, int] = {}
    net = np.array([names.setdefault(i.net, len(names)) for i in items])
    numbers: dict[str, int] = {}
    own = np.array([numbers.setdefault(i.id, len(numbers)) for i in items])
    points = shapely.points([(x / 1e6, y / 1e6) for _, _, x, y, _ in spots])
    half = np.array([s[4] for s in spots])
    a, b = STRtree(spines).query(points, predicate="dwithin", distance=half + float(radius.max()))
    mine, my_net = np.array([numbers[s[0]] for s in spots]), np.array([names[s[1]] for s in spots])
    keep = (own[b] != mine[a]) & (net[b] == my_net[a])
    a, b = a[keep], b[keep]
    touch = shapely.distance(points[a], spines[b]) <= half[a] + radius[b] + TOLERANCE_MM
    met: dict[int, list[int]] = {}
    for k, i in zip(a[touch].tolist(), b[touch].tolist(), strict=True):
        met.setdefault(k, []).append(i)
    return met


def _in_pour(
    pours: tuple[PouredCopper, ...], net: str, layer: str, x: float, y: float, reach: float = 0.05
) -> bool:  # fmt: skip
    point = shapely.Point(x, y)
    return any(
        p.net == net and p.layer == layer and any(piece.distance(point) < reach for piece in p.pieces) for p in pours
    )


def _vias_in_pads(design: Design) -> Iterator[Finding]:
    pads = [i for i in copper_items(design) if i.kind == "pad" and not i.drill_mm]
    vias = list(design.vias.values())
    if not pads or not vias:
        return
    spots = shapely.points([(v.x_nm / 1e6, v.y_nm / 1e6) for v in vias])
    tree = STRtree(np.array([p.spine for p in pads], dtype=object))
    bore = np.array([v.drill_nm / 2e6 for v in vias])
    most = max(p.radius_mm for p in pads)
    a, b = tree.query(spots, predicate="dwithin", distance=bore + most)
    for i, j in zip(a, b, strict=True):
        gap = float(pads[j].spine.distance(spots[i])) - pads[j].radius_mm - float(bore[i])
        if gap < -TOLERANCE_MM:
            place = Place(net=vias[i].net, pins=(pads[j].id,), x_nm=vias[i].x_nm, y_nm=vias[i].y_nm)
            text = f"The hole of via {vias[i].id} lies in pad {pads[j].id}: its solder runs away"
            yield _look("via-in-pad", text, place, gap, 0.0, "mm", SOLDERING)


def _deep_holes(design: Design) -> Iterator[Finding]:
    deep = design.board.rules.board_mm
    for hole in holes(design):
        if hole.plated and deep / hole.drill_mm > MOST_ASPECT + 1e-9:
            place = Place(net=hole.net, x_nm=nm(hole.x_mm), y_nm=nm(hole.y_mm))
            text = f"Hole of {hole.id} is deep for its width to be plated: {deep:g} mm through {hole.drill_mm:g} mm"
            yield _look("aspect-ratio", text, place, deep / hole.drill_mm, MOST_ASPECT, "", PLATING, "at most")


def _mask_bridges(design: Design) -> Iterator[Finding]:
    """Find openings of different nets whose mask between them is too narrow to hold; once for each two parts."""
    margin = design.board.rules.mask_margin_nm / 1e6
    for side in ("front", "back"):
        items = [
            i for i in copper_items(design) if i.kind in ("pad", "jumper") and (side in i.layers or i.drill_mm)
        ]  # fmt: skip
        if len(items) < 2:
            continue
        spines = np.array([i.spine for i in items], dtype=object)
        grown = np.array([i.radius_mm + margin for i in items])
        a, b = STRtree(spines).query(spines, predicate="dwithin", distance=grown + grown.max() + LEAST_BRIDGE_MM)
        a, b = a[a < b], b[a < b]
        gaps = shapely.distance(spines[a], spines[b]) - grown[a] - grown[b]
        told = set()
        for k in np.flatnonzero(gaps < LEAST_BRIDGE_MM - TOLERANCE_MM):
            one, two = items[a[k]], items[b[k]]
            key = one.id.partition(".")[0], two.id.partition(".")[0]
            if (one.net == two.net and one.net is not None) or key in told:
                continue
            told.add(key)
            gap = max(0.0, float(gaps[k]))
            place = Place(pins=(one.id, two.id), layer=side, x_nm=nm(one.x_mm), y_nm=nm(one.y_mm))
            text = f"Solder mask between {one.id} and {two.id} is too narrow to hold; solder may bridge them"
            yield _look("mask-bridge", text, place, gap, LEAST_BRIDGE_MM, "mm", SOLDERING)


def _paste_openings(design: Design) -> Iterator[Finding]:
    """Find surface pads whose stencil opening is so small that paste stays in it; once a part, at the smallest.

    The ratio of an opening's area to that of its walls decides (IPC-7525).
    """
    if design.board.rules.etched:
        return
    for part in design.parts.values():
        ratio, number, size = _least_opening(design.packages[part.package])
        if ratio < LEAST_AREA_RATIO - 1e-9 and part.place is not None:
            place = Place(refs=(part.ref,), x_nm=part.place.x_nm, y_nm=part.place.y_nm)
            text = f"Paste hardly leaves the stencil at pad {part.ref}.{number}, {size}"
            source = f"IPC-7525, stencil {STENCIL_MM:g} mm"
            yield _look("paste-opening", text, place, ratio, LEAST_AREA_RATIO, "area ratio", source)


_opening_of: Kept[tuple[float, str, str]] = Kept(1_000)


def _least_opening(package: Package) -> tuple[float, str, str]:
    """Give the least area ratio of a package's surface pads, and that pad's number and size."""
    known = _opening_of.get(package.mark())
    if known is None:
        flat = [p for p in package.pads if p.layers != "through"]
        found = ((_area_ratio(p), p.number, f"{p.width_nm / 1e6:g} x {p.height_nm / 1e6:g} mm") for p in flat)
        known = _opening_of.put(package.mark(), min(found, default=(math.inf, "", "")))
    return known


def _area_ratio(pad: PadSpec) -> float:
    """Give the ratio of a stencil opening's area to its walls', the opening as large as the pad."""
    w, h = pad.width_nm / 1e6, pad.height_nm / 1e6
    r = min(w, h) / 2 if pad.shape == "round" else 0.0
    area = w * h - (4 - math.pi) * r * r
    rim = 2 * (w + h) - (8 - 2 * math.pi) * r
    return area / (rim * STENCIL_MM)


def spoke_findings(design: Design) -> Iterator[Finding]:
    """Find pads of a pour that hang on one spoke or none, though the pour surrounds them."""
    for pour in pour_pieces(design):
        gap = design.pours[pour.id].clearance_nm / 1e6
        joined = shapely.union_all(list(pour.pieces)) if pour.pieces else shapely.Polygon()
        shapely.prepare(joined)
        tracks = [i for i in copper_items(design) if i.kind == "track" and i.net == pour.net and pour.layer in i.layers]
        for item in copper_items(design):
            if item.kind not in ("pad", "jumper") or item.net != pour.net or pour.layer not in item.layers:
                continue
            ring = item.spine.buffer(item.radius_mm + gap / 2).exterior
            if not joined.intersects(item.spine.buffer(item.radius_mm + 2 * gap)):
                continue
            spokes = ring.intersection(joined)
            count = len(getattr(spokes, "geoms", [spokes])) if not spokes.is_empty else 0
            # The ring is cut at its first point: two pieces that meet there are one.
            merged = shapely.line_merge(spokes) if count > 1 else spokes
            count = len(getattr(merged, "geoms", [merged])) if count else 0
            count += sum(1 for t in tracks if t.spine.distance(item.spine) <= t.radius_mm + item.radius_mm)
            if count < LEAST_SPOKES and not math.isclose(ring.length, 0):
                place = Place(net=pour.net, pins=(item.id,), layer=pour.layer, x_nm=nm(item.x_mm), y_nm=nm(item.y_mm))
                text = f"Pad {item.id} hangs on {count} spoke{'' if count == 1 else 's'} of the pour of {pour.net}"
                yield _look(
                    "few-spokes", text, place, count, LEAST_SPOKES, "ways in", "rule of thumb: current and heat"
                )
