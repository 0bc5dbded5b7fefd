"""Commands of the terminal for calculations: currents and the copper they need, and every formula."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Annotated

import typer

from vane_step.cli.files import console
from vane_step.core.ask.words import pairs
from vane_step.core.errors import InputError
from vane_step.core.power import trace as trace_room
from vane_step.core.power.formulas import formula
from vane_step.core.quantity import format_value, parse_length_nm, parse_value

AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]


def calc_trace(
    current: Annotated[str, typer.Argument(help="Current, such as 2A.")],
    rise: Annotated[str, typer.Option(help="Allowed rise in kelvin.")] = "10",
    copper: Annotated[str, typer.Option(help="Finished copper, such as 35um or 1oz.")] = "35um",
    layer: Annotated[str, typer.Option(help="outer or inner; both when left out.")] = "",
    width: Annotated[str, typer.Option(help="Width to judge, such as 0.5mm.")] = "",
    length: Annotated[str, typer.Option(help="Length for resistance and drop.")] = "50mm",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Work out the width a current needs, with rise, drop and resistance (IPC-2221)."""
    if layer not in ("", "outer", "inner"):
        raise InputError(f"Layer is {layer!r}.", where="--layer", value=layer, allowed="outer, inner")
    # A bare number would be millimetres, as of every other length; nobody plates that.
    thickness = (
        parse_length_nm(f"{copper}um" if copper.replace(".", "", 1).isdigit() else copper, "--copper") / 1000
    )
    answers = [
        trace_room.trace(
            parse_value(current, "current", "A"),
            parse_value(rise, "--rise", "K"),
            thickness,
            where,
            width=parse_length_nm(width, "--width") / 1e6 if width else None,
            length=parse_length_nm(length, "--length") / 1e6,
        )
        for where in (("outer", "inner") if not layer else (layer,))
    ]
    if as_json:
        print(json.dumps([asdict(a) for a in answers], indent=1))
        return
    for a in answers:
        print(
            f"{a.layer} layer, {a.copper_um:g} um copper, {a.current_a:g} A, limit {a.rise_limit_k:g} K: "
            f"width {a.needed_mm:.3f} mm ({a.source})"
        )
        print(
            f"  at {a.width_mm:.3f} mm: rise {a.rise_k:.1f} K, {a.length_mm:g} mm have "
            f"{format_value(a.resistance_ohm, 'ohm')}, drop {format_value(a.drop_v, 'V')}, "
            f"heat {format_value(a.power_w, 'W')}"
        )


def formula_(
    name: Annotated[str, typer.Argument(help="Calculation, such as led, feedback, buck, battery.")],
    values: Annotated[list[str] | None, typer.Argument(help="Inputs as key=value.")] = None,
    as_json: AsJson = False,
) -> None:
    """Work a calculation out from its inputs; those left out take their usual value."""
    known = formula(name)
    given = pairs(values or [], "key=value")
    strange = given.keys() - {q.key for q in known.inputs}
    if strange:
        names = ", ".join(q.key for q in known.inputs)
        raise InputError(f"{known.title} has no input {min(strange)}.", where=name, allowed=names)
    inputs = {q.key: parse_value(given.get(q.key, q.usual) or "", q.key, q.unit) for q in known.inputs}
    outputs = known.run(inputs)
    if as_json:
        print(json.dumps({"source": known.source, "inputs": inputs, "outputs": outputs}))
        return
    for q in known.outputs:
        print(f"{q.title:32} {format_value(outputs[q.key], q.unit, 4)}")
    console.print(known.source, markup=False)
