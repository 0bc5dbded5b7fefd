"""A board as a picture of a quantity: temperature, or current across a millimetre of copper on a layer."""

from __future__ import annotations

import base64
import io
import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from PIL import Image

from vane_step.core.board.analysis.board_heat import BoardHeat, board_heat
from vane_step.core.board.analysis.copper_currents import net_currents
from vane_step.core.board.copper.flows import SheetFlow
from vane_step.core.board.geometry.shapes import courtyards, outline
from vane_step.core.design.model import Design, Layer
from vane_step.core.network.readings import Reading, readings

# From nothing to the top of the scale: red, green, blue, opacity.
RAMP: Final = np.array(
    [
        (255, 214, 102, 0),
        (255, 204, 77, 140),
        (247, 147, 48, 205),
        (216, 67, 43, 235),
        (122, 16, 50, 250),
    ],
    dtype=np.float64,
)
# Parts that are named on the picture, the warmest first, and how warm they are at least.
NAMED, LEAST_K = 8, 1.0
# A board that stays cool is to look it: the scale of rises ends here at least.
COOL_K: Final = 10.0
# Ends of scales, times a power of ten.
STEPS: Final = (1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)
# Currents below this are no lines.
LEAST_A: Final = 2e-3


@dataclass(frozen=True)
class Raster:
    """A picture of cells: a PNG as data, and the rectangle of the board it covers in millimetres (x, y, wide, tall)."""

    data: str
    box: tuple[float, float, float, float]


@dataclass(frozen=True)
class Line:
    """A piece of track: its ends, its width, its colour, and what it says."""

    ends_mm: tuple[float, float, float, float]
    width_mm: float
    colour: str
    net: str
    amps: float


@dataclass(frozen=True)
class Picture:
    """What is drawn, in millimetres of the board, y upwards.

    Parameters
    ----------
    state
        Name of the state.
    top
        What the end of the scale stands for, its beginning being ``bottom``.
    marks
        Places with a value: name, x, y, value.
    """

    kind: str
    state: str
    bounds: tuple[float, float, float, float]
    board: str
    bodies: tuple[tuple[str, str], ...]
    rasters: tuple[Raster, ...]
    lines: tuple[Line, ...]
    bottom: float
    top: float
    unit: str
    marks: tuple[tuple[str, float, float, float], ...]
    heat: BoardHeat | None = None


def colours(share: np.ndarray) -> np.ndarray:
    """Give red, green, blue and opacity for shares of the scale, as bytes; nothing where the share is none (NaN)."""
    at = np.clip(np.nan_to_num(share, nan=0.0), 0.0, 1.0) * (len(RAMP) - 1)
    low = np.minimum(at.astype(int), len(RAMP) - 2)
    rest = (at - low)[..., None]
    found = RAMP[low] * (1 - rest) + RAMP[low + 1] * rest
    found[np.isnan(share)] = 0.0
    as_bytes: np.ndarray = found.round().astype(np.uint8)
    return as_bytes


def colour_of(share: float) -> str:
    """Give the colour of a share of the scale as a page writes it."""
    red, green, blue, _ = colours(np.array([max(share, 0.25)]))[0].tolist()
    return f"#{red:02x}{green:02x}{blue:02x}"


def nice(value: float) -> float:
    """Give the next round number that is not under a value."""
    if value <= 0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(value))
    return next(
        step * power
        for step in (1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)
        if step * power >= value * (1 - 1e-9)
    )


def _raster(rows: np.ndarray, cell_mm: float, low: tuple[float, float]) -> Raster:
    """Make a picture of rows of shares, the lowest first."""
    image = Image.fromarray(colours(rows[::-1]), "RGBA")
    held = io.BytesIO()
    image.save(held, "PNG")
    data = "data:image/png;base64," + base64.b64encode(held.getvalue()).decode()
    return Raster(data, (low[0], low[1], rows.shape[1] * cell_mm, rows.shape[0] * cell_mm))


def _path(shape: object) -> str:
    rings = [shape.exterior, *shape.interiors]  # type: ignore[attr-defined]
    return "".join("M" + "L".join(f"{x:.3f} {y:.3f}" for x, y in ring.coords[:-1]) + "Z" for ring in rings)


