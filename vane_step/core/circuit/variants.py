"""Fit options: what each variant of a board fits, and what goes wrong in one; prices are elsewhere."""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.circuit.sources import fed_nets
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Design, natural, pin_name
from vane_step.core.errors import NotFound
from vane_step.core.finding import Finding, Place, tell

BASE = ""


def fitted(design: Design, variant: str = BASE) -> dict[str, bool]:
    """Tell of every part whether a variant fits it; the empty name is the circuit as drawn.

    Raises
    ------
    NotFound
        When there is no such variant.
    """
    base = {ref: part.fitted for ref, part in design.parts.items()}
    if not variant:
        return base
    if variant not in design.variants:
        raise NotFound(
            f"There is no variant {variant}.", where=variant, allowed=", ".join(design.variants) or "none yet"
        )
    return base | design.variants[variant].fitted


def without_unfitted(design: Design, variant: str = BASE) -> Design:
    """Give the circuit a variant really has: parts that are not fitted are gone, closed jumpers join their nets."""
    have = fitted(design, variant)
    if all(have.values()):
        return design
    parts = {ref: part for ref, part in design.parts.items() if have[ref]}
    gone = {pin_name(ref, p.number) for ref, part in design.parts.items() if not have[ref] for p in part.pins}
    nets = {
        n.name: n.model_copy(update={"pins": tuple(p for p in n.pins if p not in gone)})
        for n in design.nets.values()
    }
    return design.replaced(parts=parts, nets=nets, variants={}, calculations={})


def variant_findings(wired: Wiring) -> Iterator[Finding]:
    """Either-or groups of which not exactly one is fitted, and outputs that fight in a variant."""
    groups: dict[str, list[str]] = {}
    for part in wired.design.parts.values():
        if part.choice:
            groups.setdefault(part.choice, []).append(part.ref)
    for variant in (BASE, *wired.design.variants):
        have = fitted(wired.design, variant)
        name = f"variant {variant}" if variant else "the circuit as drawn"
        for choice, refs in groups.items():
            chosen = [r for r in refs if have[r]]
            if len(chosen) != 1:
                text = f"Of {choice}, {name} fits {', '.join(sorted(chosen, key=natural)) or 'none'}"
                yield tell(
                    "either-or",
                    text,
                    len(chosen),
                    1,
                    Place(refs=tuple(refs)),
                    sense="at most" if len(chosen) > 1 else "at least",
                    source=f"{choice}: one or the other",
                )
        if variant:
            yield from _fights(wired, variant, have)
            yield from _unfed(wired, variant)


def _fights(wired: Wiring, variant: str, have: dict[str, bool]) -> Iterator[Finding]:
    for net in wired.nets.values():
        on = [(part, pin) for part, pin in wired.pins_on(net.name) if have[part.ref]]
        drivers = {
            part.ref if pin.role == "supply-out" else pin_name(part.ref, pin.number)
            for part, pin in on
            if pin.role in ("output", "supply-out")
        }
        base = {p.ref for p, _ in wired.pins_on(net.name) if p.fitted}
        if len(drivers) > 1 and not {d.partition(".")[0] for d in drivers} <= base:
            text = f"In variant {variant}, outputs fight on {net.name}: {', '.join(sorted(drivers, key=natural)[:4])}"
            yield tell(
                "outputs-fight", text, len(drivers), 1, Place(net=net.name), source=f"variant {variant}"
            )


def _unfed(wired: Wiring, variant: str) -> Iterator[Finding]:
    """Supplies whose only source a variant leaves out."""
    less = without_unfitted(wired.design, variant)
    fed, base = fed_nets(Wiring(less)), fed_nets(Wiring(without_unfitted(wired.design)))
    for net in less.nets.values():
        takers = tuple(pin_name(a.ref, b.number) for a, b in less.pins_on(net.name) if b.role == "supply-in")
        if takers and net.name not in fed and net.name in base:
            text = f"In variant {variant}, nothing feeds {net.name}, which supplies {', '.join(takers[:4])}"
            yield tell("no-supply", text, 0, 1, Place(pins=takers, net=net.name), source=f"variant {variant}")
