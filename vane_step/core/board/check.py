"""The maker's rules held against exact shapes; every breach becomes a finding. Nothing here changes a design."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.strtree import STRtree

from vane_step.core.board.breach import TOLERANCE_MM, at, breach, named, sentence, who_wants
from vane_step.core.board.columns import board_columns, gap_of, near_pairs
from vane_step.core.board.copper import connectivity
from vane_step.core.board.craft import craft_findings, loose_findings
from vane_step.core.board.geometry import (
    board_pieces,
    bodies,
    courtyards,
    edge_pads,
    edges,
    keepouts,
    opening,
    outline,
)
from vane_step.core.board.holecheck import drill_sizes, half_hole, hole_copper, hole_gaps, hole_parts, rings_and_drills
from vane_step.core.board.joints import joint_findings
from vane_step.core.board.legend import SIDES, Print, polylines, prints
from vane_step.core.board.material import material_findings
from vane_step.core.board.nearby import Nearby
from vane_step.core.board.openings import openings_near
from vane_step.core.board.pourcheck import pour_findings
from vane_step.core.board.references import references
from vane_step.core.board.taper import steps_of
from vane_step.core.board.viagroups import via_findings
from vane_step.core.board.widths import width_findings
from vane_step.core.board.zones import zone_findings
from vane_step.core.derive import Kept, derived
from vane_step.core.design.model import Design, Side, natural, split_pin
from vane_step.core.finding import Finding, Level, Place, Remedy, ordered
from vane_step.core.quantity import nm


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
    findings = [*_local(design)]
    for rule in (
        loose_findings,
        pour_findings,
        _cutouts,
        zone_findings,
        hole_parts,
        material_findings,
        _open_links,
        _legend,
        width_findings,
        via_findings,
        drill_sizes,
        joint_findings,
    ):
        findings += rule(design)
    return CheckResult(tuple(ordered(findings)), figures(design))


def _local_rules(design: Design) -> list[Finding]:
    """Run the rules that hang on single things and on things near each other, and on no pour."""
    found: list[Finding] = []
    for rule in (
        _clearances, _edges, rings_and_drills, hole_gaps, hole_copper, _keepouts, _courtyards, _inside, _jumpers,
        craft_findings,
    ):  # fmt: skip
        found += rule(design)
    return found


_local = Nearby(_local_rules)


def copper_findings(design: Design) -> list[Finding]:
    """Check only what laid copper can break: gaps, edge, rings, holes and rule widths."""
    found: list[Finding] = []
    for rule in (_clearances, _edges, rings_and_drills, hole_gaps, hole_copper, _keepouts, width_findings):
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
        "links_completed": joined.links_made,
        "links_open": joined.links_total - joined.links_made,
        "parts_unplaced": joined.unplaced,
        "vias": len(design.vias),
        "jumpers": len(design.jumpers),
        "track_length_mm": round(length, 3),
    }


@derived("tracks")
def track_length_mm(design: Design) -> float:
    """Give the length of all tracks; where one widens towards a pad it counts once."""
    steps = set(steps_of(design))
    runs = [t.points for t in design.tracks.values() if t.id not in steps]
    if not runs:
        return 0.0
    points = np.array([p for run in runs for p in run], dtype=np.float64)
    of_run = np.repeat(np.arange(len(runs)), [len(run) for run in runs])
    return float(np.hypot(*np.diff(points, axis=0).T)[of_run[1:] == of_run[:-1]].sum()) / 1e6


def _clearances(design: Design) -> Iterable[Finding]:
    of, (a, b, gap) = board_columns(design), near_pairs(design)
    if not len(gap):
        return
    clear = of.per_net({net: gap_of(design, net) for net in of.nets})
    need = np.maximum(clear[a], clear[b])
    # Pads on no net are each on a net of their own.
    apart = (of.net[a] != of.net[b]) | (of.net[a] == of.nets.get(None, -1))
    for k in np.flatnonzero(apart & (gap < need - TOLERANCE_MM)):
        one, two = of.items[a[k]], of.items[b[k]]
        line = shapely.shortest_line(one.spine, two.spine).centroid
        pins = tuple(i.id for i in (one, two) if i.kind == "pad")
        layer = next(x for x in one.layers if x in two.layers)
        # The net whose copper can give way: pads stay where their part is.
        net_here = two.net if one.kind == "pad" and two.net else one.net or two.net
        place = Place(x_nm=nm(line.x), y_nm=nm(line.y), net=net_here, pins=pins, layer=layer)
        if gap[k] <= 0:
            text = sentence(f"{named(one)} touches {named(two)} on the {layer}")
            yield breach(design, "short", text, float(gap[k]), float(need[k]), place)
        else:
            text = f"Gap between {named(one)} and {named(two)} on the {layer} is too small"
            yield breach(design, "clearance", text, float(gap[k]), float(need[k]), place)


def _edges(design: Design) -> Iterable[Finding]:
    of = board_columns(design)
    if not of.items:
        return
    limit = design.board.rules.edge_clearance_nm / 1e6
    board, tree = edges(design)
    by_edge = np.zeros(len(of.items), dtype=bool)
    by_edge[tree.query(shapely.box(*(of.boxes + np.array([-1, -1, 1, 1]) * limit).T))[0]] = True
    # What no piece of the edge comes near lies on one side of it as a whole.
    middle = (of.boxes[:, :2] + of.boxes[:, 2:]) / 2
    gap = np.where(shapely.contains_xy(board, *middle.T), np.inf, -of.radius)
    some = of.spines[by_edge]
    far = np.where(shapely.covers(board, some), shapely.distance(outline(design).boundary, some), 0.0)
    gap[by_edge] = far - of.radius[by_edge]
    on_edge = edge_pads(design)
    for k in np.flatnonzero(gap < limit - TOLERANCE_MM):
        item = of.items[k]
        if item.kind == "pad" and item.id in on_edge:
            yield from half_hole(design, item)
            continue
        text = sentence(f"{named(item)} is too near to the board's edge")
        yield breach(design, "copper-to-edge", text, float(gap[k]), limit, at(item.x_mm, item.y_mm, item))


def _cutouts(design: Design) -> Iterable[Finding]:
    """Hold cut-outs against the milling cutter, and tell when they part the board."""
    least = design.board.rules.min_slot_nm / 1e6
    for cutout in design.board.cutouts:
        shape = opening(cutout)
        # Nearly all are wide enough, and whether a cutter fits is found much sooner than the widest that does.
        if not cutout.width_nm and not shape.buffer(-least / 2).is_empty:
            continue
        x, y = shape.representative_point().coords[0]
        round_in_it = 2 * float(shapely.maximum_inscribed_circle(shape, tolerance=1e-3).length)
        wide = cutout.width_nm / 1e6 or round_in_it + 2e-3
        if wide < least - TOLERANCE_MM:
            text = f"Cut-out {cutout.id} is too narrow to be milled"
            yield breach(design, "slot", text, wide, least, at(x, y))
    yield from parted_findings(design)


def parted_findings(design: Design) -> Iterable[Finding]:
    """Tell of pieces that cut-outs part from the board."""
    for piece in board_pieces(design)[1:]:
        x, y = piece.representative_point().coords[0]
        text = f"The cut-outs part the board: {piece.area:.1f} mm² fall off"
        yield breach(
            design, "parted", text, piece.area, 0.0, at(x, y), unit="mm²", origin="the outline"
        ).model_copy(update={"sense": "at most"})  # fmt: skip


def _keepouts(design: Design) -> Iterable[Finding]:
    """Hold copper against the zones parts want free, such as an antenna's; how deep it reaches in is the reading."""
    of = board_columns(design)
    for ref, zone in keepouts(design).items():
        some = of.near_box(zone.bounds, 0.0)
        gap = shapely.distance(zone, of.spines[some]) - of.radius[some]
        for k, depth in zip(some.tolist(), gap.tolist(), strict=True):
            if depth < -TOLERANCE_MM:
                item = of.items[k]
                place = at(item.x_mm, item.y_mm, item, refs=(ref,))
                text = sentence(f"{named(item)} lies in the zone {ref}, which is free of copper")
                yield breach(design, "keep-out", text, depth, 0.0, place, origin=who_wants(design, ref))


