"""Reads the catalogue's tables: rows, runs over a count, series of values, controllers; finding parts is elsewhere."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Final

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.figures import PARAMETERS, VALUED
from vane_step.core.catalogue.tree import Category, read_tree
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import PartKind, Pin
from vane_step.core.errors import InputError
from vane_step.core.quantity import E6, E12, E24, format_value, parse_value, typed

SERIES: Final = {6: E6, 12: E12, 24: E24}
TREE_FILE = "categories.json"


class Table(BaseModel):
    """One table of the catalogue; what rows leave out is the table's.

    ``rows`` are lists, or lines with ``|`` between the fields; figures may be written as people do, ``300u``.
    ``runs`` make a part for every count ``n``, with ``{n}`` in texts and figures and ``{m}`` for ``n`` times
    ``times``. ``lines`` are series of values, each named by its prefix.
    """

    model_config = ConfigDict(extra="forbid")
    category: str
    kind: PartKind = "card"
    letters: str
    maker: str = ""
    title: str = ""
    package: str = ""
    pins: str | list[str] = ""
    columns: str | list[str] = []
    rows: list[str | list[Any]] = []
    runs: list[dict[str, Any]] = []
    value: str = ""
    series: int = 24
    first: float = Field(default=1.0, alias="from")
    last: float = Field(default=1.0, alias="to")
    lines: list[dict[str, Any]] = []
    params: dict[str, float] = {}
    parts: list[tuple[str, str]] = []


def read_catalogue(files: Mapping[str, Any]) -> Catalogue:
    """Read a catalogue from the plain data of its files: a table or a list of them each, and the tree of categories.

    Raises
    ------
    InputError
        Naming the file and the entry that is wrong: unknown parameters, numbers that come twice, categories that
        are not in the tree.
    """
    tree = read_tree(files[TREE_FILE], TREE_FILE) if TREE_FILE in files else None
    found: dict[str, CataloguePart] = {}
    for name, data in files.items():
        if name == TREE_FILE:
            continue
        for entry in data if isinstance(data, list) else [data]:
            try:
                table = Table.model_validate(entry)
            except ValidationError as error:
                raise input_error(error, name) from error
            if tree is not None and table.category not in tree:
                raise InputError(
                    f"{table.category!r} is no category of the tree.",
                    where=name,
                    value=table.category,
                    next_step=f"Add it to {TREE_FILE}.",
                )
            for part in parts_of(table, name):
                _add(found, part, name)
    categories = tree or {
        c: Category(c, "", "", ()) for c in dict.fromkeys(p.category for p in found.values())
    }
    return Catalogue(found, categories)


def _add(found: dict[str, CataloguePart], part: CataloguePart, name: str) -> None:
    if part.number in found:
        raise InputError(
            f"{part.number} comes twice in the catalogue.",
            where=name,
            next_step="Give each a number of its own.",
        )
    unknown = part.params.keys() - PARAMETERS.keys()
    if unknown:
        raise InputError(
            f"{part.number} has an unknown parameter {min(unknown)}.", where=name, next_step="Leave it out."
        )
    found[part.number] = part


def parts_of(table: Table, where: str) -> Iterator[CataloguePart]:
    """Make the parts of a table, in its order.

    Raises
    ------
    InputError
        When a row has another count of fields than there are columns, or a figure cannot be read.
    """
    listed = table.pins.split("|") if isinstance(table.pins, str) else table.pins
    pins = tuple(_pin(text) for text in listed if text.strip())
    columns = table.columns.split() if isinstance(table.columns, str) else table.columns
    for row in table.rows:
        values = [v.strip() for v in row.split("|")] if isinstance(row, str) else row
        if len(values) != len(columns):
            raise InputError(
                "A row has other fields than its table has columns.",
                where=where,
                value=str(row)[:60],
                allowed=" | ".join(columns),
            )
        yield _part(table, dict(zip(columns, values, strict=True)), pins, where)
    for number, pack in table.parts:
        yield _part(table, {"number": number, "package": pack}, pins, where)
    for run in table.runs:
        yield from _run(table, run, pins, where)
    for line in table.lines:
        yield from _line(table, line, pins, where)


def _run(table: Table, run: dict[str, Any], pins: tuple[Pin, ...], where: str) -> Iterator[CataloguePart]:
    rest = {k: v for k, v in run.items() if k not in ("n", "times")}
    for n in _counts(str(run["n"])):
        m = n * run.get("times", 1)
        fields = {k: v.format(n=n, m=m) if isinstance(v, str) else v for k, v in rest.items()}
        yield _part(table, fields, pins, where)


def _counts(text: str) -> Iterable[int]:
    """Read ``2..8, 10 12`` as counts."""
    for word in text.replace(",", " ").split():
        first, _, last = word.partition("..")
        yield from range(int(first), int(last or first) + 1)


def _line(table: Table, line: dict[str, Any], pins: tuple[Pin, ...], where: str) -> Iterator[CataloguePart]:
    rest = {k: v for k, v in line.items() if k not in ("prefix", "from", "to", "series")}
    first, last = (
        parse_value(str(line.get(k, default)), k)
        for k, default in (("from", table.first), ("to", table.last))
    )
    for value in series_values(first, last, SERIES[line.get("series", table.series)]):
        code = format_value(value).replace(" ", "").replace(".", "P").replace("µ", "U").upper()
        if not code[-1].isalpha():
            code += "R"
        fields = {**rest, "number": f"{line['prefix']}-{code}", table.value: value}
        yield _part(table, fields, pins, where, line["prefix"])


TEXTS = ("number", "maker", "package", "title")


def _part(
    table: Table, fields: dict[str, Any], pins: tuple[Pin, ...], where: str, series: str = ""
) -> CataloguePart:
    text = {k: str(fields.get(k) or getattr(table, k, "") or "") for k in TEXTS}
    params: dict[str, float] = {}
    for key, value in fields.items():
        if key in TEXTS or value in (None, "", "-"):
            continue
        params[key] = parse_value(value, key) if isinstance(value, str) else float(value)
    # What a part differs by comes before what its whole table has.
    params |= {k: v for k, v in table.params.items() if k not in params}
    return CataloguePart(
        number=text["number"],
        maker=text["maker"],
        category=table.category,
        title=text["title"] or table.category,
        package=text["package"],
        kind=table.kind,
        letters=table.letters,
        value=_value(table, text, params),
        params=params,
        pins=pins,
        series=series,
    )


def _value(table: Table, text: Mapping[str, str], params: Mapping[str, float]) -> str:
    """Write a part's value as it stands beside its symbol: what it is for passives, its number for the others."""
    key = VALUED.get(table.kind, "")
    if key in params:
        return typed(params[key])
    if "freq_hz" in params and "cl_f" in params:
        return f"{format_value(params['freq_hz'], 'Hz', 5)} {typed(params['cl_f'])}"
    if table.category == "LED":
        return f"{text['title'].split(' LED')[0]} {params['vf_v']:.1f}".replace(".", "V")
    return text["number"]


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
