"""The board with all its parts as one scene of solids, and its files: glTF for looking, STL for fitting."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
import trimesh
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry
from trimesh.visual.material import PBRMaterial

from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import copper_items, edge_pads, holes, outline
from vane_step.core.board.silkscreen.legend import legend
from vane_step.core.derive import derived
from vane_step.core.design.model import SECTIONS, Design, Package, Part
from vane_step.core.memo import Kept
from vane_step.core.solid.bodies import MATERIALS, Solid, cylinder, extruded, part_solids

# Copper and print are drawn as sheets a little above what they lie on, so that they do not flicker.
COPPER_MM, PAD_MM, PRINT_MM = 0.015, 0.03, 0.045
HOLE_SEGMENTS = 4
SHEET_TOLERANCE_MM = 0.01
# Kinds of copper that lie under the mask.
FLAT = ("track", "text")
SHEETS = ("copper", "pad", "legend")


@derived(*SECTIONS)
def solids(design: Design) -> tuple[tuple[str, Solid], ...]:
    """Give all solids of a board by the name of what they belong to, in millimetres, the board's front at z = 0."""
    deep = design.board.rules.board_mm
    found: list[tuple[str, Solid]] = [("board", s) for s in _board(design, deep)]
    for part in design.parts.values():
        if part.place is not None:
            found += [(part.ref, s) for s in placed(design, part, deep)]
    for jumper in design.jumpers.values():
        (ax, ay), (bx, by) = ((v / 1e6 for v in p) for p in (jumper.a, jumper.b))
        radius = jumper.wire_nm / 2e6
        wire = trimesh.creation.cylinder(
            radius=radius, segment=((ax, ay, radius), (bx, by, radius)), sections=12
        )
        found.append((jumper.id, Solid("wire", wire)))
        found += [
            (jumper.id, Solid("wire", cylinder(x, y, radius, -deep - 1.0, radius, 12)))
            for x, y in ((ax, ay), (bx, by))
        ]
    return tuple(found)


def placed(design: Design, part: Part, board_mm: float) -> list[Solid]:
    """Give the solids of a part where it lies; one taller than the brief allows is of the material ``tall``."""
    assert part.place is not None
    package, place = design.packages[part.package], part.place
    limit = design.brief.max_tall_nm
    too_tall = limit is not None and package.height_nm > limit
    move = trimesh.transformations.rotation_matrix(np.radians(place.turn_deg), (0, 0, 1))
    if place.side == "back":
        over = trimesh.transformations.rotation_matrix(np.pi, (0, 1, 0))
        over[2, 3] = -board_mm
        move = move @ over
    move[0, 3], move[1, 3] = place.x_nm / 1e6, place.y_nm / 1e6
    found = []
    for solid in _in_few(package, board_mm):
        mesh = solid.mesh.copy()
        mesh.apply_transform(move)
        found.append(Solid("tall" if too_tall else solid.material, mesh))
    return found


_few: Kept[tuple[Solid, ...]] = Kept()


def _in_few(package: Package, board_mm: float) -> tuple[Solid, ...]:
    """Give a package's solids, those of one material in one; many parts share them, so they are made once."""
    key = (package.mark(), board_mm)
    known = _few.get(key)
    if known is None:
        meshes: dict[str, list[trimesh.Trimesh]] = {}
        for solid in part_solids(package, board_mm):
            meshes.setdefault(solid.material, []).append(solid.mesh)
        known = _few.put(key, tuple(Solid(m, trimesh.util.concatenate(some)) for m, some in meshes.items()))
    return known


