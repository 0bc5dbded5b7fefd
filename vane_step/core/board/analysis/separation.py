"""Which parts should lie apart: what gets hot, what radiates, what picks up; how that is weighed is in ``anneal``."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from vane_step.core.board.geometry.shapes import courtyards
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, Part, split_pin

# From this current on what a part passes warms it; a mm too near costs as much a mm of link for each ampere.
WARM_A = 1.0
# How far apart parts should be, box to box, and what a mm less costs: rules of thumb.
WARM_MM, WARM_PRICE = 6.0, 0.5
DRY_MM, DRY_PRICE = 6.0, 1.0
LOUD_MM, LOUD_PRICE = 8.0, 1.5


def shunning(design: Design) -> Iterator[tuple[str, str, float, float]]:
    """Give pairs of parts that should lie apart.

    Parts that pass currents shun each other, so that their heat spreads, unless a net with the current joins them;
    wet capacitors, thermistors and crystals shun them too. Parts on switching nets shun parts on sense nets, and
    crystals.

    Yields
    ------
    tuple of str, str, float, and float
        Two parts, what each millimetre too near costs in millimetres of link, and how far apart they should be.
    """
    nets = _nets_of(design)
    warm = {r: amps for r, p in design.parts.items() if (amps := passed_a(design, p)) >= WARM_A}
    for a, b in combinations(warm, 2):
        shared = nets[a] & nets[b]
        if not any(_current(design, n) >= WARM_A for n in shared):
            yield a, b, WARM_PRICE * min(warm[a], warm[b]), WARM_MM
    crystals = {r for r, p in design.parts.items() if p.kind == "crystal" or r.startswith("Y")}
    dry = crystals | {r for r, p in design.parts.items() if p.kind in ("polar-capacitor", "thermistor")}
    for a in warm:
        for b in sorted(dry - set(warm)):
            if not nets[a] & nets[b] - _grounds(design):
                yield a, b, DRY_PRICE, DRY_MM
    loud = loud_parts(design)
    keen = crystals | {r for r, mine in nets.items() if any(design.nets[n].role == "sense" for n in mine)}
    for a in sorted(loud - keen):
        for b in sorted(keen - loud):
            yield a, b, LOUD_PRICE, LOUD_MM


@derived("parts", "packages", "nets", "board")
def too_near(design: Design) -> tuple[tuple[str, str, float, float], ...]:
    """Give the pairs that lie nearer than they should: two parts, courtyard to courtyard, and as it should be, in mm.

    The pair that lacks most comes first.
    """
    yards = courtyards(design)
    pairs = ((a, b, far) for a, b, _, far in shunning(design) if a in yards and b in yards)
    gaps = ((a, b, float(yards[a].distance(yards[b])), far) for a, b, far in pairs)
    return tuple(sorted((g for g in gaps if g[2] < g[3]), key=lambda g: g[2] - g[3]))


def loud_parts(design: Design) -> set[str]:
    """Name the parts on switching nets, which radiate."""
    pins = (p for n in design.nets.values() if n.role == "switching" for p in n.pins)
    return {split_pin(p)[0] for p in pins}


def passed_a(design: Design, part: Part) -> float:
    """Give the current that passes through a part, in amperes: the second greatest of the nets it is on.

    Connectors, fuses and parts with one pin pass it on without warming; they count 0.
    """
    if part.ref.startswith(("J", "F")) or len(part.pins) < 2:
        return 0.0
    mine = {design.net_of(f"{part.ref}.{p.number}") for p in part.pins} - {None}
    amps = sorted((_current(design, n) for n in mine if n), reverse=True)
    return amps[1] if len(amps) > 1 else 0.0


def _current(design: Design, net: str) -> float:
    rule = design.nets[net].rule
    return rule.current.current_a if rule and rule.current else 0.0


def _grounds(design: Design) -> set[str]:
    return {n.name for n in design.nets.values() if n.role == "ground"}


def _nets_of(design: Design) -> dict[str, set[str]]:
    found: dict[str, set[str]] = {ref: set() for ref in design.parts}
    for net in design.nets.values():
        for pin in net.pins:
            found[split_pin(pin)[0]].add(net.name)
    return found
