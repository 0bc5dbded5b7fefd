"""The catalogue: its parts by number, by series and by likeness; words and figures are found in ``index``."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Unpack

from rapidfuzz import fuzz, process

from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.figures import PARAMETERS, VALUED
from vane_step.core.catalogue.index import Answer, Index, Wanted
from vane_step.core.catalogue.tree import Category
from vane_step.core.design.model import Package, Part
from vane_step.core.errors import InputError, NotFound
from vane_step.core.lazy import lazy
from vane_step.core.patterns.packages import package
from vane_step.core.quantity import format_value, parse_value


class Catalogue:
    """All parts by number, with what searching them needs."""

    def __init__(
        self,
        parts: Mapping[str, CataloguePart],
        categories: Mapping[str, Category] | None = None,
        packages: Mapping[str, Package] | None = None,
    ) -> None:
        self.parts = dict(parts)
        self.categories = dict(categories or {})
        # Packages of one's own, by name; those of the program are made from their names.
        self.packages = dict(packages or {})

    def package_of(self, name: str, kitchen: bool = False) -> Package:
        """Give a package by name: one's own, or made for the board's maker.

        Raises
        ------
        NotFound
            When there is none.
        """
        return self.packages.get(name) or package(name, kitchen)

    def get(self, number: str) -> CataloguePart:
        """Give a part by its number.

        Raises
        ------
        NotFound
            With numbers that begin alike.
        """
        found = self.parts.get(number) or self.parts.get(number.upper())
        if found is None:
            near = [
                n for n, *_ in process.extract(number.upper(), list(self.parts), scorer=fuzz.ratio, limit=5)
            ]
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

    @lazy
    def series(self) -> frozenset[str]:
        """The prefixes of all series of values."""
        return frozenset(p.series for p in self.parts.values() if p.series)

    @lazy
    def index(self) -> Index:
        """The index of words, made at the first search."""
        return Index(list(self.parts.values()), self.categories)

    def search(self, text: str, limit: int = 40, **wanted: Unpack[Wanted]) -> Answer:
        """Find parts by words and figures: ``schottky 40 V 2 A``, ``resistor 10k 0805``, ``fet rds<0.05``.

        Parameters
        ----------
        text : str
            What is looked for; nothing finds all.
        limit : int
            How many to give; all that was found is counted.
        **wanted
            How to narrow and order them, see :class:`vane_step.core.catalogue.index.Wanted`.

        Raises
        ------
        InputError
            For too many words, or a parameter that does not exist.
        """
        return self.index.answer(text, limit, wanted)

    def member(self, series: str, value: float) -> CataloguePart:
        """Give the part of a series that has a value.

        Raises
        ------
        NotFound
            With the values next to it when the series has none.
        """
        mine = [p for p in self.parts.values() if p.series == series]
        if not mine:
            raise NotFound(f"The catalogue has no series {series}.", where=series, next_step="Search for it.")
        key = VALUED[mine[0].kind]
        mine.sort(key=lambda p: abs(math.log(p.params[key] / value)) if value > 0 else p.params[key])
        if value > 0 and abs(mine[0].params[key] / value - 1) <= 1e-3:
            return mine[0]
        near = sorted(mine[:2], key=lambda p: p.params[key])
        raise NotFound(
            f"{series} has no value {format_value(value, PARAMETERS[key].unit)}.",
            where=series,
            value=format_value(value),
            allowed=", ".join(f"{p.value} ({p.number})" for p in near),
            next_step="Take the next value.",
        )
