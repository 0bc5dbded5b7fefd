"""Families of land patterns: what each asks of a drawing, and how it is made; drawings are read in ``dimensions``."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from vane_step.core.design.model import Package
from vane_step.core.errors import InputError
from vane_step.core.patterns.landpattern import Span, chip, gull_wing, through_hole
from vane_step.core.patterns.leadless import ball_grid, castellated, j_lead, no_lead

MAX_PINS = 1000


Values = Mapping[str, Span]


@dataclass(frozen=True)
class Dimension:
    """A dimension a family asks for: its letter on drawings, what it is, and a usual value to start from."""

    key: str
    title: str
    usual: str
    kind: Literal["length", "count"] = "length"


@dataclass(frozen=True)
class Family:
    """A kind of package."""

    name: str
    title: str
    asks: tuple[Dimension, ...]
    make: Callable[[str, Values, bool], Package]


def _asks(text: str) -> tuple[Dimension, ...]:
    """Read what a family asks for: ``key usual title``, parted by semicolons; a count's key ends in a hash."""
    found = []
    for entry in text.split(";"):
        key, usual, title = entry.split(maxsplit=2)
        found.append(
            Dimension(key.rstrip("#"), title.strip(), usual, "count" if key.endswith("#") else "length")
        )
    return tuple(found)


def _even(name: str, values: Values, sides: int, key: str = "pins") -> int:
    pins = int(values[key].low)
    if pins < sides or pins % sides:
        raise InputError(
            f"{pins} pins do not divide over {sides} sides.",
            where=name,
            value=pins,
            next_step="Give a number of pins that divides.",
        )
    return pins


def _chip(name: str, v: Values, _kitchen: bool) -> Package:
    if v["L"].low <= 2 * v["T"].low:
        raise InputError(
            "The terminals meet in the middle.", where="T", value=v["T"].high, allowed="under half of L"
        )
    return chip(name, f"chip {v['L'].middle:g} x {v['W'].middle:g} mm", v["L"], v["T"], v["W"], v["A"].high)


def _moulded(name: str, v: Values, _kitchen: bool) -> Package:
    title = f"moulded body {v['L'].middle:g} x {v['W'].middle:g} mm"
    return chip(name, title, v["L"], v["T"], v["W"], v["A"].high, polarised=True)


def _gull_two(name: str, v: Values, _kitchen: bool) -> Package:
    pins = _even(name, v, 2)
    title = f"gull-wing, {pins} pins, {v['e'].middle:g} mm"
    body = (v["D"].middle, v["E"].middle)
    return gull_wing(name, title, pins, v["e"].middle, v["L"], v["T"], v["W"], body, v["A"].high)


def _gull_four(name: str, v: Values, _kitchen: bool) -> Package:
    pins = _even(name, v, 4)
    title = f"quad flat, {pins} pins, {v['e'].middle:g} mm"
    return gull_wing(
        name, title, pins, v["e"].middle, v["L"], v["T"], v["W"], (v["D"].middle,) * 2, v["A"].high, sides=4
    )


SOT_COLUMNS = {3: (1.0, -1.0, 0.0), 5: (1.0, 0.0, -1.0, -1.0, 1.0), 6: (1.0, 0.0, -1.0, -1.0, 0.0, 1.0)}


def _transistor(name: str, v: Values, _kitchen: bool) -> Package:
    pins = int(v["pins"].low)
    if pins not in SOT_COLUMNS:
        raise InputError(
            f"A small-outline transistor has no {pins} pins.", where="pins", value=pins, allowed="3, 5, 6"
        )
    columns = [c * v["e"].middle for c in SOT_COLUMNS[pins]]
    title = f"small-outline transistor, {pins} pins"
    body = (v["D"].middle, v["E"].middle)
    return gull_wing(
        name, title, pins, v["e"].middle, v["L"], v["T"], v["W"], body, v["A"].high, columns=columns
    )


def _no_lead(name: str, v: Values, _kitchen: bool) -> Package:
    left, below = int(v["left"].low), int(v["below"].low)
    pins = 2 * (left + below)
    if not left >= 1 or pins > MAX_PINS:
        raise InputError(
            "A side has at least one terminal.", where="left", value=left, next_step="Give 1 or more."
        )
    thermal = (v["D2"].middle, v["E2"].middle)
    title = f"no-lead, {pins} terminals, {v['e'].middle:g} mm, {v['D'].middle:g} x {v['E'].middle:g} mm"
    return no_lead(
        name, title, left, below, v["e"].middle, v["D"], v["E"], v["T"], v["W"], thermal, v["A"].high
    )


