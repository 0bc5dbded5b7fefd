"""The maker's rules held against exact shapes; every breach becomes a finding. Nothing here changes a design."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.strtree import STRtree

from vane_step.core.board.copper import LAYER_BIT, connectivity
from vane_step.core.board.craft import craft_findings, loose_findings, spoke_findings
from vane_step.core.board.geometry import (
    CopperItem,
    Hole,
    board_pieces,
    box_on_board,
    copper_items,
    courtyards,
    edge_pads,
    holes,
    keepouts,
    opening,
    outline,
)
from vane_step.core.board.legend import SIDES, Print, openings_near, polylines, prints
from vane_step.core.board.nearby import Nearby
from vane_step.core.board.pour import pour_pieces
from vane_step.core.board.taper import steps_of
from vane_step.core.board.viagroups import via_findings
from vane_step.core.board.widths import width_findings
from vane_step.core.board.zones import zone_findings
from vane_step.core.derive import Kept, derived
from vane_step.core.design.model import Design, Side
from vane_step.core.finding import Finding, Level, Place, Remedy, ordered
from vane_step.core.quantity import nm

TOLERANCE_MM = 1e-6
DRILL_TOLERANCE_MM = 0.0051
# How far from the edge the middle of a plated hole on it may lie.
OFF_EDGE_MM = 0.05


@dataclass(frozen=True)
class CheckResult:
    """Findings of the board, most pressing first, and the figures of its routing."""

    findings: tuple[Finding, ...]
    figures: dict[str, float | int]

    @property
    def stops(self) -> int:
        """Number of findings of level stop."""
        return sum(1 for f in self.findings if f.level == "stop")


@derived("parts", "packages", "nets", "board", "tracks", "vias", "jumpers", "pours", "holes", "texts")
def check(design: Design) -> CheckResult:
    """Check a whole board against its maker's rules and the currents of its nets.

    Exact on real shapes: gaps are distances of spines less radii, see ``geometry``. A gap that equals the limit
    passes; 1 nm is the tolerance.
    """
    # A loose end may lie in a pour, which a piece of the board does not have.
    findings = [*_local(design), *loose_findings(design)] if design.pours else [*_unpoured(design)]
    for rule in (
        _pour_findings,
        _cutouts,
        zone_findings,
        _open_links,
        _legend,
        width_findings,
        via_findings,
        _drill_sizes,
    ):
        findings += rule(design)
    return CheckResult(tuple(ordered(findings)), figures(design))


def _local_rules(design: Design) -> list[Finding]:
    """Run the rules that hang on single things and on things near each other, and on no pour."""
    found: list[Finding] = []
    for rule in (
        _clearances, _edges, _rings_and_drills, _hole_gaps, _hole_copper, _keepouts, _courtyards, _inside, _jumpers,
        craft_findings,
    ):  # fmt: skip
        found += rule(design)
    return found


_local = Nearby(_local_rules)
_unpoured = Nearby(lambda design: [*_local_rules(design), *loose_findings(design)])


def copper_findings(design: Design) -> list[Finding]:
    """Check only what laid copper can break: gaps, edge, rings, holes and rule widths."""
    found: list[Finding] = []
    for rule in (_clearances, _edges, _rings_and_drills, _hole_gaps, _hole_copper, _keepouts, width_findings):
        found += rule(design)
    return [f for f in found if f.code != "track-current"]


def figures(design: Design) -> dict[str, float | int]:
    """Give completed and open links, vias, jumpers and track length of a design."""
    joined = connectivity(design)
    length = track_length_mm(design)
    return {
        "parts": len(design.parts),
        "nets": len(design.nets),
        "links_total": joined.links_total,
        "links_completed": joined.links_total - len(joined.open_links),
        "links_open": len(joined.open_links),
        "parts_unplaced": joined.unplaced,
        "vias": len(design.vias),
        "jumpers": len(design.jumpers),
        "track_length_mm": round(length, 3),
    }


@derived("tracks")
def track_length_mm(design: Design) -> float:
    """Give the length of all tracks; where one widens towards a pad it counts once."""
    steps = set(steps_of(design))
    runs = [np.array(t.points, dtype=np.float64) for t in design.tracks.values() if t.id not in steps]
    return float(sum(np.hypot(*np.diff(run, axis=0).T).sum() for run in runs)) / 1e6


def source(design: Design) -> str:
    """Name the rule set as the source of a limit."""
    return design.board.rules.title or design.board.rules.name


def at(x_mm: float, y_mm: float, item: CopperItem | None = None, **more: object) -> Place:
    """Give a place on the board in whole nanometres."""
    base: dict[str, object] = {"x_nm": nm(x_mm), "y_nm": nm(y_mm)}
    if item is not None:
        base["net"] = item.net
        if item.kind == "pad":
            base["pins"] = (item.id,)
    return Place.model_validate({**base, **more})


def _sentence(text: str) -> str:
    """Begin with a capital and leave names of nets and pins as they are."""
    return text[:1].upper() + text[1:]


def _named(item: CopperItem) -> str:
    what = {"pad": f"pad {item.id}", "track": "a track", "via": "a via", "jumper": f"jumper {item.id}"}[item.kind]
    return what + (f" of {item.net}" if item.net else "")


def _breach(
    design: Design, code: str, message: str, reading: float, limit: float, place: Place, level: Level = "stop",
    unit: str = "mm", remedy: Remedy | None = None, origin: str = "",
) -> Finding:  # fmt: skip
    return Finding(
        level=level, code=code, message=message, reading=round(reading, 6), limit=limit, unit=unit,
        source=origin or source(design), place=place, remedy=remedy,
    )  # fmt: skip


def _clearances(design: Design) -> Iterable[Finding]:
    items = copper_items(design)
    if not items:
        return
    spines = np.array([i.spine for i in items], dtype=object)
    radius = np.array([i.radius_mm for i in items])
    gaps = {net: design.rule_of(net).clearance_nm / 1e6 for net in {i.net for i in items}}
    least = design.board.rules.min_clearance_nm / 1e6
    clear = np.array([max(least, gaps[i.net]) for i in items])
    numbers = {n: k for k, n in enumerate(gaps)}
    # Pads on no net are each on a net of their own.
    net = np.array([-1 - k if i.net is None else numbers[i.net] for k, i in enumerate(items)])
    mask = np.array([sum(1 << LAYER_BIT[x] for x in i.layers) for i in items])
    reach = (radius + clear.max() / 2)[:, None]
    bounds = shapely.bounds(spines) + np.hstack([-reach, -reach, reach, reach])
    frames = shapely.box(*bounds.T)
    a, b = STRtree(frames).query(frames)
    keep = (a < b) & (mask[a] & mask[b] > 0) & (net[a] != net[b])
    a, b = a[keep], b[keep]
    gap = shapely.distance(spines[a], spines[b]) - radius[a] - radius[b]
    need = np.maximum(clear[a], clear[b])
    for k in np.flatnonzero(gap < need - TOLERANCE_MM):
        one, two = items[a[k]], items[b[k]]
        line = shapely.shortest_line(one.spine, two.spine).centroid
        pins = tuple(i.id for i in (one, two) if i.kind == "pad")
        layer = next(x for x in one.layers if x in two.layers)
        # The net whose copper can give way: pads stay where their part is.
        net_here = two.net if one.kind == "pad" and two.net else one.net or two.net
        place = Place(x_nm=nm(line.x), y_nm=nm(line.y), net=net_here, pins=pins, layer=layer)
        if gap[k] <= 0:
            text = _sentence(f"{_named(one)} touches {_named(two)} on the {layer}")
            yield _breach(design, "short", text, float(gap[k]), float(need[k]), place)
        else:
            text = f"Gap between {_named(one)} and {_named(two)} on the {layer} is too small"
            yield _breach(design, "clearance", text, float(gap[k]), float(need[k]), place)


def _pour_findings(design: Design) -> Iterable[Finding]:
    if design.pours:
        yield from _pour_clearances(design)
        yield from _pour_edges(design)
        yield from _pour_keepouts(design)
        yield from spoke_findings(design)


def _pour_clearances(design: Design) -> Iterable[Finding]:
    items = copper_items(design)
    least = design.board.rules.min_clearance_nm / 1e6
    for pour in pour_pieces(design):
        others = [i for i in items if pour.layer in i.layers and i.net != pour.net]
        if not others:
            continue
        spines = np.array([i.spine for i in others], dtype=object)
        need = np.array([max(least, design.rule_of(i.net).clearance_nm / 1e6) for i in others])
        radius = np.array([i.radius_mm for i in others])
        for piece in pour.pieces:
            shapely.prepare(piece)
            for k in np.flatnonzero(shapely.dwithin(piece, spines, radius + need - TOLERANCE_MM)):
                gap = float(shapely.distance(piece, spines[k]) - radius[k])
                item = others[k]
                text = f"Pour {pour.id} comes too near to {_named(item)} on the {pour.layer}"
                place = at(item.x_mm, item.y_mm, item, layer=pour.layer)
                yield _breach(design, "clearance", text, gap, float(need[k]), place)
    yield from _pour_to_pour(design)


def _pour_to_pour(design: Design) -> Iterable[Finding]:
    poured = pour_pieces(design)
    for k, one in enumerate(poured):
        for two in poured[k + 1 :]:
            if one.layer != two.layer or one.net == two.net:
                continue
            need = max(design.rule_of(n).clearance_nm for n in (one.net, two.net)) / 1e6
            need = max(need, design.board.rules.min_clearance_nm / 1e6)
            a, b = np.array(one.pieces, dtype=object), np.array(two.pieces, dtype=object)
            for i, j in zip(*STRtree(b).query(a, predicate="dwithin", distance=need - TOLERANCE_MM), strict=True):
                x, y = shapely.shortest_line(a[i], b[j]).centroid.coords[0]
                text = f"Pours {one.id} and {two.id} come too near to each other on the {one.layer}"
                gap = float(shapely.distance(a[i], b[j]))
                yield _breach(design, "clearance", text, gap, need, at(x, y, net=one.net, layer=one.layer))


def _edges(design: Design) -> Iterable[Finding]:
    items = copper_items(design)
    board = outline(design)
    limit = design.board.rules.edge_clearance_nm / 1e6
    if items:
        spines = np.array([i.spine for i in items], dtype=object)
        radius = np.array([i.radius_mm for i in items])
        inside = shapely.covers(board, spines)
        gap = np.where(inside, shapely.distance(board.boundary, spines), 0.0) - radius
        on_edge = edge_pads(design)
        for k in np.flatnonzero(gap < limit - TOLERANCE_MM):
            item = items[k]
            if item.kind == "pad" and item.id in on_edge:
                yield from _half_hole(design, item)
                continue
            text = _sentence(f"{_named(item)} is too near to the board's edge")
            yield _breach(design, "copper-to-edge", text, float(gap[k]), limit, at(item.x_mm, item.y_mm, item))


def _half_hole(design: Design, item: CopperItem) -> Iterable[Finding]:
    """Hold a plated hole on the edge against what the maker makes; its middle lies on the edge, or it would tear."""
    least = design.board.rules.edge_drill_nm / 1e6
    off = float(outline(design).boundary.distance(shapely.Point(item.x_mm, item.y_mm)))
    place = at(item.x_mm, item.y_mm, item)
    if not least:
        text = f"Pad {item.id} is a plated hole on the edge, which this maker does not make"
        yield _breach(design, "edge-hole", text, item.drill_mm, 0.0, place).model_copy(update={"sense": "at most"})
    elif item.drill_mm < least - TOLERANCE_MM:
        yield _breach(
            design, "edge-hole", f"Plated hole {item.id} on the edge is too small", item.drill_mm, least, place
        )
    if off > OFF_EDGE_MM:
        text = f"Plated hole {item.id} does not lie on the edge, so that no half of it would stay"
        yield _breach(design, "off-edge", text, off, OFF_EDGE_MM, place, origin="rule of thumb: milling").model_copy(
            update={"sense": "at most"}
        )


def _pour_edges(design: Design) -> Iterable[Finding]:
    board = outline(design)
    limit = design.board.rules.edge_clearance_nm / 1e6
    for pour in pour_pieces(design):
        for piece in pour.pieces:
            gap_mm = float(board.boundary.distance(piece)) if board.covers(piece) else 0.0
            if gap_mm < limit - TOLERANCE_MM:
                x, y = piece.representative_point().coords[0]
                yield _breach(
                    design, "copper-to-edge", f"Pour {pour.id} is too near to the edge", gap_mm, limit, at(x, y)
                )


def _cutouts(design: Design) -> Iterable[Finding]:
    """Hold cut-outs against the milling cutter, and tell when they part the board."""
    least = design.board.rules.min_slot_nm / 1e6
    for cutout in design.board.cutouts:
        shape = opening(cutout)
        x, y = shape.representative_point().coords[0]
        round_in_it = 2 * float(shapely.maximum_inscribed_circle(shape, tolerance=1e-3).length)
        wide = cutout.width_nm / 1e6 or round_in_it + 2e-3
        if wide < least - TOLERANCE_MM:
            text = f"Cut-out {cutout.id} is too narrow to be milled"
            yield _breach(design, "slot", text, wide, least, at(x, y))
    for piece in board_pieces(design)[1:]:
        x, y = piece.representative_point().coords[0]
        text = f"The cut-outs part the board: {piece.area:.1f} mm² fall off"
        yield _breach(
            design, "parted", text, piece.area, 0.0, at(x, y), unit="mm²", origin="the outline"
        ).model_copy(update={"sense": "at most"})  # fmt: skip


def _rings_and_drills(design: Design) -> Iterable[Finding]:
    rules = design.board.rules
    ring = rules.min_ring_nm / 1e6
    seen: set[tuple[str, float, float]] = set()
    for item in copper_items(design):
        if not item.drill_mm:
            continue
        reading = (item.width_mm - item.drill_mm) / 2
        if reading < ring - TOLERANCE_MM and (item.id, item.x_mm, item.y_mm) not in seen:
            seen.add((item.id, item.x_mm, item.y_mm))
            text = f"Copper ring of {_named(item)} is too narrow"
            yield _breach(design, "ring", text, reading, ring, at(item.x_mm, item.y_mm, item))
    low, high = rules.min_drill_nm / 1e6, rules.max_drill_nm / 1e6
    for hole in holes(design):
        if low - TOLERANCE_MM <= hole.drill_mm <= high + TOLERANCE_MM:
            continue
        place = at(hole.x_mm, hole.y_mm, net=hole.net)
        if hole.drill_mm < low:
            yield _breach(design, "drill", f"Hole of {hole.id} is too small to drill", hole.drill_mm, low, place)
        else:
            text = f"Hole of {hole.id} is too large to drill; it would have to be milled"
            yield _breach(design, "drill", text, hole.drill_mm, high, place).model_copy(update={"sense": "at most"})


def _drill_sizes(design: Design) -> Iterable[Finding]:
    """Hold the sizes of holes against the drills there are: one finding a size."""
    have = np.array(design.board.rules.drills_nm) / 1e6
    wanted: dict[float, list[Hole]] = {}
    for hole in holes(design) if len(have) else ():
        if np.abs(have - hole.drill_mm).min() > DRILL_TOLERANCE_MM:
            wanted.setdefault(round(hole.drill_mm, 3), []).append(hole)
    for size, some in sorted(wanted.items()):
        larger = have[have > size]
        nearest = float(larger.min() if len(larger) else have.max())
        few = ", ".join(dict.fromkeys(h.id for h in some[:5])) + (" …" if len(some) > 5 else "")
        who = "a hole wants" if len(some) == 1 else f"{len(some)} holes want"
        text = f"There is no drill of {size:g} mm, which {who}: {few}"
        yield _breach(
            design, "drill-size", text, size, nearest,
            at(some[0].x_mm, some[0].y_mm, net=some[0].net), "look", origin=f"drills of {source(design)}",
        ).model_copy(update={"sense": "at least" if nearest > size else "at most"})  # fmt: skip


def _hole_gaps(design: Design) -> Iterable[Finding]:
    drilled = holes(design)
    limit = design.board.rules.hole_to_hole_nm / 1e6
    if len(drilled) < 2:
        return
    points = shapely.points([(h.x_mm, h.y_mm) for h in drilled])
    size = np.array([h.drill_mm for h in drilled])
    a, b = STRtree(points).query(points, predicate="dwithin", distance=size.max() + limit)
    a, b = a[a < b], b[a < b]
    gap = shapely.distance(points[a], points[b]) - (size[a] + size[b]) / 2
    for k in np.flatnonzero(gap < limit - TOLERANCE_MM):
        one, two = drilled[a[k]], drilled[b[k]]
        place = at((one.x_mm + two.x_mm) / 2, (one.y_mm + two.y_mm) / 2, net=one.net or two.net)
        text = f"Holes of {one.id} and {two.id} are too close together"
        yield _breach(design, "hole-to-hole", text, float(gap[k]), limit, place)


def _hole_copper(design: Design) -> Iterable[Finding]:
    """Hold copper against bare holes, and against the heads of the screws that go through them."""
    bare = [h for h in holes(design) if not h.plated and h.net is None]
    items = copper_items(design)
    if not bare or not items:
        return
    spines = np.array([i.spine for i in items], dtype=object)
    radius = np.array([i.radius_mm for i in items])
    for hole in bare:
        keep = design.holes[hole.id].keepout_nm / 1e6 if hole.id in design.holes else 0.0
        limit = max(design.board.rules.hole_to_copper_nm / 1e6, keep - hole.drill_mm / 2)
        gap = shapely.distance(shapely.Point(hole.x_mm, hole.y_mm), spines) - radius - hole.drill_mm / 2
        for k in np.flatnonzero(gap < limit - TOLERANCE_MM):
            if items[k].id == hole.id:
                continue
            text = _sentence(f"{_named(items[k])} is too near to the hole of {hole.id}")
            yield _breach(design, "copper-to-hole", text, float(gap[k]), limit, at(hole.x_mm, hole.y_mm, items[k]))


def _keepouts(design: Design) -> Iterable[Finding]:
    """Hold copper against the zones parts want free, such as an antenna's; how deep it reaches in is the reading."""
    items = copper_items(design)
    for ref, zone in keepouts(design).items():
        spines = np.array([i.spine for i in items], dtype=object)
        gap = shapely.distance(zone, spines) - np.array([i.radius_mm for i in items]) if items else np.array([])
        for k in np.flatnonzero(gap < -TOLERANCE_MM):
            place = at(items[k].x_mm, items[k].y_mm, items[k], refs=(ref,))
            text = _sentence(f"{_named(items[k])} lies in the zone {ref}, which is free of copper")
            yield _breach(design, "keep-out", text, float(gap[k]), 0.0, place, origin=_who_wants(design, ref))


