"""How far apart conductors have to be for the voltage between them; what lies where on a board is not known here."""

from __future__ import annotations

from typing import Final, Literal

from vane_step.core.errors import InputError

Surface = Literal["inner", "bare", "coated", "lead"]
SOURCE: Final = "IPC-2221B, table 6-1"
# Up to so many volts, the least spacing in mm: inside the board (B1), outside bare (B2) and under a lasting coating
# such as the solder mask (B4), and leads and pads that stay bare (A6); sea level to 3050 m.
_STEPS: Final[tuple[tuple[float, float, float, float, float], ...]] = (
    (15.0, 0.05, 0.1, 0.05, 0.13),
    (30.0, 0.05, 0.1, 0.05, 0.25),
    (50.0, 0.1, 0.6, 0.13, 0.4),
    (100.0, 0.1, 0.6, 0.13, 0.5),
    (150.0, 0.2, 0.6, 0.4, 0.8),
    (170.0, 0.2, 1.25, 0.4, 0.8),
    (300.0, 0.2, 1.25, 0.4, 0.8),
    (500.0, 0.25, 2.5, 0.8, 1.5),
)
# Beyond 500 V so many millimetres more for each volt.
_BEYOND: Final = (0.0025, 0.005, 0.00305, 0.00305)
_COLUMN: Final[dict[Surface, int]] = {"inner": 0, "bare": 1, "coated": 2, "lead": 3}


def spacing_mm(volts: float, surface: Surface) -> float:
    """Give the least spacing for a voltage, direct or the peak of an alternating one.

    Parameters
    ----------
    volts : float
        Between the conductors, in volts, not negative.
    surface : {"inner", "bare", "coated", "lead"}
        Where they lie: inside the board, outside without and with a coating, or pads and leads that stay bare.

    Raises
    ------
    InputError
        For a negative voltage.

    Notes
    -----
    Guarantees that insulation holds, no more: what a person may touch wants what the product's safety standard says.
    """
    if volts < 0:
        raise InputError(
            "A voltage between conductors is not negative.", where="volts", value=volts, allowed="0 up"
        )
    column = _COLUMN[surface]
    for most, *least in _STEPS:
        if volts <= most:
            return least[column]
    return _STEPS[-1][column + 1] + (volts - _STEPS[-1][0]) * _BEYOND[column]
