"""Making at home on the Make page: sheets, drilling, and the artwork's files; the log is in ``etch_log``."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import Response

from vane_step.core.ask.etching import all_widened, copper_left, with_widening
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.etch import artwork, cautions
from vane_step.core.etch.drillplan import BITS_MM, drill_plan, drill_turns, letter_of
from vane_step.core.etch.etch_rules import etch_findings
from vane_step.core.etch.joints import both_sides
from vane_step.core.etch.methods import rules_for
from vane_step.core.etch.plan import LAYOUTS, WORDS, ArtPlan, art_plan
from vane_step.core.etch.sheets import PAPERS_MM
from vane_step.core.finding import Finding
from vane_step.core.memo import MEMO
from vane_step.store.designs import Kept
from vane_step.web.findings_view import findings_with_offers
from vane_step.web.render import resources_of, store_of
from vane_step.workbench.things import bits_at_hand, printers

router = APIRouter()
# So many findings of a kind are shown before the others are folded.
SHOWN: Final = 3


def plan_from(request: Request, kept: Kept) -> ArtPlan:
    """Read how artwork is wanted from an address; a printer of the bench brings its correction and its margin."""
    said = {k: v for k, v in request.query_params.items() if k in WORDS and v}
    return art_plan(_with_printer(said, request), kept.design.brief.method or "toner")


def _with_printer(said: Mapping[str, str], request: Request) -> dict[str, str]:
    name = request.query_params.get("printer", "")
    if not name:
        return dict(said)
    known = printers(store_of(request).bench)
    if name not in known:
        raise InputError(
            f"There is no printer {name}.",
            where="printer",
            value=name,
            allowed=", ".join(known) or "none is kept",
        )
    p = known[name]
    return {"margin": f"{p.margin_mm:g}mm", **said, "across": f"{p.across}", "upwards": f"{p.upwards}"}


def sheets_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give the sheets of a plan with what is wrong of them; a plan that cannot be drawn tells why."""
    design, bench = kept.design, store_of(request).bench
    said = {k: v for k, v in request.query_params.items() if k in (*WORDS, "printer") and v}
    data: dict[str, Any] = {
        "papers": {name: name for name in PAPERS_MM},
        "layouts": LAYOUTS,
        "printers": printers(bench),
        "said": said,
        "refused": None,
        "sheets": [],
        "fit": 0,
    }
    try:
        plan = plan_from(request, kept)
    except VaneStepError as error:
        plan = art_plan({}, design.brief.method or "toner")
        data["refused"] = error
    data |= {"plan": plan, "method": plan.method, "query": urlencode({**said, "method": plan.method.name})}
    data["follows"] = _rules_follow(request, design, plan)
    data["joints"] = both_sides(design)
    data["wires"] = artwork.wire_list(design)
    if data["refused"] is None and plan.method.name != "mill":
        try:
            data["sheets"] = artwork.sheets(design, plan)
            data["fit"] = artwork.copies_on(design, plan)
        except VaneStepError as error:
            data["refused"] = error
    return data | _judged(request, kept, plan)


def _rules_follow(request: Request, design: Design, plan: ArtPlan) -> bool:
    """Tell whether the board's rules, or what the brief says, are those of the method shown."""
    if design.brief.method != plan.method.name:
        return False
    board = design.board.rules
    if not board.etched:
        return True
    made = rules_for(plan.method, resources_of(request).rules.get("kitchen-table", board))
    return made.min_width_nm == board.min_width_nm and made.min_clearance_nm == board.min_clearance_nm


def _judged(request: Request, kept: Kept, plan: ArtPlan) -> dict[str, Any]:
    """Give the findings of a sheet by kind, with remedies; kept as long as design, plan and bits stay."""
    bits = bits_at_hand(store_of(request).bench)
    key = ("etched", kept.id, kept.version, plan.ink, plan.margin_mm, bits)
    known: dict[str, Any] | None = MEMO.get(key)
    if known is not None:
        return known
    resources = resources_of(request)
    found = with_widening(kept.design, etch_findings(kept.design, plan, bits), resources)
    kinds: dict[str, list[Finding]] = {}
    for f in found:
        kinds.setdefault(f.code, []).append(f)
    data = {
        "kinds": kinds,
        "shown": SHOWN,
        "widen_all": all_widened(kept.design, found, resources),
        "stops": open_stops(request, kept),
    }
    return MEMO.put(key, data, like="etched")  # type: ignore[no-any-return]


