"""Browsing the catalogue: sliders over the figures of a category, and sizes of parts; pages draw them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.figures import PARAMETERS
from vane_step.core.quantity import format_value

MOST_SLIDERS = 4


@dataclass(frozen=True)
class Slider:
    """A figure that the parts of a category differ in: its values in order, and the range that is chosen."""

    key: str
    title: str
    values: tuple[float, ...]
    low: float
    high: float
    unit: str

    @property
    def steps(self) -> list[str]:
        """The values as people read them."""
        return [format_value(v, self.unit) for v in self.values]

    @property
    def ends(self) -> tuple[int, int]:
        """Which of the values the range begins and ends with."""
        first = next((k for k, v in enumerate(self.values) if v >= self.low * (1 - 1e-9)), 0)
        last = next(
            (k for k in reversed(range(len(self.values))) if self.values[k] <= self.high * (1 + 1e-9)), 0
        )
        return first, max(first, last)


def sliders(catalogue: Catalogue, category: str, ranges: Mapping[str, tuple[float, float]]) -> list[Slider]:
    """Give the sliders of a category: the figures its tree names, then others its parts differ in, four at most."""
    kind = catalogue.categories.get(category)
    if kind is None:
        return []
    mine = [p for p in catalogue.parts.values() if p.category == category]
    others = dict.fromkeys(k for p in mine for k in p.params)
    found: list[Slider] = []
    for key in dict.fromkeys((*kind.figures, *others)):
        values = tuple(sorted({p.params[key] for p in mine if key in p.params}))
        if len(values) < 2 or key not in PARAMETERS:
            continue
        known = PARAMETERS[key]
        low, high = ranges.get(key, (values[0], values[-1]))
        found.append(Slider(key, known.title, values, low, high, known.unit))
        if len(found) == MOST_SLIDERS:
            break
    return found


def area_mm2(catalogue: Catalogue, part: CataloguePart) -> float:
    """Give the area a part takes on the board, its courtyard; 0 for a loose one."""
    if not part.package:
        return 0.0
    x0, y0, x1, y1 = (v / 1e6 for v in catalogue.package_of(part.package).courtyard_nm)
    return (x1 - x0) * (y1 - y0)
