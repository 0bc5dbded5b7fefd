"""vane-step: the same core from a terminal. Exit codes: 0 clean, 1 findings of level stop, 2 unusable input."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any

import typer

from vane_step import cli_parts
from vane_step.cli_files import console, load, read_bytes, read_text, write
from vane_step.core.ask import ask
from vane_step.core.board.arrange import arrange as arrange_parts
from vane_step.core.board.arrange import propose
from vane_step.core.board.check import figures
from vane_step.core.board.geometry import outline as board_outline
from vane_step.core.board.geometry import rectangle
from vane_step.core.board.loops import loops
from vane_step.core.board.outlinefile import PICTURES, outline_from
from vane_step.core.board.paths import return_paths, sense_pairs
from vane_step.core.board.pour import pour_pieces
from vane_step.core.circuit.capture import connections
from vane_step.core.design.edits import AddPart, Edit, SetOutline, apply
from vane_step.core.design.fileformat import json_schema, to_json
from vane_step.core.design.model import Board, Design, PointNm
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.exchange import FILES, read_exchange
from vane_step.core.fab.otherboard import other_board
from vane_step.core.finding import Finding
from vane_step.core.judge import all_findings
from vane_step.core.parts.packages import package as own_package
from vane_step.core.parts.part import part_from
from vane_step.core.parts.pinfiles import read_pins
from vane_step.core.power import trace as trace_room
from vane_step.core.quantity import format_value, parse_length_nm, parse_value
from vane_step.data.shipped import resources, rule_set

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="From a brief to a proven microcontroller board.",
    pretty_exceptions_enable=False,
)
calc_app = typer.Typer(no_args_is_help=True, help="Calculations with their source.")
app.add_typer(calc_app, name="calc")

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
    links = f"{numbers['links_completed']} of {numbers['links_total']} links made"
    console.print(
        f"{design.name}: {links}, {stops} stop, {len(found)} findings in all, {numbers['seconds']:.2f} s",
        markup=False,
        soft_wrap=True,
    )
    raise typer.Exit(1 if stops else 0)


def outline_option(text: str) -> tuple[PointNm, ...]:
    """Read ``60x40`` (millimetres), the name of a DXF or SVG file, or ``picture.png@166mm``."""
    name, _, wide = text.partition("@")
    if name.lower().endswith((".dxf", ".svg", *(f".{p}" for p in PICTURES))):
        return outline_from(read_bytes(Path(name)), name, parse_length_nm(wide, "--outline") / 1e6 if wide else 0.0)
    width, cross, height = text.lower().partition("x")
    if not cross:
        raise InputError(
            f"{text!r} is no outline.",
            where="--outline",
            value=text,
            allowed="60x40, a DXF or SVG file, or picture.png@166mm",
        )
    sides = [parse_length_nm(side, "--outline") / 1e6 for side in (width, height)]
    if not all(1 <= side <= 1000 for side in sides):
        raise InputError("That is no board size.", where="--outline", value=text, allowed="1 to 1000 mm a side")
    return rectangle(*sides)


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
        raise InputError("There is no such folder.", where=str(folder))
    texts = {name: read_text(folder / name) for name in FILES if (folder / name).is_file()}
    board = None
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
            {"outline": outline_option(outline or "100x80"), "copper_layers": layers, "rules": chosen}
        )
        texts.pop("board.json", None)
    design = read_exchange(texts, folder.resolve().name, board)
    write(output, to_json(design))
    finish_import(design, report, begun)


def finish_import(design: Design, report: Path | None, begun: float) -> None:
    """Report an import; open links are no fault of it, so they do not count."""
    found = [f for f in all_findings(design) if f.code not in ("open-link", "not-placed")]
    finish(design, report, begun, findings=found)


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


@app.command()
def arrange(
    source: In, output: Out, report: Report = None,
    all_parts: Annotated[bool, typer.Option("--all", help="Place all unlocked parts anew; take the best.")] = False,
    tidy: Annotated[bool, typer.Option(help="Begin from the places there are.")] = False,
    count: Annotated[int, typer.Option(min=1, max=20, help="Arrangements to choose from.")] = 3,
    seed: Annotated[int, typer.Option(min=0, max=2**31 - 100, help="The same seed gives the same places.")] = 1,
) -> None:  # fmt: skip
    """Put waiting parts on the board, or arrange all anew and take the best of several."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        if not (all_parts or tidy):
            return arrange_parts(design), {}
        found = propose(design, count, seed=seed, tidy=True if tidy else None)
        scores = [{"seed": a.seed, "tidied": a.tidied, "worth": a.score.worth, **asdict(a.score)} for a in found]
        return found[0].edit, {"arrangements": scores}

    change(source, output, report, make)