def open_stops(request: Request, kept: Kept) -> tuple[str, ...]:
    """Give what forbids a release of a design, to be named wherever it is printed."""
    return tuple(f.message for f in findings_with_offers(request, kept) if f.level == "stop")


def drilling_data(request: Request, kept: Kept) -> dict[str, Any]:
    """Give the drill plan with its order, ways and time."""
    design, bench = kept.design, store_of(request).bench
    tool = request.query_params.get("tool", "press")
    if tool not in ("press", "hand"):
        raise InputError(f"{tool!r} drills nothing.", where="tool", value=tool, allowed="press, hand")
    rows = drill_plan(design, bits_at_hand(bench))
    turns = drill_turns(rows, design, tool)  # type: ignore[arg-type]
    x0, y0, x1, y1 = outline(design).bounds
    return {
        "tool": tool,
        "rows": [(letter_of(k), row) for k, row in enumerate(rows)],
        "turns": turns,
        "ways": ["M" + "L".join(f"{x:.2f} {y0 + y1 - y:.2f}" for x, y in t.holes) for t in turns],
        "box": (x0 - 2, y0 - 2, x1 - x0 + 4, y1 - y0 + 4),
        "edge": _svg_rings(design),
        "flip": y0 + y1,
        "minutes": sum(t.seconds for t in turns) / 60,
        "bits": bench.bits(),
        "numbered": BITS_MM,
        "drill_cautions": cautions.DRILLING,
    }


def _svg_rings(design: Design) -> str:
    """Write the edge of a board as a path, y down."""
    shape = outline(design)
    _, y0, _, y1 = shape.bounds
    rings = (shape.exterior, *shape.interiors)
    return "".join(
        "M" + "L".join(f"{x:.2f} {y0 + y1 - y:.2f}" for x, y in r.coords[:-1]) + "Z" for r in rings
    )


@router.get("/d/{id}/etch.pdf")
def etch_pdf(request: Request, id: str) -> Response:
    """Give the artwork as PDF at true scale."""
    kept = store_of(request).get(id)
    plan = plan_from(request, kept)
    data = artwork.pdf(kept.design, plan, open_stops(request, kept), bits_at_hand(store_of(request).bench))
    return _file(data, "application/pdf", f"{id}-{plan.method.name}.pdf")


@router.get("/d/{id}/etch.svg")
def etch_svg(request: Request, id: str, sheet: int = 1) -> Response:
    """Give one sheet of the artwork as SVG at true scale."""
    kept = store_of(request).get(id)
    text = artwork.svg(kept.design, plan_from(request, kept), sheet, open_stops(request, kept))
    return _file(text.encode(), "image/svg+xml", f"{id}-{sheet}.svg")


@router.get("/d/{id}/etch.png")
def etch_png(request: Request, id: str, sheet: int = 1, dpi: int = 1200) -> Response:
    """Give one sheet of the artwork as a bitmap of one bit a dot, at true scale."""
    kept = store_of(request).get(id)
    data = artwork.bitmap(kept.design, plan_from(request, kept), sheet, dpi)
    return _file(data, "image/png", f"{id}-{sheet}-{dpi}dpi.png")


def _file(data: bytes, kind: str, name: str) -> Response:
    return Response(data, media_type=kind, headers={"Content-Disposition": f'inline; filename="{name}"'})


def left_copper(request: Request, kept: Kept, plan: ArtPlan) -> tuple[str, str, float] | None:
    """Give the pour that saves the bath most, kept as long as design and plan stay."""
    key = ("copper left", kept.id, kept.version, plan.ink)
    known: tuple[Any] | None = MEMO.get(key)
    if known is None:
        known = MEMO.put(key, (copper_left(kept.design, plan, resources_of(request)),), like="copper left")
    found: tuple[str, str, float] | None = known[0]
    return found
