"""The figures of a maker's rule set by the words they are said with, and whether they go together."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final, Literal

from pydantic import ValidationError

from vane_step.core.design.bareboard import PriceStep, RuleSet
from vane_step.core.errors import InputError
from vane_step.core.quantity import nm, parse_length_nm, parse_value


@dataclass(frozen=True)
class RuleFigure:
    """A figure of a rule set: the word it is said with, its field, what kind it is, and what it means."""

    word: str
    field: str
    kind: Literal["length", "um", "mm", "price", "prices", "yes", "counts", "sizes"]
    title: str


def _figures(text: str) -> dict[str, RuleFigure]:
    found = {}
    for line in text.strip().splitlines():
        word, field, kind, title = line.split(maxsplit=3)
        found[word] = RuleFigure(word, field, kind, title)  # type: ignore[arg-type]
    return found


FIGURES: Final[dict[str, RuleFigure]] = _figures("""
layers copper_layers counts numbers of copper layers
track min_width_nm length finest track
gap min_clearance_nm length least gap
usual-track default_width_nm length usual track
usual-gap default_clearance_nm length usual gap
ring min_ring_nm length least ring round a hole
drill min_drill_nm length finest drill
largest-drill max_drill_nm length largest drill
drills drills_nm sizes drills at hand, none for any size
via via_pad_nm length via, across its copper
via-drill via_drill_nm length drill of a via
edge edge_clearance_nm length copper to the edge
hole-hole hole_to_hole_nm length hole to hole
hole-copper hole_to_copper_nm length bare hole to copper
slot min_slot_nm length narrowest slot
edge-drill edge_drill_nm length finest half hole on the edge, 0 for none
mask mask_margin_nm length mask opening beyond the pad
legend-line legend_width_nm length finest line of the legend
legend-height legend_height_nm length lowest capitals of the legend
legend-pad legend_to_pad_nm length legend to a pad
copper copper_um um outer copper
inner-copper inner_copper_um um inner copper
board board_mm mm thickness of the board
outline-within outline_within_nm length outlines come within, either way
hole-within hole_within_nm length holes come within, either way
board-within board_within_mm mm thickness comes within, either way
etched etched yes etched by hand
fills fills_vias yes fills and caps vias in pads
fill-price fill_price price filling, an order
price prices prices a price: layers/size/boards/euros, none for no prices
""")
MOST_NM: Final = 10_000_000


def with_figures(rules: RuleSet, said: Mapping[str, str], name: str = "") -> RuleSet:
    """Give a rule set with some figures changed, and a name of its own.

    Parameters
    ----------
    said : mapping of str to str
        Values by the words of :data:`FIGURES`, as they are typed.
    name : str
        What it is called; empty keeps the title it has.

    Raises
    ------
    InputError
        Naming the figure that is none, is out of its range, or does not go with another.
    """
    update: dict[str, Any] = {}
    for word, text in said.items():
        figure = FIGURES.get(word)
        if figure is None:
            raise InputError(
                f"{word!r} is no figure of rules.", where="rule", value=word, allowed=", ".join(FIGURES)
            )
        update[figure.field] = _with_price(rules, text) if figure.kind == "prices" else _read(figure, text)
    if name:
        update["title"] = name
        update["name"] = "-".join(name.lower().split())[:60]
    try:
        found = RuleSet.model_validate(rules.model_dump() | update)
    except ValidationError as error:
        first = error.errors()[0]
        raise InputError(
            f"The rules cannot be like that: {first['msg']}.",
            where=str(first["loc"][0]),
            value=str(first["input"])[:60],
        ) from error
    check_sound(found)
    return found


def _with_price(rules: RuleSet, text: str) -> tuple[PriceStep, ...]:
    """Put a price among those of a rule set, in the stead of that for the same layers, size and boards."""
    if text == "none":
        return ()
    match = re.fullmatch(r"([124])/([\d.]+)x([\d.]+)/(\d{1,4})/([\d.]+)€?", text)
    if match is None:
        raise InputError(
            f"{text!r} is no price.", where="price", value=text, allowed="2/100x80/5/13.50, or none"
        )
    wide, tall = (nm(float(match[k])) for k in (2, 3))
    step = PriceStep(
        copper_layers=int(match[1]),
        width_nm=wide,
        height_nm=tall,
        boards=int(match[4]),
        price=float(match[5]),
    )
    others = [p for p in rules.prices if p.model_copy(update={"price": step.price}) != step]
    return tuple(sorted([*others, step], key=lambda p: (p.copper_layers, p.boards, p.width_nm * p.height_nm)))


def _read(figure: RuleFigure, text: str) -> Any:
    if figure.kind == "yes":
        if text.lower() not in ("yes", "no"):
            raise InputError(f"{figure.word} is yes or no.", where=figure.word, value=text, allowed="yes, no")
        return text.lower() == "yes"
    if figure.kind == "counts":
        counts = tuple(sorted({int(c) for c in text.replace("/", " ").split() if c in ("1", "2", "4")}))
        if not counts or len(counts) != len(text.replace("/", " ").split()):
            raise InputError("Boards have 1, 2 or 4 layers.", where="layers", value=text, allowed="1/2/4")
        return counts
    if figure.kind == "sizes":
        sizes = () if text == "none" else text.split("/")
        return tuple(sorted(parse_length_nm(s, figure.word) for s in sizes))
    if figure.kind == "length":
        length = parse_length_nm(text, figure.word)
        if not 0 <= length <= MOST_NM:
            raise InputError(
                f"{figure.title} of {length / 1e6:g} mm is none.",
                where=figure.word,
                value=text,
                allowed=f"0 to {MOST_NM / 1e6:g} mm",
            )
        return length
    if figure.kind == "mm":
        return parse_length_nm(text, figure.word) / 1e6
    if figure.kind == "um":
        bare = text.replace(".", "", 1).replace(",", "", 1).isdigit()
        return parse_length_nm(f"{text}um" if bare else text.replace("µ", "u"), figure.word) / 1e3
    return parse_value(text.removesuffix("€").removesuffix("EUR").strip(), figure.word)


def check_sound(rules: RuleSet) -> None:
    """Refuse a rule set whose figures contradict each other.

    Raises
    ------
    InputError
        Naming the first two that do.
    """
    for word, value, low, why in (
        ("usual-track", rules.default_width_nm, rules.min_width_nm, "the finest track"),
        ("usual-gap", rules.default_clearance_nm, rules.min_clearance_nm, "the least gap"),
        ("largest-drill", rules.max_drill_nm, rules.min_drill_nm, "the finest drill"),
        ("via-drill", rules.via_drill_nm, rules.min_drill_nm, "the finest drill"),
        ("via", rules.via_pad_nm, rules.via_drill_nm + 2 * rules.min_ring_nm, "its drill and two rings"),
        ("drills", min(rules.drills_nm, default=rules.min_drill_nm), rules.min_drill_nm, "the finest drill"),
    ):
        if value < low:
            raise InputError(
                f"{word} of {value / 1e6:g} mm is less than {why}, {low / 1e6:g} mm.",
                where=word,
                value=f"{value / 1e6:g} mm",
                allowed=f"{low / 1e6:g} mm or more",
                next_step="Say both in one sentence.",
            )


def price_shown(step: PriceStep) -> str:
    """Write a price the way it is typed."""
    size = f"{step.width_nm / 1e6:g}x{step.height_nm / 1e6:g}"
    return f"{step.copper_layers}/{size}/{step.boards}/{step.price:g}"


def shown(rules: RuleSet, figure: RuleFigure) -> str:
    """Write a figure of a rule set the way it is typed."""
    value = getattr(rules, figure.field)
    if figure.kind == "length":
        return f"{value / 1e6:g}mm"
    if figure.kind == "yes":
        return "yes" if value else "no"
    if figure.kind == "counts":
        return "/".join(map(str, value))
    if figure.kind == "prices":
        return ", ".join(price_shown(p) for p in value) or "none"
    if figure.kind == "sizes":
        return "/".join(f"{v / 1e6:g}mm" for v in value) or "none"
    return f"{value:g}" + ("mm" if figure.kind == "mm" else "µm" if figure.kind == "um" else "€")
