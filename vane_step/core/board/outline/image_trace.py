"""Shapes traced from pictures, as wide as one says: the outline of a board, or what its legend is to show."""

from __future__ import annotations

import io
import warnings

import numpy as np
import shapely
from shapely.geometry import Polygon

from vane_step.core.design.model import PointNm
from vane_step.core.errors import InputError
from vane_step.core.quantity import nm

KINDS = ("PNG", "JPEG", "GIF", "BMP", "WEBP")
MAX_PIXELS = 40_000_000
LONGEST = 1200
# Corners nearer to the traced line than this are left out; a picture has no more to say.
KEEP_MM, KEEP_PIXELS = 0.1, 0.4
MAX_POINTS = 5000


def trace_picture(data: bytes, name: str, width_mm: float, cutter_mm: float = 2.0) -> tuple[PointNm, ...]:
    """Trace a board outline from a picture, lower left corner moved to the origin.

    Parameters
    ----------
    data : bytes
        Content of a picture file (PNG, JPEG, …).
    name : str
        File name, for messages.
    width_mm : float
        Width of the traced shape on the board.
    cutter_mm : float
        Diameter of the cutter that mills the outline: inside corners are rounded and slots narrower than it filled.
        0 leaves the shape as traced.

    Returns
    -------
    tuple of points in nanometres
        The largest shape's outer edge, anticlockwise; holes in it are ignored.

    Raises
    ------
    InputError
        When it is no picture, too large, holds no shape, or the width is out of range.

    Notes
    -----
    Grey values are parted by Otsu's threshold (1979); the edge is drawn by marching squares with linear
    interpolation, so it lies within a fraction of a pixel of the true one. A picture whose rim is dark is taken as
    light on dark.
    """
    if not 2 <= width_mm <= 600:
        raise InputError("That is no width of a board.", where="width", value=width_mm, allowed="2 to 600 mm")
    grey = _grey(data, name)
    ring = max(_contours(grey, _otsu(grey)), key=lambda p: p.area, default=None)
    if ring is None or ring.area < 0.001 * grey.size:
        raise InputError(
            "There is no shape in the picture.", where=name, next_step="Use a dark shape on a light ground."
        )
    x0, _, x1, y1 = ring.bounds
    scale = width_mm / (x1 - x0)
    shape = shapely.transform(
        Polygon(ring.exterior), lambda p: np.column_stack([(p[:, 0] - x0), (y1 - p[:, 1])]) * scale
    )
    if cutter_mm > 0:
        r = cutter_mm / 2
        shape = shape.buffer(r, quad_segs=16).buffer(-r, quad_segs=16)
        shape = shape if isinstance(shape, Polygon) else max(shape.geoms, key=lambda p: p.area)
    tolerance = max(KEEP_MM, KEEP_PIXELS * scale)
    shape = Polygon(shape.exterior)
    while len((simple := shape.simplify(tolerance)).exterior.coords) > MAX_POINTS:
        tolerance *= 2
    oriented = shapely.geometry.polygon.orient(simple)
    bx, by, _, _ = oriented.bounds
    return tuple((nm(x - bx), nm(y - by)) for x, y in list(oriented.exterior.coords)[:-1])


def trace_shapes(
    data: bytes, name: str, width_mm: float, finest_mm: float
) -> tuple[tuple[PointNm, ...], ...]:
    """Trace all dark shapes of a picture, with their holes, about the middle of what is drawn.

    Parameters
    ----------
    width_mm : float
        Width of what is drawn, on the board.
    finest_mm : float
        Shapes and corners finer than this are left out.

    Returns
    -------
    tuple of rings in nanometres
        Rings within rings are holes in them, and so on.

    Raises
    ------
    InputError
        When it is no picture, too large, holds no shape, or the width is out of range.
    """
    if not 1 <= width_mm <= 200:
        raise InputError("That is no width of a print.", where="width", value=width_mm, allowed="1 to 200 mm")
    grey = _grey(data, name)
    rings = [p for p in _contours(grey, _otsu(grey)) if p.area > 1]
    if not rings:
        raise InputError(
            "There is no shape in the picture.", where=name, next_step="Use dark shapes on a light ground."
        )
    x0, y0, x1, y1 = shapely.total_bounds(np.array(rings, dtype=object))
    scale = width_mm / (x1 - x0)
    middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
    found = []
    for ring in rings:
        shape = shapely.transform(ring, lambda p: (p - middle) * (scale, -scale)).simplify(finest_mm / 4)
        if shape.area >= finest_mm**2:
            found.append(tuple((nm(x), nm(y)) for x, y in list(shape.exterior.coords)[:-1]))
    if not found:
        raise InputError(
            "All that is drawn is too fine to be printed.",
            where=name,
            value=f"{width_mm:g} mm wide",
            next_step="Make it wider, or draw it bolder.",
        )
    return tuple(found)


