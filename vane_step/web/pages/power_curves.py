"""The power page's curves: over time, over frequency, over another value; drawn, with a cursor, and as CSV."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from vane_step.core.design.model import Design
from vane_step.core.errors import InputError, VaneStepError
from vane_step.core.network.converter_cycles import converter_cycles, cycles_curve
from vane_step.core.network.curve_files import curve_csv
from vane_step.core.network.outside import all_sources
from vane_step.core.network.probe import probes
from vane_step.core.network.readings import readings
from vane_step.core.network.setting import Setting
from vane_step.core.network.sweeps import Curve, frequency_response, sweep, unit_of, wave_form
from vane_step.core.operation.plots import plot_of
from vane_step.core.quantity import parse_value
from vane_step.web.pages.power_states import asked, setting_of_page
from vane_step.web.render import page, store_of

router = APIRouter()
# How long a page waits for a wave form, in steps; and points of a sweep.
MOST_STEPS, POINTS = 30_000, 61
MOST_CYCLES_S = 0.02


def curve_asked(design: Design, setting: Setting, query: Mapping[str, str]) -> Curve:
    """Work out the curve a form asks for.

    Raises
    ------
    InputError, NotFound
        When something of it cannot be read or worked out.
    """
    kind = query.get("kind", "time")
    if kind == "frequency":
        return frequency_response(
            design,
            setting,
            query.get("source", ""),
            query.get("net", ""),
            parse_value(query.get("low") or "10Hz", "from", "Hz"),
            parse_value(query.get("high") or "1MHz", "to", "Hz"),
        )
    texts = query.get("read", "").replace(";", " ").split()
    wanted = probes(design, texts or main_rails(design)) if kind != "cycles" else []
    if kind == "value":
        what = query.get("what", "")
        unit = unit_of(design, what)
        plain = unit if unit in ("V", "A", "W", "Ω") else ""
        ends = [
            parse_value(query.get(name, "").removesuffix("°C").removesuffix("%"), name, plain)
            for name in ("first", "last")
        ]
        return sweep(design, setting, what, np.linspace(ends[0], ends[1], POINTS).tolist(), wanted)
    seconds = parse_value(query.get("long") or "20ms", "how long", "s")
    if kind == "cycles":
        if not 1e-7 <= seconds <= MOST_CYCLES_S:
            raise InputError(
                f"{query.get('long')} is no time to follow.", where="how long", allowed="0.1 µs to 20 ms"
            )
        return cycles_curve(*converter_cycles(design, setting, query.get("converter", ""), seconds))
    if not 1e-9 <= seconds <= 1e4:
        raise InputError(
            f"{query.get('long')} is no time to follow.", where="how long", allowed="1 ns to 10,000 s"
        )
    known = {r.setting.name: r.setting for r in readings(design).nominal()}
    was = known.get(query.get("before", ""))
    return wave_form(design, setting, seconds, wanted, was, empty=was is None, most_steps=MOST_STEPS)


def main_rails(design: Design) -> list[str]:
    """Give what is read where nothing was asked for: the supplies, those with most pins first."""
    rails = [n for n in design.nets.values() if n.role == "supply"] or [
        n for n in design.nets.values() if n.role != "ground"
    ]
    return [f"V({n.name})" for n in sorted(rails, key=lambda n: -len(n.pins))[:3]]


@router.get("/d/{id}/power/curve", response_class=HTMLResponse)
def power_curve(request: Request, id: str) -> HTMLResponse:
    """Draw a curve of the state that is chosen; without a question only its form."""
    kept = store_of(request).get(id)
    design, query = kept.design, dict(request.query_params)
    known = all_sources(design)
    data: dict[str, Any] = {
        "query": query,
        "kind": query.get("kind", "time"),
        "sources": list(known),
        "states": list(dict.fromkeys(r.setting.name for r in readings(design).nominal())) if known else [],
        "rails": " ".join(main_rails(design)),
        "converters": [p.ref for p in design.parts.values() if "fsw_hz" in p.params and p.fitted],
        "plot": None,
        "refused": None,
    }
    if known and "go" in query:
        setting = setting_of_page(design, *asked(request))
        try:
            curve = curve_asked(design, setting, query)
            plot = plot_of(curve, log=curve.unit == "Hz")
            data |= {"plot": plot, "curve": curve, "stops": json.dumps(plot.stops), "state": setting.told()}
            data["address"] = request.url.query
        except VaneStepError as error:
            data["refused"] = error
    return page(request, "_power_curve.html", {"kept": kept, "design": design, **data})


@router.get("/d/{id}/power/curve.csv")
def power_curve_csv(request: Request, id: str) -> Response:
    """Give the same curve as CSV, all its points."""
    kept = store_of(request).get(id)
    setting = setting_of_page(kept.design, *asked(request))
    curve = curve_asked(kept.design, setting, dict(request.query_params))
    return Response(
        curve_csv(curve),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{id}-curve.csv"'},
    )