def _who_wants(design: Design, name: str) -> str:
    return f"land pattern of {name}" if name in design.parts else f"zone {name}"


def _pour_keepouts(design: Design) -> Iterable[Finding]:
    for ref, zone in keepouts(design).items():
        for pour in pour_pieces(design):
            for piece in pour.pieces:
                shared = piece.intersection(zone)
                if shared.area > 1e-4:
                    x, y = shared.representative_point().coords[0]
                    text = f"Pour {pour.id} fills {shared.area:.2f} mm² of the zone {ref}, which is free of copper"
                    yield _breach(
                        design, "keep-out", text, shared.area, 0.0, at(x, y, refs=(ref,)), unit="mm²",
                        origin=_who_wants(design, ref),
                    ).model_copy(update={"sense": "at most"})  # fmt: skip


def _open_links(design: Design) -> Iterable[Finding]:
    for link in connectivity(design).open_links:
        middle = (link.a_mm[0] + link.b_mm[0]) / 2, (link.a_mm[1] + link.b_mm[1]) / 2
        place = Place(net=link.net, pins=(link.a, link.b), x_nm=nm(middle[0]), y_nm=nm(middle[1]))
        yield Finding(
            level="stop", code="open-link", message=f"{link.net}: {link.a} and {link.b} are not joined in copper",
            reading=round(link.length_mm, 3), limit=0.0, unit="mm", sense="at most", source="the circuit",
            place=place, remedy=Remedy(label="Route the open links", ask="route"),
        )  # fmt: skip
    waiting = tuple(p.ref for p in design.parts.values() if p.place is None)
    if waiting:
        few = ", ".join(waiting[:6]) + (" …" if len(waiting) > 6 else "")
        one = len(waiting) == 1
        yield Finding(
            level="stop", code="not-placed", source="the circuit", sense="at most", reading=len(waiting), limit=0,
            unit="part" if one else "parts", place=Place(refs=waiting),
            message=f"{few} has no place on the board yet" if one else f"Without a place on the board yet: {few}",
            remedy=Remedy(label="Arrange the parts", ask="arrange"),
        )  # fmt: skip


