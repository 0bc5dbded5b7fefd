"""Which way round artwork is printed, for every method and side; drawing it is in ``artwork``.

The design view is the board seen from the front, back copper seen through it; *as is* prints the design view.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from vane_step.core.design.model import Side
from vane_step.core.errors import InputError

Method = Literal["toner", "film", "film-away", "pen"]


@dataclass(frozen=True)
class EtchMethod:
    """A way of getting the picture onto copper, and whether each side is printed mirrored."""

    name: Method
    title: str
    front_mirrored: bool
    back_mirrored: bool
    why: str
    least_mm: float
    least_source: str

    def mirrored(self, side: Side) -> bool:
        """Tell whether a side is printed as the mirror image of the design view."""
        return self.front_mirrored if side == "front" else self.back_mirrored


METHODS: dict[str, EtchMethod] = {
    "toner": EtchMethod(
        "toner",
        "Ironed toner",
        True,
        False,
        "The ink touches the copper and is turned over on the way.",
        0.3,
        "guidance: 0.3 mm is comfortable with ironed toner",
    ),
    "film": EtchMethod(
        "film",
        "Photo film, ink against the copper",
        True,
        False,
        "The film lies ink side down on the copper, so its edges are sharp.",
        0.2,
        "guidance: 0.2 mm with film",
    ),
    "film-away": EtchMethod(
        "film-away",
        "Photo film, ink away from the copper",
        False,
        True,
        "The light spreads in the thickness of the film: expect softer edges.",
        0.3,
        "guidance: film with a gap",
    ),
    "pen": EtchMethod(
        "pen",
        "Drawn by hand on the copper",
        False,
        True,
        "The sheet is a picture to copy: it looks as the copper will look.",
        0.8,
        "guidance: a pen draws 0.8 mm",
    ),
}


def method_of(name: str) -> EtchMethod:
    """Give a method by name, or raise :class:`InputError` with the names there are."""
    if name not in METHODS:
        raise InputError(
            f"There is no method {name!r}.", where="method", value=name, allowed=", ".join(METHODS)
        )
    return METHODS[name]


def proof(method: EtchMethod, side: Side) -> str:
    """Say how the word on the artwork must look on the sheet, so that it reads rightly on the finished copper.

    On the design view a word on the front reads rightly, one on the back mirrored; printing mirrored swaps that.
    """
    word = side.upper()
    reads = (side == "front") != method.mirrored(side)
    look = "reads normally" if reads else "reads mirrored"
    return f"On this sheet the word {word} {look}; on the finished copper it reads normally."


CAUTIONS: tuple[str, ...] = (
    "Goggles, gloves and an apron; open air or strong ventilation; nobody else, no animals and no food near.",
    "Plastic or glass vessels, open, away from metal and from tools that rust. Acid into water, never water into acid.",
    "Have baking soda ready for spills.",
    "Used bath holds copper: never into a drain; take it to a hazardous waste point.",
    "Drilling dust is glass fibre: wear a mask, drill damp, vacuum it up, do not blow. Fix the board before you drill.",
    "Local rules decide what may be used and how it is disposed of.",
)
