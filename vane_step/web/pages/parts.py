"""The parts page: the list with prices, the catalogue, choosing a controller, land patterns and stock at hand."""

from __future__ import annotations

import csv
import io
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import BaseModel, ConfigDict

from vane_step.core.catalogue.own import is_own
from vane_step.core.circuit.pinmap import HEAD, pin_map
from vane_step.core.circuit.variants import fitted
from vane_step.core.controllers.choose import Candidate, candidates, pin_table
from vane_step.core.controllers.demand import FUNCTIONS, TITLES, read_demand
from vane_step.core.design.edits import part_of
from vane_step.core.design.model import Design, natural
from vane_step.core.errors import InputError, NotFound, VaneStepError
from vane_step.core.fab.release import slug
from vane_step.core.fab.tables import csv_text
from vane_step.core.order.buying import alternates, buy, need_of
from vane_step.core.patterns.families import DIMENSIONED
from vane_step.core.patterns.patternsheet import DIRECTIONS, SENSES, measures, pattern_pdf, truth
from vane_step.store.designs import Kept
from vane_step.suppliers.client import kept_offers, refresh
from vane_step.web.findings_view import outside
from vane_step.web.log import log
from vane_step.web.pages.catalogue import next_ref, prices_of, searched
from vane_step.web.pictures import drawn
from vane_step.web.render import catalogue_of, page, step_page, store_of

router = APIRouter()
SHOWS = ("list", "catalogue", "controller", "patterns", "stock")


def _told(request: Request, kept: Kept, show: str, variant: str = "") -> dict[str, Any]:
    shared = store_of(request).shared
    out = outside(kept, shared, variant)
    data: dict[str, Any] = {
        "kept": kept,
        "design": kept.design,
        "show": show,
        "out": out,
        "variant": variant,
        "now": shared.now(),
        "boards": kept.design.brief.quantity,
        "families": DIMENSIONED,
    }
    if show == "list":
        data["rows"] = [(line, _price(kept.design, line)) for line in out.lines]
    elif show == "controller":
        data |= _controllers(request, kept)
    elif show == "patterns":
        data["patterns"] = _patterns(kept.design)
        data["kept_packages"] = catalogue_of(request).packages
    elif show == "catalogue":
        data |= searched(request, kept)
    elif show == "stock":
        data["stock"] = [(d, catalogue_of(request).parts.get(d.number)) for d in shared.stock()]
        data["wants"] = {
            line.number: line.count * kept.design.brief.quantity for line in out.lines if line.number
        }
    return data


def _price(design: Design, line: Any) -> Any:
    offer = line.dated.offer if line.dated else None
    wanted = need_of(line, design, design.brief.quantity, design.brief.stock_first)
    return {"wanted": wanted, "bought": buy(offer, wanted) if offer and wanted else None, "offer": offer}


def _controllers(request: Request, kept: Kept) -> dict[str, Any]:
    """Judge the controllers for the brief's demand, and show the pins of one that is in the circuit."""
    text = kept.design.brief.demands
    found: list[Candidate] = []
    refused = ""
    try:
        demand = read_demand(text)
        if demand.signals:
            found = candidates(
                catalogue_of(request),
                demand,
                kept.design.brief,
                prices_of(request, kept.design.brief.quantity),
            )
    except VaneStepError as error:
        refused = error.line()
    own = [p for p in kept.design.parts.values() if any(pin.functions for pin in p.pins)]
    own.sort(key=lambda p: natural(p.ref))
    tables = [(p, pin_table(p.pins, p.uses)) for p in own]
    return {
        "demand": text,
        "found": found,
        "refused": refused,
        "own": tables,
        "functions": FUNCTIONS,
        "titles": TITLES,
    }


