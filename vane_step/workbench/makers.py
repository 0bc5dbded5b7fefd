"""Makers that files are held against: houses by what they say of themselves, kept with its day, and rule sets."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Final

from pydantic import BaseModel, ConfigDict, ValidationError

from vane_step.core.design.bareboard import RuleSet
from vane_step.core.houses.quoting import House
from vane_step.core.inspect.makers import Class, Maker
from vane_step.core.memo import MEMO
from vane_step.store.designs import DesignStore
from vane_step.suppliers.houses import HouseSilent, describe, directory

# Houses that were silent are asked again after so many seconds, not at each look.
AGAIN_S: Final = 600
# A rule's figure by what is measured, and the figure a house gives of itself.
_FIGURES: Final = {
    "edge": ("edge_clearance_nm", "edge_mm"),
    "web": ("hole_to_hole_nm", "web_mm"),
    "slot": ("min_slot_nm", "slot_mm"),
    "ink": ("legend_width_nm", "legend_mm"),
    "bridge": (None, "bridge_mm"),
}


@dataclass(frozen=True)
class Makers:
    """Makers to hold files against, and what is wrong with the houses that did not answer."""

    makers: tuple[Maker, ...]
    silent: tuple[str, ...] = ()


class _Described(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
    house: House
    on: date


def maker_of_house(house: House, source: str) -> Maker:
    """Give what a house says of itself as a maker; one that names no classes has one."""
    least = [
        (g.name, g.factor, {"track": g.width_mm, "gap": g.gap_mm, "ring": g.ring_mm, "drill": g.drill_mm})
        for g in house.grades
    ] or [
        (
            "",
            1.0,
            {
                "track": house.least_width_mm,
                "gap": house.least_gap_mm,
                "ring": house.least_ring_mm,
                "drill": house.least_drill_mm,
            },
        )
    ]
    said = {key: getattr(house, field) for key, (_, field) in _FIGURES.items()}
    also = {key: limit for key, limit in said.items() if limit is not None}
    classes = tuple(Class(name, {**some, **also}, factor) for name, factor, some in least)
    return Maker(
        house.id, house.name, source, classes, house.layers, house.largest_drill_mm, house.largest_mm
    )


def maker_of_rules(rules: RuleSet) -> Maker:
    """Give a rule set as a maker of one class."""
    least = {
        "track": rules.min_width_nm / 1e6,
        "gap": rules.min_clearance_nm / 1e6,
        "ring": rules.min_ring_nm / 1e6,
        "drill": rules.min_drill_nm / 1e6,
        **{key: getattr(rules, field) / 1e6 for key, (field, _) in _FIGURES.items() if field},
    }
    title = rules.title or rules.name
    return Maker(
        rules.name, title, "a rule set", (Class("", least),), rules.copper_layers, rules.max_drill_nm / 1e6
    )


def asked_makers(address: str, rules: Iterable[RuleSet], today: date) -> Makers:
    """Ask houses what they make, here and now; rule sets of makers who answered are not told twice."""
    try:
        names = directory(address)
    except HouseSilent as error:
        return Makers(_with_rules([], rules), (error.message,))
    houses = describe(address, names)
    silent = tuple(f"{name} does not say what it makes." for id, name in names.items() if id not in houses)
    return Makers(_with_rules([maker_of_house(h, _told(today)) for h in houses.values()], rules), silent)


def kept_makers(store: DesignStore, address: Callable[[], str], rules: Iterable[RuleSet]) -> Makers:
    """Give houses by what they said last, and ask those that said nothing today.

    One that is silent stands with what it said before, and the day; it is asked again ten minutes later.
    """
    now = store.shared.now()
    kept = _kept(store)
    silent: Mapping[str, str] = {}
    if not kept or any(d.on != now.date() for d in kept.values()):
        mark = ("houses described", address(), int(now.timestamp()) // AGAIN_S)
        known = MEMO.get(mark)
        silent = known if known is not None else MEMO.put(mark, _ask(store, address()), like="described")
        kept = _kept(store)
    told = [maker_of_house(d.house, _told(d.on)) for d in kept.values()]
    return Makers(_with_rules(told, rules), tuple(silent.values()))


def _ask(store: DesignStore, address: str) -> dict[str, str]:
    """Ask all houses and keep what they say; gives the silent ones, and forgets those no longer listed."""
    today = store.shared.now().date()
    try:
        names = directory(address)
    except HouseSilent as error:
        return {"": error.message}
    houses = describe(address, names)
    for id, house in houses.items():
        store.bench.keep("described", id, _Described(house=house, on=today).model_dump_json())
    for id in store.bench.kept("described").keys() - names.keys():
        store.bench.drop("described", id)
    return {id: f"{name} does not say what it makes." for id, name in names.items() if id not in houses}


def _kept(store: DesignStore) -> dict[str, _Described]:
    found = {}
    for id, content in store.bench.kept("described").items():
        try:
            found[id] = _Described.model_validate_json(content)
        except ValidationError:
            continue  # Of an older kind: it is asked anew.
    return found


def _with_rules(houses: list[Maker], rules: Iterable[RuleSet]) -> tuple[Maker, ...]:
    """Add rule sets, but for those of houses that are there already."""
    others = [
        maker_of_rules(r)
        for r in rules
        if not r.etched and not any(h.title and r.title.startswith(h.title) for h in houses)
    ]
    return (*houses, *others)


def _told(on: date) -> str:
    return f"its own word of {on.isoformat()}"
