"""Findings of a board the brief wants plugged into a breadboard: rows off its holes, pins in the way of each other."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.board.geometry.breadboard import OFF_NM, pin_rows, seat
from vane_step.core.board.geometry.shapes import courtyards, outline
from vane_step.core.board.geometry.sides import sides_with_copper
from vane_step.core.derive import derived
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding, Place, Remedy, tell


@derived("parts", "packages", "nets", "board", "brief", "tracks", "vias", "jumpers")
def seating_findings(design: Design) -> tuple[Finding, ...]:
    """Hold the pin rows of a board that is to plug into a breadboard against its holes."""
    return tuple(_seating(design)) if design.brief.breadboard else ()


def _seating(design: Design) -> Iterator[Finding]:
    rows = [p for p in pin_rows(design) if p.fitted]
    if not rows:
        yield tell(
            "breadboard",
            "The brief wants a board that plugs into a breadboard, and no upright pin row of 2.54 mm is in the circuit",
            0,
            1,
            Place(step="circuit"),
            sense="at least",
            unit="rows",
        )
    seated = seat(design)
    if seated is None:
        return
    for ref, off in seated.off_nm.items():
        if max(map(abs, off)) > OFF_NM:
            yield tell(
                "breadboard",
                f"{ref} is off the holes that {rows[0].ref} plugs into",
                max(map(abs, off)) / 1e6,
                OFF_NM / 1e6,
                Place(step="board", refs=(ref,)),
                sense="at most",
                unit="mm",
                remedy=_onto(design, ref, off),
            )
    if seated.without:
        yield tell(
            "breadboard",
            f"No breadboard has holes for {', '.join(seated.without[:6])} together with the others: "
            "it has two groups of five, 7.62 mm apart",
            len(seated.without),
            0,
            Place(step="board", refs=tuple(dict.fromkeys(p.partition(".")[0] for p in seated.without))),
            sense="at most",
            unit="pins",
        )
    if seated.shorted:
        a, b = seated.shorted[0]
        yield tell(
            "breadboard",
            f"A breadboard joins {a} and {b}: {len(seated.shorted)} pins lie in a group of holes with another net",
            len(seated.shorted),
            0,
            Place(
                step="board",
                refs=tuple(dict.fromkeys(p.partition(".")[0] for s in seated.shorted for p in s)),
            ),
            sense="at most",
            unit="pins",
        )
    if not seated.worst and not seated.free:
        yield tell(
            "breadboard",
            "Some pins leave no hole beside the board for a wire",
            0,
            1,
            Place(step="board"),
            sense="at least",
            unit="holes",
        )
    up = [
        p.ref
        for p in rows
        if p.place
        and p.place.side == "front"
        and len(sides_with_copper(design, design.packages[p.package])) > 1
    ]
    if up:
        yield tell(
            "breadboard",
            f"The pins of {', '.join(up)} look up, away from the breadboard",
            len(up),
            0,
            Place(step="board", refs=tuple(up)),
            level="note",
            sense="at most",
            unit="rows",
        )


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
