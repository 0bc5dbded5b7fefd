"""The catalogue: searching and browsing it from a design's pages, a part's own sheet, comparing parts side by side."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from vane_step.core.catalogue.browse import area_mm2, sliders
from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.catalogue.entry import CataloguePart
from vane_step.core.catalogue.index import Answer
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.order.buying import buy
from vane_step.core.parts.part import next_refs
from vane_step.core.patterns.skills import wants_leaded
from vane_step.data.shipped import blocks
from vane_step.store.designs import Kept
from vane_step.suppliers.client import kept_offers
from vane_step.web.pictures import body_of, symbol_of
from vane_step.web.render import catalogue_of, page, store_of

router = APIRouter()
SHOWN, FEW = 40, 7
SORTS = ("fit", "price", "stock", "size")
# How much nearer a part is for being at hand, in this design, or in the blocks.
AT_HAND, HERE, IN_BLOCKS = 0.3, 0.15, 0.1
MOST_COMPARED = 5


@dataclass(frozen=True)
class Search:
    """What the search form says."""

    q: str
    category: str
    sort: str
    ranges: Mapping[str, tuple[float, float]]

    def address(self, id: str) -> str:
        """Give the page's address with this search, so that it is there again after going back."""
        said = {"show": "catalogue", "q": self.q, "category": self.category}
        if self.sort != "fit":
            said["sort"] = self.sort
        said |= {f"range_{key}": f"{low:g}..{high:g}" for key, (low, high) in self.ranges.items()}
        return f"/d/{id}/parts?{urlencode({k: v for k, v in said.items() if v})}"


def _asked(request: Request, known: Catalogue) -> Search:
    """Read the form: sliders come as steps of a category's values, addresses as ranges."""
    params = request.query_params
    category = params.get("category", "")
    if category not in known.categories and category not in {c.branch for c in known.categories.values()}:
        category = ""
    ranges: dict[str, tuple[float, float]] = {}
    for slider in sliders(known, category, {}):
        low, high = 0, len(slider.values) - 1
        if text := params.get(f"range_{slider.key}", ""):
            first, _, last = text.partition("..")
            try:
                ranges[slider.key] = (float(first), float(last))
            except ValueError:
                continue
            continue
        try:
            low = int(params.get(f"lo_{slider.key}", low))
            high = int(params.get(f"hi_{slider.key}", high))
        except ValueError:
            continue
        low, high = sorted(
            (max(0, min(low, len(slider.values) - 1)), max(0, min(high, len(slider.values) - 1)))
        )
        if (low, high) != (0, len(slider.values) - 1) and params.get("was", category) == category:
            ranges[slider.key] = (slider.values[low], slider.values[high])
    sort = params.get("sort", "fit")
    return Search(params.get("q", "")[:200], category, sort if sort in SORTS else "fit", ranges)


def searched(request: Request, kept: Kept) -> dict[str, Any]:
    """Give what the catalogue's view shows for the search that was asked."""
    known = catalogue_of(request)
    asked = _asked(request, known)
    prices = prices_of(request, kept.design.brief.quantity)
    stock = {d.number: d.quantity for d in store_of(request).shared.stock()}
    answer, refused = Answer(), ""
    near: list[str] = []
    try:
        answer = known.search(
            asked.q,
            SHOWN,
            fold=True,
            leaded=wants_leaded(kept.design),
            category=asked.category,
            ranges=asked.ranges,
            favour=_favoured(kept.design, stock),
            **_order(known, asked.sort, prices),
        )
        if asked.q.strip() and not answer.found:
            near = known.index.near(asked.q.strip().lower())
    except VaneStepError as error:
        refused = error.line()
    return {
        "q": asked.q,
        "asked": asked,
        "answer": answer,
        "near": near,
        "no_hit": refused,
        "tree": _tree(known, answer, asked),
        "sliders": sliders(known, asked.category, asked.ranges),
        "next_ref": next_ref(known, kept.design),
        "prices": prices,
        "at_hand": stock,
        **_pictures(known),
        "begin": [] if asked.q or asked.category else _begin(known, kept.design, stock),
        "address": asked.address(kept.id),
    }


def _favoured(design: Design, stock: Mapping[str, int]) -> dict[str, float]:
    found = dict.fromkeys(_in_blocks(), IN_BLOCKS)
    found |= dict.fromkeys((p.catalogue for p in design.parts.values() if p.catalogue), HERE)
    return found | dict.fromkeys((n for n, count in stock.items() if count), AT_HAND)


def _in_blocks() -> list[str]:
    return [n for b in blocks().values() for p in b.parts if (n := p.catalogue)]


def _begin(
    known: Catalogue, design: Design, stock: Mapping[str, int]
) -> list[tuple[str, list[CataloguePart]]]:
    """List what to begin from, before anything is looked for: at hand, in this design, in the blocks."""
    parts = known.parts
    groups = (
        ("At hand", [n for n, count in stock.items() if count]),
        ("In this design", [p.catalogue for p in reversed(design.parts.values()) if p.catalogue]),
        ("Used in blocks", _in_blocks()),
    )
    begin = [(title, [parts[n] for n in dict.fromkeys(ns) if n in parts][:8]) for title, ns in groups]
    return [(title, found) for title, found in begin if found]


def prices_of(request: Request, boards: int) -> dict[str, tuple[float, int]]:
    """Give the price at a quantity and the stock of each part a supplier told of."""
    offers = kept_offers(store_of(request).shared)
    return {n: (buy(d.offer, boards).each, d.offer.stock) for n, d in offers.items() if d.offer}


