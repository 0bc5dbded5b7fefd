"""Parts, packages and rule sets of one's own: read, checked like those that ship; the store keeps them."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.figures import PARAMETERS, VALUED
from vane_step.core.catalogue.plausible import part_faults
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Package, PartKind, Pin, PinRole, RuleSet
from vane_step.core.design.rulefigures import check_sound
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.part import pin_numbers
from vane_step.core.patterns.packages import package
from vane_step.core.quantity import parse_value, typed

MAKER = "your own"
_FIGURE = re.compile(
    r"\s*(?P<title>[A-Za-z][A-Za-z _-]*?)\s*[:=]?\s+(?P<value>[-+.\d]\S*(?:\s?[A-Za-zΩ%/²]+)?)\s*"
)


class OwnPart(BaseModel):
    """A part of one's own as it is kept; with its package where that is one's own, too."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    number: str = Field(min_length=1, max_length=40, pattern=r"^[^\s.,;=\"]+$")
    title: str = Field(min_length=1, max_length=120)
    category: str = Field(min_length=1, max_length=60)
    kind: PartKind = "card"
    letters: str = Field(pattern="^[A-Z]{1,4}$")
    value: str = Field(default="", max_length=60)
    package: str = Field(min_length=1, max_length=64)
    pattern: Package | None = None
    pins: tuple[Pin, ...] = Field(min_length=1, max_length=2000)
    params: dict[str, float] = {}


Own = OwnPart | Package | RuleSet


def own_part(
    catalogue: Catalogue,
    number: str,
    title: str,
    category: str,
    pack: str,
    pins: str,
    figures: str,
    packages: Mapping[str, Package],
) -> OwnPart:
    """Make a part of one's own from what a form has, and check it as those that ship are checked.

    Parameters
    ----------
    category : str
        A category of the catalogue: it says the kind, the letters of references and what figures there should be.
    pack : str
        A package by name, of the program's or of ``packages``.
    pins : str
        A pin a line or between ``|``: number, name, role; none for a part whose pins have no names.
    figures : str
        A figure a line or between ``,``: its title or key and its value, ``reverse voltage 40 V``.
    packages : mapping of str to Package
        Packages of the design it is made in.

    Raises
    ------
    InputError, NotFound
        Naming the field, or what of the part cannot be right.
    """
    like = next((p for p in catalogue.parts.values() if p.category.lower() == category.lower()), None)
    if like is None:
        raise NotFound(
            f"There is no category {category}.",
            where="category",
            value=category,
            allowed=", ".join(catalogue.index.near(category.lower())) or "one of the tree",
        )
    if number in catalogue.parts and catalogue.parts[number].maker != MAKER:
        raise InputError(
            f"The catalogue has a {number} already.",
            where="number",
            value=number,
            next_step="Choose another.",
        )
    pattern = packages.get(pack)
    found = pattern or package(pack)
    category = like.category
    params = read_figures(figures)
    key = VALUED.get(like.kind, "")
    try:
        part = OwnPart(
            number=number,
            title=title,
            category=category,
            kind=like.kind,
            letters=like.letters,
            value=typed(params[key]) if key in params else number,
            package=pack,
            pattern=pattern,
            pins=read_pins_text(pins, found),
            params=params,
        )
    except ValidationError as error:
        raise input_error(error, number or "part") from error
    check_own(part, catalogue)
    return part


def check_own(part: OwnPart, catalogue: Catalogue) -> None:
    """Refuse a part of which something cannot be right.

    Raises
    ------
    InputError
        With all that is wrong.
    """
    own = {part.package: part.pattern} if part.pattern else {}
    wrong = list(part_faults(entry_of(part), catalogue.categories.get(part.category), own))
    if wrong:
        raise InputError(
            f"{part.number} cannot be right: {'; '.join(wrong)}.",
            where=part.number,
            next_step="Mend it, then keep it.",
        )


