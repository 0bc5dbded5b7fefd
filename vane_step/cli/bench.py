"""Commands of the terminal that read and change the bench on the shelf: tools, baths, etchings, orders."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import typer

from vane_step.cli.files import console
from vane_step.core.errors import NotFound
from vane_step.core.etch.run import SEEN, eaten_g
from vane_step.store.designs import DesignStore
from vane_step.workbench import etchings, orders, things

bench_app = typer.Typer(
    no_args_is_help=True,
    help="The bench: bits, printers, baths, etchings and orders of designs on the shelf.",
)
# Lines that may hold anything are written as they are.
PLAIN: Any = {"markup": False, "soft_wrap": True, "highlight": False}
Data = Annotated[
    Path | None, typer.Option("--data", help="Folder of the database; the program's own when left out.")
]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]
OfDesign = Annotated[str, typer.Argument(help="The design's name in its address on the shelf.")]
Number = Annotated[int, typer.Argument(help="Its number.")]


@contextmanager
def _shelf(data: Path | None) -> Iterator[DesignStore]:
    """Open the shelf the pages use; both may be open at the same time."""
    from vane_step.web.settings import Settings

    file = (data or Settings().data) / "designs.sqlite3"
    if not file.is_file():
        raise NotFound(
            "There is no shelf here yet.",
            where=str(file),
            next_step="Start the program once, or name its folder.",
        )
    store = DesignStore(file)
    try:
        yield store
    finally:
        store.close()


def _print(text: str) -> None:
    console.print(text, **PLAIN)


@bench_app.command("things")
def things_(data: Data = None, as_json: AsJson = False) -> None:
    """Tell what is kept: bits, printers, baths with what they have eaten, how houses count turns."""

    with _shelf(data) as store:
        bench = store.bench
        bits, printers = bench.bits(), things.printers(bench)
        baths, houses = things.baths_of(bench), things.fitting_houses(bench)
        runs = list(etchings.runs_of(bench).values())
        eaten = {k: round(eaten_g(k, runs), 2) for k in baths}
    if as_json:
        told = {
            "bits_um": {size: "broken" if broken else "whole" for size, broken in bits.items()},
            "printers": [p.model_dump() for p in printers.values()],
            "baths": [b.model_dump(mode="json") | {"eaten_g": eaten[k]} for k, b in baths.items()],
            "houses": [h.model_dump() for h in houses.values()],
        }
        print(json.dumps(told))
        return
    for size, broken in bits.items():
        _print(f"bit {size / 1000:g} mm{', broken' if broken else ''}")
    for p in printers.values():
        _print(f"printer {p.name}: 50 mm print as {p.across:g} x {p.upwards:g} mm, {p.margin_mm:g} mm white")
    for key, b in baths.items():
        gone = f", handed in {b.gone}" if b.gone else ""
        _print(
            f"bath {key}: {b.name}, {b.school}, {b.volume_ml:g} ml, made {b.made}; has eaten {eaten[key]:g} g "
            f"of {b.capacity_g:.1f} g{gone}"
        )
    for h in houses.values():
        _print(f"house {h.name}: {h.convention}{f', {h.said}' if h.turns else ''}")


@bench_app.command("bits")
def bits_(
    sizes: Annotated[list[str], typer.Argument(help="Sizes in mm.")],
    state: Annotated[str, typer.Option(help="whole, broken, or off the list.")] = "whole",
    data: Data = None,
) -> None:
    """Put drill bits on the list, strike them off as broken, or take them off it."""
    with _shelf(data) as store:
        things.set_bits(store.bench, " ".join(sizes), state)


@bench_app.command("printer")
def printer_(
    name: Annotated[str, typer.Argument(help="Printer, with its paper.")],
    across: Annotated[str, typer.Option(help="What 50 mm measure across.")] = "50",
    upwards: Annotated[str, typer.Option(help="What 50 mm measure upwards.")] = "50",
    margin: Annotated[str, typer.Option(help="What stays white.")] = "10mm",
    forget: Annotated[bool, typer.Option(help="Take it off the list.")] = False,
    data: Data = None,
) -> None:
    """Keep what a printer's ruler measures, or take it off the list."""
    with _shelf(data) as store:
        if forget:
            store.bench.drop("printer", name)
        else:
            things.keep_printer(store.bench, name, across, upwards, margin)


@bench_app.command("bath")
def bath_(
    name: Annotated[str, typer.Argument(help="Its name; its id to hand it in.")],
    school: Annotated[str, typer.Option(help="ferric or acid.")] = "ferric",
    volume: Annotated[str, typer.Option(help="Volume in ml.")] = "",
    strength: Annotated[str, typer.Option(help="Percent of acid, or grams of crystals a litre.")] = "",
    made: Annotated[str, typer.Option(help="Day it was made; today when left out.")] = "",
    gone: Annotated[bool, typer.Option(help="It was handed in.")] = False,
    data: Data = None,
) -> None:
    """Keep a bath, or say that it was handed in."""
    with _shelf(data) as store:
        today = store.shared.now().date()
        if gone:
            things.bath_gone(store.bench, name, today)
        else:
            kept = things.keep_bath(store.bench, name, school, volume, strength, made or today)
            _print(f"{kept.id}: takes up to {kept.capacity_g:.1f} g of copper")


