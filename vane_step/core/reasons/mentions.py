"""Where a rail's voltage counts, and texts that name a voltage no rail has; calculations themselves are beside."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from vane_step.core.circuit.electrics import volts
from vane_step.core.design.model import Design, Net, pin_name
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.power.formulas import formula

_VOLTAGE = re.compile(
    r"(?<![\w.])\+?(\d{1,2})V(\d{1,2})?(?![\w])|(?<![\w.])(\d{1,2}(?:[.,]\d{1,2})?)\s?V(?![\w])"
)


def mentioned(text: str) -> list[float]:
    """List the voltages a text names, as ``3V3`` or ``3.3 V``."""
    found = []
    for match in _VOLTAGE.finditer(text):
        whole = match[1] if match[1] is not None else match[3].replace(",", ".")
        found.append(float(f"{whole}.{match[2]}" if match[1] is not None and match[2] else whole))
    return found


def _texts(design: Design) -> Iterator[tuple[str, str, Place]]:
    for text in design.texts.values():
        yield f"text {text.id}", text.text, Place(step="board", x_nm=text.x_nm, y_nm=text.y_nm)
    for part in design.parts.values():
        if part.note:
            yield f"note of {part.ref}", part.note, Place(step="circuit", refs=(part.ref,))


def orphans(design: Design) -> Iterator[Finding]:
    """Texts and notes that name a voltage which no rail has."""
    rails = sorted({v for n in design.nets.values() if (v := volts(n)) is not None})
    if not rails:
        return
    for what, text, place in _texts(design):
        for value in mentioned(text):
            if all(abs(value - rail) > 0.05 for rail in rails):
                known = ", ".join(f"{r:g} V" for r in rails)
                yield tell(
                    "old-voltage",
                    f"The {what} says “{text[:60]}”: no rail has {value:g} V",
                    value,
                    min(rails, key=lambda rail: abs(rail - value)),
                    place,
                    level="note",
                    source=f"the rails: {known}",
                )


@dataclass(frozen=True)
class Trace:
    """A place where a rail's voltage counts: what it is, and why."""

    where: str
    why: str


def where_it_counts(design: Design, name: str) -> list[Trace]:
    """List every place that depends on a rail's voltage: calculations, dividers, pull-ups, ratings, texts, needs."""
    net = design.nets.get(name)
    rail = volts(net) if net else None
    found = [
        Trace(c.id, f"{formula(c.formula).title} uses it")
        for c in design.calculations.values()
        if name in c.inputs.values()
    ]
    if net is not None:
        found += list(_on_rail(design, net))
    if rail is not None:
        for what, text, _ in _texts(design):
            if any(abs(v - rail) < 0.05 for v in mentioned(text)):
                found.append(Trace(what, f"says “{text[:60]}”"))
        for need in design.requirements.values():
            if need.about == name or any(abs(v - rail) < 0.05 for v in mentioned(need.text)):
                found.append(Trace(need.id, f"requires “{need.text[:60]}”"))
    return found


def _on_rail(design: Design, net: Net) -> Iterator[Trace]:
    for part, pin in design.pins_on(net.name):
        others = [
            design.nets[n]
            for p in part.pins
            if p.number != pin.number and (n := design.net_of(pin_name(part.ref, p.number))) is not None
        ]
        if part.kind == "resistor" and others:
            what = "divides or discharges it" if others[0].role == "ground" else f"pulls {others[0].name} up"
            yield Trace(part.ref, what)
        rating = next(
            (k for k in ("vmax_v", "vr_v", "vds_v", "vin_max_v", "supply_max_v") if k in part.params), None
        )
        if rating:
            yield Trace(part.ref, f"is rated {part.params[rating]:g} V")
