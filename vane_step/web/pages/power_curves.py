"""The power page's curves: over time, over frequency, over another value; drawn, with a cursor, and as CSV."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from vane_step.core.errors import VaneStepError
from vane_step.core.network.curve_files import curve_csv
from vane_step.core.network.outside import all_sources
from vane_step.core.network.readings import readings
from vane_step.core.operation.asked_curve import curve_asked, main_rails
from vane_step.core.operation.plots import plot_of
from vane_step.web.pages.power_states import asked, setting_of_page
from vane_step.web.render import page, store_of

router = APIRouter()


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
