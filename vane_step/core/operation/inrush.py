"""What flows in the moment a source is connected: empty capacitors against fuses and ports; steady currents are judged
in ``feeds`` and ``bearing``.

One operating point with every capacitor as its series resistance gives the first current of each path. Heat in a fuse
until they are full is half of the energy that goes into them, shared by its resistance: I²t = V C I / 2 for a path of
resistance V / I.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Final

from vane_step.core.circuit.electrics import value_of
from vane_step.core.design.model import Design, Part, pin_name
from vane_step.core.finding import Place
from vane_step.core.network.outside import all_sources
from vane_step.core.network.readings import Reading, reading_of
from vane_step.core.network.setting import Setting
from vane_step.core.network.solve import solve
from vane_step.core.operation.worst import Worst

# What melts a fuse in a moment: ten times its rating for a thousandth of a second (rule of thumb).
MELTS_A2S: Final = 0.1
# What a device may put on a port's supply before it is let take more (USB 2.0, section 7.2.4.1).
PORT_F: Final = 10e-6
# A capacitor that takes less than this share of what its source gives at first is charged by something else.
SHARE: Final = 0.02
# A fuse that its source cannot bring to twice its rating never blows.
BLOWS: Final = 2.0


def inrush(worst: Worst) -> None:
    """Note what empty capacitors draw through fuses and of ports when each source is connected, and idle fuses."""
    design = worst.design
    seen: set[frozenset[str]] = set()
    for state in worst.states():
        sources = state.setting.sources
        if state.setting.at != "nominal" or not sources or sources in seen or state.setting.variant:
            continue
        seen.add(sources)
        first = reading_of(solve(design, _empty(state.setting), patient=False))
        if first.settled:
            _fuses(worst, state, first)
            _ports(worst, state, first)


def _empty(setting: Setting) -> Setting:
    return replace(setting, empty=True)


def charged(design: Design, first: Reading, then: Reading) -> dict[str, tuple[float, float]]:
    """Give the capacitors that take current at first, by reference: how much, and the charge they come to hold."""
    found = {}
    for part in design.parts.values():
        if part.kind not in ("capacitor", "polar-capacitor") or len(part.pins) != 2 or not part.fitted:
            continue
        ends = [pin_name(part.ref, p.number) for p in part.pins]
        nets = [design.net_of(e) for e in ends]
        at = [then.volts.get(n) if n is not None else None for n in nets]
        amps = abs(first.amps.get(ends[0], 0.0))
        farad = part.params.get("c_f", value_of(part)) or 0.0
        if at[0] is not None and at[1] is not None and amps > 0 and farad > 0:
            found[part.ref] = (amps, farad * abs(at[0] - at[1]))
    return found


def _fuses(worst: Worst, state: Reading, first: Reading) -> None:
    design = worst.design
    into = charged(design, first, state)
    whole_a = sum(amps for amps, _ in into.values())
    for part in design.parts.values():
        rated = part.params.get("i_a")
        if part.kind != "fuse" or not rated or len(part.pins) != 2 or not part.fitted:
            continue
        amps = abs(first.amps.get(pin_name(part.ref, part.pins[0].number), 0.0))
        # What of the charge comes through it: as much of it as of the first current.
        charge = sum(q for a, q in into.values() if a > SHARE * whole_a)
        melts = min(1.0, amps / whole_a) * charge * amps / 2 if whole_a else 0.0
        limit = MELTS_A2S * rated * rated
        place = Place(refs=(part.ref,))
        if melts > limit:
            text = (
                f"{worst.part(part.ref)} gets {amps:.2g} A at first, {melts:.2g} A²s until the capacitors are full: "
                f"that may melt it"
            )
            worst.note(
                "inrush-fuse",
                part.ref,
                state,
                text,
                melts,
                limit,
                badness=melts / limit,
                level="look",
                place=place,
            )
        _idle(worst, state, part, rated)


def _idle(worst: Worst, state: Reading, part: Part, rated: float) -> None:
    """A fuse whose source holds back before it blows protects nothing."""
    nets = {worst.design.net_of(pin_name(part.ref, p.number)) for p in part.pins}
    known = all_sources(worst.design)
    for name in state.setting.sources:
        source = known.get(name)
        if source is None:
            continue
        plus = source.plus if source.plus in worst.design.nets else worst.design.net_of(source.plus)
        short = source.most_a or (abs(source.volts) / source.ohm if source.ohm else None)
        if plus in nets and short is not None and short < BLOWS * rated:
            text = f"{worst.part(part.ref)} never blows: {name} gives {short:.2g} A at most, and it bears {rated:g} A"
            worst.note(
                "fuse-idle",
                part.ref,
                state,
                text,
                short,
                BLOWS * rated,
                badness=rated / short,
                level="look",
                place=Place(refs=(part.ref,)),
            )


def _ports(worst: Worst, state: Reading, first: Reading) -> None:
    design = worst.design
    for name in state.setting.sources:
        part = design.parts.get(name)
        if part is None or not any(p.name.upper().startswith("VBUS") for p in part.pins):
            continue
        # With that port alone: what others charge does not count.
        if state.setting.sources != {name}:
            continue
        into = charged(design, first, state)
        whole = sum(amps for amps, _ in into.values())
        volts = abs(state.sources[name].volts) if name in state.sources else 5.0
        farad = sum(q for a, q in into.values() if a > SHARE * whole) / max(volts, 1.0)
        if farad > PORT_F * 1.05:
            refs = tuple(
                r for r, (a, _) in sorted(into.items(), key=lambda e: -e[1][1]) if a > SHARE * whole
            )[:4]
            text = (
                f"{name} has to charge {farad * 1e6:.3g} µF when it is plugged in ({', '.join(refs)}): "
                f"a port may refuse that"
            )
            worst.note(
                "inrush-port",
                name,
                state,
                text,
                farad,
                PORT_F,
                badness=farad,
                level="look",
                place=Place(refs=(name, *refs)),
            )
