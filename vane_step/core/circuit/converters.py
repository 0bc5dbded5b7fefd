"""What regulators and converters need beside them: the divider that sets them, capacitors, the bootstrap; and dividers.

Voltages follow from where resistors sit in the circuit, whatever a calculation says of them. Formulas: docs/rules.md.
"""

from __future__ import annotations

from collections.abc import Iterator

from vane_step.core.circuit.electrics import bears
from vane_step.core.circuit.rails import rail, who
from vane_step.core.circuit.sources import ohms_of
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, Pin, pin_name
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.rules import Level

CATALOGUE = "the catalogue"
CAPACITORS = ("capacitor", "polar-capacitor")
# A divider may be off by this before its rail is another one, and an input bears this much above its supply.
OFF_SHARE, ABOVE_V = 0.06, 0.3
# Current out of the adjust pin of a floating regulator (typical of the kind).
ADJUST_A = 50e-6


def converter_findings(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule of this module."""
    for part in wired.design.parts.values():
        if part.fitted:
            yield from _regulator(wired, part)
    yield from _dividers(wired)


def output_net(wired: Wiring, part: Part) -> Net | None:
    """Give the net a regulator feeds: that of its output, or what lies behind the inductor on its switching pin."""
    for pin in part.pins:
        if pin.role == "supply-out":
            return wired.net_at(part, pin)
    for pin in part.pins:
        net = wired.net_at(part, pin) if pin.name.upper() in ("SW", "LX") else None
        for other, its in wired.pins_on(net.name) if net is not None else ():
            if other.kind == "inductor" and (far := wired.other_end(other, its)) is not None:
                return far
    return None


def _regulator(wired: Wiring, part: Part) -> Iterator[Finding]:
    names = {p.name.upper(): p for p in part.pins}
    switches = names.get("SW") or names.get("LX")
    regulates = (
        "dropout_v" in part.params or "vref_v" in part.params or ("fsw_hz" in part.params and switches)
    )
    if not regulates:
        return
    out = output_net(wired, part)
    if out is None:
        return
    if not _has_capacitor(wired, out):
        text = f"{who(part)} has no capacitor at its output {out.name}"
        source = (
            "a regulator needs one to stay steady"
            if not switches
            else "a converter's output is its capacitor"
        )
        level: Level = "stop" if switches else "look"
        yield tell(
            "output-capacitor", text, 0, 1, Place(refs=(part.ref,), net=out.name), level=level, source=source
        )
    boost = names.get("BST") or names.get("BOOT")
    if boost is not None and switches is not None:
        held, at = wired.net_at(part, boost), wired.net_at(part, switches)
        if held is None or at is None or not _capacitor_between(wired, held, at):
            text = f"{who(part)} has no capacitor from {boost.name} to {switches.name}: its upper switch never opens"
            source = "drive of its upper switch"
            yield tell(
                "bootstrap",
                text,
                0,
                1,
                Place(refs=(part.ref,), net=held.name if held else None),
                source=source,
            )
    sets = names.get("FB") or names.get("ADJ")
    if sets is not None and "vref_v" in part.params:
        yield from _set_by(wired, part, sets, out)


def _has_capacitor(wired: Wiring, net: Net) -> bool:
    return any(
        other.kind in CAPACITORS
        and other.fitted
        and (far := wired.other_end(other, pin)) is not None
        and far.role == "ground"
        for other, pin in wired.pins_on(net.name)
    )


def _capacitor_between(wired: Wiring, one: Net, two: Net) -> bool:
    return any(
        other.kind in CAPACITORS and other.fitted and wired.other_end(other, pin) is two
        for other, pin in wired.pins_on(one.name)
    )


def _set_by(wired: Wiring, part: Part, pin: Pin, out: Net) -> Iterator[Finding]:
    """The output that the two resistors at a feedback or adjust pin give, by where they sit."""
    net = wired.net_at(part, pin)
    if net is None or net is out:
        return
    top, bottom, unknown = [], [], False
    for other, its in wired.pins_on(net.name):
        if other is part or not other.fitted or other.kind in CAPACITORS:
            continue
        far, ohms = wired.other_end(other, its), ohms_of(other)
        if far is out and ohms is not None:
            top.append((ohms, other.ref))
        elif far is not None and far.role == "ground" and ohms is not None:
            bottom.append((ohms, other.ref))
        else:
            unknown = True
    refs = (part.ref, *(ref for _, ref in (*top, *bottom)))
    name = pin_name(part.ref, pin.number)
    if unknown:
        return
    if not top or not bottom:
        gone = f"to {out.name}" if not top else "to ground"
        text = f"Nothing leads from {name} ({pin.name}) {gone}: the output of {who(part)} is not set"
        yield tell(
            "feedback",
            text,
            0,
            1,
            Place(refs=refs, net=net.name if net else None),
            unit="resistors",
            source=f"{CATALOGUE}: adjustable",
        )
        return
    upper, lower = (1 / sum(1 / r for r, _ in some) for some in (top, bottom))
    floating = not any(p.role == "ground" for p in part.pins)
    reference = part.params["vref_v"]
    # A floating regulator holds its reference between output and adjust pin, others between feedback pin and ground.
    gives = (
        reference * (1 + lower / upper) + ADJUST_A * lower if floating else reference * (1 + upper / lower)
    )
    wanted = rail(out)
    if wanted is None or out.role != "supply":
        return
    if abs(gives - wanted.most) > OFF_SHARE * abs(wanted.most):
        names = " and ".join(ref for _, ref in (*top, *bottom))
        text = f"{names} set {who(part)} to {gives:.3g} V, {out.name} is to have {wanted.most:g} V"
        ratio = (
            "resistor to ground over that to the output"
            if floating
            else "that to the output over that to ground"
        )
        source = f"reference of the catalogue; {ratio}"
        yield tell("feedback", text, gives, wanted.most, Place(refs=refs, net=out.name), source=source)


def _dividers(wired: Wiring) -> Iterator[Finding]:
    """Inputs that hang on a divider from a rail, against what they bear."""
    for net in wired.nets.values():
        if net.role != "signal":
            continue
        on = [(part, pin) for part, pin in wired.pins_on(net.name) if part.fitted]
        inputs = [(part, pin) for part, pin in on if pin.role in ("input", "io")]
        pulls = [
            (v, ohms)
            for part, pin in on
            if (ohms := ohms_of(part)) and (v := rail(wired.other_end(part, pin)))
        ]
        resistors = sum(1 for part, _ in on if part.kind == "resistor")
        known = len(inputs) + resistors + sum(1 for part, _ in on if part.kind in CAPACITORS)
        if not inputs or len(pulls) < 2 or len(pulls) != resistors or known != len(on):
            continue
        share = sum(1 / ohms for _, ohms in pulls)
        gets = sum(v.high / ohms for v, ohms in pulls) / share
        for part, pin in inputs:
            limit = bears(wired, part, pin)
            if limit is not None and gets > limit + ABOVE_V:
                refs = (part.ref, *(p.ref for p, _ in on if p.kind == "resistor"))
                text = f"{pin_name(part.ref, pin.number)} gets {gets:.3g} V from the divider on {net.name}"
                source = f"supply of {part.ref} and {ABOVE_V:g} V"
                yield tell(
                    "divider",
                    text,
                    gets,
                    limit + ABOVE_V,
                    Place(refs=refs, net=net.name if net else None),
                    source=source,
                )
