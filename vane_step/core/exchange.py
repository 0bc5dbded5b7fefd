"""Reads an exchange folder (five plain-text files) into a design; it takes texts, never paths."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.design.fileformat import input_error, validated
from vane_step.core.design.model import (
    Board,
    Design,
    JumperSizes,
    Net,
    NetRule,
    Package,
    Part,
    PartPlace,
    Pin,
    RuleSet,
    natural,
    role_of_net,
)
from vane_step.core.errors import InputError, NotFound
from vane_step.core.patterns.packages import package as own_package
from vane_step.core.patterns.userfile import user_package
from vane_step.core.quantity import nm

FILES = ("parts.csv", "nets.csv", "net_rules.csv", "packages.json", "board.json")
MAX_TEXT = 20_000_000
MAX_ROWS = 200_000


class _JumperFile(BaseModel):
    model_config = ConfigDict(extra="forbid")
    pad_mm: float = Field(gt=0, le=20)
    drill_mm: float = Field(gt=0, le=10)
    wire_mm: float = Field(gt=0, le=10)
    min_length_mm: float = Field(gt=0, le=200)
    max_length_mm: float = Field(gt=0, le=500)


class _BoardFile(BaseModel):
    model_config = ConfigDict(extra="forbid")
    name: str = Field(default="imported board", max_length=200)
    outline_mm: list[tuple[float, float]] = Field(min_length=3, max_length=5000)
    copper_layers: int
    edge_clearance_mm: float = Field(ge=0, le=20)
    hole_to_hole_mm: float = Field(ge=0, le=20)
    via_pad_mm: float = Field(gt=0, le=20)
    via_drill_mm: float = Field(gt=0, le=20)
    min_width_mm: float = Field(gt=0, le=20)
    min_clearance_mm: float = Field(gt=0, le=20)
    jumper: _JumperFile | None = None


def rows_of(
    text: str, where: str, columns: tuple[str, ...], optional: tuple[str, ...] = ()
) -> Iterator[tuple[int, dict[str, str]]]:
    """Read a CSV text with a header line.

    Yields
    ------
    tuple of int and dict
        Line number and the row; optional columns that are absent are empty.

    Raises
    ------
    InputError
        Naming file and line, for a missing column, a row of another length or too many rows.
    """
    reader = csv.reader(io.StringIO(text.removeprefix("\ufeff")), strict=True)
    try:
        header = [c.strip() for c in next(reader, [])]
        missing = [c for c in columns if c not in header]
        if missing:
            raise InputError(
                f"Column {missing[0]} is missing.",
                where=f"{where}, line 1",
                value=",".join(header),
                allowed=",".join((*columns, *optional)),
            )
        for row in reader:
            if not any(c.strip() for c in row):
                continue
            if len(row) != len(header):
                raise InputError(
                    f"This line has {len(row)} fields, the header {len(header)}.",
                    where=f"{where}, line {reader.line_num}",
                    next_step="Write as many fields as the header has.",
                )
            if reader.line_num > MAX_ROWS:
                raise InputError("The file is too long.", where=where, allowed=f"{MAX_ROWS} lines")
            yield (
                reader.line_num,
                {**dict.fromkeys(optional, ""), **{k: v.strip() for k, v in zip(header, row, strict=True)}},
            )
    except csv.Error as error:
        raise InputError(
            f"This line is no CSV: {error}.",
            where=f"{where}, line {reader.line_num}",
            next_step="Write it as comma-separated values.",
        ) from error


def number(text: str, where: str, field: str) -> float:
    """Read a decimal number, with an error that names file, line and field."""
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        value = float("nan")
    if not abs(value) < 1e6:
        raise InputError(
            f"{field} is {text!r}, which is no number.",
            where=where,
            value=text,
            next_step="Write a number such as 2 or 0.5.",
        )
    return value


def _json(text: str, where: str) -> Any:
    try:
        return json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        line = f", line {error.lineno}" if isinstance(error, json.JSONDecodeError) else ""
        raise InputError("This is not JSON.", where=where + line, next_step="Write it as JSON.") from error


def board_from_json(text: str, where: str = "board.json") -> tuple[Board, str]:
    """Read ``board.json``: outline, layers and rules; also gives the board's name."""
    try:
        data = _BoardFile.model_validate(_json(text, where))
        return _board(data), data.name
    except ValidationError as error:
        raise input_error(error, where) from error


