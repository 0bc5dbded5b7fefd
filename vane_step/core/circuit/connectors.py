"""Electrical review of what plugs and sections leave open: debug lines, connectors, unused sections, key matrices."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from vane_step.core.circuit.electrics import is_switch
from vane_step.core.circuit.hazards import CATALOGUE
from vane_step.core.circuit.wiring import Wiring
from vane_step.core.design.model import Net, Part, Pin
from vane_step.core.finding import Finding, Place, tell

# A load may come back to ground through a resistor up to this.
SHUNT_OHM = 2.0


def connector_findings(wired: Wiring) -> Iterator[Finding]:
    """Give the findings of every rule of this module."""
    for rule in (_debug_lines, _connectors, _sections, _matrix):
        yield from rule(wired)


def _debug_lines(wired: Wiring) -> Iterator[Finding]:
    """Debug lines stay live in reset: two controllers must not share one."""
    for net in wired.nets.values():
        live = [
            part.ref
            for part, pin in wired.pins_on(net.name)
            if any(f.startswith("DBG.") for f in pin.functions)
        ]
        refs = tuple(dict.fromkeys(live))
        if len(refs) > 1:
            text = f"{net.name} is a debug line of {' and '.join(refs)}: it stays live in reset of each"
            yield tell(
                "shared-debug",
                text,
                len(refs),
                1,
                Place(refs=refs, net=net.name),
                source="one programmer talks to one controller",
            )


def _through_a_shunt(wired: Wiring, net: Net) -> bool:
    """Tell whether a net reaches a ground through a resistor small enough to measure a current by."""
    for part, _ in wired.pins_on(net.name):
        if part.params.get("r_ohm", math.inf) <= SHUNT_OHM:
            others = (wired.net_at(part, pin) for pin in part.pins)
            if any(n is not None and n.role == "ground" for n in others):
                return True
    return False


def _makes_contact(part: Part) -> bool:
    return "coil_v" in part.params or part.kind == "switch"


def _comes_back(wired: Wiring, nets: list[Net]) -> bool:
    """Tell whether what hangs between some nets has a way back to ground, though none of them is one.

    A load between a supply and a line that a transistor, relay or switch leads to ground has its way back.
    """
    return any(
        (pin.role == "open-drain" and is_switch(part)) or (net.role == "signal" and _makes_contact(part))
        for net in nets
        for part, pin in wired.pins_on(net.name)
    ) or any(_through_a_shunt(wired, net) for net in nets)


def _connectors(wired: Wiring) -> Iterator[Finding]:
    """Connectors: a supply needs its ground beside it, ways must be enough, and each way bears its current."""
    for part in wired.parts:
        if not re.match(r"J\d", part.ref) or part.kind != "card":
            continue
        nets = [n for p in part.pins if (n := wired.net_at(part, p)) is not None]
        roles = {n.role for n in nets}
        if "supply" in roles and "ground" not in roles and len(nets) > 1 and not _comes_back(wired, nets):
            text = f"{part.ref} carries {next(n.name for n in nets if n.role == 'supply')} but no ground"
            yield tell(
                "connector",
                text,
                0,
                1,
                Place(refs=(part.ref,)),
                level="look",
                unit="ground pins",
                source="current has to come back",
            )
        ways = part.params.get("ways")
        count = sum(1 for p in part.pins if p.number.isdigit())
        if ways and count > ways:
            text = f"{part.ref} {part.catalogue} has {ways:g} ways, the circuit wants {count}"
            yield tell("connector", text, ways, count, Place(refs=(part.ref,)), source=CATALOGUE)
        each = part.params.get("i_a")
        for net in dict.fromkeys(n.name for n in nets):
            need = wired.nets[net].rule
            count = sum(1 for n in nets if n.name == net)
            if each and need and need.current and need.current.current_a / count > each:
                text = f"{part.ref} carries {need.current.current_a:g} A of {net} on {count} ways"
                yield tell(
                    "connector",
                    text,
                    need.current.current_a / count,
                    each,
                    Place(refs=(part.ref,), net=net),
                    level="look",
                    unit="A each",
                    source=CATALOGUE,
                )


def _sections(wired: Wiring) -> Iterator[Finding]:
    """Unused sections of amplifiers and gates whose inputs float."""
    for part in wired.parts:
        sections: dict[str, list[Pin]] = {}
        for pin in part.pins:
            match = re.fullmatch(r"(?:OUT|IN|Y|A|B)(\d)[+-]?", pin.name.upper())
            if match and pin.role in ("input", "output", "open-drain"):
                sections.setdefault(match[1], []).append(pin)
        if len(sections) < 2:
            continue
        for number, pins in sections.items():
            outs = [p for p in pins if p.role != "input"]
            ins = [p for p in pins if p.role == "input"]
            if outs and ins and not any(wired.net_at(part, p) for p in pins):
                text = f"Section {number} of {part.ref} is unused and its inputs float"
                names = ", ".join(p.name for p in ins)
                yield tell(
                    "unused-section",
                    text,
                    len(ins),
                    0,
                    Place(refs=(part.ref,)),
                    source=f"tie {names} to a level the part accepts",
                )


def _matrix(wired: Wiring) -> Iterator[Finding]:
    """Diodes of a key matrix that face another way than those of their rows and columns."""
    faces: dict[str, tuple[bool, str]] = {}
    for part in wired.parts:
        if part.kind != "diode":
            continue
        nets = wired.ends(part)
        for k in (0, 1):
            key, bus = nets[k], nets[1 - k]
            if key is None or bus is None or len(key.pins) != 2:
                continue
            switch = next((p for p, _ in wired.pins_on(key.name) if p.kind == "switch"), None)
            far = [n for n in wired.ends(switch) if n is not key] if switch else []
            if far and far[0] is not None and len(bus.pins) > 2:
                # The direction of a key is told by which kind of line current comes from: row or column.
                stem = re.sub(r"\d+$", "", bus.name)
                faces[part.ref] = (k == 1, stem)
    for stem in dict.fromkeys(s for _, s in faces.values()):
        mine = {ref: way for ref, (way, s) in faces.items() if s == stem}
        many = sum(mine.values()) * 2 >= len(mine)
        odd = [ref for ref, way in mine.items() if way != many]
        if odd and len(mine) > 2:
            text = f"{', '.join(odd)} face another way than the other {len(mine) - len(odd)} diodes of the matrix"
            yield tell(
                "matrix-diode",
                text,
                len(odd),
                0,
                Place(refs=tuple(odd)),
                source="one sense in the whole matrix",
            )
