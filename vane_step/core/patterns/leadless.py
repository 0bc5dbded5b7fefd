"""Land patterns whose terminals lie under or at the edge of the body: no-lead, J-lead, ball grid and castellated.

Dimensions are float millimetres, as in ``landpattern``; names and sizes of ready packages are in ``packages``.
"""

from __future__ import annotations

from collections.abc import Sequence

from vane_step.core.design.model import Package, PadSpec
from vane_step.core.errors import InputError
from vane_step.core.patterns.landpattern import IPC, Fillets, Span, finish_package, ipc_pad, land

NO_LEAD = Fillets(0.30, 0.00, -0.04)
# A J-lead bends inwards: its outer fillet is the one that counts. The method is that of IPC-7351.
J_LEAD = Fillets(0.35, -0.20, 0.03)
# Rows of a ball grid skip letters that look like figures (JEDEC).
ROWS = "ABCDEFGHJKLMNPRTUVWY"
# Collapsing balls: the land is this share of the ball (IPC-7351, nominal).
BALL_SHARE = 0.8
CASTLE_OUT_MM, CASTLE_IN_MM = 0.60, 0.80

Spot = tuple[float, float, bool]


def _ring(left: int, below: int, pitch: float, across: float, along: float) -> list[Spot]:
    """Give the terminals of two or four sides anticlockwise from top left; ``True`` where a pad lies flat."""
    rows = [(k - (left - 1) / 2) * pitch for k in range(left)]
    columns = [(k - (below - 1) / 2) * pitch for k in range(below)]
    spots: list[Spot] = [(-across, -y, True) for y in rows] + [(x, -along, False) for x in columns]
    return spots + [(across, y, True) for y in rows] + [(-x, along, False) for x in columns]


def _pads(spots: Sequence[Spot], length: float, width: float, first: int = 0) -> list[PadSpec]:
    """Number pads in the order of their spots, beginning with the spot of index ``first``."""
    count = len(spots)
    pads = []
    for k in range(count):
        x, y, flat = spots[(first + k) % count]
        pads.append(land(str(k + 1), x, y, length if flat else width, width if flat else length))
    return pads


def no_lead(
    name: str,
    title: str,
    left: int,
    below: int,
    pitch: float,
    across: Span,
    along: Span,
    foot: Span,
    lead: Span,
    thermal: tuple[float, float],
    height_mm: float,
) -> Package:
    """Make the land pattern of a no-lead package on two (``below`` 0) or four sides, with a thermal pad.

    Parameters
    ----------
    left, below : int
        Terminals on the left side, and on the lower side.
    across, along : Span
        Body size, which is also the span over the terminals.
    foot, lead : Span
        Length and width of a terminal.
    thermal : tuple of float
        Sides of the exposed pad; 0 for none. It gets the number after the last terminal.
    """
    z, g, x = ipc_pad(across, foot, lead, NO_LEAD)
    zy, gy, _ = ipc_pad(along, foot, lead, NO_LEAD)
    pads = _pads(_ring(left, below, pitch, (z + g) / 4, (zy + gy) / 4), (z - g) / 2, x)
    if min(thermal) > 0:
        pads.append(land(str(len(pads) + 1), 0, 0, *thermal))
    drawing = {
        "D body across": across.pair,
        "E body along": along.pair,
        "T terminal": foot.pair,
        "W terminal": lead.pair,
        "e pitch": (pitch, pitch),
        "D2 thermal": (thermal[0],) * 2,
        "E2 thermal": (thermal[1],) * 2,
    }
    return finish_package(
        name,
        pads,
        (across.middle, along.middle),
        height_mm,
        title=title,
        polarised=True,
        source=IPC,
        drawing=drawing,
    )


