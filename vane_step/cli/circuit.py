"""Commands of the terminal for capturing: bringing designs in, parts, nets, sentences, sheets, blocks, the check."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from vane_step.cli.board import outline_option
from vane_step.cli.files import Own, console, load, own_texts, read_bytes, read_text, write
from vane_step.cli.report import In, Out, Report, change, finish
from vane_step.core.ask import ask
from vane_step.core.ask.copying import told
from vane_step.core.ask.words import pairs
from vane_step.core.circuit.bearing import pin_says
from vane_step.core.circuit.blocks import block_json, take_block, use_block
from vane_step.core.circuit.copies import copied, set_in
from vane_step.core.circuit.pinmap import HEAD, pin_map
from vane_step.core.circuit.pins import find_pins
from vane_step.core.design.edits import AddPart, Edit, apply
from vane_step.core.design.fileformat import json_schema, to_json
from vane_step.core.design.model import Board, Design
from vane_step.core.errors import InputError
from vane_step.core.exchange import FILES
from vane_step.core.fab.tables import csv_text
from vane_step.core.judge import all_findings
from vane_step.core.parts.part import part_from
from vane_step.core.patterns.packages import package as own_package
from vane_step.core.rules import RULES
from vane_step.core.sheet.export import sheet_svg, sheets_pdf
from vane_step.data.shipped import resources, rule_set
from vane_step.importers import block_file, connection_list as listed, exchange_folder, pin_file

AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]
block_app = typer.Typer(no_args_is_help=True, help="Blocks that are kept and used again.")


def import_(
    folder: Annotated[Path, typer.Argument(help="Exchange folder.")],
    output: Out,
    outline: Annotated[str, typer.Option(help="60x40 in mm, a DXF or SVG file, or picture.png@166mm.")] = "",
    layers: Annotated[int, typer.Option(help="Copper layers: 1, 2 or 4.")] = 2,
    rules: Annotated[str, typer.Option(help="Name of a maker's rule set.")] = "standard-house",
    report: Report = None,
) -> None:
    """Read an exchange folder into a design file."""
    begun = time.perf_counter()
    if not folder.is_dir():
        raise InputError(
            "There is no such folder.",
            where=str(folder),
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
        board = Board.model_validate({"outline": drawn.outline, "copper_layers": layers, "rules": chosen})
        texts.pop("board.json", None)
    design = exchange_folder(texts, folder.resolve().name, board)
    if board is not None and (drawn.holes or drawn.openings):
        design, _ = apply(design, drawn.edit(design))
    write(output, to_json(design))
    finish_import(design, report, begun)


def finish_import(design: Design, report: Path | None, begun: float) -> None:
    """Report an import; unrouted connections are no fault of it, so they do not count."""
    found = [f for f in all_findings(design) if f.code not in ("unrouted", "not-placed")]
    finish(design, report, begun, findings=found)


def pins(
    source: Annotated[Path, typer.Argument(help="BSDL or IBIS file, or a table of number, name and role.")],
    choice: Annotated[
        str, typer.Option(help="Package (BSDL) or component (IBIS) when there are several.")
    ] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Show the pins a file gives a part."""
    table = pin_file(read_bytes(source), source.name, choice)
    if as_json:
        rows = [p.model_dump() for p in table.pins]
        print(
            json.dumps(
                {"part": table.part, "package": table.package, "source": table.source, "pins": rows}, indent=1
            )
        )
        return
    print(
        f"{table.part}{f' in {table.package}' if table.package else ''}: {len(table.pins)} pins, from {table.source}"
    )
    for pin in table.pins:
        print(f"{pin.number:>6}  {pin.name:<24} {pin.role}")


def add(
    source: In,
    output: Out,
    ref: Annotated[str, typer.Option(help="Reference of the new part.")],
    package: Annotated[str, typer.Option(help="Name of its package.")],
    value: Annotated[str, typer.Option(help="Its value.")] = "",
    pins_from: Annotated[Path | None, typer.Option("--pins", help="File with its pins, as for pins.")] = None,
    choice: Annotated[
        str, typer.Option(help="Package (BSDL) or component (IBIS) when there are several.")
    ] = "",
    report: Report = None,
) -> None:
    """Add a part to a circuit, with pins from a file."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        pack = design.packages.get(package) or own_package(package, design.board.rules.etched)
        table = pin_file(read_bytes(pins_from), pins_from.name, choice) if pins_from else None
        return AddPart(part=part_from(ref, pack, value, table), package=pack), {}

    change(source, output, report, make)


def connect(
    source: In,
    output: Out,
    connection_list: Annotated[Path, typer.Option("--list", help="Text: a net and its pins on each line.")],
    report: Report = None,
) -> None:
    """Connect everything a connection list names."""
    text, name = read_text(connection_list), str(connection_list)
    change(source, output, report, lambda design: (listed(design, text, name), {}))


def say(
    source: In,
    output: Out,
    sentence: Annotated[list[str], typer.Argument(help="Sentences of the ask line, each in quotes.")],
    own: Own = None,
    report: Report = None,
) -> None:
    """Carry out sentences of the ask line on a design file."""
    begun = time.perf_counter()
    design = load(source)
    known = resources(parts=own_texts(own))
    for text in sentence:
        proposal = ask(design, text, known)
        if proposal.edit is None:
            raise InputError(
                f"{text!r} does not change a design file.",
                where="sentence",
                value=text,
                next_step="Use the command of its own for it: vane-step route, arrange, advise, search or --help.",
            )
        console.print(f"{text}: {proposal.says}", markup=False, soft_wrap=True)
        design, _ = apply(design, proposal.edit)
    write(output, to_json(design))
    finish(design, report, begun)


def check(source: In, report: Report = None) -> None:
    """Check a design against its maker's rules and review its circuit."""
    begun = time.perf_counter()
    finish(load(source), report, begun)


