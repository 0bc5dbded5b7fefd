"""Typed edits: each says what to change in plain terms; ``apply`` gives the next design and the inverse.

Every edit comes down to a list of *changes*, each of which sets or removes one entry of one collection. The
inverse of any edit is therefore a :class:`Restore` of the entries it touched.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError
from pydantic_core import PydanticSerializationError

from vane_step.core.design.boardedits import (
    LayCopper as LayCopper,
)
from vane_step.core.design.boardedits import (
    PlaceParts as PlaceParts,
)
from vane_step.core.design.boardedits import (
    SetCutouts as SetCutouts,
)
from vane_step.core.design.boardedits import (
    SetOutline as SetOutline,
)
from vane_step.core.design.boardedits import (
    SetRules as SetRules,
)
from vane_step.core.design.boardedits import (
    SetZones as SetZones,
)
from vane_step.core.design.changes import Changes, sections_after
from vane_step.core.design.changes import net_of as net_of
from vane_step.core.design.changes import part_of as part_of
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import (
    COLLECTIONS,
    SINGLES,
    Block,
    Brief,
    Calculation,
    Design,
    Extra,
    Frozen,
    LegendText,
    MountingHole,
    Name,
    Net,
    NetRole,
    NetRule,
    Package,
    Part,
    PinRole,
    PinUse,
    Pour,
    Requirement,
    Text,
    Variant,
    Waiver,
    name_of,
    pin_name,
    problems,
    role_of_net,
    split_pin,
)
from vane_step.core.errors import EditRefused, InputError, NotFound

# Sections nothing refers to: a change there cannot break the design elsewhere.
LOOSE = ("tracks", "vias", "jumpers", "texts", "holes", "brief", "requirements", "waivers", "blocks", "extras")


def _check_pin(design: Design, pin: str) -> None:
    ref, number = split_pin(pin)
    part = part_of(design, ref)
    if part.pin(number) is None:
        raise NotFound(
            f"{ref} has no pin {number}.", where=pin, allowed=", ".join(p.number for p in part.pins[:40]),
            next_step="Name one of its pins.",
        )


def _without(nets: dict[str, Net], pins: Iterable[str]) -> dict[str, Net]:
    """Give the nets without some pins."""
    gone = set(pins)
    return {
        name: net
        if gone.isdisjoint(net.pins)
        else net.model_copy(update={"pins": tuple(p for p in net.pins if p not in gone)})
        for name, net in nets.items()
    }


def _net_changes(before: dict[str, Net], after: dict[str, Net]) -> Changes:
    changes: Changes = {("nets", k): v for k, v in after.items() if before.get(k) is not v}
    changes.update({("nets", k): None for k in before if k not in after})
    return changes


class AddPart(Frozen):
    """Add a part to the circuit; its package must be in the design or come along."""

    kind: Literal["add-part"] = "add-part"
    part: Part
    package: Package | None = None

    def changes(self, design: Design) -> Changes:
        if self.part.ref in design.parts:
            raise EditRefused(
                f"{self.part.ref} is already in use.", where=self.part.ref,
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
        after = _without(design.nets, (pin_name(part.ref, p.number) for p in part.pins))
        return {("parts", self.ref): None, **_net_changes(design.nets, after), **_unnamed(design, self.ref)}


def _unnamed(design: Design, ref: str) -> Changes:
    """Take a part's name out of the variants and calculations that mention it."""
    changes: Changes = {}
    for variant in design.variants.values():
        if ref in variant.fitted:
            kept = {k: v for k, v in variant.fitted.items() if k != ref}
            changes[("variants", variant.id)] = variant.model_copy(update={"fitted": kept})
    for found in design.calculations.values():
        if ref in found.sets.values():
            rest = {k: v for k, v in found.sets.items() if v != ref}
            changes[("calculations", found.id)] = found.model_copy(update={"sets": rest}) if rest else None
    return changes


class SetValue(Frozen):
    """Change a part's value or block."""

    kind: Literal["set-value"] = "set-value"
    ref: str
    value: Text | None = None
    block: Text | None = None

    def changes(self, design: Design) -> Changes:
        part = part_of(design, self.ref)
        update: dict[str, Any] = {k: v for k, v in (("value", self.value), ("block", self.block)) if v is not None}
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

    def changes(self, design: Design) -> Changes:
        _check_pin(design, self.pin)
        ref, number = split_pin(self.pin)
        part = design.parts[ref]
        update = {k: v for k, v in (("name", self.name), ("role", self.role)) if v is not None}
        pins = tuple(p.model_copy(update=update) if p.number == number else p for p in part.pins)
        return {("parts", ref): part.model_copy(update={"pins": pins})}


