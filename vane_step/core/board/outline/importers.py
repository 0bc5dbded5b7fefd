"""Boards from DXF and SVG files: the largest ring, its holes and openings; pictures are traced in ``picture``."""

from __future__ import annotations

import io
import math
from dataclasses import dataclass
from itertools import count
from typing import TYPE_CHECKING, Any

import shapely
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.strtree import STRtree

from vane_step.core.board.outline.image_trace import trace_picture
from vane_step.core.design.edits import RemoveItem, SetCutouts, SetItem, SetOutline, Single, Together
from vane_step.core.design.model import Cutout, Design, MountingHole, PointNm
from vane_step.core.errors import InputError
from vane_step.core.quantity import nm

if TYPE_CHECKING:
    from svgelements import Path

CHORD_MM = 0.005
SNAP_MM = 0.002
MAX_BYTES = 20_000_000
PICTURES = ("png", "jpg", "jpeg", "gif", "bmp", "webp")
# Drawing units of a DXF file by $INSUNITS: unitless and millimetres count 1.
DXF_UNITS_MM = {0: 1.0, 1: 25.4, 4: 1.0, 5: 10.0, 6: 1000.0, 13: 0.001}
# A circle wider than this is milled, not drilled (rule of thumb).
DRILL_MOST_MM = 6.5
ROUND_MM = 0.01
# DXF types that simple writers give without naming their class, and the tags any type has.
CLASSES = {"LWPOLYLINE": "AcDbPolyline", "SPLINE": "AcDbSpline", "ELLIPSE": "AcDbEllipse"}
COMMON_TAGS = ("5", "102", "330", "360", "67", "410", "8", "6", "62", "48", "60", "370", "420", "430", "440")


@dataclass(frozen=True)
class Drawn:
    """What a drawing says of a board, lower left corner at the origin, and how many of its lines say nothing of it."""

    outline: tuple[PointNm, ...]
    holes: tuple[tuple[int, int, int], ...] = ()
    openings: tuple[tuple[PointNm, ...], ...] = ()
    left_out: int = 0

    def edit(self, design: Design) -> Together:
        """Give the edit that makes a design's board so: holes and cut-outs that are drawn replace those there are."""
        edits: list[Single] = [SetOutline(outline=self.outline)]
        if self.holes:
            edits += [RemoveItem(id=id) for id in design.holes]
        names = (name for k in count(1) if (name := f"H{k}") not in design.parts)
        for name, (x, y, drill) in zip(names, self.holes, strict=False):
            edits.append(
                SetItem(hole=MountingHole(id=name, x_nm=x, y_nm=y, drill_nm=drill, keepout_nm=drill))
            )
        if self.openings:
            cut = tuple(Cutout(id=f"CUT{k}", points=ring) for k, ring in enumerate(self.openings, 1))
            edits.append(SetCutouts(cutouts=cut))
        return Together(edits=tuple(edits))

    def says(self) -> str:
        """Tell in words what was found."""
        more = [
            f"{count} {one if count == 1 else many}"
            for count, one, many in (
                (len(self.holes), "hole", "holes"),
                (len(self.openings), "cut-out", "cut-outs"),
                (self.left_out, "line left out", "lines left out"),
            )
            if count
        ]
        return ", ".join(["outline", *more]) + " from a drawing"


