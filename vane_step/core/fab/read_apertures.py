"""Shapes of Gerber apertures, standard ones and macros with expressions; what is drawn with them is read elsewhere."""

from __future__ import annotations

import math
import re

import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

# What stands for a circle stays this near to it, in millimetres.
ROUND_MM = 0.0004
# Primitives of one macro, and parentheses within each other, at most.
MOST_PRIMITIVES, DEEPEST = 2000, 20


def quarter(radius_mm: float) -> int:
    """Give how many pieces a quarter of a circle is drawn with, so that it keeps to :data:`ROUND_MM`."""
    if radius_mm <= ROUND_MM:
        return 2
    return min(64, max(4, math.ceil(math.pi / 4 / math.acos(1 - ROUND_MM / radius_mm))))


def round_spot(x: float, y: float, radius: float, unit: float = 1.0) -> BaseGeometry:
    """Give a disc; ``unit`` is how many millimetres its figures are of."""
    return Point(x, y).buffer(radius, quad_segs=quarter(radius * unit))


def standard_aperture(kind: str, sizes: list[float], unit: float) -> BaseGeometry | None:
    """Give the shape of a circle, rectangle, obround or polygon in millimetres; none of another kind.

    Parameters
    ----------
    sizes
        As the file has them, in its own unit.
    unit
        Millimetres of that unit.

    Raises
    ------
    ValueError
        When a figure is missing or cannot be.
    """
    corners = {"C": 1, "R": 2, "O": 2, "P": 2}.get(kind)
    if corners is None:
        return None
    mm = [s * unit for s in sizes]
    if len(sizes) < corners or min(mm[:1] if kind == "P" else mm[:corners]) < 0:
        raise ValueError("sizes")
    if kind == "C":
        shape: BaseGeometry = round_spot(0, 0, mm[0] / 2)
        hole = mm[1:]
    elif kind == "R":
        shape, hole = box(-mm[0] / 2, -mm[1] / 2, mm[0] / 2, mm[1] / 2), mm[2:]
    elif kind == "O":
        r = min(mm[:2]) / 2
        dx, dy = mm[0] / 2 - r, mm[1] / 2 - r
        spine = LineString([(-dx, -dy), (dx, dy)]) if dx or dy else Point(0, 0)
        shape, hole = spine.buffer(r, quad_segs=quarter(r)), mm[2:]
    else:
        shape, hole = _regular(mm[0], int(sizes[1]), sizes[2] if len(sizes) > 2 else 0.0), mm[3:]
    if hole and len(hole) == 1 and hole[0] > 0:
        shape = shape.difference(round_spot(0, 0, hole[0] / 2))
    elif len(hole) == 2 and min(hole) > 0:
        shape = shape.difference(box(-hole[0] / 2, -hole[1] / 2, hole[0] / 2, hole[1] / 2))
    return shape


def _regular(across: float, corners: int, turn_deg: float) -> Polygon:
    """Give a regular polygon by the circle around it, a corner at an angle."""
    if not 3 <= corners <= 12:
        raise ValueError("corners")
    turn = math.radians(turn_deg)
    at = [turn + 2 * math.pi * k / corners for k in range(corners)]
    return Polygon([(across / 2 * math.cos(a), across / 2 * math.sin(a)) for a in at])


def macro_aperture(body: str, values: list[float], unit: float) -> BaseGeometry:
    """Draw an aperture macro; later primitives that are clear take away from earlier ones.

    Raises
    ------
    ValueError
        For a primitive that is not known, or a figure that cannot be read; its argument is the primitive.
    """
    known = dict(enumerate(values, 1))
    image: BaseGeometry = Polygon()
    primitives = [p.strip() for p in body.split("*") if p.strip()]
    if len(primitives) > MOST_PRIMITIVES:
        raise ValueError(body[:40])
    for primitive in primitives:
        if primitive.startswith("0"):
            continue
        if match := re.fullmatch(r"\$(\d+)=(.+)", primitive):
            known[int(match[1])] = expression(match[2], known)
            continue
        try:
            row = [expression(f, known) for f in primitive.split(",")]
            shape, dark = _primitive(row)
        except (ValueError, IndexError, ZeroDivisionError, shapely.GEOSException) as error:
            raise ValueError(primitive) from error
        image = image.union(shape) if dark else image.difference(shape)
    return affinity.scale(image, unit, unit, origin=(0, 0))


