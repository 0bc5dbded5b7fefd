"""Commands of the terminal for curves: one thing varied, responses, wave forms, converters cycle by cycle."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import numpy as np
import typer

from vane_step.cli.files import load
from vane_step.cli.operation import AsJson, File, Reads, State, first_state
from vane_step.core.errors import InputError
from vane_step.core.network.converter_cycles import converter_cycles, cycles_curve
from vane_step.core.network.curve_files import curve_csv, curve_json
from vane_step.core.network.probe import probes
from vane_step.core.network.sweeps import Curve, frequency_response, sweep, unit_of, wave_form
from vane_step.core.quantity import parse_value

AsCsv = Annotated[Path | None, typer.Option("--csv", help="File the curve is written to.")]


def sweep_(
    file: File,
    what: Annotated[str, typer.Argument(help="A source, load or part, REF.rating, RV1%, RT1C or ambient.")],
    low: Annotated[str, typer.Argument(help="From this value, such as 9V.")],
    high: Annotated[str, typer.Argument(help="To this value.")],
    read: Reads = None,
    state: State = "",
    points: Annotated[int, typer.Option(help="How many.")] = 41,
    to_csv: AsCsv = None,
    as_json: AsJson = False,
) -> None:
    """Vary one thing and read others."""
    design = load(file)
    unit = unit_of(design, what)
    ends = [
        parse_value(
            text.removesuffix("°C").removesuffix("%"), what, unit if unit in ("V", "A", "W", "Ω") else ""
        )
        for text in (low, high)
    ]
    if points < 2 or points > 2000:
        raise InputError(f"{points} points.", where="--points", value=points, allowed="2 to 2000")
    curve = sweep(
        design,
        first_state(design, state),
        what,
        [float(v) for v in np.linspace(ends[0], ends[1], points)],
        probes(design, read or []),
    )
    _put_out(curve, to_csv, as_json)


def response_(
    file: File,
    source: Annotated[str, typer.Argument(help="Source that is moved.")],
    net: Annotated[str, typer.Argument(help="Net that is read.")],
    low: Annotated[str, typer.Option("--from", help="Lowest frequency.")] = "1Hz",
    high: Annotated[str, typer.Option("--to", help="Highest frequency.")] = "1MHz",
    state: State = "",
    to_csv: AsCsv = None,
    as_json: AsJson = False,
) -> None:
    """Give gain and phase from a source to a net, around the state's operating point."""
    design = load(file)
    curve = frequency_response(
        design,
        first_state(design, state),
        source,
        net,
        parse_value(low, "--from", "Hz"),
        parse_value(high, "--to", "Hz"),
    )
    _put_out(curve, to_csv, as_json)


def wave_(
    file: File,
    seconds: Annotated[str, typer.Argument(help="How long, such as 10ms.")],
    read: Reads = None,
    state: State = "",
    before: Annotated[
        str, typer.Option("--before", help="State it was at rest in before; empty: power comes on.")
    ] = "",
    to_csv: AsCsv = None,
    as_json: AsJson = False,
) -> None:
    """Follow the circuit through time, from power-up or from one state into another."""
    design = load(file)
    was = first_state(design, before) if before else None
    duration = parse_value(seconds, "seconds", "s")
    if not 1e-9 <= duration <= 1e4:
        raise InputError(
            f"{seconds} is no time to follow.", where="seconds", value=seconds, allowed="1 ns to 10,000 s"
        )
    curve = wave_form(
        design, first_state(design, state), duration, probes(design, read or []), was, empty=was is None
    )
    _put_out(curve, to_csv, as_json)


def cycles_(
    file: File,
    ref: Annotated[str, typer.Argument(help="The converter, such as U2.")],
    seconds: Annotated[str, typer.Argument(help="How long, such as 10ms.")] = "1ms",
    state: State = "",
    to_csv: AsCsv = None,
    as_json: AsJson = False,
) -> None:
    """Follow a converter, down or up, cycle by cycle: ripple, the coil's peak, what its capacitors carry."""
    design = load(file)
    long = parse_value(seconds, "seconds", "s")
    if not 1e-7 <= long <= 10:
        raise InputError(f"{seconds} is no time to follow.", where="seconds", allowed="0.1 µs to 10 s")
    cycles, told = converter_cycles(design, first_state(design, state), ref, long)
    curve = cycles_curve(cycles, told)
    if to_csv is not None:
        to_csv.write_text(curve_csv(curve))
    if as_json:
        print(json.dumps(asdict(told), indent=1))
        return
    for note in curve.notes:
        print(note)


def _put_out(curve: Curve, to_csv: Path | None, as_json: bool) -> None:
    if to_csv is not None:
        to_csv.write_text(curve_csv(curve))
    if as_json:
        print(json.dumps(curve_json(curve)))
        return
    print(
        "  ".join(
            [
                f"{curve.title} ({curve.unit})",
                *(f"{n} ({u})" for n, u in zip(curve.labels, curve.units, strict=True)),
            ]
        )
    )
    for k in _few(len(curve.x)):
        print("  ".join(f"{float(v):.5g}" for v in (curve.x[k], *curve.y[k])))
    for note in curve.notes:
        print(note)


def _few(count: int, most: int = 25) -> Iterable[int]:
    return (
        sorted({round(k * (count - 1) / (most - 1)) for k in range(most)}) if count > most else range(count)
    )
