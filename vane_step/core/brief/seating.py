"""Findings of a board the brief wants plugged into a breadboard: rows off its holes, pins in the way of each other."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Literal

from vane_step.core.board.geometry.breadboard import OFF_NM, pin_rows, seat
from vane_step.core.board.geometry.shapes import courtyards, outline
from vane_step.core.board.geometry.sides import sides_with_copper
from vane_step.core.derive import derived
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Design, split_pin
from vane_step.core.finding import Finding, Place, Remedy, tell


@derived("parts", "packages", "nets", "board", "brief", "tracks", "vias", "jumpers")
def seating_findings(design: Design) -> tuple[Finding, ...]:
    """Hold the pin rows of a board that is to plug into a breadboard against its holes."""
    return tuple(_seating(design)) if design.brief.breadboard else ()


def _seating(design: Design) -> Iterator[Finding]:
    rows = [p for p in pin_rows(design) if p.fitted]
    if not rows:
        text = "The brief wants a board that plugs into a breadboard; no upright pin row of 2.54 mm is in the circuit"
        yield _told(text, 0, 1, "rows", (), step="circuit", sense="at least")
    seated = seat(design)
    if seated is None:
        return
    for ref, off in seated.off_nm.items():
        worst = max(map(abs, off))
        if worst > OFF_NM:
            text = f"{ref} is off the holes that {rows[0].ref} plugs into"
            yield _told(text, worst / 1e6, OFF_NM / 1e6, "mm", (ref,), remedy=_onto(design, ref, off))
    if seated.without:
        text = f"No breadboard has holes for {', '.join(seated.without[:6])} together with the others: "
        text += "it has two groups of five, 7.62 mm apart"
        yield _told(text, len(seated.without), 0, "pins", _parts(seated.without))
    if seated.shorted:
        a, b = seated.shorted[0]
        text = f"A breadboard joins {a} and {b}: {len(seated.shorted)} pins lie in a group of holes with another net"
        yield _told(text, len(seated.shorted), 0, "pins", _parts(p for pair in seated.shorted for p in pair))
    if not seated.worst and not seated.free:
        yield _told(
            "Some pins leave no hole beside the board for a lead", 0, 1, "holes", (), sense="at least"
        )
    placed = [p for p in rows if p.place and p.place.side == "front"]
    up = [p.ref for p in placed if len(sides_with_copper(design, design.packages[p.package])) > 1]
    if up:
        text = f"The pins of {', '.join(up)} look up, away from the breadboard"
        yield _told(text, len(up), 0, "rows", tuple(up), level="note")


def _parts(pins: Iterable[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(split_pin(p)[0] for p in pins))


def _told(
    text: str,
    reading: float,
    limit: float,
    unit: str,
    refs: tuple[str, ...],
    *,
    step: Literal["board", "circuit"] = "board",
    sense: Literal["at least", "at most"] = "at most",
    level: Literal["look", "note"] = "look",
    remedy: Remedy | None = None,
) -> Finding:
    place = Place(step=step, refs=refs)
    return tell("breadboard", text, reading, limit, place, level=level, sense=sense, unit=unit, remedy=remedy)


def _onto(design: Design, ref: str, off: tuple[int, int]) -> Remedy | None:
    """Offer to shift a row onto the holes where nothing is in its way and no copper is at its pins."""
    part = design.parts[ref]
    assert part.place is not None
    nets = {design.net_of(f"{ref}.{p.number}") for p in part.pins}
    laid = (design.tracks, design.vias, design.jumpers)
    if any(getattr(item, "net", None) in nets for section in laid for item in section.values()):
        return None
    place = part.place.model_copy(update={"x_nm": part.place.x_nm - off[0], "y_nm": part.place.y_nm - off[1]})
    after = apply(design, PlaceParts(places={ref: place}))[0]
    yards = courtyards(after)
    inside = outline(after).covers(yards[ref])
    if part.place.locked or not inside or any(yards[ref].intersects(y) for r, y in yards.items() if r != ref):
        return None
    return Remedy(ask=f"shift {ref} {-off[0] / 1e6:g} {-off[1] / 1e6:g}", label="Shift it onto the holes")
