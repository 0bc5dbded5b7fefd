"""Packages of a user's JSON file, in millimetres; those that have a name of ours are in ``packages``."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vane_step.core.design.fileformat import input_error
from vane_step.core.design.model import Package, PadSpec
from vane_step.core.patterns.landpattern import finish_package
from vane_step.core.quantity import nm


class UserPad(BaseModel):
    """A pad of a user's package file, in millimetres."""

    model_config = ConfigDict(extra="forbid", strict=False)
    number: str = Field(min_length=1, max_length=64)
    x_mm: float = Field(ge=-500, le=500)
    y_mm: float = Field(ge=-500, le=500)
    width_mm: float = Field(gt=0, le=100)
    height_mm: float = Field(gt=0, le=100)
    shape: str = Field(pattern="^(rect|round)$")
    layers: str = Field(pattern="^(front|back|through)$")
    drill_mm: float = Field(default=0, ge=0, le=20)
    slot_mm: float = Field(default=0, ge=0, le=60)


class UserPackage(BaseModel):
    """A package of a user's JSON file; courtyard and legend are computed."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=64)
    pads: list[UserPad] = Field(min_length=1, max_length=2000)
    body_mm: tuple[float, float]
    height_mm: float = Field(default=1.0, ge=0, le=200)
    polarised: bool = False
    mouth: str = Field(default="", pattern="^(left|right|top|bottom)?$")
    mouth_over_mm: float = Field(default=0, ge=0, le=100)


def user_package(data: object, where: str, margin_mm: float = 0.0) -> Package:
    """Make a package from a user's JSON object.

    Raises
    ------
    InputError
        Naming the field that is wrong.
    """
    try:
        user = UserPackage.model_validate(data)
        pads = [
            PadSpec.model_validate(
                {
                    "number": p.number,
                    "x_nm": nm(p.x_mm),
                    "y_nm": nm(p.y_mm),
                    "width_nm": nm(p.width_mm),
                    "height_nm": nm(p.height_mm),
                    "shape": p.shape,
                    "layers": p.layers,
                    "drill_nm": nm(p.drill_mm),
                    "slot_nm": nm(p.slot_mm),
                }
            )
            for p in user.pads
        ]
        return finish_package(
            user.name,
            pads,
            user.body_mm,
            user.height_mm,
            polarised=user.polarised,
            source=where,
            margin_mm=margin_mm,
            mouth=(user.mouth, user.mouth_over_mm),
        )
    except ValidationError as error:
        raise input_error(error, where) from error
