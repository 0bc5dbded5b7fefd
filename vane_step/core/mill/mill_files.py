"""All that mills a board: a program for each side's copper, for its holes and its edge, with time and what is wrong."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass

from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.model import Design, Side
from vane_step.core.errors import InputError
from vane_step.core.etch.bores import bored
from vane_step.core.etch.drillplan import drill_plan
from vane_step.core.finding import Finding, Place, tell
from vane_step.core.mill.gcode import Program, edge, holes, rounds
from vane_step.core.mill.plan import MillPlan
from vane_step.core.mill.tool_paths import SidePaths, board_edge, isolation

# How far a drill goes beyond the board (rule of thumb).
BEYOND_MM = 0.3


@dataclass(frozen=True)
class MilledBoard:
    """Programs by file name with how many seconds each takes, the ways of each side, and what is wrong."""

    programs: dict[str, str]
    seconds: dict[str, float]
    sides: tuple[SidePaths, ...]
    findings: tuple[Finding, ...]


def mill(design: Design, plan: MillPlan) -> MilledBoard:
    """Write the programs that mill a board of one or two layers.

    The side milled first is the back where only that has copper, else the front; holes are bored and the edge is cut
    from it. The second side is turned over left to right on the same corner.

    Raises
    ------
    InputError
        When the board has inner layers, or no copper yet.
    """
    if design.board.copper_layers > 2:
        raise InputError(
            f"The board has {design.board.copper_layers} layers.",
            where="board",
            value=design.board.copper_layers,
            allowed="1 or 2",
            next_step="Inner layers cannot be milled: order it, or make it a board of two layers.",
        )
    sides: tuple[Side, ...] = (
        ("back",)
        if tuple(design.board.layers) == ("back",)
        else tuple(s for s in ("front", "back") if s in design.board.layers)
    )
    ways = [isolation(design, side, plan) for side in sides]
    if not any(w.rings for w in ways):
        raise InputError(
            "There is no copper on this board yet.", where="board", next_step="Place parts first."
        )
    programs: dict[str, Program] = {}
    for way in ways:
        programs[f"{len(programs) + 1}-copper-{way.side}.ngc"] = _copper(design, way, plan)
    programs[f"{len(programs) + 1}-holes.ngc"] = _bored(design, sides[0], plan)
    edges, tight = board_edge(design, sides[0], plan)
    cut = Program(f"{design.name}: edge, end mill {plan.cutter_mm:g} mm", plan)
    cut.tool(90, f"end mill {plan.cutter_mm:g} mm")
    for ring in edges:
        edge(cut, ring, design.board.rules.board_mm, plan.tabs)
    programs[f"{len(programs) + 1}-edge.ngc"] = cut
    return MilledBoard(
        {name: p.text() for name, p in programs.items()},
        {name: p.seconds for name, p in programs.items()},
        tuple(ways),
        tuple(_findings(design, ways, tight, plan)),
    )


def _copper(design: Design, way: SidePaths, plan: MillPlan) -> Program:
    program = Program(f"{design.name}: copper of the {way.side}, cut {plan.cut_mm:g} mm wide", plan)
    program.tool(1, f"engraving bit that cuts {plan.cut_mm:g} mm at {plan.depth_mm:g} mm")
    rounds(program, way.rings, plan.depth_mm)
    return program


def _bored(design: Design, side: Side, plan: MillPlan) -> Program:
    program = Program(f"{design.name}: holes", plan)
    bits = {row.drill_mm: row.bit_mm for row in drill_plan(design)}
    x0, y0, x1, _ = outline(design).bounds
    places: dict[float, list[tuple[float, float]]] = {}
    for h in bored(design):
        x = (x1 - h.x_mm) if side == "back" else (h.x_mm - x0)
        near = min(bits, key=lambda mm: abs(mm - h.drill_mm), default=h.drill_mm)
        places.setdefault(bits.get(near, h.drill_mm), []).append((x, h.y_mm - y0))
    for k, (size, some) in enumerate(sorted(places.items()), 2):
        program.tool(k, f"drill {size:.2f} mm, {len(some)} holes")
        holes(program, some, design.board.rules.board_mm + BEYOND_MM)
    return program


def _findings(
    design: Design, ways: list[SidePaths], tight: list[tuple[float, float, float]], plan: MillPlan
) -> list[Finding]:
    found = []
    for way in ways:
        for t in way.touching[:12]:
            text = f"The tool does not fit between {t.nets[0]} and {t.nets[1]} on the {way.side}: they stay joined"
            place = Place(net=t.nets[0], layer=way.side, x_nm=round(t.x_mm * 1e6), y_nm=round(t.y_mm * 1e6))
            found.append(tell("mill-gap", text, round(t.gap_mm, 3), plan.cut_mm, place))
    for x, y, wide in tight:
        place = Place(x_nm=round(x * 1e6), y_nm=round(y * 1e6))
        text = "The end mill does not fit into a cut-out"
        found.append(tell("mill-cutout", text, round(wide, 3), plan.cutter_mm, place))
    return found


def packed(made: MilledBoard) -> bytes:
    """Put the programs into a zip, the same bytes for the same board."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in made.programs.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), text)
    return out.getvalue()
