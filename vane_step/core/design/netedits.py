"""Edits of nets: joining, taking off, renaming, merging, removing, rules; parts are edited in ``partedits``."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from pydantic import Field

from vane_step.core.design.changes import Changes, net_of, part_of
from vane_step.core.design.model import (
    Design,
    Frozen,
    Name,
    Net,
    NetRole,
    NetRule,
    role_of_net,
    split_pin,
)
from vane_step.core.errors import EditRefused, NotFound


def check_pin(design: Design, pin: str) -> None:
    """Refuse a pin that no part of the design has."""
    ref, number = split_pin(pin)
    part = part_of(design, ref)
    if part.pin(number) is None:
        raise NotFound(
            f"{ref} has no pin {number}.",
            where=pin,
            allowed=", ".join(p.number for p in part.pins[:40]),
            next_step="Name one of its pins.",
        )


def without(nets: dict[str, Net], pins: Iterable[str]) -> dict[str, Net]:
    """Give the nets without some pins."""
    gone = set(pins)
    return {
        name: net
        if gone.isdisjoint(net.pins)
        else net.model_copy(update={"pins": tuple(p for p in net.pins if p not in gone)})
        for name, net in nets.items()
    }


def net_changes(before: dict[str, Net], after: dict[str, Net]) -> Changes:
    """Give what differs between two sets of nets."""
    changes: Changes = {("nets", k): v for k, v in after.items() if before.get(k) is not v}
    changes.update({("nets", k): None for k in before if k not in after})
    return changes


class Join(Frozen):
    """Put pins on one net, taking them off the nets they were on; the net is made when it does not exist."""

    kind: Literal["join"] = "join"
    pins: tuple[str, ...] = Field(min_length=1, max_length=2000)
    net: Name

    def changes(self, design: Design) -> Changes:
        for pin in self.pins:
            check_pin(design, pin)
        after = without(design.nets, self.pins)
        net = after.get(self.net) or Net(name=self.net, role=role_of_net(self.net))
        pins = (*net.pins, *dict.fromkeys(self.pins))
        after[self.net] = net.model_copy(update={"pins": pins})
        return net_changes(design.nets, after)


class ExchangePins(Frozen):
    """Let pins change nets among each other: each takes the net the pin it names was on."""

    kind: Literal["exchange-pins"] = "exchange-pins"
    takes: dict[str, str] = Field(min_length=2, max_length=400)

    def changes(self, design: Design) -> Changes:
        if set(self.takes) != set(self.takes.values()):
            raise EditRefused(
                "Pins can only be exchanged among each other.",
                where=min(self.takes),
                next_step="Name each pin once on both sides.",
            )
        for pin in self.takes:
            check_pin(design, pin)
        goes = {source: pin for pin, source in self.takes.items()}
        after = {
            name: net.model_copy(update={"pins": tuple(goes.get(p, p) for p in net.pins)})
            if any(p in goes for p in net.pins)
            else net
            for name, net in design.nets.items()
        }
        return net_changes(design.nets, after)


class PartPins(Frozen):
    """Take pins off their nets."""

    kind: Literal["part-pins"] = "part-pins"
    pins: tuple[str, ...] = Field(min_length=1, max_length=2000)

    def changes(self, design: Design) -> Changes:
        for pin in self.pins:
            check_pin(design, pin)
            if design.net_of(pin) is None:
                raise EditRefused(
                    f"{pin} is not on a net.",
                    where=pin,
                    next_step="Name a pin that is joined to something.",
                )
        return net_changes(design.nets, without(design.nets, self.pins))


def _renamed_copper(design: Design, old: str, new: str) -> Changes:
    return {
        (section, key): item.model_copy(update={"net": new})
        for section in ("tracks", "vias", "jumpers", "pours")
        for key, item in getattr(design, section).items()
        if item.net == old
    }


def _renamed_inputs(design: Design, old: str, new: str) -> Changes:
    """Let calculations, sources and loads follow a net that is called otherwise now."""
    return {
        ("calculations", c.id): c.model_copy(
            update={"inputs": {k: new if v == old else v for k, v in c.inputs.items()}}
        )
        for c in design.calculations.values()
        if old in c.inputs.values()
    } | {
        (section, item.id): item.model_copy(
            update={
                end: new if getattr(item, end) == old else getattr(item, end) for end in ("plus", "minus")
            }
        )
        for section in ("sources", "loads")
        for item in getattr(design, section).values()
        if old in (item.plus, item.minus)
    }


class RenameNet(Frozen):
    """Give a net another name; a name in use is refused, merging is an edit of its own."""

    kind: Literal["rename-net"] = "rename-net"
    net: str
    to: Name

    def changes(self, design: Design) -> Changes:
        net = net_of(design, self.net)
        if self.to in design.nets:
            raise EditRefused(
                f"There is already a net {self.to}.",
                where=self.net,
                next_step=f"Type: merge {self.net} {self.to}",
            )
        # A role that came of the old name goes with it: who joins by pointing names nets afterwards.
        role = role_of_net(self.to) if net.role in ("signal", role_of_net(self.net)) else net.role
        renamed = net.model_copy(update={"name": self.to, "role": role})
        return {
            ("nets", self.net): None,
            ("nets", self.to): renamed,
            **_renamed_copper(design, self.net, self.to),
            **_renamed_inputs(design, self.net, self.to),
        }


class MergeNets(Frozen):
    """Merge one net into another, which keeps its name and rule."""

    kind: Literal["merge-nets"] = "merge-nets"
    net: str
    into: str

    def changes(self, design: Design) -> Changes:
        gone, kept = net_of(design, self.net), net_of(design, self.into)
        if gone is kept:
            raise EditRefused(
                "A net cannot be merged with itself.", where=self.net, next_step="Name two nets."
            )
        merged = kept.model_copy(update={"pins": (*kept.pins, *gone.pins)})
        return {
            ("nets", self.net): None,
            ("nets", self.into): merged,
            **_renamed_copper(design, self.net, self.into),
            **_renamed_inputs(design, self.net, self.into),
        }


class RemoveNet(Frozen):
    """Take all pins off a net and forget it, together with its copper."""

    kind: Literal["remove-net"] = "remove-net"
    net: str

    def changes(self, design: Design) -> Changes:
        net_of(design, self.net)
        copper: Changes = dict.fromkeys(_renamed_copper(design, self.net, self.net))
        return {("nets", self.net): None, **copper}


class SetNetRule(Frozen):
    """Set a net's copper rule and role; ``rule`` left out goes back to the maker's default."""

    kind: Literal["set-net-rule"] = "set-net-rule"
    net: str
    rule: NetRule | None = None
    role: NetRole | None = None
    volts: tuple[float, float] | None = None

    def changes(self, design: Design) -> Changes:
        net = net_of(design, self.net)
        update = {"rule": self.rule, "role": self.role or net.role, "volts": self.volts or net.volts}
        return {("nets", self.net): net.model_copy(update=update)}
