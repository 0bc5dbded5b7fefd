"""What a part stands on: pads and packages; the document they belong to is in ``model``."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from vane_step.core.design.base import (
    Frozen,
    Name,
    Nm,
    PointNm,
    PositiveNm,
    SizeNm,
    Text,
)


class PadSpec(Frozen):
    """A pad of a package, relative to the part's origin, seen from the front.

    ``round`` with unequal sides is a capsule. A ``through`` pad whose drill is as large as the pad has no
    copper: it is an unplated hole. A ``slot_nm`` long hole lies along the pad's longer side (its width where both are
    alike) and is ``drill_nm`` wide. One ``on_edge`` is a plated hole on the board's edge, of which half stays. The mask
    opens over ``mask_nm`` where it is said, else over the pad and the maker's margin.
    """

    number: Name
    x_nm: Nm
    y_nm: Nm
    width_nm: PositiveNm
    height_nm: PositiveNm
    shape: Literal["rect", "round"] = "rect"
    layers: Literal["front", "back", "through"] = "front"
    drill_nm: SizeNm = 0
    slot_nm: SizeNm = 0
    on_edge: bool = False
    mask_nm: PositiveNm | None = None
    paste: bool = True

    @property
    def bare_hole(self) -> bool:
        """Whether the pad is only a hole, without copper round it."""
        return self.layers == "through" and self.drill_nm >= min(self.width_nm, self.height_nm)

    @property
    def slot_half_nm(self) -> tuple[float, float]:
        """How far the middle line of a slot reaches from the pad's middle; none for a round hole."""
        half = max(0, self.slot_nm - self.drill_nm) / 2
        return (half, 0.0) if self.width_nm >= self.height_nm else (0.0, half)

    @model_validator(mode="after")
    def _drill_fits(self) -> PadSpec:
        if self.layers == "through" and self.drill_nm == 0:
            raise ValueError(f"pad {self.number} goes through the board but has no drill")
        if self.slot_nm and (self.layers != "through" or self.on_edge):
            raise ValueError(
                f"pad {self.number} has a slot, so it goes through the board and not on its edge"
            )
        if self.slot_nm and self.slot_nm < self.drill_nm:
            raise ValueError(f"the slot of pad {self.number} is shorter than it is wide")
        if self.slot_nm > max(self.width_nm, self.height_nm):
            raise ValueError(f"the slot of pad {self.number} is longer than the pad")
        if self.on_edge and (self.layers != "through" or self.bare_hole):
            raise ValueError(f"pad {self.number} on the edge must be a plated hole")
        return self


class Package(Frozen):
    """A land pattern with everything a board needs to know of a part's body.

    ``keepout_nm`` is a box free of any copper and other parts, such as an antenna's. ``drawing`` has the maker's
    dimensions the pattern was computed from, least and greatest in millimetres. ``checked`` says how the order of
    its pins was checked, ``proved`` on which real boards the pattern was soldered. The ``mouth`` is the side where a
    plug, cable, card or shaft enters or an antenna radiates; it stands ``mouth_over_nm`` over the edge of a board.
    """

    name: Name
    title: Text = ""
    pads: tuple[PadSpec, ...] = Field(min_length=1, max_length=2000)
    body_nm: tuple[SizeNm, SizeNm]
    height_nm: SizeNm = 0
    courtyard_nm: tuple[Nm, Nm, Nm, Nm]
    legend: tuple[Annotated[tuple[PointNm, ...], Field(min_length=2, max_length=2000)], ...] = ()
    pin1_nm: PointNm | None = None
    polarised: bool = False
    source: Text = ""
    keepout_nm: tuple[Nm, Nm, Nm, Nm] | None = None
    drawing: dict[str, tuple[float, float]] = {}
    checked: Text = ""
    proved: tuple[Text, ...] = ()
    mouth: Literal["", "left", "right", "top", "bottom"] = ""
    mouth_over_nm: SizeNm = 0

    @model_validator(mode="after")
    def _courtyard_is_a_box(self) -> Package:
        x0, y0, x1, y1 = self.courtyard_nm
        if x1 <= x0 or y1 <= y0:
            raise ValueError(f"courtyard of {self.name} is empty")
        return self
