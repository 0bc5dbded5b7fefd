"""Measures looking at files of a board by whomever they were made, hostile ones among them."""

from __future__ import annotations

import contextlib
import time

import shapely

from bench.run import Run
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.fab.reader import read_objects
from vane_step.core.fab.release import write_files
from vane_step.core.inspect.look import look_at
from vane_step.data.shipped import rule_sets
from vane_step.importers import looked_at
from vane_step.workbench.makers import maker_of_rules

HEAD = "%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,0.2*%\n%ADD11R,1X0.5*%\n"
# Files that would never end, fill the memory or have no sense, and what they are.
HOSTILE = {
    "a repeat of a hundred million": HEAD + "%SRX9999Y9999I1J1*%\nD11*\nX0Y0D03*\n%SR*%\nM02*\n",
    "a macro of parentheses": HEAD
    + "%AMA*1,1,"
    + "(" * 5000
    + "1"
    + ")" * 5000
    + ",0,0*%\n%ADD12A*%\nM02*\n",
    "blocks of blocks": HEAD
    + "".join(
        f"%ABD{k}*%\n" + (f"D{k - 1}*\nX0Y0D03*\n" if k > 20 else "D11*\n") * 12 + "X0Y0D03*\n%AB*%\n"
        for k in range(20, 28)
    )
    + "D27*\nX0Y0D03*\nM02*\n",
    "a row of a thousand million holes": "M48\nMETRIC\nT1C1.0\n%\nT1\nX1.0Y1.0\nR999999999X0.1\nM30\n",
    "a million percent signs": "%FSLAX46Y46*%" + "%" * 1_000_000,
    "two hundred thousand pads on one": HEAD + "D11*\n" + "X0Y0D03*\n" * 199_000 + "M02*\n",
}


def looking(run: Run, boards: dict[str, Design]) -> None:
    """Measure how long files take to be read, measured, held against makers and drawn, against uniting them once."""
    makers = [maker_of_rules(r) for r in rule_sets().values() if not r.etched]
    for name, design in boards.items():
        files = write_files(design, "2026-01-01T00:00:00Z")
        begun = time.perf_counter()
        for file, text in files.items():
            if file.endswith(".gbr"):
                objects, shapes = read_objects(text, file)
                spots = [shapely.Point(o.points[0]) for o in objects]
                shapely.union_all(shapely.buffer(spots, 0.1) if spots else [])
                del shapes
        plain = time.perf_counter() - begun
        begun = time.perf_counter()
        look = look_at({n: t.encode() for n, t in files.items()}, {}, makers)
        took = time.perf_counter() - begun
        run.row(
            f"files looked at: read, measured, drawn, {name}",
            took,
            "s",
            3.0 if "300" in name else None,
            f"read, a dot for each object united: {plain:.2f} s",
            f"{look.nets} nets, {len(look.drawn) / 1e6:.1f} MB drawn",
        )


def hostile(run: Run) -> None:
    """Measure the longest answer to files made to hang or to grow, against an honest file of the same length."""
    worst, which = 0.0, ""
    for name, text in HOSTILE.items():
        begun = time.perf_counter()
        with contextlib.suppress(InputError):
            looked_at({"a.gbr": text.encode()}, {}, ())
        took = time.perf_counter() - begun
        if took > worst:
            worst, which = took, name
    begun = time.perf_counter()
    looked_at({"a.gbr": (HEAD + "D11*\nX0Y0D03*\nM02*\n").encode()}, {}, ())
    run.row(
        "longest answer to a hostile file",
        worst,
        "s",
        2.0,
        f"one pad: {time.perf_counter() - begun:.2f} s",
        f"{len(HOSTILE)} kinds; {which}",
    )