class Join(Frozen):
    """Put pins on one net, taking them off the nets they were on; the net is made when it does not exist."""

    kind: Literal["join"] = "join"
    pins: tuple[str, ...] = Field(min_length=1, max_length=2000)
    net: Name

    def changes(self, design: Design) -> Changes:
        for pin in self.pins:
            _check_pin(design, pin)
        after = _without(design.nets, self.pins)
        net = after.get(self.net) or Net(name=self.net, role=role_of_net(self.net))
        pins = (*net.pins, *dict.fromkeys(self.pins))
        after[self.net] = net.model_copy(update={"pins": pins})
        return _net_changes(design.nets, after)


class ExchangePins(Frozen):
    """Let pins change nets among each other: each takes the net the pin it names was on."""

    kind: Literal["exchange-pins"] = "exchange-pins"
    takes: dict[str, str] = Field(min_length=2, max_length=400)

    def changes(self, design: Design) -> Changes:
        if set(self.takes) != set(self.takes.values()):
            raise EditRefused(
                "Pins can only be exchanged among each other.", where=min(self.takes),
                next_step="Name each pin once on both sides.",
            )
        for pin in self.takes:
            _check_pin(design, pin)
        goes = {source: pin for pin, source in self.takes.items()}
        after = {
            name: net.model_copy(update={"pins": tuple(goes.get(p, p) for p in net.pins)})
            if any(p in goes for p in net.pins)
            else net
            for name, net in design.nets.items()
        }
        return _net_changes(design.nets, after)


class PartPins(Frozen):
    """Take pins off their nets."""

    kind: Literal["part-pins"] = "part-pins"
    pins: tuple[str, ...] = Field(min_length=1, max_length=2000)

    def changes(self, design: Design) -> Changes:
        for pin in self.pins:
            _check_pin(design, pin)
            if design.net_of(pin) is None:
                raise EditRefused(
                    f"{pin} is not on a net.", where=pin,
                    next_step="Name a pin that is joined to something.",
                )
        return _net_changes(design.nets, _without(design.nets, self.pins))


def _renamed_copper(design: Design, old: str, new: str) -> Changes:
    return {
        (section, key): item.model_copy(update={"net": new})
        for section in ("tracks", "vias", "jumpers", "pours")
        for key, item in getattr(design, section).items()
        if item.net == old
    }


