"""Outlines from DXF and SVG files: the largest closed ring of what is drawn; pictures are traced in ``picture``."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

import shapely
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from vane_step.core.board.picture import trace_picture
from vane_step.core.design.model import PointNm
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


def outline_from(data: bytes, name: str, width_mm: float = 0.0) -> tuple[PointNm, ...]:
    """Read a board outline, lower left corner moved to the origin.

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
    """
    if len(data) > MAX_BYTES:
        raise InputError("The file is too large.", where=name, value=len(data), allowed=f"{MAX_BYTES} bytes")
    kind = name.lower().rpartition(".")[2]
    if kind in PICTURES:
        return trace_picture(data, name, width_mm)
    text = data.decode("utf-8", errors="replace")
    if kind not in ("dxf", "svg"):
        allowed = ", ".join(("dxf", "svg", *PICTURES))
        raise InputError("Outlines come as DXF, SVG or a picture.", where=name, value=kind, allowed=allowed)
    lines = _dxf(text, name) if kind == "dxf" else _svg(text, name)
    rings = [p for p in shapely.polygonize(_noded(lines)).geoms if p.area > 1.0]
    if not rings:
        raise InputError("It draws no closed ring.", where=name, next_step="Close the outline and export it again.")
    largest = max((Polygon(p.exterior) for p in rings), key=lambda p: p.area)
    x0, y0, _, _ = largest.bounds
    ring = list(shapely.geometry.polygon.orient(largest).simplify(1e-4).exterior.coords)[:-1]
    return tuple((nm(x - x0), nm(y - y0)) for x, y in ring)


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
        drawing = ezdxf.filemanagement.read(io.StringIO(text))
        unit = DXF_UNITS_MM.get(int(drawing.header.get("$INSUNITS", 0)), 1.0)
        lines = []
        for entity in drawing.modelspace():
            if entity.dxftype() in ("LINE", "ARC", "CIRCLE", "LWPOLYLINE", "POLYLINE", "SPLINE", "ELLIPSE"):
                points = [(p.x * unit, p.y * unit) for p in ezdxf.path.make_path(entity).flattening(CHORD_MM / unit)]
                if len(points) > 1:
                    lines.append(LineString(points))
        return lines
    except (ezdxf.lldxf.const.DXFError, ValueError, KeyError, TypeError, IndexError, AttributeError) as error:
        raise InputError(
            f"This DXF file cannot be read: {str(error)[:120]}.", where=name,
            next_step="Export it anew as plain ASCII DXF.",
        ) from error


def _svg(text: str, name: str) -> list[LineString]:
    from svgelements import SVG, Path, Shape

    if "<!ENTITY" in text or "<!DOCTYPE" in text:
        raise InputError("SVG files with a DOCTYPE are not read.", where=name, next_step="Save it as plain SVG.")
    try:
        drawing = SVG.parse(io.StringIO(text), reify=True)
        to_mm = 25.4 / 96
        lines = []
        for element in drawing.elements():
            if isinstance(element, Shape):
                for sub in Path(element).as_subpaths():
                    path = Path(sub)
                    count = max(2, min(2000, int(path.length(error=1e-3) * to_mm / 0.25) + 1)) if _curved(path) else 0
                    points = [path.point(i / count) for i in range(count + 1)] if count else _corners(path)
                    if len(points) > 1:
                        lines.append(LineString([(p.x * to_mm, -p.y * to_mm) for p in points]))
        return lines
    except (ValueError, KeyError, TypeError, IndexError, AttributeError, SyntaxError, ZeroDivisionError) as error:
        raise InputError(
            f"This SVG file cannot be read: {str(error)[:120]}.", where=name,
            next_step="Save it as plain SVG.",
        ) from error


def _curved(path: Path) -> bool:
    return any(type(s).__name__ in ("Arc", "CubicBezier", "QuadraticBezier") for s in path)


def _corners(path: Path) -> list[Any]:
    return [s.end for s in path if s.end is not None]
