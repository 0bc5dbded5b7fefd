"""Commands of the terminal for ordering boards: quotes of all houses, and both ways of making a board side by side."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from datetime import date
from typing import Annotated, Any

import typer

from vane_step.cli.files import console, load, write
from vane_step.cli.operation import AsJson
from vane_step.cli.report import In, Out, now
from vane_step.core.design.model import Design
from vane_step.core.houses.compare import Deal, deals, order_findings, own_hands_s
from vane_step.core.houses.options import advice
from vane_step.core.houses.quoting import Asked, parts_wanted
from vane_step.core.houses.wish import wish
from vane_step.core.judge import all_findings

# Lines that may hold anything are written as they are.
PLAIN: Any = {"markup": False, "soft_wrap": True, "highlight": False}
Say = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        help="What is ordered: quantity=10, country=Vestria, colour=blue, finish='gold over nickel', thickness=1.0, "
        "panel=2x1, stencil=yes, express=yes, fitting=house, rate=20.",
    ),
]
At = Annotated[
    str, typer.Option("--houses", help="Address of a list of houses; simulated ones when left out.")
]


def _asked(
    design: Design, say: list[str] | None, address: str
) -> tuple[Asked, float, list[Deal], dict[str, Any]]:
    """Ask all houses, and give what was asked, the user's hour, the deals, and what else was answered."""
    from vane_step.core.ask.words import pairs
    from vane_step.simulated.host import Hosted
    from vane_step.simulated.houses import create_houses
    from vane_step.suppliers.houses import directory, quotes

    asked, rate = wish(design, pairs(say or [], "colour=blue"))
    hosted = Hosted(create_houses(), address)
    try:
        names = directory(hosted.address())
        answers = quotes(hosted.address(), names, asked)
    finally:
        hosted.close()
    refused = {names[i]: q.refusals for i, q in answers.quotes.items() if q.refusals}
    return (
        asked,
        rate,
        deals(answers.quotes, asked, date.today()),
        {"refused": refused, "silent": answers.silent},
    )


def quote(source: In, say: Say = None, houses: At = "", as_json: AsJson = False) -> None:
    """Ask all houses what a board costs and when it is in hand, and tell what each option changes for it."""
    design = load(source)
    asked, rate, found, others = _asked(design, say, houses)
    told = order_findings(design, found, None)
    if as_json:
        rows = [
            {"house": d.quote.house, "way": d.way.name, "total": d.total, "each": round(d.each, 2)}
            | {"in_hand": str(d.in_hand), "best": d.best, "items": [i.model_dump() for i in d.quote.items]}
            for d in found
        ]
        findings = [f.as_report() for f in told]
        print(json.dumps({"asked": asked.model_dump(), "deals": rows, "findings": findings, **others}))
        return
    for d in found:
        mark = "*" if d.best else " "
        whose = f"{d.quote.house}, {d.way.name} ({d.quote.grade})"
        text = f"{mark} {d.total:9.2f} €  {d.each:8.2f} € each  {d.in_hand}  {whose}"
        console.print(text, **PLAIN)
    for name, why in others["refused"].items():
        console.print(f"{name} does not make it: {' '.join(why)}", **PLAIN)
    for why in others["silent"].values():
        console.print(f"no answer: {why}", **PLAIN)
    if not asked.parts:
        hours = own_hands_s(parts_wanted(design), asked.quantity) / 3600
        console.print(
            f"own hands: about {hours:.1f} h of soldering, {hours * rate:.0f} € at {rate:g} € an hour",
            **PLAIN,
        )
    for a in advice(design, asked):
        console.print(f"{a.option}: {a.chosen} ({a.weight}). {a.says}", **PLAIN)
    for f in told:
        console.print(f"{f.level}: {f.message}", **PLAIN)


