"""What voltages nets really have, for rules that go by voltages: as solved where sources are said, else as claimed by
what was said of a net or by its name."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from vane_step.core.circuit.rails import Volts, rail
from vane_step.core.design.model import Design, Net
from vane_step.core.memo import MEMO, Kept
from vane_step.core.network.readings import circuit_key, readings

# A rail counts as on from this share of its greatest voltage; what it is while it is off bounds nothing.
ON_SHARE: Final = 0.5
# Within this share of what is solved a claim stays: it is what people call the rail.
NEAR: Final = 0.02
LEAST_V: Final = 0.05
# Nets with other voltages than they claim, so that the same ones are given again.
_CLAIMED: Final[Kept[tuple[Net, Net]]] = Kept()


def known_volts(design: Design) -> Mapping[str, Volts]:
    """Give least and greatest voltage of each net over all states that came to rest, in those in which it is on."""
    if not design.sources:
        return {}
    key = ("known-volts", circuit_key(design))
    known: Mapping[str, Volts] | None = MEMO.get(key)
    if known is None:
        seen: dict[str, list[float]] = {}
        for state in readings(design).all:
            for net, volts in state.volts.items() if state.settled else ():
                if volts is not None:
                    seen.setdefault(net, []).append(volts)
        known = MEMO.put(key, {net: _on(volts) for net, volts in seen.items()}, like="known-volts")
        assert known is not None
    return known


def _on(volts: list[float]) -> Volts:
    most = max(volts, key=abs)
    on = [v for v in volts if v * most > 0 and abs(v) >= ON_SHARE * abs(most)] or [0.0]
    return Volts(*(float(f"{v:.3g}") for v in (min(on), max(on))))


def with_known_volts(design: Design) -> Design:
    """Give a design whose supplies have the voltages they are solved to have; claims that are about right stay."""
    known, nets = known_volts(design), {}
    for net in design.nets.values():
        solved = known.get(net.name) if net.role == "supply" else None
        if solved is None or abs(solved.most) < LEAST_V:
            continue
        if net.volts is not None:
            # Somebody said it of the rail: what is solved may only widen that.
            solved = Volts(min(net.volts[0], solved.low), max(net.volts[1], solved.high))
        if _agrees(rail(net), solved):
            continue
        mark = (id(net), solved)
        kept = _CLAIMED.get(mark)
        if kept is None or kept[0] is not net:
            kept = (net, net.model_copy(update={"volts": (solved.low, solved.high)}))
            _CLAIMED.put(mark, kept)
        nets[net.name] = kept[1]
    return design.replaced(nets={**design.nets, **nets}) if nets else design


def _agrees(claim: Volts | None, solved: Volts) -> bool:
    if claim is None:
        return False
    pairs = ((claim.low, solved.low), (claim.high, solved.high))
    return all(abs(a - b) <= NEAR * abs(solved.most) for a, b in pairs)