def _primitive(row: list[float]) -> tuple[BaseGeometry, bool]:
    """Draw one primitive in the unit of its file; tells whether it adds."""
    code, turn = int(row[0]), 0.0
    if code == 1:
        shape: BaseGeometry = round_spot(row[3], row[4], row[2] / 2, 25.4)
        turn = row[5] if len(row) > 5 else 0.0
    elif code in (2, 20):
        line = LineString([(row[3], row[4]), (row[5], row[6])])
        shape, turn = line.buffer(row[2] / 2, cap_style="flat"), row[7]
    elif code == 21:
        w, h = row[2] / 2, row[3] / 2
        shape, turn = box(row[4] - w, row[5] - h, row[4] + w, row[5] + h), row[6]
    elif code == 22:
        shape, turn = box(row[4], row[5], row[4] + row[2], row[5] + row[3]), row[6]
    elif code == 4:
        count = int(row[2])
        if not 3 <= count <= 6000:
            raise ValueError("corners")
        points = [(row[3 + 2 * k], row[4 + 2 * k]) for k in range(count + 1)]
        shape, turn = Polygon(points).buffer(0), row[5 + 2 * count]
    elif code == 5:
        shape = affinity.translate(_regular(row[5], int(row[2]), 0.0), row[3], row[4])
        turn = row[6]
    elif code == 7:
        shape, turn = _thermal(row[1], row[2], row[3], row[4], row[5]), row[6]
        return affinity.rotate(shape, turn, origin=(0, 0)), True
    elif code == 6:
        shape, turn = _moire(row), row[9]
        return affinity.rotate(shape, turn, origin=(0, 0)), True
    else:
        raise ValueError("code")
    return affinity.rotate(shape, turn, origin=(0, 0)), row[1] != 0


def _thermal(x: float, y: float, outer: float, inner: float, gap: float) -> BaseGeometry:
    ring = round_spot(x, y, outer / 2, 25.4).difference(round_spot(x, y, inner / 2, 25.4))
    cross = box(x - outer, y - gap / 2, x + outer, y + gap / 2).union(
        box(x - gap / 2, y - outer, x + gap / 2, y + outer)
    )
    return ring.difference(cross)


def _moire(row: list[float]) -> BaseGeometry:
    x, y, outer, thick, gap, most, wide, long = row[1:9]
    image, across = Polygon(), outer
    for _ in range(min(int(most), 50)):
        if across <= 0:
            break
        ring = round_spot(x, y, across / 2, 25.4)
        image = image.union(ring.difference(round_spot(x, y, max(0.0, across / 2 - thick), 25.4)))
        across -= 2 * (thick + gap)
    flat = box(x - long / 2, y - wide / 2, x + long / 2, y + wide / 2)
    return image.union(flat).union(box(x - wide / 2, y - long / 2, x + wide / 2, y + long / 2))


def expression(text: str, known: dict[int, float]) -> float:
    """Work out an expression of a macro: numbers, ``$1``, ``+ - x /`` and parentheses; what is not given is zero.

    Raises
    ------
    ValueError
        When it cannot be read.
    """
    tokens = re.findall(r"\d+\.?\d*|\.\d+|\$\d+|[-+xX/()]", text.replace(" ", ""))
    if "".join(tokens) != text.replace(" ", "") or not tokens:
        raise ValueError(text)
    value, rest = _sum(tokens, known, 0)
    if rest:
        raise ValueError(text)
    return value


def _sum(tokens: list[str], known: dict[int, float], deep: int) -> tuple[float, list[str]]:
    value, tokens = _product(tokens, known, deep)
    while tokens and tokens[0] in "+-":
        sign = 1 if tokens[0] == "+" else -1
        more, tokens = _product(tokens[1:], known, deep)
        value += sign * more
    return value, tokens


def _product(tokens: list[str], known: dict[int, float], deep: int) -> tuple[float, list[str]]:
    value, tokens = _factor(tokens, known, deep)
    while tokens and tokens[0] in "xX/":
        more, rest = _factor(tokens[1:], known, deep)
        value = value / more if tokens[0] == "/" else value * more
        tokens = rest
    return value, tokens


def _factor(tokens: list[str], known: dict[int, float], deep: int) -> tuple[float, list[str]]:
    if not tokens or deep > DEEPEST:
        raise ValueError("expression")
    first, rest = tokens[0], tokens[1:]
    if first in "+-":
        value, rest = _factor(rest, known, deep + 1)
        return (value if first == "+" else -value), rest
    if first == "(":
        value, rest = _sum(rest, known, deep + 1)
        if not rest or rest[0] != ")":
            raise ValueError("parenthesis")
        return value, rest[1:]
    if first.startswith("$"):
        return known.get(int(first[1:]), 0.0), rest
    return float(first), rest
