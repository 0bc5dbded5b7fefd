"""The stencil: its openings, how well paste leaves each, how much paste that is, and its file with the frame.

Area ratio and narrowing after IPC-7525: paste leaves an opening whose area is at least 0.66 of its walls.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from vane_step.core.board.geometry.paste_windows import openings
from vane_step.core.board.geometry.shapes import outline, pad_layers, place_point
from vane_step.core.circuit.variants import BASE, fitted
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import InputError
from vane_step.core.fab.gerber import GerberFile
from vane_step.core.fab.heading import field, heading_of
from vane_step.core.finding import Finding, Place, tell

LEAST_RATIO: Final = 0.66
SIDES: Final[tuple[Side, Side]] = ("front", "back")
FOILS_UM: Final = (80, 100, 120, 150, 200)
# Openings narrower than this are made narrower by a share of their lesser side, as long as paste still leaves them.
FINE_MM, NARROWER = 0.4, 0.1
FRAMES_MM: Final[dict[str, tuple[float, float] | None]] = {
    "none": None,
    "260 x 330": (260.0, 330.0),
    "370 x 470": (370.0, 470.0),
    "584 x 584": (584.0, 584.0),
}


@dataclass(frozen=True)
class Opening:
    """An opening: whose pad it is over, its middle, size and turn, all in millimetres and degrees.

    ``ratio`` is its area by that of its walls.
    """

    pin: str
    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    round: bool
    turn_deg: float
    ratio: float
    paste_mm3: float


def area_ratio(width_mm: float, height_mm: float, is_round: bool, foil_mm: float) -> float:
    """Give the area of an opening by that of its walls; a round one has half circles at its ends."""
    area, rim = _area(width_mm, height_mm, is_round)
    return area / (rim * foil_mm)


def _area(wide: float, tall: float, is_round: bool) -> tuple[float, float]:
    if not is_round:
        return wide * tall, 2 * (wide + tall)
    short, long = sorted((wide, tall))
    straight = long - short
    return math.pi * short**2 / 4 + short * straight, math.pi * short + 2 * straight


def foil_of(text: str) -> int:
    """Read how thick a foil is, in micrometres.

    Raises
    ------
    InputError
        For one that is not made.
    """
    digits = text.strip().lower().removesuffix("um").removesuffix("µm").strip()
    if digits not in map(str, FOILS_UM):
        raise InputError(
            f"There is no foil of {text!r}.",
            where="foil",
            value=text,
            allowed=", ".join(f"{f}um" for f in FOILS_UM),
        )
    return int(digits)


def stencil(design: Design, side: Side, foil_um: int = 120, variant: str = BASE) -> tuple[Opening, ...]:
    """Give the openings of a side for the parts a variant fits."""
    have = fitted(design, variant)
    foil = foil_um / 1e3
    found = []
    for part in design.parts.values():
        if part.place is None or not have.get(part.ref, part.fitted):
            continue
        pack = design.packages[part.package]
        for pad in pack.pads:
            on = pad_layers(pad, part.place, ("front", "in1", "in2", "back"))
            if pad.drill_nm or pad.bare_hole or not pad.paste or side not in on:
                continue
            for dx, dy, wide_nm, tall_nm in openings(pack, pad):
                x, y = place_point(part.place, pad.x_nm + dx, pad.y_nm + dy)
                wide, tall = _narrowed(wide_nm / 1e6, tall_nm / 1e6, pad.shape == "round", foil)
                ratio = area_ratio(wide, tall, pad.shape == "round", foil)
                paste = _area(wide, tall, pad.shape == "round")[0] * foil
                found.append(
                    Opening(
                        f"{part.ref}.{pad.number}",
                        x / 1e6,
                        y / 1e6,
                        wide,
                        tall,
                        pad.shape == "round",
                        part.place.turn_deg % 360,
                        ratio,
                        paste,
                    )
                )
    return tuple(found)


def _narrowed(wide: float, tall: float, is_round: bool, foil: float) -> tuple[float, float]:
    """Make a fine opening narrower by its lesser side, against bridges, where paste still leaves it then."""
    if is_round or min(wide, tall) >= FINE_MM:
        return wide, tall
    less = (wide * (1 - NARROWER), tall) if wide <= tall else (wide, tall * (1 - NARROWER))
    return less if area_ratio(*less, is_round, foil) >= LEAST_RATIO else (wide, tall)


def best_foil_um(design: Design, variant: str = BASE) -> int:
    """Give the thickest foil whose paste leaves every opening; the thinnest where there is none."""
    for foil in reversed(FOILS_UM):
        some = [o.ratio for s in SIDES for o in stencil(design, s, foil, variant)]
        if min(some, default=1.0) >= LEAST_RATIO:
            return foil
    return FOILS_UM[0]


def stencil_findings(design: Design, side: Side, foil_um: int, variant: str = BASE) -> Iterator[Finding]:
    """Tell the opening paste leaves worst, and how many are like it."""
    poor = [o for o in stencil(design, side, foil_um, variant) if o.ratio < LEAST_RATIO - 1e-9]
    if poor:
        worst = min(poor, key=lambda o: o.ratio)
        more = f", and {len(poor) - 1} more," if len(poor) > 1 else ""
        text = f"Paste will stay in the opening of {worst.pin}{more} of a foil of {foil_um} µm"
        place = Place.of_pins(worst.pin).model_copy(
            update={"x_nm": round(worst.x_mm * 1e6), "y_nm": round(worst.y_mm * 1e6)}
        )
        yield tell("stencil-ratio", text, round(worst.ratio, 3), LEAST_RATIO, place)


def stencil_files(
    design: Design, base: str, stamp: str, foil_um: int, frame: str = "none", variant: str = BASE
) -> dict[str, str]:
    """Write the stencils a board needs, one a side with openings, by the names of their files."""
    return {
        f"{base}-stencil-{side}-{foil_um}um.gbr": stencil_file(design, side, stamp, foil_um, frame, variant)
        for side in SIDES
        if stencil(design, side, foil_um, variant)
    }


def stencil_file(
    design: Design, side: Side, stamp: str, foil_um: int = 120, frame: str = "none", variant: str = BASE
) -> str:
    """Write the openings of a side as Gerber, as one looks at it from above; with the rim of a frame round its middle.

    Raises
    ------
    InputError
        For a frame that is none, or smaller than the board.
    """
    if frame not in FRAMES_MM:
        raise InputError(
            f"There is no frame {frame!r}.", where="frame", value=frame, allowed=", ".join(FRAMES_MM)
        )
    out = GerberFile(f"Paste,{'Top' if side == 'front' else 'Bot'}", "Positive", heading_of(design, stamp))
    for o in stencil(design, side, foil_um, variant):
        ref, _, number = o.pin.rpartition(".")
        out.attributes(f"P,{field(ref)},{field(number)}")
        size = (round(o.width_mm * 1e6), round(o.height_mm * 1e6))
        out.pad_aperture(*size, "round" if o.round else "rect", o.turn_deg, "Material")
        out.flash(round(o.x_mm * 1e6), round(o.y_mm * 1e6))
    around = FRAMES_MM[frame]
    if around is not None:
        x0, y0, x1, y1 = outline(design).bounds
        if x1 - x0 > around[0] - 60 or y1 - y0 > around[1] - 60:
            raise InputError(
                f"A board of {x1 - x0:g} x {y1 - y0:g} mm has no room in a frame of {frame}.",
                where="frame",
                value=frame,
                allowed="a frame 60 mm larger each way",
            )
        cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
        corners = [(-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1)]
        out.attributes()
        out.aperture(100_000, "Other,Frame")
        out.line(
            [
                (round((cx + sx * around[0] / 2) * 1e6), round((cy + sy * around[1] / 2) * 1e6))
                for sx, sy in corners
            ]
        )
    return out.text()
