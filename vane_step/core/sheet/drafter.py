"""What one block's drawing knows of its parts: nets, what waits to be drawn, and at which pin bypass parts hang."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from vane_step.core.circuit.bypass import CAPACITORS, is_connector
from vane_step.core.circuit.rails import below_ground
from vane_step.core.circuit.symbols import is_rail, is_symbol
from vane_step.core.design.model import Design, Net, Part, natural, pin_name, split_pin

# From here a capacitor holds a rail up at its source; smaller ones serve the parts that draw from it.
BULK_F = 1e-6
# Parts in the way of a supply are drawn in its line.
PROTECTING = ("fuse", "diode", "inductor", "jumper", "switch", "thermistor")
IN_LINE = ("fuse", "diode", "inductor", "jumper", "switch", "resistor", "thermistor")


class Drafter:
    """The parts of one block; remembers which are drawn.

    ``symbols`` are its two-terminal parts. A capacitor from a rail to ground waits for its host: a pin of a card, or
    the rail at the end of a chain from a source.
    """

    def __init__(self, design: Design, parts: Sequence[Part], links: dict[str, str]) -> None:
        self.design = design
        self.links = links
        self.parts = {p.ref: p for p in parts}
        self.done: set[str] = set()
        self.symbols = [p for p in parts if is_symbol(p) and p.nudge is None]
        self._on: dict[str, list[Part]] = {}
        for part in self.symbols:
            for net in set(filter(None, (n.name if n else "" for n in self.ends(part)))):
                self._on.setdefault(net, []).append(part)
        self._hosts = hosts(design, parts)
        grounds = [n for n in design.nets.values() if n.role == "ground"]
        self.main_ground = max(grounds, key=lambda n: len(n.pins)).name if grounds else ""

    def net(self, ref: str, number: str) -> Net | None:
        """Give the net a pin is on."""
        name = self.design.net_of(pin_name(ref, number))
        return self.design.nets[name] if name else None

    def label(self, net: Net) -> str:
        """Write a net's name, with the sheets it goes on to."""
        return net.name + self.links.get(net.name, "")

    def ends(self, part: Part) -> tuple[Net | None, Net | None]:
        """Give the nets of the two ends of a two-terminal part."""
        return self.net(part.ref, part.pins[0].number), self.net(part.ref, part.pins[1].number)

    def sharers(self, net: Net) -> int:
        """Count the two-terminal parts of the block on a net, drawn or not."""
        return len(self._on.get(net.name, ()))

    def hanging(self, net: Net) -> list[tuple[Part, int]]:
        """List parts not drawn yet that have one end on a net, with the index of that end."""
        found = []
        for part in self._on.get(net.name, ()):
            a, b = self.ends(part)
            if part.ref not in self.done and a is not b:
                found.append((part, 0 if a is net else 1))
        return found

    def bypass(self, host: str, net: Net) -> list[tuple[Part, int]]:
        """List the capacitors that hang on a rail at a host: a part, or a source's connector."""
        return [(p, e) for p, e in self.hanging(net) if self._hosts.get(p.ref) == host]

    def hosted(self, part: Part) -> bool:
        """Tell whether a part is a capacitor that waits for its host."""
        return part.ref in self._hosts


def is_regulator(part: Part) -> bool:
    """Tell whether a part makes one supply of another."""
    roles = {p.role for p in part.pins}
    return len(part.pins) > 2 and {"supply-in", "supply-out"} <= roles


def is_source(design: Design, part: Part) -> bool:
    """Tell whether power comes in at a part: a connector or a battery, by what its pins are."""
    roles = {p.role for p in part.pins}
    return (
        "supply-out" in roles and "supply-in" not in roles and (is_connector(design, part) or len(roles) > 1)
    )


def source_chain(design: Design, start: Part, among: Iterable[Part]) -> Iterator[tuple[Part, Net]]:
    """Follow the way of power from a source's pins to a rail: each part in the line, and the net behind it.

    Fuses, diodes, chokes, switches and resistors are followed. From a rail at the source's own pins a part that
    protects goes on, later only one that leads to another rail.
    """
    waiting = [p for p in among if is_symbol(p) and p.kind in IN_LINE]
    seen = {start.ref}
    ends = [
        net
        for pin in start.pins
        if pin.role == "supply-out" and (net := _net(design, start.ref, pin.number)) is not None
    ]
    for name in dict.fromkeys(n.name for n in ends):
        at = design.nets[name]
        while step := next_in_line(design, at, waiting, seen, first=at.name == name):
            seen.add(step[0].ref)
            at = step[1]
            yield step


