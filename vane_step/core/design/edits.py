"""Typed edits: each says what to change in plain terms; ``apply`` gives the next design and the inverse.

Every edit comes down to a list of *changes*, each of which sets or removes one entry of one collection. The
inverse of any edit is therefore a :class:`Restore` of the entries it touched.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError
from pydantic_core import PydanticSerializationError

from vane_step.core.design.boardedits import (
    LayCopper as LayCopper,
    PlaceParts as PlaceParts,
    SetCutouts as SetCutouts,
    SetOutline as SetOutline,
    SetRules as SetRules,
    SetZones as SetZones,
)
from vane_step.core.design.changes import Changes, net_of as net_of, part_of as part_of, sections_after
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import (
    COLLECTIONS,
    SINGLES,
    TEXTS,
    Design,
    Frozen,
    Part,
    name_of,
    problems,
)
from vane_step.core.design.netedits import (
    ExchangePins as ExchangePins,
    Join as Join,
    MergeNets as MergeNets,
    PartPins as PartPins,
    RemoveNet as RemoveNet,
    RenameNet as RenameNet,
    SetNetRule as SetNetRule,
)
from vane_step.core.design.partedits import (
    AddPart as AddPart,
    NudgePart as NudgePart,
    RemovePart as RemovePart,
    ReplacePart as ReplacePart,
    SetPart as SetPart,
    SetPin as SetPin,
    SetValue as SetValue,
)
from vane_step.core.design.recordedits import (
    ITEMS as ITEMS,
    RemoveItem as RemoveItem,
    SetBrief as SetBrief,
    SetItem as SetItem,
    SetName as SetName,
)
from vane_step.core.errors import EditRefused, InputError

# Sections nothing refers to: a change there cannot break the design elsewhere.
LOOSE = (
    "tracks",
    "vias",
    "jumpers",
    "texts",
    "holes",
    "brief",
    "requirements",
    "waivers",
    "blocks",
    "extras",
)


class Restore(Frozen):
    """Set entries to what they were: the inverse of any edit."""

    kind: Literal["restore"] = "restore"
    entries: tuple[tuple[str, str, Any], ...]

    def changes(self, design: Design) -> Changes:
        changes: Changes = {}
        for section, key, value in self.entries:
            if section in SINGLES:
                changes[(section, key)] = SINGLES[section].model_validate(value)
            elif section in TEXTS:
                changes[(section, key)] = value
            elif section in COLLECTIONS:
                changes[(section, key)] = (
                    None if value is None else COLLECTIONS[section].model_validate(value)
                )
            else:
                raise EditRefused(
                    f"There is no section {section}.",
                    where=section,
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
    | SetName
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
            f"This cannot be written: {error}.",
            where=edit.kind,
            next_step="Leave out what is no text.",
        ) from error
    before: list[tuple[str, str, Any]] = []
    for section, key in changes:
        if section in TEXTS:
            before.append((section, key, getattr(design, section)))
            continue
        old = getattr(design, section) if section in SINGLES else getattr(design, section).get(key)
        before.append((section, key, None if old is None else old.model_dump(mode="json")))
    sections = sections_after(design, changes)
    result = design.replaced(**sections)
    if any(_may_break(design, *name, value) for name, value in changes.items()):
        for problem in problems(result):
            raise EditRefused(
                f"This would leave a broken design: {problem}.",
                where=edit.kind,
                next_step="Change first what refers to it.",
            )
    else:
        _check_copper(result, changes)
    return result, Restore(entries=tuple(before))


def _checked(section: str, key: str, value: Frozen | str | None) -> Frozen | str | None:
    """Give a new entry as it will be read back; edits are free in how they make it, so it is validated here."""
    if section in TEXTS:
        return SetName(name=value or "").name if section == "name" else value
    if not isinstance(value, Frozen):
        return value
    read = type(value).model_validate_json(value.model_dump_json())
    if section not in SINGLES and name_of(read) != key:
        raise EditRefused(
            f"{section}: entry {key!r} would hold {name_of(read)!r}.", where=key, allowed="its own name"
        )
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
                f"There is no net {net}.",
                where=str(getattr(item, "id", "")),
                next_step="Join two pins to make it.",
            )
        layer = getattr(item, "layer", None)
        if layer is not None and layer not in design.board.layers:
            raise EditRefused(
                f"The board has no layer {layer}.",
                where=str(getattr(item, "id", "")),
                next_step="Choose a layer the board has, or other rules.",
            )