def _courtyards(design: Design) -> Iterable[Finding]:
    yards = courtyards(design)
    refs = list(yards)
    shapes = np.array([yards[r] for r in refs], dtype=object)
    if len(refs) < 2:
        return
    a, b = STRtree(shapes).query(shapes, predicate="intersects")
    for i, j in zip(a[a < b], b[a < b], strict=True):
        one, two = design.parts[refs[i]], design.parts[refs[j]]
        if one.place is None or two.place is None or one.place.side != two.place.side:
            continue
        overlap = shapes[i].intersection(shapes[j])
        if overlap.area > 1e-3:
            x, y = overlap.centroid.coords[0]
            x0, y0, x1, y1 = overlap.bounds
            text = f"{one.ref} and {two.ref} need more room: their courtyards overlap"
            place = at(x, y, refs=(one.ref, two.ref))
            deep = min(x1 - x0, y1 - y0)
            yield _breach(
                design, "courtyard", text, deep, 0.0, place, origin="courtyards of the land patterns"
            ).model_copy(update={"sense": "at most"})


def _inside(design: Design) -> Iterable[Finding]:
    board = outline(design).buffer(1e-6)
    for part in design.parts.values():
        if part.place is None:
            continue
        package = design.packages[part.package]
        half_w, half_h = package.body_nm[0] // 2, package.body_nm[1] // 2
        if not (half_w and half_h):
            continue
        body = box_on_board(part, (-half_w, -half_h, half_w, half_h))
        if board.covers(body):
            continue
        out = body.difference(board)
        cx, cy = out.centroid.coords[0]
        share = out.area / body.area
        level: Level = "stop" if share > 0.5 else "look"
        text = f"{part.ref} reaches over the board's edge"
        yield _breach(
            design, "outside", text, share * 100, 0.0, at(cx, cy, refs=(part.ref,)), level, "% of its body",
            origin="the outline",
        ).model_copy(update={"sense": "at most"})  # fmt: skip


