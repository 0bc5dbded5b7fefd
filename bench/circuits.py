"""Measurements of the solver: states, sampled boards, copper, a turned switch; each beside what takes no short cut."""

from __future__ import annotations

import time
from collections.abc import Callable

from bench.run import Run, seconds_of
from bench.timing import least_of
from vane_step.core.ask import ask
from vane_step.core.board.analysis.board_heat import board_heat
from vane_step.core.board.analysis.copper_currents import taken, worst_state
from vane_step.core.board.copper.copper_flow import CopperNet
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Board, Design, Pour, Via
from vane_step.core.network.converter_cycles import converter_cycles
from vane_step.core.network.probe import probes
from vane_step.core.network.readings import reading_of, readings
from vane_step.core.network.solve import solve
from vane_step.core.network.spread import samples
from vane_step.core.network.states import states_of
from vane_step.core.operation.flow_drawing import flow_drawing
from vane_step.core.operation.power_flow import power_flow
from vane_step.core.power.trace import via_barrel_mm2
from vane_step.core.quantity import nm
from vane_step.data.shipped import demo_designs, resources, rule_set

FROST, CIDER = "1-frost-sentinel", "4-cider-press-logger"
# Resistance of a sheet of 50 x 40 mm at 35 µm between round contacts of 1 mm, by the field between them.
SHEET_OHM = 0.000660


def circuits(run: Run, smoke: bool) -> None:
    """Measure what the circuit does: budgets of time, and certificates over all demo states."""
    frost = demo_designs()[FROST]
    setting = next(s for s in states_of(frost).settings if s.name == "frost")
    near = solve(frost, setting)
    cold, warm = (
        seconds_of(lambda: solve(frost, setting)),
        seconds_of(lambda: solve(frost, setting, start=near)),
    )
    run.row("one state of the Frost Sentinel", 1000 * warm, "ms", 10, f"from nothing: {1000 * cold:.0f} ms")
    count = len(readings(frost).all)
    took, _ = least_of(lambda: readings(frost))
    run.row(
        "all states of the Frost Sentinel",
        took,
        "s",
        1,
        f"each from nothing: {count * cold:.1f} s",
        f"{count} solved",
    )
    shares = [r.residual_share for d in demo_designs().values() for r in readings(d).all]
    run.row(
        "largest residual over all demo states, of the largest current",
        max(shares),
        "",
        1e-9,
        "rounding: 1e-16",
    )
    large = many_stages(24)
    base = solve(large, states_of(large).settings[0])
    edited = apply(large, ask(large, "value R5 7k5", resources()).edit)[0]  # type: ignore[arg-type]
    took = _again(lambda: solve(edited, states_of(edited).settings[0], start=base))
    fresh = seconds_of(lambda: solve(edited, states_of(edited).settings[0]), 3)
    parts = len(large.parts)
    run.row(
        f"operating point of {parts} parts after an edit",
        1000 * took,
        "ms",
        60,
        f"from nothing: {1000 * fresh:.0f} ms",
    )
    boards = 40 if smoke else 1000
    begun = time.perf_counter()
    _, lost = samples(frost, setting, probes(frost, ["5V0", "V_BATT"]), boards, 1)
    took = (time.perf_counter() - begun) * 1000 / boards
    run.row(
        "1,000 sampled boards of the Frost Sentinel",
        took,
        "s",
        10,
        f"each from nothing: {1000 * cold:.0f} s",
        f"{lost} unsettled of {boards}",
    )
    turned = seconds_of(
        lambda: flow_drawing(power_flow(frost, reading_of(solve(frost, setting, start=near))))
    )
    run.row("a turned switch on the flow of power", 1000 * turned, "ms", 150, "as above, drawn")
    buck = demo_designs()[FROST]
    pumping = next(s for s in readings(buck).states.settings if s.name == "frost")
    begun = time.perf_counter()
    converter_cycles(buck, pumping, "U2", 10e-3)
    run.row("10 ms of a switching buck, cycle by cycle", time.perf_counter() - begun, "s", 2, "5,000 cycles")
    _copper(run)


