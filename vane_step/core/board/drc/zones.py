"""Zones of the board held against what lies in them: hands, low cases, quiet corners; clear ones are in ``check``."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.board.drc.heights import reach_nm
from vane_step.core.board.drc.layout import Layout
from vane_step.core.board.drc.violation import TOLERANCE_MM, at, breach, named, sentence, who_wants
from vane_step.core.board.geometry.copper_table import once_a_text
from vane_step.core.board.geometry.shapes import copper_items, zone_shape
from vane_step.core.design.model import Design, Zone, split_pin
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.quantity import nm

LEAST_MM2 = 0.01
# A track that only brushes a zone is not told.
LEAST_MM = 0.3


def zone_findings(laid: Layout) -> Iterator[Finding]:
    """Tell parts where hands hold the board or the case is too low for them, and tracks that cross a quiet zone."""
    for zone in laid.design.board.zones:
        shape = zone_shape(zone)
        if zone.kind == "hand":
            yield from _hands(laid, zone.id, shape)
        elif zone.kind == "low":
            yield from _low(laid, zone, shape)
        elif zone.kind == "quiet":
            yield from _quiet(laid, zone.id, shape)


def _hands(laid: Layout, name: str, shape: Polygon) -> Iterator[Finding]:
    for ref, yard in laid.courtyards.items():
        shared = yard.intersection(shape)
        if shared.area > LEAST_MM2:
            x, y = shared.representative_point().coords[0]
            yield tell(
                "hand-zone",
                f"{ref} lies where hands hold the board ({name})",
                round(shared.area, 2),
                0.0,
                Place(refs=(ref,), x_nm=nm(x), y_nm=nm(y)),
                source=f"zone {name}",
            )


def _low(laid: Layout, zone: Zone, shape: Polygon) -> Iterator[Finding]:
    """Tell parts on a zone's side that are taller than its case, and pins whose ends reach out under it."""
    for ref, yard in laid.courtyards.items():
        part = laid.design.parts[ref]
        shared = yard.intersection(shape)
        if part.place is None or shared.area <= LEAST_MM2:
            continue
        for side in ("front", "back") if zone.side == "both" else (zone.side,):
            tall = reach_nm(laid.design, part, side)
            if tall <= zone.tall_nm:
                continue
            what = (
                "is too tall for the case" if side == part.place.side else "has pins that reach into the case"
            )
            x, y = shared.representative_point().coords[0]
            yield tell(
                "low-zone",
                f"{ref} {what} over the {side} ({zone.id})",
                tall / 1e6,
                zone.tall_nm / 1e6,
                Place(refs=(ref,), x_nm=nm(x), y_nm=nm(y)),
                source=f"zone {zone.id}",
            )


def nets_in(design: Design, shape: Polygon) -> set[str | None]:
    """Name the nets with a pad in a zone, which its quiet is meant for."""
    pads = (i for i in copper_items(design) if i.kind == "pad")
    return {i.net for i in pads if shape.covers(shapely.Point(i.x_mm, i.y_mm))}


def _quiet(laid: Layout, name: str, shape: Polygon) -> Iterator[Finding]:
    """Find tracks that run through a zone though their net has no pad in it: what they carry couples in."""
    items = laid.items
    at_home = nets_in(laid.design, shape)
    through: dict[str, float] = {}
    where: dict[str, tuple[float, float]] = {}
    for item in items:
        if item.kind != "track" or item.net is None or item.net in at_home:
            continue
        inside = item.spine.intersection(shape)
        if inside.length > 1e-6:
            through[item.net] = through.get(item.net, 0.0) + inside.length
            where.setdefault(item.net, inside.interpolate(0.5, normalized=True).coords[0])
    for net, length in through.items():
        if length > LEAST_MM:
            refs = tuple(dict.fromkeys(split_pin(p)[0] for p in laid.design.nets[net].pins))[:2]
            x, y = where[net]
            yield tell(
                "quiet-zone",
                f"Tracks of {net} run through the quiet zone {name}",
                round(length, 2),
                0.0,
                Place(net=net, refs=refs, x_nm=nm(x), y_nm=nm(y)),
                source=f"zone {name}",
            )


def keepout_findings(laid: Layout) -> Iterable[Finding]:
    """Hold copper against the zones parts want free, such as an antenna's; how deep it reaches in is the reading."""
    of = laid.columns
    for ref, zone in laid.keepouts.items():
        some = of.near_box(zone.bounds, 0.0)
        gap = shapely.distance(zone, of.spines[some]) - of.radius[some]
        told = once_a_text(of, some, np.zeros_like(some), gap)
        for k, depth in zip(some[told].tolist(), gap[told].tolist(), strict=True):
            item = of.items[k]
            # A part's own pads lie where its maker wants them.
            if depth < -TOLERANCE_MM and not (item.kind == "pad" and split_pin(item.id)[0] == ref):
                place = at(item.x_mm, item.y_mm, item, refs=(ref,))
                text = sentence(f"{named(item)} lies in the zone {ref}, which is free of copper")
                yield breach(laid, "keep-out", text, depth, 0.0, place, origin=who_wants(laid.design, ref))