def _legend(design: Design) -> Iterable[Finding]:
    for side in SIDES:
        printed = [one for one in prints(design, side) if one.lines]
        fresh = [one for one in printed if one.owner in design.texts or _legend_of.get(one.key) is None]
        if fresh:
            for one, found in zip(fresh, _legend_on_pads(design, side, fresh), strict=True):
                _legend_of.put(one.key, found)
        for one in printed:
            yield from _legend_of.get(one.key) or ()
    least = design.board.rules.legend_height_nm / 1e6
    for item in design.texts.values():
        if not item.shape and item.height_nm / 1e6 < least - TOLERANCE_MM:
            place = at(item.x_nm / 1e6, item.y_nm / 1e6)
            yield _breach(
                design,
                "legend-height",
                f"Text “{item.text}” is too small to print",
                item.height_nm / 1e6,
                least,
                place,
                "look",
            )


_legend_of: Kept[tuple[Finding, ...]] = Kept(8_000)


def _legend_on_pads(design: Design, side: Side, some: list[Print]) -> list[tuple[Finding, ...]]:
    """Hold the lines of some parts or texts against the openings of the mask; one finding each at most."""
    limit = design.board.rules.legend_to_pad_nm / 1e6
    lines = [line for one in some for line in one.lines]
    drawn = polylines([line.points for line in lines])
    half = np.array([line.width_mm / 2 for line in lines])
    openings = openings_near(design, side, shapely.bounds(drawn) + np.array([-1, -1, 1, 1]) * (half.max() + limit))
    told: dict[str, Finding] = {}
    a, b = STRtree(openings).query(drawn, predicate="dwithin", distance=half + limit - 1e-3)
    for i, j in zip(a, b, strict=True):
        if lines[i].owner not in told:
            gap = float(shapely.distance(drawn[i], openings[j]) - half[i])
            text = f"Legend of {lines[i].owner} on the {side} is too near to a pad"
            place = at(*lines[i].points[0])
            told[lines[i].owner] = _breach(design, "legend-on-pad", text, gap, limit, place, "look")
    return [(told[one.owner],) if one.owner in told else () for one in some]


