"""vane-step: the same core from a terminal. Exit codes: 0 clean, 1 findings of level stop, 2 unusable input."""

from __future__ import annotations

import json
import os
import sys
import time
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import ValidationError

from vane_step import cli_board, cli_parts
from vane_step.cli_board import outline_option, ruler_scale
from vane_step.cli_files import console, load, read_bytes, read_text, write
from vane_step.cli_report import In, Out, Report, change, finish, now, write_release
from vane_step.core.ask import ask
from vane_step.core.design.edits import AddPart, Edit, apply
from vane_step.core.design.fileformat import input_error, json_schema, to_json
from vane_step.core.design.model import Board, Design
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.exchange import FILES
from vane_step.core.judge import all_findings
from vane_step.core.parts.packages import package as own_package
from vane_step.core.parts.part import part_from
from vane_step.core.power import trace as trace_room
from vane_step.core.quantity import format_value, parse_length_nm, parse_value
from vane_step.data.shipped import resources, rule_set
from vane_step.importers import connection_list as listed
from vane_step.importers import exchange_folder, pin_file

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="From a brief to a proven microcontroller board.",
    pretty_exceptions_enable=False,
)
calc_app = typer.Typer(no_args_is_help=True, help="Calculations with their source.")
app.add_typer(calc_app, name="calc")


@app.command("import")
def import_(
    folder: Annotated[Path, typer.Argument(help="Exchange folder.")], output: Out,
    outline: Annotated[str, typer.Option(help="60x40 in mm, a DXF or SVG file, or picture.png@166mm.")] = "",
    layers: Annotated[int, typer.Option(help="Copper layers: 1, 2 or 4.")] = 2,
    rules: Annotated[str, typer.Option(help="Name of a maker's rule set.")] = "standard-house",
    report: Report = None,
) -> None:  # fmt: skip
    """Read an exchange folder into a design file."""
    begun = time.perf_counter()
    if not folder.is_dir():
        raise InputError(
            "There is no such folder.", where=str(folder),
            next_step="Name a folder with parts.csv and nets.csv.",
        )
    texts = {name: read_bytes(folder / name) for name in FILES if (folder / name).is_file()}
    board = None
    drawn = outline_option(outline or "100x80")
    if outline or "board.json" not in texts:
        chosen = rule_set(rules)
        if layers not in chosen.copper_layers:
            raise InputError(
                f"{chosen.title} does not make {layers} layers.",
                where="--layers",
                value=layers,
                allowed=", ".join(map(str, chosen.copper_layers)),
            )
        board = Board.model_validate(
            {"outline": drawn.outline, "copper_layers": layers, "rules": chosen}
        )
        texts.pop("board.json", None)
    design = exchange_folder(texts, folder.resolve().name, board)
    if board is not None and (drawn.holes or drawn.openings):
        design, _ = apply(design, drawn.edit(design))
    write(output, to_json(design))
    finish_import(design, report, begun)


def finish_import(design: Design, report: Path | None, begun: float) -> None:
    """Report an import; open links are no fault of it, so they do not count."""
    found = [f for f in all_findings(design) if f.code not in ("open-link", "not-placed")]
    finish(design, report, begun, findings=found)


