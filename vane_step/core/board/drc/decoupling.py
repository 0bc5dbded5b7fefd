"""Distances that matter to an arrangement: decoupling capacitors from supply pins; the maker's rules are not here."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.board.drc.layout import Layout
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, split_pin
from vane_step.core.finding import Finding, Place, Remedy, tell
from vane_step.core.quantity import nm

DECOUPLING_MM = 3.0
SOURCE = "rule of thumb: nearest copper under 3 mm"


@derived("parts", "packages", "nets", "board")
def nearness_findings(design: Design) -> tuple[Finding, ...]:
    """Hold every supply pin's nearest decoupling capacitor against 3 mm, copper to copper."""
    return tuple(_far_capacitors(Layout(design)))


def _far_capacitors(laid: Layout) -> Iterator[Finding]:
    for found in laid.bypass:
        if not found.told or found.gap_mm <= DECOUPLING_MM:
            continue
        ref = split_pin(found.part.id)[0]
        yield tell(
            "decoupling-distance",
            f"Decoupling capacitor {ref} is far from supply pin {found.pin.id}",
            round(found.gap_mm, 2),
            DECOUPLING_MM,
            Place(
                refs=(ref,),
                pins=(found.pin.id,),
                net=found.pin.net,
                x_nm=nm(found.part.x_mm),
                y_nm=nm(found.part.y_mm),
            ),
            source=SOURCE,
            remedy=Remedy(label=f"Place {ref} by {found.pin.id}", ask=f"place {ref} by {found.pin.id}"),
        )
