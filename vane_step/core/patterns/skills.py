"""Packages against tools and skills: what a brief allows, and what a package asks of the person who solders it."""

from __future__ import annotations

from vane_step.core.design.model import Brief, Design, Package
from vane_step.core.patterns.landpattern import pad_shape

CHIP_MM = {"1005M": 0.9, "1608M": 1.5, "2012M": 1.9, "3216M": 3.0}


def is_through_hole(pack: Package) -> bool:
    """Tell whether every pad goes through the board."""
    return all(p.layers == "through" for p in pack.pads)


def wants_leaded(design: Design) -> bool:
    """Tell whether the brief, or the rules of a board etched by hand, want leads that go through the board."""
    return design.brief.through_hole_only or design.board.rules.etched


def is_leadless(pack: Package) -> bool:
    """Tell whether joints are hidden under the body, where an iron does not reach: no-lead and ball grid.

    A package without its maker's drawing counts as leadless when all its pads end within 0.2 mm of the body.
    """
    if is_through_hole(pack) or len(pack.pads) < 3:
        return False
    if pack.drawing:
        return "b ball" in pack.drawing or ("T terminal" in pack.drawing and "D body across" in pack.drawing)
    w, h = pack.body_nm[0] / 2e6, pack.body_nm[1] / 2e6
    boxes = [pad_shape(p).bounds for p in pack.pads if p.layers != "through"]
    hidden = [max(-w - x0, x1 - w, -h - y0, y1 - h) < 0.2 for x0, y0, x1, y1 in boxes]
    return all(hidden) and len(boxes) == len(pack.pads)


def pitch_nm(pack: Package) -> int | None:
    """Give the least distance between the middles of two pads; ``None`` for a single pad."""
    spots = [(p.x_nm, p.y_nm) for p in pack.pads]
    gaps = [
        max(abs(a[0] - b[0]), abs(a[1] - b[1])) for i, a in enumerate(spots) for b in spots[i + 1 :] if a != b
    ]
    return min(gaps) if gaps else None


def skill_misfits(pack: Package, brief: Brief) -> list[str]:
    """List what of a package goes beyond the tools and skills a brief names."""
    found = []
    if brief.through_hole_only and not is_through_hole(pack):
        found.append(f"{pack.name} is surface-mount, the brief wants through-hole only")
    if brief.no_leadless and is_leadless(pack):
        found.append(f"{pack.name} has hidden joints, the brief wants none")
    least = CHIP_MM[brief.smallest_chip]
    if len(pack.pads) == 2 and not is_through_hole(pack) and max(pack.body_nm) / 1e6 < least:
        found.append(f"{pack.name} is smaller than {brief.smallest_chip}")
    pitch = pitch_nm(pack)
    if (
        brief.smallest_pitch_nm
        and pitch is not None
        and len(pack.pads) > 2
        and pitch < brief.smallest_pitch_nm
    ):
        found.append(
            f"{pack.name} has a pitch of {pitch / 1e6:.2f} mm, at least {brief.smallest_pitch_nm / 1e6:g} wanted"
        )
    return found
