"""The catalogue: parts as data, and finding them by words and parameters; prices are the supplier's to say."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Part, PartKind, Pin
from vane_step.core.errors import InputError, NotFound
from vane_step.core.parts.packages import package
from vane_step.core.parts.part import NEW_BLOCK
from vane_step.core.quantity import E6, E12, E24, format_value, parse_value

Sense = Literal["value", "rating", "typical", "least", "most"]


@dataclass(frozen=True)
class Parameter:
    """What a parameter means: its title, its unit and which way is better.

    A ``value`` must be what is asked for, a ``rating`` at least that much, a ``typical`` figure at most; ``least``
    and ``most`` are the ends of a range that must hold what is asked for.
    """

    title: str
    unit: str
    sense: Sense


PARAMETERS: Final[dict[str, Parameter]] = {
    "r_ohm": Parameter("resistance", "Ω", "value"),
    "c_f": Parameter("capacitance", "F", "value"),
    "l_h": Parameter("inductance", "H", "value"),
    "tolerance_pct": Parameter("tolerance", "%", "typical"),
    "tolerance_ppm": Parameter("tolerance", "ppm", "typical"),
    "power_w": Parameter("power", "W", "rating"),
    "vmax_v": Parameter("working voltage", "V", "rating"),
    "vr_v": Parameter("reverse voltage", "V", "rating"),
    "if_a": Parameter("forward current", "A", "rating"),
    "vf_v": Parameter("forward voltage", "V", "typical"),
    "ir_a": Parameter("leakage", "A", "typical"),
    "vz_v": Parameter("zener voltage", "V", "value"),
    "vds_v": Parameter("drain voltage", "V", "rating"),
    "id_a": Parameter("drain current", "A", "rating"),
    "rds_ohm": Parameter("on resistance", "Ω", "typical"),
    "vgs_v": Parameter("gate drive", "V", "typical"),
    "vgsth_v": Parameter("gate threshold", "V", "typical"),
    "qg_c": Parameter("gate charge", "C", "typical"),
    "vce_v": Parameter("collector voltage", "V", "rating"),
    "ic_a": Parameter("collector current", "A", "rating"),
    "hfe": Parameter("current gain", "", "rating"),
    "vout_v": Parameter("output voltage", "V", "value"),
    "vout_min_v": Parameter("output from", "V", "least"),
    "vout_max_v": Parameter("output to", "V", "most"),
    "vin_min_v": Parameter("input from", "V", "least"),
    "vin_max_v": Parameter("input to", "V", "most"),
    "iout_a": Parameter("output current", "A", "rating"),
    "dropout_v": Parameter("dropout", "V", "typical"),
    "iq_a": Parameter("own current", "A", "typical"),
    "vref_v": Parameter("reference", "V", "typical"),
    "theta_ja_k_per_w": Parameter("junction to ambient", "K/W", "typical"),
    "fsw_hz": Parameter("switching frequency", "Hz", "typical"),
    "efficiency": Parameter("efficiency", "", "rating"),
    "freq_hz": Parameter("frequency", "Hz", "value"),
    "cl_f": Parameter("load capacitance", "F", "typical"),
    "esr_ohm": Parameter("series resistance", "Ω", "typical"),
    "dcr_ohm": Parameter("winding", "Ω", "typical"),
    "isat_a": Parameter("saturation current", "A", "rating"),
    "ripple_a": Parameter("ripple current", "A", "rating"),
    "i_a": Parameter("current", "A", "rating"),
    "coil_v": Parameter("coil voltage", "V", "value"),
    "coil_ohm": Parameter("coil", "Ω", "typical"),
    "beta_k": Parameter("B value", "K", "typical"),
    "supply_min_v": Parameter("supply from", "V", "least"),
    "supply_max_v": Parameter("supply to", "V", "most"),
    "gbw_hz": Parameter("bandwidth", "Hz", "rating"),
    "offset_v": Parameter("offset", "V", "typical"),
    "channels": Parameter("channels", "", "rating"),
    "ways": Parameter("ways", "", "value"),
    "pitch_mm": Parameter("pitch", "mm", "value"),
    "flash_b": Parameter("program memory", "B", "rating"),
    "ram_b": Parameter("data memory", "B", "rating"),
    "clock_hz": Parameter("clock", "Hz", "rating"),
    "i_pin_a": Parameter("current of a pin", "A", "typical"),
    "ipeak_a": Parameter("peak current", "A", "typical"),
    "converter_bits": Parameter("converter", "bit", "rating"),
    "nm": Parameter("colour", "nm", "value"),
    "mcd": Parameter("brightness", "mcd", "rating"),
    "i2c_address": Parameter("bus address", "", "value"),
    "accuracy": Parameter("accuracy", "K", "typical"),
    "inductive": Parameter("inductive", "", "value"),
    "radio": Parameter("radio", "", "value"),
}
SERIES: Final = {6: E6, 12: E12, 24: E24}
# Kinds of parts whose value stands on the sheet; others show their number.
VALUED: Final = ("resistor", "ceramic capacitor", "electrolytic capacitor", "inductor", "thermistor")
MAX_WORDS = 12


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
class Wish:
    """One figure of a search: a value with its unit, or a named parameter held to a limit."""

    value: float
    unit: str
    key: str = ""
    compare: str = ""

    def misfit(self, part: CataloguePart) -> float | None:
        """Tell how far a part is from the wish, 0 for a perfect fit; ``None`` when it does not fit at all."""
        if self.key:
            have = part.params.get(self.key)
            fits = have is not None and (have <= self.value if self.compare == "<" else have >= self.value)
            return 0.0 if fits else None
        best: float | None = None
        for key, have in part.params.items():
            known = PARAMETERS[key]
            if known.unit != self.unit:
                continue
            if known.sense == "value":
                # A part whose very value has this unit is meant by its value, not by some rating.
                return 0.0 if abs(have - self.value) <= 0.01 * abs(self.value) else None
            if known.sense == "least" and key.startswith(("vout", "supply")):
                top = part.params.get(key.replace("_min_", "_max_"), have)
                # A fixed part that meets the figure goes before one that has to be set to it.
                fits, off = have <= self.value <= top, 0.2
            elif known.sense == "rating":
                fits, off = (
                    have >= self.value * (1 - 1e-9),
                    math.log(max(have, 1e-30) / max(self.value, 1e-30)),
                )
            else:
                continue
            if fits and (best is None or off < best):
                best = off
        return best


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
                off = wish.misfit(part)
                if off is None:
                    break
                score += off
            else:
                found.append(Found(part, round(score, 6)))
        found.sort(key=lambda f: (f.score, f.part.category, len(f.part.number), f.part.number))
        return found[:limit]


_UNITS: Final = {"V": "V", "A": "A", "W": "W", "F": "F", "H": "H", "Hz": "Hz", "ohm": "Ω", "Ω": "Ω", "R": "Ω"}
_FIGURE = re.compile(r"^(\d+(?:[.,]\d+)?)([pnuµmkMG]?)(V|A|W|F|H|Hz|ohm|Ω|R)?$|^(\d+)([pnuµmkMR])(\d+)$")
_NAMED = re.compile(r"^([a-z][a-z_0-9]*)(<=|>=|<|>|=)(\S+)$", re.I)


def read_search(text: str) -> tuple[list[str], list[Wish]]:
    """Divide a search into words and figures; a unit may stand apart from its number.

    Raises
    ------
    InputError
        For too many words, or a parameter that does not exist.
    """
    parts = re.sub(r"(?<=\d)\s+(?=[pnuµmkMG]?(?:V|A|W|F|H|Hz|ohm|Ω)(?:\s|$))", "", text).split()
    if len(parts) > MAX_WORDS:
        raise InputError(
            "These are many words.", where="search", value=len(parts), allowed=f"up to {MAX_WORDS}"
        )
    words: list[str] = []
    wishes: list[Wish] = []
    for word in parts:
        if named := _NAMED.match(word):
            wishes.append(_named(named[1], named[2], named[3]))
        elif figure := _FIGURE.match(word):
            unit = _UNITS.get(figure[3] or "", "")
            prefix = figure[2] or figure[5] or ""
            if not unit:
                unit = (
                    "Ω"
                    if prefix in ("k", "M", "R") and prefix
                    else "F"
                    if prefix in ("p", "n", "u", "µ")
                    else ""
                )
            if unit and (unit != "Ω" or prefix or figure[3]):
                wishes.append(
                    Wish(
                        parse_value(word.replace("ohm", "").replace("Hz", "").rstrip("VAWFHΩ"), "search"),
                        unit,
                    )
                )
            else:
                words.append(word.lower())
        else:
            words.append(word.lower())
    return words, wishes


def _named(name: str, sign: str, value: str) -> Wish:
    key = next((k for k in PARAMETERS if k == name or k.rpartition("_")[0] == name.lower()), None)
    if key is None:
        raise InputError(
            f"There is no parameter {name}.", where="search", value=name, allowed=", ".join(PARAMETERS)
        )
    return Wish(parse_value(value, name), PARAMETERS[key].unit, key, "<" if sign in ("<", "<=") else ">")
