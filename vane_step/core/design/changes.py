"""What every edit comes down to: entries set or removed, and the sections that result; no edit itself."""

from __future__ import annotations

from typing import Any

from vane_step.core.design.model import BY_ID, SINGLES, TEXTS, Design, Frozen, Net, Part, by_id, in_order
from vane_step.core.errors import NotFound

# The entry under a section and a key: what it becomes, or ``None`` when it goes. The board has the key "".
Changes = dict[tuple[str, str], Frozen | str | None]


def sections_after(design: Design, changes: Changes, ordered: bool = True) -> dict[str, Any]:
    """Give the sections of a design as they are after some changes; new names are put in their place."""
    sections: dict[str, Any] = {}
    for (section, key), value in changes.items():
        if section in SINGLES or section in TEXTS:
            sections[section] = value
            continue
        items = sections.setdefault(section, dict(getattr(design, section)))
        if value is None:
            items.pop(key, None)
        else:
            items[key] = value
    for section, items in sections.items():
        if section in SINGLES or section in TEXTS:
            continue
        if ordered and items.keys() - getattr(design, section).keys():
            sections[section] = (by_id if section in BY_ID else in_order)(items)
    return sections


def part_of(design: Design, ref: str) -> Part:
    """Give a part of the design.

    Raises
    ------
    NotFound
        When there is no part of that reference.
    """
    if ref not in design.parts:
        raise NotFound(f"There is no part {ref}.", where=ref, next_step="Check the reference.")
    return design.parts[ref]


def net_of(design: Design, name: str) -> Net:
    """Give a net of the design, or raise :class:`NotFound`."""
    if name not in design.nets:
        raise NotFound(f"There is no net {name}.", where=name, next_step="Join two pins to make one.")
    return design.nets[name]
