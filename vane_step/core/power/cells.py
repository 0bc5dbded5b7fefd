"""How the open voltage of cells falls with their charge, by their kind: shapes between full and empty, no circuit."""

from __future__ import annotations

from typing import Final, get_args

from vane_step.core.design.operation import Cells

# Share of the charge that is left, and share of the way from the empty to the full voltage (usual curves at little
# current and 20 °C, rules of thumb; a sheet tells its own).
_LITHIUM = (
    (1.0, 1.0),
    (0.9, 0.88),
    (0.8, 0.82),
    (0.7, 0.77),
    (0.6, 0.73),
    (0.5, 0.69),
    (0.4, 0.66),
    (0.3, 0.64),
)
SHAPES: Final[dict[str, tuple[tuple[float, float], ...]]] = {
    "lithium": (*_LITHIUM, (0.2, 0.61), (0.1, 0.56), (0.05, 0.4), (0.0, 0.0)),
    "phosphate": (
        *((1.0, 1.0), (0.95, 0.82), (0.9, 0.77), (0.7, 0.73), (0.5, 0.7), (0.3, 0.66), (0.2, 0.63)),
        *((0.1, 0.5), (0.05, 0.36), (0.0, 0.0)),
    ),
    "alkaline": (
        *((1.0, 1.0), (0.9, 0.79), (0.8, 0.69), (0.7, 0.61), (0.6, 0.56), (0.5, 0.51), (0.4, 0.46)),
        *((0.3, 0.4), (0.2, 0.34), (0.1, 0.23), (0.0, 0.0)),
    ),
    "nickel": (
        *((1.0, 1.0), (0.9, 0.78), (0.8, 0.7), (0.7, 0.65), (0.5, 0.6), (0.3, 0.55), (0.2, 0.5)),
        *((0.1, 0.38), (0.05, 0.25), (0.0, 0.0)),
    ),
    "lead": ((1.0, 1.0), (0.9, 0.91), (0.7, 0.74), (0.5, 0.57), (0.3, 0.38), (0.1, 0.14), (0.0, 0.0)),
    "coin": (
        (1.0, 1.0),
        (0.9, 0.95),
        (0.7, 0.92),
        (0.5, 0.9),
        (0.3, 0.86),
        (0.15, 0.7),
        (0.05, 0.4),
        (0.0, 0.0),
    ),
}
EVEN: Final = tuple((1 - k / 8, 1 - k / 8) for k in range(9))
KINDS: Final[tuple[str, ...]] = tuple(k for k in get_args(Cells) if k)


def discharge(cells: str, low_v: float, high_v: float) -> list[tuple[float, float]]:
    """Give the charge that is left, full first, and the open voltage at it.

    Parameters
    ----------
    cells
        The kind, one of :data:`KINDS`; nothing where it is not known: then the voltage falls evenly.
    low_v, high_v
        The open voltages when empty and when full.

    >>> [round(v, 2) for _, v in discharge("lithium", 3.0, 4.2)][:3]
    [4.2, 4.06, 3.98]
    """
    return [(left, low_v + (high_v - low_v) * share) for left, share in SHAPES.get(cells, EVEN)]
