"""Measurements of ball grids: how many of their balls the router leads out; and the designs for it."""

from __future__ import annotations

import math
import time

from bench.run import Run
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.model import Board, Design, Net, Part, PartPlace, Pin
from vane_step.core.patterns.landpattern import Span
from vane_step.core.patterns.leadless import ball_grid
from vane_step.core.patterns.packages import package
from vane_step.core.quantity import nm
from vane_step.core.route.problem import choose_lattice
from vane_step.core.route.router import route
from vane_step.data.shipped import rule_set


def ball_design(
    rows: int, columns: int, pitch_mm: float, ball_mm: float, house: str, supplies: int = 0
) -> Design:
    """Make a board of four layers with a ball grid in its middle, each ball on a net of its own to a header round it.

    The ``supplies`` innermost balls share two nets instead.
    """
    ball = Span(ball_mm - 0.05, ball_mm + 0.05)
    across = max(rows, columns) * pitch_mm
    pack = ball_grid("GRID", "ball grid", rows, columns, pitch_mm, ball, (columns * pitch_mm,) * 2, 0.8)
    numbers = [p.number for p in pack.pads]
    inner = sorted(pack.pads, key=lambda p: (p.x_nm**2 + p.y_nm**2, p.number))[:supplies]
    shared = {p.number: ("GND", "VDD")[k % 2] for k, p in enumerate(inner)}
    wanted = len(numbers) - supplies + min(supplies, 2)
    strip = package(f"HDR-2x{-(-wanted // 8)}")
    side = max(across + 14.0, 2.54 * -(-wanted // 8) + 13)
    places = {
        "U1": (side / 2, side / 2, 0.0),
        "J1": (3.5, side / 2, 0.0),
        "J2": (side - 3.5, side / 2, 0.0),
    }
    places |= {"J3": (side / 2, 3.5, 90.0), "J4": (side / 2, side - 3.5, 90.0)}
    parts = {}
    for ref, (x, y, turn) in places.items():
        made = pack if ref == "U1" else strip
        named = tuple(Pin(number=pad.number) for pad in made.pads)
        place = PartPlace(x_nm=nm(x), y_nm=nm(y), turn_deg=turn)
        parts[ref] = Part(ref=ref, package=made.name, pins=named, place=place)
    corners = ((0, 0), (nm(side), 0), (nm(side), nm(side)), (0, nm(side)))
    board = Board(outline=corners, copper_layers=4, rules=rule_set(house))
    bare = Design(
        name=f"{len(numbers)} balls", parts=parts, packages={"GRID": pack, strip.name: strip}, board=board
    )
    nets: dict[str, list[str]] = {}
    for number in numbers:
        nets.setdefault(shared.get(number, f"B_{number}"), []).append(f"U1.{number}")
    # Balls and header pins take each other in the order they lie in round the middle.
    turns = {
        i.id: math.atan2(i.y_mm - side / 2, i.x_mm - side / 2) for i in copper_items(bare) if i.kind == "pad"
    }
    ends = sorted((p for p in turns if p[0] == "J"), key=lambda p: turns[p])
    for pins, end in zip(sorted(nets.values(), key=lambda pins: turns[pins[0]]), ends, strict=False):
        pins.append(end)
    return bare.replaced(nets={name: Net(name=name, pins=tuple(pins)) for name, pins in nets.items()})


def leading_out(run: Run, smoke: bool) -> None:
    """Measure how many balls stay open, each on a net of its own, and how long routing takes."""
    fine = ball_design(6, 7, 0.4, 0.25, "fine-line-house")
    rules = fine.board.rules.model_copy(update={"via_pad_nm": 250_000})
    filled, open_holes = (
        fine.replaced(
            board=fine.board.model_copy(update={"rules": rules.model_copy(update={"fills_vias": yes})})
        )
        for yes in (True, False)
    )
    cases = [("42 balls of 0.4 mm, four layers, vias filled", filled, 10.0)]
    if not smoke:
        cases.append(
            ("100 balls of 0.8 mm, four layers", ball_design(10, 10, 0.8, 0.45, "four-layer-house"), 30.0)
        )
    for name, design, limit_s in cases:
        begun = time.perf_counter()
        result = route(design)
        seconds = time.perf_counter() - begun
        without = route(open_holes) if design is filled else None
        plain = f"no via in a pad: {without.links_made} of {without.links_wanted}" if without else ""
        said = f"{result.links_made} of {result.links_wanted}, {len(result.edit.vias)} vias"
        run.row(f"balls left open, {name}", result.links_wanted - result.links_made, "", 0, plain, said)
        run.row(
            f"routing, {name}", seconds, "s", limit_s, "", f"lattice of {choose_lattice(design).pitch:g} mm"
        )
