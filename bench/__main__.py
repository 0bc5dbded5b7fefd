"""python -m bench [--smoke] [--report FILE]: measures the figures of the docs; exits with 1 when a budget is missed.

python -m bench --strangers N [--whole M] [--seed S]: tries designs nobody prepared; exits with 1 when one fails.
python -m bench --mutants N [--seed S] [--keep FOLDER]: gives spoiled files to page and terminal; 1 when one does harm.
python -m bench --kills N [--seed S]: kills a server while it is edited; 1 when an answered change is lost.
python -m bench --mixed MINUTES [--seed S]: four people at one server; 1 when an answer is a fault of the program.
"""

from __future__ import annotations

import argparse
import base64
import json
import os
import platform
import re
import statistics
import subprocess
import sys
import tempfile
import time
import zlib
from functools import partial
from pathlib import Path
from typing import Any

from bench.ball_grids import leading_out
from bench.baselines import all_pairs_gaps, sequential_route, whole_file_edit
from bench.boards import SECONDS, arranging, centring, dense, moving, pairing, permuting, pouring, worth
from bench.circuits import circuits
from bench.first_steps import assigning, drawing, reviewing_faults, searching, typing
from bench.full_boards import filling, proposing
from bench.hand import dragging, ways
from bench.hostile.many import many as many_mutants
from bench.inspected import hostile, looking
from bench.making import asking, sheets
from bench.panels import panelling
from bench.run import BOARDS, ROOT, Run, folder, seconds_of
from bench.strangers.many import many
from bench.sturdy.kills import kills
from bench.sturdy.mixed import mixed
from bench.timing import least_of
from vane_step.core.board.copper.figures import figures
from vane_step.core.board.drc.check import check
from vane_step.core.circuit.review import review
from vane_step.core.design.edits import SetValue, apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import Design
from vane_step.core.etch import artwork
from vane_step.core.etch.plan import art_plan
from vane_step.core.etch.sheets import MARGIN_MM
from vane_step.core.fab.release import release
from vane_step.core.memo import forget
from vane_step.core.route.router import route, warm_up
from vane_step.core.sheet.sheet import sheet
from vane_step.data.shipped import demo_designs, resources

MUST = ("smd2L_015_s1", "smd2L_040_s1", "th1L_040_s1")
FROST, BEEPER, CIDER = "1-frost-sentinel", "2-seedling-thirst-beeper", "4-cider-press-logger"


def routing(run: Run, names: tuple[str, ...], budget: dict[str, float]) -> dict[str, Design]:
    """Measure routing: completed connections, breaches by the exact check, time, against routing without rip-up."""
    done = {}
    for name in names:
        design = demo_designs()[name] if name in demo_designs() else folder(name)
        seconds, result = least_of(partial(route, design, fresh=True))
        after = apply(design, result.edit)[0]
        stops, numbers = check(after).stops, figures(after)
        begun = time.perf_counter()
        plain, failed = sequential_route(design)
        took, total = time.perf_counter() - begun, numbers["links_total"]
        baseline = (
            f"{figures(plain)['links_completed']}/{total} connections, {failed} without a way, {took:.2f} s"
        )
        more = (
            f"{numbers['links_completed']}/{total} connections, {stops} stops, {numbers['vias']} vias, "
            f"{numbers['jumpers']} wire jumpers, {numbers['track_length_mm']:.0f} mm"
        )
        run.row(f"route {name}", seconds, "s", budget.get(name), baseline, more)
        run.row(f"connections open or breaching, {name}", numbers["links_open"] + stops, "", 0, "as above")
        done[name] = after
    return done


def checking(run: Run, boards: dict[str, Design]) -> None:
    """Measure the full rule check against comparing all pairs for gaps alone."""
    for name, design in boards.items():
        plain = seconds_of(partial(all_pairs_gaps, design), 1)
        seconds = seconds_of(partial(check, design))
        run.row(
            f"full check {name}",
            seconds * 1000,
            "ms",
            {FROST: 300.0, "smd2L_150_s1": 250.0, "smd2L_300_s1": 500.0}.get(name),
            f"gaps alone, all pairs: {plain * 1000:.0f} ms",
        )


