"""What is outside of the board: sources and loads, said or told by a connector that is always fed so."""

from __future__ import annotations

import re
from collections import deque
from dataclasses import replace
from typing import Final

from vane_step.core.design.model import Design, Net, Part, natural, pin_name
from vane_step.core.design.operation import Source
from vane_step.core.network.build import Build, Outer
from vane_step.core.solve.circuit import Branch
from vane_step.core.solve.laws import Delivery, SteadyCurrent, SteadyPower

# A port feeds at least 0.5 A at 4.75 to 5.25 V (USB 2.0, section 7.2; cable and connector inside the board's own
# budget).
USB_V, USB_LOW_V, USB_HIGH_V, USB_A, USB_OHM = 5.0, 4.75, 5.25, 0.5, 0.1
# Inner resistance of cells by the current their holder bears, where none is said (rule of thumb: 0.2 V at it).
CELL_DROP_V = 0.2


def implied(design: Design) -> dict[str, Source]:
    """Give the sources that need not be said: USB receptacles, battery holders, mains modules, solar cells.

    One is left out where a source was said at the same net.
    """
    found: dict[str, Source] = {}
    said = {_net(design, s.plus) for s in design.sources.values()}
    for part in design.parts.values():
        source = _implied(design, part) if part.fitted else None
        if source is not None and _net(design, source.plus) not in said and part.ref not in design.sources:
            found[part.ref] = source
    return found


def _implied(design: Design, part: Part) -> Source | None:
    feeds = [p for p in part.pins if p.role == "supply-out" and design.net_of(pin_name(part.ref, p.number))]
    back = [p for p in part.pins if p.role == "ground" and design.net_of(pin_name(part.ref, p.number))]
    if not feeds or not back:
        return None
    ends = {
        "id": part.ref,
        "plus": pin_name(part.ref, feeds[0].number),
        "minus": pin_name(part.ref, back[0].number),
    }
    volts = part.params.get("vout_v")
    if any(p.name.upper().startswith("VBUS") for p in feeds) and "ways" in part.params:
        return Source(**ends, volts=USB_V, low_v=USB_LOW_V, high_v=USB_HIGH_V, ohm=USB_OHM)
    if volts is None or any(p.role == "supply-in" for p in part.pins):
        return None
    names = {p.name.upper() for p in part.pins}
    if {"+", "-"} == names:
        amps = part.params.get("i_a", 1.0)
        return Source(**ends, volts=volts, low_v=0.8 * volts, high_v=1.1 * volts, ohm=CELL_DROP_V / amps)
    if {"L", "N"} <= names:
        return Source(**ends, volts=volts, ohm=0.02, most_a=part.params.get("iout_a"))
    return None


# Of the designs asked for last: solving all states of one asks again and again.
_LATEST: Final[deque[tuple[Design, dict[str, Source]]]] = deque(maxlen=4)


def all_sources(design: Design) -> dict[str, Source]:
    """Give the sources that were said and those that need not be, by name."""
    for known, found in _LATEST:
        if known is design:
            return found
    both = {**implied(design), **design.sources}
    found = {name: both[name] for name in sorted(both, key=natural)}
    _LATEST.appendleft((design, found))
    return found


def unknown_feeds(design: Design) -> list[tuple[str, str]]:
    """Give connectors' pins that feed a net, with it, where no source says from what."""
    known = {_net(design, s.plus) for s in all_sources(design).values()}
    found = []
    for part in design.parts.values():
        if not part.fitted or any(p.role == "supply-in" for p in part.pins) or "dropout_v" in part.params:
            continue
        for pin in part.pins:
            name = pin_name(part.ref, pin.number)
            net = design.net_of(name)
            if pin.role == "supply-out" and net is not None and net not in known and _outlet(part):
                found.append((name, net))
                known.add(net)
    return found


def _outlet(part: Part) -> bool:
    """Tell connectors, which something outside may feed, from parts that make a supply themselves."""
    return "ways" in part.params or not any(
        k in part.params
        for k in ("fsw_hz", "iout_a", "rds_ohm", "supply_min_v", "vgsth_v", "vce_v", "efficiency")
    )


def _net(design: Design, point: str) -> str | None:
    return point if point in design.nets else design.net_of(point)


def _open_volts(source: Source, at: str) -> float:
    return {"low": source.lowest_v, "high": source.highest_v}.get(at, source.volts)