def _frame(design: Design) -> tuple[tuple[float, float, float, float], str, tuple[tuple[str, str], ...]]:
    board = outline(design)
    bodies = tuple((ref, _path(shape)) for ref, shape in courtyards(design).items())
    return board.bounds, _path(board), bodies


def heat_picture(design: Design, state: Reading) -> Picture:
    """Draw how warm a board gets in a state, with its warmest parts named."""
    heat = board_heat(design, state)
    bounds, board, bodies = _frame(design)
    top = nice(max(heat.hottest[0], COOL_K))
    rows = heat.sheet.rows(heat.rise_k / top)
    raster = _raster(rows, heat.sheet.cell_mm, (float(heat.sheet.low[0]), float(heat.sheet.low[1])))
    marks = _marks(design, heat, max(bounds[2] - bounds[0], bounds[3] - bounds[1]))
    return Picture(
        "heat",
        state.name,
        bounds,
        board,
        bodies,
        (raster,),
        (),
        heat.ambient_c,
        heat.ambient_c + top,
        "°C",
        tuple(marks),
        heat,
    )


def _marks(design: Design, heat: BoardHeat, across_mm: float) -> list[tuple[str, float, float, float]]:
    """Give the warmest parts with their places, of those whose names would lie over each other the warmest."""
    middles = {ref: shape.centroid for ref, shape in courtyards(design).items()}
    high, wide = across_mm / 36, across_mm / 70
    found: list[tuple[str, float, float, float]] = []
    for ref, k in sorted(heat.parts_k.items(), key=lambda kv: -kv[1]):
        if len(found) == NAMED or k < LEAST_K:
            break
        if ref in middles:
            x, y, half = middles[ref].x, middles[ref].y, wide * (len(ref) + 4) / 2
            if all(abs(v - y) > high or abs(u - x) > half + wide * (len(r) + 4) / 2 for r, u, v, _ in found):
                found.append((ref, x, y, heat.ambient_c + k))
    return found


def warmest_state(design: Design) -> Reading | None:
    """Give the state in which placed parts turn most into heat."""

    def watts(state: Reading) -> float:
        return sum(p.watts for ref, p in state.parts.items() if design.parts[ref].place is not None)

    return max((r for r in readings(design).all if r.settled), key=watts, default=None)


def current_picture(design: Design, state: Reading, layer: Layer) -> Picture:
    """Draw what flows on a layer in a state: tracks by their current across a millimetre, pours by cell."""
    bounds, board, bodies = _frame(design)
    found = [f for net in design.nets if (f := net_currents(design, net, state)) is not None]
    pieces = [(p, f.net) for f in found for p in f.currents.pieces if p.layer == layer and p.amps >= LEAST_A]
    sheets = [s for f in found for s in f.currents.sheets if s.layer == layer]
    most = max((p.amps / p.width_mm for p, _ in pieces), default=0.0)
    # The few cells at the rim of a contact would make all others pale.
    most = max([most, *(float(np.quantile(s.a_mm, 0.995)) for s in sheets)])
    top = nice(max(most, 1e-3))
    # Among small shares differences show as well: the scale is that of the square root.
    lines = [
        Line(p.ends_mm, p.width_mm, colour_of(math.sqrt(p.amps / p.width_mm / top)), net, p.amps)
        for p, net in sorted(pieces, key=lambda entry: entry[0].amps)
    ]
    rasters = [r for s in sheets if (r := _sheet(s, top)) is not None]
    return Picture(
        "current", state.name, bounds, board, bodies, tuple(rasters), tuple(lines), 0.0, top, "A/mm", ()
    )


def _sheet(flow: SheetFlow, top: float) -> Raster | None:
    if not len(flow.cells) or float(flow.a_mm.max()) < 1e-4 * top:
        return None
    first, last = flow.cells.min(axis=0), flow.cells.max(axis=0)
    rows = np.full((last[1] - first[1] + 1, last[0] - first[0] + 1), np.nan)
    at = flow.cells - first
    rows[at[:, 1], at[:, 0]] = np.sqrt(np.minimum(flow.a_mm / top, 1.0))
    low = np.array(flow.low) + first * flow.cell_mm
    return _raster(rows, flow.cell_mm, (float(low[0]), float(low[1])))
