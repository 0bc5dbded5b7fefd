"""What an etching bath has to eat, what that takes, what it has eaten already; how long it takes is in ``bath_time``.

The amounts come from the equations Cu + 2 FeCl3 -> CuCl2 + 2 FeCl2 and Cu + H2O2 + 2 HCl -> CuCl2 + 2 H2O. They are the
least; baths slow down long before they are spent, so :data:`PLENTY` times as much is planned. Show them only beside
``cautions.BATH``.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Final, Literal

import shapely
from pydantic import BaseModel, ConfigDict, Field

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import InputError
from vane_step.core.etch.picture import picture
from vane_step.core.etch.plan import ArtPlan

School = Literal["ferric", "acid"]
SCHOOLS: Final[dict[School, str]] = {
    "ferric": "Ferric chloride: slow, stains, keeps",
    "acid": "Household hydrochloric acid and 3 % peroxide: fast, fumes, made fresh",
}
COPPER_G_CM3, COPPER_G_MOL = 8.96, 63.546
FERRIC_G_MOL, HEXAHYDRATE_G_MOL = 162.204, 270.30
PEROXIDE_G_MOL, PEROXIDE_G_ML, PEROXIDE_SHARE = 34.0147, 1.01, 0.03
HCL_G_MOL: Final = 36.46
# Of the least amount, so many times as much is planned (three to four are usual).
PLENTY: Final = 3.5
# Household acid is sold from 5 to 33 %; ferric chloride is dissolved at 500 g of crystals a litre or weaker.
ACID_PCT, CRYSTALS_G_L = (5.0, 33.0), (100.0, 600.0)


class Bath(BaseModel):
    """A bath of the bench: what it was made of and when.

    Parameters
    ----------
    strength
        Grams of crystals (hexahydrate) a litre, or percent of the acid that was poured in.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    id: str = Field(max_length=40)
    name: str = Field(min_length=1, max_length=60)
    school: School
    made: date
    volume_ml: float = Field(gt=0, le=20_000)
    strength: float = Field(gt=0, le=600)
    gone: date | None = None

    @property
    def capacity_g(self) -> float:
        """How much copper it can take in all, in grams, when every bit of it is used up."""
        if self.school == "ferric":
            return self.volume_ml / 1e3 * self.strength / HEXAHYDRATE_G_MOL / 2 * COPPER_G_MOL
        # One part of acid to two of peroxide (by volume) is how it is mixed; what runs out first ends it.
        acid, peroxide = self.volume_ml / 3, self.volume_ml * 2 / 3
        moles = min(
            acid * acid_g_ml(self.strength) * self.strength / 100 / HCL_G_MOL / 2,
            peroxide * PEROXIDE_G_ML * PEROXIDE_SHARE / PEROXIDE_G_MOL,
        )
        return moles * COPPER_G_MOL


@dataclass(frozen=True)
class Needs:
    """What some copper takes at the least, and what is planned: grams and millilitres of household strengths."""

    copper_g: float
    moles: float
    ferric_g: float
    hexahydrate_g: float
    peroxide_ml: float
    hcl_moles: float

    def acid_ml(self, percent: float) -> float:
        """Give the least amount of hydrochloric acid of a strength.

        Raises
        ------
        InputError
            For a strength no household sells.
        """
        if not ACID_PCT[0] <= percent <= ACID_PCT[1]:
            raise InputError(
                f"Acid of {percent:g} % is no household strength.",
                where="strength",
                value=percent,
                allowed=f"{ACID_PCT[0]:g} to {ACID_PCT[1]:g} %",
            )
        return self.hcl_moles * HCL_G_MOL / (percent / 100) / acid_g_ml(percent)


def acid_g_ml(percent: float) -> float:
    """Give the density of hydrochloric acid of a strength in g/mL, near 20 °C (1.048 at 10 %, 1.149 at 30 %)."""
    return 0.9982 + 0.00498 * percent


def removed_g(area_cm2: float, copper_um: float, kept_fraction: float) -> float:
    """Give the copper that goes away: area x thickness x (1 - kept) x 8.96 g/cm³."""
    return area_cm2 * copper_um * 1e-4 * (1 - kept_fraction) * COPPER_G_CM3


def needs(copper_g: float) -> Needs:
    """Give what dissolving some copper takes at the least, by the equations of both schools."""
    moles = copper_g / COPPER_G_MOL
    return Needs(
        copper_g,
        moles,
        moles * 2 * FERRIC_G_MOL,
        moles * 2 * HEXAHYDRATE_G_MOL,
        moles * PEROXIDE_G_MOL / PEROXIDE_SHARE / PEROXIDE_G_ML,
        moles * 2,
    )


def copper_area(design: Design, plan: ArtPlan, copies: int) -> tuple[float, float]:
    """Give the area of copper before the bath and what of it stays, in cm², of all copies and sides.

    A blank is etched whole; without one the laminate is the board's own outline.
    """
    sides: list[Side] = [s for s in ("front", "back") if s in design.board.layers]
    one = outline(design)
    kept = sum(shapely.area(picture(design, s, plan.ink).copper.intersection(one)) for s in sides) * copies
    whole = (plan.blank[0] * plan.blank[1] if plan.blank else one.area * copies) * len(sides)
    return whole / 100, float(kept) / 100


def to_remove_g(design: Design, plan: ArtPlan, copies: int = 1) -> float:
    """Give the grams of copper the bath has to eat of a design's copies."""
    whole, kept = copper_area(design, plan, copies)
    return removed_g(whole, design.board.rules.copper_um, kept / whole if whole else 1.0)