def _grey(data: bytes, name: str) -> np.ndarray:
    """Read a picture as grey values on white, 0 dark to 255 light, with a light rim of two pixels."""
    from PIL import Image

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            # Only these kinds: others may start a program that draws them.
            picture = Image.open(io.BytesIO(data), formats=KINDS)
            if picture.width * picture.height > MAX_PIXELS:
                raise InputError(
                    "The picture is too large.",
                    where=name,
                    allowed=f"{MAX_PIXELS // 1_000_000} million pixels",
                )
            picture.load()
    except (
        OSError,
        ValueError,
        SyntaxError,
        Image.DecompressionBombError,
        Image.DecompressionBombWarning,
    ) as error:
        raise InputError(
            "This is no picture that can be read.", where=name, allowed=", ".join(KINDS)
        ) from error
    ground = Image.new("RGBA", picture.size, "white")
    ground.alpha_composite(picture.convert("RGBA"))
    plain = ground.convert("L")
    plain.thumbnail((LONGEST, LONGEST))
    values = np.asarray(plain, dtype=np.float64)
    if min(values.shape) < 8:
        raise InputError(
            "The picture is too small.",
            where=name,
            value="x".join(map(str, plain.size)),
            allowed="8 pixels or more",
        )
    rim = np.concatenate([values[0], values[-1], values[:, 0], values[:, -1]])
    if np.median(rim) < _otsu(values):
        values = 255.0 - values
    return np.pad(values, 2, constant_values=255.0)


def _otsu(values: np.ndarray) -> float:
    """Give the threshold that parts dark from light with the greatest variance between them (Otsu 1979)."""
    counts, edges = np.histogram(values, bins=256, range=(0, 256))
    weight = np.cumsum(counts) / counts.sum()
    mean = np.cumsum(counts * (edges[:-1] + 0.5)) / counts.sum()
    with np.errstate(divide="ignore", invalid="ignore"):
        between = (mean[-1] * weight - mean) ** 2 / (weight * (1 - weight))
    between = np.nan_to_num(between, nan=0.0, posinf=0.0)
    best = np.flatnonzero(between == between.max())
    # Between two far apart groups every threshold is as good: the middle of them is taken.
    return float(edges[best].mean() + 1)


def _contours(values: np.ndarray, threshold: float) -> list[Polygon]:
    """Draw the line where the values cross a threshold, by marching squares; closed rings as polygons."""
    inside = values < threshold
    code = inside[:-1, :-1] * 1 + inside[:-1, 1:] * 2 + inside[1:, 1:] * 4 + inside[1:, :-1] * 8
    rows, columns = np.nonzero((code > 0) & (code < 15))

    def across(r: np.ndarray, c: np.ndarray, dr: int, dc: int) -> np.ndarray:
        """Give the crossing between a pixel and its neighbour to the right (dc) or below (dr)."""
        a, b = values[r, c], values[r + dr, c + dc]
        share = np.where(a == b, 0.5, (threshold - a) / np.where(a == b, 1.0, b - a))
        return np.column_stack([c + share * dc, r + share * dr])

    sides = {
        "top": across(rows, columns, 0, 1),
        "right": across(rows, columns + 1, 1, 0),
        "bottom": across(rows + 1, columns, 0, 1),
        "left": across(rows, columns, 1, 0),
    }
    pieces = []
    case = code[rows, columns]
    for codes, one, other in _SEGMENTS:
        pick = np.isin(case, codes)
        pieces.append(np.stack([sides[one][pick], sides[other][pick]], axis=1))
    lines = shapely.linestrings(np.round(np.concatenate(pieces), 6))
    return [Polygon(p.exterior) for p in shapely.polygonize(lines).geoms]


# Which sides of a square a line joins, by the corners inside (1 top left, 2 top right, 4 bottom right, 8 bottom left).
# The two saddles (5 and 10) are drawn as two corners cut off, so that dark shapes touching by a point stay apart.
_SEGMENTS: tuple[tuple[tuple[int, ...], str, str], ...] = (
    ((1, 14, 5), "left", "top"),
    ((2, 13, 10), "top", "right"),
    ((4, 11, 5), "right", "bottom"),
    ((8, 7, 10), "bottom", "left"),
    ((3, 12), "left", "right"),
    ((6, 9), "top", "bottom"),
)