def outline_from(data: bytes, name: str, width_mm: float = 0.0) -> Drawn:
    """Read a board: its outline, the circles in it as holes, other rings in it as openings.

    Parameters
    ----------
    data : bytes
        Content of a DXF (ASCII) or SVG file, or of a picture.
    name : str
        File name; its ending tells the kind.
    width_mm : float
        Width of the board; a picture needs it, files of lines have their own size.

    Raises
    ------
    InputError
        When the file cannot be read or draws no closed ring.

    Guarantees
    ----------
    Every line is for the most part of the outline, of a hole or of an opening, or counted in ``left_out``.
    """
    if len(data) > MAX_BYTES:
        raise InputError("The file is too large.", where=name, value=len(data), allowed=f"{MAX_BYTES} bytes")
    kind = name.lower().rpartition(".")[2]
    if kind in PICTURES:
        return Drawn(trace_picture(data, name, width_mm))
    text = data.decode("utf-8", errors="replace")
    if kind not in ("dxf", "svg"):
        allowed = ", ".join(("dxf", "svg", *PICTURES))
        raise InputError("Outlines come as DXF, SVG or a picture.", where=name, value=kind, allowed=allowed)
    lines = _dxf(text, name) if kind == "dxf" else _svg(text, name)
    noded = _noded(lines)
    faces: list[Polygon] = list(shapely.polygonize(noded).geoms)
    rings = [p for p in faces if p.area > 1.0]
    if not rings:
        raise InputError(
            "It draws no closed ring.", where=name, next_step="Close the outline and export it again."
        )
    # Lines that part a board do not bound it: faces side by side are one board. What lies in a hole of another is not.
    inner = STRtree([Polygon(hole) for face in faces for hole in face.interiors])
    boards = shapely.get_parts(
        shapely.union_all([r for r in rings if not len(inner.query(r, predicate="covered_by"))])
    )
    largest = max(boards, key=lambda p: Polygon(p.exterior).area)
    x0, y0, _, _ = largest.bounds
    circles = [c for ring in largest.interiors if (c := _circle(ring)) is not None]
    used = largest.boundary.buffer(3 * SNAP_MM)
    return Drawn(
        _ring(largest.exterior, x0, y0),
        tuple((nm(x - x0), nm(y - y0), nm(drill)) for x, y, drill in circles),
        tuple(_ring(ring, x0, y0) for ring in largest.interiors if _circle(ring) is None),
        sum(line.intersection(used).length < line.length / 2 for line in lines),
    )


def _ring(ring: BaseGeometry, x0: float, y0: float) -> tuple[PointNm, ...]:
    shape = shapely.geometry.polygon.orient(Polygon(ring)).simplify(1e-4)
    return tuple((nm(x - x0), nm(y - y0)) for x, y in list(shape.exterior.coords)[:-1])


def _circle(ring: BaseGeometry) -> tuple[float, float, float] | None:
    """Give middle and width of a ring that is a circle of a size that is drilled, in millimetres."""
    x0, y0, x1, y1 = ring.bounds
    x, y, wide = (x0 + x1) / 2, (y0 + y1) / 2, max(x1 - x0, y1 - y0)
    corners = list(ring.coords)
    off = max(abs(math.hypot(a - x, b - y) - wide / 2) for a, b in corners)
    if len(corners) < 9 or wide > DRILL_MOST_MM or off > ROUND_MM:
        return None
    return x, y, round(wide / ROUND_MM) * ROUND_MM


def _noded(lines: list[LineString]) -> list[BaseGeometry]:
    """Snap ends that nearly meet, so that rings drawn piece by piece close."""
    snapped = [shapely.set_precision(line, SNAP_MM) for line in lines]
    merged = shapely.node(shapely.geometrycollections([s for s in snapped if not s.is_empty]))
    return list(getattr(merged, "geoms", [merged]))


