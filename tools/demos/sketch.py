"""What the demo designs are sketched with: parts and nets said briefly, sentences of the ask line."""

from __future__ import annotations

import math

from vane_step.core.ask import ask
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.design.edits import apply
from vane_step.core.design.model import (
    Board,
    CurrentNeed,
    Design,
    Net,
    NetRule,
    Part,
    PartPlace,
    Pin,
    natural,
)
from vane_step.core.parts.part import KINDS
from vane_step.core.patterns.packages import package
from vane_step.core.power.trace import width_mm
from vane_step.core.quantity import nm
from vane_step.data.shipped import resources, rule_set

ROLES = {
    "i": "input",
    "o": "output",
    "x": "io",
    "s": "supply-in",
    "S": "supply-out",
    "g": "ground",
    "d": "open-drain",
    "n": "unconnected",
    "p": "passive",
}


class Sketch:
    """Collects parts and nets in the words of a bench note."""

    def __init__(self) -> None:
        self.parts: dict[str, Part] = {}
        self.nets: dict[str, list[str]] = {}
        self.block = ""
        self.kitchen = False

    def add(
        self,
        ref: str,
        value: str,
        pack: str,
        pins: str,
        at: tuple[float, float, float] | None = None,
        kind: str | None = None,
    ) -> None:
        """Add a part; ``pins`` lists ``number[:name[/role]]=NET`` separated by spaces, a dash for no net."""
        listed = []
        for text in pins.split():
            left, _, net = text.partition("=")
            number, _, rest = left.partition(":")
            name, _, role = rest.partition("/")
            listed.append(Pin(number=number, name=name, role=ROLES[role or "p"]))
            if net != "-":
                self.nets.setdefault(net, []).append(f"{ref}.{number}")
        letters = ref.rstrip("0123456789")
        place = PartPlace(x_nm=nm(at[0]), y_nm=nm(at[1]), turn_deg=at[2]) if at else None
        self.parts[ref] = Part(
            ref=ref,
            value=value,
            package=pack,
            kind=kind or KINDS.get(letters, "card"),
            pins=tuple(listed),
            block=self.block,
            place=place,
        )

    def two(
        self,
        ref: str,
        value: str,
        pack: str,
        a: str,
        b: str,
        at: tuple[float, float, float] | None = None,
        kind: str | None = None,
    ) -> None:
        """Add a part of two pins."""
        self.add(ref, value, pack, f"1={a} 2={b}", at, kind)

    def design(self, name: str, title: str, board: Board, rules: dict[str, Net]) -> Design:
        """Make the design; ``rules`` gives role and copper rule of some nets."""
        nets = {}
        for net, pins in sorted(self.nets.items(), key=lambda kv: natural(kv[0])):
            known = rules.get(net)
            nets[net] = Net(
                name=net,
                pins=tuple(pins),
                role=known.role if known else "signal",
                rule=known.rule if known else None,
            )
        packs = {p.package: package(p.package, self.kitchen) for p in self.parts.values()}
        parts = dict(sorted(self.parts.items(), key=lambda kv: natural(kv[0])))
        return Design(name=name, title=title, parts=parts, nets=nets, packages=packs, board=board)


def power_net(
    name: str,
    role: str,
    amps: float,
    clearance: float = 0.2,
    neck: tuple[float, float] | None = None,
    least: float = 0.25,
) -> Net:
    """Give a net whose width follows from its current: 10 K rise on 35 um outer copper, rounded up to 0.05 mm."""
    width = max(least, math.ceil(width_mm(amps, 10, 35, "outer") / 0.05) * 0.05)
    rule = NetRule(
        width_nm=nm(width),
        clearance_nm=nm(clearance),
        neck_width_nm=nm(neck[0]) if neck else None,
        neck_length_nm=nm(neck[1]) if neck else None,
        current=CurrentNeed(current_a=amps, rise_k=10),
    )
    return Net(name=name, role=role, rule=rule)


def blank(name: str, wide_mm: float, tall_mm: float, radius_mm: float, house: str) -> Design:
    """Give a design of the orchard with a two-layer board and nothing on it."""
    board = Board(
        outline=rectangle(wide_mm, tall_mm),
        corner_radius_nm=nm(radius_mm),
        copper_layers=2,
        rules=rule_set(house),
    )
    return Design(name=name, title="Fernhollow Orchard", board=board)


def said(design: Design, *sentences: str) -> Design:
    """Carry sentences out, as somebody at the ask line would."""
    shelf = resources()
    for text in sentences:
        edit = ask(design, text, shelf).edit
        assert edit is not None, text
        design, _ = apply(design, edit)
    return design
