"""The catalogue: parts as data, and finding them by words and parameters; prices are the supplier's to say."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Part, PartKind, Pin
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.packages import package
from vane_step.core.parts.parameters import PARAMETERS
from vane_step.core.parts.part import NEW_BLOCK
from vane_step.core.parts.search import read_search
from vane_step.core.quantity import E6, E12, E24, format_value, parse_value

SERIES: Final = {6: E6, 12: E12, 24: E24}
# Kinds of parts whose value stands on the sheet; others show their number.
VALUED: Final = ("resistor", "ceramic capacitor", "electrolytic capacitor", "inductor", "thermistor")


@dataclass(frozen=True)
class CataloguePart:
    """A part of the catalogue; ``params`` are in base units, ``words`` what it can be found by."""

    number: str
    maker: str
    category: str
    title: str
    package: str
    kind: PartKind
    letters: str
    value: str
    params: Mapping[str, float]
    pins: tuple[Pin, ...] = ()
    words: str = field(default="", compare=False)

    def told(self) -> list[tuple[str, str]]:
        """Give title and figure of each parameter for people."""
        return [
            (p.title, format_value(v, p.unit))
            for k, v in self.params.items()
            if (p := PARAMETERS.get(k)) is not None
        ]

    def part(self, ref: str) -> Part:
        """Make the part for a circuit.

        Raises
        ------
        InputError
            When the reference cannot be one.
        """
        pins = self.pins or tuple(
            Pin(number=n) for n in dict.fromkeys(p.number for p in package(self.package).pads)
        )
        try:
            return Part(
                ref=ref,
                value=self.value,
                package=self.package,
                kind=self.kind,
                pins=pins,
                block=NEW_BLOCK,
                catalogue=self.number,
                params=dict(self.params),
            )
        except ValidationError as error:
            raise input_error(error, ref) from error


class _Table(BaseModel):
    """One file of the catalogue: rows, series of values, or a controller with its pins."""

    model_config = ConfigDict(extra="forbid")
    category: str
    kind: PartKind
    letters: str
    maker: str = ""
    title: str = ""
    pins: str | list[str] = ""
    columns: list[str] = []
    rows: list[list[Any]] = []
    value: str = ""
    series: int = 24
    first: float = Field(default=1.0, alias="from")
    last: float = Field(default=1.0, alias="to")
    lines: list[dict[str, Any]] = []
    params: dict[str, float] = {}
    parts: list[tuple[str, str]] = []


def read_catalogue(files: Mapping[str, Any]) -> Catalogue:
    """Read a catalogue from the plain data of its files.

    Raises
    ------
    InputError
        Naming the file and the entry that is wrong: unknown parameters, numbers that come twice, pins that the
        package has no pad for.
    """
    found: dict[str, CataloguePart] = {}
    for name, data in files.items():
        try:
            table = _Table.model_validate(data)
        except ValidationError as error:
            raise input_error(error, name) from error
        for part in _parts(table):
            if part.number in found:
                raise InputError(
                    f"{part.number} comes twice in the catalogue.",
                    where=name,
                    next_step="Give each a number of its own.",
                )
            unknown = part.params.keys() - PARAMETERS.keys()
            if unknown:
                raise InputError(
                    f"{part.number} has an unknown parameter {min(unknown)}.",
                    where=name,
                    next_step="Leave it out.",
                )
            found[part.number] = part
    return Catalogue(found)


def _parts(table: _Table) -> Iterable[CataloguePart]:
    listed = table.pins.split("|") if isinstance(table.pins, str) else table.pins
    pins = tuple(_pin(text) for text in listed if text)
    for row in table.rows:
        fields = dict(zip(table.columns, row, strict=True))
        yield _part(table, fields, pins)
    for number, pack in table.parts:
        fields = {
            "number": number,
            "maker": table.maker,
            "package": pack,
            "title": table.title,
            **table.params,
        }
        yield _part(table, fields, pins)
    for line in table.lines:
        rest = {k: v for k, v in line.items() if k not in ("prefix", "from", "to", "series")}
        series = SERIES[line.get("series", table.series)]
        for value in series_values(line.get("from", table.first), line.get("to", table.last), series):
            code = format_value(value).replace(" ", "").replace(".", "P").replace("µ", "U").upper()
            if not code[-1].isalpha():
                code += "R"
            yield _part(table, {**rest, "number": f"{line['prefix']}-{code}", table.value: value}, pins)


def _part(table: _Table, fields: dict[str, Any], pins: tuple[Pin, ...]) -> CataloguePart:
    text = {k: str(fields.pop(k, "") or "") for k in ("number", "maker", "package", "title")}
    params = {k: float(v) for k, v in fields.items() if v is not None}
    value = _value(table.category, text, params)
    words = " ".join((table.category, text["title"], text["package"], text["number"], text["maker"])).lower()
    return CataloguePart(
        text["number"],
        text["maker"],
        table.category,
        text["title"] or table.category,
        text["package"],
        table.kind,
        table.letters,
        value,
        params,
        pins,
        words,
    )


def _value(category: str, text: dict[str, str], params: Mapping[str, float]) -> str:
    """Write a part's value as it stands beside its symbol: what it is for passives, its number for the others."""
    for key in ("r_ohm", "c_f", "l_h"):
        if key in params and category in VALUED:
            return typed(params[key])
    if "freq_hz" in params and "cl_f" in params:
        return f"{format_value(params['freq_hz'], 'Hz', 5)} {typed(params['cl_f'])}"
    if category == "LED":
        return f"{text['title'].split(' LED')[0]} {params['vf_v']:.1f}".replace(".", "V")
    return text["number"]