def _patterns(design: Design) -> list[dict[str, Any]]:
    users: dict[str, list[str]] = {}
    for part in sorted(design.parts.values(), key=lambda p: natural(p.ref)):
        users.setdefault(part.package, []).append(part.ref)
    packs = sorted(design.packages.values(), key=lambda p: (bool(p.proved), bool(p.checked), natural(p.name)))
    return [
        {
            "pack": p,
            "refs": users.get(p.name, []),
            "measures": measures(p),
            "asks": truth(p) is not None,
            "svg": drawn(p),
            "own": is_own(p),
        }
        for p in packs
    ]


@router.get("/d/{id}/parts", response_class=HTMLResponse)
def parts(request: Request, id: str, show: str = "list", variant: str = "") -> HTMLResponse:
    """Show the parts step."""
    if show not in SHOWS:
        raise NotFound(f"There is no view {show}.", where="parts", allowed=", ".join(SHOWS))
    kept = store_of(request).get(id)
    fitted(kept.design, variant)
    data = _told(request, kept, show, variant)
    return step_page(request, kept, "parts", {**data, "directions": DIRECTIONS, "senses": SENSES})


@router.get("/d/{id}/parts/view", response_class=HTMLResponse)
def parts_view(request: Request, id: str, show: str = "list", variant: str = "") -> HTMLResponse:
    """Give the view alone."""
    kept = store_of(request).get(id)
    data = _told(request, kept, show, variant)
    return page(request, "_parts.html", {**data, "directions": DIRECTIONS, "senses": SENSES})


class Question(BaseModel):
    """Asking the supplier; ``version`` comes along with every form and does not matter here."""

    model_config = ConfigDict(extra="forbid")
    version: int = 0


@router.post("/d/{id}/offers")
def ask_offers(request: Request, id: str, body: Question) -> dict[str, Any]:
    """Ask the supplier for the parts of this design and for alternates."""
    kept = store_of(request).get(id)
    shared = store_of(request).shared
    numbers = {p.catalogue for p in kept.design.parts.values() if p.catalogue}
    parts = catalogue_of(request).parts
    around = {
        other.number
        for n in numbers
        if n in parts
        for other in parts.values()
        if other.category == parts[n].category
        and other.package == parts[n].package
        # Of a series only the same value can stand for another.
        and (not other.series or other.value == parts[n].value)
    }
    around |= {p.number for p in parts.values() if p.category == "controller"}
    if not numbers | around:
        raise InputError(
            "No part of the design is chosen from the catalogue yet.",
            where=id,
            next_step="Choose parts first.",
        )
    at = refresh(shared, request.app.state.supplier.address(), sorted(numbers | around))
    log.info("supplier", design=id, asked=len(numbers | around), at=at.isoformat())
    request.app.state.events.publish(id, "offers", {"at": at.isoformat()})
    return {"says": f"asked for {len(numbers | around)} parts", "at": at.isoformat(timespec="minutes")}


@router.get("/d/{id}/alternates", response_class=HTMLResponse)
def others(request: Request, id: str, ref: str) -> HTMLResponse:
    """Give the alternates of a part, cheapest first."""
    kept = store_of(request).get(id)
    part = part_of(kept.design, ref)
    if not part.catalogue:
        hits = catalogue_of(request).like(part)[:8]
        return page(
            request, "_others.html", {"kept": kept, "part": part, "found": [], "hits": hits, "refs": [ref]}
        )
    boards = kept.design.brief.quantity
    refs = [p.ref for p in kept.design.parts.values() if p.catalogue == part.catalogue]
    found = alternates(
        catalogue_of(request),
        kept_offers(store_of(request).shared),
        catalogue_of(request).get(part.catalogue),
        len(refs) * boards,
    )
    return page(
        request, "_others.html", {"kept": kept, "part": part, "found": found[:6], "hits": [], "refs": refs}
    )


