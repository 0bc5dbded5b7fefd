"""Where power goes in one state: sources, rails, what makes one of another, what draws; how it is drawn is
elsewhere."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Final, Literal

from vane_step.core.circuit.rails import who
from vane_step.core.design.model import Design, Part, natural, pin_name
from vane_step.core.network.contacts import throws
from vane_step.core.network.outside import all_sources
from vane_step.core.network.readings import Reading

# Of what draws at a rail so many are told one by one, the rest as a sum.
TOLD_DRAWS: Final = 5
# What draws less is not told.
TOLD_W: Final = 2e-5
# A net at nearly the voltage of the one before is no rail of its own.
SAME_SHARE: Final = 0.03
CARRIES: Final = ("supply", "high-current", "switching")


@dataclass(frozen=True)
class Rail:
    """A net that carries power: its voltage, what comes in."""

    name: str
    volts: float
    amps: float
    watts: float


@dataclass(frozen=True)
class Transfer:
    """A part, or several in a row, that passes power from one rail to another and turns some into heat.

    ``position`` is how a switch or jumper stands, of those in ``throws``; ``open`` tells that nothing can pass.
    """

    refs: tuple[str, ...]
    title: str
    source: str
    to: str
    watts_in: float
    watts_out: float
    amps: float
    position: str = ""
    throws: tuple[str, ...] = ()
    open: bool = False

    @property
    def heat_w(self) -> float:
        """What becomes heat on the way."""
        return max(self.watts_in - self.watts_out, 0.0)


@dataclass(frozen=True)
class Draw:
    """What takes power from a rail: a part, a load outside, or several small ones together."""

    name: str
    title: str
    rail: str
    watts: float
    amps: float
    kind: Literal["part", "load", "others"]


@dataclass(frozen=True)
class Feed:
    """A source at its rail; one that is not connected has no power."""

    name: str
    rail: str
    volts: float
    amps: float
    watts: float
    on: bool


@dataclass(frozen=True)
class PowerFlow:
    """All of it for one state."""

    feeds: tuple[Feed, ...]
    rails: dict[str, Rail]
    transfers: tuple[Transfer, ...]
    draws: tuple[Draw, ...]
    heat_w: float = 0.0
    order: dict[str, int] = field(default_factory=dict)


def power_flow(design: Design, reading: Reading) -> PowerFlow:
    """Follow the power of a solved state from its sources through rails to what draws it."""
    sources = all_sources(design)
    rails = _rails(design, reading, {n: s.plus for n, s in sources.items()})
    feeds = []
    for name, source in sources.items():
        net = source.plus if source.plus in design.nets else design.net_of(source.plus)
        at = reading.sources.get(name)
        if net is not None:
            on = at is not None
            feeds.append(
                Feed(name, net, at.volts if at else 0.0, at.amps if at else 0.0, at.watts if at else 0.0, on)
            )
            rails.add(net)
    transfers: list[Transfer] = []
    draws: list[Draw] = []
    for part in sorted(design.parts.values(), key=lambda p: natural(p.ref)):
        if not part.fitted or part.ref not in reading.parts:
            continue
        passed = list(_transfers(design, reading, part, rails))
        transfers += passed
        if not passed:
            draws += _draws(design, reading, part, rails)
    draws += _loads(design, reading, rails)
    transfers = _in_row(design, reading, _fed(feeds, transfers), draws, {f.rail for f in feeds})
    into: dict[str, float] = {}
    amps: dict[str, float] = {}
    for feed in feeds:
        into[feed.rail] = into.get(feed.rail, 0.0) + max(feed.watts, 0.0)
        amps[feed.rail] = amps.get(feed.rail, 0.0) + max(feed.amps, 0.0)
    for t in transfers:
        into[t.to] = into.get(t.to, 0.0) + t.watts_out
        amps[t.to] = amps.get(t.to, 0.0) + (t.watts_out / abs(v) if (v := reading.volts.get(t.to)) else 0.0)
    shown = {f.rail for f in feeds} | {t.source for t in transfers} | {t.to for t in transfers}
    told = {
        n: Rail(n, reading.volts.get(n) or 0.0, amps.get(n, 0.0), into.get(n, 0.0))
        for n in sorted(shown, key=natural)
    }
    draws = _few([d for d in draws if d.rail in told])
    heat = sum(t.heat_w for t in transfers)
    return PowerFlow(
        tuple(feeds), told, tuple(transfers), tuple(draws), heat, _columns(feeds, transfers, told)
    )


def _rails(design: Design, reading: Reading, plus: dict[str, str]) -> set[str]:
    found = {n.name for n in design.nets.values() if n.role in CARRIES}
    for point in plus.values():
        net = point if point in design.nets else design.net_of(point)
        if net is not None:
            found.add(net)
    found |= _switching(design, reading)
    # What a stage makes is a rail, whatever it is called.
    for part in design.parts.values():
        for pin in part.pins:
            if pin.role in ("supply-out", "supply-in") and (
                net := design.net_of(pin_name(part.ref, pin.number))
            ):
                found.add(net)
    return {n for n in found if design.nets[n].role != "ground"}


def _switching(design: Design, reading: Reading) -> set[str]:
    """Give the nets between converters and their coils, whatever their role is."""
    found = {n.name for n in design.nets.values() if n.role == "switching"}
    for stage in reading.stages:
        coil = design.parts.get(stage.stage.coil)
        own = design.parts.get(stage.stage.ref)
        if coil is not None and own is not None:
            nets = [{design.net_of(pin_name(p.ref, q.number)) for q in p.pins} for p in (coil, own)]
            shared = nets[0] & nets[1] - {None}
            # A boost regulator may share its supply with the coil: only what the coil leads to is between.
            found |= {n for n in shared if n is not None and not _supplies(design, own, n)}
    return found


def _supplies(design: Design, part: Part, net: str) -> bool:
    roles = ("supply-in", "supply-out")
    return any(p.role in roles and design.net_of(pin_name(part.ref, p.number)) == net for p in part.pins)


def _at_rails(design: Design, reading: Reading, part: Part, rails: set[str]) -> dict[str, float]:
    """Give the current into a part at each rail it is on."""
    found: dict[str, float] = {}
    for pin in part.pins:
        name = pin_name(part.ref, pin.number)
        net = design.net_of(name)
        if net in rails and name in reading.amps:
            assert net is not None
            found[net] = found.get(net, 0.0) + reading.amps[name]
    return found


def _transfers(design: Design, reading: Reading, part: Part, rails: set[str]) -> Iterator[Transfer]:
    at = _at_rails(design, reading, part, rails)
    if len(at) < 2 or "ways" in part.params or not _passes(part):
        return
    known = throws(part)
    position = reading.setting.positions.get(part.ref, known[0] if known else "")
    power = {net: amps * (reading.volts.get(net) or 0.0) for net, amps in at.items()}
    ins = [n for n, w in power.items() if w > 1e-6]
    outs = [n for n, w in power.items() if w < -1e-6]
    if not ins or not outs:
        # Nothing is passed on: the path is shown where it would lead.
        source, to = _lead(design, reading, part, list(at))
        lost = sum(power[n] for n in ins)
        blocked = bool(known) and position == "open"
        yield Transfer((part.ref,), who(part), source, to, lost, 0.0, 0.0, position, known, blocked)
        return
    total = sum(power[n] for n in ins)
    ground = max(total + sum(power[n] for n in outs), 0.0)
    for source in ins:
        for to in outs:
            share = power[source] / total
            out = -power[to] * share
            lost = ground * share / len(outs)
            amps = abs(at[to]) * share
            yield Transfer((part.ref,), who(part), source, to, out + lost, out, amps, position, known)


def _lead(design: Design, reading: Reading, part: Part, rails: list[str]) -> tuple[str, str]:
    """Give from which rail to which a part would pass power: to its supply output, through a diode, from the higher."""
    outs = [
        n
        for p in part.pins
        if p.role == "supply-out" and (n := design.net_of(pin_name(part.ref, p.number))) in rails
    ]
    if outs:
        return next((n for n in rails if n != outs[0]), rails[0]), str(outs[0])
    if part.kind == "diode":
        return rails[1], rails[0]
    volts = [abs(reading.volts.get(n) or 0.0) for n in rails[:2]]
    return (rails[0], rails[1]) if volts[0] >= volts[1] else (rails[1], rails[0])


def _passes(part: Part) -> bool:
    """Tell parts that pass power on from those that draw at two rails."""
    two = len(part.pins) == 2 and part.kind in ("diode", "fuse", "inductor", "switch", "jumper", "resistor")
    makes = (
        any(p.role in ("supply-out",) for p in part.pins)
        or "fsw_hz" in part.params
        or "efficiency" in part.params
    )
    gates = "rds_ohm" in part.params or "coil_v" in part.params or "ic_a" in part.params
    return two or makes or gates or "if_a" in part.params or bool(throws(part))


def _fed(feeds: list[Feed], transfers: list[Transfer]) -> list[Transfer]:
    """Keep what can be reached from a source: a catching diode at a switched net carries no power on."""
    reached = {f.rail for f in feeds}
    while True:
        more = {t.to for t in transfers if t.source in reached} - reached
        if not more:
            return [t for t in transfers if t.source in reached]
        reached |= more


def _in_row(
    design: Design, reading: Reading, transfers: list[Transfer], draws: list[Draw], fed: set[str]
) -> list[Transfer]:
    """Join transfers over a net at which nothing else happens: between a converter and its coil, behind a fuse."""
    drawn, nodes = {d.rail for d in draws}, _switching(design, reading)
    for net in dict.fromkeys(t.to for t in transfers):
        into = [t for t in transfers if t.to == net]
        out = [t for t in transfers if t.source == net]
        others = [t for t in transfers if t not in into and t not in out]
        if len(into) != 1 or len(out) != 1 or net in drawn or net in fed:
            continue
        a, b = into[0], out[0]
        before, at = reading.volts.get(a.source) or 0.0, reading.volts.get(net) or 0.0
        # A rail that a regulator makes stays one, and so does what a switch can cut off.
        same = abs(before - at) < SAME_SHARE * abs(before) and not a.throws and not b.throws
        if net not in nodes and not same:
            continue
        joined = Transfer(
            (*a.refs, *b.refs),
            f"{a.title} · {', '.join(b.refs)}",
            a.source,
            b.to,
            a.watts_in,
            b.watts_out,
            b.amps,
            a.position,
            a.throws,
            a.open or b.open,
        )
        transfers = [*others, joined]
    return transfers


def _draws(design: Design, reading: Reading, part: Part, rails: set[str]) -> Iterator[Draw]:
    if "ways" in part.params:
        return
    for net, amps in _at_rails(design, reading, part, rails).items():
        watts = amps * (reading.volts.get(net) or 0.0)
        if watts > TOLD_W:
            yield Draw(part.ref, who(part), net, watts, abs(amps), "part")


def _loads(design: Design, reading: Reading, rails: set[str]) -> Iterator[Draw]:
    for name, load in reading.loads.items():
        said = design.loads[name]
        for point in (said.plus, said.minus):
            net = point if point in design.nets else design.net_of(point)
            if net in rails and design.nets[net].role != "ground":
                volts = reading.volts.get(net) or 0.0
                ground = said.minus if point == said.plus else said.plus
                other = ground if ground in design.nets else design.net_of(ground)
                # A load between a rail and a switched net draws from the one that is higher.
                if abs(volts * load.amps) > TOLD_W and abs(volts) >= abs(
                    reading.volts.get(other or "", 0.0) or 0.0
                ):
                    yield Draw(name, name, net, abs(volts * load.amps), abs(load.amps), "load")
                    break


def _few(draws: list[Draw]) -> list[Draw]:
    """Tell the largest draws of each rail, the rest together."""
    found: list[Draw] = []
    for rail in dict.fromkeys(d.rail for d in draws):
        mine = sorted((d for d in draws if d.rail == rail), key=lambda d: -d.watts)
        found += mine[:TOLD_DRAWS]
        rest = mine[TOLD_DRAWS:]
        if len(rest) == 1:
            found += rest
        elif rest:
            watts, amps = sum(d.watts for d in rest), sum(d.amps for d in rest)
            names = ", ".join(d.name for d in rest)
            found.append(Draw(f"{len(rest)} more", names, rail, watts, amps, "others"))
    return found


def _columns(feeds: list[Feed], transfers: list[Transfer], rails: dict[str, Rail]) -> dict[str, int]:
    """Give each rail its column: one more than the farthest rail it is made of; circles are cut where they close."""
    column = dict.fromkeys((f.rail for f in feeds), 0)
    for _ in range(len(rails)):
        moved = False
        for t in transfers:
            if t.source in column and t.source != t.to:
                wanted = column[t.source] + 1
                if wanted > column.get(t.to, 0) and wanted <= len(rails) and not (t.to in column and t.open):
                    column[t.to] = wanted
                    moved = True
        if not moved:
            break
    for name in rails:
        column.setdefault(name, 0)
    return column
