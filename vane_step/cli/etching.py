"""Commands of the terminal for making boards at home: artwork, drilling, the bath."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Annotated, Any

import typer

from vane_step.cli.files import console, load, write
from vane_step.cli.report import In, Out, Report, finish
from vane_step.core.errors import InputError
from vane_step.core.judge import all_findings
from vane_step.core.quantity import parse_length_nm

# Lines that may hold anything are written as they are.
PLAIN: Any = {"markup": False, "soft_wrap": True, "highlight": False}


def etch(
    source: In,
    output: Out,
    method: Annotated[str, typer.Option(help="How it is made: toner, film, dry-film, pen ...")] = "",
    copies: Annotated[str, typer.Option(help="Copies, or 'fill'.")] = "1",
    paper: Annotated[str, typer.Option(help="A4, Letter or A3.")] = "A4",
    say: Annotated[
        list[str] | None,
        typer.Option(
            "--set",
            help="More: blank=100x160, layout=together|folded, legend=yes, template=yes, pads=large, pins=yes, "
            "factor=2, isolation=1mm, turn=landscape, margin=8mm, words=no.",
        ),
    ] = None,
    sheet: Annotated[int, typer.Option(help="Which sheet, for SVG and bitmap.")] = 1,
    dpi: Annotated[int, typer.Option(help="Dots an inch of a bitmap: 600 or 1200.")] = 1200,
    ruler: Annotated[
        str, typer.Option(help="Measured ruler, across,upwards in mm, to correct a printer.")
    ] = "50,50",
    bits: Annotated[str, typer.Option(help="Drill bits at hand, mm: 0.8,1.0,1.3.")] = "",
    report: Report = None,
) -> None:
    """Write artwork for making a board at home as PDF; one sheet as SVG or bitmap when the output ends so."""
    from vane_step.core.ask.words import pairs
    from vane_step.core.etch import artwork
    from vane_step.core.etch.etch_rules import etch_findings
    from vane_step.core.etch.plan import art_plan

    begun = time.perf_counter()
    design = load(source)
    ruler_scale(ruler)
    across, _, upwards = ruler.partition(",")
    said = {"method": method, "copies": copies, "paper": paper, "across": across, "upwards": upwards}
    plan = art_plan(said | pairs(say or [], "blank=100x160"), design.brief.method or "toner")
    found, mine = all_findings(design), bit_sizes(bits)
    stops = [f.message for f in found if f.level == "stop"]
    kind = output.suffix.lower()
    if kind == ".svg":
        write(output, artwork.svg(design, plan, sheet, stops))
    elif kind == ".png":
        write(output, artwork.bitmap(design, plan, sheet, dpi))
    else:
        write(output, artwork.pdf(design, plan, stops, mine))
    for made in artwork.sheets(design, plan):
        console.print("; ".join(label for _, _, label in made.labels), **PLAIN)
    finish(design, report, begun, findings=[*found, *etch_findings(design, plan, mine)])


def bit_sizes(text: str) -> tuple[float, ...]:
    """Read sizes of drill bits, ``0.8,1.0,1.3`` in millimetres."""
    return tuple(sorted(parse_length_nm(one, "--bits") / 1e6 for one in text.replace(",", " ").split()))


def drilling(
    source: In,
    tool: Annotated[str, typer.Option(help="press or hand.")] = "press",
    bits: Annotated[str, typer.Option(help="Drill bits at hand, mm: 0.8,1.0,1.3.")] = "",
) -> None:
    """Tell how a board is drilled: which bit for which hole, in which order, how far and how long."""
    from vane_step.core.etch.cautions import DRILLING
    from vane_step.core.etch.drillplan import drill_plan, drill_turns, letter_of

    if tool not in ("press", "hand"):
        raise InputError(f"{tool!r} drills nothing.", where="--tool", value=tool, allowed="press, hand")
    design = load(source)
    rows = drill_plan(design, bit_sizes(bits))
    for k, r in enumerate(rows):
        left = "" if r.ring_left_mm is None else f", ring left {r.ring_left_mm:.2f} mm"
        bit = f"bit {r.bit} ({r.bit_mm:.2f} mm)" if r.at_hand else "no drill at hand"
        rows_of = f"; {r.in_rows}" if r.slots else ""
        console.print(
            f"{letter_of(k)}  {r.count:4d} holes of {r.drill_mm:.2f} mm: {bit}{left}{rows_of}", **PLAIN
        )
    turns = drill_turns(rows, design, tool)  # type: ignore[arg-type]
    for t in turns:
        text = f"{t.bit}: holes {', '.join(t.letters)}, {len(t.holes)}, {t.way_mm / 10:.1f} cm"
        text += f", {t.seconds / 60:.1f} min"
        console.print(text, **PLAIN)
    console.print(f"{sum(t.seconds for t in turns) / 60:.0f} minutes", **PLAIN)
    for caution in DRILLING:
        console.print(f"Caution: {caution}", **PLAIN)


def bath(
    source: In,
    school: Annotated[str, typer.Option(help="ferric or acid.")] = "ferric",
    method: Annotated[str, typer.Option(help="How it is made.")] = "",
    copies: Annotated[int, typer.Option(min=1, max=1000)] = 1,
    acid: Annotated[float, typer.Option(help="Percent of the hydrochloric acid.")] = 10.0,
    warm: Annotated[float | None, typer.Option(help="Warmth of the bath, °C.")] = None,
    still: Annotated[bool, typer.Option(help="It is not moved.")] = False,
    spent: Annotated[
        float, typer.Option(min=0, max=1, help="Share of what it can take that it has eaten.")
    ] = 0.0,
    took: Annotated[
        list[float] | None,
        typer.Option(
            help="Minutes an earlier board took in such a bath; repeatable, the time learns from it."
        ),
    ] = None,
) -> None:
    """Tell what an etching bath has to eat, what that takes beside its cautions, how long, and what to watch."""
    from vane_step.core.etch.bath import PLENTY, SCHOOLS, needs, to_remove_g
    from vane_step.core.etch.bath_time import BathState, expected
    from vane_step.core.etch.cautions import BATH, LAWS
    from vane_step.core.etch.danger import danger_places
    from vane_step.core.etch.methods import method_of
    from vane_step.core.etch.picture import Ink
    from vane_step.core.etch.plan import art_plan

    if school not in SCHOOLS:
        raise InputError(
            f"There is no bath {school!r}.", where="--school", value=school, allowed=", ".join(SCHOOLS)
        )
    design = load(source)
    name = method_of(method or design.brief.method or "toner").name
    need = needs(to_remove_g(design, art_plan({"method": name}), copies))
    state = BathState(school, design.board.rules.copper_um, warm, not still, spent)
    time_s = expected(state, [(state, m * 60) for m in took or []])
    console.print(f"copper to remove: {need.copper_g:.3f} g", **PLAIN)
    if school == "ferric":
        text = f"at the least {need.hexahydrate_g:.2f} g of ferric chloride crystals; "
        text += f"plan {PLENTY * need.hexahydrate_g:.0f} g"
    else:
        ml = need.acid_ml(acid)
        text = f"at the least {ml:.1f} mL of acid of {acid:g} % and {need.peroxide_ml:.1f} mL of peroxide of 3 %; "
        text += f"plan {PLENTY * ml:.0f} and {PLENTY * need.peroxide_ml:.0f} mL"
    console.print(text, **PLAIN)
    minutes = [v / 60 for v in (time_s.low_s, time_s.middle_s, time_s.high_s)]
    console.print(
        f"time: {minutes[1]:.0f} minutes, eight of ten between {minutes[0]:.0f} and {minutes[2]:.0f}", **PLAIN
    )
    for place in danger_places(design, Ink(name)):
        of = f" of {place.net}" if place.net else ""
        text = f"watch: {place.why}{of}, {place.side}, {place.wide_mm:.2f} mm at {place.x_mm:.1f}, {place.y_mm:.1f}"
        console.print(text, **PLAIN)
    for caution in (*BATH, *LAWS):
        console.print(f"Caution: {caution}", **PLAIN)


def ruler_scale(ruler: str) -> tuple[float, float]:
    """Read what a printed ruler measured, ``50.1,49.9`` in millimetres, as the factors a print is corrected by."""
    from vane_step.core.etch.sheets import scale_of

    across, comma, upwards = ruler.partition(",")
    if not comma:
        raise InputError(
            f"{ruler!r} is no pair of lengths.", where="--ruler", value=ruler, allowed="50.1,49.9"
        )
    return scale_of(parse_length_nm(across, "--ruler") / 1e6, parse_length_nm(upwards, "--ruler") / 1e6)


COMMANDS: tuple[Callable[..., None], ...] = (etch, drilling, bath)