def j_lead(
    name: str,
    title: str,
    left: int,
    below: int,
    pitch: float,
    across: Span,
    along: Span,
    foot: Span,
    lead: Span,
    height_mm: float,
) -> Package:
    """Make the land pattern of a J-lead package; on four sides pin 1 is in the middle of the upper side."""
    z, g, x = ipc_pad(across, foot, lead, J_LEAD)
    zy, gy, _ = ipc_pad(along, foot, lead, J_LEAD)
    first = 2 * left + below + below // 2 if below else 0
    pads = _pads(_ring(left, below, pitch, (z + g) / 4, (zy + gy) / 4), (z - g) / 2, x, first)
    drawing = {
        "L lead span across": across.pair,
        "L lead span along": along.pair,
        "T contact": foot.pair,
        "W lead": lead.pair,
        "e pitch": (pitch, pitch),
    }
    body = (across.middle - 1.0, along.middle - 1.0)
    return finish_package(
        name, pads, body, height_mm, title=title, polarised=True, source=IPC, drawing=drawing
    )


def ball_grid(
    name: str,
    title: str,
    rows: int,
    columns: int,
    pitch: float,
    ball: Span,
    body: tuple[float, float],
    height_mm: float,
    rings: int = 0,
) -> Package:
    """Make the land pattern of a ball grid, A1 at the top left; with ``rings`` only so many outer rings have balls.

    Raises
    ------
    InputError
        When there are more rows than letters.
    """
    if rows > len(ROWS):
        raise InputError(
            "A ball grid has at most 20 rows.", where=name, value=rows, allowed=f"1 to {len(ROWS)}"
        )
    size = max(0.1, round(ball.middle * BALL_SHARE / 0.05) * 0.05)
    pads = []
    for r in range(rows):
        for c in range(columns):
            if rings and min(r, c, rows - 1 - r, columns - 1 - c) >= rings:
                continue
            x, y = (c - (columns - 1) / 2) * pitch, ((rows - 1) / 2 - r) * pitch
            pads.append(land(f"{ROWS[r]}{c + 1}", x, y, size, size, "round"))
    drawing = {
        "b ball": ball.pair,
        "e pitch": (pitch, pitch),
        "D body across": (body[0],) * 2,
        "E body along": (body[1],) * 2,
    }
    source = f"{IPC}, land {BALL_SHARE:.0%} of the ball"
    return finish_package(
        name, pads, body, height_mm, title=title, polarised=True, source=source, drawing=drawing
    )


def castellated(
    name: str,
    title: str,
    left: int,
    below: int,
    pitch: float,
    body: tuple[float, float],
    lead: float,
    antenna_mm: float,
    height_mm: float,
) -> Package:
    """Make the land pattern of a module with half holes on its edges and an antenna at its upper end.

    The zone over the antenna, ``antenna_mm`` long, as wide as the module and 0.5 mm more all round, is kept free of
    copper. Pads reach out of the body, so that the iron and the eye find the joint.
    """
    w, h = body
    span = (left - 1) * pitch
    lowest = -h / 2 + (pitch if below else 0.0) + 0.5
    length, off = CASTLE_OUT_MM + CASTLE_IN_MM, (CASTLE_OUT_MM - CASTLE_IN_MM) / 2
    rows = [lowest + span - k * pitch for k in range(left)]
    columns = [(k - (below - 1) / 2) * pitch for k in range(below)]
    if rows[0] > h / 2 - antenna_mm:
        raise InputError(
            "The pins reach into the antenna's zone.",
            where=name,
            value=f"{rows[0]:.2f} mm",
            allowed=f"below {h / 2 - antenna_mm:.2f} mm",
        )
    spots: list[Spot] = [(-w / 2 - off, y, True) for y in rows] + [(x, -h / 2 - off, False) for x in columns]
    spots += [(w / 2 + off, y, True) for y in reversed(rows)]
    zone = (-w / 2 - 0.5, h / 2 - antenna_mm, w / 2 + 0.5, h / 2 + 0.5) if antenna_mm > 0 else None
    drawing = {
        "D body across": (w, w),
        "E body along": (h, h),
        "e pitch": (pitch, pitch),
        "b half hole": (lead, lead),
        "antenna": (antenna_mm, antenna_mm),
    }
    source = f"{CASTLE_OUT_MM} mm outside and {CASTLE_IN_MM} mm inside the edge (rule of thumb)"
    return finish_package(
        name,
        _pads(spots, length, lead),
        body,
        height_mm,
        title=title,
        polarised=True,
        source=source,
        drawing=drawing,
        keepout_mm=zone,
        mouth=("top" if zone else "", 0.0),
    )