def _j_lead(name: str, v: Values, _kitchen: bool) -> Package:
    left, below = int(v["left"].low), int(v["below"].low)
    title = f"J-lead, {2 * (left + below)} pins, {v['e'].middle:g} mm"
    return j_lead(name, title, left, below, v["e"].middle, v["L"], v["L2"], v["T"], v["W"], v["A"].high)


def _ball_grid(name: str, v: Values, _kitchen: bool) -> Package:
    rows, columns, rings = (int(v[k].low) for k in ("rows", "columns", "rings"))
    title = f"ball grid, {rows} x {columns}, {v['e'].middle:g} mm"
    body = (v["D"].middle, v["E"].middle)
    return ball_grid(name, title, rows, columns, v["e"].middle, v["b"], body, v["A"].high, rings)


def _in_line(name: str, v: Values, kitchen: bool) -> Package:
    pins, e = int(v["pins"].low), v["e"].middle
    spots = [(str(k + 1), (k - (pins - 1) / 2) * e, 0.0) for k in range(pins)]
    body = (max(v["E"].middle, (pins - 1) * e), v["D"].middle)
    return through_hole(
        name, f"single in line, {pins} pins, {e:g} mm", spots, v["b"].high, body, v["A"].high, kitchen
    )


def _dual_in_line(name: str, v: Values, kitchen: bool) -> Package:
    pins, e, row = _even(name, v, 2), v["e"].middle, v["row"].middle
    per = pins // 2
    left = [(str(k + 1), -row / 2, ((per - 1) / 2 - k) * e) for k in range(per)]
    right = [(str(per + k + 1), row / 2, (k - (per - 1) / 2) * e) for k in range(per)]
    title = f"dual in line, {pins} pins, rows {row:g} mm apart"
    return through_hole(
        name, title, [*left, *right], v["b"].high, (row - 1.3, v["E"].middle), v["A"].high, kitchen
    )


def _radial(name: str, v: Values, kitchen: bool) -> Package:
    e, size = v["e"].middle, v["D"].high
    spots = [("1", -e / 2, 0.0), ("2", e / 2, 0.0)]
    title = f"radial, leads {e:g} mm apart, body {size:g} mm"
    return through_hole(
        name, title, spots, v["b"].high, (size, size), v["A"].high, kitchen, polarised=True, round_body=True
    )


def _axial(name: str, v: Values, kitchen: bool) -> Package:
    e = v["e"].middle
    if e <= v["E"].high:
        raise InputError(
            "The leads bend inside the body.", where="e", value=e, allowed=f"above {v['E'].high:g} mm"
        )
    spots = [("1", -e / 2, 0.0), ("2", e / 2, 0.0)]
    body = (v["E"].high, v["D"].high)
    title = f"axial, leads {e:g} mm apart"
    return through_hole(name, title, spots, v["b"].high, body, v["D"].high, kitchen, pin1_square=False)


def _upright(name: str, v: Values, kitchen: bool) -> Package:
    """A transistor outline standing on its leads: the body lies behind the row of pins where the tab is."""
    pins, e = int(v["pins"].low), v["e"].middle
    spots = [(str(k + 1), (k - (pins - 1) / 2) * e, 0.0) for k in range(pins)]
    body = (v["E"].middle, v["D"].middle)
    centre = (0.0, v["D"].middle / 2 - v["Q"].middle)
    return through_hole(
        name,
        f"upright transistor outline, {pins} pins, {e:g} mm",
        spots,
        v["b"].high,
        body,
        v["A"].high,
        kitchen,
        centre=centre,
    )


def _header(name: str, v: Values, kitchen: bool) -> Package:
    """A pin header; its key is a pin that is not there."""
    rows, columns, key = (int(v[k].low) for k in ("rows", "columns", "key"))
    e = v["e"].middle
    if rows not in (1, 2) or not 1 <= columns <= 60 or key > rows * columns:
        what = f"{rows} x {columns}, key {key}"
        raise InputError(
            "There is no such header.", where=name, value=what, allowed="1 or 2 rows of up to 60"
        )
    spots = [
        (str(c * rows + r + 1), (r - (rows - 1) / 2) * e, ((columns - 1) / 2 - c) * e)
        for c in range(columns)
        for r in range(rows)
        if c * rows + r + 1 != key
    ]
    title = f"pin header, {rows} x {columns}, {e:g} mm" + (f", keyed at {key}" if key else "")
    return through_hole(name, title, spots, v["b"].high, (rows * e, columns * e), v["A"].high, kitchen)