@app.command()
def route(
    source: In, output: Out, report: Report = None,
    net: Annotated[list[str] | None, typer.Option(help="Only this net; may be repeated.")] = None,
    fresh: Annotated[bool, typer.Option(help="Lift unlocked copper first.")] = False,
    link: Annotated[
        tuple[str, str] | None, typer.Option(help="Only from this pin to that, among copper that stays where it is.")
    ] = None,
) -> None:  # fmt: skip
    """Route the open links."""
    if link:
        from vane_step.core.route.guide import link as lay_link

        change(source, output, report, lambda design: (lay_link(design, *link), {"link": link}))
        return
    from vane_step.core.route.router import route as route_links
    from vane_step.core.route.router import warm_up

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        unknown = [n for n in net or [] if n not in design.nets]
        if unknown:
            raise InputError(f"There is no net {unknown[0]}.", where="--net", value=unknown[0])
        with console.status("Preparing the router (compiles once after installing) …"):
            warm_up()
        begun = time.perf_counter()
        with console.status("Routing …"):
            result = route_links(design, nets=set(net) if net else None, fresh=fresh)
        seconds = round(time.perf_counter() - begun, 3)
        extra = {
            "route_seconds": seconds,
            "links_wanted": result.links_wanted,
            "links_made": result.links_made,
            "rounds": result.rounds,
            "blocked": [asdict(b) for b in result.blocked],
        }
        if result.why:
            console.print(f"Links stayed open: {result.why}.", markup=False, soft_wrap=True)
        return result.edit, extra

    change(source, output, report, make)


@app.command()
def advise(source: In, as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False) -> None:
    """Route the board on one, two and four layers, and tell what each gives; nothing is written."""
    from vane_step.core.route.advice import layer_offers

    with console.status("Routing on other numbers of layers …"):
        found = layer_offers(load(source))
    if as_json:
        print(json.dumps([asdict(a) for a in found], indent=1))
        return
    for a in found:
        made = "" if a.made else ", not made by these rules"
        copper = f"{a.vias} vias, {a.wires} wires, {a.length_mm:.0f} mm"
        print(f"{a.layers} layers: {a.links_open} open, {copper}, {100 * a.over_ground:.0f} % over ground{made}")