def _again(work: Callable[[], object]) -> float:
    """Give the least time of some work that is done again and again, as while somebody edits."""
    work()
    taken = []
    for _ in range(7):
        begun = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begun)
    return min(taken)


def _copper(run: Run) -> None:
    sheet = _sheet()
    took = _again(lambda: CopperNet(sheet, "GND").resistance("V1", "V2"))
    ohm = CopperNet(sheet, "GND").resistance("V1", "V2") or 0.0
    error = abs(ohm - 2 * 1.724e-5 * 1.6 / via_barrel_mm2(0.3, 20.0) - SHEET_OHM) / SHEET_OHM
    run.row("copper of a pour of 50 x 40 mm with 20 contacts", took, "s", 0.3, "by hand: not at all")
    run.row("its error", 100 * error, "%", 1, "counting squares: 30 %")
    cider = demo_designs()[CIDER]

    def all_layers() -> None:
        for net in ("GND", "12V", "3V3", "PUMP_BACK", "FEED"):
            worst = worst_state(cider, net)
            assert worst is not None
            CopperNet(cider, net).solve(taken(cider, net, worst[0]))

    # The page has both already when it asks.
    readings(cider)
    pour_pieces(cider)
    begun = time.perf_counter()
    all_layers()
    run.row(
        "copper of the Cider Press Logger, all layers, one state",
        time.perf_counter() - begun,
        "s",
        2,
        "cells of 0.3 mm",
    )
    state = next(r for r in readings(cider).all if r.settled)
    begun = time.perf_counter()
    board_heat(cider, state)
    run.row(
        "copper and heat of the Cider Press Logger, all nets and layers, one state",
        time.perf_counter() - begun,
        "s",
        2,
        "copper alone above",
    )


def many_stages(count: int) -> Design:
    """Make a circuit of many regulators with lights on one supply."""
    outline = rectangle(200, 200)
    board = Board(outline=outline, copper_layers=2, rules=rule_set("standard-house"))
    sentences = ["add J1 NT-2", "join J1.1 12V", "join J1.2 GND", "source PACK J1.1 J1.2 12V 0.05ohm"]
    for k in range(1, count + 1):
        a, b = 2 * k - 1, 2 * k
        sentences += [
            f"add U{k} AR-33",
            f"add C{a} DC-20X-10U",
            f"add C{b} DC-20X-10U",
            f"add R{a} QR-16-1K",
            f"add LED{k} GL-16R",
            f"add R{b} QR-16-10K",
            f"join U{k}.IN C{a}.1 12V",
            f"join U{k}.OUT C{b}.1 R{a}.1 R{b}.1 RAIL{k}",
            f"join R{a}.2 LED{k}.A LIGHT{k}",
            f"join U{k}.GND C{a}.2 C{b}.2 LED{k}.K R{b}.2 GND",
        ]
    design = Design(name="many stages", board=board)
    for sentence in sentences:
        edit = ask(design, sentence, resources()).edit
        assert edit is not None
        design = apply(design, edit)[0]
    return design


def _sheet() -> Design:
    board = Board(outline=rectangle(50, 40), copper_layers=2, rules=rule_set("standard-house"))
    board = board.model_copy(update={"rules": board.rules.model_copy(update={"copper_to_edge_nm": 0})})
    design = Design(name="sheet", board=board)
    for sentence in ("add NH-1x1", "join J1.1 GND", "place J1 25 36"):
        edit = ask(design, sentence, resources()).edit
        assert edit is not None
        design = apply(design, edit)[0]
    places = [(10, 20), (40, 20), *((5 + 5 * k, 4) for k in range(9)), *((5 + 5 * k, 32) for k in range(9))]
    vias = {
        f"V{k}": Via(
            id=f"V{k}", net="GND", x_nm=nm(x), y_nm=nm(y), pad_nm=nm(2 if k < 3 else 0.6), drill_nm=nm(0.3)
        )
        for k, (x, y) in enumerate(places, 1)
    }
    return design.replaced(pours={"p": Pour(id="p", net="GND", layer="back")}, vias=vias)
