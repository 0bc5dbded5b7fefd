"""Solids of a part's body and terminals from its land pattern alone; putting them on a board is in ``scene``."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import trimesh
from shapely.geometry import Polygon

from vane_step.core.design.model import Package, PadSpec

# Colours of what things are made of: red, green, blue, opacity, 0 to 255, and how metallic.
MATERIALS: dict[str, tuple[tuple[int, int, int, int], float]] = {
    "board": ((21, 83, 88, 255), 0.0),
    "edge": ((196, 178, 128, 255), 0.0),
    "copper": ((30, 112, 116, 255), 0.1),
    "pad": ((206, 172, 92, 255), 0.8),
    "legend": ((240, 236, 222, 255), 0.0),
    "body": ((44, 46, 50, 255), 0.0),
    "ceramic": ((176, 150, 116, 255), 0.0),
    "metal": ((188, 190, 192, 255), 0.9),
    "plastic": ((62, 70, 84, 255), 0.0),
    "glow": ((226, 120, 60, 235), 0.0),
    "can": ((120, 126, 140, 255), 0.6),
    "wire": ((200, 200, 196, 255), 0.8),
    "tall": ((178, 52, 36, 255), 0.0),
}
CYLINDERS = ("ELCO", "LEDR", "SOUNDER")
LYING = ("AXIAL", "DIODE")
STAND_OFF_MM = 0.1
LEAD_MM = 0.15
# What a pin shows below the board.
BELOW_MM = 1.4


@dataclass(frozen=True)
class Solid:
    """A mesh in millimetres, and what it is made of; closed, but for sheets of copper and print."""

    material: str
    mesh: trimesh.Trimesh


def box(x0: float, x1: float, y0: float, y1: float, z0: float, z1: float) -> trimesh.Trimesh:
    """Give a box between planes, in millimetres."""
    mesh = trimesh.creation.box(extents=(x1 - x0, y1 - y0, z1 - z0))
    mesh.apply_translation(((x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2))
    return mesh


def cylinder(x: float, y: float, radius: float, z0: float, z1: float, sections: int = 24) -> trimesh.Trimesh:
    """Give an upright cylinder, in millimetres."""
    mesh = trimesh.creation.cylinder(radius=radius, height=z1 - z0, sections=sections)
    mesh.apply_translation((x, y, (z0 + z1) / 2))
    return mesh


def extruded(polygon: Polygon, z0: float, z1: float) -> trimesh.Trimesh:
    """Give a polygon with holes as a solid between two heights, in millimetres."""
    mesh = trimesh.creation.extrude_polygon(polygon, z1 - z0, engine="earcut")
    mesh.apply_translation((0, 0, z0))
    return mesh


def part_solids(package: Package, board_mm: float) -> list[Solid]:
    """Give a part's solids in its own coordinates: x and y as its land pattern, the board's front at z = 0.

    Parameters
    ----------
    board_mm : float
        Thickness of the board its pins go through.

    Notes
    -----
    The body is a box, an upright or a lying cylinder by the family the package is named after, as tall as the package
    says; terminals run from the pads to the body, pins through the board.
    """
    family = package.name.partition("-")[0]
    wide, long = (v / 1e6 for v in package.body_nm)
    tall = package.height_nm / 1e6
    x, y = _middle(package)
    solids = [s for pad in package.pads for s in _terminal(pad, family, (x, y, wide, long), tall, board_mm)]
    if not (wide and long and tall):
        return solids
    x0, x1, y0, y1 = x - wide / 2, x + wide / 2, y - long / 2, y + long / 2
    if family in CYLINDERS:
        radius = min(wide, long) / 2
        material = {"ELCO": "can", "LEDR": "glow"}.get(family, "body")
        if family == "LEDR":
            dome = trimesh.creation.icosphere(subdivisions=2, radius=radius)
            dome.apply_translation((x, y, tall - radius))
            return [*solids, Solid(material, cylinder(x, y, radius, 0, tall - radius)), Solid(material, dome)]
        return [*solids, Solid(material, cylinder(x, y, radius, 0, tall, 40))]
    if family in LYING:
        radius = min(wide, long) / 2
        turn = trimesh.transformations.rotation_matrix(math.pi / 2, (0, 1, 0) if wide >= long else (1, 0, 0))
        mesh = trimesh.creation.cylinder(radius=radius, height=max(wide, long), sections=24)
        mesh.apply_transform(turn)
        mesh.apply_translation((x, y, radius))
        return [*solids, Solid("ceramic" if family == "AXIAL" else "body", mesh)]
    if family == "HDR":
        return [*solids, Solid("plastic", box(x0, x1, y0, y1, 0, min(2.5, tall)))]
    if family in ("CHIP", "LED") and len(package.pads) == 2:
        caps = 0.22 * wide
        middle = "glow" if family == "LED" else "ceramic"
        ends = [box(x0, x0 + caps, y0, y1, 0, tall), box(x1 - caps, x1, y0, y1, 0, tall)]
        return [Solid(middle, box(x0 + caps, x1 - caps, y0, y1, 0, tall)), *(Solid("metal", e) for e in ends)]
    through = any(p.layers == "through" for p in package.pads)
    material = (
        "plastic"
        if family in ("TERM", "PLUG", "USBC", "KEY")
        else "can"
        if family.startswith("X")
        else "body"
    )
    return [*solids, Solid(material, box(x0, x1, y0, y1, 0.0 if through else STAND_OFF_MM, tall))]


def _middle(package: Package) -> tuple[float, float]:
    """Give the middle of the body: that of the courtyard, which is drawn round body and pads alike."""
    x0, y0, x1, y1 = package.courtyard_nm
    wide, long = package.body_nm
    xs = [p.x_nm for p in package.pads]
    ys = [p.y_nm for p in package.pads]
    # A body as large as the span of its pads lies over them; one that reaches beyond is where the courtyard is.
    x = (x0 + x1) / 2 if wide > max(xs) - min(xs) else (max(xs) + min(xs)) / 2
    y = (y0 + y1) / 2 if long > max(ys) - min(ys) else (max(ys) + min(ys)) / 2
    return x / 1e6, y / 1e6


def _terminal(
    pad: PadSpec, family: str, body: tuple[float, float, float, float], tall: float, board_mm: float
) -> list[Solid]:
    # No lead goes through a half hole: the board lies on another with it.
    if pad.bare_hole or pad.on_edge:
        return []
    x, y, w, h = (v / 1e6 for v in (pad.x_nm, pad.y_nm, pad.width_nm, pad.height_nm))
    cx, cy, wide, long = body
    if pad.layers == "through":
        radius = 0.38 * pad.drill_nm / 1e6
        top = tall if family == "HDR" else LEAD_MM
        if family in LYING and wide and long:
            top = min(wide, long) / 2
        solids = [Solid("metal", cylinder(x, y, radius, -board_mm - BELOW_MM, top, 12))]
        if family in LYING:
            wire = trimesh.creation.cylinder(radius=radius, segment=((x, y, top), (cx, cy, top)), sections=12)
            solids.append(Solid("wire", wire))
        return solids
    # From the pad towards the body: where the lead leaves it, or the pad's own end.
    dx, dy = cx - x, cy - y
    if abs(dx) - wide / 2 > abs(dy) - long / 2:
        inner = cx - math.copysign(wide / 2, dx)
        ends = sorted((x - math.copysign(w * 0.3, dx), inner))
        lead = box(ends[0], ends[1], y - 0.3 * h, y + 0.3 * h, 0.0, LEAD_MM)
    else:
        inner = cy - math.copysign(long / 2, dy)
        ends = sorted((y - math.copysign(h * 0.3, dy), inner))
        lead = box(x - 0.3 * w, x + 0.3 * w, ends[0], ends[1], 0.0, LEAD_MM)
    return [Solid("metal", lead)] if np.all(lead.extents > 1e-6) else []
