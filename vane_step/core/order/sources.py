"""Who makes the parts of a design, and which others could take their places; what they cost is in ``buying``."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.design.model import Design, natural
from vane_step.core.order.buying import stands_in

# So many others are named beside a part.
MOST_NAMED: Final = 3


@dataclass(frozen=True)
class Source:
    """A part's order number, its maker, and numbers with makers of parts that can take its place."""

    number: str
    maker: str
    others: tuple[tuple[str, str], ...] = ()

    def told(self) -> str:
        """Name the others as a list of parts does."""
        return "; ".join(f"{number} ({maker})" for number, maker in self.others)


def sources_of(design: Design, catalogue: Catalogue) -> tuple[Source, ...]:
    """Look up every order number of a design: who makes it, and what could take its place.

    Returns
    -------
    tuple of Source
        Sorted by number. Others come from other makers first; numbers nobody knows are left out.
    """
    numbers = {p.catalogue for p in design.parts.values() if p.catalogue}
    numbers |= {e.catalogue for e in design.extras.values() if e.catalogue}
    mine = [catalogue.parts[n] for n in sorted(numbers, key=natural) if n in catalogue.parts]
    kinds = {(p.category, p.package) for p in mine}
    near = [p for p in catalogue.parts.values() if (p.category, p.package) in kinds]
    found = []
    for part in mine:
        fits = [p for p in near if p.number != part.number and stands_in(part, p)]
        fits.sort(key=lambda p: (p.maker == part.maker, natural(p.number)))
        found.append(Source(part.number, part.maker, tuple((p.number, p.maker) for p in fits[:MOST_NAMED])))
    return tuple(found)