def _board(design: Design, deep: float) -> list[Solid]:
    drilled = [h.shape(quad_segs=HOLE_SEGMENTS) for h in holes(design)]
    bores = shapely.disjoint_subset_union_all(drilled) if drilled else Polygon()
    bare = outline(design).difference(bores)
    found = [Solid("board", extruded(p, -deep, 0.0)) for p in _polygons(bare)]
    for side in ("front", "back"):
        laid: list[BaseGeometry] = []
        pads: list[BaseGeometry] = []
        if side in design.board.layers:
            laid = [i.shape() for i in copper_items(design) if side in i.layers and i.kind in FLAT]
            laid += [piece for pour in pour_pieces(design) if pour.layer == side for piece in pour.pieces]
            # Of a plated hole on the edge half is milled away.
            rim = outline(design) if edge_pads(design) else None
            pads = [i.shape() for i in copper_items(design) if side in i.layers and i.kind not in FLAT]
            pads = [p.intersection(rim) for p in pads] if rim is not None else pads
        ink = [
            LineString(k.points).buffer(k.width_mm / 2, quad_segs=2) for k in legend(design) if k.side == side
        ]
        for material, shapes, height in (
            ("copper", laid, COPPER_MM),
            ("pad", pads, PAD_MM),
            ("legend", ink, PRINT_MM),
        ):
            if shapes:
                at = height if side == "front" else -deep - height
                found += _sheets(
                    material, shapely.disjoint_subset_union_all(shapes).difference(bores), at, side == "front"
                )
    return found


def _sheets(material: str, shape: BaseGeometry, z: float, up: bool) -> list[Solid]:
    """Give a shape as flat faces at a height, seen from above or from below."""
    found = []
    for polygon in _polygons(shape.simplify(SHEET_TOLERANCE_MM)):
        if polygon.area > 1e-4:
            points, faces = trimesh.creation.triangulate_polygon(polygon, engine="earcut")
            corners = np.column_stack([points, np.full(len(points), z)])
            found.append(
                Solid(material, trimesh.Trimesh(corners, _facing(corners, faces, up), process=False))
            )
    return found


def _facing(corners: np.ndarray, faces: np.ndarray, up: bool) -> np.ndarray:
    """Turn triangles so that all of them face up, or down."""
    a, b, c = (corners[faces[:, k]] for k in range(3))
    ahead = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    turned: np.ndarray = np.where((ahead > 0)[:, None] == up, faces, faces[:, ::-1])
    return turned


def _polygons(shape: BaseGeometry) -> Iterable[Polygon]:
    return (p for p in shapely.get_parts(shape) if isinstance(p, Polygon) and not p.is_empty)


def glb(design: Design) -> bytes:
    """Write the scene as binary glTF 2.0: one mesh for each part and material, in metres, y up as glTF wants it."""
    scene = trimesh.Scene()
    grouped: dict[tuple[str, str], list[trimesh.Trimesh]] = {}
    for owner, solid in solids(design):
        grouped.setdefault((owner, solid.material), []).append(solid.mesh)
    made: dict[str, PBRMaterial] = {}
    stand = trimesh.transformations.rotation_matrix(-np.pi / 2, (1, 0, 0)) @ np.diag(
        [0.001, 0.001, 0.001, 1.0]
    )
    for (owner, material), meshes in grouped.items():
        colour, metal = MATERIALS[material]
        if material not in made:
            made[material] = PBRMaterial(
                name=material,
                baseColorFactor=_linear(colour),
                metallicFactor=metal,
                roughnessFactor=0.55 if metal else 0.85,
                alphaMode="OPAQUE" if colour[3] == 255 else "BLEND",
            )
        mesh = trimesh.util.concatenate(meshes)
        if material not in SHEETS:
            # Corners are not shared between faces: edges of boxes stay sharp.
            mesh.unmerge_vertices()
        mesh.apply_transform(stand)
        mesh.visual = trimesh.visual.TextureVisuals(material=made[material])
        scene.add_geometry(mesh, geom_name=f"{owner} {material}", node_name=f"{owner} {material}")
    data = scene.export(file_type="glb")
    assert isinstance(data, bytes)
    return data


def _linear(colour: tuple[int, int, int, int]) -> list[float]:
    """Give a colour as glTF wants it: linear light, where screens and people count in sRGB (IEC 61966-2-1)."""
    parts = [c / 255 for c in colour[:3]]
    return [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts] + [colour[3] / 255]


def stl(design: Design) -> bytes:
    """Write board and parts as binary STL in millimetres; copper and print, which have no thickness here, stay out."""
    mesh = trimesh.util.concatenate([s.mesh for _, s in solids(design) if s.material not in SHEETS])
    data = mesh.export(file_type="stl")
    assert isinstance(data, bytes)
    return data
