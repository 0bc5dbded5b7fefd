"""Names that designs were written with before, read as what they are called now; nothing else is read here."""

from __future__ import annotations

from typing import Any

# Fields of the brief, figures a requirement is shown by, and formulas of calculations.
BRIEF = {"road": "manufacturing"}
FIGURES = {"open-links": "unrouted"}
FORMULAS = {"tap": "divider"}


def figure(name: Any) -> Any:
    """Give a figure its present name."""
    return FIGURES.get(name, name) if isinstance(name, str) else name


def formula(name: Any) -> Any:
    """Give a formula its present name."""
    return FORMULAS.get(name, name) if isinstance(name, str) else name


def brief(data: Any) -> Any:
    """Give the fields of a brief their present names; one that has both keeps the present one."""
    if not isinstance(data, dict) or not BRIEF.keys() & data.keys():
        return data
    renamed = {BRIEF[key]: value for key, value in data.items() if key in BRIEF}
    return {**renamed, **{key: value for key, value in data.items() if key not in BRIEF}}