@app.command()
def pins(
    source: Annotated[Path, typer.Argument(help="BSDL or IBIS file, or a table of number, name and role.")],
    choice: Annotated[str, typer.Option(help="Package (BSDL) or component (IBIS) when there are several.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Show the pins a file gives a part."""
    table = pin_file(read_bytes(source), source.name, choice)
    if as_json:
        rows = [p.model_dump() for p in table.pins]
        print(
            json.dumps({"part": table.part, "package": table.package, "source": table.source, "pins": rows}, indent=1)
        )
        return
    print(f"{table.part}{f' in {table.package}' if table.package else ''}: {len(table.pins)} pins, from {table.source}")
    for pin in table.pins:
        print(f"{pin.number:>6}  {pin.name:<24} {pin.role}")


@app.command()
def add(
    source: In,
    output: Out,
    ref: Annotated[str, typer.Option(help="Reference of the new part.")],
    package: Annotated[str, typer.Option(help="Name of its package.")],
    value: Annotated[str, typer.Option(help="Its value.")] = "",
    pins_from: Annotated[Path | None, typer.Option("--pins", help="File with its pins, as for pins.")] = None,
    choice: Annotated[str, typer.Option(help="Package (BSDL) or component (IBIS) when there are several.")] = "",
    report: Report = None,
) -> None:
    """Add a part to a circuit, with pins from a file."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        pack = design.packages.get(package) or own_package(package, design.board.rules.etched)
        table = pin_file(read_bytes(pins_from), pins_from.name, choice) if pins_from else None
        return AddPart(part=part_from(ref, pack, value, table), package=pack), {}

    change(source, output, report, make)


@app.command()
def connect(
    source: In,
    output: Out,
    connection_list: Annotated[Path, typer.Option("--list", help="Text: a net and its pins on each line.")],
    report: Report = None,
) -> None:
    """Connect everything a connection list names."""
    text, name = read_text(connection_list), str(connection_list)
    change(source, output, report, lambda design: (listed(design, text, name), {}))


@app.command()
def say(
    source: In,
    output: Out,
    sentence: Annotated[list[str], typer.Argument(help="Sentences of the ask line, each in quotes.")],
    report: Report = None,
) -> None:
    """Carry out sentences of the ask line on a design file."""
    begun = time.perf_counter()
    design = load(source)
    for text in sentence:
        proposal = ask(design, text, resources())
        if proposal.edit is None:
            raise InputError(
                f"{text!r} does not change a design file.", where="sentence", value=text,
                next_step="Use the command of its own for it: vane-step route, arrange or advise.",
            )
        console.print(f"{text}: {proposal.says}", markup=False, soft_wrap=True)
        design, _ = apply(design, proposal.edit)
    write(output, to_json(design))
    finish(design, report, begun)


@app.command()
def check(source: In, report: Report = None) -> None:
    """Check a design against its maker's rules and review its circuit."""
    begun = time.perf_counter()
    finish(load(source), report, begun)


@app.command()
def release(source: In, output: Out, report: Report = None) -> None:
    """Write the files for a board house as a zip, read back and compared."""
    from vane_step.core.fab.release import release as make_release

    begun = time.perf_counter()
    design = load(source)
    made = make_release(design, now())
    write_release(output, made)
    finish(design, report, begun, {f"read_{k}": v for k, v in made.read.readings.items()})


@app.command()
def etch(
    source: In, output: Out,
    method: Annotated[str, typer.Option(help="toner, film, film-away or pen.")] = "toner",
    copies: Annotated[int, typer.Option(help="Copies on one sheet.")] = 1,
    side: Annotated[str, typer.Option(help="Side for SVG: front or back.")] = "back",
    ruler: Annotated[str, typer.Option(help="Measured ruler, across,upwards in mm, to correct a printer.")] = "50,50",
    report: Report = None,
) -> None:  # fmt: skip
    """Write artwork for etching at home as PDF, or as SVG when the output ends so."""
    from vane_step.core.etch import artwork
    from vane_step.core.etch.mirror import method_of

    begun = time.perf_counter()
    design = load(source)
    chosen = method_of(method)
    scale = ruler_scale(ruler)
    if side not in ("front", "back"):
        raise InputError(f"Side is {side!r}.", where="--side", value=side, allowed="front, back")
    if output.suffix == ".svg":
        write(output, artwork.svg(design, chosen, side, copies, scale))  # type: ignore[arg-type]
    else:
        write(output, artwork.pdf(design, chosen, copies, scale))
    finish(design, report, begun, findings=[*all_findings(design), *artwork.etch_findings(design, chosen)])


@app.command()
def schema() -> None:
    """Print the JSON Schema of the design format."""
    print(json.dumps(json_schema(), indent=1))


@calc_app.command("trace")
def calc_trace(
    current: Annotated[str, typer.Argument(help="Current, such as 2A.")],
    rise: Annotated[str, typer.Option(help="Allowed rise in kelvin.")] = "10",
    copper: Annotated[str, typer.Option(help="Finished copper, such as 35um or 1oz.")] = "35um",
    layer: Annotated[str, typer.Option(help="outer or inner; both when left out.")] = "",
    width: Annotated[str, typer.Option(help="Width to judge, such as 0.5mm.")] = "",
    length: Annotated[str, typer.Option(help="Length for resistance and drop.")] = "50mm",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:  # fmt: skip
    """Work out the width a current needs, with rise, drop and resistance (IPC-2221)."""
    if layer not in ("", "outer", "inner"):
        raise InputError(f"Layer is {layer!r}.", where="--layer", value=layer, allowed="outer, inner")
    # A bare number would be millimetres, as of every other length; nobody plates that.
    thickness = parse_length_nm(f"{copper}um" if copper.replace(".", "", 1).isdigit() else copper, "--copper") / 1000
    answers = [
        trace_room.trace(
            parse_value(current, "current", "A"), parse_value(rise, "--rise", "K"), thickness, where,
            width=parse_length_nm(width, "--width") / 1e6 if width else None,
            length=parse_length_nm(length, "--length") / 1e6,
        )
        for where in (("outer", "inner") if not layer else (layer,))
    ]  # fmt: skip
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


@app.command()
def serve(
    host: Annotated[str, typer.Option(help="Address; others than loopback need an access key.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="Port.")] = 8760,
    data: Annotated[Path | None, typer.Option(help="Folder of the database.")] = None,
    demo: Annotated[bool, typer.Option(help="Put the demo designs on the shelf.")] = False,
) -> None:  # fmt: skip
    """Start the program on this machine."""
    from vane_step.web.serve import run

    run(host, port, data, demo)


@app.command("demo")
def demo_(
    port: Annotated[int, typer.Option(help="Port.")] = 8760,
    data: Annotated[Path | None, typer.Option(help="Folder of the database.")] = None,
) -> None:
    """Start the program with the demo designs on the shelf."""
    from vane_step.web.serve import run

    run("127.0.0.1", port, data, True)


@app.command()
def rescue(
    folder: Annotated[Path, typer.Argument(help="Folder of the database.")],
    output: Annotated[Path, typer.Option("-o", "--output", help="Folder to write what can be read to.")],
) -> None:
    """Write the last version of every design that can be read from a damaged database, and the raw text of the rest."""
    from vane_step.store.rescue import rescued

    output.mkdir(parents=True, exist_ok=True)
    for one in rescued(folder / "designs.sqlite3"):
        write(output / one.file, one.content)
        console.print(f"{one.file}: {one.says}", markup=False, soft_wrap=True)


for _command in [*cli_board.COMMANDS, *cli_parts.COMMANDS]:
    app.command()(_command)
calc_app.command("formula")(cli_parts.formula_)
app.add_typer(cli_parts.block_app, name="block")


def main() -> None:
    """Run the terminal; every error a user can act on is one line and exit code 2, or 1 where findings forbid it."""
    try:
        app()
    except VaneStepError as error:
        print(error.line(), file=sys.stderr)
        sys.exit(error.exit_code)
    except ValidationError as error:
        print(input_error(error, "input").line(), file=sys.stderr)
        sys.exit(2)
    except Exception as error:
        if os.environ.get("VANE_STEP_TRACE"):
            raise
        print(
            f"A fault of the program: {type(error).__name__}: {str(error)[:200]}. Set VANE_STEP_TRACE=1 to see where, "
            "and report it.",
            file=sys.stderr,
        )
        sys.exit(3)


if __name__ == "__main__":
    main()
