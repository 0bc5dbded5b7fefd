"""Templates and what every page is given; no page's own content."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from jinja2 import FileSystemLoader
from markupsafe import Markup

from vane_step import __version__
from vane_step.core.ask import Resources
from vane_step.core.catalogue.catalogue import Catalogue
from vane_step.core.circuit.blocks import block_from
from vane_step.core.glossary import parted
from vane_step.core.judge import can_be_accepted, waived_findings
from vane_step.core.quantity import format_value
from vane_step.data.shipped import catalogue_with, resources
from vane_step.store.designs import DesignStore, Kept
from vane_step.web.findings_view import findings_with_offers
from vane_step.web.language.catalogue import counted, in_use, message, number, text, texts_of_scripts
from vane_step.web.language.marking import PageEnvironment
from vane_step.web.view import bar, panel, step_bar

ROOT = Path(__file__).parent
STATIC = ROOT / "static"
templates = Jinja2Templates(
    env=PageEnvironment(
        loader=FileSystemLoader(ROOT / "templates"), autoescape=True, trim_blocks=True, lstrip_blocks=True
    )
)
SHAPES = {"stop": "■", "look": "▲", "note": "●"}


def reading(value: float) -> str:
    """Format a reading: three digits, or as many as whole numbers need."""
    if abs(value) >= 100 or value == int(value):
        return f"{value:.0f}"
    return f"{value:.3g}" if abs(value) < 10 else f"{value:.1f}"


def explained(text: str) -> Markup:
    """Mark the terms of a sentence so that what they mean is shown when they are pointed at or reached by Tab."""
    pieces = Markup("")
    for piece, means in parted(text):
        pieces += (
            Markup('<dfn class="term" tabindex="0" data-bs-title="{}">{}</dfn>').format(means, piece)
            if means
            else piece
        )
    return pieces


templates.env.globals.update(
    _=text,
    _message=message,
    _number=number,
    in_use=in_use.get,
    texts_of_scripts=texts_of_scripts,
    bar=bar,
    shapes=SHAPES,
    app_version=__version__,
    can_be_accepted=can_be_accepted,
)
templates.env.filters.update(
    reading=reading,
    si=format_value,
    volts=lambda v: format_value(0.0 if abs(v) < 5e-4 else v, "V", 4),
    mm=lambda v: f"{v / 1e6:.2f}",
    exact=lambda v: f"{v / 1e6:g}",
    count_of=counted,
    explained=explained,
)


def store_of(request: Request) -> DesignStore:
    """Give the store of the application."""
    store: DesignStore = request.app.state.store
    return store


def resources_of(request: Request) -> Resources:
    """Give what the ask line draws on, with the blocks of the store among the others."""
    own = {name: block_from(content, name) for name, content in store_of(request).shared.blocks().items()}
    return resources(own, tuple(store_of(request).shared.parts().values()))


def catalogue_of(request: Request) -> Catalogue:
    """Give the catalogue with the parts of the store among the others."""
    return catalogue_with(tuple(store_of(request).shared.parts().values()))


def page(request: Request, name: str, data: dict[str, Any], status: int = 200) -> HTMLResponse:
    """Render a template."""
    return templates.TemplateResponse(request, name, data, status_code=status)


def step_page(request: Request, kept: Kept, step: str, data: dict[str, Any]) -> HTMLResponse:
    """Render a step's page with the frame round it."""
    found = findings_with_offers(request, kept)
    frame = {
        "kept": kept,
        "design": kept.design,
        "step": step,
        "step_bar": step_bar(kept.design, step, found),
        "panel": panel(step, found),
        "waived": waived_findings(kept.design),
    }
    return page(request, f"{step}.html", {**frame, **data})
