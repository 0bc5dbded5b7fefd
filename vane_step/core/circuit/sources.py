"""What feeds what, and sources that are tied, grounded or blocked; how much they bear is in ``stress``."""

from __future__ import annotations

import re
from collections.abc import Iterator

from vane_step.core.circuit.electrics import value_of
from vane_step.core.circuit.rails import rail
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, Pin, natural, pin_name
from vane_step.core.finding import Finding, Place, tell

# A resistor up to this feeds what hangs on it; larger ones pull a line. Up to the other it is a link or a shunt.
FEEDS_OHM, LINK_OHM = 220.0, 1.0
DROP_V = 1.5
CIRCUIT = "the circuit"


def source_findings(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule of this module."""
    for rule in (_grounded, _tied, _forward):
        yield from rule(wired)


def ohms_of(part: Part) -> float | None:
    """Give the resistance of a resistor, by its catalogue or its value."""
    return part.params.get("r_ohm", value_of(part)) if part.kind == "resistor" else None


def _ends(wired: Wiring, part: Part) -> tuple[Net, Net] | None:
    if len(part.pins) != 2:
        return None
    a, b = (wired.net_at(part, p) for p in part.pins)
    return (a, b) if a is not None and b is not None and a is not b else None


# Pins of contacts, of windings and of four-terminal shunts, which carry a supply from one to the other, either way.
_POLE = re.compile(r"(COM|NO|NC|A|B)(\d*)")
_WINDINGS = ({"A1", "A2"}, {"B1", "B2"})


def _ways_of_many(wired: Wiring, part: Part) -> list[tuple[str, str]]:
    """Give what feeds what in a part of more than two pins: contacts of switches, chokes, shunts, several diodes."""
    nets = {p.name.upper(): n.name for p in part.pins if (n := wired.net_at(part, p)) is not None}
    both: list[tuple[str, str]] = []
    if "coil_v" not in part.params:
        poles = [m for name in nets if (m := _POLE.fullmatch(name))]
        both += [("COM" + m[2], m[0]) for m in poles if m[1] != "COM" and "COM" + m[2] in nets]
    if "l_h" in part.params:
        both += [tuple(sorted(w)) for w in _WINDINGS if w <= nets.keys()]  # type: ignore[misc]
    if "r_ohm" in part.params and {"I+", "I-"} <= nets.keys():
        both.append(("I+", "I-"))
    found = [(nets[a], nets[b]) for a, b in both] + [(nets[b], nets[a]) for a, b in both]
    if "vr_v" in part.params and "+" in nets:
        found += [(nets[a], nets["+"]) for a in nets if a.startswith("~")]
        # Below ground the other way: with a tapped winding its minus feeds what lies there.
        found += [(nets[a], nets["-"]) for a in nets if a.startswith("~") and "-" in nets]
    elif "vr_v" in part.params:
        anodes, cathodes = ([n for n in nets if n.startswith(k)] for k in "AK")
        found += [(nets[a], nets[k]) for a in anodes for k in cathodes]
    return found


def feeding_ways(wired: Wiring) -> dict[str, set[str]]:
    """Give for each net those it would feed if something fed it.

    The way leads through fuses, inductors, switches and jumpers, through a diode from its anode on, and through
    resistors small enough to feed.
    """
    through: dict[str, set[str]] = {name: set() for name in wired.nets}
    for part in wired.design.parts.values():
        if part.fitted and len(part.pins) > 2:
            for source, fed in _ways_of_many(wired, part):
                through[source].add(fed)
        ends = _ends(wired, part)
        if ends is None or not part.fitted:
            continue
        a, b = ends
        if part.kind == "diode":
            # Pin 1 is the cathode. What a rail below ground is fed with flows the other way.
            through[b.name].add(a.name)
            if (low := rail(b)) is not None and low.high < 0:
                through[a.name].add(b.name)
        elif part.kind in ("fuse", "inductor", "switch", "jumper") or _feeding_resistor(part, a, b):
            through[a.name].add(b.name)
            through[b.name].add(a.name)
    return through


def nets_before(wired: Wiring, name: str) -> list[str]:
    """Give the nets a net would be fed from, itself first, the nearest before those farther off."""
    ways = feeding_ways(wired)
    found = [name]
    for net in found:
        found += [other for other, to in ways.items() if net in to and other not in found]
    return [n for n in found if wired.nets[n].role != "ground"]


def fed_nets(wired: Wiring) -> set[str]:
    """Give the nets fed by a source that was said, by a supply output, by an output on a switching net, or from a net
    that is fed."""
    through = feeding_ways(wired)
    fed: set[str] = set()
    waiting = [
        n.name for n in wired.nets.values() if any(_feeds(n, p, pin) for p, pin in wired.pins_on(n.name))
    ]
    for source in wired.design.sources.values():
        for point in (source.plus, source.minus):
            net = point if point in wired.nets else wired.design.net_of(point)
            waiting += [net] if net in wired.nets else []
    while waiting:
        name = waiting.pop()
        if name not in fed and wired.nets[name].role != "ground":
            fed.add(name)
            waiting += through[name]
    return fed


def _feeding_resistor(part: Part, a: Net, b: Net) -> bool:
    if part.kind != "resistor":
        return False
    ohms = ohms_of(part)
    # Of one without a value nothing is known: from rail to rail it is taken for a link.
    return ohms <= FEEDS_OHM if ohms is not None else a.role == b.role == "supply"


def _feeds(net: Net, part: Part, pin: Pin) -> bool:
    if pin.role == "supply-out":
        return True
    # The switching pin of a converter feeds through its coil, whatever anybody called the net between them.
    switches = "fsw_hz" in part.params and pin.name.upper() in ("SW", "LX", "OUT")
    return pin.role == "output" and (net.role == "switching" or switches)


def _grounded(wired: Wiring) -> Iterator[Finding]:
    """Supply outputs on a ground net."""
    for net in wired.nets.values():
        if net.role != "ground":
            continue
        on = tuple(
            pin_name(part.ref, pin.number)
            for part, pin in wired.pins_on(net.name)
            if pin.role == "supply-out" and part.fitted
        )
        if on:
            text = f"Supply output {', '.join(on[:4])} is on {net.name}: it is shorted"
            yield tell("output-grounded", text, len(on), 0, Place.of_pins(*on, net=net.name))


def _tied(wired: Wiring) -> Iterator[Finding]:
    """Two sources on one net, though a fuse, an inductor or a link lies between."""
    joined: dict[str, str] = {name: name for name in wired.nets}

    def root(name: str) -> str:
        while joined[name] != name:
            name = joined[name]
        return name

    for part in wired.design.parts.values():
        ends = _ends(wired, part)
        link = part.kind in ("fuse", "inductor") or (
            part.kind == "resistor" and (ohms := ohms_of(part)) is not None and ohms <= LINK_OHM
        )
        if ends and link and part.fitted and "ground" not in (ends[0].role, ends[1].role):
            joined[root(ends[0].name)] = root(ends[1].name)
    sources: dict[str, dict[str, str]] = {}
    for net in wired.nets.values():
        for part, pin in wired.pins_on(net.name):
            if part.fitted and _feeds(net, part, pin) and net.role != "ground":
                sources.setdefault(root(net.name), {}).setdefault(part.ref, pin_name(part.ref, pin.number))
    for name, found in sources.items():
        pins = tuple(sorted(found.values(), key=natural))
        direct = {wired.design.net_of(p) for p in pins}
        # Several on the very same net are told as outputs that fight.
        if len(pins) > 1 and len(direct) > 1:
            nets = ", ".join(sorted((n for n in direct if n), key=natural)[:4])
            text = f"Two sources feed one another without a diode between: {', '.join(pins[:4])} on {nets}"
            yield tell("sources-tied", text, len(pins), 1, Place.of_pins(*pins, net=name))


def _forward(wired: Wiring) -> Iterator[Finding]:
    """Diodes that lie across a supply in the sense in which they conduct."""
    for part in wired.design.parts.values():
        ends = _ends(wired, part)
        if part.kind != "diode" or ends is None or not part.fitted:
            continue
        cathode, anode = ends
        high, low = rail(anode), rail(cathode)
        if high is None or low is None or high.low - low.high <= DROP_V:
            continue
        text = f"{part.ref} conducts from {anode.name} to {cathode.name}: it shorts them"
        pins = (f"{part.ref}.{part.pins[1].number}", f"{part.ref}.{part.pins[0].number}")
        yield tell("diode-forward", text, high.low - low.high, DROP_V, Place.of_pins(*pins, net=anode.name))