@router.get("/d/{id}/patterns.pdf")
def patterns_pdf(request: Request, id: str, name: str = "") -> Response:
    """Give land patterns at true size, to lay the parts on."""
    design = store_of(request).get(id).design
    if name and name not in design.packages:
        raise NotFound(
            f"The design has no package {name}.",
            where=name,
            allowed=", ".join(design.packages),
            next_step="Choose a package the design uses.",
        )
    used = sorted({p.package for p in design.parts.values()} | ({name} if name else set()), key=natural)
    packs = [design.packages[n] for n in ([name] if name else used)]
    if not packs:
        raise InputError("There is no pattern to print yet.", where=id, next_step="Add a part first.")
    headers = {"Content-Disposition": f'inline; filename="{id}-patterns.pdf"'}
    return Response(pattern_pdf(packs), media_type="application/pdf", headers=headers)


@router.get("/d/{id}/pinmap.csv")
def pin_map_csv(request: Request, id: str, ref: str) -> Response:
    """Give what each pin of a part is on, for whoever writes its firmware."""
    text = csv_text(HEAD, pin_map(store_of(request).get(id).design, ref))
    headers = {"Content-Disposition": f'attachment; filename="{id}-{slug(ref)}-pins.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/d/{id}/parts.csv")
def parts_csv(request: Request, id: str, variant: str = "") -> Response:
    """Give the list of parts of a variant with prices at the brief's quantity."""
    kept = store_of(request).get(id)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(
        [
            "refs",
            "value",
            "package",
            "number",
            "need",
            "at_hand",
            "buy",
            "each_eur",
            "sum_eur",
            "stock",
            "asked_at",
        ]
    )
    for line in outside(kept, store_of(request).shared, variant).lines:
        p = _price(kept.design, line)
        bought, offer = p["bought"], p["offer"]
        writer.writerow(
            [
                " ".join(line.refs),
                line.value,
                line.package,
                line.number,
                p["wanted"],
                line.at_hand,
                bought.buy if bought else "",
                f"{bought.each:.4f}" if bought else "",
                f"{bought.total:.2f}" if bought else "",
                offer.stock if offer else "",
                line.dated.at.isoformat(timespec="minutes") if line.dated else "",
            ]
        )
    headers = {
        "Content-Disposition": f'attachment; filename="{id}-parts{f"-{variant}" if variant else ""}.csv"'
    }
    return Response(out.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/d/{id}/candidate/{number}", response_class=HTMLResponse)
def candidate(request: Request, id: str, number: str) -> HTMLResponse:
    """Show the assignment that proves a controller fits the demand."""
    kept = store_of(request).get(id)
    found = candidates(catalogue_of(request), read_demand(kept.design.brief.demands), kept.design.brief)
    mine = next((c for c in found if c.part.number == number), None)
    if mine is None:
        raise NotFound(f"There is no controller {number}.", where=number, next_step="Search for it.")
    table = pin_table(mine.part.pins, mine.assignment.uses)
    data = {
        "kept": kept,
        "design": kept.design,
        "c": mine,
        "table": table,
        "next_ref": next_ref(catalogue_of(request), kept.design),
    }
    return page(request, "_candidate.html", data)


@router.post("/stock")
def set_stock_at_hand(
    request: Request,
    number: Annotated[str, Form(max_length=80)],
    quantity: Annotated[int, Form(ge=0, le=10**6)],
    back: Annotated[str, Form(max_length=80, pattern=r"^[a-z0-9-]+$")],
) -> RedirectResponse:
    """Say how many of a part are at hand."""
    part = catalogue_of(request).get(number.strip())
    store_of(request).shared.set_stock(part.number, quantity)
    return RedirectResponse(f"/d/{back}/parts?show=stock", 303)


@router.post("/d/{id}/reserve")
def reserve(request: Request, id: str, body: Question) -> dict[str, Any]:
    """Reserve from stock at hand what this design needs."""
    kept = store_of(request).get(id)
    shared = store_of(request).shared
    wanted: dict[str, int] = {}
    for line in outside(kept, shared).lines:
        if line.number:
            wanted[line.number] = line.count * kept.design.brief.quantity
    given = shared.reserve(id, wanted)
    request.app.state.events.publish(id, "offers", {})
    return {"says": f"reserved {sum(given.values())} parts of {len(given)} kinds"}
