"""Commands of the terminal for making: the release, panels, artwork, paper, the board in 3D."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from vane_step.cli.etching import ruler_scale
from vane_step.cli.files import console, load, write
from vane_step.cli.report import In, Out, Report, finish, now, write_release
from vane_step.core.board.geometry.shapes import outline as board_outline
from vane_step.core.design.fileformat import to_json
from vane_step.core.errors import InputError
from vane_step.core.judge import all_findings
from vane_step.core.quantity import parse_length_nm

if TYPE_CHECKING:
    from vane_step.core.inspect.look import Look

# Lines that may hold anything are written as they are.
PLAIN: Any = {"markup": False, "soft_wrap": True, "highlight": False}


def release(source: In, output: Out, report: Report = None) -> None:
    """Write the files for a board manufacturer as a zip, read back and compared."""
    from vane_step.core.fab.release import release as make_release
    from vane_step.core.order.sources import sources_of
    from vane_step.data.shipped import catalogue

    begun = time.perf_counter()
    design = load(source)
    made = make_release(design, now(), sources_of(design, catalogue()))
    write_release(output, made)
    finish(design, report, begun, {f"read_{k}": v for k, v in made.read.readings.items()})


def strict(
    files: Annotated[list[Path], typer.Argument(help="Gerber, XNC and job files, or a zip of them.")],
    report: Report = None,
) -> None:
    """Hold files for a manufacturer against their standards, whoever wrote them: every breach by line and rule."""
    from vane_step.importers import held_to_standards

    read = _bytes_of(files)
    names, breaches = held_to_standards(read)
    if report:
        write(
            report, json.dumps({"files": names, "breaches": [asdict(b) for b in breaches]}, indent=1) + "\n"
        )
    for b in breaches:
        console.print(f"{b.grade:7} {b.file}:{b.line}: {b.message} ({b.rule})", **PLAIN)
    errors = sum(b.grade == "error" for b in breaches)
    console.print(f"{len(names)} files, {errors} breaches, {len(breaches) - errors} pieces of advice")
    raise typer.Exit(1 if errors else 0)


def _bytes_of(files: list[Path]) -> dict[str, bytes]:
    try:
        return {f.name: f.read_bytes() for f in files}
    except OSError as error:
        raise InputError(f"It cannot be read: {error.strerror}.", where=str(error.filename)) from error


def inspect(
    files: Annotated[list[Path], typer.Argument(help="Gerber and drill files of any age, or a zip of them.")],
    against: Annotated[
        list[Path] | None,
        typer.Option("--against", help="Files (or a zip) to hold them against; repeatable."),
    ] = None,
    say: Annotated[
        list[str] | None,
        typer.Option("--as", help="What a file is, such as 'art3.pho=mask front'; repeatable."),
    ] = None,
    houses: Annotated[
        str,
        typer.Option("--houses", help="Address of a list of houses to hold them against; simulated ones."),
    ] = "",
    report: Report = None,
) -> None:
    """Look at files of any board: what each is, measures against makers, holes, nets, and what differs from others."""
    from vane_step.core.ask.words import pairs
    from vane_step.data.shipped import rule_sets
    from vane_step.importers import looked_at
    from vane_step.simulated.host import Hosted
    from vane_step.simulated.houses import create_houses
    from vane_step.workbench.makers import asked_makers

    read, other = _bytes_of(files), _bytes_of(against) if against else None
    hosted = Hosted(create_houses(), houses)
    try:
        known = asked_makers(hosted.address(), rule_sets().values(), date.today())
    finally:
        hosted.close()
    look = looked_at(read, pairs(say or [], "FILE=ROLE"), known.makers, other)
    if report:
        told = {k: v for k, v in asdict(look).items() if k != "drawn"}
        write(report, json.dumps(told, indent=1) + "\n")
    _tell(look, known.silent)
    raise typer.Exit(1 if look.apart else 0)


def _tell(look: Look, silent: Sequence[str]) -> None:
    for f in look.files:
        note = "".join(f"; {n}" for n in f.notes)
        console.print(f"{f.role:14} {f.name} ({'' if f.sure else 'a guess: '}{f.why}{note})", **PLAIN)
    for why in look.refused.values():
        console.print(f"not read       {why}", **PLAIN)
    for m in look.measures:
        at = f" at {m.x_mm:.3f}, {m.y_mm:.3f} mm" if m.x_mm is not None else ""
        console.print(f"{m.title}: {m.value:g} {m.unit}".rstrip() + at, **PLAIN)
    names = {m.key: m.title for m in look.measures}
    limits = {(v.maker, v.key): v for v in look.verdicts}
    for maker in look.makers:
        lacks = [f"{names[key]} {limits[maker.maker, key].asks}" for key in maker.cannot]
        price = f", {maker.factor:g} times its price" if maker.factor > 1 else ""
        how = f"{maker.grade or 'its only class'}{price}"
        says = f"cannot make it as drawn: {', '.join(lacks)}" if lacks else f"makes it ({how})"
        console.print(f"{maker.title} {says}; by {maker.source}", **PLAIN)
    for why in silent:
        console.print(f"no answer: {why}", **PLAIN)
    holes = ", ".join(f"{n} of {size:g} mm {'plated' if p else 'bare'}" for size, p, n in look.holes)
    console.print(
        f"holes: {holes or 'none'}; {look.slots} slots; {look.nets} nets, {look.named} named", **PLAIN
    )
    for d in look.apart or ():
        at = f" at {d.at[0]:.3f}, {d.at[1]:.3f} mm" if d.at else ""
        console.print(f"differs: {d.role}{at}: {d.says}", **PLAIN)
    if look.apart is not None and not look.apart:
        console.print("They are the same board.", **PLAIN)


def mill(
    source: In,
    output: Out,
    cut: Annotated[str, typer.Option(help="How wide the engraving bit cuts.")] = "0.2mm",
    passes: Annotated[str, typer.Option(help="Ways round each piece of copper.")] = "2",
    depth: Annotated[str, typer.Option(help="How deep it cuts.")] = "0.08mm",
    cutter: Annotated[str, typer.Option(help="End mill for the edge.")] = "1mm",
    say: Annotated[
        list[str] | None,
        typer.Option(
            "--set", help="More, such as feed=240, plunge=60, safe=2mm, tabs=4, step=0.5mm, overlap=0.4."
        ),
    ] = None,
    report: Report = None,
) -> None:
    """Write programs (G-code, RS-274/NGC) that mill a board: copper of each side, holes, edge; as a zip."""
    from vane_step.core.ask.words import pairs
    from vane_step.core.mill.mill_files import mill as milled, packed
    from vane_step.core.mill.plan import plan_of

    begun = time.perf_counter()
    design = load(source)
    said = {"cut": cut, "passes": passes, "depth": depth, "cutter": cutter} | pairs(say or [], "feed=240")
    made = milled(design, plan_of(said))
    write(output, packed(made))
    for name, seconds in made.seconds.items():
        console.print(f"{name}: {seconds / 60:.0f} min", **PLAIN)
    finish(design, report, begun, findings=[*all_findings(design), *made.findings])


def panel(
    source: In,
    output: Out,
    report: Report = None,
    columns: Annotated[int, typer.Option(min=0, max=100, help="Copies side by side; 0: as many as fit.")] = 0,
    rows: Annotated[
        int, typer.Option(min=0, max=100, help="Copies one above the other; 0: as many as fit.")
    ] = 0,
    within: Annotated[
        str, typer.Option(help="Largest panel, when columns or rows are left open.")
    ] = "160x100",
    gap: Annotated[str, typer.Option(help="Between boards.")] = "2mm",
    rail: Annotated[str, typer.Option(help="Round all of them.")] = "5mm",
    score: Annotated[bool, typer.Option(help="Score lines instead of tabs.")] = False,
    turned: Annotated[bool, typer.Option(help="Each board turned by 90 degrees.")] = False,
) -> None:
    """Put several copies of a board on a panel: files for a manufacturer (.zip), or a design of its own (.json)."""
    from vane_step.core.fab.panel import PanelPlan, copies_that_fit, panel
    from vane_step.core.fab.release import panel_release
    from vane_step.core.order.sources import sources_of
    from vane_step.data.shipped import catalogue

    begun = time.perf_counter()
    design = load(source)
    gap_mm, rail_mm = parse_length_nm(gap, "--gap") / 1e6, parse_length_nm(rail, "--rail") / 1e6
    if not columns or not rows:
        wide, cross, tall = within.lower().partition("x")
        if not cross:
            raise InputError(f"{within!r} is no size.", where="--within", value=within, allowed="160x100")
        x0, y0, x1, y1 = board_outline(design).bounds
        size = parse_length_nm(wide, "--within") / 1e6, parse_length_nm(tall, "--within") / 1e6
        fit = copies_that_fit((x1 - x0, y1 - y0), size, 0.0 if score else gap_mm, rail_mm)
        if not fit[0]:
            raise InputError(
                f"No board of {x1 - x0:g} x {y1 - y0:g} mm fits.",
                where="--within",
                value=within,
                next_step="Choose a larger panel.",
            )
        columns, rows, turned = fit
    plan = PanelPlan(columns, rows, turned, gap_mm, rail_mm, "score" if score else "tabs")
    extra: dict[str, Any] = {"columns": columns, "rows": rows, "turned": turned}
    if output.suffix.lower() != ".zip":
        made = panel(design, plan)
        write(output, to_json(made))
        finish(made, report, begun, extra)
        return
    written = panel_release(design, plan, now(), sources_of(design, catalogue()))
    write_release(output, written)
    read = {f"read_{k}": v for k, v in written.read.readings.items()}
    others = (f for f in all_findings(design) if f.level != "stop")
    finish(design, report, begun, extra | read, [*written.stops, *others])


def paper(
    source: In,
    output: Out,
    ruler: Annotated[
        str, typer.Option(help="Measured ruler, across,upwards in mm, to correct a printer.")
    ] = "50,50",
) -> None:
    """Write the board on paper at true scale as PDF, to put the real parts on."""
    from vane_step.core.etch.paper import paper_pattern

    write(output, paper_pattern(load(source), ruler_scale(ruler)))


def solid(source: In, output: Out) -> None:
    """Write the board with its parts as solids: binary glTF (.glb) or STL (.stl), by the name of the file."""
    from vane_step.core.solid.scene import glb, stl

    kinds = {".glb": glb, ".stl": stl}
    kind = output.suffix.lower()
    if kind not in kinds:
        raise InputError(f"{output.name} is neither.", where="--output", value=kind, allowed=", ".join(kinds))
    write(output, kinds[kind](load(source)))


COMMANDS: tuple[Callable[..., None], ...] = (
    release,
    strict,
    inspect,
    mill,
    panel,
    paper,
    solid,
)