def reviewing(run: Run) -> None:
    """Measure the electrical review of 150 parts, fresh and after one edit, against the rule check of their board."""
    design = folder("smd2L_150_s1")
    edited = [apply(design, SetValue(ref=ref, value="1k"))[0] for ref in list(design.parts)[:9]]
    board = seconds_of(lambda: check(design), 1)
    seconds = seconds_of(lambda: review(design))
    review(design)
    times = []
    for changed in edited:
        begun = time.perf_counter()
        review(changed)
        times.append(time.perf_counter() - begun)
    after = statistics.median(times)
    run.row(
        "electrical review, 150 parts",
        seconds * 1000,
        "ms",
        100,
        f"rule check of the board: {board * 1000:.0f} ms",
    )
    run.row("electrical review after one edit", after * 1000, "ms", 20, f"in full: {seconds * 1000:.0f} ms")
    drawn = seconds_of(lambda: sheet(demo_designs()[FROST]))
    run.row(
        "sheet of 52 parts drawn anew",
        drawn * 1000,
        "ms",
        100,
        f"review of 150 parts: {seconds * 1000:.0f} ms",
    )


def serving(run: Run) -> None:
    """Measure edits and pages at a real server on loopback, against rewriting the whole file and a static file."""
    import httpx

    plain = seconds_of(lambda: subprocess.run([sys.executable, "-c", "pass"], check=True), 3)
    with tempfile.TemporaryDirectory() as data:
        begun = time.perf_counter()
        command = [sys.executable, "-m", "vane_step", "demo", "--port", "0", "--data", data]
        server = subprocess.Popen(
            command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
        )
        assert server.stdout is not None
        address = server.stdout.readline().split(" at ")[1].split()[0].rstrip("/")
        try:
            with httpx.Client(base_url=address, timeout=60) as client:
                client.get("/static/mark.svg")
                run.row(
                    "start to first answer",
                    time.perf_counter() - begun,
                    "s",
                    None,
                    f"python -c pass: {plain:.2f} s",
                )
                client.get(f"/d/{FROST}/board")
                static = statistics.median(_timed(client, "/static/mark.svg") for _ in range(20))
                typing(run, client)
                pages = (
                    "brief",
                    "parts",
                    "parts?show=controller",
                    "circuit",
                    "circuit?show=reasons",
                    "power",
                    "board",
                )
                for page in (*pages, "board.json", "make"):
                    client.get(f"/d/{FROST}/{page}")
                    taken = statistics.median(_timed(client, f"/d/{FROST}/{page}") for _ in range(10))
                    run.row(
                        f"page {page}, Frost Sentinel",
                        taken * 1000,
                        "ms",
                        100,
                        f"a static file: {static * 1000:.1f} ms",
                    )
                times = []
                for k in range(60):
                    body = {"text": f"value R9 {k}k", "version": k + 1, "commit": True}
                    begun = time.perf_counter()
                    client.post(f"/d/{FROST}/ask", json=body).raise_for_status()
                    times.append(time.perf_counter() - begun)
        finally:
            server.terminate()
            server.wait(20)
            server.stdout.close()
    text = to_json(demo_designs()[FROST])
    whole = seconds_of(lambda: whole_file_edit(text, SetValue(ref="R9", value="1k")))
    worst = sorted(times)[int(len(times) * 0.95)]
    run.row(
        "an edit's answer, median",
        statistics.median(times) * 1000,
        "ms",
        50,
        f"whole file read and written: {whole * 1000:.0f} ms",
        f"95 % under {worst * 1000:.0f} ms",
    )


def _timed(client: Any, path: str) -> float:
    begun = time.perf_counter()
    client.get(path).raise_for_status()
    return time.perf_counter() - begun


def reading_back(run: Run, boards: dict[str, Design]) -> None:
    """Measure what reading a release back says, against the time of writing it."""
    from vane_step.core.fab.release import write_files

    for name, design in boards.items():
        forget()
        begun = time.perf_counter()
        write_files(design, "2026-01-01T00:00:00Z")
        writing = time.perf_counter() - begun
        made = release(design, "2026-01-01T00:00:00Z")
        r = made.read.readings
        seconds = time.perf_counter() - begun
        baseline = f"writing alone: {writing:.2f} s"
        run.row(
            f"shorts and opens read back, {name}",
            r["shorts"] + r["opens"] - r["opens_in_design"] + len(made.read.differences),
            "",
            0,
            baseline,
            f"{seconds:.2f} s with reading",
        )
        run.row(
            f"outline and {r['holes']} holes off by, {name}",
            max(r["outline_difference_um"], r["hole_difference_um"]),
            "um",
            1,
            baseline,
        )


