"""Commands of the terminal for the board: its places, copper, outline, legend, panels, and what it looks like."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from vane_step.cli.files import console, load, read_bytes, write
from vane_step.cli.report import In, Out, Report, change, finish
from vane_step.core.ask import ask
from vane_step.core.board.analysis.current_loops import loops
from vane_step.core.board.analysis.return_paths import return_paths
from vane_step.core.board.copper.pour_fill import pour_pieces
from vane_step.core.board.geometry.diff_pairs import sense_pairs
from vane_step.core.board.geometry.filled_shapes import ink
from vane_step.core.board.geometry.shapes import rectangle
from vane_step.core.board.outline.importers import Drawn
from vane_step.core.board.placement.placer import arrange as arrange_parts, propose
from vane_step.core.design.edits import Edit, SetItem, apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.quantity import parse_length_nm
from vane_step.data.shipped import resources
from vane_step.importers import files_of_another_board, is_drawing, legend_picture, outline_file


def outline_option(text: str) -> Drawn:
    """Read ``60x40`` (millimetres), the name of a DXF or SVG file, or ``picture.png@166mm``."""
    name, _, wide = text.partition("@")
    if is_drawing(name):
        return outline_file(
            read_bytes(Path(name)), name, parse_length_nm(wide, "--outline") / 1e6 if wide else 0.0
        )
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
        raise InputError(
            "That is no board size.", where="--outline", value=text, allowed="1 to 1000 mm a side"
        )
    return Drawn(rectangle(*sides))


def arrange(
    source: In,
    output: Out,
    report: Report = None,
    all_parts: Annotated[
        bool, typer.Option("--all", help="Place all unlocked parts anew; take the best.")
    ] = False,
    tidy: Annotated[bool, typer.Option(help="Begin from the places there are.")] = False,
    count: Annotated[int, typer.Option(min=1, max=20, help="Arrangements to choose from.")] = 3,
    seed: Annotated[
        int, typer.Option(min=0, max=2**31 - 100, help="The same seed gives the same places.")
    ] = 1,
) -> None:
    """Put waiting parts on the board, or arrange all anew and take the best of several."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        if not (all_parts or tidy):
            return arrange_parts(design), {}
        found = propose(design, count, seed=seed, tidy=True if tidy else None)
        scores = [
            {"seed": a.seed, "tidied": a.tidied, "worth": a.score.worth, **asdict(a.score)} for a in found
        ]
        return found[0].edit, {"arrangements": scores}

    change(source, output, report, make)


def route(
    source: In,
    output: Out,
    report: Report = None,
    net: Annotated[list[str] | None, typer.Option(help="Only this net; may be repeated.")] = None,
    fresh: Annotated[bool, typer.Option(help="Remove unlocked tracks first.")] = False,
    link: Annotated[
        tuple[str, str] | None,
        typer.Option(help="Only from this pin to that, among copper that stays where it is."),
    ] = None,
) -> None:
    """Route the unrouted connections."""
    if link:
        from vane_step.core.route.guide import link as lay_link

        change(source, output, report, lambda design: (lay_link(design, *link), {"link": link}))
        return
    from vane_step.core.route.router import route as route_links, warm_up

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        unknown = [n for n in net or [] if n not in design.nets]
        if unknown:
            raise InputError(
                f"There is no net {unknown[0]}.",
                where="--net",
                value=unknown[0],
                next_step="Name a net of the design.",
            )
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
            console.print(f"Connections stayed unrouted: {result.why}.", markup=False, soft_wrap=True)
        return result.edit, extra

    change(source, output, report, make)


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
        copper = f"{a.vias} vias, {a.wires} wire jumpers, {a.length_mm:.0f} mm"
        price = f", {a.price:.2f} € each" if a.price else ""
        print(
            f"{a.layers} layers: {a.links_open} open, {copper}, {100 * a.over_ground:.0f} % over ground{price}{made}"
        )


def outline(
    source: In,
    output: Out,
    report: Report = None,
    size: Annotated[str, typer.Option(help="60x40 in mm, a DXF or SVG file, or picture.png@166mm.")] = "",
    like: Annotated[
        list[Path] | None, typer.Option(help="Files of another board: a zip, or Gerber and XNC.")
    ] = None,
) -> None:
    """Give the board another outline, or that of another board with its holes and connector places."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        if bool(size) == bool(like):
            raise InputError(
                "An outline comes from one thing.", where="outline", allowed="either --size or --like"
            )
        if size:
            drawn = outline_option(size)
            figures = {"holes": len(drawn.holes), "cutouts": len(drawn.openings), "left_out": drawn.left_out}
            return drawn.edit(design), figures
        found = files_of_another_board(design, {p.name: read_bytes(p) for p in like or []})
        numbers = {"width_mm": found.width_mm, "height_mm": found.height_mm, "holes": found.holes}
        for ref, offers in found.asked.items():
            ways = "; ".join(o.says() for o in offers)
            console.print(f"{ref} fits in {len(offers)} ways and was left where it is: {ways}", markup=False)
        asked = {ref: [o.place.model_dump() for o in offers] for ref, offers in found.asked.items()}
        told = {"placed": found.placed, "why": found.why, "asked": asked, "left_out": found.left_out}
        return found.edit, {**numbers, **told}

    change(source, output, report, make)


def fill(
    source: In,
    output: Out,
    report: Report = None,
    net: Annotated[
        str, typer.Option(help="Net to pour; without one, the pours there are are filled again.")
    ] = "",
    layer: Annotated[str, typer.Option(help="Copper layer to pour on.")] = "back",
) -> None:
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
        print(
            f"{' and '.join(pair.nets):<16} {100 * pair.beside:.0f} % side by side, lengths differ by {apart:.1f} mm"
        )


def picture(
    source: In,
    output: Out,
    file: Annotated[Path, typer.Option(help="Picture of dark shapes on a light ground.")],
    width: Annotated[str, typer.Option(help="Width of what is drawn, in mm.")],
    at: Annotated[str, typer.Option(help="Its middle, X,Y in mm.")],
    back: Annotated[bool, typer.Option("--back", help="Print it on the back.")] = False,
    report: Report = None,
) -> None:
    """Trace a picture and print it on the legend."""

    def make(design: Design) -> tuple[Edit, dict[str, Any]]:
        x, _, y = at.partition(",")
        spot = parse_length_nm(x, "--at"), parse_length_nm(y, "--at")
        wide = parse_length_nm(width, "--width") / 1e6
        rings = legend_picture(read_bytes(file), file.name, wide, design.board.rules.legend_width_nm / 1e6)
        return SetItem(text=ink(design, file.stem, rings, spot, "back" if back else "front")), {
            "rings": len(rings)
        }

    change(source, output, report, make)


COMMANDS: tuple[Callable[..., None], ...] = (arrange, route, advise, outline, fill, paths, picture)
