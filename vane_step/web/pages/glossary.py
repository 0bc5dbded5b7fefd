"""The page of terms; what they mean is in ``core.glossary``."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from vane_step.core.glossary import TERMS
from vane_step.web.render import page

router = APIRouter()


@router.get("/glossary", response_class=HTMLResponse)
def glossary(request: Request) -> HTMLResponse:
    """Show every term with what it means."""
    return page(request, "glossary.html", {"design": None, "terms": TERMS})
