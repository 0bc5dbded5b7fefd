"""What is written down beside parts and nets: brief, requirements, reasons, variants, waivers, blocks, extra lines."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator

from vane_step.core.design import former
from vane_step.core.design.base import (
    EtchMethodName,
    Frozen,
    Line,
    Lines,
    Name,
    PositiveNm,
    SizeNm,
    Text,
)


class Brief(Frozen):
    """What binds every step: size, supply, who makes it, tools and skills, date, quantity and budget."""

    former_names = model_validator(mode="before")(former.brief)

    purpose: Lines = Field(default="", max_length=2000)
    max_width_nm: PositiveNm | None = None
    max_height_nm: PositiveNm | None = None
    max_tall_nm: PositiveNm | None = None
    manufacturing: Literal["either", "order", "etch"] = "either"
    method: EtchMethodName | Literal[""] = ""
    through_hole_only: bool = False
    no_leadless: bool = False
    parts_on: Literal["either", "front"] = "either"
    breadboard: bool = False
    tiles: Literal["no", "across", "up", "both"] = "no"
    smallest_chip: Literal["1005M", "1608M", "2012M", "3216M"] = "1005M"
    smallest_pitch_nm: SizeNm = 0
    date: str = Field(default="", pattern=r"^(\d{4}-\d{2}-\d{2})?$")
    quantity: int = Field(default=1, ge=1, le=100_000)
    budget: float | None = Field(default=None, gt=0, le=1e6)
    ambient_c: float = Field(default=25.0, ge=-55, le=125)
    stock_first: bool = False
    demands: Lines = Field(default="", max_length=4000)


class Requirement(Frozen):
    """Something the board must or should do, and how it will be shown.

    A ``figure`` is a number the program knows, held against ``limit``. A measurement has the same limit and is
    typed in when it was made; an observation is seen or not.
    """

    id: Name
    text: Text = Field(min_length=1)
    level: Literal["must", "wish"] = "must"
    shown_by: Literal["figure", "measurement", "observation"] = "observation"
    figure: Annotated[Text, BeforeValidator(former.figure)] = ""
    about: Text = ""
    sense: Literal["at least", "at most"] = "at most"
    limit: float | None = None
    unit: Line = Field(default="", max_length=16)
    reading: float | None = None
    seen: Literal["", "yes", "no"] = ""
    note: Text = ""


class Calculation(Frozen):
    """Why values are what they are: a formula, its inputs, and the parts whose values it sets.

    An input is a value (``5 mA``), a rail (``3V3``), a part's value (``R4``) or a part's parameter (``LED1.vf_v``).
    ``sets`` maps an output of the formula to a part. ``was`` are the inputs when the result was last accepted.
    """

    id: Name
    formula: Annotated[Name, BeforeValidator(former.formula)]
    inputs: dict[Line, Annotated[Line, Field(max_length=60)]] = {}
    sets: dict[Line, str] = {}
    was: dict[str, float] = {}
    note: Text = ""


class Variant(Frozen):
    """A named way to fit the board: which parts are fitted otherwise than the circuit says."""

    id: Name
    title: Text = ""
    fitted: dict[str, bool] = {}


class Waiver(Frozen):
    """A finding accepted with a reason; it counts only while what was found stays as it was."""

    id: Name
    key: Line = Field(max_length=400)
    state: str = Field(max_length=64)
    reason: Text = Field(min_length=3)
    message: Line = Field(default="", max_length=600)


class Block(Frozen):
    """What a block of the sheet brings along: where it comes from, hints for the board, where it is proven."""

    name: Annotated[Line, Field(min_length=1, max_length=60)]
    note: Text = ""
    sheet: Line = Field(default="", max_length=40)
    hints: tuple[Text, ...] = ()
    worked: tuple[Text, ...] = ()


class Extra(Frozen):
    """A line of the parts list that is no part of the circuit: a socket, a jumper cap, feet."""

    id: Name
    title: Text = Field(min_length=1)
    count: int = Field(default=1, ge=1, le=1_000_000)
    catalogue: Text = ""
    about: Text = ""
