"""Measurements of arranging: boards with little room, a converter on a stamp, several proposals; and designs for it."""

from __future__ import annotations

import math
import random
import time

import numpy as np
import shapely

from bench.run import Run
from vane_step.core.ask import ask
from vane_step.core.ask.words import Resources
from vane_step.core.board.drc.check import check
from vane_step.core.board.geometry.shapes import courtyards, outline
from vane_step.core.board.placement.placer import arrange, propose, warm_up
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Board, Brief, Design, Net, Part, PartPlace, Pin
from vane_step.core.errors import EditRefused
from vane_step.core.memo import forget
from vane_step.core.patterns.packages import package
from vane_step.core.quantity import nm
from vane_step.core.route.router import route
from vane_step.data.shipped import rule_set

# Packages of many kinds, small ones more often.
KINDS = (
    *["CHIP-1608M"] * 4,
    *["CHIP-2012M"] * 2,
    *("CHIP-3216M", "SOT-23", "SOT-23-5", "SOIC-8", "SOIC-16", "TSSOP-20", "QFN-32", "TQFP-32"),
    *("SMA", "SOD-123", "IND-6060", "ELSMD-6060", "HDR-1x4", "TERM-2", "USBC-16", "DIP-8"),
    *("AXIAL-P1016", "XSMD-3225"),
)
# What makes a converter of seven parts one of fifteen.
MORE_OF_IT = (
    *("add C11 10u CHIP-3216M", "add C12 22u CHIP-3216M", "add C13 100n CHIP-1608M", "add R11 1k CHIP-1608M"),
    *("add R12 100k CHIP-1608M", "add LED11 green LED-1608M", "add J11 NH-1x2", "add J12 NH-1x2"),
    *("join C11.1 J11.1 R12.1 12V", "join C11.2 C12.2 C13.2 J11.2 J12.2 LED11.K GND"),
    *("join C12.1 C13.1 R11.1 J12.1 5V0", "join R11.2 LED11.A", "join R12.2 U1.4"),
)
# Steps of the plain way, in mm: the first free place on a lattice.
STEP_MM, GAP_MM = 0.5, 0.25


def bare_board(wide_mm: float, tall_mm: float) -> Board:
    """Give a two-layer board of a house's usual rules."""
    corners = ((0, 0), (nm(wide_mm), 0), (nm(wide_mm), nm(tall_mm)), (0, nm(tall_mm)))
    return Board(outline=corners, copper_layers=2, rules=rule_set("standard-house"))


def random_design(seed: int, share: float, parts_on: str = "front") -> Design:
    """Make a design whose courtyards take up a share of what its board has within the edge clearance."""
    chance = random.Random(seed)
    names = [chance.choice(KINDS) for _ in range(chance.choice((8, 15, 25, 40)))]
    packs = {n: package(n) for n in names}
    yards = [packs[n].courtyard_nm for n in names]
    tall = math.sqrt(sum((b[2] - b[0]) * (b[3] - b[1]) for b in yards) / 1e12 / share)
    parts = {}
    for k, name in enumerate(names):
        ref = f"{'J' if name.startswith(('HDR', 'TERM', 'USB')) else 'U'}{k}"
        numbers = dict.fromkeys(p.number for p in packs[name].pads if not p.bare_hole)
        parts[ref] = Part(ref=ref, package=name, pins=tuple(Pin(number=n) for n in numbers))
    pins = [f"{p.ref}.{q.number}" for p in parts.values() for q in p.pins]
    chance.shuffle(pins)
    nets = {f"N{k}": Net(name=f"N{k}", pins=tuple(pins[3 * k : 3 * k + 3])) for k in range(len(pins) // 3)}
    brief = Brief.model_validate({"parts_on": parts_on})
    start = Design(name="full", board=bare_board(tall + 0.6, tall + 0.6))
    return start.replaced(parts=parts, packages=packs, nets=nets, brief=brief)


def stamp(wide_mm: float, tall_mm: float, resources: Resources) -> Design:
    """Make a converter of 15 parts with two plugs, on a board of some size."""
    design = Design(name="stamp", board=bare_board(wide_mm, tall_mm))
    for sentence in ('use "Buck 5V"', *MORE_OF_IT):
        edit = ask(design, sentence, resources).edit
        assert edit is not None, sentence
        design = apply(design, edit)[0]
    return design


def first_free(design: Design) -> int:
    """Put each part, largest first, into the first free place of a lattice; gives how many find none."""
    board = outline(design).buffer(-design.board.rules.edge_clearance_nm / 1e6)
    x0, y0, x1, y1 = board.bounds
    spots = [(x, y) for y in np.arange(y0, y1, STEP_MM) for x in np.arange(x0, x1, STEP_MM)]
    taken: list[shapely.Polygon] = []
    missing = 0
    for part in sorted(
        design.parts.values(),
        key=lambda p: (
            -np.prod(np.diff(np.array(design.packages[p.package].courtyard_nm).reshape(2, 2), axis=0))
        ),
    ):
        there = part.model_copy(update={"place": PartPlace(x_nm=0, y_nm=0)})
        yard = courtyards(design.replaced(parts={part.ref: there}, nets={}))[part.ref].bounds
        boxes = shapely.box(
            *(np.array([(yard[0] + x, yard[1] + y, yard[2] + x, yard[3] + y) for x, y in spots]).T)
        )
        free = shapely.covers(board, boxes)
        free[shapely.STRtree(taken).query(boxes, predicate="dwithin", distance=GAP_MM)[0]] = False
        if free.any():
            taken.append(boxes[int(np.argmax(free))])
        else:
            missing += 1
    return missing


def filling(run: Run, resources: Resources, boards: int) -> None:
    """Measure how many boards with little room are refused, against the first free place of a lattice."""
    warm_up()
    for share, most in ((0.55, 0), (0.75, 0.1)):
        refused, plain, slowest = 0, 0, 0.0
        for seed in range(boards):
            design = random_design(seed, share)
            forget()
            begun = time.perf_counter()
            try:
                arrange(design)
            except EditRefused:
                refused += 1
            slowest = max(slowest, time.perf_counter() - begun)
            plain += first_free(design) > 0
        run.row(
            f"arrangements refused, {boards} random designs, {100 * share:.0f} % of the front used",
            refused,
            "",
            most * boards,
            f"first free place: {plain}",
            f"slowest {slowest:.1f} s",
        )
    design = stamp(18, 14, resources)
    begun = time.perf_counter()
    after = apply(design, arrange(design))[0]
    seconds = time.perf_counter() - begun
    result = route(after)
    run.row(
        "connections open or breaching, converter of 15 parts on 18 x 14 mm",
        result.links_wanted - result.links_made + check(apply(after, result.edit)[0]).stops,
        "",
        0,
        f"first free place: {first_free(design)} parts find none",
        f"arranged in {seconds:.1f} s",
    )


def proposing(run: Run, design: Design, name: str, limit_s: float) -> None:
    """Measure three proposals for a board, against putting each part into the first free place."""
    waiting = {r: None for r, p in design.parts.items() if len(p.pins) > 1}
    bare = apply(design, PlaceParts(places=dict(waiting)))[0].replaced(tracks={}, vias={}, jumpers={})
    begun = time.perf_counter()
    first_free(bare)
    plain = time.perf_counter() - begun
    forget()
    begun = time.perf_counter()
    found = propose(bare, 3)
    seconds = time.perf_counter() - begun
    told = ", ".join(f"{a.score.link_mm:.0f} mm and {a.score.crossings} crossings" for a in found)
    run.row(f"three proposals, {name}", seconds, "s", limit_s, f"first free place: {plain:.1f} s", told)