def _castellated(name: str, v: Values, _kitchen: bool) -> Package:
    left, below = int(v["left"].low), int(v["below"].low)
    title = f"module, {2 * left + below} half holes, {v['e'].middle:g} mm"
    body = (v["D"].middle, v["E"].middle)
    return castellated(
        name, title, left, below, v["e"].middle, body, v["b"].middle, v["antenna"].high, v["A"].high
    )


DIMENSIONED: dict[str, Family] = {
    name: Family(name, title, _asks(asks), make)
    for name, title, make, asks in (
        (
            "chip",
            "Chip, two terminals",
            _chip,
            "L 1.5..1.7 length; T 0.2..0.5 terminal; W 0.7..0.9 width; A 0.9 height",
        ),
        (
            "moulded",
            "Moulded body, two terminals",
            _moulded,
            "L 4.8..5.4 length over the leads; T 0.95..1.52 foot; W 1.25..1.65 lead width; A 2.3 height",
        ),
        (
            "gull",
            "Gull-wing, two rows",
            _gull_two,
            "pins# 8 pins; e 1.27 pitch; L 5.8..6.2 span over the leads; T 0.4..1.27 foot; W 0.31..0.51 lead width;"
            "D 3.9 body across; E 4.9 body along; A 1.75 height",
        ),
        (
            "quad",
            "Gull-wing, four sides",
            _gull_four,
            "pins# 32 pins; e 0.8 pitch; L 8.8..9.2 span over the leads; T 0.45..0.75 foot; W 0.3..0.45 lead width;"
            "D 7 body; A 1.2 height",
        ),
        (
            "transistor",
            "Small-outline transistor",
            _transistor,
            "pins# 3 pins: 3, 5 or 6; e 0.95 pitch; L 2.1..2.64 span over the leads; T 0.3..0.6 foot;"
            "W 0.3..0.5 lead width; D 1.3 body across; E 2.9 body along; A 1.2 height",
        ),
        (
            "no-lead",
            "No-lead with thermal pad",
            _no_lead,
            "left# 8 terminals on the left; below# 8 terminals below; e 0.5 pitch; D 4.9..5.1 body across;"
            "E 4.9..5.1 body along; T 0.3..0.5 terminal length; W 0.18..0.3 terminal width;"
            "D2 3.1 thermal pad across, 0 for none; E2 3.1 thermal pad along; A 0.9 height",
        ),
        (
            "j-lead",
            "J-lead",
            _j_lead,
            "left# 11 leads on the left; below# 11 leads below; e 1.27 pitch; L 17.4..17.65 span across;"
            "L2 17.4..17.65 span along; T 1.5..2 contact; W 0.33..0.53 lead width; A 4.4 height",
        ),
        (
            "ball-grid",
            "Ball grid",
            _ball_grid,
            "rows# 8 rows; columns# 8 columns; rings# 0 outer rings with balls, 0 for all;"
            " e 0.8 pitch; b 0.4..0.5 ball;"
            "D 7 body across; E 7 body along; A 1.2 height",
        ),
        (
            "dip",
            "Dual in line",
            _dual_in_line,
            "pins# 8 pins; e 2.54 pitch; row 7.62 rows apart; b 0.6 lead (diagonal); E 10.16 body along; A 4.5 height",
        ),
        (
            "sip",
            "Single in line",
            _in_line,
            "pins# 3 pins; e 2.54 pitch; b 0.6 lead (diagonal); E 7.6 body along the row; D 3 body across; A 8 height",
        ),
        ("radial", "Radial leads", _radial, "e 2.5 leads apart; b 0.6 lead; D 5 body; A 11 height"),
        (
            "axial",
            "Axial leads",
            _axial,
            "e 7.62 leads apart; b 0.6 lead; E 6.3 body length; D 2.4 body thickness",
        ),
        (
            "to",
            "Upright transistor outline",
            _upright,
            "pins# 3 pins; e 2.54 pitch; b 1.1 lead (diagonal); E 10.2 body along the row; D 4.6 body thickness;"
            "Q 2.1 front of the body to the leads; A 19 height",
        ),
        (
            "header",
            "Pin header",
            _header,
            "rows# 1 rows; columns# 6 columns; key# 0 pin left out as key, 0 for none; e 2.54 pitch;"
            "b 0.8 post (diagonal); A 8.5 height",
        ),
        (
            "module",
            "Castellated module with antenna",
            _castellated,
            "left# 12 half holes on the left; below# 8 half holes below; e 1.5 pitch;"
            " D 18 body across; E 25.5 body along;"
            "b 0.9 half hole land; antenna 6.2 antenna zone, 0 for none; A 3.2 height",
        ),
    )
}