def read_figures(text: str) -> dict[str, float]:
    """Read figures as a data sheet has them, a line or a comma each: ``reverse voltage 40 V``.

    Raises
    ------
    InputError
        Naming the line that is none.
    """
    found: dict[str, float] = {}
    titles = {p.title: key for key, p in reversed(PARAMETERS.items())}
    for line in (x.strip() for x in re.split(r"[\n,]", text)):
        if not line:
            continue
        match = _FIGURE.fullmatch(line)
        name = match["title"].strip() if match else ""
        key = name if name in PARAMETERS else titles.get(name.lower(), "")
        if match is None or not key:
            raise InputError(
                f"{line!r} is no figure.",
                where="figures",
                value=line,
                allowed="a title and a value, such as: reverse voltage 40 V",
                next_step="Titles are those the catalogue shows.",
            )
        found[key] = parse_value(match["value"].replace(" ", ""), key, PARAMETERS[key].unit)
    return found


def read_pins_text(text: str, pack: Package) -> tuple[Pin, ...]:
    """Read pins: number, name, role, a line each; nothing gives the package's pins without names.

    Raises
    ------
    InputError
        Naming the line that is none.
    """
    lines = [x.strip() for x in re.split(r"[\n|]", text) if x.strip()]
    if not lines:
        return tuple(Pin(number=n) for n in pin_numbers(pack))
    found = []
    for line in lines:
        number, *rest = line.split()
        try:
            role = rest[1] if len(rest) > 1 else "passive"
            found.append(
                Pin.model_validate({"number": number, "name": rest[0] if rest else "", "role": role})
            )
        except ValidationError as error:
            roles = ", ".join(PinRole.__args__)  # type: ignore[attr-defined]
            raise InputError(
                f"{line!r} is no pin.", where="pins", value=line, allowed=f"number, name, role: {roles}"
            ) from error
    return tuple(found)


def is_own(pack: Package) -> bool:
    """Tell whether a package is none the program makes by its name."""
    try:
        package(pack.name)
    except NotFound:
        return True
    return False


def shelf_key(own: Own) -> str:
    """Give the name a part, a package or a rule set of one's own is kept under; no part's number has a blank."""
    if isinstance(own, OwnPart):
        return own.number
    return f"{'rules' if isinstance(own, RuleSet) else 'package'} {own.name}"


def entry_of(part: OwnPart) -> CataloguePart:
    """Give a part of one's own as the catalogue has parts."""
    return CataloguePart(
        part.number,
        MAKER,
        part.category,
        part.title,
        part.package,
        part.kind,
        part.letters,
        part.value or part.number,
        dict(part.params),
        part.pins,
    )


def read_own(text: str, where: str) -> list[Own]:
    """Read a file of one's own: a list, or one; what has pads is a package, what has a least width a rule set.

    Raises
    ------
    InputError
        Naming the field that is wrong.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InputError(
            f"This is no JSON: {error}.", where=where, next_step="Choose another file."
        ) from error
    found: list[Own] = []
    for entry in data if isinstance(data, list) else [data]:
        keys = entry.keys() if isinstance(entry, dict) else ()
        kind = Package if "pads" in keys else RuleSet if "min_width_nm" in keys else OwnPart
        try:
            own: Own = kind.model_validate_json(json.dumps(entry))
            if isinstance(own, RuleSet):
                check_sound(own)
            found.append(own)
        except ValidationError as error:
            raise input_error(error, where) from error
    return found


def with_own(catalogue: Catalogue, own: Sequence[Own]) -> Catalogue:
    """Give the catalogue with parts and packages of one's own among the others."""
    mine = [p for p in own if isinstance(p, OwnPart)]
    parts = {**catalogue.parts, **{p.number: entry_of(p) for p in mine}}
    packages = {p.package: p.pattern for p in mine if p.pattern}
    packages |= {p.name: p for p in own if isinstance(p, Package)}
    return Catalogue(parts, catalogue.categories, {**catalogue.packages, **packages})
