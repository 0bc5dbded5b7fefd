"""Commands of the terminal for the first three steps: catalogue, controllers, prices, blocks, sheets, land patterns."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any

import typer
from rapidfuzz import fuzz, process

from vane_step.cli.files import Own, console, load, own_texts, read_text, write
from vane_step.core.catalogue.browse import area_mm2
from vane_step.core.catalogue.index import Wanted, nothing_found
from vane_step.core.circuit.variants import fitted
from vane_step.core.controllers.choose import candidates
from vane_step.core.controllers.demand import read_demand
from vane_step.core.design.model import Brief, natural
from vane_step.core.errors import InputError, NotFound
from vane_step.core.order.buying import QUANTITIES, Dated, buy, buying_findings, lines, need_of, price_list
from vane_step.core.patterns.patternsheet import pattern_pdf
from vane_step.data.shipped import catalogue, catalogue_with

In = Annotated[Path, typer.Argument(help="Design file.")]
Out = Annotated[Path, typer.Option("-o", "--output", help="File to write.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]


def _say(text: str) -> None:
    console.print(text, markup=False, soft_wrap=True)


def search(
    words: Annotated[
        list[str] | None, typer.Argument(help="Words and figures, such as: red LED 5 mm, schottky 40 V 2 A.")
    ] = None,
    limit: Annotated[int, typer.Option(help="How many to list.")] = 12,
    category: Annotated[str, typer.Option(help="Only parts of a category or a branch of the tree.")] = "",
    smallest: Annotated[bool, typer.Option("--smallest", help="The smallest on the board first.")] = False,
    own: Own = None,
    as_json: AsJson = False,
) -> None:
    """Search the catalogue by the words people use and by figures; without words, all of a category."""
    known = catalogue_with(own_texts(own))
    branches = {c.branch for c in known.categories.values()}
    if category and category not in known.categories and category not in branches:
        near = process.extract(category, [*known.categories, *branches], scorer=fuzz.WRatio, limit=5)
        raise NotFound(
            f"There is no category {category}.",
            where="--category",
            value=category,
            allowed=", ".join(n for n, *_ in near),
            next_step="vane-step categories lists them.",
        )
    wanted: Wanted = {"category": category}
    if smallest:
        wanted["order"] = lambda part: area_mm2(known, part)
    words = words or []
    answer = known.search(" ".join(words), limit, **wanted)
    found = answer.found
    if as_json:
        rows = [
            {"number": f.part.number, "title": f.part.title, "package": f.part.package, **f.part.params}
            for f in found
        ]
        print(json.dumps(rows))
        return
    for typed, taken in answer.read_as:
        _say(f"{typed}: read as {taken}")
    if found and answer.left_out:
        _say(f"shown without {', '.join(answer.left_out)}: no part has all of that")
    for f in found:
        figures = ", ".join(f"{title} {figure}" for title, figure in f.part.told()[:5])
        print(f"{f.part.number:14} {f.part.package:14} {f.part.title}: {figures}")
    if answer.count > len(found):
        _say(f"… {answer.count - len(found)} more; --limit shows them")
    if not found:
        raise nothing_found(" ".join(words), known.index.near(" ".join(words)))


def categories(as_json: AsJson = False) -> None:
    """List the tree of the catalogue: branches, their categories, and how many parts each has."""
    known = catalogue()
    counts = Counter(p.category for p in known.parts.values())
    if as_json:
        rows = [{"branch": c.branch, "category": n, "parts": counts[n]} for n, c in known.categories.items()]
        print(json.dumps(rows))
        return
    branch = ""
    for name, kind in known.categories.items():
        if kind.branch != branch:
            branch = kind.branch
            print(branch)
        print(f"  {counts[name]:5} {name}")


def choose(
    demand: Annotated[
        Path, typer.Argument(help="Text: what firmware needs, one wish a line; or a design file.")
    ],
    as_json: AsJson = False,
) -> None:
    """Hold every controller of the catalogue against a demand, each with the pins that prove it."""
    brief = Brief()
    text = read_text(demand)
    if demand.suffix == ".json":
        brief = load(demand).brief
        text = brief.demands
    wanted = read_demand(text)
    if not wanted.signals:
        raise InputError("It asks for no pin.", where=str(demand), allowed="lines such as: PUMP: pwm")
    found = candidates(catalogue(), wanted, brief)
    if as_json:
        rows = [
            {
                "number": c.part.number,
                "feasible": c.feasible,
                "lacks": list(c.lacks),
                "missing": [s.name for s in c.assignment.missing],
                "spare": len(c.assignment.spare),
                "pins": {u.demand: f"{u.pin} {u.function}" for u in c.assignment.uses},
                "gap": c.assignment.gap,
            }
            for c in found
        ]
        print(json.dumps(rows))
    else:
        for c in found:
            why = "; ".join([*c.lacks, *(f"no pin for {s.name}" for s in c.assignment.missing[:4])])
            fits = "fits" if c.feasible else "-"
            print(f"{fits:5} {c.part.number:8} {c.part.package:10} {len(c.assignment.spare):3} spare  {why}")
    raise typer.Exit(0 if any(c.feasible for c in found) else 1)


def price(
    source: In,
    boards: Annotated[int, typer.Option(help="How many boards; the brief's quantity when left out.")] = 0,
    variant: Annotated[str, typer.Option(help="Variant to price.")] = "",
    supplier: Annotated[
        str, typer.Option(help="Address of a supplier; the simulated one when left out.")
    ] = "",
    as_json: AsJson = False,
) -> None:
    """Ask a supplier for the parts of a design and price the list."""
    from vane_step.simulated.host import Hosted
    from vane_step.simulated.supplier import create_supplier
    from vane_step.suppliers.client import ask_supplier

    design = load(source)
    count = boards or design.brief.quantity
    hosted = Hosted(create_supplier(), supplier)
    try:
        answers = ask_supplier(
            hosted.address(), sorted({p.catalogue for p in design.parts.values() if p.catalogue})
        )
    finally:
        hosted.close()
    now = datetime.now(UTC)
    found = lines(design, fitted(design, variant), {n: Dated(o, now) for n, o in answers.items()}, {})
    sums = [price_list(design, found, n) for n in dict.fromkeys((*QUANTITIES, count))]
    rows: list[dict[str, Any]] = []
    for line in found:
        offer = line.dated.offer if line.dated else None
        bought = buy(offer, need_of(line, design, count)) if offer else None
        rows.append(
            {
                "refs": " ".join(line.refs),
                "value": line.value,
                "number": line.number,
                "buy": bought.buy if bought else None,
                "total": round(bought.total, 2) if bought else None,
                "stock": offer.stock if offer else None,
            }
        )
    if as_json:
        totals = {str(s.boards): {"each": round(s.each, 2), "unpriced": s.unpriced} for s in sums}
        print(json.dumps({"lines": rows, "boards": totals, "asked_at": now.isoformat(timespec="minutes")}))
        return
    for row in rows:
        total = "-" if row["total"] is None else f"{row['total']:.2f}"
        chosen = row["number"] or "not chosen"
        print(f"{row['refs']:24.24} {row['value']:12.12} {chosen:14} {row['buy'] or '-':>6} {total:>8}")
    for s in sums:
        _say(
            f"{s.boards} boards: {s.each:.2f} € each, {s.total:.2f} € in all"
            + (f", {s.unpriced} unpriced" if s.unpriced else "")
        )
    for f in buying_findings(design, found, count, now):
        _say(f"{f.level:5} {f.code}: {f.message} ({f.source})")


def supplier(port: Annotated[int, typer.Option(help="Port.")] = 8790) -> None:
    """Run the simulated supplier as a server of its own; POST /v1/behaviour switches delay and failures."""
    import uvicorn

    from vane_step.simulated.supplier import create_supplier

    print(f"The simulated supplier answers at http://127.0.0.1:{port}/v1/offers", flush=True)
    uvicorn.run(create_supplier(), host="127.0.0.1", port=port, log_level="warning")


def patterns(
    source: In,
    output: Out,
    name: Annotated[list[str] | None, typer.Option(help="Package; all when left out.")] = None,
) -> None:
    """Print land patterns at true size, to put the parts on."""
    design = load(source)
    missing = [n for n in name or [] if n not in design.packages]
    if missing:
        raise NotFound(
            f"The design has no package {missing[0]}.",
            where=missing[0],
            allowed=", ".join(design.packages),
            next_step="Name a package the design uses.",
        )
    chosen = name or sorted({p.package for p in design.parts.values()}, key=natural)
    if not chosen:
        raise InputError("There is no pattern to print yet.", where=str(source), next_step="Add parts first.")
    write(output, pattern_pdf([design.packages[n] for n in chosen]))


COMMANDS: tuple[Callable[..., None], ...] = (search, categories, choose, price, supplier, patterns)
