"""Edits of parts in the circuit: adding, replacing, removing, values, pins, notes; nets are edited in ``netedits``."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from vane_step.core.design.changes import Changes, part_of
from vane_step.core.design.model import (
    Design,
    Frozen,
    Package,
    Part,
    PinRole,
    PinUse,
    Text,
    pin_name,
    split_pin,
)
from vane_step.core.design.netedits import check_pin, net_changes, without
from vane_step.core.errors import EditRefused


class AddPart(Frozen):
    """Add a part to the circuit; its package must be in the design or come along."""

    kind: Literal["add-part"] = "add-part"
    part: Part
    package: Package | None = None

    def changes(self, design: Design) -> Changes:
        if self.part.ref in design.parts:
            raise EditRefused(
                f"{self.part.ref} is already in use.",
                where=self.part.ref,
                next_step="Choose another reference, or remove that part first.",
            )
        changes: Changes = {("parts", self.part.ref): self.part}
        if self.package:
            changes[("packages", self.package.name)] = self.package
        return changes


class ReplacePart(Frozen):
    """Put another part in a part's stead: its place, block, connections and fit stay, so its pins must be there."""

    kind: Literal["replace-part"] = "replace-part"
    part: Part
    package: Package | None = None

    def changes(self, design: Design) -> Changes:
        old = part_of(design, self.part.ref)
        stays = {k: getattr(old, k) for k in ("place", "block", "nudge", "note", "uses", "fitted", "choice")}
        changes: Changes = {("parts", old.ref): self.part.model_copy(update=stays)}
        if self.package:
            changes[("packages", self.package.name)] = self.package
        return changes


class RemovePart(Frozen):
    """Take a part out of the circuit and off its nets; its copper stays."""

    kind: Literal["remove-part"] = "remove-part"
    ref: str

    def changes(self, design: Design) -> Changes:
        part = part_of(design, self.ref)
        after = without(design.nets, (pin_name(part.ref, p.number) for p in part.pins))
        return {("parts", self.ref): None, **net_changes(design.nets, after), **_unnamed(design, self.ref)}


def _unnamed(design: Design, ref: str) -> Changes:
    """Take a part's name out of the variants, calculations and states that mention it."""
    changes: Changes = {}
    for variant in design.variants.values():
        if ref in variant.fitted:
            kept = {k: v for k, v in variant.fitted.items() if k != ref}
            changes[("variants", variant.id)] = variant.model_copy(update={"fitted": kept})
    for found in design.calculations.values():
        if ref in found.sets.values():
            rest = {k: v for k, v in found.sets.items() if v != ref}
            changes[("calculations", found.id)] = found.model_copy(update={"sets": rest}) if rest else None
    # What was said of its pins goes with it; a source or load at one of them is there no more.
    for section, ends in (("drives", ("pin",)), ("sources", ("plus", "minus")), ("loads", ("plus", "minus"))):
        for key, item in getattr(design, section).items():
            if any(getattr(item, end).partition(".")[0] == ref and "." in getattr(item, end) for end in ends):
                changes[(section, key)] = None
    for state in design.states.values():
        if ref in state.settings:
            left = {k: v for k, v in state.settings.items() if k != ref}
            changes[("states", state.id)] = state.model_copy(update={"settings": left})
    return changes


class SetValue(Frozen):
    """Change a part's value or block."""

    kind: Literal["set-value"] = "set-value"
    ref: str
    value: Text | None = None
    block: Text | None = None

    def changes(self, design: Design) -> Changes:
        part = part_of(design, self.ref)
        update: dict[str, Any] = {
            k: v for k, v in (("value", self.value), ("block", self.block)) if v is not None
        }
        if part.catalogue and update.get("value", part.value) != part.value:
            # A part of another value is another part: what the catalogue said of the old one no longer holds.
            update |= {"catalogue": "", "params": {}}
        return {("parts", self.ref): part.model_copy(update=update)}


class SetPin(Frozen):
    """Say what a pin is called and what it does, as the electrical review reads it."""

    kind: Literal["set-pin"] = "set-pin"
    pin: str
    name: str | None = Field(default=None, max_length=40)
    role: PinRole | None = None
    functions: tuple[str, ...] | None = Field(default=None, max_length=60)

    def changes(self, design: Design) -> Changes:
        check_pin(design, self.pin)
        ref, number = split_pin(self.pin)
        part = design.parts[ref]
        said = (("name", self.name), ("role", self.role), ("functions", self.functions))
        update = {k: v for k, v in said if v is not None}
        pins = tuple(p.model_copy(update=update) if p.number == number else p for p in part.pins)
        return {("parts", ref): part.model_copy(update={"pins": pins})}


class NudgePart(Frozen):
    """Shift a part on the drawn sheet, in steps of the sheet's grid; ``None`` gives it back to the program."""

    kind: Literal["nudge-part"] = "nudge-part"
    ref: str
    nudge: tuple[int, int] | None

    def changes(self, design: Design) -> Changes:
        return {("parts", self.ref): part_of(design, self.ref).model_copy(update={"nudge": self.nudge})}


class SetPart(Frozen):
    """Say more of a part: what it is in the catalogue, whether it is fitted, what its pins are used for."""

    kind: Literal["set-part"] = "set-part"
    ref: str
    catalogue: Text | None = None
    value: Text | None = None
    params: dict[str, float] | None = None
    uses: tuple[PinUse, ...] | None = None
    fitted: bool | None = None
    choice: Text | None = None
    note: Text | None = None

    def changes(self, design: Design) -> Changes:
        fields = ("catalogue", "value", "params", "uses", "fitted", "choice", "note")
        update = {k: v for k in fields if (v := getattr(self, k)) is not None}
        return {("parts", self.ref): part_of(design, self.ref).model_copy(update=update)}