@app.command()
def outline(
    source: In, output: Out, report: Report = None,
    size: Annotated[str, typer.Option(help="60x40 in mm, a DXF or SVG file, or picture.png@166mm.")] = "",
    like: Annotated[list[Path] | None, typer.Option(help="Files of another board: a zip, or Gerber and XNC.")] = None,
) -> None:  # fmt: skip
    """Give the board another outline, or that of another board with its holes and connector places."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        if bool(size) == bool(like):
            raise InputError("An outline comes from one thing.", where="outline", allowed="either --size or --like")
        if size:
            return SetOutline(outline=outline_option(size)), {}
        found = other_board(design, {p.name: read_bytes(p) for p in like or []})
        numbers = {"width_mm": found.width_mm, "height_mm": found.height_mm, "holes": found.holes}
        return found.edit, {**numbers, "placed": found.placed, "left_out": found.left_out}

    change(source, output, report, make)


@app.command()
def fill(
    source: In, output: Out, report: Report = None,
    net: Annotated[str, typer.Option(help="Net to pour; without one, the pours there are are filled again.")] = "",
    layer: Annotated[str, typer.Option(help="Copper layer to pour on.")] = "back",
) -> None:  # fmt: skip
    """Pour copper, and tell the area and pieces of every pour."""
    begun = time.perf_counter()
    design = load(source)
    if net:
        edit = ask(design, f"pour {net} {layer}", resources()).edit
        assert edit is not None
        design, _ = apply(design, edit)
    started = time.perf_counter()
    pours = [{"pour": p.id, "area_mm2": p.area_mm2, "pieces": len(p.pieces)} for p in pour_pieces(design)]
    write(output, to_json(design))
    finish(design, report, begun, {"pours": pours, "fill_seconds": round(time.perf_counter() - started, 3)})


@app.command()
def paths(source: In, as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False) -> None:
    """Tell for every net how much of its tracks lies over ground copper, and the loops of stages and bypass parts."""
    design = load(source)
    found = return_paths(design)
    if as_json:
        nets = [{**asdict(p), "share": round(p.share, 4)} for p in found]
        told = {"nets": nets, "loops": [asdict(x) for x in loops(design)]}
        print(json.dumps({**told, "sense_pairs": [asdict(x) for x in sense_pairs(design)]}, indent=1))
        return
    for p in found:
        gap = f", longest gap {p.gaps[0].length_mm:.1f} mm on the {p.gaps[0].layer}" if p.gaps else ""
        print(f"{p.net:<16} {100 * p.share:3.0f} % of {p.length_mm:.1f} mm over ground{gap}")
    for x in loops(design):
        nh = f", {x.inductance_nh:.1f} nH" if x.inductance_nh is not None else ""
        print(f"{' and '.join(x.refs):<16} {x.kind} loop of {x.area_mm2:.1f} mm²{nh}")
    for pair in sense_pairs(design):
        apart = abs(pair.lengths_mm[0] - pair.lengths_mm[1])
        print(f"{' and '.join(pair.nets):<16} {100 * pair.beside:.0f} % side by side, lengths differ by {apart:.1f} mm")


@app.command()
def pins(
    source: Annotated[Path, typer.Argument(help="BSDL or IBIS file, or a table of number, name and role.")],
    choice: Annotated[str, typer.Option(help="Package (BSDL) or component (IBIS) when there are several.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Show the pins a file gives a part."""
    table = read_pins(read_text(source), source.name, choice)
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
    pin_file: Annotated[Path | None, typer.Option("--pins", help="File with its pins, as for pins.")] = None,
    choice: Annotated[str, typer.Option(help="Package (BSDL) or component (IBIS) when there are several.")] = "",
    report: Report = None,
) -> None:
    """Add a part to a circuit, with pins from a file."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        pack = design.packages.get(package) or own_package(package, design.board.rules.etched)
        table = read_pins(read_text(pin_file), pin_file.name, choice) if pin_file else None
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
    change(source, output, report, lambda design: (connections(design, read_text(connection_list)), {}))


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
            raise InputError(f"{text!r} does not change a design file.", where="sentence", value=text)
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
    write(output, made.zipped())
    finish(design, report, begun, {f"read_{k}": v for k, v in made.read.readings.items()})


@app.command("panel")
def panel_command(
    source: In, output: Out, report: Report = None,
    columns: Annotated[int, typer.Option(min=0, max=100, help="Copies side by side; 0: as many as fit.")] = 0,
    rows: Annotated[int, typer.Option(min=0, max=100, help="Copies one above the other; 0: as many as fit.")] = 0,
    within: Annotated[str, typer.Option(help="Largest panel, when columns or rows are left open.")] = "160x100",
    gap: Annotated[str, typer.Option(help="Between boards.")] = "2mm",
    rail: Annotated[str, typer.Option(help="Round all of them.")] = "5mm",
    score: Annotated[bool, typer.Option(help="Score lines instead of tabs.")] = False,
    turned: Annotated[bool, typer.Option(help="Each board turned by 90 degrees.")] = False,
) -> None:  # fmt: skip
    """Put several copies of a board on a panel, as a design of its own: to check and release like any other."""
    from vane_step.core.fab.panel import PanelPlan, copies_that_fit, panel

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
                f"No board of {x1 - x0:g} x {y1 - y0:g} mm fits.", where="--within", value=within,
                next_step="Take a larger panel.",
            )  # fmt: skip
        columns, rows, turned = fit
    made = panel(design, PanelPlan(columns, rows, turned, gap_mm, rail_mm, "score" if score else "tabs"))
    write(output, to_json(made))
    finish(made, report, begun, {"columns": columns, "rows": rows, "turned": turned})


@app.command()
def paper(
    source: In, output: Out,
    ruler: Annotated[str, typer.Option(help="Measured ruler, across,upwards in mm, to correct a printer.")] = "50,50",
) -> None:  # fmt: skip
    """Write the board on paper at true scale as PDF, to lay the real parts on."""
    from vane_step.core.etch.paper import paper_pattern

    write(output, paper_pattern(load(source), _scale(ruler)))


def _scale(ruler: str) -> tuple[float, float]:
    from vane_step.core.etch.sheets import scale_of

    across, comma, upwards = ruler.partition(",")
    if not comma:
        raise InputError(f"{ruler!r} is no pair of lengths.", where="--ruler", value=ruler, allowed="50.1,49.9")
    return scale_of(parse_length_nm(across, "--ruler") / 1e6, parse_length_nm(upwards, "--ruler") / 1e6)


@app.command()
def solid(source: In, output: Out) -> None:
    """Write the board with its parts as solids: binary glTF (.glb) or STL (.stl), by the name of the file."""
    from vane_step.core.solid.scene import glb, stl

    kinds = {".glb": glb, ".stl": stl}
    kind = output.suffix.lower()
    if kind not in kinds:
        raise InputError(f"{output.name} is neither.", where="--output", value=kind, allowed=", ".join(kinds))
    write(output, kinds[kind](load(source)))


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
    scale = _scale(ruler)
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
    answers = [
        trace_room.trace(
            parse_value(current, "current"), parse_value(rise.rstrip("K"), "--rise"),
            parse_length_nm(copper, "--copper") / 1000, where,
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


def now() -> str:
    """Give the time for file headers."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


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


for _command in cli_parts.COMMANDS:
    app.command()(_command)
calc_app.command("formula")(cli_parts.formula_)
app.add_typer(cli_parts.block_app, name="block")


def main() -> None:
    """Run the terminal; every error a user can act on is one line and exit code 2."""
    try:
        app()
    except VaneStepError as error:
        print(error.line(), file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    main()
