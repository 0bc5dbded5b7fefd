"""The ways a picture gets onto copper: which way round each is printed, how fine it can be, what has to be in hand.

Drawing the picture is in ``picture``; what is done step by step is in ``steps``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal, get_args

from vane_step.core.design.base import EtchMethodName
from vane_step.core.design.model import RuleSet, Side
from vane_step.core.errors import InputError

GUIDANCE: Final = "guidance, corrected by your own boards"


@dataclass(frozen=True)
class EtchMethod:
    """A way of getting the picture onto copper.

    Parameters
    ----------
    front_mirrored, back_mirrored
        Whether a side is printed as the mirror image of the design view, which is the board seen from the front.
    negative
        Whether ink stands where copper goes away.
    drawn
        ``"ink"`` fills the copper, ``"outline"`` draws its rims to be gone over by hand.
    track_mm, gap_mm, ring_mm
        What is comfortable, and what is possible. The ring is copper round a hole drilled by hand.
    usual_mm
        Width and gap a board is routed with.
    """

    name: EtchMethodName
    title: str
    front_mirrored: bool
    back_mirrored: bool
    why: str
    track_mm: tuple[float, float]
    gap_mm: tuple[float, float]
    ring_mm: tuple[float, float]
    usual_mm: tuple[float, float]
    negative: bool = False
    drawn: Literal["ink", "outline"] = "ink"
    laid: Literal["ink against the copper", "ink away from the copper", "face up", "no paper"] = (
        "ink against the copper"
    )

    def mirrored(self, side: Side) -> bool:
        """Tell whether a side is printed as the mirror image of the design view."""
        return self.front_mirrored if side == "front" else self.back_mirrored

    @property
    def etched(self) -> bool:
        """Whether copper goes away in a bath."""
        return self.name != "mill"

    @property
    def source(self) -> str:
        """Where its figures come from."""
        return f"{GUIDANCE}: {self.title.lower()}"


_ALL: Final = (
    EtchMethod(
        "toner",
        "Ironed toner paper",
        True,
        False,
        "The toner touches the copper and is turned over on the way.",
        (0.3, 0.2),
        (0.3, 0.2),
        (0.4, 0.3),
        (0.6, 0.4),
    ),
    EtchMethod(
        "release",
        "Release film through a laminator",
        True,
        False,
        "The toner leaves the film and stays on the copper, turned over on the way; even heat makes finer lines.",
        (0.25, 0.15),
        (0.25, 0.15),
        (0.4, 0.3),
        (0.5, 0.3),
    ),
    EtchMethod(
        "film",
        "Photo film, positive resist, ink against the copper",
        True,
        False,
        "The film lies ink side down on the copper, so its edges are sharp. Ink is where copper stays.",
        (0.2, 0.15),
        (0.2, 0.15),
        (0.4, 0.3),
        (0.4, 0.3),
    ),
    EtchMethod(
        "film-away",
        "Photo film, positive resist, ink away from the copper",
        False,
        True,
        "The light spreads in the thickness of the film: expect softer edges. Ink is where copper stays.",
        (0.3, 0.2),
        (0.3, 0.2),
        (0.4, 0.3),
        (0.6, 0.4),
        laid="ink away from the copper",
    ),
    EtchMethod(
        "dry-film",
        "Photo film, negative resist, ink against the copper",
        True,
        False,
        "Light hardens the resist where copper stays: the picture is inverted, ink is where copper goes away.",
        (0.2, 0.15),
        (0.2, 0.15),
        (0.4, 0.3),
        (0.4, 0.3),
        negative=True,
    ),
    EtchMethod(
        "dry-film-away",
        "Photo film, negative resist, ink away from the copper",
        False,
        True,
        "Inverted, and the light spreads in the thickness of the film: expect softer edges.",
        (0.3, 0.2),
        (0.3, 0.2),
        (0.4, 0.3),
        (0.6, 0.4),
        negative=True,
        laid="ink away from the copper",
    ),
    EtchMethod(
        "pen",
        "Drawn by hand with a pen",
        False,
        True,
        "The sheet is a picture to copy, or to trace through carbon paper: it looks as the copper will look.",
        (0.8, 0.6),
        (0.8, 0.5),
        (0.6, 0.4),
        (1.0, 0.8),
        laid="face up",
    ),
    EtchMethod(
        "tape",
        "Laid by hand with tape and pad rings",
        False,
        True,
        "The sheet is a picture to copy: a track is as wide as its tape.",
        (1.0, 0.8),
        (0.8, 0.5),
        (0.6, 0.4),
        (1.0, 0.8),
        laid="face up",
    ),
    EtchMethod(
        "rub",
        "Rims rubbed through, then filled with a pen",
        True,
        False,
        "Go over the rims with a soft pencil, then rub the sheet face down on the copper: they come off turned over.",
        (0.8, 0.6),
        (0.8, 0.5),
        (0.6, 0.4),
        (1.0, 0.8),
        drawn="outline",
    ),
    EtchMethod(
        "mill",
        "Milled isolation",
        False,
        True,
        "A bit cuts round each net; nothing is printed and nothing is etched.",
        (0.3, 0.2),
        (0.3, 0.2),
        (0.4, 0.3),
        (0.6, 0.4),
        laid="no paper",
    ),
)
METHODS: Final[dict[str, EtchMethod]] = {m.name: m for m in _ALL}
assert tuple(METHODS) == get_args(EtchMethodName)
# Methods whose tracks a hand draws: their pictures show where the holes of perforated board are.
BY_HAND: Final = ("pen", "tape", "rub")


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


def rules_for(method: EtchMethod, kitchen: RuleSet) -> RuleSet:
    """Give the kitchen table's rules with a method's figures: possible ones as limits, usual ones to route with.

    Parameters
    ----------
    kitchen : RuleSet
        Rules of an etched board, whose figures that no method changes stay.
    """
    ring = nm_of(method.ring_mm[1])
    via = kitchen.via_drill_nm + 2 * max(ring, 500_000)
    return kitchen.model_copy(
        update={
            "name": f"kitchen-{method.name}",
            "title": f"Kitchen table, {method.title[0].lower()}{method.title[1:]}",
            "min_width_nm": nm_of(method.track_mm[1]),
            "min_clearance_nm": nm_of(method.gap_mm[1]),
            "min_ring_nm": ring,
            "default_width_nm": nm_of(method.usual_mm[0]),
            "default_clearance_nm": nm_of(method.usual_mm[1]),
            "via_pad_nm": max(kitchen.via_pad_nm, via),
        }
    )


def nm_of(mm: float) -> int:
    """Give a length of a method in nanometres."""
    return round(mm * 1e6)