def move_sources(build: Build, at: str) -> dict[int, float]:
    """Put the sources of a network elsewhere in their range; gives the branches whose voltage is another."""
    moved = {}
    for outer in build.outers:
        if outer.kind != "source":
            continue
        volts = _open_volts(all_sources(build.design)[outer.name], at)
        branch = build.circuit.branches[outer.branch]
        if isinstance(branch, Branch):
            branch.volts = volts
            moved[outer.branch] = volts
        elif isinstance(branch.law, Delivery):
            branch.law = replace(branch.law, held_v=abs(volts))
    return moved


def put_outside(build: Build) -> list[str]:
    """Put in the sources that are on and the loads of the mode; gives the names of those whose ends are gone."""
    lost = []
    for name, source in all_sources(build.design).items():
        if name not in build.setting.sources:
            continue
        ends = _ends(build, source.plus, source.minus)
        if ends is None:
            lost.append(name)
            continue
        volts = _open_volts(source, build.setting.at)
        plus, minus = ends
        if source.most_a is None:
            branch = build.circuit.source(plus, minus, volts, max(source.ohm, 1e-6))
        else:
            # It holds its voltage up to its current, and takes back what it is fed.
            law = Delivery(
                abs(volts),
                source.most_a,
                sink_a=1e3,
                share=0.0,
                drop_v=-1e4,
                ohm=max(source.ohm, 1e-4),
                way=1.0 if volts >= 0 else -1.0,
            )
            branch = build.circuit.governed(plus, minus, (plus, minus, plus, minus, plus, minus), law)
        build.outers.append(Outer(name, plus, minus, branch, "source", source.most_a))
    for name, load in build.design.loads.items():
        if load.mode and load.mode != build.setting.mode:
            continue
        ends = _ends(build, load.plus, load.minus)
        if ends is None:
            lost.append(name)
            continue
        plus, minus = ends
        if load.ohm is not None:
            branch = build.circuit.source(plus, minus, 0.0, load.ohm)
        elif load.amps is not None:
            branch = build.circuit.governed(plus, minus, ends, SteadyCurrent(load.amps, 1.0))
        else:
            assert load.watts is not None
            branch = build.circuit.governed(
                plus, minus, ends, SteadyPower(load.watts, _least(build, load.plus))
            )
        build.outers.append(Outer(name, plus, minus, branch, "load"))
    return lost


def _least(build: Build, point: str) -> float:
    """Give the voltage under which a load of steady power gives up: a third of what the rail is said to be, else 1
    V."""
    net = build.design.nets.get(_net(build.design, point) or "")
    return max(abs(net.volts[0]) / 3, 0.3) if net is not None and net.volts is not None else 1.0


def _ends(build: Build, plus: str, minus: str) -> tuple[int, int] | None:
    """Give the terminals of two points: pins, or nets, to which connectors lend theirs.

    What is said of a net comes over a pin of a connector on it, so that its current is in the copper: of one that
    carries both nets, else of that which bears most on each, one no source comes over first; without any it is at the
    net as such.
    """
    design = build.design
    nets = [_net(design, p) for p in (plus, minus)]
    if None in nets or nets[0] == nets[1]:
        return None
    taken = {end for o in build.outers if o.kind == "source" for end in (o.plus, o.minus)}
    lent: dict[str, dict[str, int]] = {}
    for net in nets:
        assert net is not None
        for part, pin in design.pins_on(net):
            if part.fitted and _is_connector(part):
                lent.setdefault(part.ref, {}).setdefault(net, build.pin(part, pin))
    both = next((ends for ends in lent.values() if len(ends) == 2), None)
    if both is None:
        both = {}
        for net in filter(None, nets):
            here = [ref for ref in lent if net in lent[ref]]
            rank = {ref: (lent[ref][net] in taken, -design.parts[ref].params.get("i_a", 0.0)) for ref in here}
            if here:
                both[net] = lent[min(here, key=lambda ref: (*rank[ref], natural(ref)))][net]
    found = []
    for point, net in zip((plus, minus), nets, strict=True):
        assert net is not None
        if point in design.nets:
            found.append(both[net] if net in both else build.circuit.terminal(build.nets[net]))
        else:
            ref, _, number = point.partition(".")
            named = design.parts[ref].pin(number)
            assert named is not None
            found.append(build.pin(design.parts[ref], named))
    return found[0], found[1]


def _is_connector(part: Part) -> bool:
    return "ways" in part.params or bool(
        re.match(r"(HDR|TERM|PLUG|JACK|USB|SKT|PTERM|SPRING|HC)", part.package)
    )


def ground_net(design: Design) -> Net | None:
    """Give the ground with most pins, from which all voltages count."""
    grounds = [n for n in design.nets.values() if n.role == "ground"]
    return max(grounds, key=lambda n: len(n.pins), default=None)