@bench_app.command("fitting")
def fitting_(
    name: Annotated[str, typer.Argument(help="A house that fits parts.")],
    convention: Annotated[str, typer.Option(help="plain, upper-left, lower-left, clockwise.")] = "plain",
    turn: Annotated[list[str] | None, typer.Option(help="A package it takes otherwise: SOT-23-3=90.")] = None,
    forget: Annotated[bool, typer.Option(help="Take it off the list.")] = False,
    data: Data = None,
) -> None:
    """Keep how a house counts turns, or take it off the list."""
    with _shelf(data) as store:
        if forget:
            store.bench.drop("fitting", name)
        else:
            things.keep_fitting_house(store.bench, name, convention, " ".join(turn or []))


@bench_app.command("etchings")
def etchings_(design: OfDesign, data: Data = None, as_json: AsJson = False) -> None:
    """Tell the etchings of a design: steps ticked off, time in the bath, what was seen, faults with their repair."""
    with _shelf(data) as store:
        store.get(design)
        runs = etchings.runs_of(store.bench, design)
    if as_json:
        print(json.dumps({n: r.model_dump(mode="json") for n, r in runs.items()}))
        return
    for n, r in runs.items():
        took = (
            f"{r.seconds / 60:.0f} min in {r.bath or r.school}"
            if r.seconds is not None
            else "not out of a bath"
        )
        _print(
            f"{n}: {r.begun_at:%Y-%m-%d}, {r.method}, {r.copies} copies, {took}; {r.seen or 'nothing seen yet'}"
        )
        _print(f"   ticked off: {', '.join(r.ticks) or 'nothing'}")
        for k, d in enumerate(r.defects):
            _print(
                f"   fault {k}: {d.kind} at {d.x_mm:g}, {d.y_mm:g} {d.side}, {d.repair}{', mended' * d.mended}"
            )


@bench_app.command("etch")
def etch_(
    design: OfDesign,
    method: Annotated[str, typer.Option(help="The brief's when left out.")] = "",
    copies: Annotated[int, typer.Option(min=1, max=1000)] = 1,
    data: Data = None,
) -> None:
    """Begin an etching of a design, and tell its steps."""
    from vane_step.core.etch.methods import method_of
    from vane_step.core.etch.steps import work_steps

    with _shelf(data) as store:
        number = etchings.begin(store, design, method, copies)
        run = etchings.run_of(store.bench, design, number)
        steps = work_steps(method_of(run.method), store.get(design).design)
    _print(f"etching {number}, {run.method}")
    for s in steps:
        _print(f"  {s.key}: {s.title}")


@bench_app.command("tick")
def tick_(
    design: OfDesign,
    number: Number,
    step: Annotated[str, typer.Argument(help="A step's short name.")],
    data: Data = None,
) -> None:
    """Tick a step off, or take the tick back."""
    with _shelf(data) as store:
        run = etchings.tick(store, design, number, step)
    _print(f"ticked off: {', '.join(run.ticks) or 'nothing'}")


@bench_app.command("start")
def start_(
    design: OfDesign,
    number: Number,
    bath: Annotated[str, typer.Option(help="Id of a bath.")] = "",
    temperature: Annotated[str, typer.Option(help="Of the bath.")] = "",
    moved: Annotated[bool, typer.Option(help="The bath is moved all the time.")] = False,
    data: Data = None,
) -> None:
    """Put a board into the bath; tells how long it will take."""
    from vane_step.core.etch.bath_time import expected
    from vane_step.core.etch.run import learned

    with _shelf(data) as store:
        run = etchings.start(store, design, number, bath, temperature, moved)
        time = expected(run.state, learned(etchings.runs_of(store.bench).values()))
    _print(
        f"in since {run.started_at:%H:%M:%S} UTC; about {time.middle_s / 60:.0f} min, "
        f"look from {time.low_s / 60:.0f} min on, out by {time.high_s / 60:.0f} min"
    )


@bench_app.command("stop")
def stop_(
    design: OfDesign,
    number: Number,
    seen: Annotated[str, typer.Option(help="What is seen: " + ", ".join(SEEN) + ".")] = "",
    note: Annotated[str, typer.Option()] = "",
    data: Data = None,
) -> None:
    """Take a board out of the bath with what is seen."""
    with _shelf(data) as store:
        run = etchings.stop(store, design, number, seen, note)
    _print(f"{(run.seconds or 0) / 60:.1f} min, {run.seen}")


