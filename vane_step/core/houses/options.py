"""Every option of an order in a sentence: what it changes for this board, whether it is needed, taste or no use."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from vane_step.core.design.model import Design
from vane_step.core.houses.needs import needs_of
from vane_step.core.houses.quoting import COUNTRIES, Asked, parts_wanted, sides_with_parts

Weight = Literal["needed", "advised", "taste", "no use"]
# Finer pitches than this want a flat finish; gold keeps longer on shelf (rules of thumb).
FLAT_PITCH_MM = 0.5
FLAT = "gold over nickel"


@dataclass(frozen=True)
class Advice:
    """An option, what is chosen for this board, how much that weighs, and what it changes."""

    option: str
    chosen: str
    weight: Weight
    says: str


def finest_pitch_mm(design: Design) -> float:
    """Give the least distance between middles of two surface pads of one part; infinity without any."""
    least = math.inf
    for name in {p.package for p in design.parts.values()}:
        spots = sorted((p.x_nm, p.y_nm) for p in design.packages[name].pads if not p.drill_nm)
        for k, (x, y) in enumerate(spots):
            for u, v in spots[k + 1 :]:
                if u - x > least * 1e6:
                    break
                least = min(least, math.hypot(u - x, v - y) / 1e6)
    return least


def usual_order(design: Design, quantity: int = 0, country: str = COUNTRIES[0]) -> Asked:
    """Give the order that suits a board: what it needs is chosen, what it does not need is not paid for."""
    flat = finest_pitch_mm(design) < FLAT_PITCH_MM or needs_of(design).half_holes > 0
    return Asked(
        needs=needs_of(design),
        quantity=quantity or max(design.brief.quantity, 1),
        country=country,
        finish=FLAT if flat else "tin, lead-free",
        thickness_mm=design.board.rules.board_mm,
        both_sides=len(sides_with_parts(design)) > 1,
    )


def advice(design: Design, asked: Asked) -> list[Advice]:
    """Explain every option of an order for a board."""
    return [*_of_the_board(asked, finest_pitch_mm(design)), *_of_the_work(design, asked)]


def _of_the_board(asked: Asked, pitch: float) -> list[Advice]:
    needs = asked.needs
    return [
        Advice(
            "layers",
            str(needs.layers),
            "needed",
            f"The tracks lie on {needs.layers} layer{'s' if needs.layers > 1 else ''}; fewer would be routed anew.",
        ),
        Advice(
            "fineness",
            f"{needs.least_width_mm:g} / {needs.least_gap_mm:g} / {needs.least_drill_mm:g} mm",
            "needed",
            "Finest track, gap and drill of this board: the coarsest class of a house that makes them is the cheapest.",
        ),
        Advice(
            "thickness",
            f"{asked.thickness_mm:g} mm",
            "taste" if asked.thickness_mm == 1.6 else "needed",
            "1.6 mm is what connectors and cases are made for; thinner bends, and costs the same or more.",
        ),
        Advice(
            "colour",
            asked.colour,
            "taste",
            "Colour changes nothing but looks; all but green often take a day longer.",
        ),
        _finish(asked.finish, pitch, needs.half_holes),
        Advice(
            "copper",
            f"{needs.copper_um:g} µm",
            "needed" if needs.copper_um > 35 else "taste",
            f"The widths of this board were worked out for {needs.copper_um:g} µm; twice that carries about 1.6 "
            "times the current at equal rise, and wants wider gaps.",
        ),
        Advice(
            "filled vias",
            f"{needs.filled_vias}" if needs.filled_vias else "none",
            "needed" if needs.filled_vias else "no use",
            f"{needs.filled_vias} vias lie in surface pads and would drink their solder."
            if needs.filled_vias
            else "No via lies in a surface pad: filling would be paid for nothing.",
        ),
        Advice(
            "half holes",
            f"{needs.half_holes}" if needs.half_holes else "none",
            "needed" if needs.half_holes else "no use",
            f"{needs.half_holes} pads are plated holes cut in half at the edge."
            if needs.half_holes
            else "No pad lies on the edge.",
        ),
    ]


def _of_the_work(design: Design, asked: Asked) -> list[Advice]:
    needs, parts = asked.needs, parts_wanted(design)
    joints = sum(p.count * p.joints for p in parts if p.surface)
    return [
        Advice(
            "electrical test",
            "yes" if asked.test else "no",
            "advised" if asked.test or needs.layers > 1 else "taste",
            "A house's probes find opens and shorts before the parts are on; on one layer one sees most of them.",
        ),
        Advice(
            "panel",
            "{} x {}".format(*asked.panel) if asked.panel else "single boards",
            "taste",
            "A panel pays where a machine fits the parts or a board is smaller than the least price step.",
        ),
        Advice(
            "stencil",
            "yes" if asked.stencil else "no",
            "advised" if joints > 60 else "no use" if not joints else "taste",
            f"{joints} joints lie on the surface: paste by stencil takes minutes where a needle takes "
            f"{max(1, round(joints * 4 / 60))}."
            if joints
            else "No part lies on the surface: there is nothing to print paste on.",
        ),
        Advice(
            "assembly",
            "by the house" if asked.parts else "own hands",
            "taste",
            f"{sum(p.count for p in parts)} parts of {len(parts)} kinds"
            f"{', on both sides' if asked.both_sides else ''}: every kind costs a feeder, every joint a little.",
        ),
    ]


def _finish(finish: str, pitch_mm: float, half_holes: int) -> Advice:
    if pitch_mm < FLAT_PITCH_MM or half_holes:
        why = "pads cut at the edge" if half_holes else f"a pitch of {pitch_mm:g} mm"
        says = f"Gold is flat, and {why} wants that: tin stands in humps there."
        return Advice("finish", finish, "needed" if finish == FLAT else "advised", says)
    least = f"the finest pitch is {pitch_mm:g} mm" if pitch_mm < 100 else "no pad lies on the surface"
    says = f"Tin solders best; gold costs more without use here: {least}."
    return Advice("finish", finish, "taste" if finish != FLAT else "no use", says)