def printing(run: Run) -> None:
    """Measure the ruler in the bytes of the PDF, against one whose ends are set to whole points."""
    pdf = artwork.pdf(demo_designs()[BEEPER], art_plan({}))
    match = re.search(rb"/Filter \[([^\]]*)\][^>]*>>\s*stream\r?\n(.*?)endstream", pdf, re.S)
    assert match is not None
    packed = match[2].strip()
    page = zlib.decompress(
        base64.a85decode(packed.removesuffix(b"~>")) if b"ASCII85" in match[1] else packed
    ).decode("latin-1")
    found = re.search(r"([\d.]+) 0 0 ([\d.]+) 0 0 cm\s+n?\s", page[page.index("q") + 1 :] + " ")
    assert found is not None
    scale = [float(v) for v in found.groups()]
    spots = [(float(x), float(y)) for x, y in re.findall(r"([\d.]+) ([\d.]+) [ml]", page)][:4]
    wide = (max(x for x, _ in spots) - min(x for x, _ in spots) - 0.2) * scale[0] * 25.4 / 72
    points = round(MARGIN_MM * 72 / 25.4), round((MARGIN_MM + 50) * 72 / 25.4)
    baseline = abs((points[1] - points[0]) * 25.4 / 72 / 50 - 1) * 100
    run.row(
        "scale of the printed ruler off by",
        abs(wide / 50 - 1) * 100,
        "%",
        0.05,
        f"ends on whole points: {baseline:.3f} %",
        f"{wide:.5f} mm for 50 mm",
    )


def starting(run: Run) -> None:
    """Measure the terminal's start, warm, and the router's first start with nothing compiled."""
    env = {**os.environ, "PYTHONPATH": str(ROOT)}
    plain = seconds_of(lambda: subprocess.run([sys.executable, "-c", "pass"], check=True), 3)
    taken = seconds_of(
        lambda: subprocess.run(
            [sys.executable, "-m", "vane_step", "calc", "trace", "1A"],
            check=True,
            env=env,
            stdout=subprocess.DEVNULL,
        ),
        3,
    )
    run.row("terminal start to answer (calc)", taken, "s", None, f"python -c pass: {plain:.2f} s")
    with tempfile.TemporaryDirectory() as cache:
        source = ROOT / "vane_step" / "data" / "designs" / f"{BEEPER}.json"
        cold = {**env, "NUMBA_CACHE_DIR": cache}
        times = []
        for _ in range(2):
            begun = time.perf_counter()
            subprocess.run(
                [sys.executable, "-m", "vane_step", "route", str(source), "--fresh", "-o", f"{cache}/x.json"],
                check=True,
                env=cold,
                stderr=subprocess.DEVNULL,
            )
            times.append(time.perf_counter() - begun)
    run.row(
        "route from the terminal, kernels not yet compiled",
        times[0],
        "s",
        None,
        f"compiled: {times[1]:.1f} s",
        "it says what it compiles",
    )


def as_page(rows: list[dict[str, Any]], machine: str) -> str:
    """Write the rows as the page docs/measurements.md."""
    lines = [
        "# Measurements",
        "",
        "Written by `.venv/bin/python -m bench --docs`; every figure is measured, its baseline in the same run.",
        f"Budgets are those of the two-core reference machine. {machine}. `--smoke` is a short run for CI.",
        "",
        "Baselines: routing net after net by A* on the same grid without taking anything back; comparing all pairs of",
        "copper for gaps alone; reading and writing the whole design file for an edit; writing a release without",
        "reading it back; a ruler whose ends are set to whole points. Track length is held against the shortest",
        "octilinear tree over the pads of each net, which only added branching points can beat.",
        "",
        "| what | reading | at most | baseline | more |",
        "|---|---|---|---|---|",
    ]
    for r in rows:
        limit = "" if r["limit"] is None else f"{r['limit']:g} {r['unit']}".strip()
        lines.append(
            f"| {r['what']} | {r['reading']:.4g} {r['unit']} | {limit} | {r['baseline']} | {r['more']} |"
        )
    return "\n".join(lines) + "\n"


