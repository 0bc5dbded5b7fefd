"""Equal channels of a part exchanged so that links get shorter; which pin of a controller does what is in ``assign``.

Pins of a bank are those whose functions name it (``BANK0``) and whose roles are the same: each may take the net of any
other. Two channels are equal when their pins are called alike but for the number and do the same: ``IN1`` and ``OUT1``
against ``IN2`` and ``OUT2``. Only parts whose channels have an input and an output are looked at: what leads in and
what leads out then change together, so that the circuit stays what it was.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from vane_step.core.board.analysis.score import score
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.edits import ExchangePins, LayCopper, Together, apply
from vane_step.core.design.model import Design, Part, split_pin
from vane_step.core.errors import EditRefused

OUTPUTS = frozenset({"output", "open-drain"})
# What an exchange must gain to be worth the lifting of copper, in mm of link.
LEAST_GAIN_MM = 1.0
FEW = 12
_BANK = re.compile(r"BANK\w*", re.IGNORECASE)

# Pin numbers of a channel by name, the channel's number left out.
Channel = dict[str, str]


@dataclass(frozen=True)
class Exchanged:
    """A part with its channels exchanged: the edit, how many change, what it gains, and nets with old and new pin."""

    ref: str
    edit: Together
    channels: int
    link_mm: float
    crossings: int
    moves: tuple[tuple[str, str, str], ...] = ()


def channels(part: Part) -> list[Channel]:
    """Give the equal channels of a part, in the order of their numbers; none when it has fewer than two."""
    if any(pin.functions for pin in part.pins):
        # A controller's ports are exchanged by what their pins can do, not by their names.
        return []
    found: dict[int, dict[str, tuple[str, str]]] = {}
    for pin in part.pins:
        match = re.fullmatch(r"(\D*)(\d+)(\D*)", pin.name)
        if match:
            found.setdefault(int(match[2]), {})[f"{match[1]}#{match[3]}"] = (pin.number, pin.role)
    kinds: dict[frozenset[tuple[str, str]], list[int]] = {}
    for number, pins in found.items():
        kinds.setdefault(frozenset((stem, role) for stem, (_, role) in pins.items()), []).append(number)
    equal = [
        sorted(numbers)
        for kind, numbers in kinds.items()
        if len(numbers) > 1 and (roles := {role for _, role in kind}) & OUTPUTS and "input" in roles
    ]
    return [{stem: pin for stem, (pin, _) in found[n].items()} for n in max(equal, key=len, default=[])]


def banks(part: Part) -> list[list[Channel]]:
    """Give the banks of a part, each as channels of one pin; those of a single pin are none."""
    found: dict[tuple[str, str], list[Channel]] = {}
    for pin in part.pins:
        for function in pin.functions:
            if _BANK.fullmatch(function):
                found.setdefault((function.upper(), pin.role), []).append({"": pin.number})
    return [pins for pins in found.values() if len(pins) > 1]


def exchangeable(part: Part) -> list[list[Channel]]:
    """Give all that may be exchanged within a part, group by group."""
    equal = channels(part)
    return [*([equal] if equal else []), *banks(part)]


def exchanged(design: Design, ref: str) -> Exchanged | None:
    """Exchange what is equal in a part, group after group; None when nothing is gained, see :func:`_exchanged`.

    Raises
    ------
    EditRefused
        When the part has nothing equal, or copper that would have to be lifted is locked.
    """
    groups = exchangeable(design.parts[ref])
    if not groups:
        raise EditRefused(
            f"{ref} has no equal channels and no bank of pins.",
            where=ref,
            next_step=f"Name a part with several equal channels, or say which pins are alike: bank {ref}.1 {ref}.2",
        )
    now, found = design, []
    for group in groups:
        one = _exchanged(now, ref, group)
        if one:
            found.append(one)
            now = apply(now, one.edit)[0]
    if not found:
        return None
    edit = Together(edits=tuple(e for one in found for e in one.edit.edits))
    link, crossings = sum(o.link_mm for o in found), sum(o.crossings for o in found)
    moves = tuple(
        (net.name, old, pin)
        for net in now.nets.values()
        for old, pin in zip(design.nets[net.name].pins, net.pins, strict=True)
        if old != pin
    )
    return Exchanged(ref, edit, sum(o.channels for o in found), link, crossings, moves)


def _exchanged(design: Design, ref: str, equal: list[Channel]) -> Exchanged | None:
    """Exchange the equal channels of a part for the shortest links and fewest crossings; None when nothing is gained.

    Begun from the assignment that is shortest channel by channel (Kuhn 1955), then two at a time while the
    arrangement gets better.
    """
    part = design.parts[ref]
    if part.place is None:
        raise EditRefused(
            f"{ref} has no place on the board yet.", where=ref, next_step=f"Type: place {ref} X Y"
        )
    before = score(design)
    best, worth = list(range(len(equal))), before.worth
    order = _shortest(design, ref, equal)
    there = score(_with(design, ref, equal, order)).worth
    if there < worth:
        best, worth = order, there
    # Of many channels trying all pairs takes long, and the first assignment is near the best.
    better = len(equal) <= FEW
    while better:
        better = False
        for a, b in combinations(range(len(best)), 2):
            order = list(best)
            order[a], order[b] = order[b], order[a]
            there = score(_with(design, ref, equal, order)).worth
            if there < worth - 1e-9:
                best, worth, better = order, there, True
    if before.worth - worth < LEAST_GAIN_MM:
        return None
    after = score(_with(design, ref, equal, best))
    return Exchanged(
        ref,
        _edit(design, ref, equal, best),
        sum(k != g for k, g in enumerate(best)),
        before.link_mm - after.link_mm,
        before.crossings - after.crossings,
    )


def with_channels(design: Design) -> Iterator[str]:
    """Name the placed parts that have equal channels."""
    return (ref for ref, part in design.parts.items() if part.place and exchangeable(part))


def _shortest(design: Design, ref: str, equal: list[Channel]) -> list[int]:
    """Give for each channel the one whose nets it takes, so that the ways to the nearest other pads are shortest."""
    # Here, since loading it takes long and few boards have equal channels.
    from scipy.optimize import linear_sum_assignment

    pads = {i.id: (i.x_mm, i.y_mm) for i in copper_items(design) if i.kind == "pad"}
    cost = np.zeros((len(equal), len(equal)))
    for g, giver in enumerate(equal):
        for stem, number in giver.items():
            net = design.net_of(f"{ref}.{number}")
            others = np.array(
                [
                    pads[p]
                    for p in (design.nets[net].pins if net else ())
                    if p in pads and split_pin(p)[0] != ref
                ]
            ).reshape(-1, 2)
            for k, taker in enumerate(equal):
                here = pads.get(f"{ref}.{taker[stem]}")
                if here and len(others):
                    cost[k, g] += np.hypot(*(others - here).T).min()
    _, order = linear_sum_assignment(cost)
    return [int(g) for g in order]


def _takes(ref: str, equal: list[Channel], order: list[int]) -> dict[str, str]:
    return {
        f"{ref}.{equal[k][stem]}": f"{ref}.{number}"
        for k, g in enumerate(order)
        if k != g
        for stem, number in equal[g].items()
    }


def _with(design: Design, ref: str, equal: list[Channel], order: list[int]) -> Design:
    takes = _takes(ref, equal, order)
    return apply(design, ExchangePins(takes=takes))[0] if takes else design


def _edit(design: Design, ref: str, equal: list[Channel], order: list[int]) -> Together:
    """Exchange the pins, and lift the copper of the nets they were on."""
    takes = _takes(ref, equal, order)
    nets = {design.net_of(p) for p in takes} - {None}
    lift = []
    for section in (design.tracks, design.vias, design.jumpers):
        for key, item in section.items():
            if item.net in nets:
                if getattr(item, "locked", False):
                    raise EditRefused(
                        f"{key} of {item.net} is locked.", where=key, next_step=f"Type: unroute {key}"
                    )
                lift.append(key)
    edits = (ExchangePins(takes=takes), *((LayCopper(lift=tuple(lift)),) if lift else ()))
    return Together(edits=edits)