def _dxf(text: str, name: str) -> list[LineString]:
    # Loading the reader takes a quarter of a second, and few runs need it.
    import ezdxf
    import ezdxf.path

    try:
        lines_of = text.splitlines()
        tags = [(c.strip(), v.strip()) for c, v in zip(lines_of[::2], lines_of[1::2], strict=False)]
        drawing = ezdxf.filemanagement.read(io.StringIO(_classed(tags)))
        # The reader makes up units where a file tells none; such a file is taken as in millimetres.
        told = tags.index(("9", "$INSUNITS")) + 1 if ("9", "$INSUNITS") in tags else None
        unit = DXF_UNITS_MM.get(int(tags[told][1]), 1.0) if told else 1.0
        lines = []
        for entity in drawing.modelspace():
            if entity.dxftype() in ("LINE", "ARC", "CIRCLE", "LWPOLYLINE", "POLYLINE", "SPLINE", "ELLIPSE"):
                points = [
                    (p.x * unit, p.y * unit) for p in ezdxf.path.make_path(entity).flattening(CHORD_MM / unit)
                ]
                if len(points) > 1:
                    lines.append(LineString(points))
        return lines
    except (ezdxf.lldxf.const.DXFError, ValueError, KeyError, TypeError, IndexError, AttributeError) as error:
        raise InputError(
            f"This DXF file cannot be read: {str(error)[:120]}.",
            where=name,
            next_step="Export it anew as plain ASCII DXF.",
        ) from error


def _classed(tags: list[tuple[str, str]]) -> str:
    """Write a drawing for the reader, which asks for the classes of entities that simple writers leave unnamed."""
    entities: list[list[tuple[str, str]]] = [[]]
    for code, value in tags:
        if code == "0":
            entities.append([])
        entities[-1].append((code, value))
    made: list[tuple[str, str]] = []
    version = "AC1009"
    for entity in entities:
        wanted = CLASSES.get(entity[0][1]) if entity else None
        if wanted and all(code != "100" for code, _ in entity):
            common = [t for t in entity[1:] if t[0] in COMMON_TAGS]
            own = [t for t in entity[1:] if t[0] not in COMMON_TAGS]
            entity = [entity[0], ("100", "AcDbEntity"), *common, ("100", wanted), *own]
        made += entity
    if ("9", "$ACADVER") in made:
        k = made.index(("9", "$ACADVER"))
        version = made[k + 1][1]
        del made[k : k + 2]
    if any(entity and entity[0][1] in CLASSES for entity in entities):
        # In drawings of the oldest version, or of none, the reader skips what these types hold.
        version = max(version, "AC1015")
    told = [("9", "$ACADVER"), ("1", version)]
    if ("2", "HEADER") in made:
        k = made.index(("2", "HEADER")) + 1
        made[k:k] = told
    else:
        made[:0] = [("0", "SECTION"), ("2", "HEADER"), *told, ("0", "ENDSEC")]
    return "\n".join(line for tag in made for line in tag) + "\n"


def _svg(text: str, name: str) -> list[LineString]:
    from svgelements import SVG, Path, Shape

    if "<!ENTITY" in text or "<!DOCTYPE" in text:
        raise InputError(
            "SVG files with a DOCTYPE are not read.", where=name, next_step="Save it as plain SVG."
        )
    try:
        drawing = SVG.parse(io.StringIO(text), reify=True)
        to_mm = 25.4 / 96
        lines = []
        for element in drawing.elements():
            if isinstance(element, Shape):
                for sub in Path(element).as_subpaths():
                    path = Path(sub)
                    count = (
                        max(2, min(2000, int(path.length(error=1e-3) * to_mm / 0.25) + 1))
                        if _curved(path)
                        else 0
                    )
                    points = [path.point(i / count) for i in range(count + 1)] if count else _corners(path)
                    if len(points) > 1:
                        lines.append(LineString([(p.x * to_mm, -p.y * to_mm) for p in points]))
        return lines
    except (
        ValueError,
        KeyError,
        TypeError,
        IndexError,
        AttributeError,
        SyntaxError,
        ZeroDivisionError,
    ) as error:
        raise InputError(
            f"This SVG file cannot be read: {str(error)[:120]}.",
            where=name,
            next_step="Save it as plain SVG.",
        ) from error


def _curved(path: Path) -> bool:
    return any(type(s).__name__ in ("Arc", "CubicBezier", "QuadraticBezier") for s in path)


def _corners(path: Path) -> list[Any]:
    return [s.end for s in path if s.end is not None]
