"""The power page, and its table of the current each net carries and the copper it needs; states are in
``power_states``."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from vane_step.core.ask.operation import LEVELS
from vane_step.core.board.drc.track_heat import warmest
from vane_step.core.board.geometry.shapes import copper_items
from vane_step.core.design.model import Design, natural
from vane_step.core.network.thermal import case_of
from vane_step.core.power import trace
from vane_step.web.pages.power_states import asked, setting_of_page, state_data
from vane_step.web.render import page, step_page, store_of

router = APIRouter()


def _rows(design: Design) -> list[dict[str, Any]]:
    """Give a row for each net that carries a stated current, then the other supplies."""
    copper = design.board.rules.copper_um
    inner = design.board.rules.inner_copper_um
    tracks: dict[str, list[tuple[float, float]]] = {}
    for item in copper_items(design):
        if item.kind == "track" and item.net:
            tracks.setdefault(item.net, []).append((item.width_mm, item.spine.length))
    rows, heat = [], warmest(design)
    for net in sorted(design.nets.values(), key=lambda n: natural(n.name)):
        rule = design.rule_of(net.name)
        if rule.current is None and net.role not in ("supply", "ground", "high-current", "switching"):
            continue
        pieces = tracks.get(net.name, [])
        row: dict[str, Any] = {
            "net": net,
            "rule": rule,
            "thinnest": min((w for w, _ in pieces), default=None),
            "length": sum(x for _, x in pieces),
        }
        if rule.current:
            amps, rise, seconds = rule.current.current_a, rule.current.rise_k, rule.current.seconds
            width = rule.width_nm / 1e6
            row["outer"] = trace.trace(amps, rise, copper, "outer", width=width, seconds=seconds)
            row["inner_mm"] = trace.width_mm(amps, rise, inner, "inner", seconds)
            if pieces:
                row["ohm"] = sum(
                    trace.resistance_ohm(length, w, copper) for w, length in pieces if length > 0
                )
                row["hot"], row["over"] = heat.get(net.name, (None, False))
        rows.append(row)
    return sorted(
        rows,
        key=lambda r: (r["rule"].current is None, -(r["rule"].current.current_a if r["rule"].current else 0)),
    )


def _coolable(design: Design) -> list[str]:
    return sorted((p.ref for p in design.parts.values() if case_of(p) is not None), key=natural)


@router.get("/d/{id}/power", response_class=HTMLResponse)
def power(request: Request, id: str) -> HTMLResponse:
    """Show the flow of power in a state, all states, and what currents ask of the copper."""
    kept = store_of(request).get(id)
    setting = setting_of_page(kept.design, *asked(request))
    data = {
        "rows": _rows(kept.design),
        "levels": LEVELS,
        "coolable": _coolable(kept.design),
        **state_data(kept.design, setting),
    }
    return step_page(request, kept, "power", data)


@router.get("/d/{id}/power/rows", response_class=HTMLResponse)
def power_rows(request: Request, id: str) -> HTMLResponse:
    """Give the table alone."""
    kept = store_of(request).get(id)
    return page(request, "_power.html", {"kept": kept, "design": kept.design, "rows": _rows(kept.design)})
