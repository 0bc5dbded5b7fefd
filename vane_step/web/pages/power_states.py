"""The power page's states: one chosen and drawn as a flow of power, all in a table, what rails draw in each mode."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from vane_step.core.board.analysis.copper_currents import all_currents
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.judge import all_findings
from vane_step.core.network.outside import all_sources, unknown_feeds
from vane_step.core.network.readings import Reading, reading_at, readings
from vane_step.core.network.setting import Setting
from vane_step.core.network.states import (
    Axis,
    at_axis,
    axes_of,
    gathered,
    modes_of,
    said_as,
    sensed,
    states_of,
)
from vane_step.core.operation.asked_curve import curve_asked
from vane_step.core.operation.board_picture import current_picture, heat_picture, warmest_state
from vane_step.core.operation.budget import budget, lifetimes
from vane_step.core.operation.flow_drawing import CARD_W, flow_drawing
from vane_step.core.operation.overview import KINDS, overview
from vane_step.core.operation.power_flow import power_flow
from vane_step.core.operation.power_paper import power_pdf
from vane_step.core.rules import RULES
from vane_step.web.render import page, store_of

router = APIRouter()
ENDS = ("low", "nominal", "high")


def setting_of_page(design: Design, query: Mapping[str, str], lists: Mapping[str, list[str]]) -> Setting:
    """Read the state a page asks for; the first one there is where it asks for none.

    What the design does not have, any more, is passed over: a page may be older than the design.
    """
    known = all_sources(design)
    if "given" not in query:
        first = states_of(design).settings
        return first[0] if first else Setting("", frozenset(known), {}, modes_of(design)[0])
    axes, keys = axes_of(design)
    sources = frozenset(n for n in lists.get("on", []) if n in known)
    chosen = dict(text.split("=", 1) for text in lists.get("set", []) if "=" in text)
    switches = [a for a in axes if is_switch(a)]
    positions = gathered(
        {a.name: chosen[a.name] if chosen.get(a.name) in a.values else _else_at(a, chosen) for a in switches}
    )
    positions |= {a.name: chosen[a.name] for a in sensed(design) if chosen.get(a.name) in a.values[1:]}
    if query.get("key") in {k.ref for k in keys}:
        positions[query["key"]] = "closed"
    mode = query.get("mode", "")
    mode = mode if mode in modes_of(design) else modes_of(design)[0]
    variant = query.get("variant", "")
    at = query.get("at", "nominal")
    made = Setting(
        "",
        sources,
        positions,
        mode,
        variant if variant in design.variants else "",
        at if at in ENDS else "nominal",
    )
    return Setting(made.told(), made.sources, positions, mode, made.variant, made.at)


def _else_at(axis: Axis, chosen: Mapping[str, str]) -> str:
    """Give what an axis is at where a form does not name it: by the position of its part, else its usual one."""
    value = at_axis(axis, chosen)
    return value if value in axis.values else axis.values[0]


def is_switch(axis: Axis) -> bool:
    """Tell the switches and jumpers among what can be one way or another."""
    return not axis.name.startswith("source ") and axis.name not in ("mode", "variant")


def query_of(setting: Setting, at: str = "") -> str:
    """Write a state as a query of this page."""
    pairs = [("given", "1"), *(("on", n) for n in sorted(setting.sources))]
    pairs += [("set", f"{ref}={position}") for ref, position in setting.positions.items()]
    pairs += [("key", ref) for ref, position in setting.positions.items() if position == "closed"]
    pairs += [("mode", setting.mode), ("variant", setting.variant), ("at", at or setting.at)]
    return urlencode(pairs)


def asked(request: Request) -> tuple[dict[str, str], dict[str, list[str]]]:
    """Give what a request asks of a state: single words, and those that may be said several times."""
    params = request.query_params
    return dict(params), {name: params.getlist(name) for name in ("on", "set")}


def state_data(design: Design, setting: Setting) -> dict[str, Any]:
    """Give all the page shows of one state."""
    axes, keys = axes_of(design)
    known = all_sources(design)
    data: dict[str, Any] = {
        "sources": known,
        "unknown": unknown_feeds(design),
        "setting": setting,
        "modes": modes_of(design),
        "switches": [
            (a, at_axis(a, setting.positions)) for a in (*(x for x in axes if is_switch(x)), *sensed(design))
        ],
        "keys": keys,
        "pressed": next((k.ref for k in keys if setting.positions.get(k.ref) == "closed"), ""),
        "ranged": any(s.lowest_v != s.highest_v for s in known.values()),
        "reading": None,
        "card_w": CARD_W,
    }
    if not known:
        return data
    reading: Reading = reading_at(design, setting)
    flow = power_flow(design, reading)
    data |= {
        "reading": reading,
        "flow": flow,
        "drawing": flow_drawing(flow),
        "given_w": sum(max(s.watts, 0.0) for s in reading.sources.values()),
        "query": query_of(setting),
        "said": said_as(design, setting),
        "toggles": {name: _toggled(setting, name) for name in known},
        "throws": {
            (t.refs[0], to): _thrown(setting, t.refs[0], to)
            for t in flow.transfers
            for to in t.throws
            if to != t.position
        },
    }
    return data


def _toggled(setting: Setting, name: str) -> str:
    sources = setting.sources ^ {name}
    return query_of(Setting("", sources, setting.positions, setting.mode, setting.variant, setting.at))


def _thrown(setting: Setting, ref: str, to: str) -> str:
    return query_of(
        Setting(
            "", setting.sources, {**setting.positions, ref: to}, setting.mode, setting.variant, setting.at
        )
    )


@router.get("/d/{id}/power/state", response_class=HTMLResponse)
def power_state(request: Request, id: str) -> HTMLResponse:
    """Give one state: its flow of power and what sets it."""
    kept = store_of(request).get(id)
    data = state_data(kept.design, setting_of_page(kept.design, *asked(request)))
    return page(request, "_power_state.html", {"kept": kept, "design": kept.design, **data})


@router.get("/d/{id}/power/copper", response_class=HTMLResponse)
def power_copper(request: Request, id: str) -> HTMLResponse:
    """Give what really flows in the copper of each net, in the state that is worst for it."""
    kept = store_of(request).get(id)
    rows = all_currents(kept.design) if kept.design.tracks or kept.design.pours else []
    return page(request, "_power_copper.html", {"kept": kept, "design": kept.design, "flows": rows})


@router.get("/d/{id}/power.pdf")
def power_paper(request: Request, id: str) -> Response:
    """Give flow, heat, states and findings as PDF, of the state that is asked for; with a curve where one is."""
    kept = store_of(request).get(id)
    design = kept.design
    setting, query = setting_of_page(design, *asked(request)), dict(request.query_params)
    state = reading_at(design, setting)
    curves = [curve_asked(design, setting, query)] if "go" in query else []
    found = [f for f in all_findings(design) if RULES[f.code].room == "power"]
    data = power_pdf(design, state, found, f"version {kept.version}, {kept.changed_at[:10]}", curves)
    headers = {"Content-Disposition": f'inline; filename="{id}-power.pdf"'}
    return Response(data, media_type="application/pdf", headers=headers)


@router.get("/d/{id}/power/picture", response_class=HTMLResponse)
def power_picture(request: Request, id: str, show: str = "heat", layer: str = "") -> HTMLResponse:
    """Draw the board in a state: how warm it gets, or what flows in the copper of a layer."""
    kept = store_of(request).get(id)
    design = kept.design
    wanted = next((x for x in design.board.layers if x == layer), design.board.layers[0])
    data: dict[str, Any] = {
        "show": "current" if show == "current" else "heat",
        "layer": wanted,
        "picture": None,
    }
    if all_sources(design) and any(part.place for part in design.parts.values()):
        state = reading_at(design, setting_of_page(design, *asked(request)))
        if show == "current":
            data["picture"] = current_picture(design, state, wanted)
        else:
            warmest = warmest_state(design)
            data["picture"] = heat_picture(design, state)
            if warmest is not None and warmest.name != state.name:
                data["warmest"], data["warmest_query"] = warmest.name, query_of(warmest.setting)
    return page(request, "_power_picture.html", {"kept": kept, "design": design, **data})


@router.get("/d/{id}/board/heat.json")
def board_warmth(request: Request, id: str) -> dict[str, Any]:
    """Give how warm the board gets in the state that warms it most, as a layer for the board's drawing."""
    design = store_of(request).get(id).design
    state = warmest_state(design) if all_sources(design) else None
    if state is None or not any(part.place for part in design.parts.values()):
        raise InputError(
            "How warm the board gets is not known.",
            where="heat",
            next_step="Place parts first."
            if state is not None
            else "Say what feeds the board. Type: source BATT NET GND 12V",
        )
    picture = heat_picture(design, state)
    assert picture.heat is not None
    return {
        "state": picture.state,
        "hottest": round(picture.heat.ambient_c + picture.heat.hottest[0]),
        "bottom": round(picture.bottom, 1),
        "top": round(picture.top, 1),
        "rasters": [{"data": r.data, "box": r.box} for r in picture.rasters],
    }


@router.get("/d/{id}/power/states", response_class=HTMLResponse)
def power_states(request: Request, id: str) -> HTMLResponse:
    """Give the table of all states, what rails draw in each mode, and how long batteries last."""
    kept = store_of(request).get(id)
    design = kept.design
    found = readings(design)
    try:
        rows = overview(design, found)
        rails = budget(design, found)
        lives = lifetimes(design, found)
    except VaneStepError as error:
        return page(request, "_power_states.html", {"kept": kept, "design": design, "problem": str(error)})
    return page(
        request,
        "_power_states.html",
        {
            "kept": kept,
            "design": design,
            "problem": found.problem,
            "found": found,
            "rows": sorted(rows, key=lambda r: ("stop", "look", "").index(r.level)),
            "kinds": KINDS,
            "queries": {r.reading.setting.name: query_of(r.reading.setting) for r in rows},
            "budget": rails,
            "lives": lives,
            "modes": modes_of(design),
        },
    )