def decide(
    source: In,
    say: Say = None,
    houses: At = "",
    bits: Annotated[str, typer.Option(help="Drill bits at hand, mm: 0.8,1.0,1.3.")] = "",
) -> None:
    """Put both ways side by side, ordering and making at home: money, hours, day, risks, what would have to change."""
    from vane_step.cli.etching import bit_sizes
    from vane_step.core.board.geometry.shapes import outline
    from vane_step.core.etch.bath_time import BathState, expected
    from vane_step.core.etch.etch_rules import etch_findings
    from vane_step.core.etch.methods import method_of
    from vane_step.core.etch.plan import art_plan
    from vane_step.core.houses.both_ways import at_home, ordered

    design = load(source)
    asked, rate, found, _ = _asked(design, say, houses)
    method = method_of(design.brief.method or "toner")
    told = etch_findings(design, art_plan({"method": method.name, "pads": "large"}), bit_sizes(bits))
    time_s = expected(BathState("ferric", design.board.rules.copper_um), [])
    area = outline(design).area / 1e4
    stops = [f.message for f in all_findings(design) if f.level == "stop"]
    for w in (
        ordered(design, next(iter(found), None), asked.quantity, bool(asked.parts), stops),
        at_home(design, method, told, time_s, asked.quantity, date.today(), area),
    ):
        price = "price open" if w.price is None else f"{w.price:.2f} €"
        text = f"{w.name}: {price}, {w.hours:g} h of hands ({w.hours * rate:.0f} €)"
        text += f", in hand on {w.there or 'no day yet'}"
        console.print(text, **PLAIN)
        for name, some in (
            ("over the brief", w.over),
            ("has to change", w.changes),
            ("may go wrong", w.risks),
        ):
            for line in some:
                console.print(f"  {name}: {line}", **PLAIN)


def assembly(
    source: In,
    output: Out,
    foil: Annotated[
        str, typer.Option(help="Thickness of the stencil's foil; the thickest that lets go, when left out.")
    ] = "",
    frame: Annotated[
        str, typer.Option(help="Frame in mm: none, '260 x 330', '370 x 470', '584 x 584'.")
    ] = "none",
    convention: Annotated[
        str, typer.Option(help="How turns are counted: plain, upper-left, lower-left, clockwise.")
    ] = "plain",
    turn: Annotated[
        list[str] | None, typer.Option(help="A package a house takes otherwise: SOT-23-3=90; repeatable.")
    ] = None,
    variant: Annotated[str, typer.Option(help="Variant that is fitted.")] = "",
) -> None:
    """Write stencil, placement file and drawing as a zip, and prove that pin 1 of every part comes to lie on pin 1."""
    from vane_step.core.ask.words import pairs
    from vane_step.core.fab.assembly_files import assembly_pdf
    from vane_step.core.fab.conventions import convention_of, placement_as, proved
    from vane_step.core.fab.release import slug
    from vane_step.core.fab.stencil import SIDES, best_foil_um, foil_of, stencil_files, stencil_findings
    from vane_step.core.quantity import parse_value

    design = load(source)
    foil_um = foil_of(foil) if foil else best_foil_um(design, variant)
    way = convention_of(convention)
    table = {k: parse_value(v, "--turn") for k, v in pairs(turn or [], "SOT-23-3=90").items()}
    files = stencil_files(design, slug(design.name), now(), foil_um, frame, variant)
    placed = placement_as(design, way, table, variant)
    files[f"{slug(design.name)}-placement-{way.name}.csv"] = placed
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), text)
            console.print(name, **PLAIN)
        drawing = f"{slug(design.name)}-assembly.pdf"
        archive.writestr(zipfile.ZipInfo(drawing, (2026, 1, 1, 0, 0, 0)), assembly_pdf(design, variant))
        console.print(drawing, **PLAIN)
    write(output, packed.getvalue())
    rows = proved(design, placed, way, table)
    wrong = [r.ref for r in rows if not r.agrees]
    console.print(
        f"foil {foil_um} µm; pin 1 of {len(rows) - len(wrong)} of {len(rows)} parts on pin 1", **PLAIN
    )
    for side in SIDES:
        for f in stencil_findings(design, side, foil_um, variant):
            console.print(f"{f.level}: {f.message} ({f.reading:g}, at least {f.limit:g})", **PLAIN)
    raise typer.Exit(1 if wrong else 0)


COMMANDS: tuple[Callable[..., None], ...] = (quote, decide, assembly)