def _board(data: _BoardFile) -> Board:
    width, gap = nm(data.min_width_mm), nm(data.min_clearance_mm)
    jumper = data.jumper and JumperSizes(
        pad_nm=nm(data.jumper.pad_mm),
        drill_nm=nm(data.jumper.drill_mm),
        wire_nm=nm(data.jumper.wire_mm),
        min_length_nm=nm(data.jumper.min_length_mm),
        max_length_nm=nm(data.jumper.max_length_mm),
    )
    rules = RuleSet(
        name="imported",
        title=f"rules of {data.name}"[:200],
        copper_layers=(data.copper_layers,),
        min_width_nm=width,
        min_clearance_nm=gap,
        min_ring_nm=max(0, (nm(data.via_pad_mm) - nm(data.via_drill_mm)) // 2),
        min_drill_nm=nm(data.via_drill_mm),
        edge_clearance_nm=nm(data.edge_clearance_mm),
        hole_to_hole_nm=nm(data.hole_to_hole_mm),
        hole_to_copper_nm=gap,
        via_pad_nm=nm(data.via_pad_mm),
        via_drill_nm=nm(data.via_drill_mm),
        default_width_nm=width,
        default_clearance_nm=gap,
        jumper=jumper,
    )
    return Board.model_validate(
        {
            "outline": [(nm(x), nm(y)) for x, y in data.outline_mm],
            "copper_layers": data.copper_layers,
            "rules": rules,
        }
    )


def read_exchange(texts: Mapping[str, str], name: str, board: Board | None = None) -> Design:
    """Make a design of the texts of an exchange folder.

    Parameters
    ----------
    texts : mapping
        Contents by file name; ``parts.csv`` and ``nets.csv`` are needed, the others may be left out.
    name : str
        Name of the design when no board file gives one.
    board : Board, optional
        Stands in for ``board.json``.

    Raises
    ------
    InputError
        Naming file, line and reason.
    """
    for need in ("parts.csv", "nets.csv"):
        if need not in texts:
            raise InputError(f"{need} is missing.", where=name, allowed=", ".join(FILES))
    for key, text in texts.items():
        if len(text) > MAX_TEXT:
            raise InputError("The file is too large.", where=key, allowed=f"{MAX_TEXT} characters")
    if "board.json" in texts and board is None:
        board, name = board_from_json(texts["board.json"])
    if board is None:
        raise InputError(
            "There is no board.json.", where=name, next_step="Give --outline, --layers and --rules instead."
        )
    packages = read_packages(texts.get("packages.json", '{"packages": []}'))
    parts, used = _parts(texts["parts.csv"], packages, board.rules.etched)
    nets = _nets(texts["nets.csv"], parts, used)
    if "net_rules.csv" in texts:
        _rules(texts["net_rules.csv"], nets)
    data = {
        "name": name,
        "parts": dict(sorted(parts.items(), key=lambda kv: natural(kv[0]))),
        "nets": dict(sorted(nets.items(), key=lambda kv: natural(kv[0]))),
        "packages": used,
        "board": board,
    }
    return validated({"format": "vane-step-design", "version": 1, **data}, name)


def read_packages(text: str, where: str = "packages.json") -> dict[str, Package]:
    """Read user packages; names must be unique."""
    data = _json(text, where)
    listed = data.get("packages") if isinstance(data, dict) else None
    if not isinstance(listed, list):
        raise InputError("There is no list of packages.", where=where, allowed='{"packages": [...]}')
    found: dict[str, Package] = {}
    for i, entry in enumerate(listed):
        label = entry.get("name", f"package {i + 1}") if isinstance(entry, dict) else f"package {i + 1}"
        package = user_package(entry, f"{where}: {label}")
        if package.name in found:
            raise InputError(
                f"Package {package.name} comes twice.",
                where=where,
                next_step="Give each a name of its own.",
            )
        found[package.name] = package
    return found


def _parts(
    text: str, packages: dict[str, Package], kitchen: bool
) -> tuple[dict[str, Part], dict[str, Package]]:
    parts: dict[str, Part] = {}
    used: dict[str, Package] = {}
    for line, row in rows_of(text, "parts.csv", ("ref", "value", "package"), ("x", "y", "turn", "side")):
        where = f"parts.csv, line {line}"
        if row["ref"] in parts:
            raise InputError(
                f"{row['ref']} comes twice.", where=where, next_step="Give each a reference of its own."
            )
        pack = packages.get(row["package"])
        if pack is None:
            try:
                pack = own_package(row["package"], kitchen)
            except NotFound as error:
                raise InputError(
                    f"There is no package {row['package']!r}.",
                    where=where,
                    allowed="a name from packages.json or of the program's own",
                ) from error
        used[pack.name] = pack
        place = None
        if row["x"] or row["y"]:
            if row["side"] not in ("", "front", "back"):
                raise InputError(
                    f"Side is {row['side']!r}.", where=where, value=row["side"], allowed="front, back"
                )
            place = PartPlace(
                x_nm=nm(number(row["x"], where, "x")),
                y_nm=nm(number(row["y"], where, "y")),
                turn_deg=number(row["turn"] or "0", where, "turn") % 360,
                side="back" if row["side"] == "back" else "front",
            )
        numbers = dict.fromkeys(p.number for p in pack.pads)
        pins = tuple(Pin(number=n) for n in numbers)
        try:
            parts[row["ref"]] = Part(
                ref=row["ref"], value=row["value"], package=pack.name, pins=pins, place=place
            )
        except ValidationError as error:
            raise input_error(error, where) from error
    return parts, used


def _nets(text: str, parts: dict[str, Part], packages: dict[str, Package]) -> dict[str, Net]:
    pins: dict[str, list[str]] = {}
    owner: dict[str, str] = {}
    numbers = {ref: {p.number for p in part.pins} for ref, part in parts.items()}
    for line, row in rows_of(text, "nets.csv", ("net", "ref", "pin")):
        where = f"nets.csv, line {line}"
        if row["ref"] not in parts:
            raise InputError(
                f"There is no part {row['ref']!r} in parts.csv.",
                where=where,
                next_step="Add it to parts.csv, or leave the line out.",
            )
        if row["pin"] not in numbers[row["ref"]]:
            raise InputError(
                f"{row['ref']} has no pin {row['pin']!r}.",
                where=where,
                allowed=", ".join(list(numbers[row["ref"]])[:20]),
            )
        pin = f"{row['ref']}.{row['pin']}"
        if owner.setdefault(pin, row["net"]) != row["net"]:
            raise InputError(
                f"{pin} is already on net {owner[pin]}.",
                where=where,
                value=row["net"],
                next_step="List each pin once.",
            )
        if pin not in pins.setdefault(row["net"], []):
            pins[row["net"]].append(pin)
    nets = {}
    for net, listed in pins.items():
        try:
            nets[net] = Net.model_validate({"name": net, "pins": listed, "role": role_of_net(net)})
        except ValidationError as error:
            raise input_error(error, f"nets.csv: net {net!r}") from error
    return nets


def _rules(text: str, nets: dict[str, Net]) -> None:
    columns = ("net", "width_mm", "clearance_mm")
    for line, row in rows_of(text, "net_rules.csv", columns, ("neck_width_mm", "neck_length_mm")):
        where = f"net_rules.csv, line {line}"
        if row["net"] not in nets:
            raise InputError(
                f"There is no net {row['net']!r} in nets.csv.",
                where=where,
                next_step="Add it to nets.csv, or leave the line out.",
            )
        values = {
            k.replace("_mm", "_nm"): nm(number(row[k], where, k)) for k in row if k.endswith("_mm") and row[k]
        }
        try:
            nets[row["net"]] = nets[row["net"]].model_copy(update={"rule": NetRule.model_validate(values)})
        except ValidationError as error:
            raise input_error(error, where) from error
