"""Edits of what is written down beside parts and nets: packages, holes, texts, reasons, requirements, the brief."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from vane_step.core.design.changes import Changes
from vane_step.core.design.model import (
    Block,
    Brief,
    Calculation,
    Design,
    Drive,
    Extra,
    Frozen,
    LegendText,
    Load,
    Mode,
    MountingHole,
    Package,
    Pour,
    PowerState,
    Requirement,
    Source,
    Text,
    Variant,
    Waiver,
    name_of,
)
from vane_step.core.errors import NotFound

# Which field of SetItem goes into which section; all of these but packages may be removed by their id.
ITEMS: dict[str, str] = {
    "hole": "holes",
    "pour": "pours",
    "text": "texts",
    "package": "packages",
    "requirement": "requirements",
    "calculation": "calculations",
    "variant": "variants",
    "waiver": "waivers",
    "block": "blocks",
    "extra": "extras",
    "source": "sources",
    "load": "loads",
    "drive": "drives",
    "mode": "modes",
    "state": "states",
}


class SetItem(Frozen):
    """Add or replace things that stand for themselves: holes, pours, texts, packages, requirements, reasons …"""

    kind: Literal["set-item"] = "set-item"
    hole: MountingHole | None = None
    pour: Pour | None = None
    text: LegendText | None = None
    package: Package | None = None
    requirement: Requirement | None = None
    calculation: Calculation | None = None
    variant: Variant | None = None
    waiver: Waiver | None = None
    block: Block | None = None
    extra: Extra | None = None
    source: Source | None = None
    load: Load | None = None
    drive: Drive | None = None
    mode: Mode | None = None
    state: PowerState | None = None

    def changes(self, design: Design) -> Changes:
        named: dict[str, Any] = {section: getattr(self, field) for field, section in ITEMS.items()}
        return {(section, name_of(item)): item for section, item in named.items() if item is not None}


class RemoveItem(Frozen):
    """Remove what stands for itself by its id: a hole, cut-out, zone, pour, text, requirement and so on.

    Ids of different sections may be the same; with a ``section`` only that is looked in.
    """

    kind: Literal["remove-item"] = "remove-item"
    id: str
    section: str = ""

    def changes(self, design: Design) -> Changes:
        if self.section in ITEMS.values() and self.id in getattr(design, self.section):
            return {(self.section, self.id): None}
        left = tuple(c for c in design.board.cutouts if c.id != self.id)
        if len(left) < len(design.board.cutouts):
            return {("board", ""): design.board.model_copy(update={"cutouts": left})}
        zones = tuple(z for z in design.board.zones if z.id != self.id)
        if len(zones) < len(design.board.zones):
            return {("board", ""): design.board.model_copy(update={"zones": zones})}
        for section in ITEMS.values() if not self.section else ():
            if section != "packages" and self.id in getattr(design, section):
                return {(section, self.id): None}
        raise NotFound(
            f"There is nothing called {self.id} to remove.",
            where=self.id,
            next_step="Name a part, net, hole, text, pour, zone, cut-out or reason there is.",
        )


class SetName(Frozen):
    """Give the design another name."""

    kind: Literal["set-name"] = "set-name"
    name: Text = Field(min_length=1, max_length=80)

    def changes(self, design: Design) -> Changes:
        return {("name", ""): self.name}


class SetBrief(Frozen):
    """Say what binds every step."""

    kind: Literal["set-brief"] = "set-brief"
    brief: Brief

    def changes(self, design: Design) -> Changes:
        return {("brief", ""): self.brief}
