"""A part of the catalogue: what it is, its figures and pins, and the part it makes for a circuit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from pydantic import ValidationError

from vane_step.core.catalogue.figures import PARAMETERS, SILENT
from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Part, PartKind, Pin
from vane_step.core.parts.part import NEW_BLOCK, pin_numbers
from vane_step.core.patterns.packages import package
from vane_step.core.quantity import format_value


@dataclass(frozen=True)
class CataloguePart:
    """A part of the catalogue; ``params`` are in base units, ``series`` the prefix its values have in common."""

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
    series: str = ""

    def told(self) -> list[tuple[str, str]]:
        """Give title and figure of each parameter for people."""
        return [
            (p.title, format_value(v, p.unit))
            for k, v in self.params.items()
            if (p := PARAMETERS.get(k)) is not None and k not in SILENT
        ]

    def part(self, ref: str) -> Part:
        """Make the part for a circuit.

        Raises
        ------
        InputError
            When the reference cannot be one.
        """
        pins = self.pins or tuple(Pin(number=n) for n in pin_numbers(package(self.package)))
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