def typed(value: float) -> str:
    """Write a value as people type it: ``4k7``, ``100n``, ``22p``, ``4R7``."""
    plain = format_value(value).replace("µ", "u").replace(" ", "")
    match = re.fullmatch(r"(\d+)(?:\.(\d+))?([pnumkMG]?)", plain)
    if match is None or match[2] is None:
        return plain
    return f"{match[1]}{match[3] or 'R'}{match[2]}"


def series_values(first: float, last: float, series: tuple[int, ...] = E24) -> list[float]:
    """List the values of an E-series from one to another, both included."""
    found = []
    for decade in range(math.floor(math.log10(first)) - 1, math.ceil(math.log10(last)) + 1):
        found += [float(f"{s * 10.0**decade / 10:.3g}") for s in series]
    return [v for v in found if first * (1 - 1e-9) <= v <= last * (1 + 1e-9)]


def _pin(text: str) -> Pin:
    number, name, *rest = text.split()
    role = rest[0] if rest else "passive"
    functions = tuple(rest[1].split(",")) if len(rest) > 1 else ()
    reset, loader = (rest[2], rest[3]) if len(rest) > 3 else ("", "")
    return Pin.model_validate(
        {
            "number": number,
            "name": name,
            "role": role,
            "functions": functions,
            "reset": reset,
            "loader": loader,
        }
    )


@dataclass(frozen=True)
class Found:
    """A part that was found, and how well it fits."""

    part: CataloguePart
    score: float


class Catalogue:
    """All parts by number, with what searching them needs."""

    def __init__(self, parts: Mapping[str, CataloguePart]) -> None:
        self.parts = dict(parts)

    def get(self, number: str) -> CataloguePart:
        """Give a part by its number.

        Raises
        ------
        NotFound
            With numbers that begin alike.
        """
        found = self.parts.get(number) or self.parts.get(number.upper())
        if found is None:
            near = [n for n in self.parts if n.startswith(number.upper()[:3])][:6]
            raise NotFound(
                f"The catalogue has no {number}.",
                where=number,
                allowed=", ".join(near),
                next_step="Search for it by what it is.",
            )
        return found

    def like(self, part: Part) -> list[CataloguePart]:
        """List parts of a circuit part's kind, package and value, for one that was not chosen from the catalogue.

        Of parts that have no such value none is alike: the same package and the same kind are no likeness.
        """
        key = {"resistor": "r_ohm", "capacitor": "c_f", "polar-capacitor": "c_f", "inductor": "l_h"}.get(
            part.kind
        )
        try:
            value = parse_value(part.value.split()[0]) if key and part.value else None
        except InputError:
            value = None
        if not key or not value:
            return [
                p for p in self.parts.values() if p.number == part.value.upper() and p.package == part.package
            ]
        found = [p for p in self.parts.values() if p.package == part.package and p.kind == part.kind]
        return [p for p in found if abs(p.params.get(key, 0.0) - value) <= 1e-3 * value]

    def search(self, text: str, limit: int = 40) -> list[Found]:
        """Find parts by words and figures: ``schottky 40 V 2 A``, ``resistor 10k 1608``, ``fet rds<0.05``.

        Every word must be in the part's category, title, package, number or maker; every figure must be met: values
        exactly, ratings at least, own losses at most where they are named. Best fit first, at most ``limit``.
        """
        words, wishes = read_search(text)
        found = []
        for part in self.parts.values():
            if not all(word in part.words for word in words):
                continue
            score = 0.0
            for wish in wishes:
                off = wish.misfit(part.params)
                if off is None:
                    break
                score += off
            else:
                found.append(Found(part, round(score, 6)))
        found.sort(key=lambda f: (f.score, f.part.category, len(f.part.number), f.part.number))
        return found[:limit]
