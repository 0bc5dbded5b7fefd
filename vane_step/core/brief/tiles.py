"""Findings of a board laid beside others of its kind: outlines that do not meet, pins that meet none or a wrong one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
import shapely
from shapely.affinity import translate
from shapely.geometry import Polygon

from vane_step.core.board.geometry.mouth import OUTWARDS, mouth_at, mouth_of
from vane_step.core.board.geometry.shapes import edge_pads, outline, pads
from vane_step.core.derive import derived
from vane_step.core.design.model import Design, natural
from vane_step.core.finding import Finding, Place, tell

# Boards milled with usual tolerance fit with this between them; pins meet when they are no further beside each other.
GAP_MM, BESIDE_MM = 0.2, 0.15
# What outlines share by rounding, in mm².
ROUNDING_MM2 = 1e-3
# Lines along which the gap between two edges is measured.
RAYS = 200
JOINTS: Final = {"across": (("right", "left"),), "up": (("top", "bottom"),)}
DRIVERS = ("output", "supply-out")


@dataclass(frozen=True)
class EdgePin:
    """A pin that reaches over an edge: a half hole on it, or one of a plug that looks out there."""

    name: str
    net: str | None
    along_mm: float


@derived("parts", "packages", "nets", "board", "brief")
def tile_findings(design: Design) -> tuple[Finding, ...]:
    """Hold each edge against the one it meets when boards of this kind are laid side by side."""
    wanted = design.brief.tiles
    joints = JOINTS["across"] + JOINTS["up"] if wanted == "both" else JOINTS.get(wanted, ())
    found: list[Finding] = []
    for here, there in joints:
        found += _outlines(design, here, there)
        found += _pins(design, here, there)
    return tuple(found)


def joint_mm(board: Polygon, side: str) -> float:
    """Find how far apart two equal boards lie whose edges meet: the least shift to a side without an overlap, in mm."""
    dx, dy = OUTWARDS[side]
    x0, y0, x1, y1 = board.bounds
    low, high = 0.0, (x1 - x0) * abs(dx) + (y1 - y0) * abs(dy)
    while high - low > 1e-4:
        middle = (low + high) / 2
        shared = float(board.intersection(translate(board, dx * middle, dy * middle)).area)
        low, high = (middle, high) if shared > ROUNDING_MM2 else (low, middle)
    return float(high)


def _outlines(design: Design, here: str, there: str) -> Iterator[Finding]:
    board = outline(design)
    step = joint_mm(board, here)
    dx, dy = OUTWARDS[here]
    next_one = translate(board, dx * step, dy * step)
    x0, y0, x1, y1 = board.bounds
    level = dx != 0
    low, high = (y0, y1) if level else (x0, x1)
    ats = low + (np.arange(RAYS) + 0.5) / RAYS * (high - low)
    far = 2 * max(x1 - x0, y1 - y0) + step
    rays = [
        shapely.LineString([(x0 - far, a), (x1 + far, a)] if level else [(a, y0 - far), (a, y1 + far)])
        for a in ats
    ]
    axis = 0 if level else 1
    one, two = (shapely.bounds(shapely.intersection(b, np.array(rays))) for b in (board, next_one))
    gaps = two[:, axis] - one[:, axis + 2]
    # Rounded corners leave a gap that no edge closes.
    round_mm = design.board.corner_radius_nm / 1e6
    inner = (ats > low + round_mm) & (ats < high - round_mm) & np.isfinite(gaps)
    if not inner.any():
        return
    worst = int(np.argmax(np.where(inner, gaps, -np.inf)))
    if gaps[worst] > GAP_MM:
        spot = (one[worst, 2], ats[worst]) if level else (ats[worst], one[worst, 3])
        yield tell(
            "tile-joint",
            f"Beside another of its kind, the {here} edge leaves a gap to the {there} edge",
            round(float(gaps[worst]), 3),
            GAP_MM,
            Place(step="board", x_nm=round(spot[0] * 1e6), y_nm=round(spot[1] * 1e6)),
            unit="mm",
            level="look",
        )


def _pins(design: Design, here: str, there: str) -> Iterator[Finding]:
    mine, theirs = edge_pins(design, here), edge_pins(design, there)
    met: set[str] = set()
    drives = {n: _driven(design, n) for n in design.nets}
    for pin in mine:
        other = min(
            theirs, key=lambda o: (round(abs(o.along_mm - pin.along_mm), 3), o.net != pin.net), default=None
        )
        if other is None or abs(other.along_mm - pin.along_mm) > BESIDE_MM:
            yield _alone(pin, here, there, other)
            continue
        met.add(other.name)
        if pin.net == other.net or pin.net is None or other.net is None:
            continue
        roles = {design.nets[pin.net].role, design.nets[other.net].role}
        wrong = "is a short" if roles & {"supply", "ground"} else ""
        if not wrong and drives[pin.net] and drives[other.net]:
            wrong = "sets two outputs against each other"
        if wrong:
            yield tell(
                "tile-joint",
                f"{pin.name} of {pin.net} on the {here} edge meets {other.name} of {other.net} on the {there} edge: "
                f"that {wrong}",
                1,
                0,
                Place(step="board", pins=(pin.name, other.name)),
                unit="pins",
                level="stop",
            )
    for pin in theirs:
        if pin.name not in met:
            yield _alone(
                pin, there, here, min(mine, key=lambda o: abs(o.along_mm - pin.along_mm), default=None)
            )


def _driven(design: Design, net: str) -> bool:
    return any(pin.role in DRIVERS for _, pin in design.pins_on(net))


def _alone(pin: EdgePin, here: str, there: str, nearest: EdgePin | None) -> Finding:
    off = f"; {nearest.name} is nearest" if nearest else ""
    return tell(
        "tile-joint",
        f"{pin.name} on the {here} edge meets no pin on the {there} edge of the next board{off}",
        round(abs(nearest.along_mm - pin.along_mm), 3) if nearest else None,
        BESIDE_MM if nearest else None,
        Place(step="board", pins=(pin.name,)),
        unit="mm",
        level="look",
    )


def edge_pins(design: Design, side: str) -> list[EdgePin]:
    """Give the pins that reach over an edge of a board: half holes on it, and those of plugs that look out there."""
    x0, y0, x1, y1 = outline(design).bounds
    middle, half = ((x0 + x1) / 2, (y0 + y1) / 2), ((x1 - x0) / 2, (y1 - y0) / 2)
    upright = OUTWARDS[side][0] != 0
    found = []
    halved = edge_pads(design)
    for ref, items in pads(design).items():
        part = design.parts[ref]
        if part.place is None or not part.fitted:
            continue
        mouth, _ = mouth_of(design.packages[part.package])
        back = part.place.side == "back"
        out = bool(mouth) and mouth_at(mouth, round(part.place.turn_deg / 90), back) == side
        for item in items:
            if not item.id.startswith(f"{ref}."):
                continue
            over = (item.x_mm - middle[0]) / half[0], (item.y_mm - middle[1]) / half[1]
            # A half hole belongs to the edge it lies farthest out to.
            nearest = max(OUTWARDS, key=lambda s: over[0] * OUTWARDS[s][0] + over[1] * OUTWARDS[s][1])
            if (item.id in halved and nearest == side) or out:
                found.append(EdgePin(item.id, item.net, item.y_mm if upright else item.x_mm))
    return sorted(found, key=lambda p: (p.along_mm, natural(p.name)))