def _jumpers(design: Design) -> Iterable[Finding]:
    sizes = design.board.rules.jumper
    yards = courtyards(design)
    for jumper in design.jumpers.values():
        wire = shapely.LineString([(p[0] / 1e6, p[1] / 1e6) for p in (jumper.a, jumper.b)])
        x, y = wire.centroid.coords[0]
        place = at(x, y, net=jumper.net)
        if sizes is None:
            yield _breach(design, "jumper", "These rules know no wire jumpers", wire.length, 0.0, place)
            continue
        low, high = sizes.min_length_nm / 1e6, sizes.max_length_nm / 1e6
        if not low - TOLERANCE_MM <= wire.length <= high + TOLERANCE_MM:
            text = f"Jumper {jumper.id} has an unusual length; wires run from {low:g} to {high:g} mm"
            yield _breach(design, "jumper-length", text, wire.length, high if wire.length > high else low, place)
        for ref, yard in yards.items():
            blocked = yard.intersection(wire.buffer(jumper.wire_nm / 2e6, cap_style="flat"))
            if blocked.area > 1e-3 and design.parts[ref].place.side == "front":  # type: ignore[union-attr]
                text = f"The wire of jumper {jumper.id} runs under {ref}"
                deep = min(blocked.bounds[2] - blocked.bounds[0], blocked.bounds[3] - blocked.bounds[1])
                yield _breach(design, "jumper-blocked", text, deep, 0.0, place, "look").model_copy(
                    update={"sense": "at most"}
                )