def schema() -> None:
    """Print the JSON Schema of the design format."""
    print(json.dumps(json_schema(), indent=1))


def sheets(
    source: In,
    output: Out,
    page: Annotated[str | None, typer.Option(help="One sheet only (SVG).")] = None,
    revision: Annotated[str, typer.Option(help="What stands in the corner.")] = "",
) -> None:
    """Write the sheets of a circuit as PDF (all, linked) or SVG."""
    design = load(source)
    if output.suffix.lower() == ".pdf":
        write(output, sheets_pdf(design, revision))
    elif output.suffix.lower() == ".svg":
        write(output, sheet_svg(design, page, revision))
    else:
        raise InputError("Sheets are written as PDF or SVG.", where=str(output), allowed=".pdf, .svg")


@block_app.command("take")
def block_take(
    source: In, output: Out, block: Annotated[str, typer.Option(help="Block of the sheet.")]
) -> None:
    """Keep a block of a design as a file."""
    design = load(source)
    refs = [p.ref for p in design.parts.values() if p.block == block]
    write(output, block_json(take_block(design, refs, block)))


def pin(
    source: In,
    name: Annotated[str, typer.Argument(help="A pin, such as U1.5 or U1.PB3.")],
) -> None:
    """Say what a pin is, what it bears by the catalogue and what it is on."""
    design = load(source)
    for found in find_pins(design, name):
        print(pin_says(design, found))


def pinmap(source: In, ref: Annotated[str, typer.Argument(help="A part, such as U1.")]) -> None:
    """Print what each pin of a part is on, as CSV, for whoever writes its firmware."""
    print(csv_text(HEAD, pin_map(load(source), ref)), end="")


@block_app.command("copy")
def block_copy(
    source: In, output: Out, refs: Annotated[str, typer.Option(help="Parts, with commas between.")]
) -> None:
    """Copy parts with what connects them, to be set into another design."""
    write(output, block_json(copied(load(source), [r.strip() for r in refs.split(",") if r.strip()])))


@block_app.command("paste")
def block_paste(
    source: In, block: Annotated[Path, typer.Argument(help="What was copied.")], output: Out
) -> None:
    """Set copied parts into a design: named nets are joined by name, references go on counting."""
    design = load(source)
    edit = set_in(design, block_file(read_bytes(block), str(block)))
    print(f"sets in {told(design, edit)}")
    write(output, to_json(apply(design, edit)[0]))


@block_app.command("use")
def block_use(
    source: In,
    block: Annotated[Path, typer.Argument(help="Block file.")],
    output: Out,
    port: Annotated[list[str] | None, typer.Option(help="PORT=NET; a port left out keeps its name.")] = None,
) -> None:
    """Put a block from a file into a design."""
    design = load(source)
    edit = use_block(design, block_file(read_bytes(block), str(block)), pairs(port or [], "PORT=NET"))
    write(output, to_json(apply(design, edit)[0]))


def rules(
    room: Annotated[str, typer.Argument(help="Only those of a room, such as board or circuit.")] = "",
    as_json: AsJson = False,
) -> None:
    """List every rule a design is held against: what it finds, how grave, and where its limit comes from."""
    rooms = list(dict.fromkeys(r.room for r in RULES.values()))
    if room and room not in rooms:
        raise InputError(f"There is no room {room!r}.", where="rules", value=room, allowed=", ".join(rooms))
    chosen = [r for r in RULES.values() if room in ("", r.room)]
    if as_json:
        print(json.dumps([asdict(r) for r in chosen], indent=1, ensure_ascii=False))
        return
    for rule in chosen:
        print(f"{rule.code:20} {', '.join(rule.levels):18} {rule.title} ({rule.source})")


COMMANDS: tuple[Callable[..., None], ...] = (
    pins,
    pin,
    pinmap,
    add,
    connect,
    say,
    check,
    schema,
    rules,
    sheets,
)
