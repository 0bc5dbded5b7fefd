"""What is not joined in copper: unrouted connections, pins without copper, parts without a place."""

from __future__ import annotations

from collections.abc import Iterable

from vane_step.core.board.drc.layout import Layout
from vane_step.core.design.model import split_pin
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.quantity import nm


def unrouted_findings(laid: Layout) -> Iterable[Finding]:
    """Find connections that no copper makes, pins that none can make, and parts without a place."""
    for link in laid.joined.open_links:
        middle = (link.a_mm[0] + link.b_mm[0]) / 2, (link.a_mm[1] + link.b_mm[1]) / 2
        place = Place(net=link.net, pins=(link.a, link.b), x_nm=nm(middle[0]), y_nm=nm(middle[1]))
        yield tell(
            "unrouted",
            f"{link.net}: {link.a} and {link.b} are not joined in copper",
            link.length_mm,
            0.0,
            place,
            remedy=Remedy(label="Route them", ask="route"),
        )
    yield from _bare_pins(laid)
    waiting = tuple(p.ref for p in laid.design.parts.values() if p.place is None)
    if waiting:
        few = ", ".join(waiting[:6]) + (" …" if len(waiting) > 6 else "")
        one = len(waiting) == 1
        yield tell(
            "not-placed",
            f"{few} has no place on the board yet" if one else f"Without a place on the board yet: {few}",
            len(waiting),
            0,
            Place(refs=waiting),
            unit="part" if one else "parts",
            remedy=Remedy(label="Arrange the parts", ask="arrange"),
        )


def _bare_pins(laid: Layout) -> Iterable[Finding]:
    """Tell the pins that are on a net and have no copper, one finding a part: nothing can join them."""
    mine: dict[str, list[str]] = {}
    for pin in laid.joined.bare_pins:
        mine.setdefault(split_pin(pin)[0], []).append(pin)
    for ref, pins in mine.items():
        part = laid.design.parts[ref]
        assert part.place is not None
        have = {p.number for p in laid.design.packages[part.package].pads if not p.bare_hole}
        lacking = [p for p in pins if split_pin(p)[1] not in have]
        few = ", ".join(pins[:6]) + (" …" if len(pins) > 6 else "")
        what = "pin has" if len(pins) == 1 else "pins have"
        if lacking:
            text = f"{len(pins)} connected {what} no pad in {part.package}: {few}"
            remedy = None
        else:
            text = f"{len(pins)} connected {what} no copper on the {part.place.side}, where {ref} lies: {few}"
            remedy = Remedy(label=f"Put {ref} on the other side", ask=f"flip {ref}")
        yield tell(
            "no-copper",
            text,
            len(pins),
            0,
            Place(refs=(ref,), pins=tuple(pins[:40]), x_nm=part.place.x_nm, y_nm=part.place.y_nm),
            unit="pin" if len(pins) == 1 else "pins",
            remedy=remedy,
        )