def main() -> int:
    """Run the measurements; give the number of budgets missed."""
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    parser.add_argument("--smoke", action="store_true", help="only the small boards, once")
    parser.add_argument("--report", type=Path, help="write the rows as JSON")
    parser.add_argument("--docs", action="store_true", help="write docs/measurements.md")
    parser.add_argument(
        "--strangers", type=int, metavar="N", help="try designs nobody prepared, without routing"
    )
    parser.add_argument(
        "--whole", type=int, metavar="N", default=0, help="with --strangers: arranged and routed"
    )
    parser.add_argument("--mutants", type=int, metavar="N", help="give spoiled files to page and terminal")
    parser.add_argument("--kills", type=int, metavar="N", help="kill a server while it is edited")
    parser.add_argument("--mixed", type=float, metavar="MINUTES", help="let four people work at one server")
    parser.add_argument("--keep", type=Path, help="with --mutants: where files that did harm are kept")
    parser.add_argument("--seed", type=int, default=0, help="with --strangers and --mutants: the first seed")
    chosen = parser.parse_args()
    if chosen.strangers is not None:
        outcomes = many(chosen.strangers, chosen.seed, False) if chosen.strangers else []
        outcomes += many(chosen.whole, chosen.seed, True) if chosen.whole else []
        return sum(1 for o in outcomes if o.faults)
    if chosen.mutants is not None:
        return many_mutants(chosen.mutants, chosen.seed, chosen.keep)
    if chosen.kills is not None:
        return kills(chosen.kills, chosen.seed)
    if chosen.mixed is not None:
        return mixed(chosen.mixed, chosen.seed)
    # The smoke run shares its machine with whatever else CI does.
    run = Run(leeway=3.0 if chosen.smoke else 1.0)
    machine = f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}"
    print(machine)
    warm_up()
    names = MUST[:1] if chosen.smoke else tuple(sorted(p.name for p in BOARDS.iterdir() if p.is_dir()))
    routed = routing(run, (FROST, BEEPER, *names), SECONDS)
    checking(
        run,
        {
            FROST: routed[FROST],
            **({} if chosen.smoke else {n: routed[n] for n in ("smd2L_150_s1", "smd2L_300_s1")}),
        },
    )
    worth(run, {n: d for n, d in routed.items() if n not in (FROST, BEEPER)})
    if not chosen.smoke:
        pouring(
            run,
            {
                "smd2L_150_s1": (routed["smd2L_150_s1"], 300.0),
                "smd2L_300_s1": (routed["smd2L_300_s1"], 600.0),
            },
        )
        centring(
            run,
            {"smd2L_150_s1": (routed["smd2L_150_s1"], 1.0), "smd2L_300_s1": (routed["smd2L_300_s1"], 4.0)},
        )
        pairing(run, demo_designs()[CIDER], CIDER)
        permuting(run, folder("hard2L_150_s1"), "hard2L_150_s1")
        for name, limit in (("smd2L_080_s1", 3.0), ("smd2L_150_s1", 10.0)):
            dense(run, folder(name), folder("hard2L_150_s1"), name, limit)
        moving(run, routed["smd2L_150_s1"], "smd2L_150_s1")
        arranging(run, folder("smd2L_150_s1"), "smd2L_150_s1")
        proposing(run, folder("smd2L_150_s1"), "smd2L_150_s1", 20)
        proposing(run, folder("smd2L_300_s1"), "smd2L_300_s1", 60)
        ways(run, routed["smd2L_150_s1"], "smd2L_150_s1")
        dragging(run, routed["smd2L_300_s1"], "smd2L_300_s1")
    filling(run, resources(), 4 if chosen.smoke else 100)
    leading_out(run, chosen.smoke)
    reading_back(run, {n: d for n, d in routed.items() if chosen.smoke is False or n in (FROST, BEEPER)})
    sheets(run, {n: d for n, d in demo_designs().items() if n in (FROST, BEEPER)})
    asking(run, demo_designs()[FROST])
    looking(run, {n: d for n, d in routed.items() if chosen.smoke is False or n in (FROST, BEEPER)})
    hostile(run)
    printing(run)
    reviewing(run)
    searching(run)
    assigning(run)
    reviewing_faults(run)
    circuits(run, chosen.smoke)
    drawing(run)
    serving(run)
    if not chosen.smoke:
        starting(run)
        panelling(run)
    missed = [r["what"] for r in run.rows if r["missed"]]
    print(
        f"{len(run.rows)} readings, {len(missed)} over budget" + (": " + "; ".join(missed) if missed else "")
    )
    if chosen.report:
        chosen.report.write_text(json.dumps(run.rows, indent=1) + "\n", encoding="utf-8")
    if chosen.docs:
        (ROOT / "docs" / "measurements.md").write_text(as_page(run.rows, machine), encoding="utf-8")
    return len(missed)


if __name__ == "__main__":
    sys.exit(1 if main() else 0)