def next_in_line(
    design: Design, net: Net, waiting: Iterable[Part], seen: set[str], first: bool
) -> tuple[Part, Net] | None:
    """Give the part in the line of a supply behind a net, and the net behind it; ``None`` where it does not go on.

    A part that leads to ground is not in the line, nor is a diode that faces the source; one that leads to a supply
    goes before one that leads elsewhere. From a rail it goes on through what protects; behind the source only to rails.
    """
    kinds = PROTECTING if is_rail(net) else IN_LINE
    found: list[tuple[int, Part, Net]] = []
    for part in waiting:
        if part.ref in seen or part.kind not in kinds:
            continue
        ends = [_net(design, part.ref, p.number) for p in part.pins]
        if net not in ends or ends[0] is ends[1]:
            continue
        other = ends[1] if ends[0] is net else ends[0]
        near = part.pins[0 if ends[0] is net else 1].name.upper()
        if other is None or other.role == "ground":
            continue
        # Current comes from a source above ground, and goes to one below.
        if part.kind == "diode" and near == ("A" if below_ground(other) or below_ground(net) else "K"):
            continue
        if is_rail(net) and not first and not is_rail(other):
            continue
        rank = IN_LINE.index(part.kind) + (0 if other.role == "supply" else 10)
        found.append((rank, part, other))
    best = min(found, key=lambda f: (f[0], natural(f[1].ref)), default=None)
    return best[1:] if best else None


def choke_of(design: Design, net: Net, among: Iterable[Part]) -> tuple[Part, Net] | None:
    """Give the choke that leads from a converter's switched pin to the supply it makes, and that supply."""
    for part in among:
        ends = [_net(design, part.ref, p.number) for p in part.pins]
        if part.kind == "inductor" and net in ends and not is_rail(net):
            other = ends[1] if ends[0] is net else ends[0]
            if other is not None and other.role == "supply":
                return part, other
    return None


def _net(design: Design, ref: str, number: str) -> Net | None:
    name = design.net_of(pin_name(ref, number))
    return design.nets[name] if name else None


def hosts(design: Design, parts: Sequence[Part]) -> dict[str, str]:
    """Tell at which part each capacitor between a rail and ground is drawn.

    Large ones belong to what makes a rail: the output of a regulator, its input, the source; small ones to what draws
    from it, the part of the most pins first, each in turn. A capacitor on a rail that no part of the block has is left
    out.
    """
    inside = {p.ref for p in parts}
    chains: dict[str, str] = {}
    symbols = [p for p in parts if is_symbol(p)]
    for part in parts:
        if is_source(design, part):
            for _, net in source_chain(design, part, parts):
                chains.setdefault(net.name, part.ref)
        elif not is_symbol(part) and any(p.role == "supply-in" for p in part.pins):
            for pin in part.pins:
                at = _net(design, part.ref, pin.number)
                if at is not None and (made := choke_of(design, at, symbols)):
                    chains[made[1].name] = part.ref
    found: dict[str, str] = {}
    for net in design.nets.values():
        if net.role != "supply":
            continue
        caps = _bypass(design, net, inside)
        if not caps:
            continue
        makers, users = _makers_and_users(design, net, inside, chains)
        for group, first in ((caps[0], makers or users), (caps[1], users or makers)):
            for k, cap in enumerate(group):
                if first:
                    found[cap] = first[k % len(first)]
    return found


def _bypass(design: Design, net: Net, inside: set[str]) -> tuple[list[str], list[str]] | None:
    """List the capacitors from a rail to ground, large ones and small ones."""
    large: list[str] = []
    small: list[str] = []
    for name in net.pins:
        part = design.parts[split_pin(name)[0]]
        if part.ref not in inside or part.kind not in CAPACITORS or len(part.pins) != 2:
            continue
        ends = [_net(design, part.ref, p.number) for p in part.pins]
        other = ends[1] if ends[0] is net else ends[0]
        if other is None or other is net or not is_rail(other):
            continue
        big = part.kind == "polar-capacitor" or part.params.get("c_f", 0.0) >= BULK_F
        (large if big else small).append(part.ref)
    if not (large or small):
        return None
    return sorted(large, key=natural), sorted(small, key=natural)


def _makers_and_users(
    design: Design, net: Net, inside: set[str], chains: dict[str, str]
) -> tuple[list[str], list[str]]:
    """List the parts of a rail's pins: regulators and sources that make or take it first, and what draws from it."""
    out: list[str] = []
    into: list[str] = []
    sources: list[str] = []
    users: list[str] = []
    for name in net.pins:
        ref, number = split_pin(name)
        part = design.parts[ref]
        pin = part.pin(number)
        if ref not in inside or pin is None or is_symbol(part):
            continue
        if is_regulator(part):
            (out if pin.role != "supply-in" else into).append(ref)
        elif pin.role == "supply-out":
            sources.append(ref)
        elif pin.role in ("supply-in", "ground"):
            # The lower supply of a part fed from both sides of ground is called its ground.
            users.append(ref)
    if net.name in chains:
        sources.append(chains[net.name])
    users.sort(key=lambda r: (-len(design.parts[r].pins), natural(r)))
    makers = list(dict.fromkeys(out + into + sources))
    return makers, list(dict.fromkeys(users))