def _pictures(known: Catalogue) -> dict[str, Any]:
    """Give what pages draw pictures of parts with."""
    return {"body_of": lambda name: body_of(name, known.packages.get(name)), "symbol_of": symbol_of}


def _order(known: Catalogue, sort: str, prices: Mapping[str, tuple[float, int]]) -> dict[str, Any]:
    def price(part: CataloguePart) -> float:
        return prices[part.number][0] if part.number in prices else 1e9

    def stock(part: CataloguePart) -> float:
        return -prices[part.number][1] if part.number in prices else 1.0

    orders: dict[str, Callable[[CataloguePart], float]] = {
        "price": price,
        "stock": stock,
        "size": lambda p: area_mm2(known, p),
    }
    return {"order": orders[sort]} if sort in orders else {}


def _tree(known: Catalogue, answer: Answer, asked: Search) -> list[dict[str, Any]]:
    """Give the branches with what was found in each; the one of the chosen category is open."""
    kinds = known.categories
    counts = dict(answer.categories)
    if asked.category or not asked.q.strip():
        wide = known.search(asked.q, 0) if asked.q.strip() else None
        counts = dict(wide.categories) if wide else _all_counts(known)
    branches: dict[str, dict[str, Any]] = {}
    for name, kind in kinds.items():
        if not (count := counts.get(name, 0)):
            continue
        branch = branches.setdefault(
            kind.branch, {"name": kind.branch, "count": 0, "categories": [], "open": False}
        )
        branch["count"] += count
        branch["categories"].append((name, count, known.index.firsts[name]))
        branch["open"] |= asked.category in (name, kind.branch)
    found = list(branches.values())
    best = next(iter(counts), "")
    if asked.q.strip() and not asked.category and best:
        # The branch of the best find is open, and first.
        found.sort(key=lambda b: b["name"] != kinds[best].branch)
        found[0]["open"] = True
    return found


def _all_counts(known: Catalogue) -> dict[str, int]:
    counts: dict[str, int] = {}
    for part in known.parts.values():
        counts[part.category] = counts.get(part.category, 0) + 1
    return counts


@router.get("/d/{id}/search", response_class=HTMLResponse)
def search(request: Request, id: str, q: Annotated[str, Query(max_length=200)] = "") -> HTMLResponse:
    """Search and browse the catalogue; the search stays in the page's address."""
    kept = store_of(request).get(id)
    data = searched(request, kept)
    answer = page(request, "_hits.html", {"kept": kept, "design": kept.design, **data})
    answer.headers["HX-Replace-Url"] = data["address"]
    return answer


@router.get("/d/{id}/found", response_class=HTMLResponse)
def found(request: Request, id: str, q: Annotated[str, Query(max_length=200)] = "") -> HTMLResponse:
    """Give the few best finds, to add from wherever one is."""
    kept = store_of(request).get(id)
    known = catalogue_of(request)
    answer, refused = Answer(), ""
    try:
        if q.strip():
            answer = known.search(
                q,
                FEW,
                fold=True,
                leaded=wants_leaded(kept.design),
                favour=_favoured(
                    kept.design, {d.number: d.quantity for d in store_of(request).shared.stock()}
                ),
            )
    except VaneStepError as error:
        refused = error.line()
    near = known.index.near(q.strip().lower()) if q.strip() and not answer.found else []
    data = {
        "kept": kept,
        "q": q,
        "answer": answer,
        "near": near,
        "no_hit": refused,
        **_pictures(known),
    }
    return page(request, "_found.html", {**data, "next_ref": next_ref(known, kept.design)})


@router.get("/d/{id}/catalogue/{number}", response_class=HTMLResponse)
def part_sheet(request: Request, id: str, number: str) -> HTMLResponse:
    """Show one part of the catalogue: its symbol, body, pins and figures."""
    kept = store_of(request).get(id)
    known = catalogue_of(request)
    data = {
        "kept": kept,
        "design": kept.design,
        "p": known.get(number),
        **_pictures(known),
    }
    prices = prices_of(request, kept.design.brief.quantity)
    return page(request, "_catalogue_part.html", {**data, "prices": prices})


@router.get("/d/{id}/compare", response_class=HTMLResponse)
def compare(request: Request, id: str, numbers: Annotated[str, Query(max_length=400)] = "") -> HTMLResponse:
    """Show parts side by side: a line a figure, those that differ marked."""
    kept = store_of(request).get(id)
    asked = [n for n in numbers.split(",") if n]
    if len(asked) > MOST_COMPARED:
        raise InputError(
            "These are many parts to compare.",
            where="compare",
            value=len(asked),
            allowed=f"up to {MOST_COMPARED}",
        )
    known = catalogue_of(request)
    parts = [known.get(n) for n in asked]
    told = [dict(p.told()) for p in parts]
    titles = list(dict.fromkeys(t for figures in told for t in figures))
    rows = [(t, [figures.get(t, "—") for figures in told]) for t in titles]
    data = {
        "kept": kept,
        "parts": parts,
        "rows": rows,
        **_pictures(known),
        "area_mm2": lambda p: area_mm2(known, p),
    }
    return page(request, "_compare.html", {**data, "prices": prices_of(request, kept.design.brief.quantity)})


def next_ref(known: Catalogue, design: Design) -> dict[str, str]:
    """Give the next free reference by its letters."""
    return {
        letters: next_refs(design, letters, 1)[0] for letters in {p.letters for p in known.parts.values()}
    }
