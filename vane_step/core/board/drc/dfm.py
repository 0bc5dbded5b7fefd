"""Copper a maker would accept and a careful designer would not: loose ends, acute corners, vias in pads and the like.

What breaks a maker's limit on gaps, edges and holes is in ``check``; what current does to a width is in ``widths``.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import shapely

from vane_step.core.board.copper.pour_fill import PouredCopper
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.geometry.copper_table import (
    KIND,
    LEAST_BRIDGE_MM,
    TOUCH_MM,
    Columns,
    differing,
)
from vane_step.core.board.geometry.filled_vias import bored_pads, filled_vias, losing_solder
from vane_step.core.board.geometry.marks import FINE_MM, marks_on, sides_with_fine_parts
from vane_step.core.board.geometry.paste_windows import crossings, is_thermal, openings
from vane_step.core.board.geometry.shapes import LAYER_BIT
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Package, Via, pin_name
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.memo import Kept
from vane_step.core.quantity import nm

TOLERANCE_MM = 1e-6
# Sharper corners hold etchant, which eats into the copper; what a ring of pour must leave for current and heat.
LEAST_CORNER_DEG = 89.0
LEAST_SPOKES = 2
# Through-plating gets uneven in holes deeper than this many times their width.
MOST_ASPECT = 8.0
# The usual stencil, and the ratio of an opening's area to its walls' from which paste comes away.
STENCIL_MM, LEAST_AREA_RATIO = 0.12, 0.66
ETCHING, SOLDERING, PLATING = "rule of thumb: etching", "rule of thumb: soldering", "rule of thumb: plating"
CURRENT = "rule of thumb: current and heat"


def dfm_findings(laid: Layout) -> Iterator[Finding]:
    """Find what should be looked at though it breaks no limit of the maker; what hangs on pours is elsewhere."""
    yield from _corners(laid.design)
    yield from _vias_in_pads(laid)
    yield from _filled_vias(laid)
    yield from _thermal_pads(laid)
    yield from _no_marks(laid)
    yield from _deep_holes(laid)
    yield from _mask_bridges(laid)
    yield from _paste_openings(laid.design)
    yield from _thin_pads(laid.design)


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
        yield tell(
            "acute-corner",
            f"Track of {track.net} turns back sharply on the {track.layer}",
            float(inner[k]),
            90.0,
            Place(net=track.net, layer=track.layer, x_nm=int(x), y_nm=int(y)),
            source=ETCHING,
            remedy=Remedy(label=f"Route {track.net} again", ask=f"route {track.net} fresh"),
        )


def loose_findings(laid: Layout) -> Iterator[Finding]:
    """Find ends of tracks that reach nothing, and vias that join copper of fewer than two layers."""
    of, a, b, _ = laid.touching
    tracks, vias = list(laid.design.tracks.values()), list(laid.design.vias.values())
    if not tracks and not vias:
        return
    sizes, ends = _track_ends(laid.design)
    # Pads come first, then tracks piece by piece, then vias.
    firsts = np.count_nonzero(of.kind == KIND["pad"]) + np.cumsum(sizes) - sizes
    owner = np.arange(len(of.items))
    owner[of.kind == KIND["track"]] = np.repeat(firsts, sizes)
    foreign = owner[a] != owner[b]
    a, b = a[foreign], b[foreign]
    a, b = np.concatenate([a, b]), np.concatenate([b, a])
    pours = laid.poured
    for side, rows in enumerate((firsts, firsts + sizes - 1)):
        for k in np.flatnonzero(~_reached(of, a, b, rows, ends[side], side)):
            track, (x, y) = tracks[k], tracks[k].points[-side]
            if not _in_pour(pours, track.net, track.layer, x / 1e6, y / 1e6):
                place = Place(net=track.net, layer=track.layer, x_nm=x, y_nm=y)
                text = f"A track of {track.net} ends in nothing on the {track.layer}"
                yield tell("loose-end", text, 0, 1, place, source="copper that ends in nothing is an aerial")
    yield from _loose_vias(of, a, b, vias, pours)


@derived("tracks")
def _track_ends(design: Design) -> tuple[np.ndarray, tuple[np.ndarray, np.ndarray]]:
    """Give of how many pieces each track is, and the points (mm) at which tracks begin and at which they end."""
    runs = [t.points for t in design.tracks.values()]
    ends = np.array([(run[0], run[-1]) for run in runs], dtype=np.float64).reshape(-1, 2, 2) / 1e6
    sizes = np.array([len(run) - 1 for run in runs], dtype=int)
    return sizes, (shapely.points(ends[:, 0]), shapely.points(ends[:, 1]))


def _reached(
    of: Columns, a: np.ndarray, b: np.ndarray, rows: np.ndarray, spots: np.ndarray, side: int
) -> np.ndarray:
    """Tell for the round end of each of some pieces, at a spot, whether it touches any piece its own touches.

    An end stays reached as long as its own piece and the one that reached it are the same objects.
    """
    by = np.full(len(rows), -1)
    past = _reached_by.get((len(of.items), side))
    if past is not None and np.array_equal(past[1], rows):
        by = past[2].copy()
        stale = np.zeros(len(of.items), dtype=bool)
        stale[differing(past[0].items, of.items)] = True
        by[stale[rows] | stale[by]] = -1
    number = np.full(len(of.items), -1)
    number[rows] = np.where(by < 0, np.arange(len(rows)), -1)
    k = number[a]
    k, b = k[k >= 0], b[k >= 0]
    touch = shapely.distance(spots[k], of.spines[b]) <= of.radius[rows[k]] + of.radius[b] + TOUCH_MM
    by[k[touch]] = b[touch]
    _reached_by.put((len(of.items), side), (of, rows, by))
    return by >= 0


# Of the ends of tracks of the last boards, by which piece each is reached.
_reached_by: Kept[tuple[Columns, np.ndarray, np.ndarray]] = Kept()


def _loose_vias(
    of: Columns, a: np.ndarray, b: np.ndarray, vias: list[Via], pours: tuple[PouredCopper, ...]
) -> Iterator[Finding]:
    rows = np.flatnonzero(of.kind == KIND["via"])
    met = np.zeros(len(of.items), dtype=int)
    np.bitwise_or.at(met, a, of.layers[b])
    for via, bits in zip(vias, met[rows].tolist(), strict=True):
        if bits.bit_count() < 2:
            x, y, half = via.x_nm / 1e6, via.y_nm / 1e6, via.pad_nm / 2e6
            poured = {p.layer for p in pours if _in_pour((p,), via.net, p.layer, x, y, half)}
            joined = (bits | sum(1 << LAYER_BIT[layer] for layer in poured)).bit_count()
            if joined < 2:
                place = Place(net=via.net, x_nm=via.x_nm, y_nm=via.y_nm)
                text = f"Via {via.id} of {via.net} joins copper on {joined} layer{'' if joined == 1 else 's'}"
                yield tell("loose-via", text, joined, 2, place, source="a hole that costs and does nothing")


def _in_pour(
    pours: tuple[PouredCopper, ...], net: str, layer: str, x: float, y: float, reach: float = 0.05
) -> bool:
    point = shapely.Point(x, y)
    return any(
        p.net == net and p.layer == layer and any(piece.distance(point) < reach for piece in p.pieces)
        for p in pours
    )


def _vias_in_pads(laid: Layout) -> Iterator[Finding]:
    if laid.rules.fills_vias:
        return
    for name, bored in losing_solder(laid.design).items():
        via = laid.design.vias[name]
        place = Place(net=via.net, pins=(bored.pad,), x_nm=via.x_nm, y_nm=via.y_nm)
        text = f"The hole of via {name} lies in pad {bored.pad}: its solder runs away"
        yield tell("via-in-pad", text, bored.apart_mm, 0.0, place, source=SOLDERING)


def _filled_vias(laid: Layout) -> Iterator[Finding]:
    filled, rules = filled_vias(laid.design), laid.rules
    if filled:
        first = laid.design.vias[min(filled)]
        place = Place(net=first.net, x_nm=first.x_nm, y_nm=first.y_nm)
        vias = f"{len(filled)} via lies" if len(filled) == 1 else f"{len(filled)} vias lie"
        text = f"{vias} in surface pads and must be filled, capped and plated over"
        text += f": {rules.fill_price:.2f} € an order" if rules.fill_price else ""
        yield tell("filled-vias", text, len(filled), 0, place, source=rules.title or rules.name)


def _thermal_pads(laid: Layout) -> Iterator[Finding]:
    """Find thermal pads on ground without a via through them, where the board has copper below to carry heat to."""
    design = laid.design
    if design.board.copper_layers < 2 or laid.rules.etched:
        return
    drilled = {bored.pad for bored in bored_pads(design).values()}
    for part in design.parts.values():
        pack = design.packages[part.package]
        for pad in pack.pads if part.place else ():
            pin = pin_name(part.ref, pad.number)
            net = design.nets.get(design.net_of(pin) or "")
            if net is None or net.role != "ground" or pin in drilled or not is_thermal(pack, pad):
                continue
            assert part.place is not None
            place = Place(refs=(part.ref,), pins=(pin,), x_nm=part.place.x_nm, y_nm=part.place.y_nm)
            text = f"No via carries the heat of {part.ref} from its thermal pad {pin} to other copper"
            remedy = Remedy(label="Lay vias through it", ask=f"thermal {part.ref}")
            yield tell("thermal-vias", text, 0, len(crossings(pad)), place, source=SOLDERING, remedy=remedy)


def _no_marks(laid: Layout) -> Iterator[Finding]:
    """Find sides with parts so fine that a machine wants marks to place them, and no marks."""
    if laid.rules.etched:
        return
    for side, refs in sides_with_fine_parts(laid.design).items():
        if (there := marks_on(laid.design, side)) < 2:
            text = f"The {side} has no marks by which a machine places {', '.join(refs[:4])}"
            remedy = Remedy(label="Add marks", ask=f"fiducials {side}")
            source = f"pads {FINE_MM:g} mm apart or closer, as assemblers ask"
            yield tell(
                "no-fiducials", text, there, 2, Place(refs=tuple(refs[:40])), source=source, remedy=remedy
            )


def _deep_holes(laid: Layout) -> Iterator[Finding]:
    deep = laid.rules.board_mm
    for hole in laid.holes:
        if hole.plated and deep / hole.drill_mm > MOST_ASPECT + 1e-9:
            place = Place(net=hole.net, x_nm=nm(hole.x_mm), y_nm=nm(hole.y_mm))
            text = f"Hole of {hole.id} is deep for its width to be plated: {deep:g} mm through {hole.drill_mm:g} mm"
            yield tell("aspect-ratio", text, deep / hole.drill_mm, MOST_ASPECT, place, source=PLATING)


def _mask_bridges(laid: Layout) -> Iterator[Finding]:
    """Find openings of different nets whose mask between them is too narrow to hold; once for each two parts."""
    if laid.rules.etched:
        return  # Boards etched by hand have no mask.
    margin = laid.rules.mask_margin_nm / 1e6
    of, (a, b, gap) = laid.columns, laid.near
    opened = (of.kind == KIND["pad"]) | (of.kind == KIND["jumper"])
    apart = (of.net[a] != of.net[b]) | (of.net[a] == of.nets.get(None, -1))
    bridge = gap - 2 * margin
    some = np.flatnonzero(opened[a] & opened[b] & apart & (bridge < LEAST_BRIDGE_MM - TOLERANCE_MM))
    told = set()
    for side in ("front", "back"):
        for k in some.tolist():
            one, two = of.items[a[k]], of.items[b[k]]
            key = side, one.id.partition(".")[0], two.id.partition(".")[0]
            if key in told or not all(side in i.layers or i.drill_mm for i in (one, two)):
                continue
            told.add(key)
            place = Place(pins=(one.id, two.id), layer=side, x_nm=nm(one.x_mm), y_nm=nm(one.y_mm))
            text = f"Solder mask between {one.id} and {two.id} is too narrow to hold; solder may bridge them"
            reading = max(0.0, float(bridge[k]))
            yield tell("mask-bridge", text, reading, LEAST_BRIDGE_MM, place, source=SOLDERING)


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
            yield tell("paste-opening", text, ratio, LEAST_AREA_RATIO, place, source=source)


def _thin_pads(design: Design) -> Iterator[Finding]:
    """Find pads narrower than the least width of who makes the board: they may come out thinner or not at all."""
    least = design.board.rules.min_width_nm
    for part in design.parts.values():
        if part.place is None:
            continue
        solid = [p for p in design.packages[part.package].pads if not p.bare_hole]
        thin = [p for p in solid if min(p.width_nm, p.height_nm) < least]
        if thin:
            pad = min(thin, key=lambda p: min(p.width_nm, p.height_nm))
            wide = min(pad.width_nm, pad.height_nm) / 1e6
            place = Place(refs=(part.ref,), x_nm=part.place.x_nm, y_nm=part.place.y_nm)
            text = f"{len(thin)} pads of {part.ref} are narrower than the copper that can be held"
            maker = design.board.rules.title or design.board.rules.name
            yield tell("thin-pad", text, wide, least / 1e6, place, source=maker)


_opening_of: Kept[tuple[float, str, str]] = Kept()


def _least_opening(package: Package) -> tuple[float, str, str]:
    """Give the least area ratio of a package's surface pads, and that pad's number and size."""
    known = _opening_of.get(package.mark())
    if known is None:
        flat = [p for p in package.pads if p.layers != "through" and p.paste]
        found = (
            (_area_ratio(p.shape, w, h), p.number, f"{w / 1e6:g} x {h / 1e6:g} mm")
            for p in flat
            for _, _, w, h in openings(package, p)[:1]
        )
        known = _opening_of.put(package.mark(), min(found, default=(math.inf, "", "")))
    return known


def _area_ratio(shape: str, width_nm: int, height_nm: int) -> float:
    """Give the ratio of a stencil opening's area to its walls'."""
    w, h = width_nm / 1e6, height_nm / 1e6
    r = min(w, h) / 2 if shape == "round" else 0.0
    area = w * h - (4 - math.pi) * r * r
    rim = 2 * (w + h) - (8 - 2 * math.pi) * r
    return area / (rim * STENCIL_MM)


def spoke_findings(laid: Layout, pour: PouredCopper) -> Iterator[Finding]:
    """Find pads of a pour that hang on one spoke or none, though the pour surrounds them."""
    gap = laid.design.pours[pour.id].clearance_nm / 1e6
    mine = [i for i in laid.items if i.net == pour.net and pour.layer in i.layers]
    pads = np.array([i for i in mine if i.kind in ("pad", "jumper")], dtype=object)
    if not len(pads) or not pour.pieces:
        return
    tracks = [i for i in mine if i.kind == "track"]
    spines, radius = (
        np.array([t.spine for t in tracks], dtype=object),
        np.array([t.radius_mm for t in tracks]),
    )
    joined = shapely.multipolygons(list(pour.pieces))
    shapely.prepare(joined)
    reach = np.array([i.radius_mm + 2 * gap for i in pads])
    for item in pads[shapely.dwithin(joined, np.array([i.spine for i in pads], dtype=object), reach)]:
        ring = item.spine.buffer(item.radius_mm + gap / 2).exterior
        spokes = ring.intersection(joined)
        count = len(getattr(spokes, "geoms", [spokes])) if not spokes.is_empty else 0
        # The ring is cut at its first point: two pieces that meet there are one.
        merged = shapely.line_merge(spokes) if count > 1 else spokes
        count = len(getattr(merged, "geoms", [merged])) if count else 0
        if count < LEAST_SPOKES and tracks:
            count += int((shapely.distance(spines, item.spine) <= radius + item.radius_mm).sum())
        if count < LEAST_SPOKES and not math.isclose(ring.length, 0):
            place = Place(
                net=pour.net, pins=(item.id,), layer=pour.layer, x_nm=nm(item.x_mm), y_nm=nm(item.y_mm)
            )
            text = (
                f"Pad {item.id} hangs on {count} spoke{'' if count == 1 else 's'} of the pour of {pour.net}"
            )
            yield tell("few-spokes", text, count, LEAST_SPOKES, place, source=CURRENT)