@bench_app.command("fault")
def fault_(
    design: OfDesign,
    number: Number,
    side: Annotated[str, typer.Argument(help="front or back.")],
    x: Annotated[str, typer.Argument()],
    y: Annotated[str, typer.Argument()],
    kind: Annotated[str, typer.Argument(help="gap, bridge, pinholes, thin, lost, shifted.")],
    note: Annotated[str, typer.Option()] = "",
    data: Data = None,
) -> None:
    """Write a fault down with its place on the board; tells what mends it."""
    with _shelf(data) as store:
        run = etchings.fault(store, design, number, side, x, y, kind, note)
    _print(f"fault {len(run.defects) - 1}: {run.defects[-1].repair}")


@bench_app.command("mend")
def mend_(
    design: OfDesign, number: Number, fault: Annotated[int, typer.Argument()], data: Data = None
) -> None:
    """Say that a fault is mended, or is not after all."""
    with _shelf(data) as store:
        run = etchings.mend(store, design, number, fault)
    _print(f"fault {fault}: {'mended' if run.defects[fault].mended else 'open'}")


@bench_app.command("ask")
def ask_(
    design: OfDesign,
    say: Annotated[list[str] | None, typer.Option("--set", help="What is ordered, as for quote.")] = None,
    houses: Annotated[
        str, typer.Option("--houses", help="Address of a list of houses; simulated ones.")
    ] = "",
    data: Data = None,
) -> None:
    """Ask all houses for a design on the shelf, and keep what they answer with its date."""
    from vane_step.core.ask.words import pairs
    from vane_step.core.houses.compare import deals
    from vane_step.simulated.host import Hosted
    from vane_step.simulated.houses import create_houses

    hosted = Hosted(create_houses(), houses)
    try:
        with _shelf(data) as store:
            last = orders.ask_houses(store, design, pairs(say or [], "colour=blue"), hosted.address())
            today = store.shared.now().date()
    finally:
        hosted.close()
    for d in deals(last.quotes, last.asked, today):
        _print(f"{d.house} {d.way.name}: {d.total:.2f} €, in hand {d.in_hand}")
    for why in last.silent.values():
        _print(f"no answer: {why}")


@bench_app.command("order")
def order_(
    design: OfDesign,
    house: Annotated[str, typer.Argument(help="A house that was asked.")],
    way: Annotated[str, typer.Argument(help="How it is sent.")],
    note: Annotated[str, typer.Option()] = "",
    data: Data = None,
) -> None:
    """Write an order down, as a house quoted it."""
    from vane_step.core.judge import all_findings

    with _shelf(data) as store:
        stops = [f.message for f in all_findings(store.get(design).design) if f.level == "stop"]
        number, made = orders.place_order(store, design, house, way, note, stops)
    _print(f"order {number}: {made.house}, {made.price:.2f} €, promised {made.promised}")


@bench_app.command("orders")
def orders_(design: OfDesign, data: Data = None, as_json: AsJson = False) -> None:
    """Tell the orders of a design, and which were for another board than it is now."""
    with _shelf(data) as store:
        mark = orders.board_mark(store.get(design).design)
        found = orders.orders_of(store.bench, design)
    if as_json:
        print(json.dumps({n: o.model_dump(mode="json") for n, o in found.items()}))
        return
    for n, o in found.items():
        where = (
            f"received {o.received}" if o.received else f"shipped {o.shipped}" if o.shipped else "not shipped"
        )
        more = "" if o.release == mark else "; the design changed since"
        _print(
            f"{n}: {o.ordered}, {o.house}, {o.asked.quantity} boards, {o.price:.2f} €, promised {o.promised}, "
            f"{where}{more}"
        )
        for key, c in o.checks.items():
            _print(
                f"   {key}: {'right' if c.right else 'WRONG'}{f', {c.reading:g}' if c.reading is not None else ''}"
            )
        for text in (o.complaint, o.note):
            if text:
                _print(f"   {text}")


@bench_app.command("change")
def change_(
    design: OfDesign,
    number: Number,
    act: Annotated[str, typer.Argument(help=", ".join(orders.ACTS) + ".")],
    on: Annotated[str, typer.Option(help="Day; today when left out.")] = "",
    key: Annotated[str, typer.Option(help="Line of the inspection.")] = "",
    reading: Annotated[str, typer.Option(help="What was measured.")] = "",
    text: Annotated[str, typer.Option(help="Complaint or note.")] = "",
    data: Data = None,
) -> None:
    """Change an order: shipped, received, inspected line by line, complained about, ordered again, deleted."""
    with _shelf(data) as store:
        left = orders.change_order(store, design, number, act, on, key, reading, text)
    _print("deleted" if left is None else f"order {left}")
