"""What may hurt at the kitchen table, said where the work is; quantities of chemicals are shown only beside these."""

from __future__ import annotations

from typing import Final

BATH: Final[tuple[str, ...]] = (
    "Goggles, gloves and an apron; open air or strong ventilation; nobody else, no animals and no food near.",
    "Plastic or glass vessels, open, away from metal and from tools that rust. Acid into water, never water into acid.",
    "Have baking soda ready for spills.",
    "Used bath holds copper: never into a drain, above all not into copper pipes; collect it, take it to a hazardous "
    "waste point.",
)
DRILLING: Final[tuple[str, ...]] = (
    "Drilling dust is glass fibre: wear a mask, drill damp, vacuum it up, do not blow. Fix the board before you drill.",
    "Goggles: carbide bits splinter. They need a rigid press and break when a hole is made larger.",
)
HEAT: Final[tuple[str, ...]] = (
    "An iron or a laminator burns skin and paper: a heatproof base, and stay beside it.",
)
LAWS: Final[tuple[str, ...]] = ("Local rules decide what may be used and how it is disposed of.",)
CAUTIONS: Final[tuple[str, ...]] = (*BATH, *DRILLING, *LAWS)
