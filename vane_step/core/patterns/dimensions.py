"""Packages from the dimensions of a maker's drawing: what each family asks for, and how its pattern is made.

The arithmetic is in ``landpattern`` and ``leadless``; ready packages by name are in ``packages``.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from vane_step.core.design.model import Package, PadSpec
from vane_step.core.errors import InputError
from vane_step.core.patterns.families import DIMENSIONED, MAX_PINS
from vane_step.core.patterns.landpattern import Span
from vane_step.core.quantity import nm, parse_length_nm

# Copper round a hole that trimming leaves.
LEAST_RING_MM = 0.15


def read_span(text: str, what: str) -> Span:
    """Read a dimension as drawings have it: ``1.5..1.7``, ``1.6+-0.1``, ``1.6±0.1``, or one number.

    Raises
    ------
    InputError
        When it is no length, or its ends are the wrong way round.
    """
    clean = text.replace("+-", "±").replace("+/-", "±").strip()
    if "±" in clean:
        middle, _, off = clean.partition("±")
        a, b = parse_length_nm(middle, what) / 1e6, parse_length_nm(off, what) / 1e6
        low, high = a - b, a + b
    else:
        first, _, last = clean.partition("..")
        low = parse_length_nm(first, what) / 1e6
        high = parse_length_nm(last, what) / 1e6 if last else low
    if not 0 <= low <= high <= 200:
        raise InputError(
            f"{text!r} is no dimension.", where=what, value=text, allowed="0 to 200 mm, least first"
        )
    return Span(low, high)


def from_dimensions(
    family: str,
    name: str,
    values: Mapping[str, str],
    kitchen: bool = False,
    clearance_mm: float = 0.15,
    ring_mm: float = LEAST_RING_MM,
) -> Package:
    """Compute a package from the dimensions of a drawing.

    Parameters
    ----------
    family : str
        Name of a family in :data:`DIMENSIONED`.
    name : str
        Name of the package; family and pins when empty.
    values : mapping of str to str
        Dimensions by key; those left out take the family's usual value.
    clearance_mm, ring_mm : float
        Pads nearer than this are trimmed, as far as that leaves a ring round their holes, and the package says so.

    Raises
    ------
    InputError, NotFound
        Naming the dimension that cannot be used.
    """
    kind = DIMENSIONED.get(family)
    if kind is None:
        raise InputError(
            f"There is no family {family!r}.", where="family", value=family, allowed=", ".join(DIMENSIONED)
        )
    strange = values.keys() - {d.key for d in kind.asks}
    if strange:
        known = ", ".join(d.key for d in kind.asks)
        raise InputError(f"{kind.name} has no dimension {min(strange)}.", where=family, allowed=known)
    read: dict[str, Span] = {}
    for asked in kind.asks:
        text = values.get(asked.key) or asked.usual
        if asked.kind == "count":
            if not re.fullmatch(r"\d{1,4}", text) or int(text) > MAX_PINS:
                raise InputError(
                    f"{text!r} is no number of pins.", where=asked.key, value=text, allowed=f"0 to {MAX_PINS}"
                )
            read[asked.key] = Span(int(text), int(text))
        else:
            read[asked.key] = read_span(text, asked.key)
    if "W" in read and "e" in read and read["W"].high >= read["e"].low:
        raise InputError(
            "The leads are wider than they are apart.", where="W", value=read["W"].high, allowed="under e"
        )
    pins = int(read["pins"].low) if "pins" in read else 0
    pack = kind.make(name or f"{family.upper()}{f'-{pins}' if pins else ''}", read, kitchen)
    for pad in pack.pads:
        if pad.width_nm < 100_000 or pad.height_nm < 100_000:
            raise InputError(
                f"Pad {pad.number} would be {pad.width_nm / 1e6:.2f} x {pad.height_nm / 1e6:.2f} mm.",
                where=pack.name,
                allowed="0.1 mm or more",
                next_step="Check the terminal's length against the body's.",
            )
    return trimmed(pack, clearance_mm, ring_mm)


def trimmed(
    pack: Package, clearance_mm: float, ring_mm: float = LEAST_RING_MM, strict: bool = True
) -> Package:
    """Trim pads that are nearer to each other than a clearance; of two unequal ones the larger gives way.

    Pads with holes keep a ring of copper; bare holes have none to trim.

    Parameters
    ----------
    strict : bool
        Refuse pads that cannot keep it; else they stay as they are, for the board's check to tell.

    Raises
    ------
    InputError
        When they cannot keep it.
    """
    pads = list(pack.pads)
    least, most = nm(clearance_mm), 0
    for i in range(len(pads)):
        for j in range(i + 1, len(pads)):
            a, b = pads[i], pads[j]
            if a.number == b.number or a.bare_hole or b.bare_hole:
                continue
            if "through" not in (a.layers, b.layers) and a.layers != b.layers:
                continue
            dx = abs(a.x_nm - b.x_nm) - (a.width_nm + b.width_nm) // 2
            dy = abs(a.y_nm - b.y_nm) - (a.height_nm + b.height_nm) // 2
            missing = least - max(dx, dy)
            if missing <= 0:
                continue
            side = "width_nm" if dx >= dy else "height_nm"
            areas = [p.width_nm * p.height_nm for p in (a, b)]
            shares = (2, 0) if areas[0] > 3 * areas[1] else (0, 2) if areas[1] > 3 * areas[0] else (1, 1)
            rooms = [max(0, getattr(pads[k], side) - _least(pads[k], ring_mm, strict)) for k in (i, j)]
            # Who has no room for its share leaves it to the other.
            first = max(min(shares[0] * missing, rooms[0]), 2 * missing - rooms[1])
            if first <= rooms[0]:
                left = {i: getattr(a, side) - first, j: getattr(b, side) - (2 * missing - first)}
                most = max(most, missing)
                pads[i], pads[j] = (pads[k].model_copy(update={side: size}) for k, size in left.items())
            elif strict:
                raise InputError(
                    f"Pads {a.number} and {b.number} cannot keep {clearance_mm:g} mm.",
                    where=pack.name,
                    next_step="Check the pitch, and the terminal's width or the lead.",
                )
    if not most:
        return pack
    source = f"{pack.source}; pads trimmed by up to {most / 1e6:.3f} mm to keep {clearance_mm:g} mm"
    return pack.model_copy(update={"pads": tuple(pads), "source": source[:200]})


def _least(pad: PadSpec, ring_mm: float, strict: bool) -> int:
    """Give how small a side of a pad may get: 0.1 mm, where it need not 0.2 mm, or its hole and the ring round it."""
    return max(100_000 if strict else 200_000, pad.drill_nm + nm(2 * ring_mm) if pad.drill_nm else 0)
