"""What a board house is asked, and what it answers; what a board needs is measured in ``needs``."""

from __future__ import annotations

from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.circuit.variants import fitted
from vane_step.core.design.model import Design

COUNTRIES: Final = ("Hollmark", "Vestria", "Quennland", "Sarovy")
Name = Annotated[str, Field(min_length=1, max_length=60)]
Euros = Annotated[float, Field(ge=0, le=1e6)]
Days = Annotated[int, Field(ge=0, le=400)]


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Needs(_Frozen):
    """What a board needs of whoever makes it, measured on it. Lengths in millimetres.

    ``least_edge_mm`` is between copper and the board's edge, ``least_web_mm`` between two holes; None where there is
    nothing of the kind, or it was not measured then.
    """

    width_mm: float = Field(gt=0, le=2000)
    height_mm: float = Field(gt=0, le=2000)
    layers: Literal[1, 2, 4]
    least_width_mm: float = Field(ge=0)
    least_gap_mm: float = Field(ge=0)
    least_ring_mm: float = Field(ge=0)
    least_drill_mm: float = Field(ge=0)
    holes: int = Field(ge=0)
    half_holes: int = Field(default=0, ge=0)
    filled_vias: int = Field(default=0, ge=0)
    copper_um: float = Field(default=35.0, gt=0, le=500)
    least_edge_mm: float | None = Field(default=None, ge=0)
    least_web_mm: float | None = Field(default=None, ge=0)
    least_slot_mm: float | None = Field(default=None, gt=0)
    largest_drill_mm: float | None = Field(default=None, gt=0)


class Wanted(_Frozen):
    """One kind of part to be fitted: how many on a board, joints of one, on the surface or through holes."""

    number: str = Field(max_length=100)
    count: int = Field(ge=1, le=10_000)
    joints: int = Field(ge=0, le=2000)
    surface: bool


class Asked(_Frozen):
    """What a house is asked for: a board, options, how many, where to, and whether it fits the parts."""

    needs: Needs
    quantity: int = Field(ge=1, le=100_000)
    country: Name
    colour: Name = "green"
    finish: Name = "tin, lead-free"
    thickness_mm: float = Field(default=1.6, gt=0, le=10)
    test: bool = True
    express: bool = False
    panel: tuple[int, int] | None = None
    stencil: bool = False
    parts: tuple[Wanted, ...] = Field(default=(), max_length=2000)
    both_sides: bool = False


class Item(_Frozen):
    """A line of a quote."""

    what: str = Field(max_length=120)
    price: float = Field(ge=-1e6, le=1e6)


class Way(_Frozen):
    """A way of shipping: its price, and how many working days it takes."""

    name: Name
    price: Euros
    days: Days


class Quote(_Frozen):
    """What a house answers.

    Parameters
    ----------
    refusals
        What it cannot make of the board, in its own words; then there is no price.
    days
        Working days until it is shipped.
    missing
        Numbers of parts it does not have: they are sent to it.
    """

    house: Name
    grade: str = Field(default="", max_length=60)
    items: tuple[Item, ...] = Field(default=(), max_length=60)
    days: Days = 0
    ways: tuple[Way, ...] = Field(default=(), max_length=20)
    holidays: tuple[str, ...] = Field(default=(), max_length=100)
    refusals: tuple[Annotated[str, Field(max_length=200)], ...] = Field(default=(), max_length=20)
    missing: tuple[str, ...] = Field(default=(), max_length=2000)
    valid_days: int = Field(default=14, ge=0, le=400)

    @property
    def goods(self) -> float:
        """Price of all that is ordered, without shipping, in euros."""
        return sum(i.price for i in self.items)


class Grade(_Frozen):
    """A class of fineness a house makes: its least values in millimetres, and how many times the price it is."""

    name: Name
    width_mm: float = Field(gt=0, le=10)
    gap_mm: float = Field(gt=0, le=10)
    ring_mm: float = Field(ge=0, le=10)
    drill_mm: float = Field(gt=0, le=10)
    factor: float = Field(default=1.0, gt=0, le=100)


class House(_Frozen):
    """What a house says of itself: what can be chosen, and what it can make.

    Parameters
    ----------
    grades
        Its classes from the coarsest to the finest; ``least_*_mm`` are those of the finest.
    edge_mm, web_mm, slot_mm, legend_mm, bridge_mm
        Least copper to the edge, between two holes, slot, line of legend, bridge of mask; None where it does not say.
    """

    id: str = Field(pattern=r"^[a-z0-9-]{1,40}$")
    name: Name
    country: Name
    about: str = Field(default="", max_length=300)
    layers: tuple[Literal[1, 2, 4], ...]
    colours: tuple[Name, ...] = Field(min_length=1, max_length=20)
    finishes: tuple[Name, ...] = Field(min_length=1, max_length=20)
    thicknesses_mm: tuple[float, ...] = Field(min_length=1, max_length=20)
    copper_um: tuple[float, ...] = Field(min_length=1, max_length=10)
    least_width_mm: float
    least_gap_mm: float
    least_ring_mm: float
    least_drill_mm: float
    grades: tuple[Grade, ...] = Field(default=(), max_length=10)
    edge_mm: float | None = Field(default=None, ge=0, le=10)
    web_mm: float | None = Field(default=None, ge=0, le=10)
    slot_mm: float | None = Field(default=None, gt=0, le=10)
    legend_mm: float | None = Field(default=None, gt=0, le=10)
    bridge_mm: float | None = Field(default=None, gt=0, le=10)
    largest_drill_mm: float | None = Field(default=None, gt=0, le=50)
    largest_mm: tuple[float, float] | None = None
    quantities: tuple[int, ...] = Field(min_length=1, max_length=60)
    assembles: bool = False
    stencils: bool = False
    panels: bool = False


def parts_wanted(design: Design) -> tuple[Wanted, ...]:
    """List what is to be fitted, kind by kind, with the joints of one."""
    have = fitted(design, "")
    kinds: dict[tuple[str, int, bool], int] = {}
    for part in design.parts.values():
        pads = design.packages[part.package].pads
        if have.get(part.ref, part.fitted) and part.kind != "jumper" and pads:
            surface = not any(p.drill_nm for p in pads)
            key = (part.catalogue or f"{part.value} {part.package}"[:100], len(pads), surface)
            kinds[key] = kinds.get(key, 0) + 1
    return tuple(
        Wanted(number=number[:100], count=count, joints=joints, surface=surface)
        for (number, joints, surface), count in sorted(kinds.items())
    )


def sides_with_parts(design: Design) -> set[str]:
    """Give the sides surface parts lie on."""
    return {
        p.place.side
        for p in design.parts.values()
        if p.place and not any(x.drill_nm for x in design.packages[p.package].pads)
    }