def _renamed_inputs(design: Design, old: str, new: str) -> Changes:
    """Let calculations follow a net that is called otherwise now."""
    return {
        ("calculations", c.id): c.model_copy(
            update={"inputs": {k: new if v == old else v for k, v in c.inputs.items()}}
        )
        for c in design.calculations.values()
        if old in c.inputs.values()
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
            raise EditRefused("A net cannot be merged with itself.", where=self.net, next_step="Name two nets.")
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


class NudgePart(Frozen):
    """Shift a part on the drawn sheet, in steps of the sheet's grid; ``None`` gives it back to the program."""

    kind: Literal["nudge-part"] = "nudge-part"
    ref: str
    nudge: tuple[int, int] | None

    def changes(self, design: Design) -> Changes:
        return {("parts", self.ref): part_of(design, self.ref).model_copy(update={"nudge": self.nudge})}


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

    def changes(self, design: Design) -> Changes:
        named: dict[str, Any] = {section: getattr(self, field) for field, section in ITEMS.items()}
        return {(section, name_of(item)): item for section, item in named.items() if item is not None}


# Which field of SetItem goes into which section; all of these but packages may be removed by their id.
ITEMS: dict[str, str] = {
    "hole": "holes", "pour": "pours", "text": "texts", "package": "packages", "requirement": "requirements",
    "calculation": "calculations", "variant": "variants", "waiver": "waivers", "block": "blocks", "extra": "extras",
}  # fmt: skip


class RemoveItem(Frozen):
    """Remove what stands for itself by its id: a hole, cut-out, zone, pour, text, requirement and so on."""

    kind: Literal["remove-item"] = "remove-item"
    id: str

    def changes(self, design: Design) -> Changes:
        left = tuple(c for c in design.board.cutouts if c.id != self.id)
        if len(left) < len(design.board.cutouts):
            return {("board", ""): design.board.model_copy(update={"cutouts": left})}
        zones = tuple(z for z in design.board.zones if z.id != self.id)
        if len(zones) < len(design.board.zones):
            return {("board", ""): design.board.model_copy(update={"zones": zones})}
        for section in ITEMS.values():
            if section != "packages" and self.id in getattr(design, section):
                return {(section, self.id): None}
        raise NotFound(
            f"There is nothing called {self.id} to remove.", where=self.id,
            next_step="Name a part, net, hole, text, pour, zone, cut-out or reason there is.",
        )


class SetBrief(Frozen):
    """Say what binds every step."""

    kind: Literal["set-brief"] = "set-brief"
    brief: Brief

    def changes(self, design: Design) -> Changes:
        return {("brief", ""): self.brief}


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


class Restore(Frozen):
    """Set entries to what they were: the inverse of any edit."""

    kind: Literal["restore"] = "restore"
    entries: tuple[tuple[str, str, Any], ...]

    def changes(self, design: Design) -> Changes:
        changes: Changes = {}
        for section, key, value in self.entries:
            if section in SINGLES:
                changes[(section, key)] = SINGLES[section].model_validate(value)
            elif section in COLLECTIONS:
                changes[(section, key)] = None if value is None else COLLECTIONS[section].model_validate(value)
            else:
                raise EditRefused(
                    f"There is no section {section}.", where=section,
                    next_step="Name a section of the design file.",
                )
        return changes


Single = Annotated[
    AddPart
    | ReplacePart
    | RemovePart
    | SetValue
    | SetPin
    | Join
    | ExchangePins
    | PartPins
    | RenameNet
    | MergeNets
    | RemoveNet
    | SetNetRule
    | NudgePart
    | PlaceParts
    | LayCopper
    | SetOutline
    | SetCutouts
    | SetZones
    | SetRules
    | SetItem
    | RemoveItem
    | SetBrief
    | SetPart
    | Restore,
    Field(discriminator="kind"),
]


class Together(Frozen):
    """Several edits as one: all of them happen, in order, or none."""

    kind: Literal["together"] = "together"
    edits: tuple[Single, ...] = Field(min_length=1, max_length=5000)

    def changes(self, design: Design) -> Changes:
        changes: Changes = {}
        for edit in self.edits:
            fresh = edit.changes(design)
            changes.update(fresh)
            # Judged once, at the end: what several edits leave together must hold, not every step on the way.
            design = design.replaced(**sections_after(design, fresh, ordered=False))
        return changes


Edit = Annotated[Single | Together, Field(discriminator="kind")]
_adapter: TypeAdapter[Edit] = TypeAdapter(Edit)


def edit_from(data: Any) -> Edit:
    """Read an edit from plain data, with an error that names the field."""
    try:
        return _adapter.validate_python(data)
    except ValidationError as error:
        raise input_error(error, "edit") from error


def apply(design: Design, edit: Edit) -> tuple[Design, Restore]:
    """Apply an edit.

    Parameters
    ----------
    design : Design
        The design as it is; it is not changed.
    edit : Edit
        What to change.

    Returns
    -------
    tuple of Design and Restore
        The next design, and the edit that takes it back: ``apply(*apply(d, e))[0] == d``.

    Raises
    ------
    EditRefused, NotFound
        When the edit does not fit the design or would make it inconsistent; nothing is changed then.
    InputError
        When an entry it makes is one the document does not hold, naming the field.

    Guarantees
    ----------
    What results is read back from its own file as it is: every changed entry went through the document's reader.
    """
    try:
        changes = {name: _checked(*name, value) for name, value in edit.changes(design).items()}
    except ValidationError as error:
        raise input_error(error, edit.kind) from error
    except PydanticSerializationError as error:
        raise InputError(
            f"This cannot be written: {error}.", where=edit.kind,
            next_step="Leave out what is no text.",
        ) from error
    before: list[tuple[str, str, Any]] = []
    for section, key in changes:
        old = getattr(design, section) if section in SINGLES else getattr(design, section).get(key)
        before.append((section, key, None if old is None else old.model_dump(mode="json")))
    sections = sections_after(design, changes)
    result = design.replaced(**sections)
    if any(_may_break(design, *name, value) for name, value in changes.items()):
        for problem in problems(result):
            raise EditRefused(
                f"This would leave a broken design: {problem}.", where=edit.kind,
                next_step="Change first what refers to it.",
            )
    else:
        _check_copper(result, changes)
    return result, Restore(entries=tuple(before))


def _checked(section: str, key: str, value: Frozen | str | None) -> Frozen | str | None:
    """Give a new entry as it will be read back; edits are free in how they make it, so it is validated here."""
    if not isinstance(value, Frozen):
        return value
    read = type(value).model_validate_json(value.model_dump_json())
    if section not in SINGLES and name_of(read) != key:
        raise EditRefused(f"{section}: entry {key!r} would hold {name_of(read)!r}.", where=key, allowed="its own name")
    # Where nothing differs the object stays, by which results kept for it are found.
    return value if read == value else read


def _may_break(design: Design, section: str, key: str, value: Frozen | str | None) -> bool:
    """Tell whether a change may leave something elsewhere that refers to nothing; a part that only moves may not."""
    if section in LOOSE:
        return False
    old = design.parts.get(key) if section == "parts" else None
    if old is None or not isinstance(value, Part):
        return True
    return (old.ref, old.package, old.pins) != (value.ref, value.package, value.pins)


def _check_copper(design: Design, changes: Changes) -> None:
    """Check only the copper that changed: a route of thousands of pieces is laid piece by piece."""
    for item in changes.values():
        net = getattr(item, "net", None)
        if net is not None and net not in design.nets:
            raise EditRefused(
                f"There is no net {net}.", where=str(getattr(item, "id", "")),
                next_step="Join two pins to make it.",
            )
        layer = getattr(item, "layer", None)
        if layer is not None and layer not in design.board.layers:
            raise EditRefused(
                f"The board has no layer {layer}.", where=str(getattr(item, "id", "")),
                next_step="Choose a layer the board has, or other rules.",
            )
