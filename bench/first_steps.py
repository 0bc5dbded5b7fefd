"""Measures brief, parts and circuit: search, pin assignment, precision of the review, typing, sheets."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any, Protocol

from vane_step.core.ask import ask
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.catalogue.tables import read_catalogue
from vane_step.core.circuit.review import review
from vane_step.core.controllers.assign import assign, offers, verify
from vane_step.core.controllers.demand import Signal, read_demand
from vane_step.core.design.edits import apply
from vane_step.core.design.model import Board, Design, Pin
from vane_step.core.memo import forget
from vane_step.core.reasons.findings import reason_findings
from vane_step.core.sheet.export import sheets_pdf
from vane_step.data import shipped

FAULTS = Path(__file__).parent.parent / "tests" / "samples" / "faults.json"
FROST = "1-frost-sentinel"
TYPED = (
    "schottky 40 V 2 A",
    "capasitor .1uF 0805",
    "push button",
    "resistor 10k 1608",
    "fet rds<0.05 30V",
    "controller usb",
    "crystal 16 MHz",
)
SENTENCES = (
    "add R41 QR-16-10K",
    "use LED LIGHT=TX",
    "rename 3V3 3V0",
    "assign U1",
    "place C8 by U1.6",
    "use controller OW-28D",
    "calc X led supply_v=3V3 forward_v=2 current_a=5m r_ohm=R13",
)
FORTY = "12 adc\n8 pwm\n3 uart\n2 i2c\nspi\nusb\ndebug\nxtal\nFLOW: int 5v\n3 gpio\ndac"


class Rows(Protocol):
    """Where readings go."""

    def row(
        self, what: str, reading: float, unit: str, limit: float | None, baseline: str, more: str = ""
    ) -> None:
        """Add a reading."""


def greedy(pins: tuple[Pin, ...], signals: tuple[Signal, ...]) -> int:
    """Count the signals met by giving each the first free pin that offers it: the baseline of the solver."""
    taken: set[str] = set()
    used: set[str] = set()
    units: dict[str, str] = {}
    met = 0
    for s in signals:
        for pin in pins:
            fits = [
                (f, u)
                for f, u in offers(pin, s.function)
                if (f == "GPIO" or f not in used)
                and ("." not in s.function or units.get(s.group, u) == u)
                and ("." not in s.function or s.group in units or u not in units.values())
            ]
            if pin.number in taken or not fits or (s.tolerant and "5VT" not in pin.functions):
                continue
            taken.add(pin.number)
            used.add(fits[0][0])
            units.setdefault(s.group, fits[0][1])
            met += 1
            break
    return met


def searching(run: Rows) -> None:
    """Measure the search at every key, against reading the catalogue."""
    begun = time.perf_counter()
    folder = Path(shipped.__file__).parent / "catalogue"
    read_catalogue({p.name: json.loads(p.read_text(encoding="utf-8")) for p in sorted(folder.glob("*.json"))})
    reading = time.perf_counter() - begun
    catalogue = shipped.catalogue()
    # The words are put in order once, when the program starts.
    begun = time.perf_counter()
    words = len(catalogue.index.known)
    indexing = time.perf_counter() - begun
    worst = 0.0
    for text in TYPED:
        for k in range(1, len(text) + 1):
            begun = time.perf_counter()
            try:
                catalogue.search(text[:k])
            except Exception as error:  # a half-typed figure may be refused; that takes time as well
                assert error.args
            worst = max(worst, time.perf_counter() - begun)
    more = f"{len(catalogue.parts)} parts, {words} words, put in order in {indexing * 1000:.0f} ms"
    run.row(
        "search of the catalogue, slowest key",
        worst * 1000,
        "ms",
        30,
        f"reading it: {reading * 1000:.0f} ms",
        more,
    )


def assigning(run: Rows) -> None:
    """Measure the assignment of forty demands on the largest controller, against first come, first served."""
    controllers = (p for p in shipped.catalogue().parts.values() if p.category == "controller")
    pins = max(controllers, key=lambda p: len(p.pins)).pins
    signals = read_demand(FORTY).signals
    begun = time.perf_counter()
    solved = assign(pins, signals)
    seconds = time.perf_counter() - begun
    plain = f"first come, first served: {greedy(pins, signals)} of {len(signals)} met"
    more = f"{len(solved.uses)} of {len(signals)} met on {len(pins)} pins, gap {solved.gap:.2g}"
    run.row(f"pin assignment, {len(signals)} demands", seconds, "s", 1.0, plain, more)
    wrong = len(verify(pins, signals, solved.uses)) + len(solved.missing)
    run.row("faults of that assignment", wrong, "", 0, plain)


def carried_out(design: Design, said: list[str]) -> Design:
    """Carry sentences out on a design."""
    for sentence in said:
        edit = ask(design, sentence, shipped.resources()).edit
        assert edit is not None
        design, _ = apply(design, edit)
    return design


def small_circuits() -> dict[str, Design]:
    """Give the small circuits of other kinds than the demos, which are kept as sentences."""
    kept: dict[str, list[str]] = json.loads((FAULTS.parent / "circuits.json").read_text(encoding="utf-8"))
    bare = Board(outline=rectangle(80, 60), rules=shipped.rule_set("standard-house"))
    return {name: carried_out(Design(name=name, board=bare), said) for name, said in kept.items()}


def reviewing_faults(run: Rows) -> None:
    """Count seeded faults that are not found, and what is raised on circuits that are right."""
    designs = {**shipped.demo_designs(), **small_circuits()}
    faults: list[dict[str, Any]] = json.loads(FAULTS.read_text(encoding="utf-8"))
    missed = 0
    for fault in faults:
        design = carried_out(designs[fault["design"]], fault["say"])
        wanted, refs = (fault["code"], fault["level"]), set(fault["refs"])
        told = (*review(design), *reason_findings(design))
        missed += not any((f.code, f.level) == wanted and refs <= set(f.place.refs) for f in told)
    right = list(designs.values())
    for one in json.loads((FAULTS.parent / "variations.json").read_text(encoding="utf-8")):
        right.append(carried_out(designs[one["design"]], one["say"]))
    raised = sum(1 for d in right for f in review(d) if f.level != "note")
    kinds = len({f["code"] for f in faults})
    baseline = "finding nothing: all of them"
    run.row(f"of {len(faults)} seeded faults not found", missed, "", 0, baseline, f"{kinds} rules")
    run.row("stop or look on correct circuits", raised, "", 0, baseline, f"{len(right)} circuits")


def drawing(run: Rows) -> None:
    """Measure the sheets as PDF, against drawing them for the page."""
    design = shipped.demo_designs()[FROST]
    forget()
    begun = time.perf_counter()
    data = sheets_pdf(design)
    seconds = time.perf_counter() - begun
    size = f"{len(data) // 1024} KiB"
    run.row("sheets of Frost Sentinel as PDF", seconds * 1000, "ms", 1000, "see the sheet drawn anew", size)


def typing(run: Rows, client: Any) -> None:
    """Measure every key of some sentences and searches at a real server, against a static file."""
    time.sleep(6)  # Beside the server its worker warms up for some seconds after the start.
    begun = time.perf_counter()
    client.get("/static/mark.svg")
    static = time.perf_counter() - begun
    client.get(f"/d/{FROST}/board")
    worst = {"ask": 0.0, "search": 0.0}
    slowest, longest = "", 0.0
    for text in SENTENCES:
        for k in range(1, len(text) + 1):
            times = []
            for _ in range(3):
                begun = time.perf_counter()
                client.post(f"/d/{FROST}/ask", json={"text": text[:k], "version": 1}).raise_for_status()
                times.append(time.perf_counter() - begun)
            taken = sorted(times)[1]
            longest = max(longest, *times)
            if taken > worst["ask"]:
                worst["ask"], slowest = taken, text[:k]
    for text in TYPED:
        for k in range(1, len(text) + 1):
            times = []
            for _ in range(3):
                begun = time.perf_counter()
                client.get(f"/d/{FROST}/search", params={"q": text[:k]}).raise_for_status()
                times.append(time.perf_counter() - begun)
            worst["search"] = max(worst["search"], sorted(times)[1])
    baseline = f"a static file: {static * 1000:.1f} ms"
    run.row(
        "typing in the ask line, slowest key",
        worst["ask"] * 1000,
        "ms",
        50,
        baseline,
        f"middle of three at “{slowest}”; longest of all {longest * 1000:.0f} ms",
    )
    run.row("typing in the search, slowest key", worst["search"] * 1000, "ms", 50, baseline)
