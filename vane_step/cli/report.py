"""What every command of the terminal takes and tells: its files, its report, its exit code; no command itself."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from vane_step.cli.files import console, load, write
from vane_step.core.board.copper.figures import figures
from vane_step.core.design.edits import Edit, apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import Design
from vane_step.core.finding import Finding
from vane_step.core.judge import all_findings

if TYPE_CHECKING:
    from vane_step.core.fab.release import Release

Out = Annotated[Path, typer.Option("-o", "--output", help="File to write.")]
Report = Annotated[Path | None, typer.Option("--report", help="Write findings and figures as JSON.")]
In = Annotated[Path, typer.Argument(help="Design file.")]


def finish(
    design: Design,
    report: Path | None,
    begun: float,
    extra: dict[str, Any] | None = None,
    findings: list[Finding] | None = None,
) -> None:
    """Tell the findings, write the report and leave with the exit code they ask for."""
    found = all_findings(design) if findings is None else findings
    numbers = {**figures(design), **(extra or {}), "seconds": round(time.perf_counter() - begun, 3)}
    if report:
        data = {"design": design.name, "findings": [f.as_report() for f in found], "figures": numbers}
        write(report, json.dumps(data, indent=1) + "\n")
    for f in found[:12]:
        value = (
            ""
            if f.reading is None
            else f" {f.reading:g} {f.unit}, {f.sense} {f.limit:g} {f.unit} ({f.source})"
            if f.limit is not None
            else ""
        )
        console.print(f"{f.level:5} {f.code}: {f.message}.{value}", markup=False, soft_wrap=True)
    if len(found) > 12:
        console.print(f"… and {len(found) - 12} more; --report writes them all")
    stops = sum(1 for f in found if f.level == "stop")
    links = f"{numbers['links_completed']} of {numbers['links_total']} connections routed"
    console.print(
        f"{design.name}: {links}, {stops} stop, {len(found)} findings in all, {numbers['seconds']:.2f} s",
        markup=False,
        soft_wrap=True,
    )
    raise typer.Exit(1 if stops else 0)


def now() -> str:
    """Give the time for file headers."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def write_release(output: Path, made: Release) -> None:
    """Write a release as a zip, or say that stops forbid it.

    Raises
    ------
    ReleaseRefused
        When the files differ from the design.
    """
    if made.stops:
        console.print(f"{output} is not written: findings of level stop forbid a release.", markup=False)
    else:
        write(output, made.zipped())


def change(
    source: Path, output: Path, report: Path | None, make: Callable[[Design], tuple[Edit, dict[str, Any]]]
) -> None:
    """Apply an edit to a design file and report on the result."""
    begun = time.perf_counter()
    design = load(source)
    edit, extra = make(design)
    design, _ = apply(design, edit)
    write(output, to_json(design))
    finish(design, report, begun, extra)
