"""The bare board of the document: outline, cut-outs and holes, the maker's rules, pours and legend texts."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from vane_step.core.design.areas import Cutout, Ring, board_fault
from vane_step.core.design.base import (
    LAYERS,
    Frozen,
    Layer,
    Line,
    Name,
    Nm,
    PointNm,
    PositiveNm,
    Side,
    SizeNm,
    Text,
)


class JumperSizes(Frozen):
    """Sizes of a straight wire jumper on a one-layer board."""

    pad_nm: PositiveNm
    drill_nm: PositiveNm
    wire_nm: PositiveNm
    min_length_nm: PositiveNm
    max_length_nm: PositiveNm


class PriceStep(Frozen):
    """What a maker asks for some bare boards up to a size, either way round, in euros with what is fixed."""

    copper_layers: int = Field(ge=1, le=4)
    width_nm: PositiveNm
    height_nm: PositiveNm
    boards: int = Field(ge=1, le=100_000)
    price: float = Field(gt=0, le=1e6)


class RuleSet(Frozen):
    """What a maker can make. All limits are least values unless they say otherwise.

    ``drills_nm`` are the sizes at hand, smallest first; with none named, every size between the limits is. Plated holes
    on the edge are made from ``edge_drill_nm`` up; 0 for a maker who makes none. One who ``fills_vias`` fills, caps and
    plates over vias that lie in surface pads, for ``fill_price`` an order, in euros. What comes back is as drawn to
    within ``outline_within_nm``, ``hole_within_nm`` and, in thickness, ``board_within_mm``, either way.
    """

    name: Text
    title: Text = ""
    copper_layers: tuple[int, ...] = (1, 2)
    min_width_nm: PositiveNm
    min_clearance_nm: PositiveNm
    min_ring_nm: SizeNm
    min_drill_nm: PositiveNm
    max_drill_nm: PositiveNm = 6_300_000
    edge_clearance_nm: SizeNm
    hole_to_hole_nm: SizeNm
    hole_to_copper_nm: SizeNm
    via_pad_nm: PositiveNm
    via_drill_nm: PositiveNm
    mask_margin_nm: Nm = 50_000
    legend_width_nm: PositiveNm = 150_000
    legend_to_pad_nm: SizeNm = 100_000
    legend_height_nm: PositiveNm = 1_000_000
    copper_um: float = Field(default=35.0, gt=0, le=500)
    inner_copper_um: float = Field(default=35.0, gt=0, le=500)
    board_mm: float = Field(default=1.6, gt=0, le=10)
    default_width_nm: PositiveNm = 250_000
    default_clearance_nm: PositiveNm = 200_000
    jumper: JumperSizes | None = None
    etched: bool = False
    min_slot_nm: PositiveNm = 800_000
    drills_nm: tuple[PositiveNm, ...] = Field(default=(), max_length=60)
    edge_drill_nm: SizeNm = 0
    fills_vias: bool = False
    fill_price: float = Field(default=0.0, ge=0, le=100_000)
    prices: tuple[PriceStep, ...] = Field(default=(), max_length=60)
    outline_within_nm: SizeNm = 200_000
    hole_within_nm: SizeNm = 100_000
    board_within_mm: float = Field(default=0.16, ge=0, le=2)


class MountingHole(Frozen):
    """An unplated hole in the board, with the free zone its screw head needs."""

    id: Name
    x_nm: Nm
    y_nm: Nm
    drill_nm: PositiveNm
    keepout_nm: SizeNm = 0


class Pour(Frozen):
    """Copper poured over a layer up to the edge clearance, joined to one net.

    ``area`` bounds it; without one it covers the board. ``cuts`` are polygons it leaves out. Where pours of several
    nets meet on a layer, those of lower ``priority`` give way. ``hatch_nm`` is the pitch of a grid of lines it is made
    of instead of solid copper, which etches evenly and lets toner hold. A ``plane`` is kept free of tracks of other
    nets, and pads of its own net reach it by a via each.
    """

    id: Name
    net: Name
    layer: Layer
    area: tuple[()] | Ring = Field(default=(), max_length=2000)
    cuts: tuple[Ring, ...] = Field(default=(), max_length=200)
    priority: int = Field(default=0, ge=0, le=99)
    hatch_nm: SizeNm = 0
    plane: bool = False
    clearance_nm: PositiveNm = 250_000
    min_width_nm: PositiveNm = 250_000
    spoke_nm: PositiveNm = 400_000


class LegendText(Frozen):
    """Text printed on the board, or made in its copper; ``height_nm`` is the height of capitals.

    With a ``shape``, rings round (x, y), that is printed as solid ink instead, and the words are only its name: a field
    to write on, or a picture.
    """

    id: Name
    text: Line = Field(min_length=1, max_length=80)
    x_nm: Nm
    y_nm: Nm
    height_nm: PositiveNm = 1_200_000
    turn_deg: float = Field(default=0.0, ge=-360, le=360)
    side: Side = "front"
    copper: bool = False
    shape: tuple[Annotated[tuple[PointNm, ...], Field(min_length=3, max_length=20_000)], ...] = Field(
        default=(), max_length=2000
    )


class Zone(Frozen):
    """A part of the board where something may not be.

    ``hand`` is held by hands and free of parts; ``low`` has a case over it no higher than ``tall_nm``, on one side or
    both; ``quiet`` is crossed by no track whose net has no pad in it; ``clear`` is free of copper on every layer.
    """

    id: Name
    kind: Literal["hand", "low", "quiet", "clear"]
    points: Ring = Field(max_length=2000)
    tall_nm: SizeNm = 0
    side: Literal["front", "back", "both"] = "front"


class Board(Frozen):
    """The bare board: outline, cut-outs, zones, the lines a panel is scored along, copper layers and maker's rules."""

    outline: tuple[PointNm, ...] = Field(min_length=3, max_length=5000)
    corner_radius_nm: SizeNm = 0
    cutouts: tuple[Cutout, ...] = Field(default=(), max_length=500)
    zones: tuple[Zone, ...] = Field(default=(), max_length=200)
    scores: tuple[tuple[PointNm, PointNm], ...] = Field(default=(), max_length=500)
    copper_layers: Literal[1, 2, 4] = 2
    rules: RuleSet

    @model_validator(mode="after")
    def _is_a_board(self) -> Board:
        fault = board_fault(self.outline, self.corner_radius_nm, self.cutouts)
        if fault:
            raise ValueError(fault)
        return self

    @property
    def layers(self) -> tuple[Layer, ...]:
        """Names of the copper layers from front to back; a one-layer board has its copper on the back."""
        return LAYERS[self.copper_layers]