def _open_links(design: Design) -> Iterable[Finding]:
    for link in connectivity(design).open_links:
        middle = (link.a_mm[0] + link.b_mm[0]) / 2, (link.a_mm[1] + link.b_mm[1]) / 2
        place = Place(net=link.net, pins=(link.a, link.b), x_nm=nm(middle[0]), y_nm=nm(middle[1]))
        yield Finding(
            level="stop", code="open-link", message=f"{link.net}: {link.a} and {link.b} are not joined in copper",
            reading=round(link.length_mm, 3), limit=0.0, unit="mm", sense="at most", source="the circuit",
            place=place, remedy=Remedy(label="Route the open links", ask="route"),
        )  # fmt: skip
    yield from _bare_pins(design)
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


def _bare_pins(design: Design) -> Iterable[Finding]:
    """Tell the pins that are on a net and have no copper, one finding a part: nothing can join them."""
    mine: dict[str, list[str]] = {}
    for pin in connectivity(design).bare_pins:
        mine.setdefault(split_pin(pin)[0], []).append(pin)
    for ref, pins in mine.items():
        part = design.parts[ref]
        assert part.place is not None
        have = {p.number for p in design.packages[part.package].pads if not p.bare_hole}
        lacking = [p for p in pins if split_pin(p)[1] not in have]
        few = ", ".join(pins[:6]) + (" …" if len(pins) > 6 else "")
        what = "pin has" if len(pins) == 1 else "pins have"
        if lacking:
            text = f"{len(pins)} connected {what} no pad in {part.package}: {few}"
            remedy = None
        else:
            text = f"{len(pins)} connected {what} no copper on the {part.place.side}, where {ref} lies: {few}"
            remedy = Remedy(label=f"Put {ref} on the other side", ask=f"underside {ref}")
        yield Finding(
            level="stop", code="no-copper", message=text, reading=len(pins), limit=0, sense="at most",
            unit="pin" if len(pins) == 1 else "pins", source="the circuit", remedy=remedy,
            place=Place(refs=(ref,), pins=tuple(pins[:40]), x_nm=part.place.x_nm, y_nm=part.place.y_nm),
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
            yield breach(
                design, "courtyard", text, deep, 0.0, place, origin="courtyards of the land patterns"
            ).model_copy(update={"sense": "at most"})


def _inside(design: Design) -> Iterable[Finding]:
    board = _rim(design)
    found = bodies(design)
    refs, shapes = list(found), np.array([*found.values()], dtype=object)
    for k in np.flatnonzero(~shapely.covers(board, shapes) & (shapely.area(shapes) > 0)):
        ref, body = refs[k], shapes[k]
        out = body.difference(board)
        cx, cy = out.centroid.coords[0]
        share = out.area / body.area
        level: Level = "stop" if share > 0.5 else "look"
        text = f"{ref} reaches over the board's edge"
        yield breach(
            design, "outside", text, share * 100, 0.0, at(cx, cy, refs=(ref,)), level, "% of its body",
            origin="the outline",
        ).model_copy(update={"sense": "at most"})  # fmt: skip


@derived("board")
def _rim(design: Design) -> Polygon:
    """Give the board and what may stand over its edge by rounding."""
    board: Polygon = outline(design).buffer(TOLERANCE_MM)
    shapely.prepare(board)
    return board


def _legend(design: Design) -> Iterable[Finding]:
    for side in SIDES:
        printed = [one for one in prints(design, side) if one.lines]
        known = [_legend_of.get(id(one)) for one in printed]
        # What a text comes near to is not known by its print.
        fresh = [
            one for one, old in zip(printed, known, strict=True)
            if old is None or old[0] is not one or one.owner in design.texts
        ]  # fmt: skip
        if fresh:
            for one, found in zip(fresh, _legend_on_pads(design, side, fresh), strict=True):
                _legend_of.put(id(one), (one, found))
        for one in printed:
            yield from (_legend_of.get(id(one)) or (one, ()))[1]
        yield from _unprinted(design, side)
    least = design.board.rules.legend_height_nm / 1e6
    for item in design.texts.values():
        if not item.shape and item.height_nm / 1e6 < least - TOLERANCE_MM:
            place, text = at(item.x_nm / 1e6, item.y_nm / 1e6), f"Text “{item.text}” is too small to print"
            yield breach(design, "legend-height", text, item.height_nm / 1e6, least, place, "look")


def _unprinted(design: Design, side: Side) -> Iterable[Finding]:
    """Tell the parts whose references found no room on the legend of a side."""
    if design.board.rules.etched:
        return
    there = {p.text for p in references(design, side)}
    left = sorted(
        (r for r, p in design.parts.items() if p.place is not None and p.place.side == side and r not in there),
        key=natural,
    )
    if left:
        few = ", ".join(left[:8]) + (" …" if len(left) > 8 else "")
        text = f"The legend has no room for the reference{'' if len(left) == 1 else 's'} {few} on the {side}"
        yield Finding(
            level="note", code="unprinted", message=text, reading=len(left), limit=0, sense="at most",
            unit="references", source="the legend", place=Place(refs=tuple(left[:40])),
        )  # fmt: skip


# The print is held, so that no other gets its identity.
_legend_of: Kept[tuple[Print, tuple[Finding, ...]]] = Kept(8_000)


def _legend_on_pads(design: Design, side: Side, some: list[Print]) -> list[tuple[Finding, ...]]:
    """Hold the lines of some parts or texts against the openings of the mask; one finding each at most."""
    limit = design.board.rules.legend_to_pad_nm / 1e6
    lines = [line for one in some for line in one.lines]
    drawn = polylines([line.points for line in lines])
    half = np.array([line.width_mm / 2 for line in lines])
    openings = openings_near(design, side, shapely.bounds(drawn) + np.array([-1, -1, 1, 1]) * (half.max() + limit))
    told: dict[str, Finding] = {}
    for i, _, gap in zip(*openings.within(drawn, half + limit - 1e-3), strict=True):
        if lines[i].owner not in told:
            text = f"Legend of {lines[i].owner} on the {side} is too near to a pad"
            place = at(*lines[i].points[0])
            told[lines[i].owner] = breach(design, "legend-on-pad", text, float(gap - half[i]), limit, place, "look")
    return [(told[one.owner],) if one.owner in told else () for one in some]


def _jumpers(design: Design) -> Iterable[Finding]:
    sizes = design.board.rules.jumper
    yards = courtyards(design)
    for jumper in design.jumpers.values():
        wire = shapely.LineString([(p[0] / 1e6, p[1] / 1e6) for p in (jumper.a, jumper.b)])
        x, y = wire.centroid.coords[0]
        place = at(x, y, net=jumper.net)
        if sizes is None:
            yield breach(design, "jumper", "These rules know no wire jumpers", wire.length, 0.0, place)
            continue
        low, high = sizes.min_length_nm / 1e6, sizes.max_length_nm / 1e6
        if not low - TOLERANCE_MM <= wire.length <= high + TOLERANCE_MM:
            text = f"Jumper {jumper.id} has an unusual length; wires run from {low:g} to {high:g} mm"
            yield breach(design, "jumper-length", text, wire.length, high if wire.length > high else low, place)
        for ref, yard in yards.items():
            blocked = yard.intersection(wire.buffer(jumper.wire_nm / 2e6, cap_style="flat"))
            if blocked.area > 1e-3 and design.parts[ref].place.side == "front":  # type: ignore[union-attr]
                text = f"The wire of jumper {jumper.id} runs under {ref}"
                deep = min(blocked.bounds[2] - blocked.bounds[0], blocked.bounds[3] - blocked.bounds[1])
                yield breach(design, "jumper-blocked", text, deep, 0.0, place, "look").model_copy(
                    update={"sense": "at most"}
                )
